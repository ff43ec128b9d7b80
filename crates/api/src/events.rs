//! What is sent to whoever listens at `/api/v1/events` (server-sent events). An event's id is `EPOCH-NUMBER`; given back
//! as `Last-Event-ID`, listening goes on after it, or begins with `reset` when that is no longer possible.

use serde::{Deserialize, Serialize};

use crate::{BatchesEvent, Refusal, Row, Status};

/// A clip is new, was copied again, or was saved.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ClipEvent {
    /// What a list shows of it, at its place now.
    pub row: Row,
    /// Its place before; absent when it was not in the history.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<u64>,
    /// The state of the history after this.
    pub revision: u64,
    /// It was copied, or brought in, just now; otherwise it changed or came back.
    #[serde(default)]
    pub copied: bool,
}

/// A clip has left the history.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct GoneEvent {
    /// Its id.
    pub id: String,
    /// Its place before.
    pub before: u64,
    /// The state of the history after this.
    pub revision: u64,
}

/// What is kept has changed. What became of each clip, its event tells.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct KeptEvent {
    /// Drawers that were made, changed or removed themselves, or whose headings were.
    pub drawers: Vec<String>,
}

/// One event; the name is the SSE event name.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(tag = "event", rename_all = "lowercase")]
pub enum Event {
    /// A clip is new, was copied again, or was saved.
    Clip(Box<ClipEvent>),
    /// A clip has left the history.
    Gone(GoneEvent),
    /// Capture, database or live clipboard have changed.
    Status(Box<Status>),
    /// A copy was not kept.
    Refused(Refusal),
    /// Drawers, favorites or their order have changed.
    Kept(KeptEvent),
    /// Batches have changed, or were handed out.
    Batches(Box<BatchesEvent>),
    /// Forget everything and read the history anew.
    Reset,
}

impl Event {
    /// The SSE event name.
    pub fn name(&self) -> &'static str {
        match self {
            Self::Clip(_) => "clip",
            Self::Gone(_) => "gone",
            Self::Status(_) => "status",
            Self::Refused(_) => "refused",
            Self::Kept(_) => "kept",
            Self::Batches(_) => "batches",
            Self::Reset => "reset",
        }
    }
}
