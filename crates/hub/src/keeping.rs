//! What the hub does by itself: it lets go of records that newer ones hold, and of blobs that no record lists.

use std::collections::HashSet;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use tokio_util::sync::CancellationToken;

use crate::asked::Asked;
use crate::records::{Failed, Records};

/// How often it is looked what can go.
const EACH: Duration = Duration::from_secs(60);
/// How often it is kept what devices have asked for.
const ASKED: Duration = Duration::from_secs(10);
/// How often it is looked which groups nobody asks for any more.
const QUIET: Duration = Duration::from_secs(3_600);

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

/// Lets go of groups that nobody has asked for since a time, in microseconds since the Unix epoch.
///
/// # Errors
/// The rest goes later.
pub async fn let_go_of_quiet(records: &Records, since: i64) -> Result<(), Failed> {
    let mut after = [0; 16];
    loop {
        let (quiet, next) = records.quiet(since, after).await?;
        for group in quiet {
            if records.begin_leaving(group, since).await? {
                tracing::info!("a group that nobody asked for goes");
            }
        }
        let Some(next) = next else { break };
        after = next;
    }
    while !records.go_on_leaving().await? {}
    Ok(())
}

/// Looks now and then, until the hub ends.
pub(crate) async fn run(
    records: Records,
    (grown, asked, quiet_days): (Grown, Asked, u32),
    clock: fn() -> i64,
    shutdown: CancellationToken,
) {
    let mut looked: Option<Instant> = None;
    let mut let_go = Instant::now();
    while !shutdown.is_cancelled() {
        tokio::select! {
            () = tokio::time::sleep(ASKED) => {}
            () = shutdown.cancelled() => {}
        }
        if let Err(why) = asked.keep(&records).await {
            tracing::warn!("what devices have asked for is kept later: {why}");
        }
        if let_go.elapsed() < EACH || shutdown.is_cancelled() {
            continue;
        }
        let_go = Instant::now();
        if let Err(why) = once(&records, &grown, clock()).await {
            tracing::warn!("what newer records hold stays for now: {why}");
        }
        if looked.is_none_or(|looked| looked.elapsed() >= QUIET) {
            looked = Some(Instant::now());
            let since = clock() - i64::from(quiet_days) * 86_400_000_000;
            if let Err(why) = let_go_of_quiet(&records, since).await {
                tracing::warn!("groups that nobody asks for stay for now: {why}");
            }
        }
    }
}
