//! How a person names a clip: by its place (`1` is the newest), by its place among the favorites (`f1`), or by the
//! beginning of its id. Digits alone are always places, so a shown prefix always contains a letter.

use std::fmt;

use crate::clip::id::prefix_range;

/// A parsed address.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Address {
    /// A place in the history, from 1.
    Place(usize),
    /// A place among the favorites, from 1.
    Favorite(usize),
    /// The beginning of an id, in lower case.
    Id(String),
}

/// Why a text is no address.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum AddressError {
    /// Places count from 1.
    #[error("places count from 1: `1` is the newest clip")]
    Zero,
    /// Neither digits, nor `f` and digits, nor characters of an id.
    #[error("not a clip: give a place such as `1`, or the beginning of an id as `yadori list` shows it")]
    Malformed,
}

impl std::str::FromStr for Address {
    type Err = AddressError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let place = |digits: &str| match digits.parse::<usize>() {
            Ok(0) => Err(AddressError::Zero),
            // A number too large for any history is a place that does not exist, not a malformed address.
            Ok(n) => Ok(n),
            Err(_) => Ok(usize::MAX),
        };
        let text = text.trim();
        let is_digits = |text: &str| !text.is_empty() && text.bytes().all(|byte| byte.is_ascii_digit());
        if is_digits(text) {
            return place(text).map(Self::Place);
        }
        if let Some(digits) = text.strip_prefix(['f', 'F']).filter(|rest| is_digits(rest)) {
            return place(digits).map(Self::Favorite);
        }
        if prefix_range(text).is_some() {
            return Ok(Self::Id(text.to_ascii_lowercase()));
        }
        Err(AddressError::Malformed)
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Place(n) => write!(f, "{n}"),
            Self::Favorite(n) => write!(f, "f{n}"),
            Self::Id(prefix) => f.write_str(prefix),
        }
    }
}

/// True when `prefix` can be shown as an id: it would not be read as a place.
pub fn reads_as_id(prefix: &str) -> bool {
    matches!(prefix.parse(), Ok(Address::Id(_)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn digits_are_places_and_letters_are_ids() {
        assert_eq!("12".parse(), Ok(Address::Place(12)));
        assert_eq!("f3".parse(), Ok(Address::Favorite(3)));
        assert_eq!("F3x".parse(), Ok(Address::Id("f3x".into())));
        assert_eq!("0".parse::<Address>(), Err(AddressError::Zero));
        assert_eq!("99999999999999999999999".parse(), Ok(Address::Place(usize::MAX)));
        for text in ["", "uu", "-1", "1.5", "ä", "k7#"] {
            assert_eq!(text.parse::<Address>(), Err(AddressError::Malformed), "{text}");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_read_or_refused(text in "\\PC{0,40}") {
            if let Ok(address) = text.parse::<Address>() {
                prop_assert!(address.to_string().parse::<Address>().is_ok());
            }
        }
    }
}
