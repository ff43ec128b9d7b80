//! What the calls share.

use std::net::SocketAddr;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

use tokio_util::sync::CancellationToken;

use super::answered::Answered;
use super::guard::Guard;
use super::known::Known;
use super::problem::Failure;
use crate::keeping::Grown;
use crate::records::Records;
use crate::waiting::Waiting;

/// What was done, for whoever looks after the hub.
#[derive(Debug, Default)]
pub(super) struct Counted {
    pub(super) pushes: AtomicU64,
    pub(super) records: AtomicU64,
}

impl Counted {
    pub(super) fn pushed(&self, records: usize) {
        self.pushes.fetch_add(1, Ordering::Relaxed);
        self.records.fetch_add(records as u64, Ordering::Relaxed);
    }
}

/// Where a request came from.
#[derive(Clone, Copy, Debug)]
pub struct Peer(pub SocketAddr);

/// What the calls share.
#[derive(Debug)]
pub struct Hub {
    pub(super) records: Records,
    /// Groups come to be without an invitation.
    pub(super) open: bool,
    /// Bytes that a group may have.
    pub(super) quota: u64,
    pub(super) known: Known,
    pub(super) answered: Answered,
    pub(super) guard: Guard,
    pub(super) groups: Waiting<[u8; 16]>,
    pub(super) places: Waiting<u32>,
    pub(super) counted: Counted,
    pub(crate) grown: Grown,
    pub(super) shutdown: CancellationToken,
}

impl Hub {
    /// A hub on these records. `open`: groups come to be without an invitation; `quota`: bytes that a group may have.
    pub fn new(records: Records, open: bool, quota: u64, shutdown: CancellationToken) -> Self {
        Self {
            records,
            open,
            quota,
            known: Known::default(),
            answered: Answered::default(),
            guard: Guard::default(),
            groups: Waiting::default(),
            places: Waiting::default(),
            counted: Counted::default(),
            grown: Grown::default(),
            shutdown,
        }
    }
}

/// Seconds since the Unix epoch.
pub(super) fn seconds() -> u64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs())
}

/// Microseconds since the Unix epoch.
pub(crate) fn micros() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    i64::try_from(since.as_micros()).unwrap_or(i64::MAX)
}

/// A group by its 32 hexadecimal digits.
pub(super) fn group_of(text: &str) -> Result<[u8; 16], Failure> {
    let group = hex::decode(text).ok().and_then(|bytes| bytes.try_into().ok());
    group.ok_or_else(|| Failure::malformed("a group is named by 32 hexadecimal digits"))
}
