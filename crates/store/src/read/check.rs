//! Checking the records: which contents does a clip need that are not there.

use sqlx::MySqlConnection;
use yadori_core::Digest;

use crate::error::ReadError;
use crate::store::Store;

impl Store {
    /// Contents that a clip or an act needs and that have no row, at most so many.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn missing_contents(&self, most: u32) -> Result<Vec<Digest>, ReadError> {
        let mut connection = self.pool.acquire().await?;
        missing(&mut connection, most).await
    }
}

async fn missing(connection: &mut MySqlConnection, most: u32) -> Result<Vec<Digest>, ReadError> {
    let found: Vec<Vec<u8>> = sqlx::query_scalar(
        "SELECT DISTINCT digest FROM uses u WHERE NOT EXISTS (SELECT 1 FROM contents c WHERE c.digest = u.digest) \
         AND NOT EXISTS (SELECT 1 FROM exchange_blobs b WHERE b.digest = u.digest) LIMIT ?",
    )
    .bind(most)
    .fetch_all(connection)
    .await?;
    Ok(found.iter().filter_map(|digest| Some(Digest(digest.as_slice().try_into().ok()?))).collect())
}
