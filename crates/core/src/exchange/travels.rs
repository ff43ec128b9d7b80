//! What travels to a person's other devices: everything, favorites, certain kinds, or nothing. Secrets never do, nor what a rule
//! keeps on this device.

use std::collections::BTreeSet;
use std::fmt;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use crate::clip::facts::{Facts, Kind};
use crate::merge::clip::ClipState;

/// What a device sends.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub enum Travels {
    /// Everything but secrets.
    #[default]
    Everything,
    /// Favorites alone.
    Favorites,
    /// Clips of these kinds.
    Kinds(BTreeSet<Kind>),
    /// Nothing.
    Nothing,
}

/// It can't be told what shall travel.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("`{0}` does not say what travels; it is everything, favorites, nothing, or kinds such as text,link")]
pub struct TravelsError(String);

impl Travels {
    /// Whether a clip with these facts is sent.
    pub fn takes(&self, facts: &Facts, pinned: bool) -> bool {
        facts.secret.is_none()
            && !facts.here
            && match self {
                Self::Everything => true,
                Self::Favorites => pinned,
                Self::Kinds(kinds) => kinds.contains(&facts.kind()),
                Self::Nothing => false,
            }
    }
}

/// What is sent of a clip that was sent before and does not travel any more: that it was removed or cleared, and whether it is
/// kept. Nothing that was copied, and no title.
pub fn what_always_travels(state: &ClipState) -> ClipState {
    // Of one that is gone, how often it was copied as well: whoever has it counts what the floors void.
    let copies = if state.is_there() { Default::default() } else { state.copies.clone() };
    ClipState {
        kept: state.kept.clone(),
        removed: state.removed,
        cleared: state.cleared,
        copies,
        ..ClipState::default()
    }
}

impl fmt::Display for Travels {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Everything => f.write_str("everything"),
            Self::Favorites => f.write_str("favorites"),
            Self::Nothing => f.write_str("nothing"),
            Self::Kinds(kinds) => {
                let words: Vec<&str> = kinds.iter().map(|kind| kind.word()).collect();
                f.write_str(&words.join(","))
            }
        }
    }
}

impl FromStr for Travels {
    type Err = TravelsError;

    fn from_str(text: &str) -> Result<Self, TravelsError> {
        let wrong = || TravelsError(text.to_owned());
        match text.trim() {
            "everything" => Ok(Self::Everything),
            "favorites" => Ok(Self::Favorites),
            "nothing" => Ok(Self::Nothing),
            kinds => {
                let all = [Kind::Text, Kind::Link, Kind::Image, Kind::Files];
                let kind = |word: &str| all.into_iter().find(|kind| kind.word() == word.trim());
                kinds
                    .split(',')
                    .map(|word| kind(word).ok_or_else(wrong))
                    .collect::<Result<_, _>>()
                    .map(Self::Kinds)
            }
        }
    }
}

impl From<Travels> for String {
    fn from(travels: Travels) -> Self {
        travels.to_string()
    }
}

impl TryFrom<String> for Travels {
    type Error = TravelsError;

    fn try_from(text: String) -> Result<Self, TravelsError> {
        text.parse()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::secret::SecretKind;

    #[test]
    fn what_travels_is_read_as_it_is_written_and_secrets_never_do() {
        let plain = Facts::of_text("oats", 4, false);
        let secret = Facts { secret: Some(SecretKind::PrivateKey), ..plain.clone() };
        for (text, of_a_text, of_a_favorite) in [
            ("everything", true, true),
            ("favorites", false, true),
            ("text,link", true, true),
            ("link", false, false),
            ("nothing", false, false),
        ] {
            let travels: Travels = text.parse().unwrap();
            assert_eq!(travels.to_string(), text);
            assert_eq!(travels.takes(&plain, false), of_a_text, "{text}");
            assert_eq!(travels.takes(&plain, true), of_a_favorite, "{text}");
            assert!(!travels.takes(&secret, true), "{text}");
            assert!(!travels.takes(&Facts { here: true, ..plain.clone() }, true), "{text}");
        }
        for text in ["", "all", "text,", "text;link"] {
            assert!(text.parse::<Travels>().is_err(), "{text}");
        }
    }
}
