//! Whatever is cleared, in portions of any size and with whatever else done in between: what was not meant stays, and
//! taking it back brings back exactly what it took.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::*;
use crate::acts::capture::{Copied, capture};
use crate::clip::device::DeviceId;
use crate::clip::facts::{Facts, Kind};
use crate::clip::id::Class;
use crate::merge::clip::{Kept, OfferRecord, RepresentationRecord};
use crate::merge::stamp::HybridClock;

const DEVICE: DeviceId = DeviceId([1; 16]);

struct World {
    history: History,
    clock: HybridClock,
    now: Micros,
    parts: Vec<ClipChange>,
}

type Faces = BTreeMap<ClipId, ClipFace>;

fn text_of(n: u8) -> String {
    if n.is_multiple_of(3) { format!("https://huts.example/{n}") } else { format!("note {n}") }
}

fn id_of(n: u8) -> ClipId {
    ClipId::of(Class::Text, &[text_of(n).as_bytes()])
}

impl World {
    fn members(&self, scope: &Scope) -> Vec<ClipId> {
        let upto = self.history.newest();
        let taken = self.history.oldest_first().filter(|clip| is_member(clip, scope, None, upto));
        taken.map(|clip| clip.id).collect()
    }

    fn new() -> Self {
        let clock = HybridClock::resume(DEVICE, None);
        Self { history: History::default(), clock, now: 1_000_000, parts: Vec::new() }
    }

    fn moment(&mut self) -> Moment<'_> {
        self.now += 1_000;
        Moment { now: self.now, clock: &mut self.clock }
    }

    fn copy(&mut self, n: u8) {
        let text = text_of(n);
        let digest = crate::clip::content::Content::new(text.clone()).digest();
        let size = text.len() as u64;
        let record = OfferRecord {
            representations: vec![RepresentationRecord { mime: "text/plain".into(), size, digest }],
            ..OfferRecord::default()
        };
        let facts = Facts::of_text(&text, size, false);
        let at = self.now + 1_000;
        let copied = Copied { id: id_of(n), facts, record, at, at_start: false, on_top: true, extra: None };
        let (known, newest) = (self.history.stored(id_of(n)), self.history.newest());
        let after = capture(known, &copied, newest, &mut self.moment());
        self.history.settle(after);
    }

    fn pin(&mut self, n: u8, kept: Kept) {
        let mut stored = self.history.stored(id_of(n));
        if !stored.state.is_there() {
            return;
        }
        let newest = stored.state.newest_stamp();
        let stamp = self.moment().stamp(newest);
        stored.state.keep(kept, stamp);
        self.history.settle(stored);
    }

    fn title(&mut self, n: u8) {
        let mut stored = self.history.stored(id_of(n));
        if stored.state.is_there() {
            let newest = stored.state.newest_stamp();
            stored.state.title = self.moment().write(newest, Some(format!("title {n}")));
            self.history.settle(stored);
        }
    }

    fn faces(&self) -> Faces {
        self.history
            .from(1)
            .filter_map(|clip| Some((clip.id, ClipFace::of(&StoredClip::from(&*clip))?)))
            .collect()
    }

    fn order(&self) -> Vec<ClipId> {
        self.history.from(1).map(|clip| clip.id).collect()
    }

    fn apply(&mut self, parts: Vec<Part>) {
        let all = parts
            .into_iter()
            .map(|part| {
                let mut merged = part.plan.before.state.clone();
                merged.merge(&part.plan.after.state);
                assert_eq!(
                    merged.is_there(),
                    part.plan.after.state.is_there(),
                    "what it writes wins on every device"
                );
                self.parts.push(part.change);
                part.plan.after
            })
            .collect();
        self.history.settle_many(all, &[]);
    }

    fn clear(&mut self, ids: &[ClipId], favorites: bool, floor: Option<Stamp>) {
        let before: Vec<StoredClip> = ids.iter().map(|id| self.history.stored(*id)).collect();
        let mut moment = self.moment();
        let parts =
            before.into_iter().filter_map(|clip| clear_one(clip, favorites, floor, &mut moment)).collect();
        self.apply(parts);
    }

    fn step(&mut self, direction: Direction, favorites: bool, portion: usize) {
        let all = std::mem::take(&mut self.parts);
        for changes in all.chunks(portion) {
            self.now += 1_000;
            let mut moment = Moment { now: self.now, clock: &mut self.clock };
            let parts = changes
                .iter()
                .filter_map(|one| step_part(one, direction, favorites, &self.history, &mut moment))
                .collect();
            self.apply(parts);
        }
    }
}

