//! All records as of one moment, read in pages.

use sqlx::{Connection, MySql, MySqlConnection, QueryBuilder};
use yadori_core::{Batch, ClipId, Content, Digest, Drawer, StoredClip};

use crate::error::ReadError;
use crate::read::content;
use crate::read::load::{all_batches, all_drawers, clip_row};
use crate::store::Store;
use crate::write::contents::CHUNK;

/// Bytes of small contents that are read at once at most.
const AT_ONCE: u64 = 8 << 20;

/// A view of the records that does not change.
#[derive(Debug)]
pub struct Snapshot {
    connection: MySqlConnection,
}

/// A content, or why it can't be had.
pub type Read = (Digest, Result<Content, ReadError>);

impl Store {
    /// All records as of one moment, on a connection of its own: changes made meanwhile are not seen.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn snapshot(&self) -> Result<Snapshot, ReadError> {
        let mut connection = self.pool.acquire().await?.detach();
        sqlx::query("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ").execute(&mut connection).await?;
        sqlx::query("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY").execute(&mut connection).await?;
        Ok(Snapshot { connection })
    }
}

impl Snapshot {
    /// How many clips there are, tombstones included, and how many contents.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn counts(&mut self) -> Result<(u64, u64), ReadError> {
        let (clips, contents): (i64, i64) =
            sqlx::query_as("SELECT (SELECT COUNT(*) FROM clips), (SELECT COUNT(*) FROM contents)")
                .fetch_one(&mut self.connection)
                .await?;
        Ok((u64::try_from(clips).unwrap_or(0), u64::try_from(contents).unwrap_or(0)))
    }

    /// Up to `most` clips in the order of their ids, tombstones included, after one with this id.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn clips_after(
        &mut self,
        after: Option<ClipId>,
        most: u32,
    ) -> Result<Vec<StoredClip>, ReadError> {
        let after = after.map_or(Vec::new(), |id| id.0.to_vec());
        let rows = sqlx::query(
            "SELECT id, state, facts, ordered_at, ordered FROM clips WHERE id > ? ORDER BY id LIMIT ?",
        )
        .bind(after)
        .bind(most)
        .fetch_all(&mut self.connection)
        .await?;
        rows.iter().map(clip_row).collect()
    }

    /// Contents that these clips need and that have no row.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn missing_among(&mut self, clips: &[StoredClip]) -> Result<Vec<Digest>, ReadError> {
        self.missing(clips.iter().flat_map(StoredClip::digests).collect()).await
    }

    /// Those of these contents that have no row.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn missing(&mut self, mut wanted: Vec<Digest>) -> Result<Vec<Digest>, ReadError> {
        wanted.sort_unstable();
        wanted.dedup();
        let mut there = std::collections::HashSet::with_capacity(wanted.len());
        for some in wanted.chunks(500) {
            let mut sql = QueryBuilder::<MySql>::new("SELECT digest FROM contents WHERE digest IN (");
            let mut list = sql.separated(", ");
            some.iter().for_each(|digest| {
                list.push_bind(digest.0.to_vec());
            });
            sql.push(")");
            let found: Vec<Vec<u8>> = sql.build_query_scalar().fetch_all(&mut self.connection).await?;
            there.extend(found);
        }
        wanted.retain(|digest| !there.contains(&digest.0[..]));
        Ok(wanted)
    }

    /// Every drawer.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn drawers(&mut self) -> Result<Vec<Drawer>, ReadError> {
        all_drawers(&mut self.connection).await
    }

    /// Every batch, with its items.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn batches(&mut self) -> Result<Vec<Batch>, ReadError> {
        all_batches(&mut self.connection).await
    }

    /// Some contents in the order of their digests, after this one; none when there are no more. Large ones come alone,
    /// small ones together.
    ///
    /// # Errors
    /// While the database does not answer. A content that is damaged is named as such, and the others are read.
    pub async fn contents_after(&mut self, after: Option<Digest>) -> Result<Vec<Read>, ReadError> {
        let after = after.map_or(Vec::new(), |digest| digest.0.to_vec());
        let sizes: Vec<(Vec<u8>, i64)> =
            sqlx::query_as("SELECT digest, size FROM contents WHERE digest > ? ORDER BY digest LIMIT 256")
                .bind(after)
                .fetch_all(&mut self.connection)
                .await?;
        let mut wanted = Vec::new();
        let mut bytes = 0;
        for (digest, size) in &sizes {
            let size = u64::try_from(*size).unwrap_or(0);
            let Ok(digest) = <[u8; 32]>::try_from(digest.as_slice()) else { continue };
            bytes += size;
            if !wanted.is_empty() && (bytes > AT_ONCE || size > CHUNK as u64) {
                break;
            }
            wanted.push(Digest(digest));
            if size > CHUNK as u64 {
                break;
            }
        }
        if let [one] = wanted.as_slice() {
            let read = content::read(&mut self.connection, *one).await;
            return match read {
                Err(why @ ReadError::Away(_)) => Err(why),
                read => Ok(vec![(*one, read)]),
            };
        }
        if wanted.is_empty() {
            return Ok(Vec::new());
        }
        let mut sql = QueryBuilder::<MySql>::new("SELECT digest, data FROM chunks WHERE digest IN (");
        let mut list = sql.separated(", ");
        wanted.iter().for_each(|digest| {
            list.push_bind(&digest.0[..]);
        });
        sql.push(")");
        let found: Vec<(Vec<u8>, Vec<u8>)> = sql.build_query_as().fetch_all(&mut self.connection).await?;
        let mut found: std::collections::HashMap<Vec<u8>, Vec<u8>> = found.into_iter().collect();
        let check = |digest: Digest| {
            let content = found.remove(&digest.0[..]).map(Content::new);
            content
                .filter(|content| content.digest() == digest)
                .ok_or_else(|| ReadError::Damaged("a content is missing or not what it was".into()))
        };
        let mut check = check;
        Ok(wanted.into_iter().map(|digest| (digest, check(digest))).collect())
    }

    /// Ends the view.
    pub async fn close(self) {
        let _ = self.connection.close().await;
    }
}
