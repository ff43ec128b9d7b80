//! Pushes: what is to come of each is decided here, on values; several are written at once.

use std::collections::BTreeMap;
use std::collections::btree_map::Entry;
use std::num::NonZeroUsize;

use bytes::Bytes;
use lru::LruCache;
use yadori_core::DeviceId;
use yadori_sync::record::Header;

/// What a device sends at once: records of one life of it, in the order of their sequences.
#[derive(Clone, Debug)]
pub struct Push {
    /// The group.
    pub group: [u8; 16],
    /// The records with their headers. Not empty; one device, one incarnation.
    pub records: Vec<(Header, Bytes)>,
    /// Blobs that they list, by the place of the record.
    pub listed: Vec<(usize, [u8; 16])>,
    /// A hash of all of it.
    pub hash: [u8; 32],
    /// The epoch in which the device was known to belong to the group.
    pub epoch: u64,
    /// Bytes that the group may have here.
    pub quota: u64,
    /// The time, in microseconds.
    pub now: i64,
}

impl Push {
    /// The bytes of its records.
    pub fn bytes(&self) -> u64 {
        self.records.iter().map(|(_, body)| body.len() as u64).sum()
    }

    /// The life of the device that sends it.
    fn life(&self) -> Option<Life> {
        let (first, _) = self.records.first()?;
        Some((first.device, first.incarnation))
    }
}

/// What came of a push.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pushed {
    /// All of it is here, now (under the numbers up to this) or already.
    Taken(u64),
    /// Other records are here under these sequences, or later ones.
    Older,
    /// The chain has gone on meanwhile: whether the device belongs is to be looked at again.
    Epoch,
    /// The group may have no more here.
    Full,
    /// There is no such group.
    NoGroup,
}

/// Groups that are remembered as they were left.
const GROUPS: NonZeroUsize = NonZeroUsize::new(4_096).unwrap();
/// Lives of its devices that a group remembers: those that sent last.
const LIVES: usize = 1_000;

/// A life of a device.
pub(super) type Life = (DeviceId, u64);

/// A group as it stands.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Group {
    pub(super) epoch: u64,
    pub(super) last: u64,
    pub(super) bytes: u64,
    pub(super) heads: Heads,
}

/// How far a life has come, and the hash of what was sent last.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Head {
    life: Life,
    sequence: u64,
    push: [u8; 32],
}

/// How far the lives of a group's devices have come: those that sent last at the end.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Heads(Vec<Head>);

/// Bytes of a head as it is kept.
const HEAD: usize = 64;

impl Heads {
    fn of(&self, life: Life) -> Option<&Head> {
        self.0.iter().rev().find(|head| head.life == life)
    }

    /// A life has come further.
    fn put(&mut self, head: Head) {
        self.0.retain(|one| one.life != head.life);
        self.0.push(head);
        let more = self.0.len().saturating_sub(LIVES);
        self.0.drain(..more);
    }

    /// As it is kept: one after the other, numbers with their highest byte first.
    pub(super) fn to_bytes(&self) -> Vec<u8> {
        let mut bytes = Vec::with_capacity(self.0.len() * HEAD);
        for Head { life: (device, incarnation), sequence, push } in &self.0 {
            bytes.extend(device.0);
            bytes.extend(incarnation.to_be_bytes());
            bytes.extend(sequence.to_be_bytes());
            bytes.extend(push);
        }
        bytes
    }

    /// Reads what is kept.
    pub(super) fn from_bytes(bytes: &[u8]) -> Self {
        let (heads, _) = bytes.as_chunks::<HEAD>();
        let read = |head: &[u8; HEAD]| {
            let (device, rest) = head.split_first_chunk()?;
            let (incarnation, rest) = rest.split_first_chunk()?;
            let (sequence, rest) = rest.split_first_chunk()?;
            Some(Head {
                life: (DeviceId(*device), u64::from_be_bytes(*incarnation)),
                sequence: u64::from_be_bytes(*sequence),
                push: rest.try_into().ok()?,
            })
        };
        Self(heads.iter().filter_map(read).collect())
    }
}

/// The groups that some pushes are about. One that is not there is not at the hub.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(super) struct Ledger(pub(super) BTreeMap<[u8; 16], Group>);

/// What some pushes change of a group.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Growth {
    /// How it stood before: written only where it still does.
    pub(super) epoch: u64,
    pub(super) before: u64,
    /// Numbers and bytes that it grows by.
    pub(super) records: u64,
    pub(super) bytes: u64,
    /// Bytes that it may have before that.
    pub(super) room: u64,
    pub(super) seen_at: i64,
    /// How far its devices have come then.
    pub(super) heads: Heads,
}

