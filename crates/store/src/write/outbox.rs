//! The outbox: what is to be sent is noted with the change itself, and crossed off when the hub has it.

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::ClipId;

use crate::error::{CommitError, ReadError};
use crate::read::load::clip_row;
use crate::rows::{DueRow, DueState, Noted, Subject};
use crate::store::Store;
use crate::write::group::{Group, ROWS};
use crate::write::shared;

/// The kind of clips, as devices call it.
pub const CLIP: &str = "clip";
/// Clips that are noted at once.
const NOTED: u32 = 1_000;
/// The kind of drawers.
pub const DRAWER: &str = "drawer";

/// The kind of batches.
pub const BATCH: &str = "batch";
/// The kind of items of batches.
pub const ITEM: &str = "item";
/// The kind of the intake rules.
pub const RULES: &str = "rules";

/// Notes with a change what of it is to be sent.
pub(crate) async fn note(tx: &mut MySqlConnection, group: &Group) -> Result<(), sqlx::Error> {
    let clips = group.clips.iter().map(|clip| (CLIP, &clip.id.0[..]));
    let drawers = group.drawers.iter().map(|drawer| (DRAWER, drawer.id.as_bytes()));
    let changed: Vec<(&str, &[u8])> = clips.chain(drawers).collect();
    note_all(tx, &changed, group.now).await?;
    if group.restored {
        sqlx::query("UPDATE exchange SET noting = '', anew = 1").execute(&mut *tx).await?;
    }
    Ok(())
}

/// Notes with a change what of it is to be sent beside clips and drawers, and what others know.
pub(crate) async fn note_subjects(tx: &mut MySqlConnection, group: &Group) -> Result<(), sqlx::Error> {
    note_all(tx, &borrowed(&group.to_send), group.now).await?;
    note_known(tx, &borrowed(&group.known), group.now).await
}

fn borrowed(subjects: &[Subject]) -> Vec<(&str, &[u8])> {
    subjects.iter().map(|(kind, id)| (kind.as_str(), &id[..])).collect()
}

async fn note_all(tx: &mut MySqlConnection, changed: &[(&str, &[u8])], now: i64) -> Result<(), sqlx::Error> {
    for some in changed.chunks(ROWS) {
        let mut sql =
            QueryBuilder::<MySql>::new("INSERT INTO outbox (kind, id, version, waits, changed_at) ");
        sql.push_values(some, |mut row, (kind, id)| {
            row.push_bind(kind.as_bytes()).push_bind(*id).push_bind(1_u64).push_bind(true).push_bind(now);
        });
        sql.push(
            " ON DUPLICATE KEY UPDATE version = version + 1, waits = 1, changed_at = VALUES(changed_at)",
        );
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}

/// Others know what has come from them: whether it goes is to be sent, whatever travels.
pub(crate) async fn note_received(tx: &mut MySqlConnection, group: &Group) -> Result<(), sqlx::Error> {
    let clips: Vec<(&str, &[u8])> = group.clips.iter().map(|clip| (CLIP, &clip.id.0[..])).collect();
    note_known(tx, &clips, group.now).await
}

async fn note_known(tx: &mut MySqlConnection, known: &[(&str, &[u8])], now: i64) -> Result<(), sqlx::Error> {
    for some in known.chunks(ROWS) {
        let mut sql =
            QueryBuilder::<MySql>::new("INSERT INTO outbox (kind, id, version, sent, waits, changed_at) ");
        sql.push_values(some, |mut row, (kind, id)| {
            row.push_bind(kind.as_bytes()).push_bind(*id).push_bind(1_u64).push_bind(1_u64);
            row.push_bind(false).push_bind(now);
        });
        sql.push(" ON DUPLICATE KEY UPDATE sent = GREATEST(sent, 1)");
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}

async fn note_one(tx: &mut MySqlConnection, subject: &Subject, now: i64) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO outbox (kind, id, version, waits, changed_at) VALUES (?, ?, 1, 1, ?) \
         ON DUPLICATE KEY UPDATE version = version + 1, waits = 1, changed_at = VALUES(changed_at)",
    )
    .bind(subject.0.as_bytes())
    .bind(&subject.1[..])
    .bind(now)
    .execute(tx)
    .await?;
    Ok(())
}

