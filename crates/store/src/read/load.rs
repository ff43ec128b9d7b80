//! What is read at start, and for taking an act back.

use std::collections::HashMap;
use std::sync::Arc;

use futures_util::TryStreamExt;
use sqlx::mysql::MySqlRow;
use sqlx::{MySqlConnection, Row};
use tokio::sync::mpsc::Sender;
use yadori_core::acts::{ActKind, ActRecord};
use yadori_core::batch::{Batch, Item};
use yadori_core::{BatchId, ClipId, Drawer, Micros, RefusalReason, Stamp, StoredClip};

use crate::error::ReadError;
use crate::rows::{ActRow, RefusalRow, SignInRow};
use crate::store::Store;
use crate::write::batches::Kept;

/// What [`clip_row`] reads.
const CLIPS: &str = "SELECT id, state, facts, ordered_at, ordered FROM clips";
/// Rows that are read together.
const TOGETHER: usize = 512;

/// Clips as they come from the database.
pub struct ClipRows(Vec<MySqlRow>);

/// They hold what was copied, so debug output leaves that out.
impl std::fmt::Debug for ClipRows {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "ClipRows({})", self.0.len())
    }
}

impl ClipRows {
    /// Reads them.
    ///
    /// # Errors
    /// When a record can't be read.
    pub fn read(self) -> impl Iterator<Item = Result<StoredClip, ReadError>> {
        self.0.into_iter().map(|row| clip_row(&row))
    }
}

impl Store {
    /// Gives every clip once, in no order, tombstones included; and those of a restore that are still on their way to their
    /// place, unless something newer is known of them there. As rows, some at once: whoever gets them reads them while the next
    /// are fetched. Ends early when nobody takes them any more.
    ///
    /// # Errors
    /// While the database does not answer, or when a record can't be read.
    pub async fn each_clip(&self, give: &Sender<ClipRows>) -> Result<(), ReadError> {
        // What is moved meanwhile is seen in one place.
        let mut connection = self.pool.begin().await?;
        let whole: bool = sqlx::query_scalar("SELECT restoring FROM service WHERE one = 1")
            .fetch_one(&mut *connection)
            .await?;
        for sql in [
            CLIPS,
            "SELECT id, state, facts, ordered_at, TRUE AS ordered FROM incoming \
             WHERE NOT EXISTS (SELECT 1 FROM clips WHERE clips.id = incoming.id)",
        ]
        .into_iter()
        .take(1 + usize::from(whole))
        {
            let mut rows = sqlx::query(sql).fetch(&mut *connection);
            let mut some = Vec::with_capacity(TOGETHER);
            while let Some(row) = rows.try_next().await? {
                some.push(row);
                if some.len() == TOGETHER {
                    let full = std::mem::replace(&mut some, Vec::with_capacity(TOGETHER));
                    if give.send(ClipRows(full)).await.is_err() {
                        return Ok(());
                    }
                }
            }
            let _ = give.send(ClipRows(some)).await;
        }
        Ok(())
    }

    /// The newest clips, tombstones among them left out; so many rows are looked at. None while a restore is on its way: what it
    /// brought is in another place.
    ///
    /// # Errors
    /// While the database does not answer, or when a record can't be read.
    pub async fn newest_clips(&self, most: u32) -> Result<Vec<StoredClip>, ReadError> {
        let rows = sqlx::query(
            "SELECT id, state, facts, ordered_at, ordered FROM clips FORCE INDEX (by_order) \
             WHERE NOT (SELECT restoring FROM service WHERE one = 1) ORDER BY ordered_at DESC LIMIT ?",
        )
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        let clips = rows.iter().map(clip_row);
        clips.filter(|clip| clip.as_ref().map_or(true, |clip| clip.facts.is_some())).collect()
    }

