//! Who belongs to a group, and the keys of its epochs: a chain of entries, each signed by a member of the one before it. Each
//! entry begins an epoch with a key of its own, which is wrapped to every member and to the recovery key; whoever has it
//! also has the keys before it, and nobody who was struck off has it.

pub mod chain;
mod entry;
pub mod phrase;
mod reading;
mod wrap;

pub use chain::{Chain, ChainError, Keyring, KeyringError, Next};
pub use entry::{Member, RECOVERY};
pub use phrase::{Phrase, PhraseError};
pub use reading::Reading;
pub use wrap::{WrapSecret, WrapTo};
