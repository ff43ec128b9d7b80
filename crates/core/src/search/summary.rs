//! What is so of some document of a block at all: blocks of which none can match are passed over without a look at their documents.
//! What has gone may still be said, until the block is made anew: a summary is never too narrow.

use crate::clip::time::Micros;
use crate::search::doc::Doc;

/// Of a block's documents.
#[derive(Clone, Copy, Debug)]
pub(super) struct Summary {
    /// A bit for each of these that some document has; of numbered values a bit for each remainder of 64.
    pub(super) kinds: u8,
    pub(super) flags: u8,
    pub(super) colors: u8,
    pub(super) programs: u64,
    pub(super) forms: u64,
    pub(super) drawers: u64,
    pub(super) devices: u64,
    /// The least and the greatest.
    pub(super) copied_at: (Micros, Micros),
    pub(super) sizes: (u64, u64),
}

impl Default for Summary {
    /// Of no documents.
    fn default() -> Self {
        let (kinds, flags, colors, programs, forms, drawers, devices) = (0, 0, 0, 0, 0, 0, 0);
        let (copied_at, sizes) = ((Micros::MAX, Micros::MIN), (u64::MAX, 0));
        Self { kinds, flags, colors, programs, forms, drawers, devices, copied_at, sizes }
    }
}

/// The bit of a numbered value.
pub(super) fn bit(number: u32) -> u64 {
    1 << (number % 64)
}

/// The bits of some numbered values.
pub(super) fn bits(set: &[bool]) -> u64 {
    (0..).zip(set).filter(|(_, on)| **on).fold(0, |all, (number, _)| all | bit(number))
}

/// The bit of a color; none has none.
pub(super) fn color_bit(color: u8) -> u8 {
    1u8.checked_shl(color.into()).unwrap_or(0)
}

impl Summary {
    /// One document more.
    pub(super) fn add(&mut self, doc: &Doc) {
        self.kinds |= 1 << doc.kind as u8;
        self.flags |= doc.flags;
        self.colors |= color_bit(doc.color);
        self.programs |= bit(doc.program);
        self.forms |= bit(doc.forms);
        self.drawers |= bit(doc.drawer);
        self.devices |= bit(doc.devices);
        self.copied_at = (self.copied_at.0.min(doc.copied_at), self.copied_at.1.max(doc.copied_at));
        self.sizes = (self.sizes.0.min(doc.size()), self.sizes.1.max(doc.size()));
    }
}