    /// Every act in the order of their numbers, without what is needed to take it back but for those that go on.
    ///
    /// # Errors
    /// While the database does not answer, or when a record can't be read.
    pub async fn acts(&self) -> Result<Vec<ActRow>, ReadError> {
        let rows = sqlx::query(
            "SELECT id, number, at, kind, undone_at, undone_number, lasting, subject, known, clips, going, \
             IF(going <> 0, payload, NULL) AS payload FROM acts ORDER BY number, at, id",
        )
        .fetch_all(&self.pool)
        .await?;
        let mut acts = Vec::with_capacity(rows.len());
        for (n, row) in rows.iter().enumerate() {
            let id = id_of(row, "id")?;
            let known: Option<Vec<u8>> = row.try_get("known")?;
            let clips = match known {
                Some(known) => {
                    known.chunks_exact(16).filter_map(|id| Some(ClipId(id.try_into().ok()?))).collect()
                }
                None => {
                    let payload = self.act_payload(id).await?.unwrap_or_default();
                    ActRecord::from_bytes(&payload).map(|record| record.ids()).unwrap_or_default()
                }
            };
            let word = text(row.try_get("kind")?);
            let kind = ActKind::from_word(&word)
                .ok_or_else(|| ReadError::Damaged("an act of an unknown kind is recorded".into()))?;
            let number: i64 = row.try_get("number")?;
            let undone_at: Option<Micros> = row.try_get("undone_at")?;
            // Acts of earlier versions have no numbers; they come before all that have one, in the order of their times.
            let in_order = i64::try_from(n).unwrap_or(0) + 1;
            let undone_number: Option<i64> = row.try_get("undone_number")?;
            acts.push(ActRow {
                id,
                number: if number == 0 { in_order } else { number },
                at: row.try_get("at")?,
                kind,
                payload: row.try_get::<Option<Vec<u8>>, _>("payload")?.unwrap_or_default(),
                holds: Vec::new(),
                undone: undone_at.map(|at| (undone_number.unwrap_or(-in_order), at)),
                lasting: row.try_get("lasting")?,
                subject: row.try_get::<Option<Vec<u8>>, _>("subject")?.map(text),
                clips,
                cleared: (kind == ActKind::Clear)
                    .then(|| row.try_get::<i32, _>("clips"))
                    .transpose()?
                    .map(|count| u64::try_from(count).unwrap_or(0)),
                going: row.try_get("going")?,
            });
        }
        Ok(acts)
    }

    /// What is needed to take an act back, or to make it again. `None` when it has ended.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn act_payload(&self, id: [u8; 16]) -> Result<Option<Vec<u8>>, ReadError> {
        Ok(sqlx::query_scalar("SELECT payload FROM acts WHERE id = ?")
            .bind(&id[..])
            .fetch_optional(&self.pool)
            .await?)
    }

    /// Every drawer, removed ones included.
    ///
    /// # Errors
    /// While the database does not answer, or when a record can't be read.
    pub async fn drawers(&self) -> Result<Vec<Drawer>, ReadError> {
        let mut connection = self.pool.acquire().await?;
        all_drawers(&mut connection).await
    }

    /// Every batch, with its items.
    ///
    /// # Errors
    /// While the database does not answer, or when a record can't be read.
    pub async fn batches(&self) -> Result<Vec<Batch>, ReadError> {
        let mut connection = self.pool.acquire().await?;
        all_batches(&mut connection).await
    }

    /// Every browser that is signed in, oldest first.
    ///
    /// # Errors
    /// While the database does not answer, or when a record can't be read.
    pub async fn sign_ins(&self) -> Result<Vec<SignInRow>, ReadError> {
        let rows = sqlx::query(
            "SELECT id, public, origin, name, made_at, seen_at FROM sign_ins ORDER BY made_at, id",
        )
        .fetch_all(&self.pool)
        .await?;
        rows.iter()
            .map(|row| {
                Ok(SignInRow {
                    id: id_of(row, "id")?,
                    public: row.try_get("public")?,
                    origin: text(row.try_get("origin")?),
                    name: text(row.try_get("name")?),
                    made_at: row.try_get("made_at")?,
                    seen_at: row.try_get("seen_at")?,
                })
            })
            .collect()
    }

    /// The newest copies that were not kept, newest first.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn refusals(&self, most: u32) -> Result<Vec<RefusalRow>, ReadError> {
        let rows = sqlx::query("SELECT at, reason, size, program FROM refusals ORDER BY at DESC LIMIT ?")
            .bind(most)
            .fetch_all(&self.pool)
            .await?;
        rows.iter()
            .map(|row| {
                Ok(RefusalRow {
                    at: row.try_get("at")?,
                    reason: RefusalReason::from_word(&text(row.try_get("reason")?)),
                    size: row.try_get::<Option<i64>, _>("size")?.and_then(|size| u64::try_from(size).ok()),
                    program: row.try_get::<Option<Vec<u8>>, _>("program")?.map(text),
                })
            })
            .collect()
    }

    /// The draft for a clip, and when it was kept.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn draft(&self, clip: ClipId) -> Result<Option<(Micros, String)>, ReadError> {
        let row: Option<(i64, Vec<u8>)> = sqlx::query_as("SELECT at, body FROM drafts WHERE clip = ?")
            .bind(&clip.0[..])
            .fetch_optional(&self.pool)
            .await?;
        Ok(row.map(|(at, body)| (at, text(body))))
    }

    /// The last stamp this device's clock gave out, as saved with the last change.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn clock(&self) -> Result<Option<Stamp>, ReadError> {
        let saved: Option<Vec<u8>> =
            sqlx::query_scalar("SELECT clock FROM service WHERE one = 1").fetch_one(&self.pool).await?;
        Ok(saved.as_deref().and_then(Stamp::from_bytes))
    }
}

