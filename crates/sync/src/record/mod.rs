//! A record: what became of one subject, sealed for the members of an epoch and signed by the device that made it.

mod header;
pub mod order;
mod pad;
mod sealed;

pub use header::Header;
pub use sealed::{LONGEST, OpenError, Opener, Sealed, TooLarge, seal};
