//! Copying every row of one database into a fresh one: what was freed and not overwritten yet stays behind.

use std::path::Path;

use sqlx::mysql::MySqlPool;
use sqlx::{AssertSqlSafe, Executor};

use crate::error::ReadError;
use crate::store::Store;

/// The tables of the schema, without that of the migrations, which the new one has already.
async fn tables(pool: &MySqlPool) -> Result<Vec<String>, sqlx::Error> {
    sqlx::query_scalar(
        "SELECT CONVERT(table_name USING utf8mb4) FROM information_schema.tables WHERE table_schema = DATABASE() \
         AND table_name NOT LIKE '\\_sqlx%' ORDER BY table_name",
    )
    .fetch_all(pool)
    .await
}

/// A name or path in a statement. Neither holds anything that ends it.
fn safe(text: &str) -> Result<&str, ReadError> {
    let holds = text.contains(['\'', '"', '`', '\\', '\0']);
    if holds { Err(ReadError::Damaged(format!("{text} can't be named in a statement"))) } else { Ok(text) }
}

/// Copies every row of `old` into `new`, whose tables are made and empty but for the row of the service. `beside` is a
/// directory that both servers can write to and read from; one table at a time lies there.
///
/// # Errors
/// The new one is of no use then.
pub async fn copy_all(old: &Store, new: &Store, beside: &Path) -> Result<(), ReadError> {
    let (from, into) = (tables(&old.pool).await?, tables(&new.pool).await?);
    if from != into {
        return Err(ReadError::Damaged("the two schemas have other tables".into()));
    }
    let mut writing = new.pool.acquire().await?;
    for table in from {
        let file = beside.join(format!("{table}.rows"));
        let _ = std::fs::remove_file(&file);
        let path = file.display().to_string();
        let (table, path) = (safe(&table)?, safe(&path)?);
        let out = format!("SELECT * FROM {table} INTO OUTFILE '{path}' CHARACTER SET binary");
        old.pool.execute(AssertSqlSafe(out)).await?;
        // Into an empty table this is written without being kept to be undone.
        writing.execute("SET unique_checks = 0").await?;
        writing.execute(AssertSqlSafe(format!("DELETE FROM {table}"))).await?;
        let load = format!("LOAD DATA INFILE '{path}' INTO TABLE {table} CHARACTER SET binary");
        let done = writing.execute(AssertSqlSafe(load)).await;
        let _ = std::fs::remove_file(&file);
        done?;
        let count = |pool: &MySqlPool| {
            let pool = pool.clone();
            let sql = format!("SELECT COUNT(*) FROM {table}");
            async move { sqlx::query_scalar::<_, i64>(AssertSqlSafe(sql)).fetch_one(&pool).await }
        };
        if count(&old.pool).await? != count(&new.pool).await? {
            return Err(ReadError::Damaged(format!("not every row of {table} was copied")));
        }
    }
    Ok(())
}
