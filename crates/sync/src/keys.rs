//! Keys of a group, and what is derived from them (BLAKE3 in its key derivation mode, one context a purpose).

use std::fmt;

use zeroize::{Zeroize, ZeroizeOnDrop};

/// The context of the key that seals the records of an epoch.
pub const RECORDS: &str = "Yadori 2026-11 records of an epoch";
/// The context of the key that names subjects.
pub const SUBJECTS: &str = "Yadori 2026-11 names of subjects";

/// The key of an epoch: 32 random bytes that every member of that epoch has.
#[derive(Clone, Zeroize, ZeroizeOnDrop)]
pub struct EpochKey(pub [u8; 32]);

/// The key that names subjects: 32 random bytes, the same for as long as the group lives, so that newer records of a subject
/// stand for older ones also over a change of epoch.
#[derive(Clone, Zeroize, ZeroizeOnDrop)]
pub struct NamingKey(pub [u8; 32]);

impl fmt::Debug for EpochKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("EpochKey(…)")
    }
}

impl fmt::Debug for NamingKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("NamingKey(…)")
    }
}

impl EpochKey {
    /// The key that seals records.
    pub(crate) fn records(&self) -> [u8; 32] {
        blake3::derive_key(RECORDS, &self.0)
    }
}

/// What a record is about, as the hub sees it: the same subject has the same name, and the name tells nothing of it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Subject(pub [u8; 32]);

impl NamingKey {
    /// The name of a subject: of which kind it is (a word of docs/protocol.md), and its id.
    pub fn subject(&self, kind: &str, id: &[u8]) -> Subject {
        let mut hasher = blake3::Hasher::new_keyed(&blake3::derive_key(SUBJECTS, &self.0));
        // The length stands before the word, so that no two pairs are one text.
        hasher.update(&[u8::try_from(kind.len()).unwrap_or(u8::MAX)]);
        hasher.update(kind.as_bytes());
        hasher.update(id);
        Subject(*hasher.finalize().as_bytes())
    }
}
