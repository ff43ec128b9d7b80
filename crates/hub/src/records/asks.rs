//! Up to which number each device has asked, as the database keeps it.

use sqlx::{MySql, QueryBuilder};
use yadori_core::DeviceId;

use super::open::{Failed, Records};

/// Rows that are written at once.
const AT_ONCE: usize = 500;

/// What a device asked last.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Ask {
    /// It has everything up to this number.
    pub number: u64,
    /// When, in microseconds since the Unix epoch.
    pub at: i64,
}

/// A device of a group.
pub type Asking = ([u8; 16], DeviceId);

impl Records {
    /// What a device asked last, as far as that was kept.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn ask_of(&self, (group, device): Asking) -> Result<Option<Ask>, Failed> {
        let row: Option<(u64, i64)> =
            sqlx::query_as("SELECT number, at FROM asks WHERE grp = ? AND device = ?")
                .bind(&group[..])
                .bind(&device.0[..])
                .fetch_optional(&self.pool)
                .await?;
        Ok(row.map(|(number, at)| Ask { number, at }))
    }

    /// Keeps what devices asked last; what another process kept later stays.
    ///
    /// # Errors
    /// Some of it is not kept then.
    pub async fn keep_asks(&self, asks: &[(Asking, Ask)]) -> Result<(), Failed> {
        for some in asks.chunks(AT_ONCE) {
            let mut sql = QueryBuilder::<MySql>::new("INSERT INTO asks (grp, device, number, at) ");
            sql.push_values(some, |mut row, ((group, device), ask)| {
                row.push_bind(&group[..]).push_bind(&device.0[..]).push_bind(ask.number).push_bind(ask.at);
            });
            // In this order: the second looks at the time as it was.
            sql.push(
                " ON DUPLICATE KEY UPDATE number = IF(VALUES(at) >= at, VALUES(number), number), \
                 at = GREATEST(at, VALUES(at))",
            );
            sql.build().execute(&self.pool).await?;
        }
        Ok(())
    }

    /// A device comes anew: what it asked before says nothing.
    ///
    /// # Errors
    /// It is as it was then.
    pub async fn forget_ask(&self, (group, device): Asking) -> Result<(), Failed> {
        sqlx::query("DELETE FROM asks WHERE grp = ? AND device = ?")
            .bind(&group[..])
            .bind(&device.0[..])
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
