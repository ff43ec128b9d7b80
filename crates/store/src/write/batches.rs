//! Batches: written as far as they changed, and ended with what their items told overwritten.

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::batch::BatchState;

use crate::rows::BatchChange;
use crate::write::group::ROWS;

/// A batch as it is kept, without its items: what is said of it, and the numbers of its items in their order.
pub(crate) type Kept = (BatchState, Vec<u32>);

fn small(number: usize) -> i32 {
    i32::try_from(number).unwrap_or(i32::MAX)
}

/// Writes what has become of a batch.
pub(crate) async fn write(tx: &mut MySqlConnection, change: &BatchChange) -> Result<(), sqlx::Error> {
    match change {
        BatchChange::Put { batch, comes, goes } => {
            let kept: Kept = (batch.state.clone(), batch.order());
            let state = serde_json::to_vec(&kept).map_err(|why| sqlx::Error::Encode(why.into()))?;
            sqlx::query(
                "INSERT INTO batches (id, state, used_at, handed) VALUES (?, ?, ?, ?) ON DUPLICATE KEY UPDATE \
                 state = VALUES(state), used_at = VALUES(used_at), handed = VALUES(handed)",
            )
            .bind(&batch.id.0[..])
            .bind(state)
            .bind(batch.used_at)
            .bind(small(batch.next))
            .execute(&mut *tx)
            .await?;
            for comes in comes.chunks(ROWS) {
                let mut rows = Vec::with_capacity(comes.len());
                for item in comes {
                    let body = serde_json::to_vec(&**item).map_err(|why| sqlx::Error::Encode(why.into()))?;
                    rows.push((item.id, body));
                }
                let mut sql = QueryBuilder::<MySql>::new("INSERT INTO batch_items (batch, item, body) ");
                sql.push_values(rows, |mut row, (item, body)| {
                    row.push_bind(&batch.id.0[..]).push_bind(item).push_bind(body);
                });
                sql.push(" ON DUPLICATE KEY UPDATE body = VALUES(body)");
                sql.build().execute(&mut *tx).await?;
            }
            for goes in goes.chunks(ROWS) {
                for start in
                    ["UPDATE batch_items SET body = REPEAT('\\0', LENGTH(body))", "DELETE FROM batch_items"]
                {
                    let mut sql = QueryBuilder::<MySql>::new(start);
                    sql.push(" WHERE batch = ").push_bind(&batch.id.0[..]).push(" AND item IN (");
                    let mut list = sql.separated(", ");
                    goes.iter().for_each(|item| {
                        list.push_bind(*item);
                    });
                    sql.push(")");
                    sql.build().execute(&mut *tx).await?;
                }
            }
        }
        BatchChange::Handed { id, next, used_at } => {
            sqlx::query("UPDATE batches SET handed = ?, used_at = ? WHERE id = ?")
                .bind(small(*next))
                .bind(used_at)
                .bind(&id.0[..])
                .execute(tx)
                .await?;
        }
        BatchChange::End(id) => {
            for sql in [
                "UPDATE batch_items SET body = REPEAT('\\0', LENGTH(body)) WHERE batch = ?",
                "DELETE FROM batch_items WHERE batch = ?",
                "DELETE FROM batches WHERE id = ?",
            ] {
                sqlx::query(sql).bind(&id.0[..]).execute(&mut *tx).await?;
            }
        }
    }
    Ok(())
}
