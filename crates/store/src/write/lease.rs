//! One service per schema: a lease in the one row of `service`, checked by every transaction.

use sqlx::mysql::MySqlPool;
use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{DeviceId, Stamp};

use crate::error::{Broken, CommitError, OpenError};

/// How long after its last sign of life another device's lease still counts, in microseconds.
const STALE_AFTER: i64 = 15_000_000;

/// The server's own time in microseconds: leases are compared by one clock.
macro_rules! now {
    () => {
        "CAST(UNIX_TIMESTAMP(NOW(6)) * 1000000 AS SIGNED)"
    };
}

#[derive(Debug)]
pub(crate) struct Lease {
    token: [u8; 16],
}

impl Lease {
    /// Takes the lease. A lease of the same device is taken over at once (its home is locked, so that service is
    /// gone); one of another device only when it has been silent for 15 seconds.
    pub(crate) async fn take(pool: &MySqlPool, device: DeviceId) -> Result<Self, OpenError> {
        let mut token = [0; 16];
        getrandom::fill(&mut token)
            .map_err(|why| OpenError::Prepare(sqlx::Error::Protocol(why.to_string())))?;
        let mut tx = pool.begin().await.map_err(|why| OpenError::of(why, OpenError::Connect))?;
        let held: Option<(Vec<u8>, i64)> = sqlx::query_as(concat!(
            "SELECT device, ",
            now!(),
            " - seen_at FROM service WHERE one = 1 FOR UPDATE"
        ))
        .fetch_optional(&mut *tx)
        .await
        .map_err(|why| OpenError::of(why, OpenError::Prepare))?;
        if held.is_some_and(|(holder, silence)| holder != device.0 && silence < STALE_AFTER) {
            return Err(OpenError::Leased);
        }
        sqlx::query(concat!(
            "INSERT INTO service (one, device, lease, seen_at) VALUES (1, ?, ?, ",
            now!(),
            ") ON DUPLICATE KEY UPDATE device = VALUES(device), lease = VALUES(lease), seen_at = VALUES(seen_at)"
        ))
        .bind(&device.0[..])
        .bind(&token[..])
        .execute(&mut *tx)
        .await
        .map_err(|why| OpenError::of(why, OpenError::Prepare))?;
        tx.commit().await.map_err(|why| OpenError::of(why, OpenError::Prepare))?;
        Ok(Self { token })
    }

    /// Saves the clock and the id of the group, and makes sure, in the same statement, that this service still holds the lease.
    pub(crate) async fn check(
        &self,
        tx: &mut MySqlConnection,
        clock: Option<Stamp>,
        group: Option<[u8; 16]>,
    ) -> Result<(), Broken> {
        let clock = clock.map(|clock| clock.to_bytes().to_vec());
        let done = sqlx::query(concat!(
            "UPDATE service SET clock = COALESCE(?, clock), last_group = COALESCE(?, last_group), seen_at = ",
            now!(),
            " WHERE one = 1 AND lease = ?"
        ))
        .bind(clock)
        .bind(group.map(|id| id.to_vec()))
        .bind(&self.token[..])
        .execute(tx)
        .await?;
        if done.rows_affected() == 1 { Ok(()) } else { Err(Broken::LeaseLost) }
    }

    /// The statement that does the same for a group that follows `last`, and no other: one that comes late, after its
    /// answer was given up, changes no row of what was committed meanwhile.
    pub(crate) fn push_check(
        &self,
        sql: &mut QueryBuilder<MySql>,
        clock: Option<Stamp>,
        group: [u8; 16],
        last: [u8; 16],
    ) {
        sql.push("UPDATE service SET clock = COALESCE(")
            .push_bind(clock.map(|clock| clock.to_bytes().to_vec()))
            .push(", clock), last_group = ")
            .push_bind(group.to_vec())
            .push(concat!(", seen_at = ", now!(), " WHERE one = 1 AND lease = "))
            .push_bind(self.token.to_vec())
            .push(" AND last_group = ")
            .push_bind(last.to_vec());
    }

    /// Makes sure that this service still holds the lease, and holds up nobody: for what no other change looks at.
    pub(crate) async fn holds(&self, tx: &mut MySqlConnection) -> Result<(), Broken> {
        let held: Option<i32> = sqlx::query_scalar("SELECT 1 FROM service WHERE one = 1 AND lease = ?")
            .bind(&self.token[..])
            .fetch_optional(tx)
            .await?;
        if held.is_some() { Ok(()) } else { Err(Broken::LeaseLost) }
    }

    pub(crate) async fn renew(&self, pool: &MySqlPool) -> Result<(), CommitError> {
        let mut connection = pool.acquire().await?;
        self.check(&mut connection, None, None).await.map_err(CommitError::from)
    }

    pub(crate) async fn give_back(&self, pool: &MySqlPool) {
        let given = sqlx::query("UPDATE service SET seen_at = 0 WHERE one = 1 AND lease = ?")
            .bind(&self.token[..])
            .execute(pool)
            .await;
        if let Err(why) = given {
            tracing::debug!("the lease could not be given back: {}", CommitError::from(why));
        }
    }
}
