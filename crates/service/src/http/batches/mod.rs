//! Batches.

pub(crate) mod batch;
pub(crate) mod hand;
pub(crate) mod items;
pub(crate) mod parts;
mod problem;
