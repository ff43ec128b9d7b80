//! Why a copy is not kept.

use serde::{Deserialize, Serialize};

/// Why a copy is not kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum RefusalReason {
    /// It holds more than one copy may.
    TooLarge,
    /// The program did not hand it over.
    Unreadable,
    /// Memory for copies that wait was full.
    NoRoom,
    /// The database would not take it.
    Invalid,
}

impl RefusalReason {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::TooLarge => "too-large",
            Self::Unreadable => "unreadable",
            Self::NoRoom => "no-room",
            Self::Invalid => "invalid",
        }
    }

    /// The reason that a word stands for; an unknown one is read as [`RefusalReason::Unreadable`].
    pub fn from_word(word: &str) -> Self {
        [Self::TooLarge, Self::NoRoom, Self::Invalid]
            .into_iter()
            .find(|reason| reason.word() == word)
            .unwrap_or(Self::Unreadable)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reason_is_written_with_its_word() {
        for reason in [
            RefusalReason::TooLarge,
            RefusalReason::Unreadable,
            RefusalReason::NoRoom,
            RefusalReason::Invalid,
        ] {
            assert_eq!(serde_json::to_value(reason).unwrap(), reason.word());
            assert_eq!(RefusalReason::from_word(reason.word()), reason);
        }
    }
}
