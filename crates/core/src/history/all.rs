//! The history in memory: all clips of this device, newest first, found by place, by id, and by the beginning of an id.

use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::Arc;

use crate::batch::Batches;
use crate::clip::id::{ClipId, prefix_range};
use crate::clip::time::Micros;
use crate::history::address::{Address, reads_as_id};
use crate::history::drawers::Drawers;
use crate::history::stored::{Clip, StoredClip};
use crate::history::tally::Tallies;
use crate::merge::clip::{ClipState, Kept};

/// The shortest prefix of an id that is shown.
pub const SHORTEST_PREFIX: usize = 4;

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

/// All clips of this device. Places count from 1, the newest.
#[derive(Debug, Default)]
pub struct History {
    clips: BTreeMap<ClipId, Arc<Clip>>,
    /// Oldest first, so that the usual change, a new copy, is a push.
    order: Vec<(Micros, ClipId)>,
    /// What is kept, by place kept and rank.
    kept: BTreeSet<(Kept, ClipId)>,
    /// What is left of clips that are not there: floors and counts.
    gone: HashMap<ClipId, ClipState>,
    drawers: Arc<Drawers>,
    batches: Batches,
    tallies: Tallies,
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

    /// Adds clips without putting them in order yet: [`History::put_in_order`] does that for all of them.
    pub fn add(&mut self, clips: impl IntoIterator<Item = StoredClip>) {
        for stored in clips {
            let id = stored.id;
            if stored.state.is_there() && stored.facts.is_some() {
                if let Some(clip) = stored.into_clip() {
                    self.clips.entry(id).or_insert_with(|| Arc::new(clip));
                }
            } else {
                self.gone.entry(id).or_insert(stored.state);
            }
        }
    }

    /// Puts everything in order, after [`History::add`].
    pub fn put_in_order(&mut self) {
        self.order = self.clips.values().map(|clip| (clip.ordered_at, clip.id)).collect();
        self.order.sort_unstable();
        self.kept = self
            .clips
            .values()
            .filter(|clip| clip.state.is_pinned())
            .map(|clip| (clip.state.kept().clone(), clip.id))
            .collect();
        self.tallies = Tallies::default();
        self.clips.values().for_each(|clip| self.tallies.add(clip));
        self.revision += 1;
    }

    /// How many clips limits count, and their bytes.
    pub fn tallies(&self) -> &Tallies {
        &self.tallies
    }

    /// All clips, oldest first.
    pub fn oldest_first(&self) -> impl Iterator<Item = &Arc<Clip>> {
        self.order.iter().filter_map(|(_, id)| self.clips.get(id))
    }

