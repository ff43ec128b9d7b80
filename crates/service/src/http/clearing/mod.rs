//! Clearing: a preview, and the act.

pub(super) mod clear;
