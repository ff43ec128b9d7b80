//! A clip that lives in memory alone, as the writer holds it.

use yadori_core::{ClipId, Micros};

use crate::writer::change::Capture;

/// One of them.
#[derive(Debug)]
pub(super) struct Fleeting {
    /// Its id while it lives in memory.
    pub(super) id: ClipId,
    /// When it ends, by the steady clock.
    pub(super) ends: Micros,
    /// What it is.
    pub(super) capture: Capture,
}
