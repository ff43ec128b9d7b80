//! The one writer. Every change goes through one queue, is committed, then applied to the history in memory, then
//! announced. Changes that wait together are committed together, so that a burst costs one disk write, not fifty; a
//! group that is refused is tried again one by one.
//!
//! While the records can't be written, copies wait in memory: they are in the history, marked as not saved, and can be
//! taken. Acts are refused with the reason. When the answer to a commit is lost, the writer finds out what became of it
//! before it answers or goes on.

mod acts;
mod announce;
mod bring;
mod captures;
mod change;
mod clear;
mod commit;
mod error;
mod fleeting;
mod handed;
mod imports;
mod long;
mod merging;
mod mode;
mod received;
mod recovery;
mod secret;
mod sharing;
mod task;
mod upkeep;
mod waiting;
mod wish;
mod worker;

pub use change::{
    ASIDE, Capture, Change, Done, Handed, ImportId, Lately, Loaded, Outcome, PartOf, Queue, Saved, With,
    queue,
};
pub use error::WriteError;
pub use received::Received;
pub use wish::{BY_LIMITS, ClearWish};
pub use worker::Writer;
