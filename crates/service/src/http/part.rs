//! A part of a list.

use serde::Deserialize;
use utoipa::IntoParams;

/// Things of a list at most.
const MOST: usize = 500;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(super) struct Part {
    /// Begin after so many
    #[serde(default)]
    pub(super) skip: usize,
    /// How many, at most 500
    limit: Option<usize>,
}

impl Part {
    /// How many are wanted.
    pub(super) fn limit(&self) -> usize {
        self.limit.unwrap_or(MOST).min(MOST)
    }
}
