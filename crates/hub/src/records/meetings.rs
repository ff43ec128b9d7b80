//! Places where two devices meet to be paired, and what they say there: each thing once.

use super::open::{Failed, Records};

/// Places at most: a number of them is short.
const PLACES: u32 = 9_999;

impl Records {
    /// Opens a place. `None`: all are taken. `draws`: random numbers, which are tried one after another.
    ///
    /// # Errors
    /// None is open then.
    pub async fn open_place(
        &self,
        group: [u8; 16],
        draws: &[u32],
        (now, until): (i64, i64),
    ) -> Result<Option<u32>, Failed> {
        for (n, draw) in draws.iter().enumerate() {
            // Short ones first.
            let most = if n < 4 { 99 } else { PLACES };
            let place = 1 + draw % most;
            let opened = self
                .transaction(async |mut tx| {
                    let over = sqlx::query("DELETE FROM meetings WHERE place = ? AND until <= ?")
                        .bind(place)
                        .bind(now)
                        .execute(&mut *tx)
                        .await?;
                    let free =
                        sqlx::query("INSERT IGNORE INTO meetings (place, grp, until) VALUES (?, ?, ?)")
                            .bind(place)
                            .bind(&group[..])
                            .bind(until)
                            .execute(&mut *tx)
                            .await?
                            .rows_affected()
                            == 1;
                    if free || over.rows_affected() > 0 {
                        sqlx::query("DELETE FROM words WHERE place = ?")
                            .bind(place)
                            .execute(&mut *tx)
                            .await?;
                    }
                    Ok((tx, free))
                })
                .await?;
            if opened {
                return Ok(Some(place));
            }
        }
        Ok(None)
    }

    /// Closes a place, with all that was said there.
    ///
    /// # Errors
    /// It ends by itself then.
    pub async fn close_place(&self, group: [u8; 16], place: u32) -> Result<(), Failed> {
        self.transaction(async |mut tx| {
            let closed = sqlx::query("DELETE FROM meetings WHERE place = ? AND grp = ?")
                .bind(place)
                .bind(&group[..])
                .execute(&mut *tx)
                .await?;
            if closed.rows_affected() == 1 {
                sqlx::query("DELETE FROM words WHERE place = ?").bind(place).execute(&mut *tx).await?;
            }
            Ok((tx, ()))
        })
        .await
    }

    /// Whether a place is open.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn is_open(&self, place: u32, now: i64) -> Result<bool, Failed> {
        let found: Option<i64> =
            sqlx::query_scalar("SELECT until FROM meetings WHERE place = ? AND until > ?")
                .bind(place)
                .bind(now)
                .fetch_optional(&self.pool)
                .await?;
        Ok(found.is_some())
    }

    /// Something is said at a place. False: something else was said there under that number.
    ///
    /// # Errors
    /// It is not said then, or it is: the same again tells.
    pub async fn say(&self, place: u32, n: u32, body: &[u8]) -> Result<bool, Failed> {
        sqlx::query("INSERT IGNORE INTO words (place, n, body) VALUES (?, ?, ?)")
            .bind(place)
            .bind(n)
            .bind(body)
            .execute(&self.pool)
            .await?;
        Ok(self.said(place, n).await?.is_some_and(|said| said == body))
    }

    /// What was said.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn said(&self, place: u32, n: u32) -> Result<Option<Vec<u8>>, Failed> {
        Ok(sqlx::query_scalar("SELECT body FROM words WHERE place = ? AND n = ?")
            .bind(place)
            .bind(n)
            .fetch_optional(&self.pool)
            .await?)
    }
}
