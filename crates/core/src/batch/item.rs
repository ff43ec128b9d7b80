//! What is in a batch. An item has a content of its own: it stays what it is, whatever becomes of the clip it came from.

use serde::{Deserialize, Serialize};

use crate::clip::content::Digest;
use crate::clip::facts::Facts;
use crate::clip::id::ClipId;
use crate::merge::clip::OfferRecord;

/// Something that is to go into a batch.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Piece {
    /// Which of several records it belongs to: pieces of one record follow each other.
    #[serde(default)]
    pub record: u32,
    /// What it is called there: the name of a field.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// The clip it came from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<ClipId>,
    /// What it holds.
    pub offer: OfferRecord,
    /// What can be told of it at a glance.
    pub facts: Facts,
}

/// One thing in a batch. It never changes.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct Item {
    /// Its number in its batch: never used again there.
    pub id: u32,
    /// What it is.
    #[serde(flatten)]
    pub piece: Piece,
}

impl Item {
    /// Every content it needs.
    pub fn digests(&self) -> impl Iterator<Item = Digest> + '_ {
        self.piece.offer.representations.iter().map(|one| one.digest)
    }
}
