//! Words that were read from pictures. They go with the picture's content, see [`super::contents`].

use yadori_core::Digest;
use yadori_core::clip::pictured::Pictured;

use crate::error::CommitError;
use crate::store::Store;

impl Store {
    /// Keeps what was read from a picture, unless the picture is not there any more. True when it is kept.
    ///
    /// # Errors
    /// While the database does not answer; nothing is kept then.
    pub async fn keep_pictured(&self, digest: Digest, pictured: &Pictured) -> Result<bool, CommitError> {
        let words = serde_json::to_vec(pictured).map_err(|why| CommitError::Refused(why.to_string()))?;
        // Whoever wipes the content waits for this, and wipes the words after the content.
        let kept = sqlx::query(
            "REPLACE INTO pictured (digest, words) SELECT digest, ? FROM contents WHERE digest = ? LOCK IN SHARE MODE",
        )
        .bind(words)
        .bind(&digest.0[..])
        .execute(&self.pool)
        .await?;
        Ok(kept.rows_affected() > 0)
    }
}
