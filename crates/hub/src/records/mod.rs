//! What the hub keeps, in MariaDB.

mod asks;
mod blobs;
mod groups;
mod lane;
mod log;
mod meetings;
mod news;
mod open;
mod push;
mod quiet;

pub use asks::{Ask, Asking};
pub use blobs::PartTaken;
pub use groups::{Appended, Founded, Standing};
pub use lane::Lane;
pub use news::Said;
pub use open::{Failed, OpenError, Records};
pub use push::{Push, Pushed};
