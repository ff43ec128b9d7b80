//! What of the file says what is done with pictures.

use serde::Deserialize;

/// The section as it is written.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct PicturesSection {
    read: Option<bool>,
}

impl PicturesSection {
    /// Words in pictures are read, where there is a program for it.
    pub(super) fn read(&self) -> bool {
        self.read.unwrap_or(true)
    }
}
