//! Chords: what each does when it was pressed.

pub mod doing;
pub mod picker;
