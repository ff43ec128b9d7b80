//! Pushes: what is to come of each is decided here, on values; several are written at once.

use std::collections::HashMap;

use bytes::Bytes;
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

/// A life of a device in a group.
pub(super) type Life = ([u8; 16], DeviceId, u64);

/// A group as it stands in the transaction.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Group {
    pub(super) epoch: u64,
    pub(super) head: Vec<u8>,
    pub(super) made_at: i64,
    pub(super) last: u64,
    pub(super) bytes: u64,
    pub(super) seen_at: i64,
    /// Something was taken.
    pub(super) changed: bool,
}

/// How far a life has come, and the hash of what was sent last.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Head {
    pub(super) sequence: u64,
    pub(super) push: [u8; 32],
    /// It has come further.
    pub(super) changed: bool,
}

/// The groups and lives that some pushes are about.
#[derive(Clone, Debug, Default)]
pub(super) struct Ledger {
    pub(super) groups: HashMap<[u8; 16], Group>,
    pub(super) heads: HashMap<Life, Head>,
}

impl Ledger {
    /// What comes of a push after those before it; and, where it is written, the number before its first record.
    pub(super) fn decide(&mut self, push: &Push) -> (Pushed, Option<u64>) {
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
        group.seen_at = group.seen_at.max(push.now);
        group.changed = true;
        self.heads.insert(life, Head { sequence: last.sequence, push: push.hash, changed: true });
        (Pushed::Taken(group.last), Some(before))
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
        let group =
            Group { epoch: 2, head: vec![], made_at: 1, last: 0, bytes: 0, seen_at: 1, changed: false };
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

    proptest! {
        #[test]
        fn whatever_comes_numbers_have_no_gap_and_no_group_has_more_than_it_may(
            all in proptest::collection::vec((0..3_u8, 0..3_u8, 1..20_u64, 1..5_u64, 1..4_u64), 1..60),
        ) {
            let mut ledger = ledger();
            let mut taken: HashMap<[u8; 16], Vec<u64>> = HashMap::new();
            for (group, device, from, records, epoch) in all {
                let push = push(group, device, (from, records), epoch, 300);
                if let (outcome, Some(before)) = ledger.decide(&push) {
                    prop_assert_eq!(outcome, Pushed::Taken(before + records));
                    taken.entry(push.group).or_default().extend(before + 1..=before + records);
                }
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
