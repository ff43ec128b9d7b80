//! The log of acts: which can be taken back, which can be made again, and when each ends. Times are those of a steady
//! clock that the caller keeps: it never jumps while the service runs, and what was recorded by an earlier run is at
//! most as new as its start, whatever the wall clock said then.

use std::collections::{BTreeMap, HashMap, HashSet};

use crate::acts::kind::ActKind;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;

/// Lasting acts that can be taken back at most.
pub const LASTING: usize = 200;
/// Acts of bringing in that can be taken back at most: a script may add many.
pub const BROUGHT: usize = 1_000;

/// Which way an act is stepped.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Direction {
    /// Taken back.
    Undo,
    /// Made again.
    Redo,
}

impl Direction {
    /// What is left, and what is wanted.
    pub(super) fn ends<'e, T>(
        self,
        before: &'e Option<T>,
        after: &'e Option<T>,
    ) -> (Option<&'e T>, Option<&'e T>) {
        match self {
            Self::Undo => (after.as_ref(), before.as_ref()),
            Self::Redo => (before.as_ref(), after.as_ref()),
        }
    }
}

/// An act, without what is needed to take it back.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ActEntry {
    /// 16 random bytes.
    pub id: [u8; 16],
    /// Its number: acts are taken back in the order of these.
    pub number: i64,
    /// When it was done, by the wall clock.
    pub at: Micros,
    /// When it was done, by the steady clock.
    pub steady: Micros,
    /// What sort of act.
    pub kind: ActKind,
    /// The number of its undoing, and when that was (steady); `None` while it stands.
    pub undone: Option<(i64, Micros)>,
    /// It holds nothing that was removed, and so outlives the grace period.
    pub lasting: bool,
    /// The id of its first clip, or of its drawer.
    pub subject: Option<String>,
    /// The clips it knows of; none for a clearing, whose parts are not held in memory.
    pub clips: Vec<ClipId>,
    /// A clearing, and how many clips it took.
    pub cleared: Option<u64>,
    /// It is ending: it can't be stepped, and what it holds is let go of in portions.
    pub ending: bool,
}

impl ActEntry {
    /// How many clips it touched.
    pub fn count(&self) -> u64 {
        self.cleared.unwrap_or(self.clips.len() as u64)
    }
}

/// All acts that are remembered, oldest first.
#[derive(Clone, Debug, Default)]
pub struct ActLog {
    acts: BTreeMap<i64, ActEntry>,
    by_clip: HashMap<ClipId, HashSet<i64>>,
    grace: Micros,
    next: i64,
}

/// Acts that end together.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Ending {
    /// They.
    pub acts: Vec<[u8; 16]>,
    /// Clips of theirs that nothing else holds any more, as far as the log knows.
    pub clips: Vec<ClipId>,
    /// Acts that go on and know of such clips: these parts of their records go.
    pub forgetting: Vec<[u8; 16]>,
}

impl ActLog {
    /// An empty log. Removals end after `grace` microseconds.
    pub fn new(grace: Micros) -> Self {
        Self { grace, next: 1, ..Self::default() }
    }

    /// The next number: greater than any known, and than 0, which stands for none in the records.
    pub fn next_number(&self) -> i64 {
        self.next
    }

    /// Adds an act.
    pub fn push(&mut self, act: ActEntry) {
        self.next = self.next.max(act.number + 1).max(act.undone.map_or(0, |(number, _)| number + 1));
        for id in &act.clips {
            self.by_clip.entry(*id).or_default().insert(act.number);
        }
        self.acts.insert(act.number, act);
    }

    /// All acts, oldest first.
    pub fn iter(&self) -> impl DoubleEndedIterator<Item = &ActEntry> {
        self.acts.values()
    }

    /// The act with this id.
    pub fn get(&self, id: [u8; 16]) -> Option<&ActEntry> {
        self.acts.values().find(|act| act.id == id)
    }

    /// Takes acts out.
    pub fn end(&mut self, ids: &[[u8; 16]]) {
        let ids: HashSet<&[u8; 16]> = ids.iter().collect();
        let numbers: Vec<i64> =
            self.acts.values().filter(|act| ids.contains(&act.id)).map(|act| act.number).collect();
        for number in numbers {
            let Some(act) = self.acts.remove(&number) else { continue };
            for id in &act.clips {
                if let Some(known) = self.by_clip.get_mut(id) {
                    known.remove(&number);
                    if known.is_empty() {
                        self.by_clip.remove(id);
                    }
                }
            }
        }
    }

