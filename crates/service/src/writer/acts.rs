//! Carrying acts out, taking them back and making them again. What that makes of the history is the core's to say.

use std::collections::HashMap;

use yadori_api as api;
use yadori_core::acts::plan::ClipPlan;
use yadori_core::acts::{self, Act, ActEntry, ActKind, ActRecord, Direction, Moment};
use yadori_core::clip::reading::plain_form;
use yadori_core::search::facts_are_whole;
use yadori_core::{BatchId, ClipId};
use yadori_store::{ActRow, CHUNK, Group, STANDS, SteppedAct};

use crate::home::random::{hex, random};
use crate::state::clock::now;
use crate::state::shapes::row;
use crate::writer::change::{Done, Outcome, With};
use crate::writer::error::WriteError;
use crate::writer::handed::{dropped, recorded};
use crate::writer::wish::BY_LIMITS;
use crate::writer::worker::Writer;

/// Bytes that the record of one act may have: well below what the database takes at once.
pub(super) const PAYLOAD: usize = 40 << 20;

/// An act that is stepped, or whose stepping has begun.
enum Begun {
    Done(Outcome),
    /// Its parts follow; favorites are among them or not.
    Long([u8; 16], bool),
}

impl Writer {
    /// Carries an act out.
    pub(super) async fn act(&mut self, act: &Act, with: With) -> Result<Outcome, WriteError> {
        self.writable()?;
        let on_fleeting = self.act_on_fleeting(act, &with).await?;
        let (act, ended) = match on_fleeting {
            None => (act.clone(), 0),
            Some((Some(act), ended)) => (act, ended),
            Some((None, count)) => {
                let kind = ActKind::Remove;
                return Ok(Outcome { id: [0; 16], kind, ids: Vec::new(), count, made: None });
            }
        };
        let act = &act;
        let plan = {
            let history = self.app.clips.history();
            acts::plan(act, &history, &mut Moment { now: now(), clock: &mut self.clock })?
        };
        let record = ActRecord::of(&plan);
        let payload = record.to_bytes().map_err(|_| WriteError::DamagedRecord)?;
        if payload.len() > PAYLOAD {
            return Err(WriteError::TooMany(plan.clips.len()));
        }
        let subject = plan.clips.first().map(|one| one.after.id.to_string());
        let subject = subject
            .or_else(|| plan.drawers.first().map(|one| one.after.id.clone()))
            .or_else(|| plan.batches.first().map(|one| one.id.to_string()));
        let id = random().map_err(|_| WriteError::NoRandomness)?;
        let (row, entry) = self.new_act((id, plan.kind), &record, payload, subject);
        let mut group = Group {
            now: now(),
            clock: self.clock.last(),
            dropped: dropped(&plan.clips, &plan.batches),
            batches: plan.batches.iter().map(recorded).collect(),
            staged: with.needs,
            clips: plan.clips.iter().map(|one| one.after.clone()).collect(),
            drawers: plan.drawers.iter().map(|one| one.after.clone()).collect(),
            ended: self.log.ended_by_new(),
            acts: vec![row],
            ..Group::default()
        };
        let mut texts = HashMap::new();
        for (digest, content) in with.contents {
            if content.len() > CHUNK {
                group.staged.push(digest);
            } else {
                group.contents.push((digest, content));
            }
        }
        texts.extend(with.text);
        self.commit_act(&group).await?;
        let act_id = entry.id;
        self.has_act(&group.ended, entry);
        let ids = self.apply(group.clips, group.drawers, &texts);
        self.apply_batches(plan.batches);
        let count = ids.len() as u64 + ended;
        Ok(Outcome { id: act_id, kind: plan.kind, ids, count, made: plan.made })
    }

    /// An act that is about to be recorded, and how the log will know it.
    pub(super) fn new_act(
        &self,
        (id, kind): ([u8; 16], ActKind),
        record: &ActRecord,
        payload: Vec<u8>,
        subject: Option<String>,
    ) -> (ActRow, ActEntry) {
        let row = ActRow {
            id,
            number: self.log.next_number(),
            at: now(),
            kind,
            payload,
            holds: record.holds(),
            undone: None,
            // What an import holds of its clips is let go of before it could outlive their removal.
            lasting: !record.removes() && kind != ActKind::Import,
            subject,
            clips: record.ids(),
            cleared: None,
            going: STANDS,
        };
        let entry = ActEntry {
            id,
            number: row.number,
            at: row.at,
            steady: self.steady.now(),
            kind,
            undone: None,
            lasting: row.lasting,
            subject: row.subject.clone(),
            clips: row.clips.clone(),
            cleared: None,
            ending: false,
        };
        (row, entry)
    }

    /// Takes an act back, or makes it again: the one named, or the last.
    pub(super) async fn step(
        &mut self,
        direction: Direction,
        which: Option<[u8; 16]>,
        answer: Done<Outcome>,
    ) {
        match self.begin_or_step(direction, which).await {
            Ok(Begun::Done(outcome)) => drop(answer.send(Ok(outcome))),
            Ok(Begun::Long(act, favorites)) => self.begin_step(act, direction, favorites, answer),
            Err(why) => drop(answer.send(Err(why))),
        }
    }

