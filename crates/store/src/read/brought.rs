//! What imports have done that are not acts yet.

use crate::error::ReadError;
use crate::store::Store;

/// What an import has done to one clip or drawer.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Brought {
    /// Its number: what was done later has a higher one.
    pub n: u64,
    /// What was done first, as JSON.
    pub body: Vec<u8>,
    /// What was done last, where that was more than once.
    pub later: Option<Vec<u8>>,
}

impl Store {
    /// The imports of which something is not part of an act yet.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn imports(&self) -> Result<Vec<[u8; 16]>, ReadError> {
        let found: Vec<Vec<u8>> =
            sqlx::query_scalar("SELECT DISTINCT import FROM brought").fetch_all(&self.pool).await?;
        let damaged = |_| ReadError::Damaged("an import has no name".into());
        found.into_iter().map(|import| import.try_into().map_err(damaged)).collect()
    }

    /// What an import has done behind a number that is not part of an act yet, in its order: at most `most` of it.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn brought(&self, import: [u8; 16], after: u64, most: u32) -> Result<Vec<Brought>, ReadError> {
        let rows: Vec<(u64, Vec<u8>, Option<Vec<u8>>)> = sqlx::query_as(
            "SELECT n, body, later FROM brought WHERE import = ? AND n > ? ORDER BY n LIMIT ?",
        )
        .bind(&import[..])
        .bind(after)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.into_iter().map(|(n, body, later)| Brought { n, body, later }).collect())
    }
}
