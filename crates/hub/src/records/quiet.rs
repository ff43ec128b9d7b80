//! Groups that nobody has asked for in a long time: they go, piece by piece.

use sqlx::AssertSqlSafe;

use super::open::{Failed, Records};

/// Groups that are looked at at once.
const GROUPS: u32 = 1_000;
/// What a group has, with how much of it goes at once.
const PIECES: [(&str, u32); 6] =
    [("blobs", 20), ("records", 200), ("listed", 500), ("entries", 200), ("meetings", 500), ("asks", 500)];

impl Records {
    /// A group was asked for.
    ///
    /// # Errors
    /// It is not noted then.
    pub async fn seen(&self, group: [u8; 16], now: i64) -> Result<(), Failed> {
        sqlx::query("UPDATE hub_groups SET seen_at = ? WHERE id = ? AND seen_at < ?")
            .bind(now)
            .bind(&group[..])
            .bind(now)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Groups that were not asked for since a time, among some after a name; and where to go on.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn quiet(
        &self,
        since: i64,
        after: [u8; 16],
    ) -> Result<(Vec<[u8; 16]>, Option<[u8; 16]>), Failed> {
        let rows: Vec<(Vec<u8>, i64)> =
            sqlx::query_as("SELECT id, seen_at FROM hub_groups WHERE id > ? ORDER BY id LIMIT ?")
                .bind(&after[..])
                .bind(GROUPS)
                .fetch_all(&self.pool)
                .await?;
        let id = |row: &(Vec<u8>, i64)| row.0.clone().try_into().unwrap_or_default();
        let next = (rows.len() == GROUPS as usize).then(|| rows.last().map(id)).flatten();
        Ok((rows.iter().filter(|(_, seen)| *seen < since).map(id).collect(), next))
    }

    /// A group that was not asked for since a time begins to go: nobody finds it any more. False: somebody came.
    ///
    /// # Errors
    /// It stays then.
    pub async fn begin_leaving(&self, group: [u8; 16], since: i64) -> Result<bool, Failed> {
        self.transaction(async |mut tx| {
            let gone = sqlx::query("DELETE FROM hub_groups WHERE id = ? AND seen_at < ?")
                .bind(&group[..])
                .bind(since)
                .execute(&mut *tx)
                .await?;
            if gone.rows_affected() == 1 {
                sqlx::query("INSERT IGNORE INTO leaving (grp) VALUES (?)")
                    .bind(&group[..])
                    .execute(&mut *tx)
                    .await?;
            }
            Ok((tx, gone.rows_affected() == 1))
        })
        .await
    }

    /// Some of what is left of groups that go. True when nothing is.
    ///
    /// # Errors
    /// The rest goes later.
    pub async fn go_on_leaving(&self) -> Result<bool, Failed> {
        let group: Option<Vec<u8>> =
            sqlx::query_scalar("SELECT grp FROM leaving LIMIT 1").fetch_optional(&self.pool).await?;
        let Some(group) = group else { return Ok(true) };
        for (table, some) in PIECES {
            let sql = format!("DELETE FROM {table} WHERE grp = ? LIMIT {some}");
            if sqlx::query(AssertSqlSafe(sql)).bind(&group).execute(&self.pool).await?.rows_affected() > 0 {
                return Ok(false);
            }
        }
        sqlx::query("DELETE FROM leaving WHERE grp = ?").bind(&group).execute(&self.pool).await?;
        Ok(false)
    }
}
