//! What the calls share.

use std::net::SocketAddr;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

use tokio_util::sync::CancellationToken;

use super::answered::Answered;
use super::guard::Guard;
use super::known::Known;
use super::pace::Pace;
use super::problem::Failure;
use crate::asked::Asked;
use crate::believing::Believing;
use crate::keeping::Grown;
use crate::pushing::Pushing;
use crate::records::{Asking, Failed, Records};
use crate::settings::Settings;
use crate::telling::{News, Telling};

/// What was done, for whoever looks after the hub.
#[derive(Debug, Default)]
pub(super) struct Counted {
    pub(super) pushes: AtomicU64,
    pub(super) records: AtomicU64,
    pub(super) refused: AtomicU64,
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
    pub(super) believing: Believing,
    pub(super) answered: Answered,
    /// Codes that are tried.
    pub(super) guard: Guard,
    /// Groups that come without an invitation.
    pub(super) uninvited: Guard,
    pub(super) pace: Pace,
    pub(super) pushing: Pushing,
    pub(super) telling: Telling,
    /// For how many days a group stays that nobody asks for.
    pub(super) quiet_days: u32,
    pub(super) counted: Counted,
    pub(crate) grown: Grown,
    pub(crate) asked: Asked,
    pub(super) shutdown: CancellationToken,
}

impl Hub {
    /// A hub on these records.
    pub(crate) fn new(
        records: Records,
        settings: &Settings,
        telling: Telling,
        shutdown: CancellationToken,
    ) -> Self {
        Self {
            pushing: Pushing::on(&records),
            records,
            open: settings.open,
            quota: settings.quota,
            pace: Pace::of(settings.pace),
            telling,
            quiet_days: settings.quiet_days,
            known: Known::default(),
            believing: Believing::default(),
            answered: Answered::default(),
            guard: Guard::default(),
            uninvited: Guard::default(),
            counted: Counted::default(),
            grown: Grown::default(),
            asked: Asked::default(),
            shutdown,
        }
    }
}

impl Hub {
    /// Whether a device was silent for so long that it must join anew. `last`: the last of its group's numbers.
    pub(super) async fn was_silent(&self, who: Asking, last: u64) -> Result<bool, Failed> {
        self.asked.was_silent(&self.records, who, (last, micros())).await
    }

    /// A group has grown.
    pub(super) fn tell_of_group(&self, group: [u8; 16]) {
        self.telling.tell(News::Group(group));
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