    /// An act no longer knows of some clips.
    pub fn forget(&mut self, id: [u8; 16], gone: &HashSet<ClipId>) {
        let Some(act) = self.acts.values_mut().find(|act| act.id == id) else { return };
        act.clips.retain(|clip| !gone.contains(clip));
        let number = act.number;
        for clip in gone {
            if let Some(known) = self.by_clip.get_mut(clip) {
                known.remove(&number);
            }
        }
    }

    /// An act was stepped.
    pub fn stepped(&mut self, id: [u8; 16], direction: Direction, steady: Micros) {
        let number = self.next;
        if let Some(act) = self.acts.values_mut().find(|act| act.id == id) {
            act.undone = (direction == Direction::Undo).then_some((number, steady));
            self.next += 1;
        }
    }

    /// When an act can no longer be stepped; `None` for one that lasts.
    pub fn until(&self, act: &ActEntry) -> Option<Micros> {
        let of_act = (!act.lasting).then(|| act.steady.saturating_add(self.grace));
        let of_undo = act.undone.map(|(_, at)| at.saturating_add(self.grace));
        match (of_act, of_undo) {
            (Some(a), Some(b)) => Some(a.min(b)),
            (a, b) => a.or(b),
        }
    }

    /// True when it can be taken back or made again now.
    pub fn can_step(&self, act: &ActEntry, direction: Direction, now: Micros) -> bool {
        let standing = act.undone.is_none();
        !act.ending
            && (direction == Direction::Undo) == standing
            && self.until(act).is_none_or(|until| now < until)
    }

    /// The act that is taken back, or made again, next.
    pub fn next(&self, direction: Direction, now: Micros) -> Option<&ActEntry> {
        let candidates = self.acts.values().filter(|act| self.can_step(act, direction, now));
        match direction {
            Direction::Undo => candidates.max_by_key(|act| act.number),
            Direction::Redo => candidates.max_by_key(|act| act.undone.map(|(number, _)| number)),
        }
    }

    /// What ends when a new act is done: nothing is left to be made again, and only so many last. Clearings among them end
    /// in portions: see [`ActLog::begin_to_end`].
    pub fn ended_by_new(&self) -> Vec<[u8; 16]> {
        let undone = self.acts.values().filter(|act| act.undone.is_some() && act.cleared.is_none());
        let beyond = |most: usize, is_one: fn(&ActEntry) -> bool| {
            let all: Vec<&ActEntry> =
                self.acts.values().filter(|act| is_one(act) && act.undone.is_none()).collect();
            let many = (all.len() + 1).saturating_sub(most);
            all.into_iter().take(many)
        };
        undone
            .chain(beyond(LASTING, |act| act.lasting))
            .chain(beyond(BROUGHT, |act| act.kind == ActKind::Import))
            .map(|act| act.id)
            .collect()
    }

    /// When the next act ends.
    pub fn deadline(&self) -> Option<Micros> {
        self.acts.values().filter(|act| !act.ending).filter_map(|act| self.until(act)).min()
    }

    /// Clearings that have ended by now, or that a new act leaves nothing of to be made again: from here on they are
    /// ending.
    pub fn begin_to_end(&mut self, now: Micros, by_new: bool) -> Vec<[u8; 16]> {
        let (grace, mut begun) = (self.grace, Vec::new());
        for act in self.acts.values_mut().filter(|act| act.cleared.is_some() && !act.ending) {
            let of_act = act.steady.saturating_add(grace) <= now;
            let of_undo = act.undone.is_some_and(|(_, at)| at.saturating_add(grace) <= now);
            if of_act || of_undo || (by_new && act.undone.is_some()) {
                act.ending = true;
                begun.push(act.id);
            }
        }
        begun
    }

    /// A clearing ends at once, whatever its grace.
    pub fn end_now(&mut self, id: [u8; 16]) {
        if let Some(act) = self.acts.values_mut().find(|act| act.id == id) {
            act.ending = true;
        }
    }

