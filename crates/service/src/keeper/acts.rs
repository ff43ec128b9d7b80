//! What a person does and can take back: removing, undoing; and what ends when the grace period does.

use yadori_api as api;
use yadori_core::{Clip, ClipId, Digest, Micros, Placed};
use yadori_store::{ActRow, ClipRow, CommitError, Group};

use super::{ActError, Change, Done, Keeper, Mode};
use crate::app::now;
use crate::home::random;

impl Keeper {
    fn writable(&self) -> Result<(), ActError> {
        if self.mode == Mode::Ready { Ok(()) } else { Err(ActError::Unavailable(self.reason())) }
    }

    async fn commit_act(&mut self, group: &Group) -> Result<(), ActError> {
        match self.commit(group).await {
            Ok(()) => Ok(()),
            Err(CommitError::Refused(why)) => {
                Err(ActError::Refused(format!("the database refused it ({why})")))
            }
            Err(why) => {
                self.fall_back(&why);
                Err(ActError::Unavailable(self.reason()))
            }
        }
    }

    fn tick(&mut self, subject: Option<yadori_core::Stamp>) -> yadori_core::Stamp {
        self.clock.tick(u64::try_from(now() / 1_000).unwrap_or(0), subject)
    }

    pub(super) async fn remove(&mut self, ids: &[ClipId], done: Done<api::Removed>) {
        let outcome = self.try_remove(ids).await;
        let _ = done.send(outcome);
    }

    async fn try_remove(&mut self, ids: &[ClipId]) -> Result<api::Removed, ActError> {
        self.writable()?;
        let mut before: Vec<ClipRow> = Vec::new();
        for id in ids {
            if let Some(clip) = self.app.history().get(*id)
                && before.iter().all(|known| known.id != *id)
            {
                before.push(ClipRow::from(&**clip));
            }
        }
        if before.is_empty() {
            return Err(ActError::Nothing("none of these clips is in the history any more".into()));
        }
        let now = now();
        let mut group = Group { now, ..Group::default() };
        for row in &before {
            let mut state = row.state.clone();
            let stamp = self.tick(state.newest_stamp());
            state.remove(stamp);
            group.dropped.extend(row.digests().map(|digest| (row.id.0, digest)));
            group.clips.push(ClipRow { id: row.id, state, facts: None, received_at: row.received_at });
        }
        group.acts.push(ActRow {
            id: random().map_err(|why| ActError::Refused(why.to_string()))?,
            at: now,
            kind: "remove".into(),
            payload: serde_json::to_vec(&before).map_err(|why| ActError::Refused(why.to_string()))?,
            holds: before.iter().flat_map(ClipRow::digests).collect(),
            undone_at: None,
        });
        group.clock = self.clock.last();
        self.commit_act(&group).await?;
        for row in &group.clips {
            self.tombstones.insert(row.id, row.state.clone());
            let mut history = self.app.history_mut();
            let placed: Placed = history.remove(row.id);
            self.announce(&history, row.id, placed);
        }
        self.app.stand(|_| {});
        self.sweep_after_grace();
        Ok(api::Removed { removed: before.len() as u64, grace_seconds: self.app.grace.as_secs() })
    }

    pub(super) async fn undo(&mut self, done: Done<(String, Vec<ClipId>)>) {
        let outcome = self.try_undo().await;
        let _ = done.send(outcome);
    }

    async fn try_undo(&mut self) -> Result<(String, Vec<ClipId>), ActError> {
        self.writable()?;
        let Some(store) = self.store.clone() else { return Err(ActError::Unavailable(self.reason())) };
        let act = store
            .newest_act(now() - self.grace())
            .await
            .map_err(|why| ActError::Unavailable(why.to_string()))?;
        let Some(act) = act else {
            let minutes = self.app.grace.as_secs() / 60;
            return Err(ActError::Nothing(format!(
                "there is nothing to take back; a removal can be taken back for {minutes} minutes"
            )));
        };
        let before: Vec<ClipRow> = serde_json::from_slice(&act.payload)
            .map_err(|_| ActError::Refused("the record of that act is damaged".into()))?;
        let mut group = Group { now: now(), undone: vec![(act.id, now())], ..Group::default() };
        let mut back: Vec<Clip> = Vec::new();
        for row in before {
            let known = self.shown(row.id);
            let mut state = known.state;
            let clock = &mut self.clock;
            let newest = state.newest_stamp();
            let wall = u64::try_from(now() / 1_000).unwrap_or(0);
            state.revive(&row.state, || clock.tick(wall, newest));
            let facts = known.facts.or(row.facts);
            let Some(facts) = facts else { continue };
            back.push(Clip {
                id: row.id,
                state,
                facts,
                received_at: row.received_at.max(known.received_at),
                saved: true,
            });
        }
        group.clips = back.iter().map(ClipRow::from).collect();
        group.clock = self.clock.last();
        self.commit_act(&group).await?;
        let ids: Vec<ClipId> = back.iter().map(|clip| clip.id).collect();
        for clip in back {
            self.tombstones.remove(&clip.id);
            self.put(clip);
        }
        self.app.stand(|_| {});
        Ok((act.kind, ids))
    }

    fn grace(&self) -> Micros {
        Micros::try_from(self.app.grace.as_micros()).unwrap_or(Micros::MAX / 4)
    }

    /// Ends grace periods: what only they held leaves tables and memory.
    pub(super) async fn sweep(&mut self) {
        if self.mode != Mode::Ready {
            return;
        }
        let Some(store) = self.store.clone() else { return };
        let Ok(ended) = store.acts_before(now() - self.grace()).await else { return };
        if ended.is_empty() {
            return;
        }
        let count = ended.len();
        let group = Group { ended, now: now(), ..Group::default() };
        match self.commit(&group).await {
            Ok(()) => {
                self.app.forget_recent();
                tracing::info!("the grace period of {count} acts has ended");
            }
            Err(why) => self.fall_back(&why),
        }
    }

    pub(super) fn sweep_after_grace(&self) {
        let (app, grace) = (self.app.clone(), self.app.grace);
        tokio::spawn(async move {
            tokio::select! {
                () = tokio::time::sleep(grace + std::time::Duration::from_millis(50)) => {
                    let _ = app.changes.send(Change::Sweep);
                }
                () = app.shutdown.cancelled() => {}
            }
        });
    }

    pub(super) async fn restore(&mut self, rows: Vec<ClipRow>, done: Done<u64>) {
        let outcome = self.try_restore(rows).await;
        let _ = done.send(outcome);
    }

    async fn try_restore(&mut self, rows: Vec<ClipRow>) -> Result<u64, ActError> {
        self.writable()?;
        if !self.app.history().is_empty() {
            return Err(ActError::Nothing(
                "the history is not empty; restore into a new home (--home DIR)".into(),
            ));
        }
        let newest = rows.iter().filter_map(|row| row.state.newest_stamp()).max();
        self.tick(newest);
        let mut staged: Vec<Digest> = rows.iter().flat_map(ClipRow::digests).collect();
        staged.sort_unstable();
        staged.dedup();
        let group = Group { staged, clips: rows, clock: self.clock.last(), now: now(), ..Group::default() };
        self.commit_act(&group).await?;
        let mut clips = Vec::new();
        for row in group.clips {
            let (id, state) = (row.id, row.state.clone());
            match row.into_clip() {
                Some(clip) => clips.push(clip),
                None => {
                    self.tombstones.insert(id, state);
                }
            }
        }
        let count = clips.len() as u64;
        self.app.history_mut().load(clips);
        self.app.events.send(api::Event::Reset);
        self.app.stand(|_| {});
        Ok(count)
    }
}
