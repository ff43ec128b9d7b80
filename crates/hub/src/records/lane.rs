//! A lane of pushes: several are written in one transaction, on a connection of its own.

use std::collections::{BTreeMap, BTreeSet};

use sqlx::mysql::MySqlConnectOptions;
use sqlx::{Connection, Executor, MySql, MySqlConnection, QueryBuilder};

use super::blobs;
use super::open::{Attempts, Failed, ISOLATION, PATIENCE, Records};
use super::push::{Group, Growth, Heads, Ledger, Left, Plan, Push, Pushed};

/// Rows that are written with one statement, and bytes.
const ROWS: usize = 128;
const BYTES: usize = 4 << 20;

/// Name, epoch, counts and heads of a group.
type GroupColumns = (Vec<u8>, u64, u64, u64, Vec<u8>);

/// Where pushes are written, one transaction after the other. A transaction begins with the first statement after the last.
#[derive(Debug)]
pub struct Lane {
    options: MySqlConnectOptions,
    /// Only while nothing is open on it: one whose transaction did not come to its end is dropped, which rolls that back.
    connection: Option<MySqlConnection>,
    /// How the groups stood after the last pushes.
    left: Left,
}

impl Lane {
    /// One that has written nothing yet.
    pub fn of(records: &Records) -> Self {
        Self { options: records.options.clone(), connection: None, left: Left::default() }
    }

    /// Takes several pushes in one transaction, each as if those before it had been taken alone. How their groups stood after
    /// the pushes before is not asked for again where it still holds.
    ///
    /// # Errors
    /// None of them is here then, or all are: the same again tells.
    pub async fn push_all(&mut self, pushes: &[Push]) -> Result<Vec<Pushed>, Failed> {
        let known = self.left.take(pushes);
        let mut attempts = Attempts::default();
        loop {
            match self.attempt(known.clone(), pushes).await {
                Ok((ledger, pushed)) => {
                    self.left.put(ledger);
                    return Ok(pushed);
                }
                Err(why) => attempts.after(why).await?,
            }
        }
    }

    async fn attempt(
        &mut self,
        known: Option<Ledger>,
        pushes: &[Push],
    ) -> Result<(Ledger, Vec<Pushed>), sqlx::Error> {
        let mut connection = match self.connection.take() {
            Some(connection) => connection,
            None => connect(&self.options).await?,
        };
        let outcome = push_onto(&mut connection, known, pushes).await;
        // A commit after a deadlock would say OK although nothing is left.
        connection.execute(if outcome.is_ok() { "COMMIT" } else { "ROLLBACK" }).await?;
        self.connection = Some(connection);
        outcome
    }
}

/// Writes pushes, without a commit: onto what is known if their groups still stand so and all of them are to be taken, else
/// onto what is there.
async fn push_onto(
    tx: &mut MySqlConnection,
    known: Option<Ledger>,
    pushes: &[Push],
) -> Result<(Ledger, Vec<Pushed>), sqlx::Error> {
    if let Some(mut ledger) = known {
        let plan = ledger.plan(pushes);
        if plan.takes_all() {
            if grow(tx, &plan.grown).await? {
                write(tx, &plan).await?;
                let pushed = plan.pushed;
                return Ok((ledger, pushed));
            }
            // Some of them may have grown.
            tx.execute("ROLLBACK").await?;
        }
    }
    let mut ledger = read_ledger(tx, pushes).await?;
    let plan = ledger.plan(pushes);
    if !plan.taken.is_empty() {
        if !grow(tx, &plan.grown).await? {
            // They are locked, and stand as they were read.
            return Err(sqlx::Error::Protocol("a locked row changed".to_owned()));
        }
        write(tx, &plan).await?;
    }
    let pushed = plan.pushed;
    Ok((ledger, pushed))
}

async fn connect(options: &MySqlConnectOptions) -> Result<MySqlConnection, sqlx::Error> {
    let connected = tokio::time::timeout(PATIENCE, MySqlConnection::connect_with(options)).await;
    let mut connection = connected.map_err(|_| sqlx::Error::PoolTimedOut)??;
    connection.execute(ISOLATION).await?;
    connection.execute("SET SESSION autocommit = 0").await?;
    Ok(connection)
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
