//! Any sequence of acts of every kind, taken back whole and made again whole, is the same state by state; and what else
//! happened in between stays.

use std::collections::BTreeMap;

use proptest::prelude::*;
use proptest::sample::Index;

use super::*;
use crate::acts::act::{Act, DrawerChange, Place};
use crate::acts::capture::{Copied, capture};
use crate::acts::error::ActError;
use crate::acts::planning::plan;
use crate::clip::color::Color;
use crate::clip::content::Digest;
use crate::clip::device::DeviceId;
use crate::clip::facts::Facts;
use crate::clip::id::{Class, ClipId};
use crate::merge::clip::{OfferRecord, RepresentationRecord};
use crate::merge::stamp::HybridClock;

const DEVICE: DeviceId = DeviceId([1; 16]);

/// A history that acts are done to, as the writer does them.
struct World {
    history: History,
    clock: HybridClock,
    now: i64,
    done: Vec<(ActKind, Vec<u8>)>,
    made: u64,
}

/// Everything that a person sees, in its order.
type Seen = (Vec<(ClipId, ClipFace)>, BTreeMap<String, Option<DrawerFace>>, Vec<ClipId>, Vec<Vec<ClipId>>);

impl World {
    fn new() -> Self {
        let clock = HybridClock::resume(DEVICE, None);
        Self { history: History::default(), clock, now: 1_000_000, done: Vec::new(), made: 0 }
    }

    fn seen(&self) -> Seen {
        let face = |clip: &StoredClip| ClipFace::of(clip).expect("it is there");
        let clips = self.history.from(1).map(|clip| (clip.id, face(&StoredClip::from(&*clip)))).collect();
        let drawers: BTreeMap<_, _> =
            self.history.drawers().all().map(|one| (one.id, DrawerFace::of(&one.state))).collect();
        let drawers: BTreeMap<_, _> = drawers.into_iter().filter(|(_, face)| face.is_some()).collect();
        let favorites = self.history.favorites().into_iter().map(|clip| clip.id).collect();
        let inside =
            drawers.keys().map(|id| self.history.in_drawer(id).map(|clip| clip.id).collect()).collect();
        (clips, drawers, favorites, inside)
    }

    fn apply(&mut self, clips: Vec<ClipPlan>, drawers: Vec<DrawerPlan>) {
        for one in clips {
            // Every change is newer than what it changes, so it wins on every device.
            let mut merged = one.before.state.clone();
            merged.merge(&one.after.state);
            assert_eq!(merged.newest_stamp(), one.after.state.newest_stamp());
            self.history.settle(one.after);
        }
        for one in drawers {
            let mut merged = one.before.map(|before| before.state).unwrap_or_default();
            merged.merge(&one.after.state);
            assert_eq!(merged, one.after.state, "what an act writes wins on every device");
            self.history.drawers_mut().put(one.after);
        }
    }

