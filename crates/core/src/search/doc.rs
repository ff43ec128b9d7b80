//! What is known of a clip without looking at its text.

use crate::clip::facts::Kind;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;

pub(super) const PINNED: u8 = 1;
pub(super) const DRAWER: u8 = 2;
pub(super) const TITLED: u8 = 4;
pub(super) const EDITED: u8 = 8;
pub(super) const REPEATED: u8 = 16;
pub(super) const WHOLE: u8 = 32;
/// Its picture was looked at, and what was read in it is its last part.
pub(super) const READ: u8 = 64;
pub(super) const DEAD: u8 = 128;

/// What is known of a clip without looking at its text.
#[derive(Clone, Debug)]
pub(super) struct Doc {
    pub(super) id: ClipId,
    /// By which it is ordered.
    pub(super) at: Micros,
    /// For the person.
    pub(super) copied_at: Micros,
    pub(super) size: [u8; SIZE],
    pub(super) program: u32,
    pub(super) forms: u32,
    pub(super) drawer: u32,
    pub(super) devices: u32,
    pub(super) kind: Kind,
    pub(super) color: u8,
    pub(super) flags: u8,
}

/// There may be a million of them.
const _: () = assert!(size_of::<Doc>() <= 56);

/// Bytes of a size: as much as a limit may be.
const SIZE: usize = 5;

/// A size as it is held; one that is greater than can be held is the greatest.
pub(super) fn held_size(size: u64) -> [u8; SIZE] {
    let [a, b, c, d, e, ..] = size.min((1 << (8 * SIZE)) - 1).to_le_bytes();
    [a, b, c, d, e]
}

impl Doc {
    pub(super) fn size(&self) -> u64 {
        let [a, b, c, d, e] = self.size;
        u64::from_le_bytes([a, b, c, d, e, 0, 0, 0])
    }

    pub(super) fn key(&self) -> (Micros, ClipId) {
        (self.at, self.id)
    }

    pub(super) fn is(&self, flag: u8) -> bool {
        self.flags & flag != 0
    }
}