#[derive(Clone, Debug)]
enum Meanwhile {
    Copy(u8),
    Pin(u8),
    Title(u8),
}

fn any_scope() -> impl Strategy<Value = Scope> {
    (proptest::option::of(Just(Kind::Link)), proptest::option::of(1_000_000i64..1_060_000), any::<bool>())
        .prop_map(|(kind, since, favorites)| Scope { kind, since, favorites, ..Scope::default() })
}

fn any_meanwhile() -> impl Strategy<Value = Meanwhile> {
    let n = 0u8..30;
    prop_oneof![
        n.clone().prop_map(Meanwhile::Copy),
        n.clone().prop_map(Meanwhile::Pin),
        n.prop_map(Meanwhile::Title)
    ]
}

proptest! {
    #[test]
    fn taking_a_clearing_back_restores_exactly_and_again_and_again(
        copies in proptest::collection::vec(0u8..30, 1..50), pins in proptest::collection::vec(0u8..30, 0..8),
        titles in proptest::collection::vec(0u8..30, 0..8), scope in any_scope(), portion in 1usize..9,
    ) {
        let mut world = World::new();
        copies.iter().for_each(|n| world.copy(*n));
        for (n, pin) in pins.iter().enumerate() {
            world.pin(*pin, Kept::Favorite(format!("m{n}")));
        }
        titles.iter().for_each(|n| world.title(*n));
        let (before, order) = (world.faces(), world.order());
        let ids = world.members(&scope);
        let floor = world.clock.last();
        for some in ids.chunks(portion) {
            world.clear(some, scope.favorites, floor);
        }
        let cleared = world.faces();
        for (id, face) in &before {
            let kept = face.kept != Kept::No;
            prop_assert_eq!(cleared.contains_key(id), !ids.contains(id), "exactly what it means goes");
            prop_assert!(!kept || scope.favorites || cleared.contains_key(id), "a favorite went");
        }
        for _ in 0..3 {
            world.step(Direction::Undo, scope.favorites, portion);
            prop_assert_eq!(&world.faces(), &before);
            prop_assert_eq!(&world.order(), &order);
            world.step(Direction::Redo, scope.favorites, portion);
            prop_assert_eq!(&world.faces(), &cleared);
        }
    }

    #[test]
    fn what_was_pinned_copied_or_titled_meanwhile_stays(
        copies in proptest::collection::vec(0u8..30, 1..50), first in 0usize..20,
        meanwhile in proptest::collection::vec(any_meanwhile(), 0..12), scope in any_scope(),
    ) {
        let scope = Scope { favorites: false, ..scope };
        let mut world = World::new();
        copies.iter().for_each(|n| world.copy(*n));
        let ids = world.members(&scope);
        let floor = world.clock.last();
        let (some, rest) = ids.split_at(first.min(ids.len()));
        world.clear(some, false, floor);
        for one in &meanwhile {
            match one {
                Meanwhile::Copy(n) => world.copy(*n),
                Meanwhile::Pin(n) => world.pin(*n, Kept::Favorite("m".into())),
                Meanwhile::Title(n) => world.title(*n),
            }
        }
        let touched = world.faces();
        let pinned: Vec<ClipId> =
            touched.iter().filter(|(_, face)| face.kept != Kept::No).map(|(id, _)| *id).collect();
        world.clear(rest, false, floor);
        let now = world.faces();
        for one in &meanwhile {
            let (Meanwhile::Copy(n) | Meanwhile::Pin(n) | Meanwhile::Title(n)) = one;
            let id = id_of(*n);
            prop_assert_eq!(now.get(&id), touched.get(&id), "what was touched meanwhile stays as it is");
        }
        world.step(Direction::Undo, false, 4);
        let back = world.faces();
        for id in pinned {
            prop_assert!(back.get(&id).is_some_and(|face| face.kept != Kept::No));
        }
        prop_assert!(ids.iter().all(|id| back.contains_key(id)), "everything is back");
    }
}
