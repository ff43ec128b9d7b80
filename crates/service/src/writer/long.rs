//! Work that grows with what it touches: clearings, their taking back, their end, and what limits let go of. It is done in
//! portions, each a transaction of its own; changes that wait in the queue come in between. What was begun and not ended
//! is gone on with at the next start.

use std::collections::{HashMap, HashSet};
use std::time::{Duration, Instant};

use yadori_core::acts::record::ClipChange;
use yadori_core::acts::{
    ActEntry, ActKind, ActRecord, ClearRecord, Direction, Moment, Part, clear_one, step_part,
};
use yadori_core::{ClipId, Digest, Micros, Stamp};
use yadori_store::{CommitError, DraftRow, ENDING, GOING, GOING_TO_END, Group, PartRow, PortionRow, STANDS};

use crate::state::clock::now;
use crate::state::events::Happening;
use crate::state::health::Work;
use crate::writer::announce::Told;
use crate::writer::change::{Done, Outcome};
use crate::writer::error::WriteError;
use crate::writer::handed::dropped;
use crate::writer::mode::Mode;
use crate::writer::task::{Begun, Long, PORTION, Task};
use crate::writer::worker::Writer;

/// Portions that are noted with one change.
const NOTED: usize = 50;
/// How often it is told how far something has come.
const TOLD: Duration = Duration::from_millis(300);

/// What became of a portion.
enum Portion {
    /// There is more to do.
    More(u64),
    /// That was all.
    Last,
    /// Another task follows.
    Then(Task),
}

impl Writer {
    pub(super) fn has_long(&self) -> bool {
        self.mode == Mode::Ready && !self.long.is_empty()
    }

    /// Does one portion of what was begun first.
    pub(super) async fn work_on_long(&mut self) {
        let Some(mut long) = self.long.pop_front() else { return };
        let outcome = match &mut long.task {
            Task::Note { record, clips, ahead, noted, ends } => {
                self.note(long.act, record, (clips, ahead), noted, *ends).await
            }
            Task::Clear { record, ends, from_start } => {
                let taken = from_start.then_some(long.done);
                self.clear_portion(long.act, record, *ends, long.of, taken).await
            }
            Task::Step { direction, favorites, after } => {
                self.step_portion(long.act, *direction, *favorites, after, long.of).await
            }
            Task::End { after } => self.end_portion(long.act, after).await,
            Task::Evict { clips, favorites } => self.evict_portion(clips, *favorites, long.of).await,
        };
        match outcome {
            Ok(Portion::More(done)) => {
                long.done += done;
                self.tell(&mut long, false);
                self.long.push_front(long);
            }
            Ok(Portion::Then(task)) => {
                long.task = task;
                // What ends at once has gone; nobody waits for its traces.
                if matches!(long.task, Task::End { .. })
                    && let Some(answer) = long.answer.take()
                {
                    let _ = answer.send(Ok(self.outcome_of(long.act, long.done)));
                }
                self.long.push_front(long);
            }
            Ok(Portion::Last) => {
                self.tell(&mut long, true);
                if let Some(answer) = long.answer.take() {
                    let _ = answer.send(Ok(self.outcome_of(long.act, long.done)));
                }
            }
            // It is gone on with when the records can be written again.
            Err(why @ (WriteError::Unavailable(_) | WriteError::NotKnown)) if long.has_begun() => {
                self.long.push_front(long);
                if self.mode == Mode::Ready {
                    // What could not be read is not asked for again and again.
                    self.fall_back(&CommitError::Away(why.to_string()));
                }
            }
            Err(why) => {
                tracing::warn!("{} was given up: {why}", long.word());
                self.tell(&mut long, true);
                if let Some(answer) = long.answer.take() {
                    let _ = answer.send(Err(why));
                }
            }
        }
    }

    fn outcome_of(&self, act: [u8; 16], count: u64) -> Outcome {
        Outcome { id: act, kind: ActKind::Clear, ids: Vec::new(), count, made: None }
    }

    /// Says how far it has come, now and then; at its end in any case.
    fn tell(&self, long: &mut Long, ended: bool) {
        if !ended && long.told.elapsed() < TOLD {
            return;
        }
        long.told = Instant::now();
        let more = !long.is_small();
        let work = (!ended && more).then(|| Work { what: long.word(), done: long.done, of: long.of });
        if ended || more {
            self.app.health.change(|health| health.work = work);
        }
        if more && !matches!(long.task, Task::End { .. }) {
            self.app.events.send(Happening::Reset);
        }
        self.app.health.touch();
    }

