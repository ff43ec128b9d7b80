//! Batches: what goes into one, and how it is handed out.

pub mod filling;
pub mod hand;
pub mod join;
