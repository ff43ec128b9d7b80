//! What of the file says how the console looks.

use serde::Deserialize;
use yadori_api::{Hours, Look, Theme};

/// Why it can't look so.
#[derive(Debug, thiserror::Error)]
pub enum LookError {
    /// No theme.
    #[error("`look.theme` is `{0}`; it must be system, light or dark")]
    Theme(String),
    /// No way of telling hours.
    #[error("`look.hours` is {0}; it must be 24 or 12")]
    Hours(u8),
}

/// The section as it is written.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct LookSection {
    theme: Option<String>,
    hours: Option<u8>,
}

impl LookSection {
    /// What holds.
    ///
    /// # Errors
    /// What is written makes no sense.
    pub(super) fn look(&self) -> Result<Look, LookError> {
        let theme = match self.theme.as_deref() {
            None | Some("system") => Theme::System,
            Some("light") => Theme::Light,
            Some("dark") => Theme::Dark,
            Some(other) => return Err(LookError::Theme(other.to_owned())),
        };
        let hours = match self.hours {
            None | Some(24) => Hours::Day,
            Some(12) => Hours::Half,
            Some(other) => return Err(LookError::Hours(other)),
        };
        Ok(Look { theme, hours })
    }
}
