//! The log of a group: records under its own numbers, each taken once.

use futures_util::TryStreamExt;
use sqlx::{MySql, QueryBuilder};
use yadori_sync::record::{Header, Sealed};
use yadori_sync::wire::{LONGEST_PAGE, Page};

use super::blobs;
use super::open::{Failed, Records};

/// Records of a page at most.
const PAGE: u32 = 500;
/// Subjects that are looked at in one pass of letting go.
const AT_ONCE: u32 = 200;

/// What a device sends at once: records of one life of it, in the order of their sequences.
#[derive(Clone, Copy, Debug)]
pub struct Push<'a> {
    /// The group.
    pub group: [u8; 16],
    /// The records with their headers. Not empty; one device, one incarnation.
    pub records: &'a [(Header, &'a [u8])],
    /// Blobs that they list, by the place of the record.
    pub listed: &'a [(usize, [u8; 16])],
    /// A hash of all of it.
    pub hash: [u8; 32],
    /// The epoch in which the device was known to belong to the group.
    pub epoch: u64,
    /// Bytes that the group may have here.
    pub quota: u64,
    /// The time, in microseconds.
    pub now: i64,
}

/// What came of a push.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pushed {
    /// All of it is here, now (under the numbers up to this) or already.
    Taken(u64),
    /// Other records are here under these sequences, or later ones.
    Older,
    /// The chain has gone on meanwhile: whether the device belongs is to be looked at again.
    Epoch,
    /// The group may have no more here.
    Full,
    /// There is no such group.
    NoGroup,
}

impl Records {
    /// Takes records.
    ///
    /// # Errors
    /// None of them is here then, or all are: the same again tells.
    pub async fn push(&self, push: &Push<'_>) -> Result<Pushed, Failed> {
        let Some((first, last)) = push.records.first().zip(push.records.last()) else {
            return Ok(Pushed::Older);
        };
        let (first, last) = (first.0, last.0);
        let bytes: u64 = push.records.iter().map(|(_, body)| body.len() as u64).sum();
        self.transaction(async |mut tx| {
            let row: Option<(u64, u64, u64)> =
                sqlx::query_as("SELECT epoch, last, bytes FROM hub_groups WHERE id = ? FOR UPDATE")
                    .bind(&push.group[..])
                    .fetch_optional(&mut *tx)
                    .await?;
            let Some((epoch, number, held)) = row else { return Ok((tx, Pushed::NoGroup)) };
            if epoch != push.epoch {
                return Ok((tx, Pushed::Epoch));
            }
            let head: Option<(u64, Vec<u8>)> = sqlx::query_as(
                "SELECT sequence, push FROM heads WHERE grp = ? AND device = ? AND incarnation = ?",
            )
            .bind(&push.group[..])
            .bind(&first.device.0[..])
            .bind(first.incarnation)
            .fetch_optional(&mut *tx)
            .await?;
            if let Some((sequence, hash)) = head
                && first.sequence <= sequence
            {
                let same = hash == push.hash;
                return Ok((tx, if same { Pushed::Taken(number) } else { Pushed::Older }));
            }
            if held + bytes > push.quota {
                return Ok((tx, Pushed::Full));
            }
            let mut sql = QueryBuilder::<MySql>::new(
                "INSERT INTO records (grp, number, device, incarnation, sequence, seen, subject, body) ",
            );
            sql.push_values(push.records.iter().zip(number + 1..), |mut row, ((header, body), number)| {
                row.push_bind(&push.group[..])
                    .push_bind(number)
                    .push_bind(header.device.0.to_vec())
                    .push_bind(header.incarnation)
                    .push_bind(header.sequence)
                    .push_bind(header.seen)
                    .push_bind(header.subject.0.to_vec())
                    .push_bind(*body);
            });
            sql.build().execute(&mut *tx).await?;
            sqlx::query(
                "INSERT INTO heads (grp, device, incarnation, sequence, push) VALUES (?, ?, ?, ?, ?) \
                 ON DUPLICATE KEY UPDATE sequence = VALUES(sequence), push = VALUES(push)",
            )
            .bind(&push.group[..])
            .bind(&first.device.0[..])
            .bind(first.incarnation)
            .bind(last.sequence)
            .bind(&push.hash[..])
            .execute(&mut *tx)
            .await?;
            let listed = push.listed.iter().map(|(at, name)| (number + 1 + *at as u64, *name));
            blobs::list(&mut tx, push.group, &listed.collect::<Vec<_>>()).await?;
            let number = number + push.records.len() as u64;
            sqlx::query("UPDATE hub_groups SET last = ?, bytes = bytes + ?, seen_at = ? WHERE id = ?")
                .bind(number)
                .bind(bytes)
                .bind(push.now)
                .bind(&push.group[..])
                .execute(&mut *tx)
                .await?;
            Ok((tx, Pushed::Taken(number)))
        })
        .await
    }