    fn act(&mut self, act: &Act) -> Result<(), ActError> {
        self.now += 1_000;
        let mut moment = Moment { now: self.now, clock: &mut self.clock };
        let plan = plan(act, &self.history, &mut moment)?;
        let mut ids: Vec<ClipId> = plan.clips.iter().map(|one| one.after.id).collect();
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), plan.clips.len(), "every clip occurs once");
        let record = ActRecord::of(&plan).to_bytes().unwrap();
        self.done.push((plan.kind, record));
        self.apply(plan.clips, plan.drawers);
        Ok(())
    }

    fn step(&mut self, n: usize, direction: Direction) {
        self.now += 1_000;
        let (kind, record) = &self.done[n];
        let record = ActRecord::from_bytes(record).unwrap();
        let mut moment = Moment { now: self.now, clock: &mut self.clock };
        let stepped = step(*kind, &record, direction, &self.history, &mut moment).expect("nothing was lost");
        self.apply(stepped.clips, stepped.drawers);
    }

    /// As after a restart: everything is read back from its recorded form.
    fn restart(&mut self) {
        let json = |clip: &StoredClip| serde_json::to_string(clip).unwrap();
        let mut ids: Vec<ClipId> = (0..40).map(text_id).collect();
        ids.extend((0..self.made).map(|n| text_id(1_000 + n)));
        let stored: Vec<StoredClip> =
            ids.iter().map(|id| serde_json::from_str(&json(&self.history.stored(*id))).unwrap()).collect();
        let drawers: Vec<Drawer> = self.history.drawers().all().collect();
        self.history = History::default();
        drawers.into_iter().for_each(|drawer| self.history.drawers_mut().put(drawer));
        self.history.load(stored);
        self.clock = HybridClock::resume(DEVICE, self.clock.last());
    }

    fn copied(&mut self, n: u64) -> Copied {
        let text = format!("text {n}");
        let representation =
            RepresentationRecord { mime: "text/plain".into(), size: 1, digest: Digest([n as u8; 32]) };
        Copied {
            id: text_id(n),
            facts: Facts::of_text(&text, 6, false),
            record: OfferRecord { representations: vec![representation], ..OfferRecord::default() },
            at: self.now,
            at_start: false,
            on_top: true,
            extra: None,
        }
    }

    fn copy(&mut self, n: u64) {
        self.now += 1_000;
        let copied = self.copied(n);
        let mut moment = Moment { now: self.now, clock: &mut self.clock };
        let known = self.history.stored(copied.id);
        let after = capture(known, &copied, self.history.newest(), &mut moment);
        self.history.settle(after);
    }

    fn id(&self, index: Index) -> Option<ClipId> {
        (!self.history.is_empty()).then(|| self.history.at(1 + index.index(self.history.len())).unwrap().id)
    }

    fn drawer(&self, index: Index) -> Option<String> {
        let shown = self.history.drawers().shown();
        (!shown.is_empty()).then(|| shown[index.index(shown.len())].0.to_owned())
    }

    fn divider(&self, drawer: &str, index: Index) -> Option<String> {
        let state = self.history.drawers().get(drawer)?;
        let shown: Vec<&String> =
            state.dividers.iter().filter(|(_, one)| one.name().is_some()).map(|(id, _)| id).collect();
        (!shown.is_empty()).then(|| shown[index.index(shown.len())].clone())
    }

    /// The act that a step stands for; `None` when there is nothing for it.
    fn act_of(&mut self, step: &Step) -> Option<Act> {
        let Step { what, a, b, word } = step.clone();
        let fresh = format!("{:032x}", self.now);
        let before_in = |world: &Self, drawer: &str| {
            let first = world.history.in_drawer(drawer).next().map(|clip| clip.id.to_string());
            if word.is_multiple_of(3) { first } else { Some(String::new()) }
        };
        Some(match what % 15 {
            0 => Act::Remove { clips: vec![self.id(a)?, self.id(b)?], spare_pinned: word.is_multiple_of(2) },
            1 => Act::Keep { clips: vec![self.id(a)?, self.id(b)?], place: Place::Favorites, before: None },
            2 => {
                let first = self.history.favorites().get(word as usize % 3).map(|clip| clip.id.to_string());
                Act::Keep {
                    clips: vec![self.id(a)?],
                    place: Place::Favorites,
                    before: first.or(Some(String::new())),
                }
            }
            3 => Act::Keep { clips: vec![self.id(a)?], place: Place::Nowhere, before: None },
            4 => {
                let drawer = self.drawer(b)?;
                let before = before_in(self, &drawer);
                Act::Keep { clips: vec![self.id(a)?], place: Place::Drawer(drawer), before }
            }
            5 => Act::Title { clip: self.id(a)?, title: (word % 4 != 0).then(|| format!("title {word}")) },
            6 => Act::Color {
                clips: vec![self.id(a)?, self.id(b)?],
                color: Color::ALL.get(word as usize % 7).copied(),
            },
            7 => Act::BringUp { clips: vec![self.id(a)?, self.id(b)?] },
            8 => {
                let n = if word.is_multiple_of(2) {
                    u64::from(word) % 40
                } else {
                    self.made += 1;
                    999 + self.made
                };
                let new = Box::new(self.copied(n));
                Act::Edit { clip: self.id(a)?, new }
            }
            9 => Act::PutBack { clip: self.id(a)? },
            10 => Act::NewDrawer {
                id: fresh,
                name: format!("Drawer {word}"),
                color: None,
                group: (word % 3 == 0).then(|| "Group".into()),
            },
            11 => {
                let change = DrawerChange {
                    name: (word % 2 == 0).then(|| format!("Name {word}")),
                    color: (word % 3 == 0).then_some(Some(Color::Red)),
                    group: (word % 5 == 0).then(|| Some(format!("Group {}", word % 2))),
                    before: (word % 4 == 0).then(String::new),
                };
                Act::ChangeDrawer { drawer: self.drawer(a)?, change }
            }
            12 => Act::RemoveDrawer { drawer: self.drawer(a)? },
            13 => {
                let drawer = self.drawer(a)?;
                let before = before_in(self, &drawer);
                Act::NewDivider { drawer, id: fresh, name: format!("divider {word}"), before }
            }
            _ => {
                let drawer = self.drawer(a)?;
                let divider = self.divider(&drawer, b)?;
                match word % 3 {
                    0 => Act::RemoveDivider { drawer, divider },
                    1 => Act::ChangeDivider {
                        drawer,
                        divider,
                        name: Some(format!("other {word}")),
                        before: None,
                    },
                    _ => Act::ChangeDivider { drawer, divider, name: None, before: Some(String::new()) },
                }
            }
        })
    }
}

