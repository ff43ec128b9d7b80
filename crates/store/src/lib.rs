//! Yadori's records in MariaDB: the schema, one transaction per group of changes, contents in chunks, and the private
//! server that holds them when the configuration names none.
//!
//! The database is the truth; whoever uses this crate keeps its own picture in memory and changes it only after a
//! commit has succeeded.

mod error;
mod read;
mod rows;
pub mod server;
mod store;
mod write;

pub use error::{CommitError, OpenError, ReadError};
pub use read::brought::Brought;
pub use read::clearings::PartBody;
pub use read::load::ClipRows;
pub use read::snapshot::{Read, Snapshot};
pub use rows::{
    ActRow, BatchChange, BlobRow, BroughtRow, DeviceRow, DraftRow, DueRow, DueState, ENDING, ExchangeRow,
    ExchangeState, ForgettingAct, GOING, GOING_TO_END, Noted, OutgoingRow, PartRow, PortionRow, RefusalRow,
    STANDS, SharedChange, SignInChange, SignInRow, SteppedAct, Subject,
};
pub use store::{Location, MIGRATIONS, SCHEMA, Store};
pub use write::contents::CHUNK;
pub use write::group::Group;
pub use write::outbox::{BATCH, CLIP, DRAWER, ITEM, RULES};
