//! Sections of the file that are taken as they are written.

use std::collections::BTreeMap;

use serde::Deserialize;

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct HubSection {
    pub(super) serve: Option<bool>,
    pub(super) listen: Option<String>,
}

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct ChordsSection {
    pub(super) picker: Option<String>,
    pub(super) place: Option<String>,
    pub(super) next: Option<String>,
    pub(super) gather: Option<String>,
    pub(super) pause: Option<String>,
}

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct PasteSection {
    pub(super) keys: BTreeMap<String, String>,
    pub(super) tidy: BTreeMap<String, String>,
    pub(super) put_back: Option<bool>,
}

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct PickerSection {
    pub(super) form: Option<String>,
    pub(super) command: Vec<String>,
}

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct DatabaseSection {
    pub(super) url: Option<String>,
}

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct LogSection {
    pub(super) level: Option<String>,
    pub(super) days: Option<usize>,
}

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct ActsSection {
    pub(super) grace_minutes: Option<f64>,
}

/// What a search does where nothing matches.
#[derive(Clone, Copy, Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct SearchSection {
    nearest: Option<bool>,
}

impl SearchSection {
    /// What comes nearest is shown.
    pub(super) fn nearest(&self) -> bool {
        self.nearest.unwrap_or(true)
    }
}
