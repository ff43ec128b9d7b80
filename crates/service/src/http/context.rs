//! What handlers share, and how a request came in.

use std::sync::Arc;

use crate::clearing::orders::Orders;
use crate::exchange::Exchanger;
use crate::home::autostart::Autostart;
use crate::home::place::Home;
use crate::home::settings::change::Config;
use crate::records::room::Disk;
use crate::state::app::Shared;
use crate::state::sign_in::Door;
use crate::writer::Queue;

/// What handlers share.
#[derive(Clone, Debug)]
pub struct Context {
    /// The state of the service, to read.
    pub app: Shared,
    /// The way to the writer.
    pub queue: Queue,
    /// Where the files are.
    pub home: Home,
    /// The disk of the records.
    pub disk: Disk,
    /// The configuration file.
    pub config: Arc<Config>,
    /// The exchange with other devices.
    pub exchanger: Exchanger,
    /// Whether it starts with the desktop.
    pub autostart: Arc<Autostart>,
    /// The standing orders.
    pub orders: Arc<Orders>,
}

/// How a request came in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Entrance {
    /// By the Unix socket: this user's own programs.
    Unix,
    /// By TCP, on this port.
    Tcp(u16),
    /// Over TLS: a phone.
    Phone,
}

impl Entrance {
    /// The door that stands for it.
    pub(super) fn door(self) -> Door {
        if self == Self::Phone { Door::Phone } else { Door::Here }
    }
}
