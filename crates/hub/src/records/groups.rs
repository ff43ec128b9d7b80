//! Groups, who belongs to them, and invitations.

use super::open::{Failed, Records};

/// How a group stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Standing {
    /// The number of the last entry of its chain.
    pub epoch: u64,
    /// The last of its numbers.
    pub last: u64,
    /// When somebody asked for it last, in microseconds; not every time is noted.
    pub seen_at: i64,
}

/// What came of a new group.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Founded {
    /// It is there, now or already.
    Yes,
    /// There is another one of that name.
    Other,
    /// Nobody was invited with these words.
    Uninvited,
}

/// What came of an entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Appended {
    /// It is there, now or already.
    Yes,
    /// Another one follows its parent, or nothing is known of that.
    NotNext,
}

impl Records {
    /// How a group stands; `None`: there is none.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn standing(&self, group: [u8; 16]) -> Result<Option<Standing>, Failed> {
        let row: Option<(u64, u64, i64)> =
            sqlx::query_as("SELECT epoch, last, seen_at FROM hub_groups WHERE id = ?")
                .bind(&group[..])
                .fetch_optional(&self.pool)
                .await?;
        Ok(row.map(|(epoch, last, seen_at)| Standing { epoch, last, seen_at }))
    }

    /// The entries of a group's chain after a number, so many at most.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn entries(&self, group: [u8; 16], after: u64, most: u32) -> Result<Vec<Vec<u8>>, Failed> {
        Ok(sqlx::query_scalar(
            "SELECT body FROM entries WHERE grp = ? AND number > ? ORDER BY number LIMIT ?",
        )
        .bind(&group[..])
        .bind(after)
        .bind(most)
        .fetch_all(&self.pool)
        .await?)
    }

    /// A group comes to be with the first entry of its chain. `invitation`: the hash of the words; `None`: none is needed.
    ///
    /// # Errors
    /// Nothing has come to be then.
    pub async fn found(
        &self,
        group: [u8; 16],
        entry: &[u8],
        invitation: Option<[u8; 32]>,
        now: i64,
    ) -> Result<Founded, Failed> {
        let head = *blake3::hash(entry).as_bytes();
        self.transaction(async |mut tx| {
            let known: Option<Vec<u8>> =
                sqlx::query_scalar("SELECT body FROM entries WHERE grp = ? AND number = 1 FOR UPDATE")
                    .bind(&group[..])
                    .fetch_optional(&mut *tx)
                    .await?;
            if let Some(known) = known {
                let leaving: Option<Vec<u8>> = sqlx::query_scalar("SELECT grp FROM leaving WHERE grp = ?")
                    .bind(&group[..])
                    .fetch_optional(&mut *tx)
                    .await?;
                let here = known == entry && leaving.is_none();
                return Ok((tx, if here { Founded::Yes } else { Founded::Other }));
            }
            if let Some(hash) = invitation {
                let used = sqlx::query("DELETE FROM invitations WHERE hash = ? AND until > ?")
                    .bind(&hash[..])
                    .bind(now)
                    .execute(&mut *tx)
                    .await?;
                if used.rows_affected() != 1 {
                    return Ok((tx, Founded::Uninvited));
                }
            }
            sqlx::query("INSERT INTO hub_groups (id, epoch, head, made_at, seen_at) VALUES (?, 1, ?, ?, ?)")
                .bind(&group[..])
                .bind(&head[..])
                .bind(now)
                .bind(now)
                .execute(&mut *tx)
                .await?;
            sqlx::query("INSERT INTO entries (grp, number, body) VALUES (?, 1, ?)")
                .bind(&group[..])
                .bind(entry)
                .execute(&mut *tx)
                .await?;
            Ok((tx, Founded::Yes))
        })
        .await
    }

    /// An entry follows the one before it: one at most follows each.
    ///
    /// # Errors
    /// Nothing has changed then.
    pub async fn append(
        &self,
        group: [u8; 16],
        (number, parent): (u64, [u8; 32]),
        entry: &[u8],
    ) -> Result<Appended, Failed> {
        let head = *blake3::hash(entry).as_bytes();
        self.transaction(async |mut tx| {
            let moved = sqlx::query(
                "UPDATE hub_groups SET epoch = ?, head = ? WHERE id = ? AND epoch = ? AND head = ?",
            )
            .bind(number)
            .bind(&head[..])
            .bind(&group[..])
            .bind(number.saturating_sub(1))
            .bind(&parent[..])
            .execute(&mut *tx)
            .await?;
            if moved.rows_affected() != 1 {
                let known: Option<Vec<u8>> =
                    sqlx::query_scalar("SELECT body FROM entries WHERE grp = ? AND number = ?")
                        .bind(&group[..])
                        .bind(number)
                        .fetch_optional(&mut *tx)
                        .await?;
                let same = known.is_some_and(|known| known == entry);
                return Ok((tx, if same { Appended::Yes } else { Appended::NotNext }));
            }
            sqlx::query("INSERT INTO entries (grp, number, body) VALUES (?, ?, ?)")
                .bind(&group[..])
                .bind(number)
                .bind(entry)
                .execute(&mut *tx)
                .await?;
            Ok((tx, Appended::Yes))
        })
        .await
    }

    /// Someone who knows the words with this hash may bring a group, once, until then.
    ///
    /// # Errors
    /// Nobody is invited then.
    pub async fn invite(&self, hash: [u8; 32], until: i64) -> Result<(), Failed> {
        sqlx::query("INSERT INTO invitations (hash, until) VALUES (?, ?)")
            .bind(&hash[..])
            .bind(until)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
