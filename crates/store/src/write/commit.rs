//! One transaction per group of changes: all of it, or nothing.

use std::time::Duration;

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{ClipId, Content, Digest, Drawer, Micros, Stamp};

use super::claims::Claim;
use super::contents::{chunks_of, insert_small};
use super::drafts;
use super::lease::Broken;
use crate::error::is_conflict;
use crate::{ActRow, ClipRow, CommitError, RefusalRow, Store, TurnedAct};

/// How often a transaction that lost against another is run again.
const ATTEMPTS: u32 = 6;
/// Rows per statement.
const ROWS: usize = 200;

/// Changes that are committed together.
#[derive(Clone, Debug, Default)]
pub struct Group {
    /// Contents of up to one chunk, stored in this transaction.
    pub contents: Vec<(Digest, Content)>,
    /// Contents that were staged before and must be there.
    pub staged: Vec<Digest>,
    /// Clips to write whole.
    pub clips: Vec<ClipRow>,
    /// Contents that a clip (by its id) no longer needs.
    pub dropped: Vec<([u8; 16], Digest)>,
    /// Acts to write.
    pub acts: Vec<ActRow>,
    /// Acts that were taken back or made again. They hold their contents until they end.
    pub turned: Vec<TurnedAct>,
    /// Drawers to write whole.
    pub drawers: Vec<Drawer>,
    /// Clips whose drafts go.
    pub drafts: Vec<ClipId>,
    /// Acts whose grace period has ended: they are deleted, and the contents only they held are wiped.
    pub ended: Vec<[u8; 16]>,
    /// Contents that are wiped if nobody needs them.
    pub unneeded: Vec<Digest>,
    /// Copies that were not kept.
    pub refusals: Vec<RefusalRow>,
    /// The clock after these changes.
    pub clock: Option<Stamp>,
    /// The time of the commit.
    pub now: Micros,
}

impl Store {
    /// Commits a group. When this returns `Ok`, the group is on disk.
    pub async fn commit(&self, group: &Group) -> Result<(), CommitError> {
        let mut attempt = 0;
        loop {
            attempt += 1;
            match self.attempt(group).await {
                Ok(()) => return Ok(()),
                Err(Broken::Server(why)) if is_conflict(&why) && attempt < ATTEMPTS => {
                    let mut jitter = [0u8; 1];
                    let _ = getrandom::fill(&mut jitter);
                    tokio::time::sleep(Duration::from_millis(
                        u64::from(attempt * 5) + u64::from(jitter[0] % 10),
                    ))
                    .await;
                }
                Err(why) => return Err(why.into()),
            }
        }
    }

    async fn attempt(&self, group: &Group) -> Result<(), Broken> {
        let mut tx = self.pool.begin().await?;
        // What is to be wiped stays claimed until the transaction has ended.
        let mut wiping = Vec::new();
        let written = self.write(&mut tx, group, &mut wiping).await;
        // A commit after a deadlock says OK although nothing is left of the transaction: always roll back.
        match written {
            Ok(()) => Ok(tx.commit().await?),
            Err(why) => {
                let _ = tx.rollback().await;
                Err(why)
            }
        }
    }

