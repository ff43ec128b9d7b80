//! Clearing: what a scope takes, for the preview and for the act.

mod clear;

pub use clear::{ClearError, clear, plan};
