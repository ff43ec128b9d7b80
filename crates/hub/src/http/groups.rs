//! Groups: they come to be, and their chain goes on.

use std::sync::Arc;

use axum::body::Bytes;
use axum::extract::{ConnectInfo, Path, Query, State};
use axum::http::{HeaderMap, Method, StatusCode, Uri};
use serde::Deserialize;
use yadori_sync::group::{Chain, ChainError, Member};
use yadori_sync::wire::{Come, Found, list};

use super::asking::Asked;
use super::hub::{Hub, Peer, group_of, micros};
use super::problem::Failure;
use crate::records::{Appended, Founded};

/// Entries of an answer at most.
const ENTRIES: u32 = 50;

fn refused(why: &ChainError) -> Failure {
    match why {
        ChainError::NotNext(_) => Failure::not_next(),
        _ => Failure::malformed("this is no entry that can follow the last one"),
    }
}

/// A group comes to be.
pub(super) async fn found(
    State(hub): State<Arc<Hub>>,
    Path(group): Path<String>,
    ConnectInfo(Peer(from)): ConnectInfo<Peer>,
    body: Bytes,
) -> Result<StatusCode, Failure> {
    let group = group_of(&group)?;
    let found = Found::from_bytes(&body).ok_or_else(|| Failure::malformed("this is no new group"))?;
    // Signed by the one device that it names.
    Chain::of(group).accept(&found.entry).map_err(|why| refused(&why))?;
    let hash = *blake3::hash(found.invitation.trim().as_bytes()).as_bytes();
    let invitation = (!hub.open).then_some(hash);
    match hub.records.found(group, &found.entry, invitation, micros()).await? {
        Founded::Yes => Ok(StatusCode::CREATED),
        Founded::Other => Err(Failure::taken()),
        Founded::Uninvited => {
            hub.uninvited.take(from.ip())?;
            Err(Failure::uninvited())
        }
    }
}

#[derive(Debug, Deserialize)]
pub(super) struct After {
    #[serde(default)]
    after: u64,
}

/// The chain, for whoever belongs to the group or did.
pub(super) async fn entries(
    State(hub): State<Arc<Hub>>,
    Path(group): Path<String>,
    Query(After { after }): Query<After>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<Vec<u8>, Failure> {
    let group = group_of(&group)?;
    Asked { method: &method, uri: &uri, headers: &headers, body: &body, group }.by(&hub).await?;
    let entries = hub.records.entries(group, after, ENTRIES).await?;
    Ok(list(entries.iter().map(Vec::as_slice)))
}

/// How far its devices have come.
pub(super) async fn devices(
    State(hub): State<Arc<Hub>>,
    Path(group): Path<String>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<Vec<u8>, Failure> {
    let group = group_of(&group)?;
    let asked = Asked { method: &method, uri: &uri, headers: &headers, body: &body, group };
    let asker = asked.by(&hub).await?.member()?;
    let mut come = Come { last: asker.standing.last, devices: Vec::new() };
    for member in asker.chain.members() {
        if let Some(ask) = hub.asked.latest(&hub.records, (group, member.device)).await? {
            come.devices.push((member.device, ask.number, u64::try_from(ask.at / 1_000_000).unwrap_or(0)));
        }
    }
    Ok(come.to_bytes())
}

/// The chain goes on.
pub(super) async fn append(
    State(hub): State<Arc<Hub>>,
    Path(group): Path<String>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<StatusCode, Failure> {
    let group = group_of(&group)?;
    let asked = Asked { method: &method, uri: &uri, headers: &headers, body: &body, group };
    let asker = asked.by(&hub).await?.author()?;
    let mut chain = Chain::clone(&asker.chain);
    let parent = chain.head();
    let known =
        |member: &Member| asker.chain.member(member.device, asker.chain.epoch()) == Some(member.signs);
    if let Err(why) = chain.accept(&body) {
        // The same once more is there already.
        let known = hub.records.entries(group, chain.epoch().saturating_sub(1), 1).await?;
        return if known.first().is_some_and(|last| *last == body) {
            Ok(StatusCode::OK)
        } else {
            Err(refused(&why))
        };
    }
    // Whoever joins, or joins anew, has asked for nothing yet.
    for member in chain.members().iter().filter(|member| !known(member)) {
        hub.asked.forget(&hub.records, (group, member.device)).await?;
    }
    match hub.records.append(group, (chain.epoch(), parent), &body).await? {
        Appended::Yes => {
            hub.tell_of_group(group);
            Ok(StatusCode::CREATED)
        }
        Appended::NotNext => Err(Failure::not_next()),
    }
}
