//! What a clip may be recognised as that should not stay.

use serde::{Deserialize, Serialize};

/// A kind of secret.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum SecretKind {
    /// A private key in one of its written forms.
    PrivateKey,
    /// A token that opens an account or an interface.
    AccessToken,
    /// A signed token of three parts (RFC 7519).
    WebToken,
    /// The number of a payment card (ISO/IEC 7812).
    CardNumber,
    /// The number of a bank account (ISO 13616).
    Iban,
    /// A code that is good for one sign-in.
    OneTimeCode,
    /// A password.
    Password,
    /// What a rule of the person's masks.
    Ruled,
}

impl SecretKind {
    /// All of them, in the order of their numbers.
    pub const ALL: [Self; 8] = [
        Self::PrivateKey,
        Self::AccessToken,
        Self::WebToken,
        Self::CardNumber,
        Self::Iban,
        Self::OneTimeCode,
        Self::Password,
        Self::Ruled,
    ];

    /// Those that are recognised, and can be switched off.
    pub const RECOGNISED: [Self; 7] = [
        Self::PrivateKey,
        Self::AccessToken,
        Self::WebToken,
        Self::Iban,
        Self::CardNumber,
        Self::OneTimeCode,
        Self::Password,
    ];

    /// The word by which it is set.
    pub fn word(self) -> &'static str {
        match self {
            Self::PrivateKey => "private-key",
            Self::AccessToken => "access-token",
            Self::WebToken => "web-token",
            Self::CardNumber => "card-number",
            Self::Iban => "iban",
            Self::OneTimeCode => "one-time-code",
            Self::Password => "password",
            Self::Ruled => "ruled",
        }
    }

    /// What a person would call it.
    pub fn name(self) -> &'static str {
        match self {
            Self::PrivateKey => "private key",
            Self::AccessToken => "access token",
            Self::WebToken => "signed web token",
            Self::CardNumber => "card number",
            Self::Iban => "bank account number",
            Self::OneTimeCode => "one-time code",
            Self::Password => "password",
            Self::Ruled => "masked by a rule",
        }
    }

    /// The kind that a word stands for.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::RECOGNISED.into_iter().find(|kind| kind.word() == word)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_word_of_a_kind_is_the_one_it_is_written_with() {
        for kind in SecretKind::RECOGNISED {
            assert_eq!(serde_json::to_value(kind).unwrap(), kind.word());
            assert_eq!(SecretKind::from_word(kind.word()), Some(kind));
        }
        assert_eq!(SecretKind::from_word("ruled"), None, "no recogniser of its own");
    }
}
