//! Batches: clips, or parts of one, gathered on purpose in an order of their own, then handed out one after another.

#[expect(clippy::module_inception, reason = "the thing of the folder's name")]
pub mod batch;
pub mod batches;
pub mod id;
pub mod item;
pub mod join;
pub mod order;
pub mod shared;
pub mod split;
pub mod table;

pub use batch::{After, Batch, BatchState};
pub use batches::{Batches, NoBatch};
pub use id::BatchId;
pub use item::{Item, Piece};
