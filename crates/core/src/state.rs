//! The state of a clip as devices exchange and merge it: stamped last-writer-wins registers, counts per device, and
//! floors. Merging is commutative, associative and idempotent.
//!
//! A *removal* is a floor: it voids whatever is stamped at or before it, so that a clip copied again comes back fresh.
//! A *clear* is a floor that is void while the merged clip is pinned. Floors only grow.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::{ClipId, DeviceId, Digest, Micros, Source, Stamp};

/// The newest offer and up to three earlier distinct ones.
pub const OFFERS_KEPT: usize = 4;

/// A value and when it was written.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Written<T> {
    /// When, and by which device.
    pub at: Stamp,
    /// What.
    pub value: T,
}

/// One representation as it is recorded: its bytes are stored once under their digest.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct RepresentationRecord {
    /// MIME type or the source program's name for it.
    pub mime: String,
    /// Length in bytes.
    pub size: u64,
    /// Where its bytes are.
    pub digest: Digest,
}

/// An offer as it is recorded.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct OfferRecord {
    /// All representations, in the order offered.
    pub representations: Vec<RepresentationRecord>,
    /// Where it came from.
    pub source: Source,
}

/// Whether and where a clip is kept. One register, so that a clip is in one place.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Kept {
    /// An ordinary clip, subject to limits and clearing.
    No,
    /// A favorite, by rank (a fractional key that sorts as text).
    Favorite(String),
    /// In a drawer, by rank.
    Drawer {
        /// The drawer's id.
        drawer: String,
        /// The place inside it.
        rank: String,
    },
}

/// A color a person gave a clip.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[expect(missing_docs, reason = "the names are the colors")]
pub enum Color {
    Blue,
    Green,
    Amber,
    Red,
    Violet,
    Teal,
}

/// How often one device copied the clip: ever, and how much of that the floors void.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Copies {
    /// Copies ever made; only grows.
    pub ever: u64,
    /// What `ever` was at the newest removal.
    #[serde(default)]
    pub removed: u64,
    /// What `ever` was at the newest clear.
    #[serde(default)]
    pub cleared: u64,
}

/// Everything that devices agree on about one clip.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ClipState {
    /// The newest offer first (the register), then earlier distinct ones.
    #[serde(default)]
    pub offers: Vec<Written<OfferRecord>>,
    /// When it was last copied.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub copied_at: Option<Written<Micros>>,
    /// A name a person gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<Written<Option<String>>>,
    /// A color a person gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Written<Option<Color>>>,
    /// Whether and where it is kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<Written<Kept>>,
    /// The clip that this one was edited from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_from: Option<Written<Option<ClipId>>>,
    /// Copies by device.
    #[serde(default)]
    pub copies: BTreeMap<DeviceId, Copies>,
    /// The removal floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removed: Option<Stamp>,
    /// The clear floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cleared: Option<Stamp>,
}

impl Color {
    /// All of them.
    pub const ALL: [Self; 6] = [Self::Blue, Self::Green, Self::Amber, Self::Red, Self::Violet, Self::Teal];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Blue => "blue",
            Self::Green => "green",
            Self::Amber => "amber",
            Self::Red => "red",
            Self::Violet => "violet",
            Self::Teal => "teal",
        }
    }
}

impl Kept {
    /// The drawer it is in.
    pub fn drawer(&self) -> Option<&str> {
        match self {
            Self::Drawer { drawer, .. } => Some(drawer),
            _ => None,
        }
    }

    /// Its place among its like.
    pub fn rank(&self) -> &str {
        match self {
            Self::No => "",
            Self::Favorite(rank) | Self::Drawer { rank, .. } => rank,
        }
    }
}

impl ClipState {
    /// A copy of this clip was made: the offer becomes the newest, unless the clip is pinned and keeps its own.
    pub fn capture(&mut self, offer: OfferRecord, at: Micros, stamp: Stamp) {
        if !self.is_pinned() || self.offer().is_none() {
            self.offers.push(Written { at: stamp, value: offer });
        }
        let at = self.copied_at().map_or(at, |known| known.max(at));
        self.copied_at = Some(Written { at: stamp, value: at });
        self.copies.entry(stamp.device).or_default().ever += 1;
        self.settle();
    }

    /// A person removed it: everything stamped so far is void.
    pub fn remove(&mut self, stamp: Stamp) {
        self.removed = self.removed.max(Some(stamp));
        for copies in self.copies.values_mut() {
            copies.removed = copies.ever;
        }
        self.settle();
    }

