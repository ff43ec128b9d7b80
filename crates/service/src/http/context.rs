//! What handlers share, and how a request came in.

use crate::records::room::Disk;
use crate::state::app::Shared;
use crate::writer::Queue;

/// What handlers share.
#[derive(Clone, Debug)]
pub struct Context {
    /// The state of the service, to read.
    pub app: Shared,
    /// The way to the writer.
    pub queue: Queue,
    /// The disk of the records.
    pub disk: Disk,
    /// The configuration file.
    pub config: std::path::PathBuf,
}

/// How a request came in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Entrance {
    /// By the Unix socket: this user's own programs.
    Unix,
    /// By TCP, on this port.
    Tcp(u16),
}
