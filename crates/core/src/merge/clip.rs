//! The state of a clip as devices exchange and merge it: stamped last-writer-wins registers, counts per device, and
//! floors. Merging is commutative, associative and idempotent.
//!
//! A *removal* is a floor: it voids whatever is stamped at or before it, so that a clip copied again comes back fresh.
//! A *clear* is a floor that is void while the merged clip is pinned. Floors only grow.

use serde::{Deserialize, Serialize};

use crate::clip::color::Color;
use crate::clip::content::Digest;
use crate::clip::device::DeviceId;
use crate::clip::id::ClipId;
use crate::clip::offer::Source;
use crate::clip::time::Micros;
use crate::merge::per_device::PerDevice;
use crate::merge::register::{Written, above, newest};
use crate::merge::stamp::Stamp;

/// The newest offer and up to three earlier distinct ones; beside them the one that a pinned clip was pinned with.
pub const OFFERS_KEPT: usize = 4;

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
#[derive(Clone, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct OfferRecord {
    /// All representations, in the order offered.
    pub representations: Vec<RepresentationRecord>,
    /// Names under which it is handed back as well, although their bytes are not kept (see [`crate::Offer::also`]).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub also: Vec<String>,
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

/// The register of [`Kept`], with the moment since which the clip has been kept without a break: moving it within or
/// between places leaves that as it is, and what was offered later does not replace what it was pinned with.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Keeping {
    /// When this was written.
    pub at: Stamp,
    /// Whether and where it is kept.
    pub value: Kept,
    /// Since when; `at` when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Stamp>,
    /// The offer that it was pinned with, by its stamp: it stays, whatever is offered since. Absent in what earlier
    /// versions wrote: the newest that is not newer than `since`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub with: Option<Stamp>,
}

