//! The recovery phrase: made with the group, shown once, and kept on paper. Whoever has it can let a new device in when all
//! others are lost; from it follow the name of the group, the key to which every epoch is wrapped, and a key that signs.

use std::fmt;
use std::str::FromStr;

use ed25519_dalek::SigningKey;
use zeroize::{Zeroize, ZeroizeOnDrop, Zeroizing};

use super::entry::{Member, RECOVERY};
use super::wrap::WrapSecret;
use crate::signs::{SIGNS, signs_in, value_of};

/// The contexts of what follows from a phrase.
const GROUP: &str = "Yadori 2026-11 recovery phrase name of the group";
const WRAPS: &str = "Yadori 2026-11 recovery phrase wrapping";
const SIGNS_BY: &str = "Yadori 2026-11 recovery phrase signing";
const CHECK: &str = "Yadori 2026-11 recovery phrase check";
/// Signs that carry its 128 bits, and those that check them.
const CARRY: usize = 26;
const WHOLE: usize = 28;

/// A recovery phrase. Written in seven groups of four: `79HM-Q9F9-…`.
#[derive(Clone, PartialEq, Eq, Zeroize, ZeroizeOnDrop)]
pub struct Phrase([u8; 16]);

/// Why a text is no phrase.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PhraseError {
    /// It has another length.
    #[error("a recovery phrase has 28 letters and digits, in groups of four; this has {0}")]
    Length(usize),
    /// A sign that no phrase has.
    #[error("no recovery phrase has the letter `{0}`")]
    Sign(char),
    /// The last signs do not fit the others.
    #[error("a letter or digit is not as it stands on the paper; look again")]
    Slip,
}

impl Phrase {
    /// A phrase of 16 random bytes.
    pub fn new(random: [u8; 16]) -> Self {
        Self(random)
    }

    /// The name of the group that it is for.
    pub fn group(&self) -> [u8; 16] {
        let derived = blake3::derive_key(GROUP, &self.0);
        *derived.first_chunk().unwrap_or(&[0; 16])
    }

    /// The key by which it signs.
    pub fn signing(&self) -> SigningKey {
        SigningKey::from_bytes(&Zeroizing::new(blake3::derive_key(SIGNS_BY, &self.0)))
    }

    /// The secret to which every epoch is wrapped.
    pub fn secret(&self) -> WrapSecret {
        WrapSecret::derive(&Zeroizing::new(blake3::derive_key(WRAPS, &self.0))).0
    }

    /// As the chain names it.
    pub fn member(&self) -> Member {
        let (_, wraps) = WrapSecret::derive(&Zeroizing::new(blake3::derive_key(WRAPS, &self.0)));
        Member { device: RECOVERY, signs: self.signing().verifying_key(), wraps }
    }

    /// Its bits, five a sign, high ones first; then ten that check them.
    fn signs(&self) -> [u8; WHOLE] {
        let bits = u128::from_be_bytes(self.0);
        let check = blake3::derive_key(CHECK, &self.0);
        let check = u16::from_be_bytes([check[0], check[1]]) >> 6;
        std::array::from_fn(|n| match n {
            // The last of those that carry has two bits to spare.
            n if n + 1 < CARRY => (bits >> (128 - 5 * (n + 1)) & 31) as u8,
            n if n < CARRY => (bits << 2 & 31) as u8,
            CARRY => (check >> 5) as u8,
            _ => (check & 31) as u8,
        })
    }
}

impl fmt::Display for Phrase {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (n, sign) in self.signs().into_iter().enumerate() {
            let dash = if n > 0 && n % 4 == 0 { "-" } else { "" };
            write!(f, "{dash}{}", char::from(SIGNS[usize::from(sign)]))?;
        }
        Ok(())
    }
}

impl fmt::Debug for Phrase {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Phrase(…)")
    }
}

impl FromStr for Phrase {
    type Err = PhraseError;

    /// Reads what a person typed: in either case, with whatever spaces and dashes; O is read as 0, I and L as 1.
    fn from_str(text: &str) -> Result<Self, PhraseError> {
        let values = signs_in(text).map(|typed| value_of(typed).ok_or(PhraseError::Sign(typed)));
        let values = Zeroizing::new(values.collect::<Result<Vec<u8>, _>>()?);
        if values.len() != WHOLE {
            return Err(PhraseError::Length(values.len()));
        }
        let carry = &values[..CARRY];
        let high = carry[..CARRY - 1].iter().fold(0_u128, |bits, value| bits << 5 | u128::from(*value));
        let phrase = Self((high << 3 | u128::from(carry[CARRY - 1] >> 2)).to_be_bytes());
        if phrase.signs() == values[..] { Ok(phrase) } else { Err(PhraseError::Slip) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_phrase_is_read_as_it_was_written_and_a_slip_is_told(random: [u8; 16], at in 0usize..28, to in 0usize..32, lower: bool) {
            let phrase = Phrase::new(random);
            let text = phrase.to_string();
            prop_assert_eq!(text.len(), 34);
            let typed = if lower { text.to_lowercase().replace('0', "o").replace('-', " ") } else { text.clone() };
            prop_assert_eq!(typed.parse(), Ok(phrase));
            let mut signs: Vec<char> = signs_in(&text).collect();
            if signs[at] != char::from(SIGNS[to]) {
                signs[at] = char::from(SIGNS[to]);
                let wrong: String = signs.into_iter().collect();
                // One in a thousand slips fits by chance; none gives the same phrase.
                let read = wrong.parse::<Phrase>();
                prop_assert!(read != text.parse::<Phrase>());
            }
        }

        #[test]
        fn whatever_is_typed_is_read_or_refused(text in "\\PC{0,40}") {
            let _ = text.parse::<Phrase>();
        }
    }

    #[test]
    fn slips_are_nearly_always_told_before_anything_is_tried() {
        let text = Phrase::new(*b"three huts, snow").to_string();
        let signs: Vec<char> = signs_in(&text).collect();
        let (mut slips, mut told) = (0, 0);
        for at in 0..28 {
            for sign in SIGNS.iter().map(|sign| char::from(*sign)).filter(|sign| *sign != signs[at]) {
                let mut wrong = signs.clone();
                wrong[at] = sign;
                slips += 1;
                told += u32::from(
                    wrong.into_iter().collect::<String>().parse::<Phrase>() == Err(PhraseError::Slip),
                );
            }
        }
        assert!(told * 100 >= slips * 99, "{told} of {slips}");
        assert_eq!("79HM".parse::<Phrase>(), Err(PhraseError::Length(4)));
        assert_eq!(text.replace(signs[0], "U").parse::<Phrase>(), Err(PhraseError::Sign('U')));
    }
}
