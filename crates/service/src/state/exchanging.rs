//! How the exchange with other devices stands, for whoever shows it, and what wakes it.

use std::sync::{Mutex, PoisonError};

use tokio::sync::Notify;
use yadori_core::{DeviceId, Micros};
use yadori_store::DeviceRow;

/// A record that was refused, in words.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct RefusedRecord {
    /// When.
    pub at: Micros,
    /// The hub's number of it.
    pub number: u64,
    /// Why.
    pub why: String,
}

/// How the exchange stands at one moment.
#[derive(Clone, Debug, Default)]
pub struct ExchangeNow {
    /// The hub; `None`: this device belongs to no group.
    pub hub: Option<String>,
    /// What its owner calls this device.
    pub name: String,
    /// Devices of the group.
    pub members: Vec<DeviceId>,
    /// What is known of devices.
    pub devices: Vec<DeviceRow>,
    /// It is paused.
    pub paused: bool,
    /// When the hub answered last.
    pub reached_at: Option<Micros>,
    /// What is wrong.
    pub trouble: Option<String>,
    /// How many subjects wait to be sent, as far as it was counted.
    pub waits: u64,
    /// Everything that the hub had has been received at this time.
    pub received_at: Option<Micros>,
    /// The last of the hub's numbers, and how far they were received.
    pub behind: u64,
    /// Records that were sent and received in this run.
    pub sent: u64,
    /// Records that were received in this run.
    pub received: u64,
    /// Records that were refused, newest first.
    pub refused: Vec<RefusedRecord>,
    /// The hub that this device serves, if it is to serve one.
    pub hosted: Option<Hosted>,
}

/// How it stands with the hub that this device serves.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Hosted {
    /// It is starting.
    Starting,
    /// It answers here, as devices need the address.
    At(String),
    /// It does not: why, and what to do.
    Not(String),
}

/// Records that were refused and are remembered.
const REFUSED: usize = 20;

/// The exchange, as others see it.
#[derive(Debug, Default)]
pub struct Exchanging {
    now: Mutex<ExchangeNow>,
    due: Notify,
    turned: Notify,
}

impl Exchanging {
    /// How it stands.
    pub fn now(&self) -> ExchangeNow {
        self.now.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Changes that.
    pub fn change(&self, change: impl FnOnce(&mut ExchangeNow)) {
        change(&mut self.now.lock().unwrap_or_else(PoisonError::into_inner));
    }

    /// A record was refused.
    pub fn refused(&self, record: RefusedRecord) {
        self.change(|now| {
            now.refused.insert(0, record);
            now.refused.truncate(REFUSED);
        });
    }

    /// Something is to be sent.
    pub fn is_due(&self) {
        self.due.notify_one();
    }

    /// Waits until something is to be sent.
    pub async fn until_due(&self) {
        self.due.notified().await;
    }

    /// The group, or whether it is paused, is another one.
    pub fn turn(&self) {
        self.turned.notify_waiters();
        self.turned.notify_one();
    }

    /// Waits until it is.
    pub async fn turned(&self) {
        self.turned.notified().await;
    }
}