    async fn begin_or_step(
        &mut self,
        direction: Direction,
        which: Option<[u8; 16]>,
    ) -> Result<Begun, WriteError> {
        self.writable()?;
        let Some(store) = self.store.clone() else { return Err(self.unavailable()) };
        let minutes = self.app.grace.as_secs() / 60;
        let act = match which {
            Some(id) => {
                let known =
                    self.log.get(id).filter(|act| self.log.can_step(act, direction, self.steady.now()));
                known.cloned().ok_or(WriteError::NotToBeStepped { direction, minutes })?
            }
            None => {
                let next = self.log.next(direction, self.steady.now()).cloned();
                next.ok_or(WriteError::NothingToStep { direction, minutes })?
            }
        };
        let payload =
            store.act_payload(act.id).await.map_err(|why| WriteError::Unavailable(why.to_string()))?;
        let record = payload.and_then(|payload| ActRecord::from_bytes(&payload));
        let record = record.ok_or(WriteError::DamagedRecord)?;
        if let Some(clear) = &record.clear {
            self.step_clear(&act, clear, direction).await?;
            if clear.order.as_deref() == Some(BY_LIMITS) {
                self.app.holding.hold(direction == Direction::Undo);
            }
            return Ok(Begun::Long(act.id, clear.scope.favorites));
        }
        let stepped = {
            let history = self.app.clips.history();
            let mut moment = Moment { now: now(), clock: &mut self.clock };
            acts::step(act.kind, &record, direction, &history, &mut moment)
        };
        let Some(stepped) = stepped else {
            // It would stand in the way of everything before it.
            let group = Group { ended: vec![act.id], now: now(), ..Group::default() };
            self.commit_act(&group).await?;
            self.log.end(&group.ended);
            return Err(WriteError::Lost(act.kind));
        };
        let texts = self.texts_that_come_back(&stepped.clips).await?;
        let undone = (direction == Direction::Undo).then(|| (self.log.next_number(), now()));
        let group = Group {
            now: now(),
            clock: self.clock.last(),
            dropped: dropped(&stepped.clips, &stepped.batches),
            batches: stepped.batches.iter().map(recorded).collect(),
            clips: stepped.clips.into_iter().map(|one| one.after).collect(),
            drawers: stepped.drawers.into_iter().map(|one| one.after).collect(),
            stepped: vec![SteppedAct { id: act.id, undone }],
            ..Group::default()
        };
        self.commit_act(&group).await?;
        self.log.stepped(act.id, direction, self.steady.now());
        let ids = self.apply(group.clips, group.drawers, &texts);
        self.apply_batches(stepped.batches);
        let count = ids.len() as u64;
        Ok(Begun::Done(Outcome { id: act.id, kind: act.kind, ids, count, made: None }))
    }

    /// The texts of clips that come back and are longer than their facts tell: they must be found at once.
    pub(super) async fn texts_that_come_back(
        &self,
        clips: &[ClipPlan],
    ) -> Result<HashMap<ClipId, String>, WriteError> {
        let mut texts = HashMap::new();
        for one in clips.iter().filter(|one| !one.before.state.is_there()) {
            let Some(clip) = one.after.clone().into_clip().filter(|clip| !facts_are_whole(clip)) else {
                continue;
            };
            let offer = self.app.at_hand.texts_of(&clip).await;
            let offer = offer.map_err(|why| WriteError::Unavailable(why.to_string()))?;
            texts.extend(plain_form(&offer).map(|text| (clip.id, text)));
        }
        Ok(texts)
    }

    /// The acts that can be stepped, newest first.
    pub(super) fn list_acts(&self) -> Vec<api::Act> {
        let (steady, wall) = (self.steady.now(), now());
        let history = self.app.clips.history();
        let can_step = |act: &&ActEntry| {
            self.log.can_step(act, Direction::Undo, steady) || self.log.can_step(act, Direction::Redo, steady)
        };
        let shown = |act: &ActEntry| {
            let subject = act.subject.as_deref();
            api::Act {
                id: hex(act.id),
                act: act.kind,
                at: act.at,
                // One text in its old and its new form is one to a person.
                clips: if act.kind.exchanges() { 1 } else { act.count() },
                subject: act.subject.clone(),
                first: subject
                    .and_then(ClipId::parse)
                    .and_then(|id| Some(Box::new(row(&history, &*history.get(id)?)))),
                about: subject.filter(|_| act.kind == ActKind::Clear).map(str::to_owned),
                drawer: subject.and_then(|id| Some(history.drawers().get(id)?.name()?.to_owned())),
                batch: subject
                    .and_then(BatchId::parse)
                    .and_then(|id| history.batches().get(id)?.state.name.clone()),
                undone: act.undone.is_some(),
                until: self.log.until(act).map(|until| wall + (until - steady)),
            }
        };
        self.log.iter().rev().filter(can_step).map(shown).collect()
    }
}
