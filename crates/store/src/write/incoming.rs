//! Clips of a backup on their way in: received in bounded transactions beside the history, made whole by one small row,
//! then moved to their place a few at a time. A restore that is cut off before that row leaves nothing; one that is cut
//! off after it goes on at the next start.

use sqlx::{MySql, QueryBuilder};
use yadori_core::{Digest, StoredClip};

use crate::error::{Broken, CommitError, is_conflict};
use crate::store::Store;
use crate::write::commit::write_clips;
use crate::write::group::ROWS;
use crate::write::uses::write_uses;

impl Store {
    /// Receives some clips. Their contents must have been staged, and are needed from now on.
    ///
    /// # Errors
    /// Nothing of these is received then.
    pub async fn receive(&self, clips: &[StoredClip]) -> Result<(), CommitError> {
        let mut tx = self.pool.begin().await?;
        let received: Result<(), Broken> = async {
            for clips in clips.chunks(ROWS) {
                write_clips(&mut tx, "incoming", clips).await?;
            }
            let uses: Vec<([u8; 16], Digest)> =
                clips.iter().flat_map(|clip| clip.digests().map(|digest| (clip.id.0, digest))).collect();
            Ok(write_uses(&mut tx, &uses).await?)
        }
        .await;
        match received {
            Ok(()) => Ok(tx.commit().await?),
            Err(why) => {
                let _ = tx.rollback().await;
                Err(why.into())
            }
        }
    }

    /// Moves some of the clips that were received into the history, unless something newer is known of them there.
    /// True when all are moved.
    ///
    /// # Errors
    /// Nothing is moved then; it is to be called again.
    pub async fn settle_received(&self) -> Result<bool, CommitError> {
        let _alone = self.moving.lock().await;
        match self.move_some().await {
            // It was undone for the sake of another transaction.
            Err(why) if is_conflict(&why) => Ok(false),
            moved => Ok(moved?),
        }
    }

    async fn move_some(&self) -> Result<bool, sqlx::Error> {
        let mut tx = self.pool.begin().await?;
        let ids: Vec<Vec<u8>> =
            sqlx::query_scalar("SELECT id FROM incoming ORDER BY id LIMIT 1000").fetch_all(&mut *tx).await?;
        for ids in ids.chunks(ROWS) {
            for start in [
                "INSERT IGNORE INTO clips (id, state, facts, ordered_at, ordered) \
                 SELECT id, state, facts, ordered_at, 1 FROM incoming WHERE id IN (",
                "DELETE FROM incoming WHERE id IN (",
            ] {
                listed(start, ids).build().execute(&mut *tx).await?;
            }
        }
        if ids.is_empty() {
            sqlx::query("UPDATE service SET restoring = 0 WHERE one = 1").execute(&mut *tx).await?;
        }
        tx.commit().await?;
        if ids.is_empty() {
            // A new file: in the old one is still what has moved.
            sqlx::query("TRUNCATE TABLE incoming").execute(&self.pool).await?;
        }
        Ok(ids.is_empty())
    }

    /// True when clips were received whole and are still to be moved.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn has_received(&self) -> Result<bool, CommitError> {
        Ok(sqlx::query_scalar("SELECT restoring FROM service WHERE one = 1").fetch_one(&self.pool).await?)
    }

    /// Lets go of clips of a restore that was cut off. Their contents are needed by nobody then.
    ///
    /// # Errors
    /// While the database does not answer; it is to be called again.
    pub async fn drop_received(&self) -> Result<(), CommitError> {
        loop {
            let ids: Vec<Vec<u8>> = sqlx::query_scalar("SELECT id FROM incoming ORDER BY id LIMIT 200")
                .fetch_all(&self.pool)
                .await?;
            if ids.is_empty() {
                sqlx::query("TRUNCATE TABLE incoming").execute(&self.pool).await?;
                return Ok(());
            }
            let mut tx = self.pool.begin().await?;
            // A clip that was copied meanwhile keeps what it needs.
            for (start, end) in [
                ("DELETE FROM uses WHERE holder IN (", " AND holder NOT IN (SELECT id FROM clips)"),
                ("UPDATE incoming SET state = REPEAT('\\0', LENGTH(state)), facts = NULL WHERE id IN (", ""),
                ("DELETE FROM incoming WHERE id IN (", ""),
            ] {
                let mut sql = listed(start, &ids);
                sql.push(end);
                sql.build().execute(&mut *tx).await?;
            }
            tx.commit().await?;
        }
    }
}

fn listed(start: &'static str, ids: &[Vec<u8>]) -> QueryBuilder<MySql> {
    let mut sql = QueryBuilder::new(start);
    let mut list = sql.separated(", ");
    ids.iter().for_each(|id| {
        list.push_bind(id.clone());
    });
    sql.push(")");
    sql
}
