//! The records as the service uses them: opening, room on their disk, staging, collecting, checking.

pub mod check;
pub mod collect;
pub mod open;
pub mod rebuild;
pub mod room;
pub mod space;
