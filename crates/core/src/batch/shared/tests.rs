//! Generated sequences of acts on several devices, whose records come late, twice, in another order, or only in part.

use std::convert::Infallible;

use proptest::prelude::*;

use super::*;
use crate::batch::batch::tests::piece as bare;
use crate::clip::content::Digest;
use crate::clip::device::DeviceId;
use crate::merge::clip::RepresentationRecord;
use crate::merge::stamp::HybridClock;

/// A piece with a content of its own.
fn piece(record: u32, text: &str) -> Piece {
    let mut piece = bare(record, text);
    piece.offer.representations.push(RepresentationRecord {
        mime: "text/plain".into(),
        size: text.len() as u64,
        digest: Digest::of(text.as_bytes()),
    });
    piece
}

const ID: BatchId = BatchId([7; 16]);

#[derive(Clone, Debug)]
enum Step {
    Add(u8),
    Drop(u8),
    Reverse,
    Name(Option<u8>),
    Hand(u8),
    Remove,
    /// Takes back what was removed or dropped last.
    Back,
    /// Hears of everything that another device has, some of it twice.
    Hear(u8),
}

fn step() -> impl Strategy<Value = (u8, Step)> {
    let step = prop_oneof![
        6 => any::<u8>().prop_map(Step::Add),
        3 => any::<u8>().prop_map(Step::Drop),
        2 => Just(Step::Reverse),
        2 => proptest::option::of(any::<u8>()).prop_map(Step::Name),
        2 => any::<u8>().prop_map(Step::Hand),
        1 => Just(Step::Remove),
        2 => Just(Step::Back),
        6 => any::<u8>().prop_map(Step::Hear),
    ];
    (0_u8..3, step)
}

#[derive(Debug)]
struct Device {
    number: u8,
    clock: HybridClock,
    now: Micros,
    shared: SharedBatch,
    batch: Option<Batch>,
    before: Option<Batch>,
    keys: u64,
    /// Pieces that it has ever had, by key: what is sent of items is read from the batch; what it was told, from here.
    pieces: HashMap<ItemKey, Piece>,
}

impl Device {
    fn new(number: u8) -> Self {
        let clock = HybridClock::resume(DeviceId([number; 16]), None);
        // Its clock is off by years.
        let now = (1_800_000_000 + i64::from(number) * 90_000_000) * 1_000_000;
        let (shared, keys) = (SharedBatch::default(), 0);
        Self { number, clock, now, shared, batch: None, before: None, keys, pieces: HashMap::new() }
    }

    fn note(&mut self) {
        self.now += 1_000;
        let (number, keys) = (self.number, &mut self.keys);
        let key = || {
            *keys += 1;
            let random = blake3::hash(&[&[number][..], &keys.to_be_bytes()].concat());
            Ok::<_, Infallible>(ItemKey(*random.as_bytes().first_chunk().unwrap()))
        };
        let now = u64::try_from(self.now / 1_000).unwrap();
        let clock = &mut self.clock;
        let Ok(changed) = self.shared.note(self.batch.as_ref(), key, |subject| clock.tick(now, subject));
        let known = self.batch.as_ref().map(Batch::known).unwrap_or_default();
        for (key, one) in &self.shared.items {
            if let Some(item) = one.local.and_then(|local| known.get(&local)) {
                self.pieces.insert(*key, item.piece.clone());
            }
        }
        let again = self.shared.note(
            self.batch.as_ref(),
            || -> Result<ItemKey, ()> { Err(()) },
            |subject| clock.tick(now, subject),
        );
        assert_eq!(again, Ok(Changed::default()), "what was noted is not noted again: {changed:?}");
    }

    fn act(&mut self, step: &Step) {
        let was = self.batch.clone();
        match (step, &mut self.batch) {
            (Step::Add(n), Some(batch)) => batch.add(vec![piece(u32::from(n % 3), &format!("{n}"))], None),
            (Step::Add(n), none) => {
                let mut batch = Batch::begun(ID, self.now);
                batch.add(vec![piece(0, &format!("{n}"))], None);
                *none = Some(batch);
            }
            (Step::Drop(n), Some(batch)) if !batch.items.is_empty() => {
                let at = usize::from(*n) % batch.items.len();
                let (mut order, known, handed) = (batch.order(), batch.known(), batch.handed());
                order.remove(at);
                batch.put_in_order(&order, &known, &handed);
                self.before = was;
            }
            (Step::Reverse, Some(batch)) => batch.items.reverse(),
            (Step::Name(name), Some(batch)) => batch.state.name = name.map(|n| format!("{n}")),
            (Step::Hand(n), Some(batch)) => batch.next = usize::from(*n) % (batch.items.len() + 1),
            (Step::Remove, all) if all.is_some() => {
                self.before = all.take();
            }
            (Step::Back, all) => {
                if let Some(mut before) = self.before.take() {
                    // Numbers are never used again.
                    let next = all.as_ref().map_or(0, |batch| batch.state.next_id);
                    before.state.next_id = before.state.next_id.max(next);
                    *all = Some(before);
                }
            }
            _ => {}
        }
        self.note();
    }

    fn said(&self) -> (BatchHead, Vec<(ItemKey, ItemSaid)>) {
        let items = self.shared.items.iter().map(|(key, one)| {
            let piece = one.there.then(|| self.pieces[key].clone());
            (*key, ItemSaid { at: one.at, piece })
        });
        (self.shared.head.clone(), items.collect())
    }