    /// A clearing took so many clips in the end.
    pub fn counted(&mut self, id: [u8; 16], count: u64) {
        if let Some(act) = self.acts.values_mut().find(|act| act.id == id) {
            act.cleared = Some(count);
        }
    }

    /// Clips that are gone for good, unless another act holds one: these, and the acts that go on and know of them.
    pub fn gone_for_good(&self, ids: &[ClipId], is_there: impl Fn(ClipId) -> bool) -> Ending {
        let mut ending = Ending::default();
        let mut forgetting: HashSet<i64> = HashSet::new();
        for id in ids.iter().filter(|id| !is_there(**id)) {
            let known: Vec<i64> = self.by_clip.get(id).into_iter().flatten().copied().collect();
            if !known.iter().filter_map(|number| self.acts.get(number)).any(|act| self.brings_back(act)) {
                ending.clips.push(*id);
                forgetting.extend(known);
            }
        }
        let mut forgetting: Vec<i64> = forgetting.into_iter().collect();
        forgetting.sort_unstable();
        ending.forgetting =
            forgetting.iter().filter_map(|number| self.acts.get(number).map(|act| act.id)).collect();
        ending
    }

    /// What has ended by now: `most` acts at most. `is_there` says whether a clip is in the history.
    pub fn ending(&self, now: Micros, most: usize, is_there: impl Fn(ClipId) -> bool) -> Ending {
        let over: Vec<&ActEntry> = self
            .acts
            .values()
            .filter(|act| act.cleared.is_none() && self.until(act).is_some_and(|until| until <= now))
            .take(most)
            .collect();
        self.ending_of(&over, is_there)
    }

    /// What goes when these acts end.
    pub fn ending_with(&self, ids: &[[u8; 16]], is_there: impl Fn(ClipId) -> bool) -> Ending {
        let over: Vec<&ActEntry> = self.acts.values().filter(|act| ids.contains(&act.id)).collect();
        self.ending_of(&over, is_there)
    }

    fn ending_of(&self, over: &[&ActEntry], is_there: impl Fn(ClipId) -> bool) -> Ending {
        let ended: HashSet<i64> = over.iter().map(|act| act.number).collect();
        let mut forgetting: HashSet<i64> = HashSet::new();
        let mut clips: Vec<ClipId> = Vec::new();
        let mut seen: HashSet<ClipId> = HashSet::new();
        for id in over.iter().flat_map(|act| &act.clips) {
            if !seen.insert(*id) || is_there(*id) {
                continue;
            }
            let others: Vec<i64> = self
                .by_clip
                .get(id)
                .into_iter()
                .flatten()
                .copied()
                .filter(|number| !ended.contains(number))
                .collect();
            // An act that can bring it back still holds it.
            let held =
                others.iter().filter_map(|number| self.acts.get(number)).any(|act| self.brings_back(act));
            if !held {
                clips.push(*id);
                forgetting.extend(others);
            }
        }
        let id_of = |number: &i64| self.acts.get(number).map(|act| act.id);
        let mut forgetting: Vec<i64> = forgetting.into_iter().collect();
        forgetting.sort_unstable();
        Ending {
            acts: over.iter().map(|act| act.id).collect(),
            clips,
            forgetting: forgetting.iter().filter_map(id_of).collect(),
        }
    }

