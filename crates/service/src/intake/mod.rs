//! What comes in: copies that the desk reports, and clips that are brought in by hand or from files.

pub mod bring_in;
pub mod deciding;
pub mod desk;
pub mod pause;
pub mod reading;
