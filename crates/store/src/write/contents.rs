//! Contents: stored once per digest, in chunks of 1 MiB. Large ones are staged outside the queue of changes and count
//! only once their row in `contents` is there; what never got a user is collected at the next start.

use bytes::{Bytes, BytesMut};
use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{Content, Digest, Micros};

use crate::{CommitError, ReadError, Store};

/// Bytes of a chunk; contents up to this size travel with the change that needs them.
pub const CHUNK: usize = 1024 * 1024;

impl Store {
    /// Stages a content of any size. Safe to repeat, and to abandon half-way.
    pub async fn stage(&self, digest: Digest, content: &Content, now: Micros) -> Result<(), CommitError> {
        let _claim = self.claims.stage(digest).await;
        let known: Option<i64> = sqlx::query_scalar(
            "SELECT (SELECT COUNT(*) FROM chunks k WHERE k.digest = c.digest) FROM contents c WHERE digest = ?",
        )
        .bind(&digest.0[..])
        .fetch_optional(&self.pool)
        .await?;
        if known == Some(chunks_of(content.len())) {
            return Ok(());
        }
        let bytes = content.expose();
        for (n, chunk) in bytes.chunks(CHUNK).enumerate() {
            sqlx::query("REPLACE INTO chunks (digest, n, data) VALUES (?, ?, ?)")
                .bind(&digest.0[..])
                .bind(i32::try_from(n).unwrap_or(i32::MAX))
                .bind(chunk)
                .execute(&self.pool)
                .await?;
        }
        // It counts only when all its chunks are there.
        sqlx::query(
            "INSERT IGNORE INTO contents (digest, size, staged_at) SELECT ?, ?, ? FROM DUAL \
             WHERE (SELECT COUNT(*) FROM chunks WHERE digest = ?) = ?",
        )
        .bind(&digest.0[..])
        .bind(i64::try_from(bytes.len()).unwrap_or(i64::MAX))
        .bind(now)
        .bind(&digest.0[..])
        .bind(chunks_of(bytes.len()))
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Reads a content and checks its length.
    pub async fn content(&self, digest: Digest) -> Result<Content, ReadError> {
        let mut connection = self.pool.acquire().await?;
        read_content(&mut connection, digest).await
    }

    /// Contents that no clip and no act needs and that were staged before `before`, and chunks of contents that were
    /// never completed: at most `most`, after the digest `after`, in their order. Nothing is deleted; a group that
    /// names them as [`crate::Group::unneeded`] does that, if they are still unneeded then.
    pub async fn unneeded(
        &self,
        before: Micros,
        after: Option<Digest>,
        most: u32,
    ) -> Result<Vec<Digest>, ReadError> {
        let after = after.map_or(Vec::new(), |digest| digest.0.to_vec());
        let found: Vec<Vec<u8>> = sqlx::query_scalar(
            "SELECT digest FROM (\
               (SELECT digest FROM contents c WHERE digest > ? AND staged_at < ? \
                AND NOT EXISTS (SELECT 1 FROM uses u WHERE u.digest = c.digest) ORDER BY digest LIMIT ?) \
               UNION \
               (SELECT DISTINCT digest FROM chunks k WHERE digest > ? \
                AND NOT EXISTS (SELECT 1 FROM contents c WHERE c.digest = k.digest) ORDER BY digest LIMIT ?)\
             ) found ORDER BY digest LIMIT ?",
        )
        .bind(&after)
        .bind(before)
        .bind(most)
        .bind(&after)
        .bind(most)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        Ok(found.iter().filter_map(|digest| Some(Digest(digest.as_slice().try_into().ok()?))).collect())
    }
}

/// How many chunks a content of so many bytes has.
pub(crate) fn chunks_of(bytes: usize) -> i64 {
    i64::try_from(bytes.div_ceil(CHUNK)).unwrap_or(i64::MAX)
}

pub(crate) async fn read_content(
    connection: &mut MySqlConnection,
    digest: Digest,
) -> Result<Content, ReadError> {
    let size: Option<i64> = sqlx::query_scalar("SELECT size FROM contents WHERE digest = ?")
        .bind(&digest.0[..])
        .fetch_optional(&mut *connection)
        .await?;
    let size = usize::try_from(size.ok_or(ReadError::Damaged)?).map_err(|_| ReadError::Damaged)?;
    let chunks: Vec<Vec<u8>> = sqlx::query_scalar("SELECT data FROM chunks WHERE digest = ? ORDER BY n")
        .bind(&digest.0[..])
        .fetch_all(connection)
        .await?;
    let bytes = match chunks.len() {
        1 => Bytes::from(chunks.into_iter().next().unwrap_or_default()),
        _ => {
            let mut whole = BytesMut::with_capacity(size);
            chunks.iter().for_each(|chunk| whole.extend_from_slice(chunk));
            whole.freeze()
        }
    };
    if bytes.len() == size { Ok(Content::new(bytes)) } else { Err(ReadError::Damaged) }
}

pub(crate) async fn insert_small(
    tx: &mut MySqlConnection,
    contents: &[(Digest, Content)],
    now: Micros,
) -> Result<(), sqlx::Error> {
    // Few enough at a time to stay well below the packet limit.
    for some in contents.chunks(24) {
        let mut sql = QueryBuilder::<MySql>::new("INSERT IGNORE INTO contents (digest, size, staged_at) ");
        sql.push_values(some, |mut row, (digest, content)| {
            row.push_bind(&digest.0[..])
                .push_bind(i64::try_from(content.len()).unwrap_or(i64::MAX))
                .push_bind(now);
        });
        sql.build().execute(&mut *tx).await?;
        let mut sql = QueryBuilder::<MySql>::new("INSERT IGNORE INTO chunks (digest, n, data) ");
        sql.push_values(some, |mut row, (digest, content)| {
            row.push_bind(&digest.0[..]).push_bind(0_i32).push_bind(content.expose().as_ref());
        });
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}
