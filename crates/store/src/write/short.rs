//! A copy is a short change, and there are many: all of it goes to the server in one trip, as a compound statement
//! (MariaDB, `BEGIN NOT ATOMIC`), instead of one trip for each of its statements. What it does is the same.

use std::sync::atomic::Ordering;

use sqlx::{Connection as _, MySql, QueryBuilder};

use crate::error::Broken;
use crate::store::Store;
use crate::write::commit::{push_clips, uses_of};
use crate::write::contents::{push_contents, push_first_chunks};
use crate::write::group::Group;
use crate::write::uses::push_uses;

/// Contents and clips of a group that is short. Each number of them is a statement that the server prepares anew.
const FEW: usize = 4;

impl Store {
    /// Nothing but a few clips and what they hold.
    pub(crate) fn is_short(&self, group: &Group) -> bool {
        let Group {
            contents,
            clips,
            staged,
            dropped,
            batches,
            shared,
            rules,
            to_send,
            known,
            acts,
            stepped,
            forgetting,
            drawers,
            drafts,
            sign_ins,
            ended,
            brought,
            brought_ended,
            portions,
            portions_done,
            parts,
            parts_back,
            parts_ended,
            going,
            evicted,
            unneeded,
            refusals,
            restored,
            exchange,
            here_only: _,
            clock: _,
            now: _,
        } = group;
        let clips_alone = staged.is_empty()
            && dropped.is_empty()
            && batches.is_empty()
            && shared.is_empty()
            && rules.is_none()
            && to_send.is_empty()
            && known.is_empty()
            && acts.is_empty()
            && stepped.is_empty()
            && forgetting.is_empty()
            && drawers.is_empty()
            && drafts.is_empty()
            && sign_ins.is_empty()
            && ended.is_empty();
        let nothing_goes = brought.is_empty()
            && brought_ended.is_empty()
            && portions.is_empty()
            && portions_done.is_empty()
            && parts.is_empty()
            && parts_back.is_empty()
            && parts_ended.is_empty()
            && going.is_empty()
            && evicted.is_empty()
            && unneeded.is_empty()
            && refusals.is_empty();
        let few = (1..=FEW).contains(&clips.len()) && contents.len() <= FEW;
        few && clips_alone
            && nothing_goes
            && !restored
            && exchange.is_none()
            && !self.exchanges.load(Ordering::SeqCst)
    }

    /// Commits a short group that follows the group `last`. False where the server would not: nothing of it is done then,
    /// and it says why as it is told step by step.
    pub(crate) async fn in_one_trip(
        &self,
        id: [u8; 16],
        last: [u8; 16],
        group: &Group,
    ) -> Result<bool, Broken> {
        let mut sql = QueryBuilder::<MySql>::new(
            "BEGIN NOT ATOMIC \
             DECLARE EXIT HANDLER FOR SQLEXCEPTION BEGIN ROLLBACK; RESIGNAL; END; \
             START TRANSACTION; ",
        );
        self.lease.push_check(&mut sql, group.clock, id, last);
        sql.push("; IF ROW_COUNT() <> 1 THEN SIGNAL SQLSTATE '45000'; END IF; ");
        if !group.contents.is_empty() {
            push_contents(&mut sql, &group.contents, group.now);
            sql.push("; ");
            push_first_chunks(&mut sql, &group.contents);
            sql.push("; ");
        }
        push_clips(&mut sql, "clips", &group.clips)?;
        sql.push("; ");
        let uses: Vec<_> = uses_of(&group.clips).collect();
        if !uses.is_empty() {
            push_uses(&mut sql, &uses);
            sql.push("; ");
        }
        sql.push("COMMIT; END");
        let mut line = self.own.take().await?;
        match tokio::time::timeout(group.limit(), sql.build().execute(&mut line.connection)).await {
            Ok(Ok(_)) => {
                self.own.give_back(line).await;
                Ok(true)
            }
            // Whatever it was in the middle of ends with its connection.
            Ok(Err(sqlx::Error::Database(_))) => {
                tracing::debug!("a copy was refused in one trip, and is told step by step");
                let _ = line.connection.close_hard().await;
                Ok(false)
            }
            Ok(Err(_)) | Err(_) => {
                let _ = line.connection.close_hard().await;
                Err(Broken::Unanswered)
            }
        }
    }
}