fn text_id(n: u64) -> ClipId {
    ClipId::of(Class::Text, &[format!("text {n}").as_bytes()])
}

#[derive(Clone, Debug)]
struct Step {
    what: u8,
    a: Index,
    b: Index,
    word: u8,
}

fn steps(most: usize) -> impl Strategy<Value = Vec<Step>> {
    let step = (any::<u8>(), any::<Index>(), any::<Index>(), any::<u8>())
        .prop_map(|(what, a, b, word)| Step { what, a, b, word });
    proptest::collection::vec(step, 1..most)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]

    #[test]
    fn any_acts_taken_back_whole_and_made_again_whole_are_the_same_state_by_state(
        copies in proptest::collection::vec(0u64..40, 1..30), steps in steps(200), restart in any::<Index>(),
    ) {
        let mut world = World::new();
        copies.into_iter().for_each(|n| world.copy(n));
        let mut seen = vec![world.seen()];
        for step in &steps {
            let Some(act) = world.act_of(step) else { continue };
            if world.act(&act).is_ok() {
                seen.push(world.seen());
            } else {
                prop_assert_eq!(&world.seen(), seen.last().unwrap(), "what was refused did nothing");
            }
        }
        let count = world.done.len();
        let at = restart.index(count + 1);
        for round in 0..2 {
            for n in (0..count).rev() {
                world.step(n, Direction::Undo);
                prop_assert_eq!(&world.seen(), &seen[n], "undo {} of {:?} in round {}", n, world.done[n].0, round);
                if n == at {
                    world.restart();
                    prop_assert_eq!(&world.seen(), &seen[n], "a restart changes nothing");
                }
            }
            for n in 0..count {
                world.step(n, Direction::Redo);
                prop_assert_eq!(&world.seen(), &seen[n + 1], "redo {} of {:?} in round {}", n, world.done[n].0, round);
            }
        }
    }

    #[test]
    fn whatever_was_copied_in_between_is_there_after_taking_back(
        copies in proptest::collection::vec(0u64..40, 1..20), steps in steps(40),
        between in proptest::collection::vec((any::<Index>(), 0u64..60), 0..20),
    ) {
        let mut world = World::new();
        copies.iter().for_each(|n| world.copy(*n));
        for (n, step) in steps.iter().enumerate() {
            if let Some(act) = world.act_of(step) {
                let _ = world.act(&act);
            }
            for (_, text) in between.iter().filter(|(at, _)| at.index(steps.len()) == n) {
                world.copy(*text);
            }
        }
        for n in (0..world.done.len()).rev() {
            let (kind, record) = &world.done[n];
            let record = ActRecord::from_bytes(record).unwrap();
            let before: Vec<ClipId> = world.history.from(1).map(|clip| clip.id).collect();
            let mut moment = Moment { now: world.now, clock: &mut world.clock };
            let Some(stepped) = step(*kind, &record, Direction::Undo, &world.history, &mut moment) else { continue };
            // Only what the act itself made can go.
            let made: Vec<ClipId> =
                record.clips.iter().filter(|one| one.before.is_none()).map(|one| one.id).collect();
            world.apply(stepped.clips, stepped.drawers);
            for id in before {
                prop_assert!(made.contains(&id) || world.history.has(id));
            }
        }
        for text in copies {
            // Removals were taken back, so everything that was ever copied is there.
            prop_assert!(world.history.get(text_id(text)).is_some());
        }
    }
}

