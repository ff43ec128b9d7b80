//! Copies: planned on what is on disk, committed together, applied and announced.

use std::collections::HashMap;

use yadori_core::acts::log::ActEntry;
use yadori_core::acts::plan::BatchPlan;
use yadori_core::acts::record::changed;
use yadori_core::acts::{Moment, capture};
use yadori_core::{ClipId, Digest, Micros, RefusalReason, StoredClip};
use yadori_store::{CHUNK, CommitError, Group, RefusalRow};

use crate::state::clock::now;
use crate::state::events::Happening;
use crate::state::health::LiveNow;
use crate::writer::announce::Told;
use crate::writer::change::{ASIDE, Capture, PartOf, Saved};
use crate::writer::commit::NotCommitted;
use crate::writer::error::WriteError;
use crate::writer::handed::recorded;
use crate::writer::imports::clip_rows;
use crate::writer::mode::Mode;
use crate::writer::worker::Writer;

/// What some copies make of their clips.
#[derive(Debug, Default)]
pub(super) struct Planned {
    group: Group,
    /// A clip for each copy, as it is after it.
    clips: Vec<StoredClip>,
    /// The batch that copies joined.
    batch: Option<BatchPlan>,
    /// The act that one of them is, as the log will know it.
    act: Option<ActEntry>,
}

impl Writer {
    /// A clip as it is on disk: what a change to be committed starts from.
    pub(super) fn known(&self, id: ClipId) -> StoredClip {
        self.on_disk.get(&id).cloned().unwrap_or_else(|| self.app.clips.history().stored(id))
    }

    /// What one copy makes of a clip.
    pub(super) fn after(&mut self, one: &Capture, known: StoredClip, newest: Option<Micros>) -> StoredClip {
        let mut moment = Moment { now: now(), clock: &mut self.clock };
        capture(known, &one.copied, newest, &mut moment)
    }

    fn plan(&mut self, captures: &[Capture]) -> Planned {
        let mut planned = Planned { group: Group { now: now(), ..Group::default() }, ..Planned::default() };
        let group = &mut planned.group;
        let mut latest: HashMap<ClipId, StoredClip> = HashMap::new();
        let mut newest = self.app.clips.history().newest();
        let (mut own, mut brought) = (None, Vec::new());
        for one in captures {
            let id = one.copied.id;
            let known = latest.remove(&id).unwrap_or_else(|| self.known(id));
            let before: Vec<Digest> = known.digests().collect();
            let first = (one.part_of != PartOf::Nothing).then(|| known.clone());
            let after = self.after(one, known, newest);
            if let Some(change) = first.map(|first| changed(&first, &after)) {
                match one.part_of {
                    PartOf::Import(import) => brought.push((import, change)),
                    PartOf::Own(act) => own = Some((act, change)),
                    PartOf::Nothing => {}
                }
            }
            newest = newest.max(Some(after.ordered_at));
            let kept: Vec<Digest> = after.digests().collect();
            let dropped = before.into_iter().filter(|digest| !kept.contains(digest));
            group.dropped.extend(dropped.map(|digest| (id.0, digest)));
            for (digest, content) in &one.contents {
                if !kept.contains(digest) {
                    continue; // a pinned clip keeps its offer
                }
                if content.len() > CHUNK {
                    group.staged.push(*digest);
                } else if !group.contents.iter().any(|(known, _)| known == digest) {
                    group.contents.push((*digest, content.clone()));
                }
            }
            if one.live && !one.copied.at_start {
                self.joins(&after, &mut planned.batch);
            }
            latest.insert(id, after.clone());
            planned.clips.push(after);
        }
        // Copied again within the group: what an earlier copy dropped may be needed once more.
        group.dropped.retain(|(holder, digest)| {
            latest.get(&ClipId(*holder)).is_none_or(|clip| clip.digests().all(|kept| kept != *digest))
        });
        group.clips = latest.into_values().collect();
        group.batches = planned.batch.iter().map(recorded).collect();
        group.brought = clip_rows(brought);
        group.clock = self.clock.last();
        if let Some((row, entry)) = own.and_then(|(act, change)| self.brought_alone(act, change)) {
            group.ended = self.log.ended_by_new();
            group.acts.push(row);
            planned.act = Some(entry);
        }
        planned
    }