fn text(bytes: Vec<u8>) -> String {
    String::from_utf8(bytes).unwrap_or_else(|why| String::from_utf8_lossy(why.as_bytes()).into_owned())
}

pub(crate) async fn all_batches(connection: &mut MySqlConnection) -> Result<Vec<Batch>, ReadError> {
    let unreadable = || ReadError::Damaged("the record of a batch can't be read".into());
    let mut items: HashMap<BatchId, HashMap<u32, Arc<Item>>> = HashMap::new();
    {
        let mut rows = sqlx::query("SELECT batch, body FROM batch_items").fetch(&mut *connection);
        while let Some(row) = rows.try_next().await? {
            let item: Item = serde_json::from_slice(row.try_get("body")?).map_err(|_| unreadable())?;
            items.entry(BatchId(id_of(&row, "batch")?)).or_default().insert(item.id, Arc::new(item));
        }
    }
    let rows =
        sqlx::query("SELECT id, state, used_at, handed FROM batches").fetch_all(&mut *connection).await?;
    rows.iter()
        .map(|row| {
            let id = BatchId(id_of(row, "id")?);
            let (state, order): Kept =
                serde_json::from_slice(row.try_get("state")?).map_err(|_| unreadable())?;
            let known = items.remove(&id).unwrap_or_default();
            let items: Option<Vec<Arc<Item>>> = order.iter().map(|item| known.get(item).cloned()).collect();
            let items = items.ok_or_else(unreadable)?;
            let handed = usize::try_from(row.try_get::<i32, _>("handed")?).unwrap_or(0);
            let next = handed.min(items.len());
            Ok(Batch { id, state, used_at: row.try_get("used_at")?, items, next })
        })
        .collect()
}

pub(crate) async fn all_drawers(connection: &mut MySqlConnection) -> Result<Vec<Drawer>, ReadError> {
    let rows = sqlx::query("SELECT id, state FROM drawers").fetch_all(connection).await?;
    rows.iter()
        .map(|row| {
            let unreadable = || ReadError::Damaged("the record of a drawer can't be read".into());
            let id = String::from_utf8(row.try_get("id")?).map_err(|_| unreadable())?;
            let state = serde_json::from_slice(row.try_get("state")?).map_err(|_| unreadable())?;
            Ok(Drawer { id, state })
        })
        .collect()
}

fn id_of(row: &MySqlRow, column: &str) -> Result<[u8; 16], ReadError> {
    let unreadable = |_| ReadError::Damaged("an id is recorded that is none".into());
    row.try_get::<Vec<u8>, _>(column)?.as_slice().try_into().map_err(unreadable)
}

pub(crate) fn clip_row(row: &MySqlRow) -> Result<StoredClip, ReadError> {
    let unreadable = |_| ReadError::Damaged("the record of a clip can't be read".into());
    // By their numbers: there may be a million rows.
    let id: &[u8] = row.try_get(0)?;
    let id = id.try_into().map_err(|_| ReadError::Damaged("an id is recorded that is none".into()))?;
    let facts: Option<&[u8]> = row.try_get(2)?;
    let mut clip = StoredClip {
        id: ClipId(id),
        state: serde_json::from_slice(row.try_get(1)?).map_err(unreadable)?,
        facts: facts.map(serde_json::from_slice).transpose().map_err(unreadable)?,
        ordered_at: row.try_get(3)?,
    };
    if !row.try_get::<bool, _>(4)? {
        // Of an earlier version: by the earlier of copying and receiving.
        clip.ordered_at = clip.state.copied_at().map_or(clip.ordered_at, |at| at.min(clip.ordered_at));
    }
    Ok(clip)
}
