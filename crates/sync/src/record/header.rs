//! What stands on a record for everyone to see, the hub included. It is bound to what is inside by both seal and signature.

use minicbor::{Decoder, Encoder};
use yadori_core::DeviceId;

use crate::keys::Subject;

/// The version of this layout.
pub(super) const VERSION: u8 = 1;
/// Parts of a header.
const PARTS: u64 = 8;

/// What stands on a record.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Header {
    /// The group: 16 random bytes.
    pub group: [u8; 16],
    /// Counts the keys of the group.
    pub epoch: u64,
    /// The device that made it.
    pub device: DeviceId,
    /// Which life of that device: a random number, another one whenever its records come from an older copy of its disk.
    pub incarnation: u64,
    /// Counts the records of this life of the device, from 1.
    pub sequence: u64,
    /// The hub's number up to which the device had merged the records of the group when it made this one. Records of the
    /// same subject up to there are in it.
    pub seen: u64,
    /// What it is about.
    pub subject: Subject,
}

impl Header {
    /// Deterministic CBOR (RFC 8949, section 4.2): an array of eight.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::with_capacity(100));
        let written = encoder.array(PARTS).and_then(|all| {
            all.u8(VERSION)?
                .bytes(&self.group)?
                .u64(self.epoch)?
                .bytes(&self.device.0)?
                .u64(self.incarnation)?
                .u64(self.sequence)?
                .u64(self.seen)?
                .bytes(&self.subject.0)
        });
        // A vector takes whatever is written to it.
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`Header::to_bytes`] wrote: exactly that, nothing before or behind it, and in no other spelling. `None`
    /// for anything else; the version that it has, when that is another one.
    pub(super) fn from_bytes(bytes: &[u8]) -> Result<Self, Option<u64>> {
        let mut decoder = Decoder::new(bytes);
        let mut read = || -> Result<Result<Self, u64>, minicbor::decode::Error> {
            let wrong = || minicbor::decode::Error::message("another layout");
            let parts = decoder.array()?;
            let version = decoder.u64()?;
            if version != u64::from(VERSION) {
                return Ok(Err(version));
            }
            if parts != Some(PARTS) {
                return Err(wrong());
            }
            let group = decoder.bytes()?.try_into().map_err(|_| wrong())?;
            let epoch = decoder.u64()?;
            let device = DeviceId(decoder.bytes()?.try_into().map_err(|_| wrong())?);
            let (incarnation, sequence, seen) = (decoder.u64()?, decoder.u64()?, decoder.u64()?);
            let subject = Subject(decoder.bytes()?.try_into().map_err(|_| wrong())?);
            Ok(Ok(Self { group, epoch, device, incarnation, sequence, seen, subject }))
        };
        let header = read().map_err(|_| None)?.map_err(Some)?;
        if header.to_bytes() == bytes { Ok(header) } else { Err(None) }
    }
}
