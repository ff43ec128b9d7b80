//! A clip: its state, what can be told of it at a glance, and its contents, or where they are.

use std::convert::Infallible;

use minicbor::decode::Error;
use minicbor::{Decoder, Encoder};
use yadori_core::clip::facts::Facts;
use yadori_core::{ClipState, Digest};
use zeroize::{Zeroize, ZeroizeOnDrop};

/// The version of this layout.
const VERSION: u64 = 1;
/// Contents of a clip at most: those of a few offers, of some hundred representations each.
const CONTENTS: u64 = 4_096;

/// Where a content is that does not stand in the record: a blob at the hub, and its key.
#[derive(Clone, PartialEq, Eq, Zeroize, ZeroizeOnDrop)]
pub struct BlobKey {
    /// Its name: random.
    pub name: [u8; 16],
    /// Its key: random.
    pub key: [u8; 32],
}

impl std::fmt::Debug for BlobKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("BlobKey(…)")
    }
}

/// A content of a clip.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Held {
    /// It stands in the record.
    Here(Vec<u8>),
    /// It is a blob, of so many bytes.
    Blob(BlobKey, u64),
}

/// What is sealed of a clip.
#[derive(Clone, Debug, PartialEq)]
pub struct ClipBody {
    /// What devices agree on.
    pub state: ClipState,
    /// What can be told of it at a glance; `None` where it is gone.
    pub facts: Option<Facts>,
    /// The contents of its offers.
    pub contents: Vec<(Digest, Held)>,
}

fn wrong() -> Error {
    Error::message("another layout")
}

/// `[[digest, bytes] or [digest, name, key, size], …]`.
pub(super) fn put_contents(
    encoder: &mut Encoder<Vec<u8>>,
    contents: &[(Digest, Held)],
) -> Result<(), minicbor::encode::Error<Infallible>> {
    encoder.array(contents.len() as u64)?;
    for (digest, held) in contents {
        match held {
            Held::Here(bytes) => encoder.array(2)?.bytes(&digest.0)?.bytes(bytes)?,
            Held::Blob(blob, size) => {
                encoder.array(4)?.bytes(&digest.0)?.bytes(&blob.name)?.bytes(&blob.key)?.u64(*size)?
            }
        };
    }
    Ok(())
}

/// Reads what [`put_contents`] wrote; those that stand in it are those of their digests.
pub(super) fn contents(decoder: &mut Decoder<'_>) -> Result<Vec<(Digest, Held)>, Error> {
    let count = decoder.array()?.filter(|count| *count <= CONTENTS).ok_or_else(wrong)?;
    let mut contents = Vec::new();
    for _ in 0..count {
        let parts = decoder.array()?;
        let digest = Digest(decoder.bytes()?.try_into().map_err(|_| wrong())?);
        let held = match parts {
            Some(2) => Held::Here(decoder.bytes()?.to_vec()),
            Some(4) => {
                let name = decoder.bytes()?.try_into().map_err(|_| wrong())?;
                let key = decoder.bytes()?.try_into().map_err(|_| wrong())?;
                Held::Blob(BlobKey { name, key }, decoder.u64()?)
            }
            _ => return Err(wrong()),
        };
        if matches!(&held, Held::Here(bytes) if Digest::of(bytes) != digest) {
            return Err(wrong());
        }
        contents.push((digest, held));
    }
    Ok(contents)
}

impl ClipBody {
    /// CBOR: `[1, state, facts, [[digest, bytes] or [digest, name, key, size], …]]`. State and facts are JSON in byte
    /// strings, as in backups; those of a clip that is gone are empty.
    pub fn to_bytes(&self) -> Vec<u8> {
        // They are built of texts and numbers alone.
        let state = serde_json::to_vec(&self.state).unwrap_or_default();
        let facts = self.facts.as_ref().and_then(|facts| serde_json::to_vec(facts).ok()).unwrap_or_default();
        let mut encoder = Encoder::new(Vec::new());
        let written = (|| {
            encoder.array(4)?.u64(VERSION)?.bytes(&state)?.bytes(&facts)?;
            put_contents(&mut encoder, &self.contents)?;
            encoder.ok()
        })();
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`ClipBody::to_bytes`] wrote; contents that stand in it are those of their digests. `None` for anything
    /// else.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        let mut read = || -> Result<Self, Error> {
            let (parts, version) = (decoder.array()?, decoder.u64()?);
            if (parts, version) != (Some(4), VERSION) {
                return Err(wrong());
            }
            let state = serde_json::from_slice(decoder.bytes()?).map_err(|_| wrong())?;
            let facts = decoder.bytes()?;
            let facts = if facts.is_empty() {
                None
            } else {
                Some(serde_json::from_slice(facts).map_err(|_| wrong())?)
            };
            let contents = contents(&mut decoder)?;
            Ok(Self { state, facts, contents })
        };
        let body = read().ok()?;
        (decoder.position() == bytes.len()).then_some(body)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn body(words: &[u8], far: bool) -> ClipBody {
        let text = String::from_utf8_lossy(words).into_owned();
        let held = if far {
            Held::Blob(BlobKey { name: [7; 16], key: [8; 32] }, 9)
        } else {
            Held::Here(words.to_vec())
        };
        ClipBody {
            state: ClipState::default(),
            facts: (!words.is_empty()).then(|| Facts::of_text(&text, words.len() as u64, false)),
            contents: vec![(Digest::of(words), held)],
        }
    }

    proptest! {
        #[test]
        fn a_clip_is_read_as_it_was_written(words: Vec<u8>, far: bool, at: usize) {
            let body = body(&words, far);
            let mut bytes = body.to_bytes();
            prop_assert_eq!(ClipBody::from_bytes(&bytes), Some(body));
            prop_assert_eq!(ClipBody::from_bytes(&bytes[..bytes.len() - 1]), None);
            // A content that is not what its digest says is none.
            if !far && !words.is_empty() {
                let last = bytes.len() - 1 - at % words.len();
                bytes[last] ^= 1;
                prop_assert_eq!(ClipBody::from_bytes(&bytes), None);
            }
        }

        #[test]
        fn bytes_from_anywhere_do_no_harm(bytes: Vec<u8>) {
            let _ = ClipBody::from_bytes(&bytes);
        }
    }
}
