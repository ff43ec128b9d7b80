//! Contents: stored once per digest, in chunks of 1 MiB. Large ones are staged outside the queue of changes and count
//! only once their row in `contents` is there; what never got a user is collected at the next start.

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{Content, Digest, Micros};

use crate::error::{CommitError, ReadError, is_conflict};
use crate::store::Store;

/// Bytes of a chunk; contents up to this size travel with the change that needs them.
pub const CHUNK: usize = 1024 * 1024;
/// Contents that are asked for at once, whether anybody needs them.
const ASKED: usize = 100;
/// Chunks that are staged in one transaction.
const AT_ONCE: usize = 6;

impl Store {
    /// Stages a content of any size. Safe to repeat, and to abandon half-way.
    pub async fn stage(&self, digest: Digest, content: &Content, now: Micros) -> Result<(), CommitError> {
        let _claim = self.claims.stage(digest).await;
        let _place = self.staging.acquire().await;
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
        let chunks: Vec<&[u8]> = bytes.chunks(CHUNK).collect();
        let half = chunks.len().div_ceil(2);
        // The server writes two halves in little more than half the time. Where they meet what was left half-way, one may
        // have to give way to the other: then they are written one after the other.
        let both = tokio::try_join!(
            self.write_chunks(digest, 0, &chunks[..half]),
            self.write_chunks(digest, half, &chunks[half..]),
        );
        match both {
            Err(why) if is_conflict(&why) => self.write_chunks(digest, 0, &chunks).await?,
            both => {
                both?;
            }
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

    /// Writes chunks of which the first is number `from`.
    async fn write_chunks(&self, digest: Digest, from: usize, chunks: &[&[u8]]) -> Result<(), sqlx::Error> {
        for (group, some) in chunks.chunks(AT_ONCE).enumerate() {
            // Some at a time: each commit waits for the disk.
            let mut tx = self.pool.begin().await?;
            for (n, chunk) in some.iter().enumerate() {
                sqlx::query("REPLACE INTO chunks (digest, n, data) VALUES (?, ?, ?)")
                    .bind(&digest.0[..])
                    .bind(i32::try_from(from + group * AT_ONCE + n).unwrap_or(i32::MAX))
                    .bind(*chunk)
                    .execute(&mut *tx)
                    .await?;
            }
            tx.commit().await?;
        }
        Ok(())
    }

    /// Stages some contents of at most [`CHUNK`] bytes each, in one transaction. Safe to repeat.
    ///
    /// # Errors
    /// None of them is staged then.
    pub async fn stage_small(&self, contents: &[(Digest, Content)], now: Micros) -> Result<(), CommitError> {
        let mut claims = Vec::with_capacity(contents.len());
        for (digest, _) in contents {
            claims.push(self.claims.stage(*digest).await);
        }
        let mut tx = self.pool.begin().await?;
        insert_small(&mut tx, contents, now).await?;
        Ok(tx.commit().await?)
    }

    /// Contents that no clip and no act needs and that were staged before `before`, and chunks of contents that were
    /// never completed: at most `most`, after the digest `after`, in their order. Nothing is deleted; a group that
    /// names them as [`unneeded`](crate::Group::unneeded) does that, if they are still unneeded then.
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

pub(crate) async fn insert_small(
    tx: &mut MySqlConnection,
    contents: &[(Digest, Content)],
    now: Micros,
) -> Result<(), sqlx::Error> {
    // Few enough at a time to stay well below the packet limit.
    for some in contents.chunks(24) {
        let mut sql = QueryBuilder::<MySql>::new("");
        push_contents(&mut sql, some, now);
        sql.build().execute(&mut *tx).await?;
        let mut sql = QueryBuilder::<MySql>::new("");
        push_first_chunks(&mut sql, some);
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}

/// The statement that says which contents there are.
pub(crate) fn push_contents(sql: &mut QueryBuilder<MySql>, contents: &[(Digest, Content)], now: Micros) {
    sql.push("INSERT IGNORE INTO contents (digest, size, staged_at) ");
    sql.push_values(contents, |mut row, (digest, content)| {
        row.push_bind(&digest.0[..])
            .push_bind(i64::try_from(content.len()).unwrap_or(i64::MAX))
            .push_bind(now);
    });
}

/// The statement that writes contents of one chunk each.
pub(crate) fn push_first_chunks(sql: &mut QueryBuilder<MySql>, contents: &[(Digest, Content)]) {
    sql.push("INSERT IGNORE INTO chunks (digest, n, data) ");
    sql.push_values(contents, |mut row, (digest, content)| {
        row.push_bind(&digest.0[..]).push_bind(0_i32).push_bind(content.expose().as_ref());
    });
}

/// Deletes those of the contents that nobody needs any more, overwriting them first.
pub(crate) async fn wipe_unused(tx: &mut MySqlConnection, freed: &[Digest]) -> Result<(), sqlx::Error> {
    if freed.is_empty() {
        return Ok(());
    }
    let listed = |start: &'static str, end: &'static str, digests: &[&Digest]| {
        let mut sql = QueryBuilder::<MySql>::new(start);
        let mut list = sql.separated(", ");
        digests.iter().for_each(|digest| {
            list.push_bind(digest.0.to_vec());
        });
        sql.push(end);
        sql
    };
    let mut freed = freed.to_vec();
    freed.sort_unstable();
    freed.dedup();
    // Most of them are still needed, by an act or by another clip. The first of those who need one is enough: there may be
    // very many.
    let mut needed: Vec<Vec<u8>> = Vec::new();
    for some in freed.chunks(ASKED) {
        let mut sql = QueryBuilder::<MySql>::new("");
        for (n, digest) in some.iter().enumerate() {
            sql.push(if n == 0 { "(" } else { " UNION ALL (" });
            sql.push("SELECT digest FROM uses WHERE digest = ").push_bind(digest.0.to_vec());
            sql.push(" LIMIT 1 LOCK IN SHARE MODE)");
        }
        let found: Vec<Vec<u8>> = sql.build_query_scalar().fetch_all(&mut *tx).await?;
        needed.extend(found);
    }
    let unneeded: Vec<&Digest> =
        freed.iter().filter(|one| !needed.iter().any(|digest| *digest == one.0)).collect();
    if unneeded.is_empty() {
        return Ok(());
    }
    for start in [
        "UPDATE chunks SET data = REPEAT('\\0', LENGTH(data)) WHERE digest IN (",
        "DELETE FROM chunks WHERE digest IN (",
        "DELETE FROM contents WHERE digest IN (",
        // After the contents: words that are just being kept wait for their picture's, or are there now.
        "UPDATE pictured SET words = REPEAT('\\0', LENGTH(words)) WHERE digest IN (",
        "DELETE FROM pictured WHERE digest IN (",
    ] {
        listed(start, ")", &unneeded).build().execute(&mut *tx).await?;
    }
    Ok(())
}

impl Store {
    /// Writes a content anew over whatever is left of it.
    ///
    /// # Errors
    /// It is as it was then, or half of it is there; it is to be mended again.
    pub async fn mend(&self, digest: Digest, content: &Content) -> Result<(), CommitError> {
        let _claim = self.claims.stage(digest).await;
        let mut tx = self.pool.begin().await?;
        for table in ["DELETE FROM chunks WHERE digest = ?", "DELETE FROM contents WHERE digest = ?"] {
            sqlx::query(table).bind(&digest.0[..]).execute(&mut *tx).await?;
        }
        insert_small(&mut tx, &[(digest, content.clone())], 0).await?;
        Ok(tx.commit().await?)
    }
}
