//! Reading records back: at start, for undo, and for a backup.

use futures_util::TryStreamExt;
use sqlx::{Connection, MySqlConnection, Row};
use yadori_core::{ClipId, Content, Digest, Drawer};

use crate::write::contents::read_content;
use crate::{ActRow, ClipRow, ReadError, RefusalRow, Store};

impl Store {
    /// Every clip, in no order, tombstones included.
    pub async fn clips(&self) -> Result<Vec<ClipRow>, ReadError> {
        let mut connection = self.pool.acquire().await?;
        all_clips(&mut connection).await
    }

    /// Some clips by id.
    pub async fn clips_by_id(&self, ids: &[ClipId]) -> Result<Vec<ClipRow>, ReadError> {
        let mut found = Vec::new();
        for id in ids {
            let row = sqlx::query("SELECT id, state, facts, received_at FROM clips WHERE id = ?")
                .bind(&id.0[..])
                .fetch_optional(&self.pool)
                .await?;
            if let Some(row) = row {
                found.push(clip_row(&row)?);
            }
        }
        Ok(found)
    }

    /// Every act, oldest first, without what is needed to take it back.
    pub async fn acts(&self) -> Result<Vec<ActRow>, ReadError> {
        let rows =
            sqlx::query("SELECT id, at, kind, undone_at, lasting, subject, clips FROM acts ORDER BY at, id")
                .fetch_all(&self.pool)
                .await?;
        rows.iter()
            .map(|row| {
                Ok(ActRow {
                    id: id_of(row, "id")?,
                    at: row.try_get("at")?,
                    kind: String::from_utf8_lossy(&row.try_get::<Vec<u8>, _>("kind")?).into_owned(),
                    payload: Vec::new(),
                    holds: Vec::new(),
                    undone_at: row.try_get("undone_at")?,
                    lasting: row.try_get("lasting")?,
                    subject: row
                        .try_get::<Option<Vec<u8>>, _>("subject")?
                        .map(|bytes| String::from_utf8_lossy(&bytes).into_owned()),
                    clips: u32::try_from(row.try_get::<i32, _>("clips")?).unwrap_or(0),
                })
            })
            .collect()
    }

    /// What is needed to take an act back, or to make it again. `None` when it has ended.
    pub async fn act_payload(&self, id: [u8; 16]) -> Result<Option<Vec<u8>>, ReadError> {
        Ok(sqlx::query_scalar("SELECT payload FROM acts WHERE id = ?")
            .bind(&id[..])
            .fetch_optional(&self.pool)
            .await?)
    }

    /// Every drawer, removed ones included.
    pub async fn drawers(&self) -> Result<Vec<Drawer>, ReadError> {
        let mut connection = self.pool.acquire().await?;
        all_drawers(&mut connection).await
    }

    /// The newest copies that were not kept, newest first.
    pub async fn refusals(&self, most: u32) -> Result<Vec<RefusalRow>, ReadError> {
        let rows = sqlx::query("SELECT at, reason, size, program FROM refusals ORDER BY at DESC LIMIT ?")
            .bind(most)
            .fetch_all(&self.pool)
            .await?;
        rows.iter()
            .map(|row| {
                let text = |bytes: Vec<u8>| String::from_utf8_lossy(&bytes).into_owned();
                Ok(RefusalRow {
                    at: row.try_get("at")?,
                    reason: text(row.try_get("reason")?),
                    size: row.try_get::<Option<i64>, _>("size")?.and_then(|size| u64::try_from(size).ok()),
                    program: row.try_get::<Option<Vec<u8>>, _>("program")?.map(text),
                })
            })
            .collect()
    }

    /// All records as of one moment, on a connection of its own: changes made meanwhile are not seen.
    pub async fn snapshot(&self) -> Result<Snapshot, ReadError> {
        let mut connection = self.pool.acquire().await?.detach();
        sqlx::query("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ").execute(&mut connection).await?;
        sqlx::query("START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY").execute(&mut connection).await?;
        Ok(Snapshot { connection })
    }
}

/// A view of the records that does not change.
#[derive(Debug)]
pub struct Snapshot {
    connection: MySqlConnection,
}

impl Snapshot {
    /// Every clip.
    pub async fn clips(&mut self) -> Result<Vec<ClipRow>, ReadError> {
        all_clips(&mut self.connection).await
    }

    /// Every drawer.
    pub async fn drawers(&mut self) -> Result<Vec<Drawer>, ReadError> {
        all_drawers(&mut self.connection).await
    }

    /// One content.
    pub async fn content(&mut self, digest: Digest) -> Result<Content, ReadError> {
        read_content(&mut self.connection, digest).await
    }

    /// Ends the view.
    pub async fn close(self) {
        let _ = self.connection.close().await;
    }
}

async fn all_clips(connection: &mut MySqlConnection) -> Result<Vec<ClipRow>, ReadError> {
    let mut rows = sqlx::query("SELECT id, state, facts, received_at FROM clips").fetch(connection);
    let mut clips = Vec::new();
    while let Some(row) = rows.try_next().await? {
        clips.push(clip_row(&row)?);
    }
    Ok(clips)
}

async fn all_drawers(connection: &mut MySqlConnection) -> Result<Vec<Drawer>, ReadError> {
    let rows = sqlx::query("SELECT id, state FROM drawers").fetch_all(connection).await?;
    rows.iter()
        .map(|row| {
            let id = String::from_utf8(row.try_get("id")?).map_err(|_| ReadError::Damaged)?;
            let state = serde_json::from_slice(row.try_get("state")?).map_err(|_| ReadError::Damaged)?;
            Ok(Drawer { id, state })
        })
        .collect()
}

fn id_of(row: &sqlx::mysql::MySqlRow, column: &str) -> Result<[u8; 16], ReadError> {
    row.try_get::<Vec<u8>, _>(column)?.as_slice().try_into().map_err(|_| ReadError::Damaged)
}

fn clip_row(row: &sqlx::mysql::MySqlRow) -> Result<ClipRow, ReadError> {
    let facts: Option<&[u8]> = row.try_get("facts")?;
    Ok(ClipRow {
        id: ClipId(id_of(row, "id")?),
        state: serde_json::from_slice(row.try_get("state")?).map_err(|_| ReadError::Damaged)?,
        facts: facts.map(serde_json::from_slice).transpose().map_err(|_| ReadError::Damaged)?,
        received_at: row.try_get("received_at")?,
    })
}
