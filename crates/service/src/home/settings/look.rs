//! What of the file says how the console looks, and in which language everything is said.

use serde::Deserialize;
use yadori_api::{Density, FirstShown, Hours, Language, Look, Previews, Theme};

/// Why it can't look so.
#[derive(Debug, thiserror::Error)]
pub enum LookError {
    /// It is none of the words that can stand there.
    #[error("`look.{setting}` is `{written}`; it must be {known}")]
    Word {
        /// Which setting.
        setting: &'static str,
        /// What is written.
        written: String,
        /// What could be.
        known: &'static str,
    },
    /// No way of telling hours.
    #[error("`look.hours` is {0}; it must be 24 or 12")]
    Hours(u8),
    /// No number of clips.
    #[error("`look.shown` is {0}; it must be all or a number of clips from 1 on")]
    Shown(String),
}

/// The section as it is written.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct LookSection {
    theme: Option<String>,
    hours: Option<u8>,
    language: Option<String>,
    density: Option<String>,
    previews: Option<String>,
    order: Option<String>,
    shown: Option<Number>,
}

/// How many: a number, or a word for all.
#[derive(Debug, Deserialize, PartialEq)]
#[serde(untagged)]
enum Number {
    Number(i64),
    Word(String),
}

/// One of some words, or the usual when none is written.
fn word<T: Default>(
    setting: &'static str,
    known: &'static str,
    written: Option<&str>,
    read: impl Fn(&str) -> Option<T>,
) -> Result<T, LookError> {
    let Some(written) = written else { return Ok(T::default()) };
    read(written).ok_or_else(|| LookError::Word { setting, written: written.to_owned(), known })
}

impl LookSection {
    /// What holds.
    ///
    /// # Errors
    /// What is written makes no sense.
    pub(super) fn look(&self) -> Result<Look, LookError> {
        let hours = match self.hours {
            None | Some(24) => Hours::Day,
            Some(12) => Hours::Half,
            Some(other) => return Err(LookError::Hours(other)),
        };
        Ok(Look {
            hours,
            theme: word("theme", "system, light or dark", self.theme.as_deref(), |word| match word {
                "system" => Some(Theme::System),
                "light" => Some(Theme::Light),
                "dark" => Some(Theme::Dark),
                _ => None,
            })?,
            language: word("language", "system, en or ja", self.language.as_deref(), |word| match word {
                "system" => Some(Language::System),
                "en" => Some(Language::En),
                "ja" => Some(Language::Ja),
                _ => None,
            })?,
            density: word("density", "normal or dense", self.density.as_deref(), |word| match word {
                "normal" => Some(Density::Normal),
                "dense" => Some(Density::Dense),
                _ => None,
            })?,
            previews: word(
                "previews",
                "small, medium or large",
                self.previews.as_deref(),
                |word| match word {
                    "small" => Some(Previews::Small),
                    "medium" => Some(Previews::Medium),
                    "large" => Some(Previews::Large),
                    _ => None,
                },
            )?,
            order: word("order", "newest or oldest", self.order.as_deref(), |word| match word {
                "newest" => Some(FirstShown::Newest),
                "oldest" => Some(FirstShown::Oldest),
                _ => None,
            })?,
            shown: match &self.shown {
                None => None,
                Some(Number::Word(word)) if word == "all" => None,
                Some(Number::Word(word)) => return Err(LookError::Shown(word.clone())),
                Some(Number::Number(number)) => match u32::try_from(*number) {
                    Ok(number @ 1..) => Some(number),
                    _ => return Err(LookError::Shown(number.to_string())),
                },
            },
        })
    }
}
