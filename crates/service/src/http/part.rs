//! A part of a list.

use serde::Deserialize;
use utoipa::IntoParams;

use crate::http::Failure;

/// Things of a list at most.
const MOST: usize = 500;

/// How many are wanted: as many as usual where it is not said, and no more than most.
pub(super) fn limited(limit: Option<usize>, usual: usize, most: usize) -> Result<usize, Failure> {
    let limit = limit.unwrap_or(usual);
    if limit == 0 || limit > most {
        return Err(Failure::invalid(format!("`limit` must be between 1 and {most}")));
    }
    Ok(limit)
}

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
