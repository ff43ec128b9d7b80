//! Contents, read back and compared with the digests under which they are kept.

use bytes::{Bytes, BytesMut};
use sqlx::MySqlConnection;
use yadori_core::{Content, Digest};

use crate::error::ReadError;
use crate::store::Store;

impl Store {
    /// Reads a content and checks it against its digest.
    ///
    /// # Errors
    /// [`ReadError::Damaged`] when it is missing or not what it was.
    pub async fn content(&self, digest: Digest) -> Result<Content, ReadError> {
        let mut connection = self.pool.acquire().await?;
        read(&mut connection, digest).await
    }
}

pub(crate) async fn read(connection: &mut MySqlConnection, digest: Digest) -> Result<Content, ReadError> {
    let missing = || ReadError::Damaged("a content is missing or not what it was".into());
    let chunks: Vec<Vec<u8>> = sqlx::query_scalar(
        "SELECT k.data FROM contents c JOIN chunks k ON k.digest = c.digest WHERE c.digest = ? ORDER BY k.n",
    )
    .bind(&digest.0[..])
    .fetch_all(connection)
    .await?;
    let bytes = match chunks.len() {
        0 => return Err(missing()),
        1 => Bytes::from(chunks.into_iter().next().unwrap_or_default()),
        _ => {
            let mut whole = BytesMut::with_capacity(chunks.iter().map(Vec::len).sum());
            chunks.iter().for_each(|chunk| whole.extend_from_slice(chunk));
            whole.freeze()
        }
    };
    let content = Content::new(bytes);
    if content.digest() == digest { Ok(content) } else { Err(missing()) }
}
