//! Records: taken from devices, and given to them, at once or as soon as there are any.

use std::sync::Arc;
use std::time::Duration;

use axum::body::Bytes;
use axum::extract::{Path, Query, State};
use axum::http::{HeaderMap, Method, Uri};
use serde::Deserialize;
use yadori_sync::record::{Header, header_of};
use yadori_sync::wire::{Sent, list};

use super::asking::Asked;
use super::hub::{Hub, group_of, micros};
use super::problem::Failure;
use crate::records::{Ask, Push, Pushed};
use crate::telling::News;

/// Records that are taken at once.
const RECORDS: usize = 500;
/// Records that say little (that something was removed) are taken up to a tenth beyond what a group may have: so a full group
/// can let go of what it has.
const LITTLE: usize = 768;
/// Blobs that one of them lists at most.
const BLOBS: usize = 4_096;
/// The longest time for which a request is held.
const LONGEST_WAIT: u64 = 30;
/// How often it is looked without having been told.
const ANYWAY: Duration = Duration::from_secs(10);

/// Records with their headers.
type Named = Vec<(Header, Bytes)>;
/// Names of blobs, each with the place of the record that lists it.
type Listed = Vec<(usize, [u8; 16])>;

/// The records of a push with their headers: of this device, one life of it, this group, and in their order; and the blobs
/// that they list.
fn read(body: &Bytes, group: [u8; 16], device: yadori_core::DeviceId) -> Option<(Named, Listed)> {
    let (records, blobs): (Vec<&[u8]>, Vec<Vec<[u8; 16]>>) =
        Sent::from_bytes(body, (RECORDS, BLOBS))?.0.into_iter().unzip();
    let named = |(at, names): (usize, Vec<[u8; 16]>)| names.into_iter().map(move |name| (at, name));
    let listed = blobs.into_iter().enumerate().flat_map(named);
    let headers = records.iter().map(|record| header_of(record).ok());
    let headers = headers.collect::<Option<Vec<Header>>>()?;
    let records = records.into_iter().map(|record| body.slice_ref(record));
    let first = headers.first()?;
    let ours = |header: &Header| {
        header.group == group && header.device == device && header.incarnation == first.incarnation
    };
    let ascending = headers.windows(2).all(|two| two[0].sequence < two[1].sequence);
    (first.sequence > 0 && ascending && headers.iter().all(ours))
        .then(|| (headers.into_iter().zip(records).collect(), listed.collect()))
}

/// Takes records.
pub(super) async fn push(
    State(hub): State<Arc<Hub>>,
    Path(group): Path<String>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<Vec<u8>, Failure> {
    let group = group_of(&group)?;
    let asked = Asked { method: &method, uri: &uri, headers: &headers, body: &body, group };
    let mut asker = asked.by_known(&hub).await?.member()?;
    let (records, listed) = read(&body, group, asker.device).ok_or_else(|| {
        Failure::malformed("these are no records of this device in the order of their sequences")
    })?;
    let who = (group, asker.device);
    if hub.was_silent(who, u64::MAX).await? {
        // Whether it is behind, the group tells.
        let (_, standing) = hub.known.chain(&hub.records, group).await?;
        if hub.was_silent(who, standing.last).await? {
            return Err(Failure::silent());
        }
        // It was only quiet, and is not any more.
        hub.asked.note(who, Ask { number: standing.last, at: micros() });
    }
    let hash = *blake3::hash(&body).as_bytes();
    let count = records.len();
    let little = records.iter().all(|(_, record)| record.len() <= LITTLE) && listed.is_empty();
    let quota = hub.quota.saturating_add(if little { hub.quota / 10 } else { 0 });
    let mut push = Push { group, records, listed, hash, epoch: asker.standing.epoch, quota, now: micros() };
    for _ in 0..3 {
        match hub.pushing.push(push.clone()).await.ok_or_else(Failure::away)? {
            Pushed::Taken(last) => {
                hub.tell_of_group(group);
                hub.grown.note(group);
                hub.counted.pushed(count);
                return Ok(list([&last.to_be_bytes()[..]].into_iter()));
            }
            Pushed::Older => return Err(Failure::older()),
            Pushed::Full => return Err(Failure::full()),
            Pushed::NoGroup => return Err(Failure::no_group()),
            Pushed::Epoch => {
                (asker.chain, asker.standing) = hub.known.chain(&hub.records, group).await?;
                if asker.chain.member(asker.device, asker.standing.epoch).is_none() {
                    return Err(Failure::struck_off());
                }
                push.epoch = asker.standing.epoch;
            }
        }
    }
    Err(Failure::not_next())
}

#[derive(Debug, Deserialize)]
pub(super) struct Wanted {
    #[serde(default)]
    after: u64,
    /// The last entry that is known: a longer chain is news as well.
    #[serde(default)]
    epoch: u64,
    #[serde(default)]
    wait: u64,
}

/// Gives records; held until there are some, or a while is over.
pub(super) async fn pull(
    State(hub): State<Arc<Hub>>,
    Path(group): Path<String>,
    Query(wanted): Query<Wanted>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<Vec<u8>, Failure> {
    let group = group_of(&group)?;
    let asked = Asked { method: &method, uri: &uri, headers: &headers, body: &body, group };
    let asker = asked.by(&hub).await?.member()?;
    let who = (group, asker.device);
    if wanted.after < asker.standing.last && hub.was_silent(who, asker.standing.last).await? {
        return Err(Failure::silent());
    }
    hub.asked.note(who, Ask { number: wanted.after.min(asker.standing.last), at: micros() });
    let end = tokio::time::Instant::now() + Duration::from_secs(wanted.wait.min(LONGEST_WAIT));
    let mut waiter = hub.telling.wait(News::Group(group));
    loop {
        let page = hub.records.page(group, wanted.after).await?.ok_or_else(Failure::no_group)?;
        if page.epoch > asker.standing.epoch {
            // Who belongs has changed meanwhile.
            let (chain, _) = hub.known.chain(&hub.records, group).await?;
            if chain.member(asker.device, chain.epoch()).is_none() {
                return Err(Failure::struck_off());
            }
        }
        let news = !page.records.is_empty() || (wanted.epoch > 0 && page.epoch > wanted.epoch);
        if news || hub.shutdown.is_cancelled() {
            return Ok(page.to_bytes());
        }
        tokio::select! {
            () = waiter.heard() => {}
            () = hub.shutdown.cancelled() => {}
            () = tokio::time::sleep(ANYWAY) => {}
            () = tokio::time::sleep_until(end) => return Ok(page.to_bytes()),
        }
    }
}