    /// Begins a clearing. Nothing has gone before its act is recorded.
    pub(super) fn begin_clear(
        &mut self,
        record: ClearRecord,
        (mut clips, ahead): (Vec<ClipId>, HashMap<ClipId, Stamp>),
        ends: bool,
        act: [u8; 16],
        answer: Option<Done<Outcome>>,
    ) {
        // What lies together in the records goes together: fewer pages are read and written for a portion.
        clips.sort_unstable();
        let of = clips.len() as u64;
        let task = Task::Note { record: Box::new(record), clips, ahead, noted: 0, ends };
        self.long.push_back(Long::new(act, task, of, answer));
    }

    async fn note(
        &mut self,
        act: [u8; 16],
        record: &ClearRecord,
        (clips, ahead): (&[ClipId], &HashMap<ClipId, Stamp>),
        noted: &mut usize,
        ends: bool,
    ) -> Result<Portion, WriteError> {
        let portions: Vec<PortionRow> = clips
            .chunks(PORTION)
            .enumerate()
            .skip(*noted)
            .take(NOTED)
            .map(|(n, clips)| PortionRow {
                act,
                n: i32::try_from(n).unwrap_or(i32::MAX),
                clips: clips.to_vec(),
                ahead: clips.iter().filter_map(|id| Some((*id, *ahead.get(id)?))).collect(),
            })
            .collect();
        let mut group = Group { now: now(), ..Group::default() };
        let count = portions.len();
        group.portions = portions;
        if *noted + count < clips.len().div_ceil(PORTION) {
            self.commit_act(&group).await?;
            *noted += count;
            return Ok(Portion::More(0));
        }
        // The last of them comes with the act itself: from now on it is done.
        let going = if ends { GOING_TO_END } else { GOING };
        self.record_clear(group, act, record, going).await?;
        Ok(Portion::Then(Task::Clear { record: Box::new(record.clone()), ends, from_start: true }))
    }

    async fn clear_portion(
        &mut self,
        act: [u8; 16],
        record: &ClearRecord,
        ends: bool,
        of: u64,
        taken: Option<u64>,
    ) -> Result<Portion, WriteError> {
        let away = |why: yadori_store::ReadError| WriteError::Unavailable(why.to_string());
        let Some(store) = self.store.clone() else { return Err(self.unavailable()) };
        let Some(PortionRow { n, clips, ahead, .. }) = store.portion(act).await.map_err(away)? else {
            // To count many takes a while, so that is done only for what an earlier run took.
            let stand = match taken {
                Some(taken) => taken,
                None => store.parts_count(act).await.map_err(away)?,
            };
            let going = if ends { ENDING } else { STANDS };
            let group = Group { going: vec![(act, going, Some(stand))], now: now(), ..Group::default() };
            self.commit_act(&group).await?;
            self.log.counted(act, stand);
            if ends {
                self.log.end_now(act);
                return Ok(Portion::Then(Task::End { after: None }));
            }
            return Ok(Portion::Last);
        };
        let parts: Vec<Part> = {
            let history = self.app.clips.history();
            let mut moment = Moment { now: now(), clock: &mut self.clock };
            let favorites = record.scope.favorites;
            clips
                .iter()
                .filter(|id| !self.on_disk.contains_key(id))
                .filter_map(|id| {
                    let seen = ahead.iter().find(|(clip, _)| clip == id).map(|(_, stamp)| *stamp);
                    let floor = seen.max(Some(record.floor));
                    clear_one(history.stored(*id), favorites, floor, &mut moment)
                })
                .collect()
        };
        let taken = parts.len() as u64;
        // What limits and standing orders take goes on this device alone.
        let here_only = record.order.is_some();
        let group = Group { portions_done: vec![(act, n)], here_only, ..Group::default() };
        self.carry_out_parts(act, parts, group, of).await?;
        Ok(Portion::More(taken))
    }