    /// A removal that stands, or anything that was undone and made clips (an edit, an import): it holds what it can bring back.
    fn brings_back(&self, act: &ActEntry) -> bool {
        // An import that stands brings nothing back, although it ends as well.
        let took = !act.lasting && act.kind != ActKind::Import;
        took || (act.undone.is_some() && act.kind.makes_clips())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn act(number: i64, kind: ActKind, steady: Micros, clips: &[u8]) -> ActEntry {
        ActEntry {
            id: [u8::try_from(number).unwrap(); 16],
            number,
            at: steady,
            steady,
            kind,
            undone: None,
            lasting: kind != ActKind::Remove,
            subject: None,
            clips: clips.iter().map(|n| ClipId([*n; 16])).collect(),
            cleared: None,
            ending: false,
        }
    }

    #[test]
    fn acts_are_turned_in_order_and_a_removal_until_its_end() {
        let mut log = ActLog::new(100);
        log.push(act(1, ActKind::Title, 10, &[1]));
        log.push(act(2, ActKind::Remove, 20, &[2]));
        assert_eq!(log.next(Direction::Undo, 50).map(|act| act.number), Some(2));
        log.stepped([2; 16], Direction::Undo, 60);
        log.stepped([1; 16], Direction::Undo, 61);
        assert_eq!(log.next(Direction::Undo, 62), None);
        assert_eq!(log.next(Direction::Redo, 62).map(|act| act.number), Some(1));
        log.stepped([1; 16], Direction::Redo, 63);
        assert_eq!(log.next(Direction::Redo, 64).map(|act| act.number), Some(2));
        assert_eq!(log.next(Direction::Redo, 120), None, "a removal ends with its own time");
        assert_eq!(log.deadline(), Some(120));
        assert_eq!(log.ending(120, 9, |_| false).acts, [[2; 16]]);
        assert_eq!(log.ended_by_new(), [[2; 16]], "a new act leaves nothing to be made again");
    }

    #[test]
    fn what_a_removal_held_goes_from_every_act_that_knew_of_it() {
        let mut log = ActLog::new(100);
        log.push(act(1, ActKind::Title, 10, &[1]));
        log.push(act(2, ActKind::Color, 11, &[1, 3]));
        log.push(act(3, ActKind::Remove, 20, &[1, 2]));
        log.push(act(4, ActKind::Remove, 90, &[2]));
        let ending = log.ending(120, 9, |id| id == ClipId([3; 16]));
        assert_eq!(ending.acts, [[3; 16]]);
        assert_eq!(ending.clips, [ClipId([1; 16])], "another removal still holds the other one");
        assert_eq!(ending.forgetting, [[1; 16], [2; 16]]);
        log.forget([2; 16], &ending.clips.iter().copied().collect());
        assert_eq!(log.iter().nth(1).unwrap().clips, [ClipId([3; 16])]);
        log.end(&ending.acts);
        assert_eq!(log.deadline(), Some(190));
    }

    #[test]
    fn only_so_many_acts_last() {
        let mut log = ActLog::new(100);
        for number in 0..250 {
            let ended = log.ended_by_new();
            log.end(&ended);
            log.push(act(number, ActKind::Color, number, &[1]));
        }
        assert_eq!(log.iter().count(), LASTING);
        assert_eq!(log.iter().next().map(|act| act.number), Some(50));
    }

    #[test]
    fn only_so_many_acts_of_bringing_in_are_remembered_and_removals_stay() {
        let mut log = ActLog::new(1_000_000);
        let of = |number: i64, kind| {
            let mut id = [0; 16];
            id[..8].copy_from_slice(&number.to_be_bytes());
            ActEntry { id, lasting: false, kind, ..act(number % 200, kind, number, &[1]) }
        };
        for number in 1..=1_500_i64 {
            let kind = if number <= 50 { ActKind::Remove } else { ActKind::Import };
            let ended = log.ended_by_new();
            log.end(&ended);
            log.push(ActEntry { number, ..of(number, kind) });
        }
        assert_eq!(log.iter().filter(|act| act.kind == ActKind::Remove).count(), 50);
        let brought: Vec<i64> =
            log.iter().filter(|act| act.kind == ActKind::Import).map(|act| act.number).collect();
        assert_eq!((brought.len(), brought[0]), (BROUGHT, 501));
    }

    #[test]
    fn an_import_holds_what_it_can_bring_again_and_nothing_while_it_stands() {
        let mut log = ActLog::new(100);
        log.push(ActEntry { lasting: false, ..act(1, ActKind::Import, 10, &[1, 2]) });
        let gone = [ClipId([1; 16])];
        let ending = log.gone_for_good(&gone, |_| false);
        assert_eq!((ending.clips, ending.forgetting), (gone.to_vec(), vec![[1; 16]]));
        log.stepped([1; 16], Direction::Undo, 20);
        assert_eq!(log.gone_for_good(&gone, |_| false), Ending::default());
        // It ends with its time, whether it stands or not.
        assert_eq!(log.ending(110, 9, |_| false).clips.len(), 2);
    }
}
