//! A clip that a person sends to one device.

use minicbor::{Decoder, Encoder};
use yadori_core::{ClipId, DeviceId};

use super::clip::ClipBody;

/// The version of this layout.
const VERSION: u64 = 1;

/// A clip that a person sends to one device, whatever else travels.
#[derive(Clone, Debug, PartialEq)]
pub struct SentBody {
    /// When it was sent, in microseconds since the Unix epoch, by the clock of who sends it.
    pub at: i64,
    /// The whole of it.
    pub clip: ClipBody,
}

/// The id of such a subject: the device that it is for, then the clip. The same clip sent there again stands for the first.
pub fn sent_id(to: DeviceId, clip: ClipId) -> Vec<u8> {
    [to.0, clip.0].concat()
}

/// What such an id names. `None`: it is none.
pub fn read_sent_id(id: &[u8]) -> Option<(DeviceId, ClipId)> {
    let (to, clip) = id.split_at_checked(16)?;
    Some((DeviceId(to.try_into().ok()?), ClipId(clip.try_into().ok()?)))
}

impl SentBody {
    /// CBOR: `[1, at, clip]`, the clip in a byte string.
    pub fn to_bytes(&self) -> Vec<u8> {
        let clip = self.clip.to_bytes();
        let mut encoder = Encoder::new(Vec::with_capacity(clip.len() + 16));
        let written = encoder.array(3).and_then(|all| all.u64(VERSION)?.i64(self.at)?.bytes(&clip));
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`SentBody::to_bytes`] wrote. `None` for anything else.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        if (decoder.array().ok()?, decoder.u64().ok()?) != (Some(3), VERSION) {
            return None;
        }
        let body = Self { at: decoder.i64().ok()?, clip: ClipBody::from_bytes(decoder.bytes().ok()?)? };
        (decoder.position() == bytes.len()).then_some(body)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use yadori_core::ClipState;

    proptest! {
        #[test]
        fn it_is_read_as_it_was_written(at: i64, to: [u8; 16]) {
            let clip = ClipBody { state: ClipState::default(), facts: None, contents: Vec::new() };
            let body = SentBody { at, clip };
            prop_assert_eq!(SentBody::from_bytes(&body.to_bytes()), Some(body.clone()));
            prop_assert_eq!(SentBody::from_bytes(&body.to_bytes()[1..]), None);
            let (to, clip) = (DeviceId(to), ClipId([3; 16]));
            prop_assert_eq!(read_sent_id(&sent_id(to, clip)), Some((to, clip)));
            prop_assert_eq!(read_sent_id(&sent_id(to, clip)[1..]), None);
        }
    }
}