impl Store {
    /// What waits to be sent, what changed last first, so many at most: each as it was at the moment at which that was noted,
    /// or later. Memory may not have come as far yet.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn due(&self, most: u32) -> Result<Vec<DueRow>, ReadError> {
        // One snapshot: no state is older than the version beside it.
        let mut tx = self.pool.begin().await?;
        let rows: Vec<(Vec<u8>, Vec<u8>, u64, u64)> = sqlx::query_as(
            "SELECT kind, id, version, sent FROM outbox WHERE waits = 1 ORDER BY changed_at DESC LIMIT ?",
        )
        .bind(most)
        .fetch_all(&mut *tx)
        .await?;
        let mut due = Vec::with_capacity(rows.len());
        for (kind, id, version, sent) in rows {
            let kind = String::from_utf8_lossy(&kind).into_owned();
            let state = match kind.as_str() {
                CLIP => {
                    let row =
                        sqlx::query("SELECT id, state, facts, ordered_at, ordered FROM clips WHERE id = ?")
                            .bind(&id[..])
                            .fetch_optional(&mut *tx)
                            .await?;
                    match row {
                        Some(row) => DueState::Clip(Box::new(clip_row(&row)?)),
                        None => DueState::Other,
                    }
                }
                DRAWER => {
                    let state: Option<Vec<u8>> = sqlx::query_scalar("SELECT state FROM drawers WHERE id = ?")
                        .bind(&id[..])
                        .fetch_optional(&mut *tx)
                        .await?;
                    let state = state.and_then(|state| serde_json::from_slice(&state).ok());
                    state.map_or(DueState::Other, |state| DueState::Drawer(Box::new(state)))
                }
                BATCH => shared::due_batch(&mut tx, &id).await?,
                ITEM => shared::due_item(&mut tx, &id).await?,
                RULES => shared::due_rules(&mut tx).await?,
                _ => DueState::Other,
            };
            due.push(DueRow { subject: (kind, id), version, sent: sent > 0, state });
        }
        tx.rollback().await?;
        Ok(due)
    }

    /// What is on its way, each with whether it has changed since.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn on_their_way(&self) -> Result<Vec<(Subject, bool)>, ReadError> {
        let rows: Vec<(Vec<u8>, Vec<u8>, bool)> = sqlx::query_as(
            "SELECT o.kind, o.id, IFNULL(b.version > o.version, 0) FROM outgoing o \
             LEFT JOIN outbox b ON b.kind = o.kind AND b.id = o.id",
        )
        .fetch_all(&self.pool)
        .await?;
        let kind = |kind: Vec<u8>| String::from_utf8_lossy(&kind).into_owned();
        Ok(rows.into_iter().map(|(of, id, changed)| ((kind(of), id), changed)).collect())
    }

    /// Something of a clip is to be sent to one device. Whether the clip goes is to be sent from now on, whatever travels.
    ///
    /// # Errors
    /// It is not noted then.
    pub async fn note_sending(&self, subject: &Subject, clip: ClipId, now: i64) -> Result<(), CommitError> {
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        note_one(&mut tx, subject, now).await?;
        note_known(&mut tx, &[(CLIP, &clip.0)], now).await?;
        Ok(tx.commit().await?)
    }

    /// Something is to be sent that no change of the history says.
    ///
    /// # Errors
    /// It is not noted then.
    pub async fn note_subject(&self, subject: &Subject, now: i64) -> Result<(), CommitError> {
        let mut connection = self.pool.acquire().await?;
        Ok(note_one(&mut connection, subject, now).await?)
    }

    /// Notes some more of what was here before this device belonged to the group.
    ///
    /// # Errors
    /// None of these is noted then.
    pub async fn note_some(&self, now: i64) -> Result<Noted, CommitError> {
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        let row: Option<(Option<Vec<u8>>, bool)> =
            sqlx::query_as("SELECT noting, anew FROM exchange FOR UPDATE").fetch_optional(&mut *tx).await?;
        let Some((Some(after), anew)) = row else { return Ok(Noted::All) };
        // Clips of a restore go to their place first.
        let arriving: Option<i32> =
            sqlx::query_scalar("SELECT 1 FROM incoming LIMIT 1").fetch_optional(&mut *tx).await?;
        if arriving.is_some() {
            return Ok(Noted::Later);
        }
        let ids: Vec<Vec<u8>> = sqlx::query_scalar("SELECT id FROM clips WHERE id > ? ORDER BY id LIMIT ?")
            .bind(after)
            .bind(NOTED)
            .fetch_all(&mut *tx)
            .await?;
        if let Some((first, last)) = ids.first().zip(ids.last()) {
            // What has come since this device joined is known to the others; what a restore brings back is not.
            sqlx::query(
                "INSERT INTO outbox (kind, id, version, waits, changed_at) \
                 SELECT ?, id, 1, 1, LEAST(ordered_at, ?) FROM clips WHERE id BETWEEN ? AND ? \
                 ON DUPLICATE KEY UPDATE version = version + ?, waits = (waits OR ?)",
            )
            .bind(CLIP.as_bytes())
            .bind(now)
            .bind(first)
            .bind(last)
            .bind(u64::from(anew))
            .bind(anew)
            .execute(&mut *tx)
            .await?;
        }
        let done = ids.len() < NOTED as usize;
        sqlx::query("UPDATE exchange SET noting = ?")
            .bind(ids.last().filter(|_| !done))
            .execute(&mut *tx)
            .await?;
        tx.commit().await?;
        Ok(if done { Noted::All } else { Noted::More })
    }

    /// This is what travels from now on. Where that was something else, what was held back waits again.
    ///
    /// # Errors
    /// It is to be said again then.
    pub async fn travels(&self, travels: &str) -> Result<(), CommitError> {
        let known: Option<Option<Vec<u8>>> =
            sqlx::query_scalar("SELECT travels FROM exchange").fetch_optional(&self.pool).await?;
        let known = known.flatten();
        if known.as_deref() == Some(travels.as_bytes()) {
            return Ok(());
        }
        // Once through all of it, in pieces: what is held back again meanwhile is not met twice.
        let mut after = (Vec::new(), Vec::new());
        while known.is_some() {
            let some: Vec<(Vec<u8>, Vec<u8>)> = sqlx::query_as(
                "SELECT kind, id FROM outbox WHERE waits = 0 AND sent < version \
                 AND (kind > ? OR (kind = ? AND id > ?)) ORDER BY kind, id LIMIT ?",
            )
            .bind(&after.0)
            .bind(&after.0)
            .bind(&after.1)
            .bind(NOTED)
            .fetch_all(&self.pool)
            .await?;
            let Some(last) = some.last().cloned() else { break };
            sqlx::query(
                "UPDATE outbox SET waits = 1 WHERE waits = 0 AND sent < version \
                 AND (kind > ? OR (kind = ? AND id > ?)) AND (kind < ? OR (kind = ? AND id <= ?))",
            )
            .bind(&after.0)
            .bind(&after.0)
            .bind(&after.1)
            .bind(&last.0)
            .bind(&last.0)
            .bind(&last.1)
            .execute(&self.pool)
            .await?;
            after = last;
        }
        sqlx::query("UPDATE exchange SET travels = ?").bind(travels.as_bytes()).execute(&self.pool).await?;
        Ok(())
    }

    /// How many subjects wait to be sent; one more while not all are noted.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn count_due(&self) -> Result<u64, ReadError> {
        let count: i64 =
            sqlx::query_scalar(
                "SELECT COUNT(*) + (SELECT COUNT(*) FROM exchange WHERE noting IS NOT NULL) FROM outbox WHERE waits = 1",
            )
            .fetch_one(&self.pool)
            .await?;
        Ok(u64::try_from(count).unwrap_or(0))
    }
}
