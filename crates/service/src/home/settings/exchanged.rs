//! What of the file says what is exchanged with other devices.

use serde::Deserialize;
use yadori_core::exchange::{Travels, TravelsError};

/// The section as it is written.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct ExchangeSection {
    travels: Option<String>,
    follow: Option<bool>,
    wipe: Option<bool>,
}

/// What is exchanged with other devices.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Exchanged {
    /// What is sent.
    pub travels: Travels,
    /// What was copied on another device goes to the live clipboard of this one.
    pub follow: bool,
    /// The history of this device goes for good when the device is struck off.
    pub wipe: bool,
}

impl Default for Exchanged {
    fn default() -> Self {
        Self { travels: Travels::default(), follow: true, wipe: false }
    }
}

/// What holds.
pub(super) fn exchanged(section: &ExchangeSection) -> Result<Exchanged, TravelsError> {
    Ok(Exchanged {
        travels: section.travels.as_deref().map_or(Ok(Travels::Everything), str::parse)?,
        follow: section.follow.unwrap_or(true),
        wipe: section.wipe.unwrap_or(false),
    })
}
