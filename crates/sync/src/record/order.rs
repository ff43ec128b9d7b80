//! Which records of a device have been seen: one that comes again, or out of its order, is refused and named.

use std::collections::BTreeMap;

use yadori_core::DeviceId;

use super::header::Header;

/// Why a record is not taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum OrderError {
    /// It, or one after it, has been seen.
    #[error("record {found} of a device came after its record {seen}")]
    Again {
        /// The newest that was seen.
        seen: u64,
        /// The one that came.
        found: u64,
    },
    /// Records of a device are counted from 1.
    #[error("a record of a device has the number 0")]
    Zero,
}

/// How far the records of each life of each device have been seen. Numbers between may be missing: a hub lets go of
/// records whose subject has a newer one.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Heads(BTreeMap<(DeviceId, u64), u64>);

impl Heads {
    /// The newest record that was seen of this life of a device; 0: none.
    pub fn seen(&self, device: DeviceId, incarnation: u64) -> u64 {
        self.0.get(&(device, incarnation)).copied().unwrap_or(0)
    }

    /// Device, incarnation and newest record of each life, to be kept.
    pub fn iter(&self) -> impl Iterator<Item = (DeviceId, u64, u64)> + '_ {
        self.0.iter().map(|((device, incarnation), newest)| (*device, *incarnation, *newest))
    }

    /// Takes a record as seen. It must have been opened: what stands on it is true.
    ///
    /// # Errors
    /// It must not be applied then, and is not taken as seen.
    pub fn take(&mut self, header: &Header) -> Result<(), OrderError> {
        if header.sequence == 0 {
            return Err(OrderError::Zero);
        }
        let seen = self.0.entry((header.device, header.incarnation)).or_default();
        if header.sequence <= *seen {
            return Err(OrderError::Again { seen: *seen, found: header.sequence });
        }
        *seen = header.sequence;
        Ok(())
    }
}

impl FromIterator<(DeviceId, u64, u64)> for Heads {
    fn from_iter<T: IntoIterator<Item = (DeviceId, u64, u64)>>(all: T) -> Self {
        Self(all.into_iter().map(|(device, incarnation, newest)| ((device, incarnation), newest)).collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::keys::Subject;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn each_record_is_taken_once_and_only_forwards(
            records in proptest::collection::vec((0u8..3, 0u64..2, 0u64..9), 0..60),
        ) {
            let mut heads = Heads::default();
            let mut taken: Vec<(u8, u64, u64)> = Vec::new();
            for (device, incarnation, sequence) in records {
                let header = Header {
                    group: [0; 16], epoch: 1, device: DeviceId([device; 16]), incarnation, sequence, seen: 0, subject: Subject([0; 32]),
                };
                let newest = taken.iter().filter(|one| (one.0, one.1) == (device, incarnation)).map(|one| one.2).max();
                let seen = newest.unwrap_or(0);
                prop_assert_eq!(heads.seen(header.device, incarnation), seen);
                let outcome = heads.take(&header);
                if sequence == 0 {
                    prop_assert_eq!(outcome, Err(OrderError::Zero));
                } else if sequence > seen {
                    prop_assert_eq!(outcome, Ok(()));
                    taken.push((device, incarnation, sequence));
                } else {
                    prop_assert_eq!(outcome, Err(OrderError::Again { seen, found: sequence }));
                }
            }
        }
    }
}
