//! Room that the records take on the disk, and giving back what they no longer need.

use crate::error::ReadError;
use crate::store::Store;

/// Free bytes inside a table from which it is worth giving them back.
const WORTH: i64 = 16 << 20;

impl Store {
    /// Bytes of all contents.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn content_bytes(&self) -> Result<u64, ReadError> {
        let bytes: i64 = sqlx::query_scalar("SELECT CAST(COALESCE(SUM(size), 0) AS SIGNED) FROM contents")
            .fetch_one(&self.pool)
            .await?;
        Ok(u64::try_from(bytes).unwrap_or(0))
    }

    /// Gives the free room inside tables back to the disk, one table after another; changes go on meanwhile. Gives how many
    /// tables were made smaller.
    ///
    /// # Errors
    /// What is left is as it was then.
    pub async fn give_back_room(&self) -> Result<usize, ReadError> {
        let tables: Vec<(String, i64)> = sqlx::query_as(
            "SELECT CONVERT(table_name USING utf8mb4), CAST(data_free AS SIGNED) FROM information_schema.tables \
             WHERE table_schema = DATABASE() AND data_free > 0",
        )
        .fetch_all(&self.pool)
        .await?;
        let mut done = 0;
        for (table, free) in tables {
            // Names come from the schema itself; none needs quoting.
            if free < WORTH || !table.bytes().all(|byte| byte.is_ascii_lowercase() || byte == b'_') {
                continue;
            }
            let rebuild = format!("ALTER TABLE {table} FORCE, ALGORITHM=INPLACE, LOCK=NONE");
            sqlx::query(sqlx::AssertSqlSafe(rebuild)).execute(&self.pool).await?;
            done += 1;
        }
        Ok(done)
    }
}
