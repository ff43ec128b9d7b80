//! Reading records back: at start, for undo, and for a backup.

pub(crate) mod load;