    async fn step_portion(
        &mut self,
        act: [u8; 16],
        direction: Direction,
        favorites: bool,
        after: &mut Option<ClipId>,
        of: u64,
    ) -> Result<Portion, WriteError> {
        let away = |why: yadori_store::ReadError| WriteError::Unavailable(why.to_string());
        let Some(store) = self.store.clone() else { return Err(self.unavailable()) };
        let stand = direction == Direction::Undo;
        let bodies = store.parts(act, Some(stand), *after, PORTION as u32).await.map_err(away)?;
        if bodies.is_empty() {
            let group = Group { going: vec![(act, STANDS, None)], now: now(), ..Group::default() };
            self.commit_act(&group).await?;
            return Ok(Portion::Last);
        }
        let ids: Vec<ClipId> = bodies.iter().map(|(id, _)| *id).collect();
        let changes: Vec<ClipChange> =
            bodies.iter().filter_map(|(_, body)| serde_json::from_slice(body).ok()).collect();
        let parts: Vec<Part> = {
            let history = self.app.clips.history();
            let mut moment = Moment { now: now(), clock: &mut self.clock };
            let step = |one| step_part(one, direction, favorites, &history, &mut moment);
            changes.iter().filter_map(step).collect()
        };
        let count = ids.len() as u64;
        if direction == Direction::Redo {
            // What was pinned meanwhile is no part of it any more.
            let taken: HashSet<ClipId> = parts.iter().map(|part| part.change.id).collect();
            let spared: Vec<ClipId> = ids.into_iter().filter(|id| !taken.contains(id)).collect();
            let group = Group { parts_ended: vec![(act, spared, Vec::new())], ..Group::default() };
            let last = bodies.last().map(|(id, _)| *id);
            self.carry_out_parts(act, parts, group, of).await?;
            *after = last;
            return Ok(Portion::More(count));
        }
        let plans: Vec<_> = parts.into_iter().map(|part| part.plan).collect();
        let texts = self.texts_that_come_back(&plans).await?;
        let group = Group {
            now: now(),
            clock: self.clock.last(),
            dropped: dropped(&plans, &[]),
            clips: plans.into_iter().map(|plan| plan.after).collect(),
            parts_back: vec![(act, ids)],
            ..Group::default()
        };
        self.commit_act(&group).await?;
        self.apply_many(group.clips, &[], &texts, of);
        *after = bodies.last().map(|(id, _)| *id);
        Ok(Portion::More(count))
    }

    /// Clips that go with a clearing: committed, and applied.
    async fn carry_out_parts(
        &mut self,
        act: [u8; 16],
        parts: Vec<Part>,
        group: Group,
        of: u64,
    ) -> Result<(), WriteError> {
        let rows = parts.iter().map(|part| {
            let faces = part.change.before.iter().filter_map(|face| face.content.as_ref());
            let offers = faces.flat_map(|content| &content.offers);
            let mut holds: Vec<Digest> =
                offers.flat_map(|offer| offer.representations.iter().map(|one| one.digest)).collect();
            holds.sort_unstable();
            holds.dedup();
            let body = serde_json::to_vec(&part.change).map_err(|_| WriteError::DamagedRecord)?;
            Ok(PartRow { act, clip: part.change.id, body, holds })
        });
        let rows: Result<Vec<PartRow>, WriteError> = rows.collect();
        let plans: Vec<_> = parts.iter().map(|part| part.plan.clone()).collect();
        let group = Group {
            now: now(),
            clock: self.clock.last(),
            dropped: dropped(&plans, &[]),
            clips: plans.into_iter().map(|plan| plan.after).collect(),
            parts: rows?,
            ..group
        };
        self.commit_act(&group).await?;
        self.apply_many(group.clips, &[], &HashMap::new(), of);
        Ok(())
    }

    async fn end_portion(
        &mut self,
        act: [u8; 16],
        after: &mut Option<ClipId>,
    ) -> Result<Portion, WriteError> {
        let away = |why: yadori_store::ReadError| WriteError::Unavailable(why.to_string());
        let Some(store) = self.store.clone() else { return Err(self.unavailable()) };
        let bodies = store.parts(act, None, *after, PORTION as u32).await.map_err(away)?;
        if bodies.is_empty() {
            let group = Group { ended: vec![act], now: now(), ..Group::default() };
            self.commit_act(&group).await?;
            self.log.end(&group.ended);
            self.let_go_of_buffers();
            return Ok(Portion::Last);
        }
        let ids: Vec<ClipId> = bodies.iter().map(|(id, _)| *id).collect();
        let held: Vec<Digest> = bodies
            .iter()
            .filter_map(|(_, body)| serde_json::from_slice::<ClipChange>(body).ok())
            .filter_map(|change| change.before?.content)
            .flat_map(|content| content.offers)
            .flat_map(|offer| offer.representations.into_iter().map(|one| one.digest))
            .collect::<HashSet<_>>()
            .into_iter()
            .collect();
        let others: HashSet<ClipId> =
            store.held_by_others(act, &ids).await.map_err(away)?.into_iter().collect();
        let count = ids.len() as u64;
        let ending = {
            let history = self.app.clips.history();
            self.log.gone_for_good(&ids, |id| others.contains(&id) || history.has(id))
        };
        let mut group = Group {
            now: now(),
            going: vec![(act, ENDING, None)],
            parts_ended: vec![(act, ids, held)],
            ..Group::default()
        };
        let gone: HashSet<ClipId> = ending.clips.iter().copied().collect();
        self.forgetting(&store, &mut group, ending.forgetting, &gone).await?;
        group.drafts = ending.clips.into_iter().map(|clip| DraftRow { clip, text: None }).collect();
        self.commit_act(&group).await?;
        self.have_forgotten(&group, &gone);
        *after = bodies.last().map(|(id, _)| *id);
        Ok(Portion::More(count))
    }

