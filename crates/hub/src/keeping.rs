//! What the hub does by itself: it lets go of records that newer ones hold, and of blobs that no record lists.

use std::collections::HashSet;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use tokio_util::sync::CancellationToken;

use crate::records::{Failed, Records};

/// How often it is looked what can go.
const EACH: Duration = Duration::from_secs(60);

/// Groups to which something was added since they were looked at.
#[derive(Clone, Debug, Default)]
pub(crate) struct Grown(Arc<Mutex<HashSet<[u8; 16]>>>);

impl Grown {
    /// Something was added to a group.
    pub(crate) fn note(&self, group: [u8; 16]) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(group);
    }

    fn take(&self) -> HashSet<[u8; 16]> {
        std::mem::take(&mut self.0.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

async fn once(records: &Records, grown: &Grown, now: i64) -> Result<(), Failed> {
    for group in grown.take() {
        let mut after = 0;
        while let Some(upto) = records.let_go(group, after).await? {
            after = upto;
        }
    }
    while !records.let_go_of_blobs(now).await? {}
    Ok(())
}

/// Looks now and then, until the hub ends.
pub(crate) async fn run(records: Records, grown: Grown, clock: fn() -> i64, shutdown: CancellationToken) {
    while !shutdown.is_cancelled() {
        tokio::select! {
            () = tokio::time::sleep(EACH) => {}
            () = shutdown.cancelled() => return,
        }
        if let Err(why) = once(&records, &grown, clock()).await {
            tracing::warn!("what newer records hold stays for now: {why}");
        }
    }
}