/// What came of some pushes, and what is to be written for it.
#[derive(Debug)]
pub(super) struct Plan<'a> {
    pub(super) pushed: Vec<Pushed>,
    /// Those whose records are written, with the number before the first.
    pub(super) taken: Vec<(&'a Push, u64)>,
    pub(super) grown: BTreeMap<[u8; 16], Growth>,
}

impl Ledger {
    /// What comes of a push after those before it; and, where it is written, the number before its first record.
    fn decide(&mut self, push: &Push) -> (Pushed, Option<u64>) {
        let (Some(life), Some((last, _))) = (push.life(), push.records.last()) else {
            return (Pushed::Older, None);
        };
        let Some(group) = self.0.get_mut(&push.group) else { return (Pushed::NoGroup, None) };
        if group.epoch != push.epoch {
            return (Pushed::Epoch, None);
        }
        if let Some(head) = group.heads.of(life)
            && push.records[0].0.sequence <= head.sequence
        {
            let same = head.push == push.hash;
            return (if same { Pushed::Taken(group.last) } else { Pushed::Older }, None);
        }
        let bytes = push.bytes();
        if group.bytes.saturating_add(bytes) > push.quota {
            return (Pushed::Full, None);
        }
        let before = group.last;
        group.last += push.records.len() as u64;
        group.bytes += bytes;
        group.heads.put(Head { life, sequence: last.sequence, push: push.hash });
        (Pushed::Taken(group.last), Some(before))
    }

    /// What comes of some pushes, each after those before it. The ledger is as it is then.
    pub(super) fn plan<'a>(&mut self, pushes: &'a [Push]) -> Plan<'a> {
        let before = self.clone();
        let (mut pushed, mut taken) = (Vec::with_capacity(pushes.len()), Vec::new());
        for push in pushes {
            let (outcome, number) = self.decide(push);
            pushed.push(outcome);
            taken.extend(number.map(|number| (push, number)));
        }
        let mut grown = BTreeMap::new();
        for (push, _) in &taken {
            let (was, now) = (&before.0[&push.group], &self.0[&push.group]);
            let bytes = now.bytes - was.bytes;
            let growth = grown.entry(push.group).or_insert_with(|| Growth {
                epoch: was.epoch,
                before: was.last,
                records: now.last - was.last,
                bytes,
                room: u64::MAX,
                seen_at: 0,
                heads: now.heads.clone(),
            });
            growth.room = growth.room.min(push.quota.saturating_sub(bytes));
            growth.seen_at = growth.seen_at.max(push.now);
        }
        Plan { pushed, taken, grown }
    }
}

impl Plan<'_> {
    /// Every push is written: nothing was decided that a look at the database might see otherwise.
    pub(super) fn takes_all(&self) -> bool {
        self.taken.len() == self.pushed.len()
    }
}

/// Groups as they were left by the last push that was taken here. Another process may have gone on with them: what is written
/// by this is written only where it still holds.
#[derive(Debug)]
pub(super) struct Left(LruCache<[u8; 16], Group>);

impl Default for Left {
    fn default() -> Self {
        Self(LruCache::new(GROUPS))
    }
}

impl Left {
    /// The ledger for these pushes, where all of it is known; it is forgotten here until it is put back.
    pub(super) fn take(&mut self, pushes: &[Push]) -> Option<Ledger> {
        let mut ledger = Ledger::default();
        for push in pushes {
            if let Entry::Vacant(missing) = ledger.0.entry(push.group) {
                missing.insert(self.0.pop(&push.group)?);
            }
        }
        Some(ledger)
    }

    /// Remembers a ledger that holds.
    pub(super) fn put(&mut self, ledger: Ledger) {
        for (id, group) in ledger.0 {
            self.0.put(id, group);
        }
    }
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use proptest::prelude::*;
    use yadori_sync::keys::Subject;

    use super::*;

    fn push(group: u8, device: u8, (from, records): (u64, u64), epoch: u64, quota: u64) -> Push {
        let header = |sequence| Header {
            group: [group; 16],
            epoch,
            device: DeviceId([device; 16]),
            incarnation: 1,
            sequence,
            seen: 0,
            subject: Subject([0; 32]),
        };
        let records = (from..from + records).map(|n| (header(n), Bytes::from_static(&[0; 10])));
        let hash = *blake3::hash(&[group, device, u8::try_from(from).unwrap()]).as_bytes();
        let records = records.collect();
        Push { group: [group; 16], records, listed: Vec::new(), hash, epoch, quota, now: 7 }
    }

    fn ledger() -> Ledger {
        let group = Group { epoch: 2, ..Group::default() };
        Ledger((0..2).map(|n| ([n; 16], group.clone())).collect())
    }

