//! Chords: what each does when it was pressed.

pub mod doing;
mod hitch;
pub mod picker;
