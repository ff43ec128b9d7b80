//! What stands in bodies: lists of byte strings, a new group, a page of records. Whatever is read has a bound.

use minicbor::decode::Error;
use minicbor::{Decoder, Encoder};
use yadori_core::DeviceId;

use crate::record::Sealed;

/// Bytes of records that a page has, beyond its first one.
pub const LONGEST_PAGE: usize = 4 << 20;

/// A list of byte strings.
pub fn list<'a>(items: impl ExactSizeIterator<Item = &'a [u8]>) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::new());
    let written = (|| {
        encoder.array(items.len() as u64)?;
        for item in items {
            encoder.bytes(item)?;
        }
        encoder.ok()
    })();
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

/// Reads what [`list`] wrote: so many at most. `None` for anything else.
pub fn read_list(bytes: &[u8], most: usize) -> Option<Vec<&[u8]>> {
    let mut decoder = Decoder::new(bytes);
    let count = usize::try_from(decoder.array().ok()??).ok().filter(|count| *count <= most)?;
    let items = (0..count).map(|_| decoder.bytes().ok()).collect::<Option<Vec<_>>>()?;
    (decoder.position() == bytes.len()).then_some(items)
}

/// What a device sends at once: records, each with the names of the blobs that it lists. The hub keeps those.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Sent<'a>(pub Vec<(&'a [u8], Vec<[u8; 16]>)>);

impl<'a> Sent<'a> {
    /// CBOR: `[[record, [name, …]], …]`.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::new());
        let written = (|| {
            encoder.array(self.0.len() as u64)?;
            for (record, blobs) in &self.0 {
                encoder.array(2)?.bytes(record)?.array(blobs.len() as u64)?;
                for blob in blobs {
                    encoder.bytes(blob)?;
                }
            }
            encoder.ok()
        })();
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`Sent::to_bytes`] wrote: so many records at most, each with so many blobs. `None` for anything else.
    pub fn from_bytes(bytes: &'a [u8], (records, blobs): (usize, usize)) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        let bounded =
            |count: Option<u64>, most: usize| usize::try_from(count?).ok().filter(|count| *count <= most);
        let count = bounded(decoder.array().ok()?, records)?;
        let mut sent = Vec::with_capacity(count);
        for _ in 0..count {
            if decoder.array().ok()? != Some(2) {
                return None;
            }
            let record = decoder.bytes().ok()?;
            let count = bounded(decoder.array().ok()?, blobs)?;
            let names = (0..count).map(|_| decoder.bytes().ok()?.try_into().ok());
            sent.push((record, names.collect::<Option<Vec<_>>>()?));
        }
        (decoder.position() == bytes.len()).then_some(Self(sent))
    }
}

/// A group that is to be: what the hub's owner gave for it, and its first entry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Found {
    /// The invitation; empty where a hub asks for none.
    pub invitation: String,
    /// The first entry of the chain.
    pub entry: Vec<u8>,
}

impl Found {
    /// CBOR: an array of two.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::new());
        let written = encoder.array(2).and_then(|all| all.str(&self.invitation)?.bytes(&self.entry));
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`Found::to_bytes`] wrote.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        let two = decoder.array().ok()? == Some(2);
        let found =
            Self { invitation: decoder.str().ok()?.to_owned(), entry: decoder.bytes().ok()?.to_vec() };
        (two && decoder.position() == bytes.len()).then_some(found)
    }
}

/// How far the devices of a group have come.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Come {
    /// The last of the group's numbers.
    pub last: u64,
    /// Devices that have asked for records: up to which number each has them, and when it asked last, in seconds since the Unix
    /// epoch by the hub's clock.
    pub devices: Vec<(DeviceId, u64, u64)>,
}

/// Devices of a group that are read at most.
const DEVICES: u64 = 10_000;

impl Come {
    /// CBOR: `[last, [[device, number, time], …]]`.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::new());
        let written = (|| {
            encoder.array(2)?.u64(self.last)?.array(self.devices.len() as u64)?;
            for (device, number, time) in &self.devices {
                encoder.array(3)?.bytes(&device.0)?.u64(*number)?.u64(*time)?;
            }
            encoder.ok()
        })();
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`Come::to_bytes`] wrote. `None` for anything else.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        if decoder.array().ok()? != Some(2) {
            return None;
        }
        let last = decoder.u64().ok()?;
        let count = decoder.array().ok()?.filter(|count| *count <= DEVICES)?;
        let mut device = || {
            let three = decoder.array().ok()? == Some(3);
            let id = DeviceId(decoder.bytes().ok()?.try_into().ok()?);
            three.then_some((id, decoder.u64().ok()?, decoder.u64().ok()?))
        };
        let devices = (0..count).map(|_| device()).collect::<Option<Vec<_>>>()?;
        (decoder.position() == bytes.len()).then_some(Self { last, devices })
    }
}

