//! A record: what became of one subject, sealed for the members of an epoch and signed by the device that made it.

pub mod content;
mod header;
pub mod order;
mod pad;
mod sealed;

pub use content::Topic;
pub use header::Header;
pub use order::{Heads, OrderError};
pub(crate) use pad::{pad, unpad};
pub use sealed::{LONGEST, OpenError, Opener, Sealed, TooLarge, header_of, seal};
