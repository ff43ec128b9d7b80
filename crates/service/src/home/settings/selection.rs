//! What of the file says what is done with what is selected and not copied.

use serde::Deserialize;

/// The section as it is written.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct SelectionSection {
    keep: Option<bool>,
}

impl SelectionSection {
    /// It is recorded as copies are, where that is wished.
    pub(super) fn keep(&self) -> bool {
        self.keep.unwrap_or(false)
    }
}