    async fn evict_portion(
        &mut self,
        clips: &mut Vec<(ClipId, Micros)>,
        favorites: bool,
        of: u64,
    ) -> Result<Portion, WriteError> {
        let Some(store) = self.store.clone() else { return Err(self.unavailable()) };
        let some: Vec<(ClipId, Micros)> = clips.iter().take(PORTION).copied().collect();
        if some.is_empty() {
            self.let_go_of_buffers();
            return Ok(Portion::Last);
        }
        let evicted: Vec<ClipId> = {
            let history = self.app.clips.history();
            // One that was copied again, pinned, or waits to be recorded is not what was planned.
            let same = |(id, at): &&(ClipId, Micros)| {
                history.get(*id).is_some_and(|clip| {
                    clip.ordered_at == *at && (favorites || !clip.state.is_pinned()) && !clip.is_fleeting()
                }) && !self.on_disk.contains_key(id)
            };
            some.iter().filter(same).map(|(id, _)| *id).collect()
        };
        let ending = self.log.gone_for_good(&evicted, |_| false);
        let gone: HashSet<ClipId> = ending.clips.iter().copied().collect();
        let mut group = Group { now: now(), evicted: evicted.clone(), ..Group::default() };
        self.forgetting(&store, &mut group, ending.forgetting, &gone).await?;
        group.drafts = evicted.iter().map(|clip| DraftRow { clip: *clip, text: None }).collect();
        self.commit_act(&group).await?;
        self.have_forgotten(&group, &gone);
        let count = evicted.len() as u64;
        self.apply_many(Vec::new(), &evicted, &HashMap::new(), of);
        clips.drain(..some.len());
        Ok(Portion::More(count))
    }

    /// The history follows a portion. Few clips are told of one by one.
    fn apply_many(
        &mut self,
        clips: Vec<yadori_core::StoredClip>,
        forgotten: &[ClipId],
        texts: &HashMap<ClipId, String>,
        of: u64,
    ) {
        for clip in &clips {
            self.on_disk.remove(&clip.id);
        }
        if of <= PORTION as u64 && forgotten.is_empty() {
            for clip in clips {
                let text = texts.get(&clip.id).map(String::as_str);
                self.settle(clip, true, text, Told::Changed);
            }
            self.app.events.send(Happening::Kept(Vec::new()));
            self.app.health.touch();
            return;
        }
        if of <= PORTION as u64 {
            for id in forgotten {
                self.forget(*id);
            }
            self.app.health.touch();
            return;
        }
        self.app.clips.settle_many(clips, forgotten, texts);
    }

    /// Buffers that may hold what has gone are let go of.
    pub(super) fn let_go_of_buffers(&self) {
        self.app.have_gone();
        self.app.at_hand.forget();
        self.app.events.forget();
        if let Some(store) = self.store.clone() {
            self.app.parts.start("letting go of buffers", async move { store.renew_connections().await });
        }
    }

    /// Goes on with what an earlier run did not bring to its end.
    pub(super) fn resume_long(&mut self, begun: Vec<Begun>) {
        for Begun { act, going, undone, of, payload } in begun {
            let Some(record) = ActRecord::from_bytes(&payload).and_then(|record| record.clear) else {
                tracing::warn!(
                    "the record of a clearing of {of} clips is damaged; it stays as far as it came"
                );
                continue;
            };
            let favorites = record.scope.favorites;
            let task = match going {
                ENDING => {
                    self.log.end_now(act);
                    Task::End { after: None }
                }
                _ if undone => Task::Step { direction: Direction::Undo, favorites, after: None },
                going => {
                    let ends = going == GOING_TO_END;
                    Task::Clear { record: Box::new(record), ends, from_start: false }
                }
            };
            tracing::info!("a clearing of {of} clips is gone on with");
            self.long.push_back(Long::new(act, task, of, None));
        }
    }

    /// Ends what is to be ended: clearings whose grace is over, or that can't be made again any more.
    pub(super) fn begin_ends(&mut self, by_new: bool) {
        for act in self.log.begin_to_end(self.steady.now(), by_new) {
            let of = self.log.get(act).map_or(0, ActEntry::count);
            self.long.push_back(Long::new(act, Task::End { after: None }, of, None));
        }
    }

    /// A clearing is taken back or made again: what is under way of it ends where it is.
    pub(super) fn begin_step(
        &mut self,
        act: [u8; 16],
        direction: Direction,
        favorites: bool,
        answer: Done<Outcome>,
    ) {
        if let Some(at) = self.long.iter().position(|long| long.act == act)
            && let Some(mut before) = self.long.remove(at)
            && let Some(waiting) = before.answer.take()
        {
            let _ = waiting.send(Ok(self.outcome_of(act, before.done)));
        }
        let of = self.log.get(act).map_or(0, ActEntry::count);
        self.long.push_back(Long::new(
            act,
            Task::Step { direction, favorites, after: None },
            of,
            Some(answer),
        ));
    }
}
