//! The rows, as the rest of the program sees them.

use serde::{Deserialize, Serialize};
use yadori_core::{Clip, ClipId, ClipState, Digest, Facts, Micros};

/// A clip as it is recorded. Without facts it is a tombstone: floors, and nothing that was copied.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct ClipRow {
    /// Its id.
    pub id: ClipId,
    /// What devices agree on.
    pub state: ClipState,
    /// What can be told of it at a glance.
    pub facts: Option<Facts>,
    /// When this device first had it.
    pub received_at: Micros,
}

impl ClipRow {
    /// Every content its offers refer to.
    pub fn digests(&self) -> impl Iterator<Item = Digest> + '_ {
        self.state.offers.iter().flat_map(|offer| offer.value.representations.iter().map(|one| one.digest))
    }

    /// As a clip of the history; `None` for tombstones.
    pub fn into_clip(self) -> Option<Clip> {
        Some(Clip {
            id: self.id,
            state: self.state,
            facts: self.facts?,
            received_at: self.received_at,
            saved: true,
        })
    }
}

impl From<&Clip> for ClipRow {
    fn from(clip: &Clip) -> Self {
        Self {
            id: clip.id,
            state: clip.state.clone(),
            facts: Some(clip.facts.clone()),
            received_at: clip.received_at,
        }
    }
}

/// One thing a person did that can be taken back.
#[derive(Clone, Debug)]
pub struct ActRow {
    /// 16 random bytes.
    pub id: [u8; 16],
    /// When.
    pub at: Micros,
    /// The word for it, e.g. `remove`.
    pub kind: String,
    /// What is needed to take it back, as JSON.
    pub payload: Vec<u8>,
    /// The contents it needs for that.
    pub holds: Vec<Digest>,
    /// When it was taken back.
    pub undone_at: Option<Micros>,
    /// It holds nothing that was removed, and so outlives the grace period.
    pub lasting: bool,
    /// The id of its first clip, or of its drawer, in words.
    pub subject: Option<String>,
    /// How many clips it touched.
    pub clips: u32,
}

/// An act that was taken back, made again, or lost a part of what it knew.
#[derive(Clone, Debug)]
pub struct TurnedAct {
    /// Which.
    pub id: [u8; 16],
    /// What is needed to turn it the other way.
    pub payload: Vec<u8>,
    /// When it was taken back; `None` when it was made again.
    pub undone_at: Option<Micros>,
}

/// A copy that was not kept.
#[derive(Clone, PartialEq, Eq)]
pub struct RefusalRow {
    /// When it was made.
    pub at: Micros,
    /// The word for why, e.g. `too-large`.
    pub reason: String,
    /// Its size in bytes, as far as that is known.
    pub size: Option<u64>,
    /// The program it came from.
    pub program: Option<String>,
}

impl std::fmt::Debug for RefusalRow {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "RefusalRow({}, {:?} bytes)", self.reason, self.size)
    }
}
