use proptest::prelude::*;

use super::*;
use crate::acts::act::Act;
use crate::acts::log::Direction;
use crate::acts::moment::Moment;
use crate::acts::record::ActRecord;
use crate::acts::{planning, step};
use crate::batch::After;
use crate::batch::batch::tests::piece;
use crate::clip::device::DeviceId;
use crate::merge::stamp::HybridClock;

/// A history, and the acts that were done in it.
struct World {
    history: History,
    clock: HybridClock,
    begun: u8,
    done: Vec<(ActKind, ActRecord, Vec<Seen>)>,
}

/// What a person sees of a batch: its name, its keys, whether it gathers, its items, and which is next.
type Seen = (BatchId, Option<String>, After, bool, Vec<(u32, String)>, usize);

impl World {
    fn new() -> Self {
        let clock = HybridClock::resume(DeviceId([1; 16]), None);
        Self { history: History::default(), clock, begun: 0, done: Vec::new() }
    }

    fn seen(&self) -> Vec<Seen> {
        let item = |item: &Arc<crate::batch::Item>| (item.id, item.piece.facts.head.clone());
        let mut all: Vec<Seen> = self
            .history
            .batches()
            .shown()
            .into_iter()
            .map(|one| {
                let items = one.items.iter().map(item).collect();
                let state = &one.state;
                (one.id, state.name.clone(), state.after_each, state.gathering, items, one.next)
            })
            .collect();
        all.sort_by_key(|one| one.0);
        all
    }

    fn act(&mut self, act: &Act) -> Result<(), ActError> {
        let before = self.seen();
        let mut moment = Moment { now: 100, clock: &mut self.clock };
        let plan = planning::plan(act, &self.history, &mut moment)?;
        self.done.push((plan.kind, ActRecord::of(&plan), before));
        for one in plan.batches {
            self.history.batches_mut().put(one.id, one.after);
        }
        Ok(())
    }

    /// Takes the last act back, and gives what was seen before it was done.
    fn undo(&mut self) -> Option<Vec<Seen>> {
        let (kind, record, before) = self.done.pop()?;
        self.turn(kind, &record, Direction::Undo);
        let after = self.seen();
        self.turn(kind, &record, Direction::Redo);
        self.turn(kind, &record, Direction::Undo);
        assert_eq!(self.seen(), after, "made again and taken back again, it is as it was");
        Some(before)
    }

    fn turn(&mut self, kind: ActKind, record: &ActRecord, direction: Direction) {
        // As it is recorded.
        let record = ActRecord::from_bytes(&record.to_bytes().unwrap()).unwrap();
        let mut moment = Moment { now: 100, clock: &mut self.clock };
        let stepped = step(kind, &record, direction, &self.history, &mut moment).unwrap();
        for one in stepped.batches {
            self.history.batches_mut().put(one.id, one.after);
        }
    }

    fn some_act(&mut self, what: u8, which: u8, at: u32) -> Act {
        let shown = self.history.batches().shown();
        let batch = shown.get(usize::from(which) % shown.len().max(1)).map_or(BatchId([0; 16]), |one| one.id);
        let word = format!("{what}{which}{at}");
        match what {
            0 => {
                self.begun += 1;
                let change = BatchChange { gathering: Some(which == 0), ..BatchChange::default() };
                let pieces = (0..at).map(|n| piece(n / 2, &format!("{word}{n}"))).collect();
                Act::NewBatch { id: BatchId([self.begun; 16]), pieces, change }
            }
            1 => Act::ChangeBatch {
                batch,
                change: BatchChange { name: Some((at > 1).then_some(word)), ..BatchChange::default() },
            },
            2 => Act::ChangeBatch {
                batch,
                change: BatchChange {
                    after_each: Some(if at > 2 { After::Tab } else { After::Enter }),
                    gathering: Some(at > 1),
                    ..BatchChange::default()
                },
            },
            3 => Act::ChangeItems {
                batch,
                change: ItemsChange::Add(vec![piece(0, &word), piece(1, "x")], (at > 1).then_some(at)),
            },
            4 => Act::ChangeItems { batch, change: ItemsChange::Drop(vec![at, at + 2]) },
            5 => {
                Act::ChangeItems { batch, change: ItemsChange::Move(vec![at, at + 1], (at > 2).then_some(1)) }
            }
            6 => Act::ChangeItems { batch, change: ItemsChange::Reverse },
            _ => Act::RemoveBatch { batch },
        }
    }
}