/// Everything that devices agree on about one clip.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct ClipState {
    /// Offers, newest first.
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
    pub kept: Option<Keeping>,
    /// The clip that this one was edited from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_from: Option<Written<Option<ClipId>>>,
    /// Copies by device.
    #[serde(default)]
    pub copies: PerDevice<Copies>,
    /// The removal floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removed: Option<Stamp>,
    /// The clear floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cleared: Option<Stamp>,
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
            self.offers.insert(0, Written { at: stamp, value: offer });
        }
        let at = self.copied_at().map_or(at, |known| known.max(at));
        self.copied_at = Some(Written { at: stamp, value: at });
        self.copies.of(stamp.device).ever += 1;
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

    /// It is kept in a place, or not any more.
    pub fn keep(&mut self, value: Kept, at: Stamp) {
        let before = self.kept.as_ref().filter(|before| before.value != Kept::No && value != Kept::No);
        let since = before.and_then(Keeping::since);
        let with = before.and_then(|before| before.with);
        let shown = || self.shown_offers().first().map(|one| one.at);
        let with = with.or_else(shown).filter(|_| value != Kept::No);
        self.kept = Some(Keeping { at, value, since, with });
        self.settle();
    }

    /// Offers come back, the newest last in `offers`' order reversed: the first one is the one that is shown.
    pub fn offer_again(&mut self, offers: &[OfferRecord], mut stamp: impl FnMut() -> Stamp) {
        for offer in offers.iter().rev() {
            self.offers.insert(0, Written { at: stamp(), value: offer.clone() });
        }
        self.settle();
    }

    /// Makes the number of copies what it was: more of this device's count, or fewer do.
    pub fn count_as(&mut self, wanted: u64, device: DeviceId) {
        let now = self.times_copied();
        let own = self.copies.of(device);
        if wanted > now {
            own.ever += wanted - now;
        } else if wanted < now {
            own.removed = own.ever.min(own.removed.max(own.cleared) + (now - wanted));
        }
    }

    /// Merges what another device (or an older row of this one) knows.
    pub fn merge(&mut self, other: &ClipState) {
        self.offers.extend(other.offers.iter().cloned());
        newest(&mut self.copied_at, &other.copied_at);
        newest(&mut self.title, &other.title);
        newest(&mut self.color, &other.color);
        newest(&mut self.kept, &other.kept);
        newest(&mut self.made_from, &other.made_from);
        for (device, theirs) in other.copies.iter() {
            let ours = self.copies.of(device);
            ours.ever = ours.ever.max(theirs.ever);
            ours.removed = ours.removed.max(theirs.removed);
            ours.cleared = ours.cleared.max(theirs.cleared);
        }
        self.removed = self.removed.max(other.removed);
        self.cleared = self.cleared.max(other.cleared);
        self.settle();
    }

    /// Brings the state into its one normal form: removed values dropped, offers newest first, of each the newest, and no
    /// more than are kept. That is the same whether it is done before a merge or after it.
    fn settle(&mut self) {
        let floor = self.removed;
        self.offers.retain(|one| Some(one.at) > floor);
        self.offers.sort_unstable_by(|a, b| b.cmp(a));
        self.offers.dedup();
        fn drop_void<T>(own: &mut Option<Written<T>>, floor: Option<Stamp>) {
            if own.as_ref().is_some_and(|one| Some(one.at) <= floor) {
                *own = None;
            }
        }
        drop_void(&mut self.copied_at, floor);
        drop_void(&mut self.title, floor);
        drop_void(&mut self.color, floor);
        drop_void(&mut self.made_from, floor);
        if self.kept.as_ref().is_some_and(|one| Some(one.at) <= floor) {
            self.kept = None;
        }
        self.settle_offers();
    }

    fn settle_offers(&mut self) {
        if self.offers.len() < 2 {
            return;
        }
        let with = self.kept.as_ref().filter(|kept| kept.value != Kept::No).and_then(|kept| kept.with);
        let mut newest: Vec<Written<OfferRecord>> =
            Vec::with_capacity(self.offers.len().min(OFFERS_KEPT + 1));
        let mut distinct = 0;
        for one in std::mem::take(&mut self.offers) {
            let known = |kept: &Written<OfferRecord>| kept.value.representations == one.value.representations;
            if distinct < OFFERS_KEPT && !newest.iter().any(known) {
                distinct += 1;
                newest.push(one);
            } else if Some(one.at) == with && newest.iter().all(|kept| kept.at != one.at) {
                // One alone, the greatest: a disk that was replaced by an older copy may have given a stamp twice.
                newest.push(one);
            }
        }
        self.offers = newest;
    }

    /// What an earlier version wrote of a pinned clip does not say which offer it was pinned with: it is said from now on.
    pub fn say_pinned_with(&mut self) {
        let with = self.pinned_with();
        if let Some(kept) = self.kept.as_mut().filter(|kept| kept.value != Kept::No && kept.with.is_none()) {
            kept.with = with;
        }
    }

    /// The stamp of the offer that it is pinned with.
    fn pinned_with(&self) -> Option<Stamp> {
        let kept = self.kept.as_ref()?;
        let since = kept.since()?;
        kept.with.or_else(|| self.offers.iter().map(|one| one.at).find(|at| *at <= since))
    }

    /// The floor in force: removals always, clears unless pinned.
    fn floor(&self) -> Option<Stamp> {
        if self.is_pinned() { self.removed } else { self.removed.max(self.cleared) }
    }

    /// The offers that are shown: the one that a take hands back first, then the others, newest first.
    pub fn shown_offers(&self) -> Vec<&Written<OfferRecord>> {
        let floor = self.floor();
        let mut shown: Vec<_> = self.offers.iter().filter(|one| Some(one.at) > floor).collect();
        // A pinned clip keeps the offer it was pinned with, whatever other devices were offered since.
        if self.is_pinned() {
            let with = self.pinned_with();
            let pinned_with = shown.iter().position(|one| Some(one.at) == with);
            if let Some(at) = pinned_with.or(shown.len().checked_sub(1)) {
                shown[..=at].rotate_right(1);
            }
            // The same once more, offered later, is no earlier offer.
            if let Some(first) = shown.first().map(|one| &one.value.representations) {
                let mut place = 0;
                shown.retain(|one| {
                    place += 1;
                    place == 1 || one.value.representations != *first
                });
            }
        }
        shown
    }

    /// The offer that a take hands back. `None` when the clip is removed, cleared or unknown: it is not in the history.
    pub fn offer(&self) -> Option<&OfferRecord> {
        self.shown_offers().first().map(|one| &one.value)
    }

    /// True when it is in the history.
    pub fn is_there(&self) -> bool {
        let floor = self.floor();
        self.offers.first().is_some_and(|newest| Some(newest.at) > floor)
    }

    /// When it was last copied.
    pub fn copied_at(&self) -> Option<Micros> {
        above(&self.copied_at, self.floor()).copied()
    }

    /// The name a person gave it.
    pub fn title(&self) -> Option<&str> {
        above(&self.title, self.floor()).and_then(|title| title.as_deref())
    }

    /// The color a person gave it.
    pub fn color(&self) -> Option<Color> {
        above(&self.color, self.floor()).copied().flatten()
    }

    /// The clip that this one was edited from.
    pub fn made_from(&self) -> Option<ClipId> {
        above(&self.made_from, self.floor()).copied().flatten()
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
        self.stamps().max()
    }

    /// Every stamp in it.
    pub fn stamps(&self) -> impl Iterator<Item = Stamp> + '_ {
        let registers = [
            self.copied_at.as_ref().map(|one| one.at),
            self.title.as_ref().map(|one| one.at),
            self.color.as_ref().map(|one| one.at),
            self.kept.as_ref().map(|one| one.at),
            self.made_from.as_ref().map(|one| one.at),
            self.removed,
            self.cleared,
        ];
        self.offers.iter().map(|one| Some(one.at)).chain(registers).flatten()
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

impl Keeping {
    /// Since when it has been kept; `None` when it is not.
    pub fn since(&self) -> Option<Stamp> {
        (self.value != Kept::No).then(|| self.since.unwrap_or(self.at))
    }
}

#[cfg(test)]
mod tests;
