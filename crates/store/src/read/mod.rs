//! Reading records back: at start, for undo, for a backup, and to check them.

pub(crate) mod brought;
pub(crate) mod check;
pub(crate) mod clearings;
pub(crate) mod content;
pub(crate) mod load;
pub(crate) mod pictured;
pub(crate) mod snapshot;
