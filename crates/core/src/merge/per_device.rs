//! What is counted by device. Most clips know one device, so this is a short sorted list: a map's node would take more
//! room than all the rest of a clip. It is written as a map.

use std::collections::BTreeMap;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

use crate::clip::device::DeviceId;

/// A value for each of a few devices, in their order.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct PerDevice<T>(Vec<(DeviceId, T)>);

impl<T> PerDevice<T> {
    /// The devices, in their order.
    pub fn devices(&self) -> impl Iterator<Item = DeviceId> + '_ {
        self.0.iter().map(|(device, _)| *device)
    }

    /// Devices with what is counted for them.
    pub fn iter(&self) -> impl Iterator<Item = (DeviceId, &T)> {
        self.0.iter().map(|(device, value)| (*device, value))
    }

    /// What is counted, by device.
    pub fn values(&self) -> impl Iterator<Item = &T> {
        self.0.iter().map(|(_, value)| value)
    }

    /// What is counted, by device, to be changed.
    pub fn values_mut(&mut self) -> impl Iterator<Item = &mut T> {
        self.0.iter_mut().map(|(_, value)| value)
    }

    /// What is counted for a device; the default when it was not known before.
    pub fn of(&mut self, device: DeviceId) -> &mut T
    where
        T: Default,
    {
        let at = self.0.binary_search_by_key(&device, |(known, _)| *known).unwrap_or_else(|at| {
            // Exactly as much room as is needed: there will hardly be another.
            self.0.reserve_exact(1);
            self.0.insert(at, (device, T::default()));
            at
        });
        &mut self.0[at].1
    }
}

impl<T> FromIterator<(DeviceId, T)> for PerDevice<T> {
    fn from_iter<I: IntoIterator<Item = (DeviceId, T)>>(pairs: I) -> Self {
        let sorted: BTreeMap<DeviceId, T> = pairs.into_iter().collect();
        let mut list = Vec::with_capacity(sorted.len());
        list.extend(sorted);
        Self(list)
    }
}

impl<T: Serialize> Serialize for PerDevice<T> {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_map(self.0.iter().map(|(device, value)| (device, value)))
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for PerDevice<T> {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        Ok(BTreeMap::deserialize(from)?.into_iter().collect())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn it_is_a_map_however_it_was_filled(steps in proptest::collection::vec((0u8..6, 1u64..9), 0..40)) {
            let (mut own, mut map) = (PerDevice::<u64>::default(), BTreeMap::<DeviceId, u64>::new());
            for (device, by) in steps {
                *own.of(DeviceId([device; 16])) += by;
                *map.entry(DeviceId([device; 16])).or_default() += by;
            }
            prop_assert_eq!(own.iter().map(|(device, n)| (device, *n)).collect::<Vec<_>>(), map.clone().into_iter().collect::<Vec<_>>());
            let written = serde_json::to_string(&own).unwrap();
            prop_assert_eq!(&written, &serde_json::to_string(&map).unwrap());
            prop_assert_eq!(serde_json::from_str::<PerDevice<u64>>(&written).unwrap(), own);
        }
    }
}
