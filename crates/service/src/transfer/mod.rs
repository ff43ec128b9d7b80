//! Everything that goes out or comes in as a file: backups, exports, imports. docs/formats.md describes the formats.

pub mod backup;
pub mod export;
mod format;
pub mod import;
pub mod outgoing;
mod parts;
pub mod record;
pub mod restore;
mod source;
