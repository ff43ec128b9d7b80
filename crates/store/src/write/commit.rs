//! One transaction per group of changes: all of it, or nothing. Each group has an id, which the transaction writes, so
//! that after a lost answer it can be found out whether the group was committed.

use std::sync::atomic::Ordering;
use std::time::Duration;

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{Digest, StoredClip};

use crate::error::{Broken, CommitError, is_conflict};
use crate::rows::{BatchChange, RefusalRow};
use crate::store::Store;
use crate::write::acts;
use crate::write::batches;
use crate::write::brought;
use crate::write::claims::Claim;
use crate::write::clearings;
use crate::write::contents::{chunks_of, insert_small, wipe_unused};
use crate::write::drafts;
use crate::write::group::{Group, LIMIT, ROWS};
use crate::write::shared;
use crate::write::sign_ins;
use crate::write::uses::{delete_uses, write_uses};
use crate::write::{exchange, outbox};

/// How often a transaction that lost against another is run again.
const ATTEMPTS: u32 = 6;
/// Refusals that are kept.
const REFUSALS: i64 = 200;

impl Store {
    /// Commits a group under an id of 16 random bytes. When this returns `Ok`, the group is on disk.
    ///
    /// # Errors
    /// [`CommitError::Unknown`] says that it may be on disk or not: [`Store::outcome`] finds out. Every other error says
    /// that nothing of it is.
    pub async fn commit(&self, id: [u8; 16], group: &Group) -> Result<(), CommitError> {
        let mut attempt = 0;
        loop {
            attempt += 1;
            match self.attempt(id, group).await {
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

    async fn attempt(&self, id: [u8; 16], group: &Group) -> Result<(), Broken> {
        // Of one that breaks off nobody knows whether it was the last.
        let last = self.last().take();
        let done = match last {
            Some(last) if self.is_short(group) => self.in_one_trip(id, last, group).await?,
            _ => false,
        };
        if !done {
            self.step_by_step(id, group).await?;
        }
        *self.last() = Some(id);
        Ok(())
    }

    async fn step_by_step(&self, id: [u8; 16], group: &Group) -> Result<(), Broken> {
        // What is to be wiped stays claimed until the transaction has ended.
        let mut wiping = Vec::new();
        let written = tokio::time::timeout(group.limit(), async {
            let mut tx = self.pool.begin().await?;
            // A commit after a deadlock says OK although nothing is left of the transaction: always roll back.
            match self.write(&mut tx, id, group, &mut wiping).await {
                Ok(()) => Ok(tx),
                Err(why) => {
                    let _ = tx.rollback().await;
                    Err(why)
                }
            }
        });
        // Until COMMIT is sent, a lost connection or a lost patience means that nothing was done.
        let tx = written.await.unwrap_or(Err(Broken::Slow))?;
        match tokio::time::timeout(LIMIT, tx.commit()).await {
            Ok(Ok(())) => Ok(()),
            Ok(Err(why @ sqlx::Error::Database(_))) => Err(Broken::Server(why)),
            Ok(Err(_)) | Err(_) => Err(Broken::Unanswered),
        }
    }

    /// Whether the group with this id was committed, asked after [`CommitError::Unknown`] and before anything else is
    /// committed. Waits for a transaction that is still on its way.
    ///
    /// # Errors
    /// While the database does not answer; it is to be asked again.
    pub async fn outcome(&self, id: [u8; 16]) -> Result<bool, CommitError> {
        let asked = async {
            let mut tx = self.pool.begin().await?;
            // The transaction in question holds this row until it has ended.
            let last: Option<Vec<u8>> =
                sqlx::query_scalar("SELECT last_group FROM service WHERE one = 1 FOR UPDATE")
                    .fetch_one(&mut *tx)
                    .await?;
            tx.rollback().await?;
            Ok::<_, sqlx::Error>(last.and_then(|last| last.try_into().ok()))
        };
        match tokio::time::timeout(LIMIT, asked).await {
            Ok(Ok(last)) => {
                *self.last() = last;
                Ok(last == Some(id))
            }
            Ok(Err(why)) => Err(why.into()),
            Err(_) => Err(CommitError::Away("no answer in time".into())),
        }
    }

    async fn write(
        &self,
        tx: &mut MySqlConnection,
        id: [u8; 16],
        group: &Group,
        wiping: &mut Vec<Claim>,
    ) -> Result<(), Broken> {
        self.lease.check(tx, group.clock, Some(id)).await?;
        insert_small(tx, &group.contents, group.now).await?;
        require_staged(tx, &group.staged).await?;
        for clips in group.clips.chunks(ROWS) {
            write_clips(tx, "clips", clips).await?;
        }
        let uses: Vec<([u8; 16], Digest)> = uses_of(&group.clips)
            .chain(group.batches.iter().flat_map(|change| match change {
                BatchChange::Put { batch, comes, .. } => {
                    let holder = batch.id.0;
                    comes.iter().flat_map(|item| item.digests()).map(|digest| (holder, digest)).collect()
                }
                BatchChange::Handed { .. } | BatchChange::End(_) => Vec::new(),
            }))
            .chain(group.acts.iter().flat_map(|act| act.holds.iter().map(|digest| (act.id, *digest))))
            .chain(group.parts.iter().flat_map(|part| part.holds.iter().map(|digest| (part.act, *digest))))
            .collect();
        write_uses(tx, &uses).await?;
        acts::write(tx, group).await?;
        brought::write(tx, group).await?;
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
        for change in &group.batches {
            batches::write(tx, change).await?;
        }
        for change in &group.shared {
            shared::write(tx, change).await?;
        }
        if let Some((rules, compared)) = &group.rules {
            shared::write_rules(tx, rules, compared).await?;
        }
        for draft in &group.drafts {
            drafts::write(tx, draft, group.now).await?;
        }
        for change in &group.sign_ins {
            sign_ins::write(tx, change).await?;
        }
        let mut freed: Vec<Digest> = group.unneeded.clone();
        freed.extend(clearings::write(tx, group).await?);
        for dropped in group.dropped.chunks(ROWS) {
            delete_uses(tx, dropped.iter().map(|(holder, digest)| (&holder[..], *digest))).await?;
            freed.extend(dropped.iter().map(|(_, digest)| *digest));
        }
        freed.extend(acts::end(tx, &group.ended).await?);
        for freed in freed.chunks(ROWS) {
            let claim = self.claims.wipe(freed.iter().copied());
            wipe_unused(tx, claim.digests()).await?;
            wiping.push(claim);
        }
        write_refusals(tx, &group.refusals).await?;
        match &group.exchange {
            Some(row) => {
                exchange::write(tx, row).await?;
                outbox::note_received(tx, group).await?;
            }
            None if group.here_only || !self.exchanges.load(Ordering::SeqCst) => {}
            None => outbox::note(tx, group).await?,
        }
        if self.exchanges.load(Ordering::SeqCst) {
            outbox::note_subjects(tx, group).await?;
        }
        if group.restored {
            sqlx::query("UPDATE service SET restoring = 1 WHERE one = 1").execute(&mut *tx).await?;
        }
        Ok(())
    }
}

/// What these clips need.
pub(crate) fn uses_of(clips: &[StoredClip]) -> impl Iterator<Item = ([u8; 16], Digest)> {
    clips.iter().flat_map(|clip| clip.digests().map(|digest| (clip.id.0, digest)))
}

/// Writes clips whole, replacing what was there.
pub(crate) async fn write_clips(
    tx: &mut MySqlConnection,
    table: &'static str,
    clips: &[StoredClip],
) -> Result<(), Broken> {
    let mut sql = QueryBuilder::<MySql>::new("");
    push_clips(&mut sql, table, clips)?;
    sql.build().execute(tx).await?;
    Ok(())
}

/// The statement that writes them.
pub(crate) fn push_clips(
    sql: &mut QueryBuilder<MySql>,
    table: &'static str,
    clips: &[StoredClip],
) -> Result<(), sqlx::Error> {
    let json = |value: serde_json::Result<Vec<u8>>| value.map_err(|why| sqlx::Error::Encode(why.into()));
    let mut rows = Vec::with_capacity(clips.len());
    for clip in clips {
        let facts = clip.facts.as_ref().map(|facts| json(serde_json::to_vec(facts))).transpose()?;
        rows.push((clip.id.0, json(serde_json::to_vec(&clip.state))?, facts, clip.ordered_at));
    }
    let arriving = table == "incoming";
    sql.push(if arriving {
        "INSERT INTO incoming (id, state, facts, ordered_at) "
    } else {
        "INSERT INTO clips (id, state, facts, ordered_at, ordered) "
    });
    sql.push_values(rows, |mut row, (id, state, facts, ordered_at)| {
        row.push_bind(id.to_vec()).push_bind(state).push_bind(facts).push_bind(ordered_at);
        if !arriving {
            row.push_bind(true);
        }
    });
    sql.push(
        " ON DUPLICATE KEY UPDATE state = VALUES(state), facts = VALUES(facts), ordered_at = VALUES(ordered_at)",
    );
    Ok(())
}

async fn write_refusals(tx: &mut MySqlConnection, refusals: &[RefusalRow]) -> Result<(), sqlx::Error> {
    for refusal in refusals {
        sqlx::query("INSERT INTO refusals (at, reason, size, program) VALUES (?, ?, ?, ?)")
            .bind(refusal.at)
            .bind(refusal.reason.word().as_bytes())
            .bind(refusal.size.map(|size| i64::try_from(size).unwrap_or(i64::MAX)))
            .bind(refusal.program.as_ref().map(String::as_bytes))
            .execute(&mut *tx)
            .await?;
    }
    if !refusals.is_empty() {
        sqlx::query(
            "DELETE FROM refusals WHERE at < \
             (SELECT at FROM (SELECT at FROM refusals ORDER BY at DESC LIMIT 1 OFFSET ?) oldest)",
        )
        .bind(REFUSALS)
        .execute(&mut *tx)
        .await?;
    }
    Ok(())
}

async fn require_staged(tx: &mut MySqlConnection, staged: &[Digest]) -> Result<(), Broken> {
    for some in staged.chunks(ROWS) {
        let mut sql = QueryBuilder::<MySql>::new(
            "SELECT c.size, (SELECT COUNT(*) FROM chunks k WHERE k.digest = c.digest) FROM contents c WHERE c.digest IN (",
        );
        let mut list = sql.separated(", ");
        some.iter().for_each(|digest| {
            list.push_bind(&digest.0[..]);
        });
        sql.push(") LOCK IN SHARE MODE");
        let found: Vec<(i64, i64)> = sql.build_query_as().fetch_all(&mut *tx).await?;
        let whole = found
            .iter()
            .filter(|(size, chunks)| *chunks == chunks_of(usize::try_from(*size).unwrap_or(usize::MAX)))
            .count();
        let mut distinct = some.to_vec();
        distinct.sort_unstable();
        distinct.dedup();
        if whole != distinct.len() {
            return Err(Broken::NotStaged);
        }
    }
    Ok(())
}
