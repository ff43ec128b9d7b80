//! Parts of blobs: taken and given.

use std::sync::Arc;

use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, Method, StatusCode, Uri};
use yadori_sync::blob::LONGEST_PART;

use super::asking::Asked;
use super::hub::{Hub, group_of, micros};
use super::problem::Failure;
use crate::records::PartTaken;

fn name_of(text: &str) -> Result<[u8; 16], Failure> {
    let name = hex::decode(text).ok().and_then(|bytes| bytes.try_into().ok());
    name.ok_or_else(|| Failure::malformed("a blob is named by 32 hexadecimal digits"))
}

/// Takes a part.
pub(super) async fn take(
    State(hub): State<Arc<Hub>>,
    Path((group, name, n)): Path<(String, String, u32)>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<StatusCode, Failure> {
    let (group, name) = (group_of(&group)?, name_of(&name)?);
    Asked { method: &method, uri: &uri, headers: &headers, body: &body, group }.by(&hub).await?.member()?;
    if body.is_empty() || body.len() > LONGEST_PART {
        return Err(Failure::malformed("a part has 1 MiB at most"));
    }
    match hub.records.take_part(group, (name, n), &body, (hub.quota, micros())).await? {
        PartTaken::Yes => Ok(StatusCode::CREATED),
        PartTaken::Other => Err(Failure::said()),
        PartTaken::Full => Err(Failure::full()),
    }
}

/// Gives a part.
pub(super) async fn give(
    State(hub): State<Arc<Hub>>,
    Path((group, name, n)): Path<(String, String, u32)>,
    (method, uri, headers): (Method, Uri, HeaderMap),
    body: Bytes,
) -> Result<Vec<u8>, Failure> {
    let (group, name) = (group_of(&group)?, name_of(&name)?);
    Asked { method: &method, uri: &uri, headers: &headers, body: &body, group }.by(&hub).await?.member()?;
    hub.records.part(group, name, n).await?.ok_or_else(Failure::no_part)
}
