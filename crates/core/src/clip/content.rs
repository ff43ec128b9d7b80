//! The bytes of clips, and the digests they are stored under. A [`Content`] never shows its bytes in debug output,
//! so that what a person copied cannot reach a log by accident.

use std::fmt;

use bytes::Bytes;
use serde::{Deserialize, Serialize};

use crate::text::stack::hash;

/// Bytes of one representation. Cheap to clone. `Debug` shows the length alone.
#[derive(Clone, PartialEq, Eq, Default)]
pub struct Content(Bytes);

impl Content {
    /// Wraps bytes.
    pub fn new(bytes: impl Into<Bytes>) -> Self {
        Self(bytes.into())
    }

    /// The bytes themselves. Whoever calls this answers for where they go.
    pub fn expose(&self) -> &Bytes {
        &self.0
    }

    /// Length in bytes.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// True when there is not a single byte.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The BLAKE3 digest under which these bytes are stored once.
    pub fn digest(&self) -> Digest {
        Digest::of(&self.0)
    }
}

impl fmt::Debug for Content {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "Content({} bytes)", self.0.len())
    }
}

/// BLAKE3 digest (32 bytes) of one content. Digests of short contents can be guessed, so `Debug` does not show them.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Digest(pub [u8; 32]);

impl fmt::Debug for Digest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("Digest(..)")
    }
}

impl Digest {
    /// The digest of some bytes.
    pub fn of(bytes: &[u8]) -> Self {
        Self(hash(&[bytes]))
    }

    /// Lower-case hexadecimal, 64 characters.
    pub fn to_hex(&self) -> String {
        hex::encode(self.0)
    }

    /// Reads what [`Digest::to_hex`] wrote; `None` for anything else.
    pub fn from_hex(text: &str) -> Option<Self> {
        let mut bytes = [0; 32];
        hex::decode_to_slice(text, &mut bytes).ok()?;
        Some(Self(bytes))
    }
}

impl Serialize for Digest {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.serialize_str(&self.to_hex())
    }
}

impl<'de> Deserialize<'de> for Digest {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = std::borrow::Cow::<'de, str>::deserialize(from)?;
        Self::from_hex(&text).ok_or_else(|| serde::de::Error::custom("not a digest of 64 hexadecimal digits"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn debug_output_never_shows_a_content() {
        let content = Content::new("hut key is under the third stone");
        assert_eq!(format!("{content:?}"), "Content(32 bytes)");
        assert!(!format!("{:?}", content.digest()).contains(&content.digest().to_hex()[..8]));
    }

    #[test]
    fn a_digest_reads_back_from_its_hexadecimal_form() {
        let digest = Content::new("oats").digest();
        assert_eq!(Digest::from_hex(&digest.to_hex()), Some(digest));
        assert_eq!(Digest::from_hex("zz"), None);
        assert_eq!(Digest::from_hex(&"+f".repeat(32)), None);
        assert_eq!(Digest::from_hex(&"é".repeat(32)), None);
    }
}