    /// The same from behind a clip that was seen last, be it still there or not.
    pub fn oldest_first_after(&self, seen: Option<(Micros, ClipId)>) -> impl Iterator<Item = &Arc<Clip>> {
        let from = seen.map_or(0, |seen| self.order.partition_point(|one| *one <= seen));
        self.order[from..].iter().filter_map(|(_, id)| self.clips.get(id))
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
            Some(clip) => StoredClip::from(&**clip),
            None => StoredClip {
                id,
                state: self.gone.get(&id).cloned().unwrap_or_default(),
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
        let (id, state) = (stored.id, stored.state.clone());
        match stored.into_clip() {
            Some(clip) => self.put(clip),
            None => {
                self.gone.insert(id, state);
                self.remove(id)
            }
        }
    }

    /// Puts a clip where its time says, replacing what was known of it. A clip whose state shows no offer leaves.
    pub fn put(&mut self, clip: Clip) -> Placed {
        let before = self.take_out(clip.id);
        self.revision += 1;
        if !clip.state.is_there() {
            return Placed { before, now: None };
        }
        self.gone.remove(&clip.id);
        let key = (clip.ordered_at, clip.id);
        let at = self.order.partition_point(|known| *known < key);
        self.order.insert(at, key);
        self.hold(clip);
        Placed { before, now: Some(self.order.len() - at) }
    }

    /// Everything that is known of a clip but its place.
    fn hold(&mut self, clip: Clip) {
        self.tallies.add(&clip);
        if clip.state.is_pinned() {
            self.kept.insert((clip.state.kept().clone(), clip.id));
        }
        self.clips.insert(clip.id, Arc::new(clip));
    }

    /// Lets go of what [`History::hold`] holds.
    fn let_go(&mut self, id: ClipId) -> Option<Arc<Clip>> {
        let old = self.clips.remove(&id)?;
        self.tallies.take(&old);
        if old.state.is_pinned() {
            self.kept.remove(&(old.state.kept().clone(), id));
        }
        Some(old)
    }

    /// What is now known of many clips, each of which occurs once: as [`History::settle`], in the time of one pass over
    /// all clips. Nothing is left of those in `forgotten`, not even that they were there.
    pub fn settle_many(&mut self, many: Vec<StoredClip>, forgotten: &[ClipId]) {
        let mut out: Vec<usize> = Vec::with_capacity(many.len() + forgotten.len());
        let mut coming: Vec<(Micros, ClipId)> = Vec::new();
        for id in many.iter().map(|one| one.id).chain(forgotten.iter().copied()) {
            if let Some(old) = self.let_go(id) {
                out.extend(self.index_of(&old));
            }
        }
        for id in forgotten {
            self.gone.remove(id);
        }
        for stored in many {
            let (id, state) = (stored.id, stored.state.clone());
            match stored.into_clip() {
                Some(clip) => {
                    self.gone.remove(&id);
                    coming.push((clip.ordered_at, id));
                    self.hold(clip);
                }
                None => {
                    self.gone.insert(id, state);
                }
            }
        }
        self.take_places(out);
        if !coming.is_empty() {
            self.order.append(&mut coming);
            // Two runs in order but for the end: the sort finds them.
            self.order.sort();
        }
        self.revision += 1;
    }

    /// Takes these places (from 0, the oldest) out of the order: what lies between two of them moves as one.
    fn take_places(&mut self, mut places: Vec<usize>) {
        places.sort_unstable();
        let Some(first) = places.first().copied() else { return };
        let mut to = first;
        for (n, place) in places.iter().enumerate() {
            let end = places.get(n + 1).copied().unwrap_or(self.order.len());
            self.order.copy_within(place + 1..end, to);
            to += end - place - 1;
        }
        self.order.truncate(to);
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
        let index = self.index_of(&old)?;
        self.order.remove(index);
        Some(self.order.len() + 1 - index)
    }

    fn index_of(&self, clip: &Clip) -> Option<usize> {
        self.order.binary_search(&(clip.ordered_at, clip.id)).ok()
    }

    /// The clip with this id.
    pub fn get(&self, id: ClipId) -> Option<&Arc<Clip>> {
        self.clips.get(&id)
    }

    /// The clip at a place.
    pub fn at(&self, place: usize) -> Option<&Arc<Clip>> {
        let index = self.order.len().checked_sub(place)?;
        self.clips.get(&self.order.get(index)?.1)
    }

    /// The place of a clip.
    pub fn place_of(&self, id: ClipId) -> Option<usize> {
        Some(self.order.len() - self.index_of(self.clips.get(&id)?)?)
    }

    /// The place that follows a clip with this time and id, whether or not it is still there.
    pub fn place_after(&self, (at, id): &(Micros, ClipId)) -> usize {
        self.order.len() + 1 - self.order.partition_point(|known| *known < (*at, *id))
    }

    /// Clips from `place` on, newest first.
    pub fn from(&self, place: usize) -> impl Iterator<Item = &Arc<Clip>> {
        let end = (self.order.len() + 1).saturating_sub(place.max(1));
        self.order[..end].iter().rev().filter_map(|(_, id)| self.clips.get(id))
    }

    /// The clip an address names.
    pub fn resolve(&self, address: &Address) -> Result<&Arc<Clip>, Unresolved> {
        let none = Unresolved::None { clips: self.len() };
        match address {
            Address::Place(place) => self.at(*place).ok_or(none),
            Address::Favorite(place) => self.favorites().get(place - 1).copied().ok_or(none),
            Address::Id(prefix) => {
                let Some((low, high)) = prefix_range(prefix) else { return Err(none) };
                let mut found = self.clips.range(low..=high).map(|(_, clip)| clip);
                match (found.next(), found.next()) {
                    (None, _) => Err(none),
                    (Some(clip), None) => Ok(clip),
                    _ => Err(Unresolved::Several(
                        self.clips.range(low..=high).take(6).map(|(id, _)| self.prefix_of(*id)).collect(),
                    )),
                }
            }
        }
    }

    /// Favorites in their own order; clips of drawers that were removed come last.
    pub fn favorites(&self) -> Vec<&Arc<Clip>> {
        let own = self.kept.range((Kept::Favorite(String::new()), ClipId([0; 16]))..);
        let mut orphans = Vec::new();
        let mut found = Vec::new();
        for (kept, id) in own {
            let Some(clip) = self.clips.get(id) else { continue };
            match kept.drawer() {
                None => found.push(clip),
                Some(drawer) if self.drawers.get(drawer).is_none() => orphans.push(clip),
                Some(_) => {}
            }
        }
        found.append(&mut orphans);
        found
    }

    /// The clips of a drawer, in their own order.
    pub fn in_drawer(&self, drawer: &str) -> impl Iterator<Item = &Arc<Clip>> {
        let from = Kept::Drawer { drawer: drawer.to_owned(), rank: String::new() };
        let drawer = drawer.to_owned();
        self.kept
            .range((from, ClipId([0; 16]))..)
            .take_while(move |(kept, _)| kept.drawer() == Some(drawer.as_str()))
            .filter_map(|(_, id)| self.clips.get(id))
    }

    /// The name of the drawer a clip is in, when that drawer is there.
    pub fn drawer_name(&self, clip: &Clip) -> Option<&str> {
        self.drawers.get(clip.state.kept().drawer()?)?.name()
    }

    /// Every clip that is kept: favorites in their order, then by drawer.
    pub fn kept_clips(&self) -> impl Iterator<Item = &Arc<Clip>> {
        self.kept.iter().filter_map(|(_, id)| self.clips.get(id))
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
        let above = self
            .clips
            .range((std::ops::Bound::Excluded(id), std::ops::Bound::Unbounded))
            .next()
            .map(|(id, _)| *id);
        let mut length = (shared(below).max(shared(above)) + 1).max(SHORTEST_PREFIX).min(text.len());
        while length < text.len() && !reads_as_id(&text[..length]) {
            length += 1;
        }
        text[..length].to_owned()
    }
}

#[cfg(test)]
mod tests;
