//! A pin: the hash of the public key that a server proves to have.

use std::fmt;

use rustls_pki_types::CertificateDer;
use webpki::EndEntityCert;

/// Hexadecimal digits that are enough to be typed: 128 bits, so that nobody finds another key with the same ones.
const TYPED: usize = 32;

/// BLAKE3 over the `SubjectPublicKeyInfo` (RFC 5280, section 4.1.2.7) of a certificate. A certificate that is renewed with its
/// key keeps it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Pin(pub [u8; 32]);

/// What was typed is no pin.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("the key's digits after # are {TYPED} to 64 hexadecimal ones")]
pub struct WrongPin;

impl Pin {
    /// That of a certificate. `None`: it is none.
    pub fn of(certificate: &CertificateDer<'_>) -> Option<Self> {
        let certificate = EndEntityCert::try_from(certificate).ok()?;
        Some(Self(*blake3::hash(certificate.subject_public_key_info().as_ref()).as_bytes()))
    }

    /// What is typed of it: its first digits.
    pub fn typed(&self) -> String {
        hex::encode(&self.0[..TYPED / 2])
    }

    /// Whether what was typed (32 to 64 hexadecimal digits; blanks, hyphens and colons between them do not count) is its
    /// beginning.
    ///
    /// # Errors
    /// When what was typed is none.
    pub fn begins_with(&self, typed: &str) -> Result<bool, WrongPin> {
        let digits: String = typed.chars().filter(|c| !matches!(c, ' ' | '-' | ':')).collect();
        let fits = (TYPED..=64).contains(&digits.len()) && digits.chars().all(|c| c.is_ascii_hexdigit());
        if fits { Ok(self.to_string().starts_with(&digits.to_ascii_lowercase())) } else { Err(WrongPin) }
    }
}

impl fmt::Display for Pin {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&hex::encode(self.0))
    }
}

impl std::str::FromStr for Pin {
    type Err = WrongPin;

    fn from_str(text: &str) -> Result<Self, WrongPin> {
        let bytes = hex::decode(text).ok().and_then(|bytes| bytes.try_into().ok());
        bytes.map(Self).ok_or(WrongPin)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn what_is_typed_is_the_beginning_or_it_is_another(key in any::<[u8; 32]>(), at in 0..32_usize) {
            let pin = Pin(key);
            prop_assert_eq!(pin.to_string().parse::<Pin>(), Ok(pin));
            prop_assert_eq!(pin.begins_with(&pin.typed()), Ok(true));
            let digits = pin.to_string().to_uppercase();
            let spelled = format!("{} {}-{}", &digits[..8], &digits[8..20], &digits[20..]);
            prop_assert_eq!(pin.begins_with(&spelled), Ok(true));
            let mut other = key;
            other[at / 2] ^= 1;
            prop_assert_eq!(Pin(other).begins_with(&pin.typed()), Ok(false));
            prop_assert_eq!(pin.begins_with(&pin.typed()[..at.min(31)]), Err(WrongPin));
        }
    }
}
