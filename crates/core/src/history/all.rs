//! The history in memory: all clips of this device, newest first, found by place, by id, and by the beginning of an id.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::ops::Bound;
use std::sync::Arc;

use crate::batch::Batches;
use crate::clip::id::{ClipId, prefix_range};
use crate::clip::time::Micros;
use crate::history::address::{Address, reads_as_id};
use crate::history::drawers::Drawers;
use crate::history::order::Order;
use crate::history::packed::{Outlined, Packed, Packing};
use crate::history::stored::{Clip, StoredClip};
use crate::history::tally::Tallies;
use crate::merge::clip::Kept;

/// The shortest prefix of an id that is shown.
pub const SHORTEST_PREFIX: usize = 4;
/// The shortest while not all clips are known: 50 bits, which name one of a million but once in a thousand times.
const SAFE_PREFIX: usize = 10;

/// Where a change left a clip.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Placed {
    /// Its place before, if it was in the history.
    pub before: Option<usize>,
    /// Its place now, if it is in the history.
    pub now: Option<usize>,
}

/// Why an address names no clip.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Unresolved {
    /// No clip there. Carries how many clips there are.
    None {
        /// Clips in the history.
        clips: usize,
    },
    /// Several ids begin so. Carries the shortest prefixes that tell them apart, at most six.
    Several(Vec<String>),
}

/// All clips of this device. Places count from 1, the newest. They are held packed: whoever asks for one gets it as it is at
/// that moment.
#[derive(Debug, Default)]
pub struct History {
    clips: BTreeMap<ClipId, Packed>,
    order: Order,
    /// What is kept, by place kept and rank.
    kept: BTreeSet<(Kept, ClipId)>,
    /// What is left of clips that are not there: floors and counts.
    gone: HashMap<ClipId, Packed>,
    packing: Packing,
    drawers: Arc<Drawers>,
    batches: Batches,
    tallies: Tallies,
    /// The newest clips alone are here, and there are others.
    partial: bool,
    revision: u64,
}

impl History {
    /// How many clips there are.
    pub fn len(&self) -> usize {
        self.order.len()
    }

    /// True when nothing was copied yet, or nothing was kept.
    pub fn is_empty(&self) -> bool {
        self.order.is_empty()
    }

    /// Grows with every change.
    pub fn revision(&self) -> u64 {
        self.revision
    }

    /// Fills the history at start; `clips` in any order. Faster than putting them one by one. What is there already
    /// stays.
    pub fn load(&mut self, clips: impl IntoIterator<Item = StoredClip>) {
        self.add(clips);
        self.put_in_order();
    }

    /// The newest clips are there before the others: until all of them are, what names one here may name several.
    pub fn load_newest(&mut self, clips: impl IntoIterator<Item = StoredClip>) {
        self.partial = true;
        self.load(clips);
    }

    /// Adds clips without putting them in order yet: [`History::put_in_order`] does that for all of them.
    pub fn add(&mut self, clips: impl IntoIterator<Item = StoredClip>) {
        for stored in clips {
            let id = stored.id;
            if stored.state.is_there() && stored.facts.is_some() {
                if !self.clips.contains_key(&id)
                    && let Some(clip) = stored.into_clip()
                {
                    self.hold(&clip);
                }
            } else if !self.gone.contains_key(&id) {
                let packed = self.packing.pack_state(&stored.state);
                self.gone.insert(id, packed);
            }
        }
    }

    /// Puts everything in order, after [`History::add`].
    pub fn put_in_order(&mut self) {
        self.order = Order::of(self.clips.iter().map(|(id, clip)| (clip.ordered_at(), *id)));
        self.revision += 1;
    }

    /// How many clips limits count, and their bytes.
    pub fn tallies(&self) -> &Tallies {
        &self.tallies
    }

    /// All clips, oldest first.
    pub fn oldest_first(&self) -> impl Iterator<Item = Arc<Clip>> {
        self.order.from(0).filter_map(|(_, id)| self.get(*id))
    }

