//! Blobs: taken in parts, each once; let go of when no record lists them any more.

use sqlx::{MySql, QueryBuilder};

use super::open::{Failed, Records};

/// Parts that are let go of at once.
const AT_ONCE: u32 = 50;
/// How long a blob stays that no record lists, in microseconds: 30 days.
const UNLISTED: i64 = 30 * 86_400_000_000;

/// What came of a part.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PartTaken {
    /// It is here, now or already.
    Yes,
    /// Another one is here under its number.
    Other,
    /// The group may have no more here.
    Full,
}

impl Records {
    /// Takes a part of a blob.
    ///
    /// # Errors
    /// It is not here then, or it is: the same again tells.
    pub async fn take_part(
        &self,
        group: [u8; 16],
        (name, n): ([u8; 16], u32),
        body: &[u8],
        (quota, now): (u64, i64),
    ) -> Result<PartTaken, Failed> {
        self.transaction(async |mut tx| {
            let held: u64 = sqlx::query_scalar("SELECT bytes FROM hub_groups WHERE id = ? FOR UPDATE")
                .bind(&group[..])
                .fetch_one(&mut *tx)
                .await?;
            let known: Option<Vec<u8>> =
                sqlx::query_scalar("SELECT body FROM blobs WHERE grp = ? AND name = ? AND n = ?")
                    .bind(&group[..])
                    .bind(&name[..])
                    .bind(n)
                    .fetch_optional(&mut *tx)
                    .await?;
            if let Some(known) = known {
                return Ok((tx, if known == body { PartTaken::Yes } else { PartTaken::Other }));
            }
            if held + body.len() as u64 > quota {
                return Ok((tx, PartTaken::Full));
            }
            sqlx::query("INSERT INTO blobs (grp, name, n, body, taken_at) VALUES (?, ?, ?, ?, ?)")
                .bind(&group[..])
                .bind(&name[..])
                .bind(n)
                .bind(body)
                .bind(now)
                .execute(&mut *tx)
                .await?;
            sqlx::query("UPDATE hub_groups SET bytes = bytes + ?, seen_at = ? WHERE id = ?")
                .bind(body.len() as u64)
                .bind(now)
                .bind(&group[..])
                .execute(&mut *tx)
                .await?;
            Ok((tx, PartTaken::Yes))
        })
        .await
    }

    /// A part of a blob.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn part(&self, group: [u8; 16], name: [u8; 16], n: u32) -> Result<Option<Vec<u8>>, Failed> {
        Ok(sqlx::query_scalar("SELECT body FROM blobs WHERE grp = ? AND name = ? AND n = ?")
            .bind(&group[..])
            .bind(&name[..])
            .bind(n)
            .fetch_optional(&self.pool)
            .await?)
    }

    /// Lets go of some parts of blobs that no record has listed for 30 days. True when there are no more.
    ///
    /// # Errors
    /// They stay then.
    pub async fn let_go_of_blobs(&self, now: i64) -> Result<bool, Failed> {
        let gone: Vec<(Vec<u8>, Vec<u8>, u32, u64)> = sqlx::query_as(
            "SELECT grp, name, n, CAST(LENGTH(body) AS UNSIGNED) FROM blobs b WHERE taken_at < ? AND NOT EXISTS \
             (SELECT 1 FROM listed l WHERE l.grp = b.grp AND l.name = b.name) ORDER BY taken_at LIMIT ?",
        )
        .bind(now - UNLISTED)
        .bind(AT_ONCE)
        .fetch_all(&self.pool)
        .await?;
        for (group, name, n, bytes) in &gone {
            self.transaction(async |mut tx| {
                let deleted = sqlx::query("DELETE FROM blobs WHERE grp = ? AND name = ? AND n = ?")
                    .bind(&group[..])
                    .bind(&name[..])
                    .bind(n)
                    .execute(&mut *tx)
                    .await?;
                if deleted.rows_affected() == 1 {
                    sqlx::query("UPDATE hub_groups SET bytes = bytes - LEAST(bytes, ?) WHERE id = ?")
                        .bind(bytes)
                        .bind(&group[..])
                        .execute(&mut *tx)
                        .await?;
                }
                Ok((tx, ()))
            })
            .await?;
        }
        Ok(gone.len() < AT_ONCE as usize)
    }
}

/// Notes which blobs the records under these numbers list.
pub(super) async fn list(
    tx: &mut sqlx::MySqlConnection,
    group: [u8; 16],
    listed: &[(u64, [u8; 16])],
) -> Result<(), sqlx::Error> {
    for some in listed.chunks(500) {
        let mut sql = QueryBuilder::<MySql>::new("INSERT IGNORE INTO listed (grp, number, name) ");
        sql.push_values(some, |mut row, (number, name)| {
            row.push_bind(group.to_vec()).push_bind(*number).push_bind(name.to_vec());
        });
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}
