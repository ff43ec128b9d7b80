//! What the processes of one database tell each other.

use sqlx::{MySql, QueryBuilder};

use super::open::{Failed, Records};

/// Rows that are read at once.
const ROWS: u32 = 200;

/// What a process said under one of its numbers.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Said {
    /// The process.
    pub process: [u8; 16],
    /// Its number, one more each time.
    pub number: u64,
    /// What it said.
    pub body: Vec<u8>,
}

impl Records {
    /// A process beats.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn beat(&self, process: [u8; 16], beat: u64) -> Result<(), Failed> {
        sqlx::query(
            "INSERT INTO processes (id, beat) VALUES (?, ?) ON DUPLICATE KEY UPDATE beat = VALUES(beat)",
        )
        .bind(&process[..])
        .bind(beat)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// All processes with their beats.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn processes(&self) -> Result<Vec<([u8; 16], u64)>, Failed> {
        let rows: Vec<(Vec<u8>, u64)> =
            sqlx::query_as("SELECT id, beat FROM processes").fetch_all(&self.pool).await?;
        Ok(rows.into_iter().map(|(id, beat)| (id.try_into().unwrap_or_default(), beat)).collect())
    }

    /// Forgets a process that ended, with all it said, if its beat is still this.
    ///
    /// # Errors
    /// It is known then as before.
    pub async fn forget_process(&self, process: [u8; 16], beat: u64) -> Result<(), Failed> {
        let gone = sqlx::query("DELETE FROM processes WHERE id = ? AND beat = ?")
            .bind(&process[..])
            .bind(beat)
            .execute(&self.pool)
            .await?;
        if gone.rows_affected() == 1 {
            self.forget_said(process, u64::MAX).await?;
        }
        Ok(())
    }

    /// A process says something to the others.
    ///
    /// # Errors
    /// Nothing is said then, or it is: the same again changes nothing.
    pub async fn tell(&self, said: &Said) -> Result<(), Failed> {
        sqlx::query("INSERT IGNORE INTO news (process, number, said) VALUES (?, ?, ?)")
            .bind(&said.process[..])
            .bind(said.number)
            .bind(&said.body[..])
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// The last number of each process.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn last_said(&self, process: [u8; 16]) -> Result<u64, Failed> {
        let last: Option<u64> = sqlx::query_scalar("SELECT MAX(number) FROM news WHERE process = ?")
            .bind(&process[..])
            .fetch_one(&self.pool)
            .await?;
        Ok(last.unwrap_or(0))
    }

    /// What these processes said after these numbers, in their order; not all of it at once.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn said_after(&self, heard: &[([u8; 16], u64)]) -> Result<Vec<Said>, Failed> {
        if heard.is_empty() {
            return Ok(Vec::new());
        }
        let mut sql = QueryBuilder::<MySql>::new("SELECT process, number, said FROM news WHERE ");
        let mut list = sql.separated(" OR ");
        for (process, number) in heard {
            list.push("(process = ")
                .push_bind_unseparated(&process[..])
                .push_unseparated(" AND number > ")
                .push_bind_unseparated(*number)
                .push_unseparated(")");
        }
        sql.push(" ORDER BY process, number LIMIT ").push_bind(ROWS);
        let rows: Vec<(Vec<u8>, u64, Vec<u8>)> = sql.build_query_as().fetch_all(&self.pool).await?;
        let said = |(process, number, body): (Vec<u8>, u64, Vec<u8>)| Said {
            process: process.try_into().unwrap_or_default(),
            number,
            body,
        };
        Ok(rows.into_iter().map(said).collect())
    }

    /// Forgets what a process said up to a number.
    ///
    /// # Errors
    /// It stays then.
    pub async fn forget_said(&self, process: [u8; 16], upto: u64) -> Result<(), Failed> {
        sqlx::query("DELETE FROM news WHERE process = ? AND number <= ?")
            .bind(&process[..])
            .bind(upto)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
