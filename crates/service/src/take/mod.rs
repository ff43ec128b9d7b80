//! Forms of a clip on its way to the live clipboard.

pub mod error;
pub mod fill;
pub mod put;
pub mod shaped;
#[expect(clippy::module_inception, reason = "the act of the folder's name")]
pub mod take;
