//! Places where two devices meet to be paired. The hub carries what they say, and can't read it.

use std::sync::Arc;
use std::time::Duration;

use axum::body::Bytes;
use axum::extract::{ConnectInfo, Path, Query, State};
use axum::http::{HeaderMap, Method, StatusCode, Uri};
use serde::Deserialize;
use yadori_sync::wire::list;

use super::asking::Asked;
use super::hub::{Hub, Peer, group_of, micros};
use super::problem::Failure;
use crate::telling::News;

/// How long a place stays open.
const OPEN: Duration = Duration::from_secs(600);
/// Things that are said at a place at most.
const WORDS: u32 = 16;
/// The longest time for which a request is held.
const LONGEST_WAIT: u64 = 30;
/// How often it is looked without having been told.
const ANYWAY: Duration = Duration::from_secs(10);

/// Opens a place.
pub(super) async fn open(
    State(hub): State<Arc<Hub>>,
    Path(group): Path<String>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<Vec<u8>, Failure> {
    let group = group_of(&group)?;
    Asked { method: &method, uri: &uri, headers: &headers, body: &body, group }.by(&hub).await?.member()?;
    let mut random = [0; 64];
    getrandom::fill(&mut random).map_err(|_| Failure::too_often(1))?;
    let draws: Vec<u32> = random.as_chunks::<4>().0.iter().map(|four| u32::from_be_bytes(*four)).collect();
    let now = micros();
    let until = now + i64::try_from(OPEN.as_micros()).unwrap_or(i64::MAX / 2);
    let place = hub.records.open_place(group, &draws, (now, until)).await?;
    let place = place.ok_or_else(|| Failure::too_often(60))?;
    Ok(list([&place.to_be_bytes()[..]].into_iter()))
}

/// Closes a place.
pub(super) async fn close(
    State(hub): State<Arc<Hub>>,
    Path((group, place)): Path<(String, u32)>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<StatusCode, Failure> {
    let group = group_of(&group)?;
    Asked { method: &method, uri: &uri, headers: &headers, body: &body, group }.by(&hub).await?.member()?;
    hub.records.close_place(group, place).await?;
    hub.telling.tell(News::Place(place));
    Ok(StatusCode::NO_CONTENT)
}

/// Something is said.
pub(super) async fn say(
    State(hub): State<Arc<Hub>>,
    Path((place, n)): Path<(u32, u32)>,
    ConnectInfo(Peer(from)): ConnectInfo<Peer>,
    body: Bytes,
) -> Result<StatusCode, Failure> {
    if n >= WORDS {
        return Err(Failure::malformed("there is nothing more to say"));
    }
    if n == 0 {
        // A code is tried with the first thing that is said.
        hub.guard.take(from.ip())?;
    }
    if !hub.records.is_open(place, micros()).await? {
        return Err(Failure::no_place());
    }
    if !hub.records.say(place, n, &body).await? {
        return Err(Failure::said());
    }
    hub.telling.tell(News::Place(place));
    Ok(StatusCode::CREATED)
}

#[derive(Debug, Deserialize)]
pub(super) struct Wait {
    #[serde(default)]
    wait: u64,
}

/// What was said; held until it is.
pub(super) async fn hear(
    State(hub): State<Arc<Hub>>,
    Path((place, n)): Path<(u32, u32)>,
    Query(Wait { wait }): Query<Wait>,
) -> Result<(StatusCode, Vec<u8>), Failure> {
    let end = tokio::time::Instant::now() + Duration::from_secs(wait.min(LONGEST_WAIT));
    let mut waiter = hub.telling.wait(News::Place(place));
    loop {
        if let Some(said) = hub.records.said(place, n).await? {
            return Ok((StatusCode::OK, said));
        }
        if !hub.records.is_open(place, micros()).await? {
            return Err(Failure::no_place());
        }
        if hub.shutdown.is_cancelled() || tokio::time::Instant::now() >= end {
            return Ok((StatusCode::NO_CONTENT, Vec::new()));
        }
        tokio::select! {
            () = waiter.heard() => {}
            () = hub.shutdown.cancelled() => {}
            () = tokio::time::sleep_until((tokio::time::Instant::now() + ANYWAY).min(end)) => {}
        }
    }
}