    /// The same from behind a clip that was seen last, be it still there or not.
    pub fn oldest_first_after(&self, seen: Option<(Micros, ClipId)>) -> impl Iterator<Item = Arc<Clip>> {
        let from = seen.map_or(0, |seen| self.order.rank(&seen));
        let behind = move |key: &&(Micros, ClipId)| seen.is_none_or(|seen| **key > seen);
        self.order.from(from).filter(behind).filter_map(|(_, id)| self.get(*id))
    }

    /// All drawers.
    pub fn drawers(&self) -> &Drawers {
        &self.drawers
    }

    /// All batches.
    pub fn batches(&self) -> &Batches {
        &self.batches
    }

    /// All batches, to change them.
    pub fn batches_mut(&mut self) -> &mut Batches {
        &mut self.batches
    }

    /// All drawers as they are now, whatever becomes of them.
    pub fn drawers_now(&self) -> Arc<Drawers> {
        self.drawers.clone()
    }

    /// All drawers, to change them.
    pub fn drawers_mut(&mut self) -> &mut Drawers {
        Arc::make_mut(&mut self.drawers)
    }

    /// What is known of a clip, whether it is there or not.
    pub fn stored(&self, id: ClipId) -> StoredClip {
        match self.clips.get(&id) {
            Some(clip) => self.packing.unpack(id, clip).into(),
            None => StoredClip {
                id,
                state: self.gone.get(&id).map(|state| self.packing.unpack_state(state)).unwrap_or_default(),
                facts: None,
                ordered_at: 0,
            },
        }
    }

    /// The time of the newest clip; nothing that this device sees from now on is ordered before it.
    pub fn newest(&self) -> Option<Micros> {
        self.order.last().map(|(at, _)| *at)
    }

    /// Puts what is now known of a clip: where its time says, or (when its state shows no offer) out of the history.
    pub fn settle(&mut self, stored: StoredClip) -> Placed {
        let id = stored.id;
        if stored.is_there() {
            return stored.into_clip().map_or(Placed { before: None, now: None }, |clip| self.put(clip));
        }
        let packed = self.packing.pack_state(&stored.state);
        self.gone.insert(id, packed);
        self.remove(id)
    }

    /// Puts a clip where its time says, replacing what was known of it. A clip whose state shows no offer leaves.
    #[expect(clippy::needless_pass_by_value, reason = "it is the history's from now on")]
    pub fn put(&mut self, clip: Clip) -> Placed {
        let before = self.take_out(clip.id);
        self.revision += 1;
        if !clip.state.is_there() {
            return Placed { before, now: None };
        }
        self.gone.remove(&clip.id);
        let at = self.order.insert((clip.ordered_at, clip.id));
        self.hold(&clip);
        Placed { before, now: Some(self.order.len() - at) }
    }

    /// Everything that is known of a clip but its place.
    fn hold(&mut self, clip: &Clip) {
        self.tallies.add(clip);
        if clip.state.is_pinned() {
            self.kept.insert((clip.state.kept().clone(), clip.id));
        }
        let packed = self.packing.pack(clip);
        self.clips.insert(clip.id, packed);
    }

    /// Lets go of what [`History::hold`] holds.
    fn let_go(&mut self, id: ClipId) -> Option<Clip> {
        let old = self.packing.unpack(id, &self.clips.remove(&id)?);
        self.tallies.take(&old);
        if old.state.is_pinned() {
            self.kept.remove(&(old.state.kept().clone(), id));
        }
        Some(old)
    }

    /// What is now known of many clips: as [`History::settle`]. Nothing is left of those in `forgotten`, not even that they
    /// were there.
    pub fn settle_many(&mut self, many: Vec<StoredClip>, forgotten: &[ClipId]) {
        for stored in many {
            self.settle(stored);
        }
        for id in forgotten {
            self.forget(*id);
        }
    }

    /// Takes a clip out.
    pub fn remove(&mut self, id: ClipId) -> Placed {
        let before = self.take_out(id);
        self.revision += 1;
        Placed { before, now: None }
    }

    /// Takes a clip out, and forgets that it was ever there.
    pub fn forget(&mut self, id: ClipId) -> Placed {
        self.gone.remove(&id);
        self.remove(id)
    }

