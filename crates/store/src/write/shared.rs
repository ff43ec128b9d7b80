//! Batches and intake rules as devices share them.

use sqlx::mysql::MySqlRow;
use sqlx::{MySql, MySqlConnection, QueryBuilder, Row};
use yadori_core::BatchId;
use yadori_core::batch::shared::{BatchHead, ItemHead, ItemKey, SharedBatch};
use yadori_core::intake::rule::Rule;
use yadori_core::intake::shared::SharedRules;
use yadori_core::{Stamp, batch::Item};

use crate::error::ReadError;
use crate::rows::{DueState, SharedChange};
use crate::store::Store;
use crate::write::group::ROWS;

fn json<T: serde::Serialize>(value: &T) -> Result<Vec<u8>, sqlx::Error> {
    serde_json::to_vec(value).map_err(|why| sqlx::Error::Encode(why.into()))
}

fn read<T: serde::de::DeserializeOwned>(bytes: &[u8]) -> Result<T, ReadError> {
    serde_json::from_slice(bytes)
        .map_err(|_| ReadError::Damaged("what devices share of batches or rules can't be read".into()))
}

/// Writes what has changed of a batch as devices share it.
pub(crate) async fn write(tx: &mut MySqlConnection, change: &SharedChange) -> Result<(), sqlx::Error> {
    let id = &change.id.0[..];
    sqlx::query(
        "INSERT INTO shared_batches (id, head) VALUES (?, ?) ON DUPLICATE KEY UPDATE head = VALUES(head)",
    )
    .bind(id)
    .bind(json(&change.head)?)
    .execute(&mut *tx)
    .await?;
    if let Some(floor) = change.head.removed {
        sqlx::query("DELETE FROM shared_items WHERE batch = ? AND at <= ?")
            .bind(id)
            .bind(&floor.to_bytes()[..])
            .execute(&mut *tx)
            .await?;
    }
    for some in change.items.chunks(ROWS) {
        let mut sql =
            QueryBuilder::<MySql>::new("INSERT INTO shared_items (batch, item, at, there, own, print) ");
        sql.push_values(some, |mut row, (key, one)| {
            row.push_bind(id).push_bind(key.0.to_vec()).push_bind(one.at.to_bytes().to_vec());
            row.push_bind(one.there).push_bind(one.local).push_bind(one.print);
        });
        sql.push(
            " ON DUPLICATE KEY UPDATE at = VALUES(at), there = VALUES(there), own = VALUES(own), \
             print = VALUES(print)",
        );
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}

/// Writes intake rules as devices share them, and the list that they were compared with.
pub(crate) async fn write_rules(
    tx: &mut MySqlConnection,
    shared: &SharedRules,
    compared: &[Rule],
) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO shared_rules (one, shared, compared) VALUES (1, ?, ?) ON DUPLICATE KEY UPDATE \
         shared = VALUES(shared), compared = VALUES(compared)",
    )
    .bind(json(shared)?)
    .bind(json(&compared)?)
    .execute(tx)
    .await?;
    Ok(())
}

fn item_head(row: &MySqlRow) -> Result<ItemHead, ReadError> {
    let at = Stamp::from_bytes(&row.try_get::<Vec<u8>, _>("at")?);
    let at = at.ok_or_else(|| ReadError::Damaged("a stamp is recorded that is none".into()))?;
    let (there, local, print) = (row.try_get("there")?, row.try_get("own")?, row.try_get("print")?);
    Ok(ItemHead { at, there, local, print })
}

async fn head_of(connection: &mut MySqlConnection, id: &[u8]) -> Result<BatchHead, ReadError> {
    let head: Option<Vec<u8>> = sqlx::query_scalar("SELECT head FROM shared_batches WHERE id = ?")
        .bind(id)
        .fetch_optional(connection)
        .await?;
    head.map_or_else(|| Ok(BatchHead::default()), |head| read(&head))
}

