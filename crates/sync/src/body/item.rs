//! An item of a batch: when it came or went, what it is, and its contents, or where they are.

use minicbor::{Decoder, Encoder};
use yadori_core::BatchId;
use yadori_core::Digest;
use yadori_core::batch::shared::{ItemKey, ItemSaid};

use super::clip::{Held, contents, put_contents};

/// The version of this layout.
const VERSION: u64 = 1;

/// What is sealed of an item of a batch.
#[derive(Clone, Debug, PartialEq)]
pub struct ItemBody {
    /// When it came or went, and what it is.
    pub said: ItemSaid,
    /// Its contents.
    pub contents: Vec<(Digest, Held)>,
}

/// The id of such a subject: the batch, then the item.
pub fn item_id(batch: BatchId, item: ItemKey) -> Vec<u8> {
    [batch.0, item.0].concat()
}

/// What such an id names. `None`: it is none.
pub fn read_item_id(id: &[u8]) -> Option<(BatchId, ItemKey)> {
    let (batch, item) = id.split_at_checked(16)?;
    Some((BatchId(batch.try_into().ok()?), ItemKey(item.try_into().ok()?)))
}

impl ItemBody {
    /// CBOR: `[1, said, [[digest, bytes] or [digest, name, key, size], …]]`. What is said is JSON in a byte string: `at` is a
    /// stamp, `piece` is there where the item is.
    pub fn to_bytes(&self) -> Vec<u8> {
        // It is built of texts and numbers alone.
        let said = serde_json::to_vec(&self.said).unwrap_or_default();
        let mut encoder = Encoder::new(Vec::new());
        let written = (|| {
            encoder.array(3)?.u64(VERSION)?.bytes(&said)?;
            put_contents(&mut encoder, &self.contents)
        })();
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`ItemBody::to_bytes`] wrote. `None` for anything else.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        if (decoder.array().ok()?, decoder.u64().ok()?) != (Some(3), VERSION) {
            return None;
        }
        let said = serde_json::from_slice(decoder.bytes().ok()?).ok()?;
        let body = Self { said, contents: contents(&mut decoder).ok()? };
        (decoder.position() == bytes.len()).then_some(body)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use yadori_core::batch::Piece;
    use yadori_core::{DeviceId, Facts, OfferRecord, Stamp};

    proptest! {
        #[test]
        fn it_is_read_as_it_was_written(words: Vec<u8>, there: bool, wall_ms: u64, ids: [u8; 32], cut: usize) {
            let text = String::from_utf8_lossy(&words).into_owned();
            let piece = Piece {
                record: 3,
                label: Some(text.clone()),
                from: None,
                offer: OfferRecord::default(),
                facts: Facts::of_text(&text, words.len() as u64, false),
            };
            let at = Stamp { wall_ms, counter: 4, device: DeviceId([5; 16]) };
            let said = ItemSaid { at, piece: there.then_some(piece) };
            let body = ItemBody { said, contents: vec![(Digest::of(&words), Held::Here(words))] };
            let bytes = body.to_bytes();
            prop_assert_eq!(ItemBody::from_bytes(&bytes), Some(body));
            prop_assert_eq!(ItemBody::from_bytes(&bytes[..cut % bytes.len()]), None);
            let (batch, item) = read_item_id(&ids).unwrap();
            prop_assert_eq!(item_id(batch, item), ids.to_vec());
            prop_assert_eq!(read_item_id(&ids[1..]), None);
        }
    }
}