    fn take_out(&mut self, id: ClipId) -> Option<usize> {
        let old = self.let_go(id)?;
        let index = self.order.remove(&(old.ordered_at, id))?;
        Some(self.order.len() + 1 - index)
    }

    /// The clip with this id.
    pub fn get(&self, id: ClipId) -> Option<Arc<Clip>> {
        self.clips.get(&id).map(|packed| Arc::new(self.packing.unpack(id, packed)))
    }

    /// There is a clip with this id.
    pub fn has(&self, id: ClipId) -> bool {
        self.clips.contains_key(&id)
    }

    /// The time by which the clip with this id is ordered.
    pub fn ordered_at(&self, id: ClipId) -> Option<Micros> {
        Some(self.clips.get(&id)?.ordered_at())
    }

    /// The clip at a place.
    pub fn at(&self, place: usize) -> Option<Arc<Clip>> {
        self.get(self.id_at(place)?)
    }

    /// The id of the clip at a place.
    pub fn id_at(&self, place: usize) -> Option<ClipId> {
        let index = self.order.len().checked_sub(place)?;
        Some(self.order.get(index)?.1)
    }

    /// The place of a clip.
    pub fn place_of(&self, id: ClipId) -> Option<usize> {
        let key = (self.ordered_at(id)?, id);
        Some(self.order.len() - self.order.find(&key)?)
    }

    /// The place that follows a clip with this time and id, whether or not it is still there.
    pub fn place_after(&self, (at, id): &(Micros, ClipId)) -> usize {
        self.order.len() + 1 - self.order.rank(&(*at, *id))
    }

    /// Clips from `place` on, newest first.
    pub fn from(&self, place: usize) -> impl Iterator<Item = Arc<Clip>> {
        self.keys_from(place).filter_map(|(_, id)| self.get(id))
    }

    /// The same in outline.
    pub fn outline_from(&self, place: usize) -> impl Iterator<Item = Outlined> {
        self.keys_from(place).filter_map(|(_, id)| self.outlined(id))
    }

    /// The clip with this id in outline.
    pub fn outlined(&self, id: ClipId) -> Option<Outlined> {
        Some(self.clips.get(&id)?.outlined(id))
    }

    /// The times by which clips from `place` on are ordered, newest first, and their ids.
    pub fn keys_from(&self, place: usize) -> impl Iterator<Item = (Micros, ClipId)> {
        let end = (self.order.len() + 1).saturating_sub(place.max(1));
        self.order.back_from(end).copied()
    }

    /// The clip an address names.
    pub fn resolve(&self, address: &Address) -> Result<Arc<Clip>, Unresolved> {
        let none = Unresolved::None { clips: self.len() };
        match address {
            Address::Place(place) => self.at(*place).ok_or(none),
            Address::Favorite(place) => {
                self.favorite_ids().get(place - 1).and_then(|id| self.get(*id)).ok_or(none)
            }
            Address::Id(prefix) => {
                let Some((low, high)) = prefix_range(prefix) else { return Err(none) };
                let mut found = self.clips.range(low..=high).map(|(id, _)| *id);
                match (found.next(), found.next()) {
                    (None, _) => Err(none),
                    (Some(id), None) => self.get(id).ok_or(none),
                    _ => Err(Unresolved::Several(
                        self.clips.range(low..=high).take(6).map(|(id, _)| self.prefix_of(*id)).collect(),
                    )),
                }
            }
        }
    }

    /// Favorites in their own order; clips of drawers that were removed come last.
    pub fn favorites(&self) -> Vec<Arc<Clip>> {
        self.favorite_ids().into_iter().filter_map(|id| self.get(id)).collect()
    }

    /// Their ids.
    pub fn favorite_ids(&self) -> Vec<ClipId> {
        self.favorites_after(None).map(|(_, id)| id).collect()
    }

