//! What is made of batches and intake rules here is noted to be sent, and rules that have come are put into force.

use std::collections::HashMap;

use tokio::sync::broadcast::error::RecvError;
use yadori_core::BatchId;
use yadori_core::batch::{Batch, BatchState};
use yadori_core::intake::rule::Rule;

use super::exchanger::{Current, Exchanger};
use super::trouble::Trouble;
use crate::home::settings::change;
use crate::state::clock::now;
use crate::state::events::Happening;
use crate::state::exchanging::RefusedRecord;

/// What of a batch is shared: how far it was handed out is not.
type Seen = HashMap<BatchId, (BatchState, Vec<u32>)>;

fn shape(batch: &Batch) -> (BatchState, Vec<u32>) {
    (batch.state.clone(), batch.order())
}

impl Exchanger {
    /// Notes what is made of batches and rules, for ever. What was made of them meanwhile is noted first.
    pub(super) async fn share(&self, current: &Current) -> Result<(), Trouble> {
        let mut live = self.app.events.listen(None).live;
        let mut seen = Seen::new();
        self.share_all(current, &mut seen).await?;
        loop {
            // Whoever changes the settings from here on is heard.
            let changed = self.app.changing();
            tokio::pin!(changed);
            self.share_rules().await?;
            current.store.travels(&self.app.settings().exchange.travels.to_string()).await?;
            self.app.exchange.is_due();
            loop {
                tokio::select! {
                    event = live.recv() => match event {
                        Ok((_, Happening::Batches(ids))) => self.share_some(&ids, &mut seen).await?,
                        Ok((_, Happening::Reset)) | Err(RecvError::Lagged(_)) => {
                            self.share_all(current, &mut seen).await?;
                        }
                        Ok(_) => {}
                        Err(RecvError::Closed) => return Ok(()),
                    },
                    () = &mut changed => break,
                    () = self.ruled.notified() => break,
                }
            }
        }
    }

    async fn share_all(&self, current: &Current, seen: &mut Seen) -> Result<(), Trouble> {
        seen.clear();
        let mut ids = current.store.shared_batches().await?;
        ids.extend(self.app.clips.history().batches().shown().into_iter().map(|one| one.id));
        ids.sort_unstable();
        ids.dedup();
        self.share_some(&ids, seen).await
    }

    async fn share_some(&self, ids: &[BatchId], seen: &mut Seen) -> Result<(), Trouble> {
        for id in ids {
            let shape = self.app.clips.history().batches().get(*id).map(|batch| shape(batch));
            if shape.is_some() && seen.get(id) == shape.as_ref() {
                continue;
            }
            self.queue.share(*id).await?;
            match shape {
                Some(shape) => drop(seen.insert(*id, shape)),
                None => drop(seen.remove(id)),
            }
        }
        Ok(())
    }

    /// Notes what was made of the rules here, and puts those in force that devices agree on.
    async fn share_rules(&self) -> Result<(), Trouble> {
        let _one_at_a_time = self.config.changing.lock().await;
        let own: Vec<Rule> = self.app.settings().keeping.rules.written().cloned().collect();
        let agreed = self.queue.share_rules(own.clone(), false).await?;
        if agreed == own {
            return Ok(());
        }
        let (path, list) = (self.config.path.clone(), agreed.clone());
        let put = tokio::task::spawn_blocking(move || {
            let rules = change::named("rules")?;
            let list = serde_json::to_value(&list).unwrap_or_default();
            change::change(&path, &[(rules, list)])
        });
        let put = match put.await {
            Ok(Ok(settings)) => {
                // What was written, whatever is read again meanwhile.
                let put = settings.keeping.rules.written().cloned().collect();
                self.app.set(settings);
                put
            }
            Ok(Err(why)) => {
                let why = format!("the intake rules of the other devices can't be written here: {why}");
                tracing::warn!("{why}");
                self.app.exchange.refused(RefusedRecord { at: now(), number: 0, why });
                return Ok(());
            }
            Err(_) => return Ok(()),
        };
        self.queue.share_rules(put, true).await?;
        Ok(())
    }
}
