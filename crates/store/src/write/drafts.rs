//! Drafts: what was typed in an editor and not saved yet, one per clip. They go with the clip.

use sqlx::MySqlConnection;
use yadori_core::{ClipId, Micros};

use crate::{CommitError, ReadError, Store};

impl Store {
    /// Keeps a draft.
    pub async fn put_draft(&self, clip: ClipId, text: &str, now: Micros) -> Result<(), CommitError> {
        sqlx::query("REPLACE INTO drafts (clip, at, body) VALUES (?, ?, ?)")
            .bind(&clip.0[..])
            .bind(now)
            .bind(text.as_bytes())
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The draft for a clip, and when it was kept.
    pub async fn draft(&self, clip: ClipId) -> Result<Option<(Micros, String)>, ReadError> {
        let row: Option<(i64, Vec<u8>)> = sqlx::query_as("SELECT at, body FROM drafts WHERE clip = ?")
            .bind(&clip.0[..])
            .fetch_optional(&self.pool)
            .await?;
        Ok(row.map(|(at, body)| (at, String::from_utf8_lossy(&body).into_owned())))
    }

    /// Lets go of the draft for a clip.
    pub async fn drop_draft(&self, clip: ClipId) -> Result<(), CommitError> {
        let mut connection = self.pool.acquire().await?;
        Ok(wipe(&mut connection, clip).await?)
    }
}

/// Overwrites a draft, then deletes it.
pub(crate) async fn wipe(connection: &mut MySqlConnection, clip: ClipId) -> Result<(), sqlx::Error> {
    sqlx::query("UPDATE drafts SET body = REPEAT('\\0', LENGTH(body)) WHERE clip = ?")
        .bind(&clip.0[..])
        .execute(&mut *connection)
        .await?;
    sqlx::query("DELETE FROM drafts WHERE clip = ?").bind(&clip.0[..]).execute(connection).await?;
    Ok(())
}
