//! The moment at which something is planned: the time, and the clock that stamps what is written.

use crate::clip::time::Micros;
use crate::merge::register::Written;
use crate::merge::stamp::{HybridClock, Stamp};

/// Now, and this device's clock.
#[derive(Debug)]
pub struct Moment<'c> {
    /// The time.
    pub now: Micros,
    /// Gives out the stamps.
    pub clock: &'c mut HybridClock,
}

impl Moment<'_> {
    /// A stamp that exceeds `subject`, the newest stamp of what is being changed.
    pub fn stamp(&mut self, subject: Option<Stamp>) -> Stamp {
        self.clock.tick(u64::try_from(self.now / 1_000).unwrap_or(0), subject)
    }

    /// A register that holds `value` from now on.
    pub fn write<T>(&mut self, subject: Option<Stamp>, value: T) -> Option<Written<T>> {
        Some(Written { at: self.stamp(subject), value })
    }
}