    /// Records come in one order or the other; the first half of them twice.
    fn hear(&mut self, (head, items): &(BatchHead, Vec<(ItemKey, ItemSaid)>), turned: bool) {
        let mut items: Vec<_> = items.iter().chain(&items[..items.len() / 2]).collect();
        if turned {
            items.reverse();
        } else {
            self.shared.merge_head(head);
        }
        let upcoming = self.batch.as_ref().and_then(Batch::upcoming).map(|item| item.id);
        let mut pieces = HashMap::new();
        for (key, said) in items {
            if self.shared.merge_item(*key, said)
                && let Some(piece) = &said.piece
            {
                pieces.insert(*key, piece.clone());
            }
        }
        if turned {
            self.shared.merge_head(head);
        }
        let handed: HashSet<u32> = self.batch.as_ref().map(Batch::handed).unwrap_or_default();
        let after = self.shared.shown(ID, self.batch.as_ref(), &pieces, None);
        if let (Some(after), Some(upcoming)) = (&after, upcoming)
            && after.items.iter().any(|item| item.id == upcoming)
        {
            let next = after.upcoming().map(|item| item.id);
            assert!(next.is_some_and(|next| !handed.contains(&next)), "what was handed out here stays so");
        }
        self.batch = after;
        self.pieces.extend(pieces);
        self.note();
    }

    /// What a person sees that devices agree on.
    fn seen(&self) -> Option<(Said, Vec<Piece>)> {
        let batch = self.batch.as_ref()?;
        let pieces = batch.items.iter().map(|item| item.piece.clone());
        // When it was begun is told by what is said of it, or by what came first.
        Some((Said { made_at: 0, ..Said::of(batch) }, pieces.collect()))
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1500))]
    #[test]
    fn devices_that_have_heard_of_each_other_have_the_same_batch(
        steps in proptest::collection::vec(step(), 0..40),
    ) {
        let mut devices: Vec<Device> = (0..3).map(Device::new).collect();
        for (number, (who, step)) in steps.iter().enumerate() {
            if let Step::Hear(of) = step {
                let said = devices[usize::from(of % 3)].said();
                devices[usize::from(*who)].hear(&said, number % 2 == 0);
            } else {
                devices[usize::from(*who)].act(step);
            }
        }
        // Twice round, so that everything has come everywhere.
        for round in 0..2 {
            for (to, from) in [(0, 1), (1, 2), (2, 0), (0, 2), (1, 0), (2, 1)] {
                let said = devices[from].said();
                devices[to].hear(&said, round == 0);
            }
        }
        let heads: Vec<_> = devices.iter().map(|one| (one.shared.order(), one.seen())).collect();
        prop_assert_eq!(&heads[0], &heads[1]);
        prop_assert_eq!(&heads[1], &heads[2]);
    }

    /// Whatever else happened: what one device adds while others put in order, name and add is lost nowhere.
    #[test]
    fn nothing_that_was_added_is_lost(adds in proptest::collection::vec((0_u8..3, any::<u8>(), any::<bool>()), 1..30)) {
        let mut devices: Vec<Device> = (0..3).map(Device::new).collect();
        let mut words = Vec::new();
        for (who, n, turned) in &adds {
            let device = &mut devices[usize::from(*who)];
            device.act(&Step::Add(*n));
            words.push(format!("{n}"));
            let then = if *turned { Step::Reverse } else { Step::Name(Some(*n)) };
            device.act(&then);
        }
        for _ in 0..2 {
            for (to, from) in [(0, 1), (1, 2), (2, 0), (0, 2)] {
                let said = devices[from].said();
                devices[to].hear(&said, false);
            }
        }
        words.sort();
        for device in &devices {
            let batch = device.batch.as_ref().unwrap();
            let mut have: Vec<String> = batch.items.iter().map(|item| item.piece.facts.head.clone()).collect();
            have.sort();
            prop_assert_eq!(&have, &words);
        }
    }
}

#[test]
fn what_comes_does_not_take_the_place_of_what_is_in_hand() {
    let mut laptop = Device::new(1);
    laptop.act(&Step::Add(1));
    let mut desk = Batch::begun(BatchId([9; 16]), 5);
    desk.add(vec![piece(0, "here")], None);
    let (head, items) = laptop.said();
    let mut shared = SharedBatch::default();
    shared.merge_head(&head);
    let mut pieces = HashMap::new();
    for (key, said) in items {
        shared.merge_item(key, &said);
        pieces.extend(said.piece.map(|piece| (key, piece)));
    }
    let came = shared.clone().shown(ID, None, &pieces, Some(&desk)).unwrap();
    assert!(came.used_at < desk.used_at);
    desk.next = 1;
    let came = shared.shown(ID, None, &pieces, Some(&desk)).unwrap();
    assert!(came.used_at > desk.used_at, "what was handed out has done its work");
}

#[test]
fn another_piece_under_a_number_of_a_restored_history_is_another_item() {
    let mut device = Device::new(1);
    device.act(&Step::Add(1));
    let first = device.shared.order();
    let mut other = Batch::begun(ID, 5);
    other.add(vec![piece(0, "two")], None);
    device.batch = Some(other);
    device.note();
    assert_ne!(device.shared.order(), first);
    assert!(!device.shared.items[&first[0]].there);
}
