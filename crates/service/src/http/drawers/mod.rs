//! Drawers, their dividers, and the favorites.

pub(super) mod divider;
pub(super) mod drawer;
