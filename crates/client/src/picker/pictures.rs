//! The pictures of the picker's rows, as they were asked for.

use std::collections::{HashMap, HashSet};

use crate::pixels::Pixels;

/// Cells of a picture among rows.
pub(super) const THUMB: (u16, u16) = (22, 5);
/// Pixels of the longer side that are asked for: among rows, and for the whole. The service makes PNGs of this size.
pub(super) const SMALL: u32 = 64;
pub(super) const LARGE: u32 = 128;
/// Pictures that are kept at hand.
const MOST: usize = 200;

/// The pictures that are known, by clip.
#[derive(Default)]
pub(super) struct Pictures {
    known: HashMap<String, Pixels>,
    asked: HashSet<String>,
}

impl Pictures {
    /// True for one that nobody has asked for yet.
    pub(super) fn wants(&mut self, id: &str) -> bool {
        if self.asked.len() >= MOST {
            self.asked.clear();
            self.known.clear();
        }
        self.asked.insert(id.to_owned())
    }

    pub(super) fn put(&mut self, id: String, pixels: Pixels) {
        self.known.insert(id, pixels);
    }

    pub(super) fn get(&self, id: &str) -> Option<&Pixels> {
        self.known.get(id)
    }
}