    /// Where favorites stand, and their ids, in their own order; those behind one of them. What was in a drawer that was removed
    /// stands where it stood there.
    pub fn favorites_after(
        &self,
        after: Option<(Kept, ClipId)>,
    ) -> impl Iterator<Item = (&Kept, ClipId)> + use<'_> {
        let drawer_from = |drawer: String| (Kept::Drawer { drawer, rank: String::new() }, ClipId([0; 16]));
        let first_in_drawers = drawer_from(String::new());
        let (own, mut next) = match after {
            Some(after) if after.0.drawer().is_some() => (None, Bound::Excluded(after)),
            after => {
                let first = (Kept::Favorite(String::new()), ClipId([0; 16]));
                let from = after.map_or(Bound::Included(first), Bound::Excluded);
                (
                    Some(self.kept.range((from, Bound::Excluded(first_in_drawers.clone())))),
                    Bound::Included(first_in_drawers),
                )
            }
        };
        // From one drawer to the next: what is in those that are there is passed over.
        let gone = std::iter::from_fn(move || {
            loop {
                let rest = self.kept.range((next.clone(), Bound::Unbounded));
                let drawer = rest.clone().next()?.0.drawer()?;
                next = Bound::Included(drawer_from(format!("{drawer}\0")));
                if self.drawers.get(drawer).is_none() {
                    return Some(rest.take_while(move |(kept, _)| kept.drawer() == Some(drawer)));
                }
            }
        });
        own.into_iter().flatten().chain(gone.flatten()).map(|(kept, id)| (kept, *id))
    }

    /// The clips of a drawer, in their own order.
    pub fn in_drawer(&self, drawer: &str) -> impl Iterator<Item = Arc<Clip>> {
        self.ids_in_drawer(drawer).filter_map(|id| self.get(id))
    }

    /// Their ids.
    pub fn ids_in_drawer(&self, drawer: &str) -> impl Iterator<Item = ClipId> {
        self.in_drawer_after(drawer, None).map(|(_, id)| id)
    }

    /// The ranks of a drawer's clips, and their ids, in their own order; those behind one of them.
    pub fn in_drawer_after(
        &self,
        drawer: &str,
        after: Option<(String, ClipId)>,
    ) -> impl Iterator<Item = (&str, ClipId)> + use<'_> {
        let drawer = drawer.to_owned();
        let at = |(rank, id): (String, ClipId)| (Kept::Drawer { drawer: drawer.clone(), rank }, id);
        let first = Bound::Included(at((String::new(), ClipId([0; 16]))));
        let from = after.map_or(first, |after| Bound::Excluded(at(after)));
        self.kept
            .range((from, Bound::Unbounded))
            .take_while(move |(kept, _)| kept.drawer() == Some(drawer.as_str()))
            .map(|(kept, id)| (kept.rank(), *id))
    }

    /// The name of the drawer a clip is in, when that drawer is there.
    pub fn drawer_name(&self, clip: &Clip) -> Option<&str> {
        self.drawers.get(clip.state.kept().drawer()?)?.name()
    }

    /// Every clip that is kept: favorites in their order, then by drawer.
    pub fn kept_clips(&self) -> impl Iterator<Item = Arc<Clip>> {
        self.kept.iter().filter_map(|(_, id)| self.get(*id))
    }

    /// The shortest beginning of `id` that names no other clip here and is not read as a place.
    pub fn prefix_of(&self, id: ClipId) -> String {
        let text = id.to_string();
        let shared = |other: Option<ClipId>| {
            other.map_or(0, |other| {
                other.to_string().bytes().zip(text.bytes()).take_while(|(a, b)| a == b).count()
            })
        };
        let below = self.clips.range(..id).next_back().map(|(id, _)| *id);
        let above = self.clips.range((Bound::Excluded(id), Bound::Unbounded)).next().map(|(id, _)| *id);
        let least = if self.partial { SAFE_PREFIX } else { SHORTEST_PREFIX };
        let mut length = (shared(below).max(shared(above)) + 1).max(least).min(text.len());
        while length < text.len() && !reads_as_id(&text[..length]) {
            length += 1;
        }
        text[..length].to_owned()
    }
}

#[cfg(test)]
mod tests;
