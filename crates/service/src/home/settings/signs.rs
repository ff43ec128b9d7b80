//! What of the file says how Yadori shows that it is there.

use serde::Deserialize;

/// The section as it is written.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct SignsSection {
    indicator: Option<bool>,
    lamp: Option<bool>,
    trouble: Option<bool>,
    copies: Option<bool>,
    sound: Option<bool>,
}

/// How it shows that it is there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Signs {
    /// A lamp among the desktop's indicators, where it has a place for them.
    pub indicator: bool,
    /// A lamp as a small window of its own.
    pub lamp: bool,
    /// A notification when copies are not kept any more.
    pub trouble: bool,
    /// A notification at each copy.
    pub copies: bool,
    /// A sound at each copy.
    pub sound: bool,
}

impl Default for Signs {
    fn default() -> Self {
        Self { indicator: true, lamp: false, trouble: true, copies: false, sound: false }
    }
}

impl SignsSection {
    /// What holds.
    pub(super) fn signs(&self) -> Signs {
        let usual = Signs::default();
        Signs {
            indicator: self.indicator.unwrap_or(usual.indicator),
            lamp: self.lamp.unwrap_or(usual.lamp),
            trouble: self.trouble.unwrap_or(usual.trouble),
            copies: self.copies.unwrap_or(usual.copies),
            sound: self.sound.unwrap_or(usual.sound),
        }
    }
}
