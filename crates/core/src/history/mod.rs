//! The history of this device: its clips in their order, addresses, drawers and ranks, sittings, insight.

pub mod address;
pub mod all;
pub mod arrange;
pub mod drawers;
pub mod insight;
mod order;
pub mod packed;
pub mod rank;
pub mod sitting;
pub mod stored;
pub mod tally;
