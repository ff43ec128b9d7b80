//! Batches and intake rules as devices share them: what was done here is stamped and noted to be sent, what has come is merged.

use std::collections::HashMap;

use yadori_core::acts::Moment;
use yadori_core::acts::plan::BatchPlan;
use yadori_core::batch::shared::{Changed, ItemKey, SharedBatch};
use yadori_core::batch::{Batch, Piece};
use yadori_core::intake::rule::Rule;
use yadori_core::intake::shared::SharedRules;
use yadori_core::{BatchId, HybridClock};
use yadori_store::{BATCH, Group, ITEM, RULES, ReadError, SharedChange, Store, Subject};
use yadori_sync::body::item_id;

use crate::home::random::random;
use crate::state::clock::now;
use crate::writer::error::WriteError;
use crate::writer::received::Received;
use crate::writer::worker::Writer;

fn subjects(id: BatchId, changed: &Changed) -> Vec<Subject> {
    let head = changed.head.then(|| (BATCH.to_owned(), id.0.to_vec()));
    let items = changed.items.iter().map(|key| (ITEM.to_owned(), item_id(id, *key)));
    head.into_iter().chain(items).collect()
}

fn change(id: BatchId, shared: &SharedBatch, items: &[ItemKey]) -> SharedChange {
    let items = items.iter().filter_map(|key| Some((*key, shared.items.get(key)?.clone())));
    SharedChange { id, head: shared.head.clone(), items: items.collect() }
}

fn noted(
    shared: &mut SharedBatch,
    batch: Option<&Batch>,
    clock: &mut HybridClock,
) -> Result<Changed, WriteError> {
    let key = || random().map(ItemKey).map_err(|_| WriteError::NoRandomness);
    let mut moment = Moment { now: now(), clock };
    shared.note(batch, key, |subject| moment.stamp(subject))
}

impl Writer {
    fn records(&self) -> Result<Store, WriteError> {
        self.store.clone().ok_or_else(|| self.unavailable())
    }

    fn not_read(&self, why: &ReadError) -> WriteError {
        match why {
            ReadError::Damaged(_) => WriteError::DamagedRecord,
            ReadError::Away(_) => self.unavailable(),
        }
    }

    /// Stamps what was made of a batch here since it was last looked at, and notes it to be sent.
    pub(super) async fn share(&mut self, id: BatchId) -> Result<(), WriteError> {
        self.writable()?;
        let read = self.records()?.shared_batch(id).await;
        let mut shared = read.map_err(|why| self.not_read(&why))?;
        let batch = self.app.clips.history().batches().get(id).cloned();
        let changed = noted(&mut shared, batch.as_deref(), &mut self.clock)?;
        if changed.is_empty() {
            return Ok(());
        }
        let group = Group {
            now: now(),
            clock: self.clock.last(),
            to_send: subjects(id, &changed),
            shared: vec![change(id, &shared, &changed.items)],
            ..Group::default()
        };
        self.commit_act(&group).await
    }

    /// Stamps what was made of the intake rules here since they were last compared, and notes it to be sent. Gives the list
    /// that devices agree on. `agreed`: `rules` are what they agree on, and nothing was made of them here.
    pub(super) async fn share_rules(
        &mut self,
        rules: &[Rule],
        agreed: bool,
    ) -> Result<Vec<Rule>, WriteError> {
        self.writable()?;
        let read = self.records()?.shared_rules().await;
        let (mut shared, compared) = read.map_err(|why| self.not_read(&why))?.unwrap_or_default();
        let mut moment = Moment { now: now(), clock: &mut self.clock };
        let changed = !agreed && shared.note(&compared, rules, |subject| moment.stamp(subject));
        if changed || compared != rules {
            let group = Group {
                now: now(),
                clock: self.clock.last(),
                to_send: if changed { vec![(RULES.to_owned(), Vec::new())] } else { Vec::new() },
                rules: Some((shared.clone(), rules.to_vec())),
                ..Group::default()
            };
            self.commit_act(&group).await?;
        }
        Ok(shared.listed())
    }

    /// What becomes of batches with what has come of them; what was made of them here is stamped before.
    pub(super) async fn merged_batches(
        &mut self,
        received: &mut Received,
        group: &mut Group,
    ) -> Result<Vec<BatchPlan>, WriteError> {
        let mut touched: Vec<BatchId> = received.batches.iter().map(|(id, _)| *id).collect();
        touched.extend(received.items.iter().map(|(id, ..)| *id));
        touched.sort_unstable();
        touched.dedup();
        let mut plans = Vec::new();
        for id in touched {
            let read = self.records()?.shared_batch(id).await;
            let mut shared = read.map_err(|why| self.not_read(&why))?;
            let (before, in_hand) = {
                let history = self.app.clips.history();
                (history.batches().get(id).cloned(), history.batches().in_hand().cloned())
            };
            let own = noted(&mut shared, before.as_deref(), &mut self.clock)?;
            group.to_send.extend(subjects(id, &own));
            let mut came = own.items;
            for (_, head) in received.batches.iter().filter(|(of, _)| *of == id) {
                shared.merge_head(head);
                group.known.push((BATCH.to_owned(), id.0.to_vec()));
            }
            let mut pieces: HashMap<ItemKey, Piece> = HashMap::new();
            for (_, key, said) in received.items.iter_mut().filter(|(of, ..)| *of == id) {
                group.known.push((ITEM.to_owned(), item_id(id, *key)));
                if !shared.merge_item(*key, said) {
                    continue;
                }
                came.push(*key);
                match said.piece.take() {
                    Some(piece) => drop(pieces.insert(*key, piece)),
                    None => drop(pieces.remove(key)),
                }
            }
            let in_hand = in_hand.as_deref();
            let after = shared.shown(id, before.as_deref(), &pieces, in_hand);
            group.shared.push(change(id, &shared, &came));
            if before.as_deref() != after.as_ref() {
                plans.push(BatchPlan { id, before, after });
            }
        }
        Ok(plans)
    }

    /// What becomes of the intake rules with what has come of them. They are put into force by who holds the settings.
    pub(super) async fn merged_rules(
        &mut self,
        theirs: &[SharedRules],
        group: &mut Group,
    ) -> Result<(), WriteError> {
        if theirs.is_empty() {
            return Ok(());
        }
        let read = self.records()?.shared_rules().await;
        let (mut shared, compared) = read.map_err(|why| self.not_read(&why))?.unwrap_or_default();
        theirs.iter().for_each(|one| shared.merge(one));
        group.rules = Some((shared, compared));
        group.known.push((RULES.to_owned(), Vec::new()));
        Ok(())
    }
}
