//! What devices agree on: stamps, registers, and the merged state of clips and drawers.

pub mod clip;
pub mod drawer;
pub mod per_device;
pub mod register;
pub mod stamp;
