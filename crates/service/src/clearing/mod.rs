//! Clearing: by hand, by limits, by standing orders. What goes is planned in the core, and goes through the writer.

pub mod clear;
pub mod deaf;
pub mod limits;
pub mod lock;
pub mod orders;
pub mod sweep;