/// A page of records.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Page {
    /// The number of the last entry of the group's chain.
    pub epoch: u64,
    /// The last of the group's numbers.
    pub last: u64,
    /// Records with their numbers, ascending.
    pub records: Vec<(u64, Sealed)>,
}

impl Page {
    /// CBOR: `[epoch, last, [[number, record], …]]`.
    pub fn to_bytes(&self) -> Vec<u8> {
        let room = self.records.iter().map(|(_, record)| record.0.len() + 20).sum::<usize>() + 40;
        let mut encoder = Encoder::new(Vec::with_capacity(room));
        let written = (|| {
            encoder.array(3)?.u64(self.epoch)?.u64(self.last)?.array(self.records.len() as u64)?;
            for (number, record) in &self.records {
                encoder.array(2)?.u64(*number)?.bytes(&record.0)?;
            }
            encoder.ok()
        })();
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`Page::to_bytes`] wrote.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        let mut read = || -> Result<Option<Self>, Error> {
            if decoder.array()? != Some(3) {
                return Ok(None);
            }
            let (epoch, last) = (decoder.u64()?, decoder.u64()?);
            let Some(count) = decoder.array()? else { return Ok(None) };
            let mut records = Vec::new();
            for _ in 0..count {
                if decoder.array()? != Some(2) {
                    return Ok(None);
                }
                records.push((decoder.u64()?, Sealed(decoder.bytes()?.to_vec())));
            }
            Ok(Some(Self { epoch, last, records }))
        };
        let page = read().ok()??;
        (decoder.position() == bytes.len()).then_some(page)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn bodies_are_read_as_they_were_written_and_no_shorter(
            items in proptest::collection::vec(proptest::collection::vec(any::<u8>(), 0..30), 0..9),
            invitation in "\\PC{0,12}", epoch: u64, last: u64,
        ) {
            let bytes = list(items.iter().map(Vec::as_slice));
            let read: Vec<Vec<u8>> = read_list(&bytes, 9).unwrap().into_iter().map(<[u8]>::to_vec).collect();
            prop_assert_eq!(&read, &items);
            prop_assert_eq!(read_list(&bytes, items.len().wrapping_sub(1)).is_some(), items.is_empty());
            let sent = Sent(items.iter().map(|item| (&item[..], vec![[7; 16]; item.len() % 3])).collect());
            let bytes = sent.to_bytes();
            prop_assert_eq!(Sent::from_bytes(&bytes, (9, 2)), Some(sent));
            prop_assert_eq!(Sent::from_bytes(&bytes[..bytes.len() - 1], (9, 2)), None);
            prop_assert!(Sent::from_bytes(&bytes, (items.len().wrapping_sub(1), 2)).is_none() || items.is_empty());
            let devices = items.iter().map(|item| (DeviceId([item.len() as u8; 16]), last, epoch)).collect();
            let come = Come { last: epoch, devices };
            let bytes = come.to_bytes();
            prop_assert_eq!(Come::from_bytes(&bytes[..bytes.len() - 1]), None);
            prop_assert_eq!(Come::from_bytes(&bytes), Some(come));
            let found = Found { invitation, entry: items.concat() };
            prop_assert_eq!(Found::from_bytes(&found.to_bytes()), Some(found));
            let records = items.into_iter().enumerate().map(|(n, item)| (n as u64, Sealed(item))).collect();
            let page = Page { epoch, last, records };
            let bytes = page.to_bytes();
            prop_assert_eq!(Page::from_bytes(&bytes[..bytes.len() - 1]), None);
            prop_assert_eq!(Page::from_bytes(&bytes), Some(page));
        }

        #[test]
        fn bytes_from_anywhere_do_no_harm(bytes: Vec<u8>) {
            let _ = (Page::from_bytes(&bytes), Found::from_bytes(&bytes), read_list(&bytes, 99));
            let _ = (Sent::from_bytes(&bytes, (99, 99)), Come::from_bytes(&bytes));
        }
    }
}
