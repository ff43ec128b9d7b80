//! What a hub is asked for, call by call (docs/protocol.md).

use std::time::Duration;

use axum::body::Bytes;
use axum::http::{Method, StatusCode};
use yadori_sync::wire::{Come, Found, Page, Sent, read_list};

use super::link::{Asker, Link, LinkError};

/// What a part of a blob is given beside the usual: 1 MiB over a slow line.
const SLOW: Duration = Duration::from_secs(100);

impl Link {
    /// A group comes to be.
    pub(super) async fn found(&self, group: [u8; 16], found: &Found) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}", hex::encode(group));
        self.ask((Method::POST, &path, found.to_bytes()), None, Duration::ZERO).await?;
        Ok(())
    }

    /// Entries of the chain after a number.
    pub(super) async fn entries(&self, by: &Asker, after: u64) -> Result<Vec<Vec<u8>>, LinkError> {
        let path = format!("/v1/groups/{}/entries?after={after}", hex::encode(by.group));
        let (_, answer) = self.ask((Method::GET, &path, Vec::new()), Some(by), Duration::ZERO).await?;
        let entries = read_list(&answer, 1_000).ok_or_else(|| self.strange())?;
        Ok(entries.into_iter().map(<[u8]>::to_vec).collect())
    }

    /// The chain goes on.
    pub(super) async fn append(&self, by: &Asker, entry: Vec<u8>) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/entries", hex::encode(by.group));
        self.ask((Method::POST, &path, entry), Some(by), Duration::ZERO).await?;
        Ok(())
    }

    /// Records are taken.
    pub(super) async fn push(&self, by: &Asker, sent: &Sent<'_>) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/records", hex::encode(by.group));
        self.ask((Method::POST, &path, sent.to_bytes()), Some(by), Duration::ZERO).await?;
        Ok(())
    }

    /// Records after a number, or a longer chain than this; held until there are some.
    pub(super) async fn pull(
        &self,
        by: &Asker,
        (after, epoch): (u64, u64),
        wait: Duration,
    ) -> Result<Page, LinkError> {
        let group = hex::encode(by.group);
        let path = format!("/v1/groups/{group}/records?after={after}&epoch={epoch}&wait={}", wait.as_secs());
        let (_, answer) = self.ask((Method::GET, &path, Vec::new()), Some(by), wait).await?;
        Page::from_bytes(&answer).ok_or_else(|| self.strange())
    }

    /// How far the devices of the group have come.
    pub(super) async fn devices(&self, by: &Asker) -> Result<Come, LinkError> {
        let path = format!("/v1/groups/{}/devices", hex::encode(by.group));
        let (_, answer) = self.ask((Method::GET, &path, Vec::new()), Some(by), Duration::ZERO).await?;
        Come::from_bytes(&answer).ok_or_else(|| self.strange())
    }

    /// A part of a blob is taken.
    pub(super) async fn put_part(
        &self,
        by: &Asker,
        (name, n): ([u8; 16], u32),
        part: Vec<u8>,
    ) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/blobs/{}/{n}", hex::encode(by.group), hex::encode(name));
        self.ask((Method::PUT, &path, part), Some(by), SLOW).await?;
        Ok(())
    }

    /// A part of a blob.
    pub(super) async fn part(&self, by: &Asker, (name, n): ([u8; 16], u32)) -> Result<Bytes, LinkError> {
        let path = format!("/v1/groups/{}/blobs/{}/{n}", hex::encode(by.group), hex::encode(name));
        Ok(self.ask((Method::GET, &path, Vec::new()), Some(by), SLOW).await?.1)
    }

    /// Opens a place where two devices meet.
    pub(super) async fn open_place(&self, by: &Asker) -> Result<u32, LinkError> {
        let path = format!("/v1/groups/{}/meetings", hex::encode(by.group));
        let (_, answer) = self.ask((Method::POST, &path, Vec::new()), Some(by), Duration::ZERO).await?;
        let place = read_list(&answer, 1).and_then(|list| (*list.first()?).try_into().ok());
        place.map(u32::from_be_bytes).ok_or_else(|| self.strange())
    }

    /// Closes it.
    pub(super) async fn close_place(&self, by: &Asker, place: u32) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/meetings/{place}", hex::encode(by.group));
        self.ask((Method::DELETE, &path, Vec::new()), Some(by), Duration::ZERO).await?;
        Ok(())
    }

    /// Says something there.
    pub(super) async fn say(&self, place: u32, n: u32, words: Vec<u8>) -> Result<(), LinkError> {
        let path = format!("/v1/meetings/{place}/{n}");
        self.ask((Method::PUT, &path, words), None, Duration::ZERO).await?;
        Ok(())
    }

    /// Hears what is said there; held until it is. `None`: nothing yet.
    pub(super) async fn hear(&self, place: u32, n: u32, wait: Duration) -> Result<Option<Bytes>, LinkError> {
        let path = format!("/v1/meetings/{place}/{n}?wait={}", wait.as_secs());
        let (status, answer) = self.ask((Method::GET, &path, Vec::new()), None, wait).await?;
        Ok((status == StatusCode::OK).then_some(answer))
    }
}
