//! What devices agree on: stamps, registers, and the merged state of clips and drawers.

pub mod clip;
pub mod drawer;
pub mod register;
pub mod stamp;
