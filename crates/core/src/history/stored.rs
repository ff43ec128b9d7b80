//! A clip as it stands in the history, and as it is recorded, whether it is in the history or not.

use serde::{Deserialize, Serialize};

use crate::clip::content::Digest;
use crate::clip::facts::Facts;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;
use crate::merge::clip::ClipState;

/// A clip as this device holds it.
#[derive(Clone, Debug)]
pub struct Clip {
    /// Its id.
    pub id: ClipId,
    /// What devices agree on.
    pub state: ClipState,
    /// What can be told of it at a glance.
    pub facts: Facts,
    /// The time by which this device orders it: that of the copy, but always after what this device saw before.
    pub ordered_at: Micros,
    /// Where it is held.
    pub held: Held,
}

/// Where a clip is held.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Held {
    /// In the records.
    #[default]
    Recorded,
    /// In memory, until it can be recorded.
    Waiting,
    /// In memory alone, on purpose: it is never recorded, sent or exported, and ends at this moment.
    Fleeting {
        /// When.
        until: Micros,
    },
}

impl Clip {
    /// When it was copied, for the person.
    pub fn copied_at(&self) -> Micros {
        self.state.copied_at().unwrap_or(self.ordered_at)
    }

    /// It lives in memory only, and ends by itself.
    pub fn is_fleeting(&self) -> bool {
        matches!(self.held, Held::Fleeting { .. })
    }

    /// It was recognised as a secret, or a rule masks it.
    pub fn is_secret(&self) -> bool {
        self.facts.secret.is_some()
    }
}

/// A clip as it is recorded. Without facts it is a tombstone: floors, and nothing that was copied.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct StoredClip {
    /// Its id.
    pub id: ClipId,
    /// What devices agree on.
    pub state: ClipState,
    /// What can be told of it at a glance.
    pub facts: Option<Facts>,
    /// The time by which this device orders it.
    #[serde(alias = "received_at")]
    pub ordered_at: Micros,
}

impl StoredClip {
    /// Every content its offers refer to.
    pub fn digests(&self) -> impl Iterator<Item = Digest> + '_ {
        self.state.offers.iter().flat_map(|offer| offer.value.representations.iter().map(|one| one.digest))
    }

    /// It is in the history.
    pub fn is_there(&self) -> bool {
        self.facts.is_some() && self.state.is_there()
    }

    /// As a clip of the history; `None` when it is not in the history.
    pub fn into_clip(self) -> Option<Clip> {
        if !self.state.is_there() {
            return None;
        }
        let (mut state, facts) = (self.state, self.facts?);
        state.say_pinned_with();
        Some(Clip { id: self.id, state, facts, ordered_at: self.ordered_at, held: Held::Recorded })
    }
}

impl From<Clip> for StoredClip {
    fn from(Clip { id, state, facts, ordered_at, held: _ }: Clip) -> Self {
        Self { id, state, facts: Some(facts), ordered_at }
    }
}

impl From<&Clip> for StoredClip {
    fn from(clip: &Clip) -> Self {
        Self {
            id: clip.id,
            state: clip.state.clone(),
            facts: Some(clip.facts.clone()),
            ordered_at: clip.ordered_at,
        }
    }
}