    async fn write(
        &self,
        tx: &mut MySqlConnection,
        group: &Group,
        wiping: &mut Vec<Claim>,
    ) -> Result<(), Broken> {
        self.lease.check(tx, group.clock).await?;
        insert_small(tx, &group.contents, group.now).await?;
        require_staged(tx, &group.staged).await?;
        for clips in group.clips.chunks(ROWS) {
            write_clips(tx, clips).await?;
        }
        let uses: Vec<_> = group
            .clips
            .iter()
            .flat_map(|clip| clip.digests().map(|digest| (clip.id.0, digest)))
            .chain(group.acts.iter().flat_map(|act| act.holds.iter().map(|digest| (act.id, *digest))))
            .collect();
        for uses in uses.chunks(ROWS) {
            let mut sql = QueryBuilder::<MySql>::new("INSERT IGNORE INTO uses (holder, digest) ");
            sql.push_values(uses, |mut row, (holder, digest)| {
                row.push_bind(&holder[..]).push_bind(&digest.0[..]);
            });
            sql.build().execute(&mut *tx).await?;
        }
        for act in &group.acts {
            sqlx::query(
                "INSERT INTO acts (id, at, kind, payload, undone_at, lasting, subject, clips) VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            )
            .bind(&act.id[..])
            .bind(act.at)
            .bind(act.kind.as_bytes())
            .bind(&act.payload)
            .bind(act.undone_at)
            .bind(act.lasting)
            .bind(act.subject.as_ref().map(String::as_bytes))
            .bind(act.clips)
            .execute(&mut *tx)
            .await?;
        }
        for act in &group.turned {
            // Overwritten first: what it knew may be shorter now.
            sqlx::query("UPDATE acts SET payload = REPEAT('\\0', LENGTH(payload)) WHERE id = ?")
                .bind(&act.id[..])
                .execute(&mut *tx)
                .await?;
            sqlx::query("UPDATE acts SET payload = ?, undone_at = ? WHERE id = ?")
                .bind(&act.payload)
                .bind(act.undone_at)
                .bind(&act.id[..])
                .execute(&mut *tx)
                .await?;
        }
        for drawer in &group.drawers {
            let state = serde_json::to_vec(&drawer.state).map_err(|why| sqlx::Error::Encode(why.into()))?;
            sqlx::query(
                "INSERT INTO drawers (id, state) VALUES (?, ?) ON DUPLICATE KEY UPDATE state = VALUES(state)",
            )
            .bind(drawer.id.as_bytes())
            .bind(state)
            .execute(&mut *tx)
            .await?;
        }
        for clip in &group.drafts {
            drafts::wipe(tx, *clip).await?;
        }
        let mut freed: Vec<Digest> = group.unneeded.clone();
        for dropped in group.dropped.chunks(ROWS) {
            let mut sql = QueryBuilder::<MySql>::new("DELETE FROM uses WHERE (holder, digest) IN ");
            sql.push_tuples(dropped, |mut row, (holder, digest)| {
                row.push_bind(&holder[..]).push_bind(&digest.0[..]);
            });
            sql.build().execute(&mut *tx).await?;
            freed.extend(dropped.iter().map(|(_, digest)| *digest));
        }
        for act in &group.ended {
            let held: Vec<Vec<u8>> = sqlx::query_scalar("SELECT digest FROM uses WHERE holder = ?")
                .bind(&act[..])
                .fetch_all(&mut *tx)
                .await?;
            freed.extend(held.iter().filter_map(|digest| Some(Digest(digest.as_slice().try_into().ok()?))));
            sqlx::query("DELETE FROM uses WHERE holder = ?").bind(&act[..]).execute(&mut *tx).await?;
            sqlx::query("UPDATE acts SET payload = REPEAT('\\0', LENGTH(payload)) WHERE id = ?")
                .bind(&act[..])
                .execute(&mut *tx)
                .await?;
            sqlx::query("DELETE FROM acts WHERE id = ?").bind(&act[..]).execute(&mut *tx).await?;
        }
        for freed in freed.chunks(ROWS) {
            let claim = self.claims.wipe(freed.iter().copied());
            wipe_unused(tx, claim.digests()).await?;
            wiping.push(claim);
        }
        for refusal in &group.refusals {
            sqlx::query("INSERT INTO refusals (at, reason, size, program) VALUES (?, ?, ?, ?)")
                .bind(refusal.at)
                .bind(refusal.reason.as_bytes())
                .bind(refusal.size.map(|size| i64::try_from(size).unwrap_or(i64::MAX)))
                .bind(refusal.program.as_ref().map(String::as_bytes))
                .execute(&mut *tx)
                .await?;
        }
        Ok(())
    }
}

async fn write_clips(tx: &mut MySqlConnection, clips: &[ClipRow]) -> Result<(), Broken> {
    let json = |value: serde_json::Result<Vec<u8>>| value.map_err(|why| sqlx::Error::Encode(why.into()));
    let mut rows = Vec::with_capacity(clips.len());
    for clip in clips {
        let facts = clip.facts.as_ref().map(|facts| json(serde_json::to_vec(facts))).transpose()?;
        rows.push((clip.id.0, json(serde_json::to_vec(&clip.state))?, facts, clip.received_at));
    }
    let mut sql = QueryBuilder::<MySql>::new("INSERT INTO clips (id, state, facts, received_at) ");
    sql.push_values(rows, |mut row, (id, state, facts, received_at)| {
        row.push_bind(id.to_vec()).push_bind(state).push_bind(facts).push_bind(received_at);
    });
    sql.push(
        " ON DUPLICATE KEY UPDATE state = VALUES(state), facts = VALUES(facts), received_at = VALUES(received_at)",
    );
    sql.build().execute(tx).await?;
    Ok(())
}

async fn require_staged(tx: &mut MySqlConnection, staged: &[Digest]) -> Result<(), Broken> {
    for digest in staged {
        let there: Option<i64> =
            sqlx::query_scalar("SELECT size FROM contents WHERE digest = ? LOCK IN SHARE MODE")
                .bind(&digest.0[..])
                .fetch_optional(&mut *tx)
                .await?;
        let Some(size) = there else { return Err(Broken::NotStaged) };
        let chunks: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM chunks WHERE digest = ?")
            .bind(&digest.0[..])
            .fetch_one(&mut *tx)
            .await?;
        if chunks != chunks_of(usize::try_from(size).unwrap_or(usize::MAX)) {
            // A damaged one is staged anew rather than trusted.
            return Err(Broken::NotStaged);
        }
    }
    Ok(())
}

/// Deletes those of the contents that nobody needs any more, overwriting them first.
async fn wipe_unused(tx: &mut MySqlConnection, freed: &[Digest]) -> Result<(), sqlx::Error> {
    if freed.is_empty() {
        return Ok(());
    }
    // Most of them are still needed, by an act or by another clip.
    let mut sql = QueryBuilder::<MySql>::new("SELECT DISTINCT digest FROM uses WHERE digest IN (");
    let mut list = sql.separated(", ");
    freed.iter().for_each(|digest| {
        list.push_bind(&digest.0[..]);
    });
    sql.push(") LOCK IN SHARE MODE");
    let needed: Vec<Vec<u8>> = sql.build_query_scalar().fetch_all(&mut *tx).await?;
    for digest in freed.iter().filter(|one| !needed.iter().any(|digest| *digest == one.0)) {
        let digest = &digest.0[..];
        sqlx::query("UPDATE chunks SET data = REPEAT('\\0', LENGTH(data)) WHERE digest = ?")
            .bind(digest)
            .execute(&mut *tx)
            .await?;
        sqlx::query("DELETE FROM chunks WHERE digest = ?").bind(digest).execute(&mut *tx).await?;
        sqlx::query("DELETE FROM contents WHERE digest = ?").bind(digest).execute(&mut *tx).await?;
    }
    Ok(())
}