    /// It was cleared: void unless it is, or turns out to be, pinned.
    pub fn clear(&mut self, stamp: Stamp) {
        self.cleared = self.cleared.max(Some(stamp));
        for copies in self.copies.values_mut() {
            copies.cleared = copies.ever;
        }
        self.settle();
    }

    /// Takes a removal back: every value that `before` showed and that was not written since is written anew.
    /// `stamp` gives a new, larger stamp at each call.
    pub fn revive(&mut self, before: &ClipState, mut stamp: impl FnMut() -> Stamp) {
        if self.offer().is_none() {
            for offer in before.shown_offers().iter().rev() {
                self.offers.push(Written { at: stamp(), value: offer.value.clone() });
            }
        }
        fn write<T: Clone>(
            own: &mut Option<Written<T>>,
            value: Option<T>,
            stamp: &mut impl FnMut() -> Stamp,
        ) {
            if let (None, Some(value)) = (own.as_ref(), value) {
                *own = Some(Written { at: stamp(), value });
            }
        }
        let floor = self.floor();
        let void = |at: Option<Stamp>| at.is_some_and(|at| Some(at) <= floor);
        if void(self.copied_at.as_ref().map(|one| one.at)) {
            self.copied_at = None;
        }
        write(&mut self.copied_at, before.copied_at(), &mut stamp);
        write(&mut self.title, before.title().map(|title| Some(title.to_owned())), &mut stamp);
        write(&mut self.color, before.color().map(Some), &mut stamp);
        write(&mut self.kept, before.is_pinned().then(|| before.kept().clone()), &mut stamp);
        write(&mut self.made_from, before.made_from().map(Some), &mut stamp);
        let device = stamp().device;
        self.copies.entry(device).or_default().ever += before.times_copied();
        self.settle();
    }

    /// Takes a change back, or makes it again. `from` is the state as that change left it, `to` the state it shall be
    /// like: every register in which the two differ is written as in `to`, unless it was written since; a clip that
    /// `to` does not show is removed, unless it was copied since. `stamp` gives a new, larger stamp at each call.
    pub fn turn(&mut self, from: &ClipState, to: &ClipState, mut stamp: impl FnMut() -> Stamp) {
        match (from.offer().is_some(), to.offer().is_some()) {
            (false, true) => return self.revive(to, stamp),
            (true, false) if self.times_copied() <= from.times_copied() => return self.remove(stamp()),
            _ => {}
        }
        fn write<T: Clone + PartialEq>(
            own: &mut Option<Written<T>>,
            from: Option<&T>,
            to: Option<T>,
            stamp: &mut impl FnMut() -> Stamp,
        ) {
            // By value: what was taken back and made again in between has newer stamps and says the same.
            let untouched = own.as_ref().map(|one| &one.value) == from;
            if let Some(value) = to.filter(|to| untouched && from != Some(to)) {
                *own = Some(Written { at: stamp(), value });
            }
        }
        fn value<T>(one: &Option<Written<T>>) -> Option<&T> {
            one.as_ref().map(|one| &one.value)
        }
        write(&mut self.copied_at, value(&from.copied_at), to.copied_at(), &mut stamp);
        write(&mut self.title, value(&from.title), Some(to.title().map(str::to_owned)), &mut stamp);
        write(&mut self.color, value(&from.color), Some(to.color()), &mut stamp);
        write(&mut self.kept, value(&from.kept), Some(to.kept().clone()), &mut stamp);
        write(&mut self.made_from, value(&from.made_from), Some(to.made_from()), &mut stamp);
        self.settle();
    }

    /// Merges what another device (or an older row of this one) knows.
    pub fn merge(&mut self, other: &ClipState) {
        self.offers.extend(other.offers.iter().cloned());
        newest(&mut self.copied_at, &other.copied_at);
        newest(&mut self.title, &other.title);
        newest(&mut self.color, &other.color);
        newest(&mut self.kept, &other.kept);
        newest(&mut self.made_from, &other.made_from);
        for (device, theirs) in &other.copies {
            let ours = self.copies.entry(*device).or_default();
            ours.ever = ours.ever.max(theirs.ever);
            ours.removed = ours.removed.max(theirs.removed);
            ours.cleared = ours.cleared.max(theirs.cleared);
        }
        self.removed = self.removed.max(other.removed);
        self.cleared = self.cleared.max(other.cleared);
        self.settle();
    }

