//! The history: in pages, and in outline.

use serde::{Deserialize, Serialize};

use crate::Row;

/// A part of the history, newest first.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Page {
    /// The clips.
    pub clips: Vec<Row>,
    /// How many there are in all.
    pub total: u64,
    /// The state of the history this was read from; grows with every change.
    pub revision: u64,
    /// Give this as `after` to go on where this page ends, whatever arrives meanwhile. Absent at the end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<String>,
    /// The history is still being read after a start: there is more of it than `total`, and it ends at none of these.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub reading: bool,
}

/// A part of the history in outline, newest first: enough to lay a list of any length out and to part it into sittings.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Outline {
    /// The ids, 26 characters each, one after another without separators.
    pub ids: String,
    /// A character per clip: `t`ext, `l`ink, `i`mage, `f`iles, `p` for files that can be shown as a picture.
    pub kinds: String,
    /// When each was copied, in whole seconds since the epoch: the first one, then how much earlier each next one is
    /// (negative where arrival rather than copying decides the order).
    pub times: Vec<i64>,
    /// The state of the history this was read from.
    pub revision: u64,
    /// Which run of the service the revision belongs to.
    pub epoch: String,
    /// How many clips there are in all.
    pub total: u64,
    /// Give this as `after` to go on where this part ends. Absent at the end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<String>,
    /// The history is still being read after a start: there is more of it than `total`.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub reading: bool,
}

/// Rows by id are asked for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RowsRequest {
    /// At most 500 ids.
    pub ids: Vec<String>,
}

/// Rows by id; ids that are gone are left out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RowsById {
    /// The rows, in the order asked for.
    pub clips: Vec<Row>,
}