proptest! {
    #[test]
    fn every_act_on_batches_is_taken_back_exactly_and_made_again(
        acts in proptest::collection::vec((0u8..8, 0u8..4, 0u32..6), 1..20), handed in 0usize..4,
    ) {
        let mut world = World::new();
        for (n, (what, which, at)) in acts.into_iter().enumerate() {
            let act = world.some_act(what, which, at);
            // What can't be done says why, and changes nothing.
            let before = world.seen();
            if world.act(&act).is_err() {
                prop_assert_eq!(world.seen(), before);
            }
            if n == 3 {
                // What was handed out before the acts that follow stays so.
                let first = world.history.batches().in_hand().map(|one| Batch::clone(one));
                if let Some(mut batch) = first {
                    batch.next = handed.min(batch.items.len());
                    world.history.batches_mut().put(batch.id, Some(batch));
                    world.done.clear();
                }
            }
        }
        while let Some(before) = world.undo() {
            prop_assert_eq!(world.seen(), before);
        }
    }

    #[test]
    fn what_is_gathered_after_an_act_stays_when_it_is_taken_back(
        drops in proptest::collection::vec(1u32..6, 1..4), handed in 0usize..5,
    ) {
        let mut world = World::new();
        let pieces = (0..5).map(|n| piece(0, &n.to_string())).collect();
        world.act(&Act::NewBatch { id: BatchId([1; 16]), pieces, change: BatchChange::default() }).unwrap();
        let mut batch = Batch::clone(world.history.batches().in_hand().unwrap());
        batch.next = handed;
        world.history.batches_mut().put(batch.id, Some(batch));
        world.act(&Act::ChangeItems { batch: BatchId([1; 16]), change: ItemsChange::Drop(drops) }).unwrap();
        let mut batch = Batch::clone(world.history.batches().in_hand().unwrap());
        batch.add(vec![piece(0, "gathered")], None);
        world.history.batches_mut().put(batch.id, Some(batch));
        world.undo();
        let batch = world.history.batches().in_hand().unwrap();
        let texts: Vec<&str> = batch.items.iter().map(|item| item.piece.facts.head.as_str()).collect();
        prop_assert_eq!(texts, ["0", "1", "2", "3", "4", "gathered"]);
        prop_assert_eq!(batch.next, handed, "what was handed out is, and nothing else");
    }
}

#[test]
fn a_batch_that_was_handed_out_goes_when_another_is_begun_unless_it_has_a_name() {
    let mut world = World::new();
    let begin = |n: u8| Act::NewBatch {
        id: BatchId([n; 16]),
        pieces: vec![piece(0, "a")],
        change: BatchChange::default(),
    };
    world.act(&begin(1)).unwrap();
    let mut done = Batch::clone(world.history.batches().in_hand().unwrap());
    done.next = 1;
    world.history.batches_mut().put(done.id, Some(done.clone()));
    world.act(&begin(2)).unwrap();
    assert_eq!(world.history.batches().len(), 1);
    world.undo();
    assert_eq!(**world.history.batches().in_hand().unwrap(), done);
    let named = BatchChange { name: Some(Some("Permits".into())), ..BatchChange::default() };
    world.act(&Act::ChangeBatch { batch: done.id, change: named.clone() }).unwrap();
    world.act(&begin(3)).unwrap();
    assert_eq!(world.history.batches().len(), 2);
    let taken = world.act(&Act::ChangeBatch { batch: BatchId([3; 16]), change: named });
    assert_eq!(taken, Err(ActError::BatchNameTaken("Permits".into())));
}

#[test]
fn an_act_that_knows_what_items_hold_ends_with_the_grace_period() {
    let mut world = World::new();
    let batch = BatchId([1; 16]);
    let pieces = vec![piece(0, "a"), piece(0, "b")];
    let acts = [
        (Act::NewBatch { id: batch, pieces, change: BatchChange::default() }, true),
        (Act::ChangeItems { batch, change: ItemsChange::Add(vec![piece(0, "c")], None) }, true),
        (Act::ChangeItems { batch, change: ItemsChange::Reverse }, false),
        (Act::ChangeItems { batch, change: ItemsChange::Drop(vec![1]) }, true),
        (Act::RemoveBatch { batch }, true),
    ];
    for (act, ends) in acts {
        world.act(&act).unwrap();
        let (kind, record, _) = world.done.last().unwrap();
        assert_eq!(record.removes(), ends, "{kind:?}");
        let told = String::from_utf8(record.to_bytes().unwrap()).unwrap();
        assert_eq!(told.contains("\"head\""), ends, "{kind:?} tells of an item: {told}");
    }
}

#[test]
fn a_batch_has_room_for_so_many() {
    let mut world = World::new();
    let pieces = (0..MOST_ITEMS).map(|n| piece(0, &n.to_string())).collect();
    world.act(&Act::NewBatch { id: BatchId([1; 16]), pieces, change: BatchChange::default() }).unwrap();
    let more = ItemsChange::Add(vec![piece(0, "x")], None);
    let full = world.act(&Act::ChangeItems { batch: BatchId([1; 16]), change: more });
    assert_eq!(full, Err(ActError::BatchFull(MOST_ITEMS + 1)));
}
