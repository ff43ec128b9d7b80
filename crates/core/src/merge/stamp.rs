//! Hybrid logical clock stamps (wall milliseconds, counter, device): the order of everything that a person or a
//! device changes, the same on every device that has seen the same changes.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::clip::device::DeviceId;

/// How far ahead a stamp from elsewhere may be and still advance this device's clock: five minutes, in milliseconds.
pub const MAX_AHEAD_MS: u64 = 5 * 60 * 1000;

/// When something was changed, and by which device. Ordered; two stamps of one device are never equal.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(into = "(u64, u32, DeviceId)", from = "(u64, u32, DeviceId)")]
pub struct Stamp {
    /// Milliseconds since the Unix epoch.
    pub wall_ms: u64,
    /// Tells apart what happened within one millisecond.
    pub counter: u32,
    /// Who stamped.
    pub device: DeviceId,
}

impl From<Stamp> for (u64, u32, DeviceId) {
    fn from(stamp: Stamp) -> Self {
        (stamp.wall_ms, stamp.counter, stamp.device)
    }
}

impl From<(u64, u32, DeviceId)> for Stamp {
    fn from((wall_ms, counter, device): (u64, u32, DeviceId)) -> Self {
        Self { wall_ms, counter, device }
    }
}

impl fmt::Debug for Stamp {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}.{}@{:02x}{:02x}", self.wall_ms, self.counter, self.device.0[0], self.device.0[1])
    }
}

impl Stamp {
    /// 28 bytes that sort as the stamps do: milliseconds, counter, device, all big-endian.
    pub fn to_bytes(self) -> [u8; 28] {
        let mut out = [0; 28];
        out[..8].copy_from_slice(&self.wall_ms.to_be_bytes());
        out[8..12].copy_from_slice(&self.counter.to_be_bytes());
        out[12..].copy_from_slice(&self.device.0);
        out
    }

    /// Reads what [`Stamp::to_bytes`] wrote.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let bytes: &[u8; 28] = bytes.try_into().ok()?;
        Some(Self {
            wall_ms: u64::from_be_bytes(bytes[..8].try_into().ok()?),
            counter: u32::from_be_bytes(bytes[8..12].try_into().ok()?),
            device: DeviceId(bytes[12..].try_into().ok()?),
        })
    }
}

/// This device's clock. It never goes back, whatever the wall clock does.
#[derive(Clone, Debug)]
pub struct HybridClock {
    device: DeviceId,
    last: Option<Stamp>,
}

impl HybridClock {
    /// A clock that goes on from the last stamp that was saved, if there is one.
    pub fn resume(device: DeviceId, last: Option<Stamp>) -> Self {
        Self { device, last }
    }

    /// Whose clock this is.
    pub fn device(&self) -> DeviceId {
        self.device
    }

    /// The last stamp given out or seen.
    pub fn last(&self) -> Option<Stamp> {
        self.last
    }

    /// A stamp that exceeds this device's last and `subject`, the newest stamp of what is being changed.
    pub fn tick(&mut self, now_ms: u64, subject: Option<Stamp>) -> Stamp {
        let newest = self.last.max(subject);
        let (wall_ms, counter) = match newest {
            Some(newest) if newest.wall_ms >= now_ms => match newest.counter.checked_add(1) {
                Some(counter) => (newest.wall_ms, counter),
                None => (newest.wall_ms + 1, 0),
            },
            _ => (now_ms, 0),
        };
        let stamp = Stamp { wall_ms, counter, device: self.device };
        // A subject stamped far ahead by another device must not drag this device's clock along.
        if wall_ms <= now_ms.saturating_add(MAX_AHEAD_MS)
            || self.last.is_some_and(|last| last.wall_ms >= wall_ms)
        {
            self.last = Some(stamp);
        }
        stamp
    }

    /// Takes notice of a stamp from elsewhere. One more than five minutes ahead is ignored.
    pub fn witness(&mut self, now_ms: u64, seen: Stamp) {
        if seen.wall_ms <= now_ms.saturating_add(MAX_AHEAD_MS) {
            self.last = self.last.max(Some(seen));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const DEVICE: DeviceId = DeviceId([7; 16]);

    #[test]
    fn a_stamp_far_ahead_is_exceeded_but_does_not_advance_the_clock() {
        let mut clock = HybridClock::resume(DEVICE, None);
        let far = Stamp { wall_ms: 10_000_000, counter: 3, device: DeviceId([1; 16]) };
        let stamp = clock.tick(1_000, Some(far));
        assert!(stamp > far);
        clock.witness(1_000, far);
        assert_eq!(clock.tick(2_000, None).wall_ms, 2_000);
    }

    proptest! {
        #[test]
        fn stamps_of_one_device_only_grow(walls in proptest::collection::vec(0u64..5_000, 1..60)) {
            let mut clock = HybridClock::resume(DEVICE, None);
            let mut last = None;
            for wall in walls {
                let stamp = clock.tick(wall, None);
                prop_assert!(Some(stamp) > last);
                last = Some(stamp);
            }
        }

        #[test]
        fn bytes_sort_as_stamps_do(a: (u64, u32, [u8; 16]), b: (u64, u32, [u8; 16])) {
            let stamp = |(wall_ms, counter, device): (u64, u32, [u8; 16])| Stamp { wall_ms, counter, device: DeviceId(device) };
            prop_assert_eq!(stamp(a).cmp(&stamp(b)), stamp(a).to_bytes().cmp(&stamp(b).to_bytes()));
            prop_assert_eq!(Stamp::from_bytes(&stamp(a).to_bytes()), Some(stamp(a)));
        }
    }
}
