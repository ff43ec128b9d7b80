//! Batches: what is recorded of them, how far they were handed out, and the copies that join one.

use yadori_core::acts::ActError;
use yadori_core::acts::plan::{BatchPlan, ClipPlan};
use yadori_core::batch::batch::MOST_ITEMS;
use yadori_core::batch::{Batch, Piece};
use yadori_core::{BatchId, Digest, StoredClip};
use yadori_store::{BatchChange, Group};

use crate::state::clock::now;
use crate::state::events::Happening;
use crate::writer::change::Handed;
use crate::writer::commit::NotCommitted;
use crate::writer::error::WriteError;
use crate::writer::mode::Mode;
use crate::writer::worker::Writer;

/// Contents that clips and batches no longer need, with the ids of those that held them.
pub(super) fn dropped(clips: &[ClipPlan], batches: &[BatchPlan]) -> Vec<([u8; 16], Digest)> {
    let of_clips = clips.iter().flat_map(ClipPlan::dropped).map(|(id, digest)| (id.0, digest));
    let of_batches =
        batches.iter().flat_map(|one| one.dropped().into_iter().map(|digest| (one.id.0, digest)));
    of_clips.chain(of_batches).collect()
}

/// What is recorded of a batch that changes.
pub(super) fn recorded(plan: &BatchPlan) -> BatchChange {
    let Some(batch) = &plan.after else { return BatchChange::End(plan.id) };
    let (comes, goes) = plan.comes_and_goes();
    let goes = goes.iter().map(|item| item.id).collect();
    BatchChange::Put { batch: Box::new(batch.clone()), comes, goes }
}

impl Writer {
    /// Batches follow what was committed, and everybody is told.
    pub(super) fn apply_batches(&self, plans: Vec<BatchPlan>) {
        if plans.is_empty() {
            return;
        }
        let ids = plans.iter().map(|one| one.id).collect();
        for one in plans {
            self.app.clips.settle_batch(one.id, one.after);
        }
        self.app.events.send(Happening::Batches(ids));
        self.app.health.touch();
    }

    /// How far a batch was handed out, in memory.
    pub(super) fn go_on(&self, id: BatchId, handed: Handed) -> Result<Batch, WriteError> {
        let (known, newest) = {
            let history = self.app.clips.history();
            let newest = history.batches().in_hand().map_or(0, |one| one.used_at);
            (history.batches().get(id).map(|batch| Batch::clone(batch)), newest)
        };
        let mut batch = known.ok_or(WriteError::Act(ActError::NoBatch))?;
        let place = |item: u32| batch.items.iter().position(|one| one.id == item);
        batch.next = match handed {
            Handed::Past(item) => place(item).map_or(batch.next, |at| at + 1),
            Handed::At(item) => place(item).ok_or(WriteError::Act(ActError::NoItems))?,
            Handed::All => batch.items.len(),
            Handed::Same => batch.next,
        };
        if batch.used_at < newest {
            batch.used_at = now().max(newest.saturating_add(1));
        }
        self.app.clips.settle_batch(id, Some(batch.clone()));
        self.app.events.send(Happening::Batches(vec![id]));
        self.app.health.touch();
        Ok(batch)
    }

    /// Something of a batch was handed out: that is so whether it can be recorded now or not.
    pub(super) async fn handed(&mut self, id: BatchId, handed: Handed) -> Result<(), WriteError> {
        self.go_on(id, handed)?;
        self.handed.insert(id);
        if self.mode == Mode::Ready {
            self.record_handed().await;
        }
        Ok(())
    }

    /// Records how far batches were handed out.
    pub(super) async fn record_handed(&mut self) {
        let batches: Vec<BatchChange> = {
            let history = self.app.clips.history();
            let known = self.handed.iter().filter_map(|id| history.batches().get(*id));
            known
                .map(|one| BatchChange::Handed { id: one.id, next: one.next, used_at: one.used_at })
                .collect()
        };
        if batches.is_empty() {
            return;
        }
        let group = Group { batches, now: now(), ..Group::default() };
        match self.commit(&group).await {
            Ok(()) => self.handed.clear(),
            Err(NotCommitted::Not(why)) => self.fall_back(&why),
            Err(NotCommitted::NotKnown) => {}
        }
    }

    /// A copy joins the batch that is gathering, if one is.
    pub(super) fn joins(&self, clip: &StoredClip, planned: &mut Option<BatchPlan>) {
        let plan = match planned {
            Some(plan) => plan,
            None => {
                let gathering = self.app.clips.history().batches().gathering().cloned();
                let Some(before) = gathering else { return };
                let after = Some(Batch::clone(&before));
                planned.insert(BatchPlan { id: before.id, before: Some(before), after })
            }
        };
        let Some(batch) = plan.after.as_mut().filter(|batch| batch.state.gathering) else { return };
        let (Some(offer), Some(facts)) = (clip.state.offer(), &clip.facts) else { return };
        let piece =
            Piece { record: 0, label: None, from: Some(clip.id), offer: offer.clone(), facts: facts.clone() };
        batch.add(vec![piece], None);
        // There is no room for more: gathering ends.
        batch.state.gathering = batch.items.len() < MOST_ITEMS;
    }
}
