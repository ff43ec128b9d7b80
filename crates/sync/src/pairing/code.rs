//! The code: a number by which the hub brings the two devices together, and 40 random bits that it never learns, with a
//! sign that tells a slip of the finger from a wrong code before anything is tried.

use std::fmt;
use std::str::FromStr;

use zeroize::{Zeroize, ZeroizeOnDrop};

use crate::signs::{SIGNS, signs_in, value_of};

/// Signs that carry the secret; one more is the check.
const SECRET: usize = 8;

/// A code. Written `12-79HM-Q9F95`.
#[derive(Clone, PartialEq, Eq, Zeroize, ZeroizeOnDrop)]
pub struct Code {
    /// The place at the hub where the two meet. No secret.
    pub place: u32,
    /// 40 random bits.
    secret: [u8; 5],
}

/// Why a text is no code.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum CodeError {
    /// It has other parts.
    #[error("a code is a number, a dash, and nine letters or digits, such as 12-79HM-Q9F95")]
    Parts,
    /// A sign that no code has.
    #[error("no code has the letter `{0}`")]
    Sign(char),
    /// The last sign does not fit the others.
    #[error("one of its letters or digits is not as it stands on the other device; look again")]
    Slip,
}

/// Multiplies by x in the field of 32 elements, modulo x⁵ + x² + 1.
fn times_x(value: u8) -> u8 {
    let shifted = value << 1;
    if shifted & 0b10_0000 == 0 { shifted } else { (shifted ^ 0b10_0101) & 0b1_1111 }
}

/// The sum of all signs, each times x to the power of its place: zero for a whole code. Any one other sign, and any two
/// neighbours that changed places, make it another.
fn weighed(signs: &[u8]) -> u8 {
    signs.iter().rev().fold(0, |sum, sign| times_x(sum) ^ sign)
}

/// The sign behind these that makes the sum zero.
fn check(signs: &[u8; SECRET]) -> u8 {
    (0..32).find(|last| weighed(&[&signs[..], &[*last]].concat()) == 0).unwrap_or(0)
}

fn signs_of(secret: [u8; 5]) -> [u8; SECRET] {
    let bits = secret.iter().fold(0_u64, |bits, byte| bits << 8 | u64::from(*byte));
    std::array::from_fn(|n| (bits >> (5 * (SECRET - 1 - n)) & 31) as u8)
}

impl Code {
    /// A code for a place. `random`: 5 random bytes.
    pub fn new(place: u32, random: [u8; 5]) -> Self {
        Self { place, secret: random }
    }

    /// The bits that the hub never learns.
    pub(super) fn secret(&self) -> &[u8; 5] {
        &self.secret
    }
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let signs = signs_of(self.secret);
        let letter = |value: &u8| char::from(SIGNS[usize::from(*value)]);
        let (first, second): (String, String) =
            (signs[..4].iter().map(letter).collect(), signs[4..].iter().map(letter).collect());
        write!(f, "{}-{first}-{second}{}", self.place, letter(&check(&signs)))
    }
}

impl fmt::Debug for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Code({}-…)", self.place)
    }
}

impl FromStr for Code {
    type Err = CodeError;

    /// Reads what a person typed: in either case, with whatever spaces and dashes; O is read as 0, I and L as 1.
    fn from_str(text: &str) -> Result<Self, CodeError> {
        let (place, rest) = text.trim().split_once(['-', ' ']).ok_or(CodeError::Parts)?;
        let place = place.parse().map_err(|_| CodeError::Parts)?;
        let mut signs = Vec::with_capacity(SECRET + 1);
        for typed in signs_in(rest) {
            signs.push(value_of(typed).ok_or(CodeError::Sign(typed))?);
        }
        if signs.len() != SECRET + 1 {
            return Err(CodeError::Parts);
        }
        if weighed(&signs) != 0 {
            return Err(CodeError::Slip);
        }
        let bits = signs[..SECRET].iter().fold(0_u64, |bits, sign| bits << 5 | u64::from(*sign));
        signs.zeroize();
        Ok(Self { place, secret: std::array::from_fn(|n| (bits >> (8 * (4 - n))) as u8) })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_code_is_read_as_it_was_written_however_it_is_typed(place: u32, random: [u8; 5], lower: bool, spaced: bool) {
            let code = Code::new(place, random);
            let mut text = code.to_string();
            if lower {
                text = text.to_lowercase().replace('0', "o").replace('1', "l");
                let number = code.place.to_string();
                text = number.clone() + &text[number.len()..];
            }
            if spaced {
                text = format!(" {} ", text.replace('-', " "));
            }
            prop_assert!(text.parse() == Ok(code), "{}", text);
        }

        #[test]
        fn one_wrong_sign_and_two_that_changed_places_are_told_before_anything_is_tried(
            random: [u8; 5], at in 0usize..9, to in 0usize..32,
        ) {
            let text = Code::new(7, random).to_string();
            let mut signs: Vec<char> = text[2..].chars().filter(|sign| *sign != '-').collect();
            let sign = char::from(SIGNS[to]);
            if signs[at] != sign {
                let mut wrong = signs.clone();
                wrong[at] = sign;
                let wrong: String = wrong.into_iter().collect();
                prop_assert_eq!(format!("7-{wrong}").parse::<Code>().map(|_| ()), Err(CodeError::Slip));
            }
            if at > 0 && signs[at] != signs[at - 1] {
                signs.swap(at, at - 1);
                let swapped: String = signs.into_iter().collect();
                prop_assert_eq!(format!("7-{swapped}").parse::<Code>().map(|_| ()), Err(CodeError::Slip));
            }
        }

        #[test]
        fn whatever_is_typed_is_read_or_refused(text in "\\PC{0,24}") {
            let _ = text.parse::<Code>();
        }
    }

    #[test]
    fn what_is_no_code_is_refused_in_words() {
        for (text, why) in [
            ("", CodeError::Parts),
            ("79HM-Q9F95", CodeError::Parts),
            ("12-7K3M", CodeError::Parts),
            ("12-7K3M-Q9FU0", CodeError::Sign('U')),
            ("99999999999-79HM-Q9F95", CodeError::Parts),
        ] {
            assert_eq!(text.parse::<Code>().map(|_| ()), Err(why), "{text}");
        }
        assert_eq!(format!("{:?}", Code::new(3, [1; 5])), "Code(3-…)");
        // The one of docs/protocol.md.
        assert_eq!(Code::new(12, [0x3a, 0x63, 0x4b, 0xa5, 0xe9]).to_string(), "12-79HM-Q9F95");
    }
}