/// What waits of a batch.
pub(crate) async fn due_batch(tx: &mut MySqlConnection, id: &[u8]) -> Result<DueState, ReadError> {
    Ok(DueState::Batch(Box::new(head_of(tx, id).await?)))
}

/// What waits of an item: it is gone with its batch where nothing is recorded of it.
pub(crate) async fn due_item(tx: &mut MySqlConnection, id: &[u8]) -> Result<DueState, ReadError> {
    let (batch, key) = id.split_at_checked(16).unwrap_or((id, &[]));
    let head = head_of(tx, batch).await?;
    let row = sqlx::query("SELECT at, there, own, print FROM shared_items WHERE batch = ? AND item = ?")
        .bind(batch)
        .bind(key)
        .fetch_optional(&mut *tx)
        .await?;
    let named = head.said.as_ref().is_some_and(|said| said.value.name.is_some());
    let Some(one) = row.as_ref().map(item_head).transpose()? else {
        return Ok(head.removed.map_or(DueState::Other, |at| DueState::Item { at, named, item: None }));
    };
    let mut item = None;
    if let (true, Some(own)) = (one.there, one.local) {
        let body: Option<Vec<u8>> =
            sqlx::query_scalar("SELECT body FROM batch_items WHERE batch = ? AND item = ?")
                .bind(batch)
                .bind(own)
                .fetch_optional(&mut *tx)
                .await?;
        item = body.map(|body| read::<Item>(&body)).transpose()?.map(Box::new);
        if item.is_none() {
            // It has gone, and that is about to be noted.
            return Ok(DueState::Other);
        }
    }
    Ok(DueState::Item { at: one.at, named, item })
}

/// What waits of the rules.
pub(crate) async fn due_rules(tx: &mut MySqlConnection) -> Result<DueState, ReadError> {
    let shared: Option<Vec<u8>> =
        sqlx::query_scalar("SELECT shared FROM shared_rules").fetch_optional(tx).await?;
    let shared = shared.map(|shared| read(&shared)).transpose()?;
    Ok(shared.map_or(DueState::Other, |shared| DueState::Rules(Box::new(shared))))
}

impl Store {
    /// A batch as devices share it; an empty one where nothing is recorded.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn shared_batch(&self, id: BatchId) -> Result<SharedBatch, ReadError> {
        let mut connection = self.pool.acquire().await?;
        let head = head_of(&mut connection, &id.0).await?;
        let rows = sqlx::query("SELECT item, at, there, own, print FROM shared_items WHERE batch = ?")
            .bind(&id.0[..])
            .fetch_all(&mut *connection)
            .await?;
        let mut shared = SharedBatch { head, ..SharedBatch::default() };
        for row in &rows {
            let key: Vec<u8> = row.try_get("item")?;
            let key =
                key.try_into().map_err(|_| ReadError::Damaged("an id is recorded that is none".into()))?;
            shared.items.insert(ItemKey(key), item_head(row)?);
        }
        Ok(shared)
    }

    /// Every batch of which something is shared, also those that are gone.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn shared_batches(&self) -> Result<Vec<BatchId>, ReadError> {
        let ids: Vec<Vec<u8>> =
            sqlx::query_scalar("SELECT id FROM shared_batches").fetch_all(&self.pool).await?;
        Ok(ids.into_iter().filter_map(|id| Some(BatchId(id.try_into().ok()?))).collect())
    }

    /// Intake rules as devices share them, and the list that they were compared with; `None` where they never were.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn shared_rules(&self) -> Result<Option<(SharedRules, Vec<Rule>)>, ReadError> {
        let row: Option<(Vec<u8>, Vec<u8>)> =
            sqlx::query_as("SELECT shared, compared FROM shared_rules").fetch_optional(&self.pool).await?;
        row.map(|(shared, compared)| Ok((read(&shared)?, read(&compared)?))).transpose()
    }
}