    /// Brings the state into its one normal form: removed values dropped, offers distinct, newest first and few.
    fn settle(&mut self) {
        let floor = self.removed;
        let above = |at: Stamp| Some(at) > floor;
        self.offers.retain(|one| above(one.at));
        self.offers.sort_unstable_by(|a, b| b.cmp(a));
        let mut distinct: Vec<Written<OfferRecord>> = Vec::with_capacity(self.offers.len());
        for one in self.offers.drain(..) {
            if distinct.len() < OFFERS_KEPT
                && !distinct.iter().any(|known| known.value.representations == one.value.representations)
            {
                distinct.push(one);
            }
        }
        self.offers = distinct;
        fn drop_void<T>(own: &mut Option<Written<T>>, floor: Option<Stamp>) {
            if own.as_ref().is_some_and(|one| Some(one.at) <= floor) {
                *own = None;
            }
        }
        drop_void(&mut self.copied_at, floor);
        drop_void(&mut self.title, floor);
        drop_void(&mut self.color, floor);
        drop_void(&mut self.kept, floor);
        drop_void(&mut self.made_from, floor);
    }

    /// The floor in force: removals always, clears unless pinned.
    fn floor(&self) -> Option<Stamp> {
        if self.is_pinned() { self.removed } else { self.removed.max(self.cleared) }
    }

    fn shown<'a, T>(&self, register: &'a Option<Written<T>>) -> Option<&'a T> {
        register.as_ref().filter(|one| Some(one.at) > self.floor()).map(|one| &one.value)
    }

    /// The offers that are shown: the register first.
    pub fn shown_offers(&self) -> &[Written<OfferRecord>] {
        let floor = self.floor();
        let end = self.offers.iter().position(|one| Some(one.at) <= floor).unwrap_or(self.offers.len());
        &self.offers[..end]
    }

    /// The offer that a take hands back. `None` when the clip is removed, cleared or unknown: it is not in the history.
    pub fn offer(&self) -> Option<&OfferRecord> {
        self.shown_offers().first().map(|one| &one.value)
    }

    /// When it was last copied.
    pub fn copied_at(&self) -> Option<Micros> {
        self.shown(&self.copied_at).copied()
    }

    /// The name a person gave it.
    pub fn title(&self) -> Option<&str> {
        self.shown(&self.title).and_then(|title| title.as_deref())
    }

    /// The color a person gave it.
    pub fn color(&self) -> Option<Color> {
        self.shown(&self.color).copied().flatten()
    }

    /// The clip that this one was edited from.
    pub fn made_from(&self) -> Option<ClipId> {
        self.shown(&self.made_from).copied().flatten()
    }

    /// Whether and where it is kept.
    pub fn kept(&self) -> &Kept {
        self.kept.as_ref().map_or(&Kept::No, |one| &one.value)
    }

    /// True for favorites and clips in drawers.
    pub fn is_pinned(&self) -> bool {
        !matches!(self.kept(), Kept::No)
    }

    /// How often it was copied, on all devices, since it was last removed.
    pub fn times_copied(&self) -> u64 {
        let pinned = self.is_pinned();
        let void = |one: &Copies| if pinned { one.removed } else { one.removed.max(one.cleared) };
        self.copies.values().map(|one| one.ever.saturating_sub(void(one))).sum()
    }

    /// The newest stamp anywhere in it: a change to the clip must exceed it.
    pub fn newest_stamp(&self) -> Option<Stamp> {
        let registers = [
            self.copied_at.as_ref().map(|one| one.at),
            self.title.as_ref().map(|one| one.at),
            self.color.as_ref().map(|one| one.at),
            self.kept.as_ref().map(|one| one.at),
            self.made_from.as_ref().map(|one| one.at),
            self.removed,
            self.cleared,
        ];
        self.offers.iter().map(|one| Some(one.at)).chain(registers).flatten().max()
    }

    /// What is left once a removed clip's grace period has ended: floors and counts, no content, title or source.
    pub fn tombstone(&self) -> ClipState {
        ClipState {
            removed: self.removed,
            cleared: self.cleared,
            copies: self.copies.clone(),
            ..ClipState::default()
        }
    }
}

fn newest<T: Clone + Ord>(own: &mut Option<Written<T>>, other: &Option<Written<T>>) {
    if other > own {
        own.clone_from(other);
    }
}

#[cfg(test)]
mod tests;