    /// Records after a number: as many as fit into a page, one at least. `None`: there is no such group.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn page(&self, group: [u8; 16], after: u64) -> Result<Option<Page>, Failed> {
        let Some(standing) = self.standing(group).await? else { return Ok(None) };
        let mut page = Page { epoch: standing.epoch, last: standing.last, records: Vec::new() };
        if after >= standing.last {
            return Ok(Some(page));
        }
        let mut rows = sqlx::query_as::<_, (u64, Vec<u8>)>(
            "SELECT number, body FROM records WHERE grp = ? AND number > ? AND number <= ? ORDER BY number LIMIT ?",
        )
        .bind(&group[..])
        .bind(after)
        .bind(standing.last)
        .bind(PAGE)
        .fetch(&self.pool);
        let mut bytes = 0;
        while let Some((number, body)) = rows.try_next().await? {
            bytes += body.len();
            if bytes > LONGEST_PAGE && !page.records.is_empty() {
                break;
            }
            page.records.push((number, Sealed(body)));
        }
        Ok(Some(page))
    }

    /// Lets go of records that a newer one of the same subject holds, after a number, among so many. Gives up to where it
    /// has looked; `None` at the end.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn let_go(&self, group: [u8; 16], after: u64) -> Result<Option<u64>, Failed> {
        let upto: Option<u64> = sqlx::query_scalar(
            "SELECT MAX(number) FROM \
             (SELECT number FROM records WHERE grp = ? AND number > ? ORDER BY number LIMIT ?) some",
        )
        .bind(&group[..])
        .bind(after)
        .bind(AT_ONCE)
        .fetch_one(&self.pool)
        .await?;
        let Some(upto) = upto else { return Ok(None) };
        let gone: Vec<(u64, u64)> = sqlx::query_as(
            "SELECT DISTINCT old.number, CAST(LENGTH(old.body) AS UNSIGNED) FROM records old JOIN records new \
             ON new.grp = old.grp AND new.subject = old.subject AND new.number > old.number \
             AND ((new.device = old.device AND new.incarnation = old.incarnation) OR new.seen >= old.number) \
             WHERE old.grp = ? AND old.number > ? AND old.number <= ?",
        )
        .bind(&group[..])
        .bind(after)
        .bind(upto)
        .fetch_all(&self.pool)
        .await?;
        if gone.is_empty() {
            return Ok(Some(upto));
        }
        self.transaction(async |mut tx| {
            let mut sql = QueryBuilder::<MySql>::new("DELETE FROM records WHERE grp = ");
            sql.push_bind(&group[..]).push(" AND number IN (");
            let mut list = sql.separated(", ");
            gone.iter().for_each(|(number, _)| {
                list.push_bind(*number);
            });
            sql.push(")");
            let deleted = sql.build().execute(&mut *tx).await?.rows_affected();
            let mut sql = QueryBuilder::<MySql>::new("DELETE FROM listed WHERE grp = ");
            sql.push_bind(&group[..]).push(" AND number IN (");
            let mut list = sql.separated(", ");
            gone.iter().for_each(|(number, _)| {
                list.push_bind(*number);
            });
            sql.push(")");
            sql.build().execute(&mut *tx).await?;
            // Another process may have been faster.
            if deleted == gone.len() as u64 {
                sqlx::query("UPDATE hub_groups SET bytes = bytes - LEAST(bytes, ?) WHERE id = ?")
                    .bind(gone.iter().map(|(_, bytes)| bytes).sum::<u64>())
                    .bind(&group[..])
                    .execute(&mut *tx)
                    .await?;
            }
            Ok((tx, ()))
        })
        .await?;
        Ok(Some(upto))
    }
}
