//! What the hub keeps, in MariaDB.

mod blobs;
mod groups;
mod log;
mod meetings;
mod open;

pub use blobs::PartTaken;
pub use groups::{Appended, Founded, Standing};
pub use log::{Push, Pushed};
pub use open::{Failed, OpenError, Records};
