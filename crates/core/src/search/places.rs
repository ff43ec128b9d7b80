//! Where each document is, by its id. The ids stand with the documents, and there alone: of a million clips they are a good part
//! of what is kept beside the texts.

use std::hash::{BuildHasher, RandomState};

use hashbrown::HashTable;

use super::texts::{Spot, Texts};
use crate::clip::id::ClipId;

/// The spots of documents, found by their ids.
#[derive(Default)]
pub(super) struct Places {
    spots: HashTable<Spot>,
    hasher: RandomState,
}

impl Places {
    pub(super) fn len(&self) -> usize {
        self.spots.len()
    }

    pub(super) fn reserve(&mut self, more: usize, texts: &Texts) {
        let Self { spots, hasher } = self;
        spots.reserve(more, |spot| hasher.hash_one(texts.id_at(*spot)));
    }

    pub(super) fn get(&self, id: ClipId, texts: &Texts) -> Option<Spot> {
        self.spots.find(self.hasher.hash_one(id), |spot| texts.id_at(*spot) == id).copied()
    }

    /// Puts one that is not there.
    pub(super) fn put(&mut self, id: ClipId, spot: Spot, texts: &Texts) {
        let Self { spots, hasher } = self;
        spots.insert_unique(hasher.hash_one(id), spot, |spot| hasher.hash_one(texts.id_at(*spot)));
    }

    pub(super) fn take(&mut self, id: ClipId, texts: &Texts) -> Option<Spot> {
        let found = self.spots.find_entry(self.hasher.hash_one(id), |spot| texts.id_at(*spot) == id);
        found.ok().map(|entry| entry.remove().0)
    }
}