    /// Commits copies and refusals together; one by one when the database refuses the group.
    pub(super) async fn carry_out(&mut self, captures: Vec<Capture>, refusals: Vec<RefusalRow>) {
        for refusal in &refusals {
            self.announce_refusal(refusal);
        }
        if captures.is_empty() && refusals.is_empty() {
            return;
        }
        if self.mode != Mode::Ready {
            captures.into_iter().for_each(|capture| self.wait(capture));
            return;
        }
        let mut planned = self.plan(&captures);
        planned.group.refusals = refusals;
        match self.commit(&planned.group).await {
            Ok(()) => self.have_saved(planned, captures),
            Err(NotCommitted::Not(CommitError::Refused(why))) if captures.len() > 1 => {
                tracing::warn!("a group of changes was refused ({why}); they are tried one by one");
                for capture in captures {
                    self.save_one(capture).await;
                }
            }
            Err(NotCommitted::Not(CommitError::NotStaged)) => {
                for mut capture in captures {
                    capture.staged = false;
                    self.save_one(capture).await;
                }
            }
            Err(NotCommitted::Not(CommitError::Refused(why))) => self.refuse(captures, &why),
            Err(NotCommitted::Not(why)) => {
                self.fall_back(&why);
                captures.into_iter().for_each(|capture| self.wait(capture));
            }
            Err(NotCommitted::NotKnown) => captures.into_iter().for_each(|capture| self.wait(capture)),
        }
    }

    /// Stages a copy's large contents and commits it alone. False when it has to wait (again).
    pub(super) async fn save_one(&mut self, mut one: Capture) -> bool {
        if self.mode == Mode::Away && self.probe.is_some() {
            self.wait(one);
            return false;
        }
        let mut outcome = Ok(());
        if !one.staged {
            outcome = match &self.store {
                Some(store) => self.disk.stage(store, &one.contents).await,
                None => Err(CommitError::Away("not open".into())),
            }
            .map_err(NotCommitted::Not);
        }
        one.staged = outcome.is_ok();
        let captures = vec![one];
        let planned = self.plan(&captures);
        if outcome.is_ok() {
            outcome = self.commit(&planned.group).await;
        }
        match outcome {
            Ok(()) => {
                self.have_saved(planned, captures);
                return true;
            }
            Err(NotCommitted::Not(CommitError::Refused(why))) => {
                self.refuse(captures, &why);
                return true;
            }
            Err(NotCommitted::Not(why)) => self.fall_back(&why),
            Err(NotCommitted::NotKnown) => {}
        }
        for mut capture in captures {
            capture.staged = false;
            self.wait_first(capture);
        }
        false
    }

    /// The history follows what was committed, and everybody is told.
    fn have_saved(&mut self, planned: Planned, captures: Vec<Capture>) {
        let kept = planned.clips.iter().any(|clip| clip.state.is_pinned());
        for (clip, one) in planned.clips.into_iter().zip(&captures) {
            self.on_disk.remove(&clip.id);
            let text = one.text.as_deref().filter(|_| !self.app.clips.has_whole_text(clip.id));
            self.settle(clip, true, text, Told::Copied);
        }
        self.apply_batches(planned.batch.into_iter().collect());
        let own = planned.act.as_ref().map(|entry| entry.id);
        if let Some(entry) = planned.act {
            self.has_act(&planned.group.ended, entry);
        }
        for mut one in captures {
            for (digest, content) in &one.contents {
                self.app.at_hand.remember(*digest, content);
            }
            self.settle_live(&one);
            if let Some(done) = one.done.take() {
                let act = own.filter(|act| one.part_of == PartOf::Own(*act));
                let _ = done.send(Ok(Saved { clip: one.copied.id, act }));
            }
            if one.bytes() > ASIDE {
                // Its memory is overwritten when it is given back, which takes a while: the next copy does not wait.
                tokio::task::spawn_blocking(move || drop(one));
            }
        }
        if kept {
            self.app.events.send(Happening::Kept(Vec::new()));
        }
    }

    pub(super) fn settle_live(&self, one: &Capture) {
        let (at, id) = (one.copied.at, one.copied.id);
        let counts = one.live && !one.copied.at_start;
        self.app.health.change(|health| {
            if counts {
                health.last_copy_at = health.last_copy_at.max(Some(at));
            }
            health.settled(at, LiveNow::Clip(id, false));
        });
    }

    fn refuse(&self, captures: Vec<Capture>, why: &str) {
        for one in captures {
            tracing::error!("a copy was refused by the database ({why})");
            self.announce_refusal(&refusal_of(&one, RefusalReason::Invalid));
            if let Some(done) = one.done {
                let _ = done.send(Err(WriteError::Refused(why.to_owned())));
            }
        }
    }
}

/// The note that a copy is not kept.
pub(super) fn refusal_of(one: &Capture, reason: RefusalReason) -> RefusalRow {
    let program = one.copied.record.source.program.clone();
    RefusalRow { at: one.copied.at, reason, size: Some(one.bytes()), program }
}
