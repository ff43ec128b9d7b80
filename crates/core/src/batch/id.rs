//! Which batch.

use std::fmt;

use serde::{Deserialize, Serialize};

/// A batch of this person's: 16 random bytes, chosen when it is begun.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub struct BatchId(pub [u8; 16]);

impl BatchId {
    /// Reads 32 hexadecimal digits.
    pub fn parse(text: &str) -> Option<Self> {
        let mut bytes = [0; 16];
        hex::decode_to_slice(text, &mut bytes).ok()?;
        Some(Self(bytes))
    }
}

impl fmt::Display for BatchId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&hex::encode(self.0))
    }
}

impl From<BatchId> for String {
    fn from(id: BatchId) -> Self {
        id.to_string()
    }
}

impl TryFrom<String> for BatchId {
    type Error = &'static str;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        Self::parse(&text).ok_or("not the id of a batch: 32 hexadecimal digits")
    }
}