    #[test]
    fn the_same_again_is_recognised_and_anything_else_is_refused() {
        let mut ledger = ledger();
        assert_eq!(ledger.decide(&push(0, 1, (1, 3), 2, 100)), (Pushed::Taken(3), Some(0)));
        assert_eq!(ledger.decide(&push(0, 1, (1, 3), 2, 100)), (Pushed::Taken(3), None));
        assert_eq!(ledger.decide(&push(0, 1, (2, 3), 2, 100)), (Pushed::Older, None));
        assert_eq!(ledger.decide(&push(0, 1, (4, 1), 1, 100)), (Pushed::Epoch, None));
        assert_eq!(ledger.decide(&push(0, 1, (4, 8), 2, 100)), (Pushed::Full, None));
        assert_eq!(ledger.decide(&push(1, 1, (4, 8), 2, 100)), (Pushed::Taken(8), Some(0)), "another group");
        assert_eq!(ledger.decide(&push(7, 1, (1, 1), 2, 100)), (Pushed::NoGroup, None));
        assert_eq!(ledger.decide(&push(0, 1, (4, 0), 2, 100)), (Pushed::Older, None));
    }

    #[test]
    fn what_is_remembered_is_whole_or_not_at_all() {
        let mut left = Left::default();
        let mut known = ledger();
        assert!(known.plan(&[push(0, 1, (1, 3), 2, 100), push(1, 1, (1, 1), 2, 100)]).takes_all());
        left.put(known.clone());
        assert!(left.take(&[push(0, 1, (4, 1), 2, 100), push(3, 1, (1, 1), 2, 100)]).is_none());
        assert!(left.take(&[push(0, 1, (4, 1), 2, 100)]).is_none(), "forgotten until it is put back");
        left.put(known.clone());
        assert_eq!(left.take(&[push(0, 1, (4, 1), 2, 100), push(1, 1, (2, 1), 2, 100)]), Some(known));
    }

    #[test]
    fn of_many_lives_those_that_sent_last_are_remembered() {
        let mut ledger = ledger();
        let life = |n: u64| {
            let mut push = push(0, 1, (1, 1), 2, u64::MAX);
            push.records[0].0.incarnation = n;
            push
        };
        let lives = LIVES as u64;
        assert!((1..=lives + 2).all(|n| ledger.decide(&life(n)).1.is_some()));
        assert_eq!(ledger.decide(&life(3)).1, None);
        assert!(ledger.decide(&life(2)).1.is_some());
        assert_eq!(ledger.0[&[0; 16]].heads.to_bytes().len(), LIVES * HEAD);
    }

    proptest! {
        #[test]
        fn whatever_comes_numbers_have_no_gap_and_no_group_has_more_than_it_may(
            all in proptest::collection::vec((0..3_u8, 0..3_u8, 1..20_u64, 1..5_u64, 1..4_u64), 1..60),
        ) {
            let mut ledger = ledger();
            let mut taken: HashMap<[u8; 16], Vec<u64>> = HashMap::new();
            let pushes = all.iter().map(|&(group, device, from, records, epoch)| {
                push(group, device, (from, records), epoch, 300)
            });
            for some in pushes.collect::<Vec<_>>().chunks(7) {
                let before = ledger.clone();
                let plan = ledger.plan(some);
                for (push, before) in &plan.taken {
                    let records = push.records.len() as u64;
                    taken.entry(push.group).or_default().extend(before + 1..=before + records);
                }
                // What is written makes of the ledger before the one after.
                for (id, group) in &ledger.0 {
                    let was = &before.0[id];
                    let grown = plan.grown.get(id).map_or((0, 0), |grown| (grown.records, grown.bytes));
                    prop_assert_eq!((group.last, group.bytes), (was.last + grown.0, was.bytes + grown.1));
                    if let Some(grown) = plan.grown.get(id) {
                        prop_assert_eq!((grown.before, grown.epoch), (was.last, was.epoch));
                        prop_assert!(was.bytes <= grown.room && grown.room + grown.bytes <= 300);
                        prop_assert_eq!(&Heads::from_bytes(&grown.heads.to_bytes()), &group.heads);
                    } else {
                        prop_assert_eq!(&group.heads, &was.heads);
                    }
                }
            }
            for (id, group) in &ledger.0 {
                let numbers = taken.remove(id).unwrap_or_default();
                prop_assert_eq!(numbers, (1..=group.last).collect::<Vec<_>>());
                prop_assert_eq!(group.bytes, group.last * 10);
                prop_assert!(group.bytes <= 300);
            }
            prop_assert!(taken.is_empty());
        }
    }
}
