//! The log of a group: records under its own numbers, each taken once.

use std::collections::{BTreeMap, BTreeSet};

use futures_util::TryStreamExt;
use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_sync::record::Sealed;
use yadori_sync::wire::{LONGEST_PAGE, Page};

use super::blobs;
use super::open::{Failed, Records};
use super::push::{Group, Growth, Heads, Ledger, Left, Plan, Push, Pushed};

/// Records of a page at most.
const PAGE: u32 = 500;
/// Subjects that are looked at in one pass of letting go.
const AT_ONCE: u32 = 200;

/// Rows that are written with one statement, and bytes.
const ROWS: usize = 128;
const BYTES: usize = 4 << 20;

/// Name, epoch, counts and heads of a group.
type GroupColumns = (Vec<u8>, u64, u64, u64, Vec<u8>);

impl Records {
    /// Takes several pushes in one transaction, each as if those before it had been taken alone. `left`: how the groups stood
    /// after the pushes before; where that still holds, it is not asked for again.
    ///
    /// # Errors
    /// None of them is here then, or all are: the same again tells.
    pub async fn push_all(&self, left: &mut Left, pushes: &[Push]) -> Result<Vec<Pushed>, Failed> {
        if let Some(mut ledger) = left.take(pushes) {
            let plan = ledger.plan(pushes);
            if plan.takes_all()
                && self
                    .transaction_of_a_lane(async |mut tx| {
                        let holds = grow(&mut tx, &plan.grown).await?;
                        if holds {
                            write(&mut tx, &plan).await?;
                        }
                        Ok((tx, holds))
                    })
                    .await?
            {
                let pushed = plan.pushed;
                left.put(ledger);
                return Ok(pushed);
            }
        }
        let (ledger, pushed) = self
            .transaction_of_a_lane(async |mut tx| {
                let mut ledger = read_ledger(&mut tx, pushes).await?;
                let plan = ledger.plan(pushes);
                if !plan.taken.is_empty() {
                    if !grow(&mut tx, &plan.grown).await? {
                        // They are locked, and stand as they were read.
                        return Err(sqlx::Error::Protocol("a locked row changed".to_owned()));
                    }
                    write(&mut tx, &plan).await?;
                }
                let pushed = plan.pushed;
                Ok((tx, (ledger, pushed)))
            })
            .await?;
        left.put(ledger);
        Ok(pushed)
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

/// The groups that these pushes are about, locked (in the order of their names, whoever asks).
async fn read_ledger(tx: &mut MySqlConnection, pushes: &[Push]) -> Result<Ledger, sqlx::Error> {
    let groups: BTreeSet<[u8; 16]> = pushes.iter().map(|push| push.group).collect();
    let mut sql =
        QueryBuilder::<MySql>::new("SELECT id, epoch, last, bytes, heads FROM hub_groups WHERE id IN (");
    let mut list = sql.separated(", ");
    groups.iter().for_each(|group| {
        list.push_bind(&group[..]);
    });
    sql.push(") ORDER BY id FOR UPDATE");
    let rows: Vec<GroupColumns> = sql.build_query_as().fetch_all(tx).await?;
    let group = |(id, epoch, last, bytes, heads): GroupColumns| {
        let heads = Heads::from_bytes(&heads);
        (id.try_into().unwrap_or_default(), Group { epoch, last, bytes, heads })
    };
    Ok(Ledger(rows.into_iter().map(group).collect()))
}

/// Lets groups grow, each where it still stands as it did. False: one of them does not.
async fn grow(tx: &mut MySqlConnection, grown: &BTreeMap<[u8; 16], Growth>) -> Result<bool, sqlx::Error> {
    fn each<'a, V>(
        sql: &mut QueryBuilder<MySql>,
        grown: &'a BTreeMap<[u8; 16], Growth>,
        value: impl Fn(&'a Growth) -> V,
    ) where
        V: sqlx::Encode<'a, MySql> + sqlx::Type<MySql>,
    {
        sql.push("CASE id");
        for (id, growth) in grown {
            sql.push(" WHEN ").push_bind(id.to_vec()).push(" THEN ").push_bind(value(growth));
        }
        sql.push(" END");
    }
    let seen_at = grown.values().map(|growth| growth.seen_at).max().unwrap_or_default();
    let mut sql = QueryBuilder::<MySql>::new("UPDATE hub_groups SET last = last + ");
    each(&mut sql, grown, |growth| growth.records);
    sql.push(", bytes = bytes + ");
    each(&mut sql, grown, |growth| growth.bytes);
    sql.push(", heads = ");
    each(&mut sql, grown, |growth| growth.heads.to_bytes());
    sql.push(", seen_at = GREATEST(seen_at, ").push_bind(seen_at).push(") WHERE ");
    let mut list = sql.separated(" OR ");
    for (id, growth) in grown {
        list.push("(id = ")
            .push_bind_unseparated(&id[..])
            .push_unseparated(" AND last = ")
            .push_bind_unseparated(growth.before)
            .push_unseparated(" AND epoch = ")
            .push_bind_unseparated(growth.epoch)
            .push_unseparated(" AND bytes <= ")
            .push_bind_unseparated(growth.room)
            .push_unseparated(")");
    }
    Ok(sql.build().execute(tx).await?.rows_affected() == grown.len() as u64)
}

/// Writes what else a plan holds.
async fn write(tx: &mut MySqlConnection, plan: &Plan<'_>) -> Result<(), sqlx::Error> {
    write_records(tx, &plan.taken).await?;
    for (push, before) in plan.taken.iter().filter(|(push, _)| !push.listed.is_empty()) {
        let listed = push.listed.iter().map(|(at, name)| (before + 1 + *at as u64, *name));
        blobs::list(tx, push.group, &listed.collect::<Vec<_>>()).await?;
    }
    Ok(())
}

async fn write_records(tx: &mut MySqlConnection, taken: &[(&Push, u64)]) -> Result<(), sqlx::Error> {
    let numbered =
        |(push, before): &(&'_ Push, u64)| (before + 1..).take(push.records.len()).collect::<Vec<_>>();
    let rows: Vec<_> = taken.iter().flat_map(|one| one.0.records.iter().zip(numbered(one))).collect();
    let mut rest = &rows[..];
    while !rest.is_empty() {
        let mut bytes = 0;
        let fits = rest.iter().take(ROWS).take_while(|((_, body), _)| {
            bytes += body.len();
            bytes <= BYTES
        });
        let (some, after) = rest.split_at(fits.count().max(1));
        rest = after;
        let mut sql = QueryBuilder::<MySql>::new(
            "INSERT INTO records (grp, number, device, incarnation, seen, subject, body) ",
        );
        sql.push_values(some, |mut row, ((header, body), number)| {
            row.push_bind(&header.group[..])
                .push_bind(*number)
                .push_bind(&header.device.0[..])
                .push_bind(header.incarnation)
                .push_bind(header.seen)
                .push_bind(&header.subject.0[..])
                .push_bind(&body[..]);
        });
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}
