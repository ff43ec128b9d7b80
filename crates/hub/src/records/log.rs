//! The log of a group as it is given out, and what of it is let go.

use futures_util::TryStreamExt;
use sqlx::{MySql, QueryBuilder};
use yadori_sync::record::Sealed;
use yadori_sync::wire::{LONGEST_PAGE, Page};

use super::open::{Failed, Records};

/// Records of a page at most.
const PAGE: u32 = 500;
/// Subjects that are looked at in one pass of letting go.
const AT_ONCE: u32 = 200;

impl Records {
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
