//! The pictures of the picker's rows, as they were asked for.

use std::collections::{HashMap, HashSet};

use crate::graphics::Terminal;
use crate::pixels::Pixels;

/// Cells of a picture among rows.
pub(super) const THUMB: (u16, u16) = (22, 5);
/// The same where cells are painted: among rows, and for the whole. The service makes PNGs of this size.
const SMALL: u32 = 64;
const LARGE: u32 = 128;
/// Pixels of the longer side that are asked for.
#[derive(Clone, Copy, Debug)]
pub(super) struct Sizes {
    pub(super) small: u32,
    pub(super) large: u32,
}

impl Sizes {
    /// Where the terminal draws pictures itself, as many as it can show.
    pub(super) fn on(terminal: &Terminal) -> Self {
        if terminal.draws() {
            Self { small: terminal.most_in(THUMB), large: terminal.most() }
        } else {
            Self { small: SMALL, large: LARGE }
        }
    }
}

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