#[test]
fn taking_back_writes_what_differs_and_leaves_what_was_written_since() {
    let mut world = World::new();
    world.copy(1);
    let id = text_id(1);
    world.act(&Act::Title { clip: id, title: Some("a".into()) }).unwrap();
    world.act(&Act::Keep { clips: vec![id], place: Place::Favorites, before: None }).unwrap();
    // Another title since, by another device: it stays, and the act that gave the first one changes nothing.
    let mut there = world.history.stored(id);
    let stamp = world.clock.tick(9_000_000, there.state.newest_stamp());
    there.state.title = Some(crate::merge::register::Written { at: stamp, value: Some("b".into()) });
    world.history.settle(there);
    world.step(1, Direction::Undo);
    world.step(0, Direction::Undo);
    let clip = world.history.get(id).unwrap();
    assert_eq!((clip.state.title(), clip.state.is_pinned()), (Some("b"), false));
}

#[test]
fn a_copy_made_between_removal_and_undo_is_counted_beside_what_comes_back() {
    let mut world = World::new();
    world.copy(1);
    world.act(&Act::Title { clip: text_id(1), title: Some("stove".into()) }).unwrap();
    world.act(&Act::Remove { clips: vec![text_id(1)], spare_pinned: false }).unwrap();
    world.copy(1);
    let copied_at = world.history.get(text_id(1)).unwrap().copied_at();
    world.step(1, Direction::Undo);
    let clip = world.history.get(text_id(1)).unwrap();
    assert_eq!((clip.state.times_copied(), clip.state.title()), (2, Some("stove")));
    assert_eq!(clip.copied_at(), copied_at);
    // Made again, the removal spares what was copied since.
    world.step(1, Direction::Redo);
    assert!(world.history.get(text_id(1)).is_some());
}

#[test]
fn a_drawer_whose_clips_became_favorites_does_not_hang_an_order() {
    let mut world = World::new();
    (1..=3).for_each(|n| world.copy(n));
    world.act(&Act::NewDrawer { id: "d".into(), name: "D".into(), color: None, group: None }).unwrap();
    let put =
        Act::Keep { clips: vec![text_id(1), text_id(2)], place: Place::Drawer("D".into()), before: None };
    world.act(&put).unwrap();
    world.act(&Act::RemoveDrawer { drawer: "D".into() }).unwrap();
    let before = Some(text_id(2).to_string());
    world.act(&Act::Keep { clips: vec![text_id(3)], place: Place::Favorites, before }).unwrap();
    let favorites: Vec<ClipId> = world.history.favorites().into_iter().map(|clip| clip.id).collect();
    assert_eq!(favorites, [text_id(1), text_id(3), text_id(2)]);
}
