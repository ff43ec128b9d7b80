//! Pushes: what is to come of each is decided here, on values; several are written at once.

use std::collections::{BTreeMap, HashMap};
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
    pub(super) fn life(&self) -> Option<Life> {
        let (first, _) = self.records.first()?;
        Some((self.group, first.device, first.incarnation))
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

/// Groups that are remembered as they were left, and lives of devices in each.
const GROUPS: NonZeroUsize = NonZeroUsize::new(4_096).unwrap();
const LIVES: usize = 64;

/// A life of a device in a group.
pub(super) type Life = ([u8; 16], DeviceId, u64);

/// A group as it stands in the transaction.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Group {
    pub(super) epoch: u64,
    pub(super) last: u64,
    pub(super) bytes: u64,
}

/// How far a life has come, and the hash of what was sent last.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Head {
    pub(super) sequence: u64,
    pub(super) push: [u8; 32],
}

/// The groups and lives that some pushes are about. A group or a life that is not there is not at the hub.
#[derive(Clone, Debug, Default)]
pub(super) struct Ledger {
    pub(super) groups: BTreeMap<[u8; 16], Group>,
    pub(super) heads: HashMap<Life, Head>,
}

/// What some pushes change of a group.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
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
}

/// What came of some pushes, and what is to be written for it.
#[derive(Debug)]
pub(super) struct Plan<'a> {
    pub(super) pushed: Vec<Pushed>,
    /// Those whose records are written, with the number before the first.
    pub(super) taken: Vec<(&'a Push, u64)>,
    pub(super) grown: BTreeMap<[u8; 16], Growth>,
    /// How far lives have come then.
    pub(super) heads: BTreeMap<Life, Head>,
}

impl Ledger {
    /// What comes of a push after those before it; and, where it is written, the number before its first record.
    fn decide(&mut self, push: &Push) -> (Pushed, Option<u64>) {
        let (Some(life), Some((last, _))) = (push.life(), push.records.last()) else {
            return (Pushed::Older, None);
        };
        let Some(group) = self.groups.get_mut(&push.group) else { return (Pushed::NoGroup, None) };
        if group.epoch != push.epoch {
            return (Pushed::Epoch, None);
        }
        if let Some(head) = self.heads.get(&life)
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
        self.heads.insert(life, Head { sequence: last.sequence, push: push.hash });
        (Pushed::Taken(group.last), Some(before))
    }

    /// What comes of some pushes, each after those before it. The ledger is as it is then.
    pub(super) fn plan<'a>(&mut self, pushes: &'a [Push]) -> Plan<'a> {
        let before = self.groups.clone();
        let (mut pushed, mut taken) = (Vec::with_capacity(pushes.len()), Vec::new());
        let (mut grown, mut heads) = (BTreeMap::new(), BTreeMap::new());
        for push in pushes {
            let (outcome, number) = self.decide(push);
            pushed.push(outcome);
            let (Some(number), Some(life)) = (number, push.life()) else { continue };
            taken.push((push, number));
            heads.extend(self.heads.get(&life).map(|head| (life, *head)));
            let (was, now) = (&before[&push.group], &self.groups[&push.group]);
            let growth = Growth {
                epoch: was.epoch,
                before: was.last,
                records: now.last - was.last,
                bytes: now.bytes - was.bytes,
                room: push.quota.saturating_sub(now.bytes - was.bytes),
                seen_at: push.now,
            };
            grown
                .entry(push.group)
                .and_modify(|all: &mut Growth| {
                    let (room, seen_at) = (all.room.min(growth.room), all.seen_at.max(growth.seen_at));
                    *all = Growth { room, seen_at, ..growth };
                })
                .or_insert(growth);
        }
        Plan { pushed, taken, grown, heads }
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
pub struct Left(LruCache<[u8; 16], (Group, HashMap<Life, Head>)>);

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
            if !ledger.groups.contains_key(&push.group) {
                let (group, heads) = self.0.pop(&push.group)?;
                ledger.groups.insert(push.group, group);
                ledger.heads.extend(heads);
            }
            // A life that is not remembered may be at the hub.
            ledger.heads.get(&push.life()?)?;
        }
        Some(ledger)
    }

    /// Remembers a ledger that holds.
    pub(super) fn put(&mut self, ledger: Ledger) {
        let mut heads: HashMap<[u8; 16], HashMap<Life, Head>> = HashMap::new();
        for (life, head) in ledger.heads {
            heads.entry(life.0).or_default().insert(life, head);
        }
        for (id, group) in ledger.groups {
            let mut heads = heads.remove(&id).unwrap_or_default();
            if heads.len() > LIVES {
                heads.clear();
            }
            self.0.put(id, (group, heads));
        }
    }
}

#[cfg(test)]
mod tests {
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
        let group = Group { epoch: 2, last: 0, bytes: 0 };
        Ledger { groups: (0..2).map(|n| ([n; 16], group.clone())).collect(), heads: HashMap::new() }
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
        assert!(left.take(&[push(0, 1, (1, 1), 2, 100)]).is_none());
        let mut known = ledger();
        let first = [push(0, 1, (1, 3), 2, 100), push(1, 1, (1, 1), 2, 100)];
        assert!(known.plan(&first).takes_all());
        left.put(known.clone());
        // A life that was never seen may be at the hub.
        assert!(left.take(&[push(0, 2, (1, 1), 2, 100)]).is_none());
        assert!(left.take(&[push(0, 1, (4, 1), 2, 100)]).is_none(), "forgotten until it is put back");
        left.put(known.clone());
        let taken = left.take(&[push(0, 1, (4, 1), 2, 100), push(1, 1, (2, 1), 2, 100)]).unwrap();
        assert_eq!((&taken.groups, &taken.heads), (&known.groups, &known.heads));
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
                for (id, group) in &ledger.groups {
                    let was = &before.groups[id];
                    let grown = plan.grown.get(id).map_or((0, 0), |grown| (grown.records, grown.bytes));
                    prop_assert_eq!((group.last, group.bytes), (was.last + grown.0, was.bytes + grown.1));
                    if let Some(grown) = plan.grown.get(id) {
                        prop_assert_eq!((grown.before, grown.epoch), (was.last, was.epoch));
                        prop_assert!(was.bytes <= grown.room && grown.room + grown.bytes <= 300);
                    }
                }
                let mut heads = before.heads.clone();
                heads.extend(plan.heads.iter().map(|(life, head)| (*life, *head)));
                prop_assert_eq!(&heads, &ledger.heads);
            }
            for (id, group) in &ledger.groups {
                let numbers = taken.remove(id).unwrap_or_default();
                prop_assert_eq!(numbers, (1..=group.last).collect::<Vec<_>>());
                prop_assert_eq!(group.bytes, group.last * 10);
                prop_assert!(group.bytes <= 300);
            }
            prop_assert!(taken.is_empty());
        }
    }
}
