//! What keeps the records in order: the ends of grace periods, drafts, contents that nobody needs.

use std::collections::HashSet;

use yadori_core::acts::ActRecord;
use yadori_core::{ClipId, Digest};
use yadori_store::{CommitError, DraftRow, ForgettingAct, Group, SignInChange, Store};

use crate::state::clock::now;
use crate::writer::commit::NotCommitted;
use crate::writer::error::WriteError;
use crate::writer::worker::Writer;

/// Acts that end in one change: what waits behind them does not wait long.
const AT_ONCE: usize = 32;

impl Writer {
    /// Ends grace periods: what only they held leaves tables and memory, also out of the records of other acts. A few at
    /// a time; what is left is due at once.
    pub(super) async fn sweep(&mut self) {
        self.begin_ends(false);
        let Some(store) = self.store.clone() else { return };
        let ending = {
            let history = self.app.clips.history();
            self.log.ending(self.steady.now(), AT_ONCE, |id| history.has(id))
        };
        if ending.acts.is_empty() {
            return;
        }
        let gone: HashSet<ClipId> = ending.clips.iter().copied().collect();
        let mut group = Group { now: now(), ended: ending.acts, ..Group::default() };
        if self.forgetting(&store, &mut group, ending.forgetting, &gone).await.is_err() {
            return;
        }
        group.drafts = ending.clips.into_iter().map(|clip| DraftRow { clip, text: None }).collect();
        match self.commit(&group).await {
            Ok(()) => {
                self.have_forgotten(&group, &gone);
                self.let_go_of_buffers();
                tracing::info!("{} acts can't be taken back any more", group.ended.len());
            }
            Err(NotCommitted::Not(why)) => self.fall_back(&why),
            Err(NotCommitted::NotKnown) => {}
        }
    }

    /// Acts that go on lose what they know of clips that are gone for good.
    pub(super) async fn forgetting(
        &mut self,
        store: &Store,
        group: &mut Group,
        acts: Vec<[u8; 16]>,
        gone: &HashSet<ClipId>,
    ) -> Result<(), WriteError> {
        for id in acts {
            let payload = match store.act_payload(id).await {
                Ok(payload) => payload,
                Err(why) => {
                    self.fall_back(&CommitError::Away(why.to_string()));
                    return Err(self.unavailable());
                }
            };
            let Some(mut record) = payload.and_then(|payload| ActRecord::from_bytes(&payload)) else {
                // What can't be read can't be taken back either.
                group.ended.push(id);
                continue;
            };
            record.clips.retain(|one| !gone.contains(&one.id));
            let whole = self.log.iter().any(|act| act.id == id && act.kind.exchanges());
            match record.to_bytes() {
                Ok(payload) if !whole && !record.is_empty() => {
                    group.forgetting.push(ForgettingAct { id, payload, clips: record.ids() });
                }
                _ => group.ended.push(id),
            }
        }
        Ok(())
    }

    /// The log follows what [`Writer::forgetting`] has prepared, once it is committed.
    pub(super) fn have_forgotten(&mut self, group: &Group, gone: &HashSet<ClipId>) {
        for act in &group.forgetting {
            self.log.forget(act.id, gone);
        }
        self.log.end(&group.ended);
        self.app.clips.forgotten(gone);
    }

    /// Keeps what is typed in an editor, or lets go of it.
    pub(super) async fn draft(&mut self, clip: ClipId, text: Option<String>) -> Result<(), WriteError> {
        self.writable()?;
        let group = Group { drafts: vec![DraftRow { clip, text }], now: now(), ..Group::default() };
        self.commit_act(&group).await
    }

    /// Records what has become of sign-ins.
    pub(super) async fn sign_ins(&mut self, sign_ins: Vec<SignInChange>) -> Result<(), WriteError> {
        self.writable()?;
        let group = Group { sign_ins, now: now(), ..Group::default() };
        self.commit_act(&group).await
    }

    /// Wipes contents that nobody needs. Whether that is so is found out in the transaction that deletes them.
    pub(super) async fn collect(&mut self, unneeded: Vec<Digest>) -> Result<(), WriteError> {
        self.writable()?;
        let group = Group { unneeded, now: now(), ..Group::default() };
        self.commit_act(&group).await
    }
}
