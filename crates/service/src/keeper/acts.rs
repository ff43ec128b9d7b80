//! Carrying acts out, taking them back and making them again; and what ends when the grace period does.

use std::collections::{HashMap, HashSet};

use yadori_api as api;
use yadori_core::clip::reading::plain_form;
use yadori_core::search::facts_are_whole;
use yadori_core::{Clip, ClipId, Digest, Drawer, Micros};
use yadori_store::{ActRow, ClipRow, CommitError, Group, TurnedAct};

use super::deed::{Deed, Way};
use super::wishes::Wish;
use super::{ActError, Change, Done, Keeper, Mode};
use crate::app::now;
use crate::home::random;

/// Acts that outlive the grace period, at most.
const LASTING: usize = 200;
/// Changes that are announced one by one at most; more are a reset.
const ONE_BY_ONE: usize = 300;

/// Bytes that the record of one act may have: well below what the database takes at once.
const PAYLOAD: usize = 40 << 20;

/// What was done.
#[derive(Debug, Clone, Default)]
pub struct Outcome {
    /// The kind of act.
    pub kind: String,
    /// The clips it touched.
    pub ids: Vec<ClipId>,
    /// What it made.
    pub made: Option<String>,
}

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
            Err(CommitError::NotStaged) => {
                Err(ActError::Refused("its content is not in the database any more; try again".into()))
            }
            Err(why) => {
                self.fall_back(&why);
                Err(ActError::Unavailable(self.reason()))
            }
        }
    }

    pub(super) fn tick(&mut self, subject: Option<yadori_core::Stamp>) -> yadori_core::Stamp {
        self.clock.tick(u64::try_from(now() / 1_000).unwrap_or(0), subject)
    }

    /// A moment after every act known.
    fn act_time(&self) -> Micros {
        let last = self.acts.iter().flat_map(|act| [Some(act.at), act.undone_at]).flatten().max();
        now().max(last.map_or(0, |last| last + 1))
    }

    pub(super) async fn act(&mut self, wish: Wish, done: Done<Outcome>) {
        let outcome = self.try_act(wish).await;
        let _ = done.send(outcome);
    }

    async fn try_act(&mut self, wish: Wish) -> Result<Outcome, ActError> {
        self.writable()?;
        let draft = self.plan_wish(wish)?;
        let deed = Deed::of(&draft.clips, &draft.drawers);
        let payload = serde_json::to_vec(&deed).map_err(|why| ActError::Refused(why.to_string()))?;
        if payload.len() > PAYLOAD {
            return Err(ActError::Invalid(format!(
                "{} clips are too many for one act; do it in parts",
                draft.clips.len()
            )));
        }
        let row = ActRow {
            id: random().map_err(|why| ActError::Refused(why.to_string()))?,
            at: self.act_time(),
            kind: draft.kind.into(),
            payload,
            holds: deed.holds(),
            undone_at: None,
            lasting: !deed.removes(),
            subject: draft
                .clips
                .first()
                .map(|(_, after)| after.id.to_string())
                .or_else(|| draft.drawers.first().map(|(_, after)| after.id.clone())),
            // One text in its old and its new form is one to a person.
            clips: match draft.kind {
                "edit" | "put-back" => 1,
                _ => u32::try_from(draft.clips.len()).unwrap_or(u32::MAX / 2),
            },
        };
        let mut group = Group { now: now(), clock: self.clock.last(), ..draft.group };
        group.dropped = dropped(draft.clips.iter().map(|(before, after)| (before, after)));
        group.clips = draft.clips.iter().map(|(_, after)| after.clone()).collect();
        group.drawers = draft.drawers.iter().map(|(_, after)| after.clone()).collect();
        // A new act leaves nothing to be made again.
        group.ended = self.acts.iter().filter(|act| act.undone_at.is_some()).map(|act| act.id).collect();
        let lasting: Vec<&ActRow> =
            self.acts.iter().filter(|act| act.lasting && act.undone_at.is_none()).collect();
        let many = (lasting.len() + 1).saturating_sub(LASTING);
        group.ended.extend(lasting.iter().take(many).map(|act| act.id));
        group.acts.push(row);
        self.commit_act(&group).await?;
        self.acts.retain(|act| !group.ended.contains(&act.id));
        let row = group.acts.remove(0);
        if !row.lasting {
            self.sweep_after_grace();
        }
        self.acts.push(ActRow { payload: Vec::new(), holds: Vec::new(), ..row });
        let texts = draft.text.into_iter().collect();
        let changed = draft.clips.into_iter().map(|(_, after)| after).collect();
        let drawers = draft.drawers.into_iter().map(|(_, after)| after).collect();
        let ids = self.apply_act(changed, drawers, &texts);
        Ok(Outcome { kind: draft.kind.into(), ids, made: draft.made })
    }

    /// History, search and listeners follow what was committed.
    fn apply_act(
        &mut self,
        rows: Vec<ClipRow>,
        drawers: Vec<Drawer>,
        texts: &HashMap<ClipId, String>,
    ) -> Vec<ClipId> {
        let ids: Vec<ClipId> = rows.iter().map(|row| row.id).collect();
        let kept_changes = !drawers.is_empty()
            || rows.iter().any(|row| row.state.is_pinned())
            || ids.iter().any(|id| self.app.history().get(*id).is_some_and(|clip| clip.state.is_pinned()));
        let one_by_one = rows.len() <= ONE_BY_ONE;
        for row in rows {
            self.on_disk.remove(&row.id);
            let (id, state) = (row.id, row.state.clone());
            match row.into_clip().filter(|clip| clip.state.offer().is_some()) {
                Some(clip) => {
                    self.tombstones.remove(&id);
                    self.put(clip, texts.get(&id).map(String::as_str), one_by_one);
                }
                None => {
                    self.tombstones.insert(id, state);
                    self.take_out(id, one_by_one);
                }
            }
        }
        let mut quiet = !one_by_one;
        for drawer in drawers {
            let id = drawer.id.clone();
            let touched: Vec<Clip> = {
                let mut history = self.app.history_mut();
                let told = |history: &yadori_core::History| {
                    history.drawers().get(&id).and_then(|one| one.name().map(str::to_owned))
                };
                let before = told(&history);
                history.drawers_mut().put(drawer);
                let renamed = before != told(&history);
                if renamed {
                    history.in_drawer(&id).map(|clip| (**clip).clone()).collect()
                } else {
                    Vec::new()
                }
            };
            let few = touched.len() <= ONE_BY_ONE;
            quiet |= !few;
            for clip in touched {
                self.put(clip, None, few);
            }
        }
        if quiet {
            self.app.events.send(api::Event::Reset);
        }
        if kept_changes {
            self.app.events.send(api::Event::Kept);
        }
        self.app.stand(|_| {});
        ids
    }

    fn may_be_turned(&self, act: &ActRow, way: Way) -> bool {
        let since = now() - self.grace();
        match way {
            Way::Undo => act.undone_at.is_none() && (act.lasting || act.at >= since),
            Way::Redo => act.undone_at.is_some_and(|at| at >= since) && (act.lasting || act.at >= since),
        }
    }

    pub(super) async fn turn(&mut self, way: Way, done: Done<Outcome>) {
        let outcome = self.try_turn(way).await;
        let _ = done.send(outcome);
    }

    async fn try_turn(&mut self, way: Way) -> Result<Outcome, ActError> {
        self.writable()?;
        let Some(store) = self.store.clone() else { return Err(ActError::Unavailable(self.reason())) };
        let candidates = self.acts.iter().filter(|act| self.may_be_turned(act, way));
        let act = match way {
            Way::Undo => candidates.max_by_key(|act| act.at),
            Way::Redo => candidates.max_by_key(|act| act.undone_at),
        };
        let Some(act) = act.cloned() else {
            let minutes = self.app.grace.as_secs() / 60;
            return Err(ActError::Nothing(match way {
                Way::Undo => format!(
                    "there is nothing to take back; a removal can be taken back for {minutes} minutes"
                ),
                Way::Redo => {
                    "there is nothing to make again; a new act leaves nothing to be made again".into()
                }
            }));
        };
        let payload =
            store.act_payload(act.id).await.map_err(|why| ActError::Unavailable(why.to_string()))?;
        let deed = payload
            .and_then(|payload| Deed::read(&payload))
            .ok_or_else(|| ActError::Refused("the record of that act is damaged".into()))?;
        let lost = deed.clips.iter().filter(|turn| turn.is_lost(&self.shown(turn.id))).count();
        let exchanges = matches!(act.kind.as_str(), "edit" | "put-back");
        if (exchanges && lost > 0) || (lost > 0 && lost == deed.clips.len() && deed.drawers.is_empty()) {
            // It would stand in the way of everything before it.
            let group = Group { ended: vec![act.id], now: now(), ..Group::default() };
            self.commit_act(&group).await?;
            self.acts.retain(|one| one.id != act.id);
            return Err(ActError::Nothing(format!(
                "the last act ({}) can't be turned any more, since a clip in it was removed; the one before it is next",
                act.kind
            )));
        }
        let mut turned = Deed::default();
        let mut rows: Vec<(ClipRow, ClipRow)> = Vec::new();
        for turn in &deed.clips {
            let now_row = self.shown(turn.id);
            if turn.is_lost(&now_row) {
                turned.clips.push(turn.clone());
                continue;
            }
            let subject = now_row.state.newest_stamp();
            let (row, remembered) = turn.turned(way, &now_row, || self.tick(subject));
            turned.clips.push(remembered);
            rows.push((now_row, row));
        }
        let mut drawers = Vec::new();
        for turn in &deed.drawers {
            let state = self.app.history().drawers().state(&turn.id).cloned().unwrap_or_default();
            let subject = state.newest_stamp();
            let (drawer, remembered) = turn.turned(way, &state, || self.tick(subject));
            turned.drawers.push(remembered);
            drawers.push(drawer);
        }
        let undone_at = (way == Way::Undo).then(|| self.act_time());
        let payload = serde_json::to_vec(&turned).map_err(|why| ActError::Refused(why.to_string()))?;
        let group = Group {
            now: now(),
            clock: self.clock.last(),
            dropped: dropped(rows.iter().map(|(before, after)| (before, after))),
            clips: rows.iter().map(|(_, after)| after.clone()).collect(),
            drawers: drawers.clone(),
            turned: vec![TurnedAct { id: act.id, payload, undone_at }],
            ..Group::default()
        };
        let texts = self.texts_of(&rows).await?;
        self.commit_act(&group).await?;
        if let Some(known) = self.acts.iter_mut().find(|one| one.id == act.id) {
            known.undone_at = undone_at;
        }
        if undone_at.is_some() {
            self.sweep_after_grace();
        }
        let ids = self.apply_act(rows.into_iter().map(|(_, after)| after).collect(), drawers, &texts);
        Ok(Outcome { kind: act.kind, ids, made: None })
    }

    /// The texts of clips that come back and are longer than their facts tell: they must be found at once.
    async fn texts_of(&self, rows: &[(ClipRow, ClipRow)]) -> Result<HashMap<ClipId, String>, ActError> {
        let mut texts = HashMap::new();
        for (before, after) in rows {
            let comes_back = before.state.offer().is_none() && after.state.offer().is_some();
            let Some(clip) = after.clone().into_clip().filter(|clip| comes_back && !facts_are_whole(clip))
            else {
                continue;
            };
            let offer = self.app.offer(&clip).await.map_err(|why| ActError::Unavailable(why.to_string()))?;
            if let Some(text) = plain_form(&offer) {
                texts.insert(clip.id, text);
            }
        }
        Ok(texts)
    }

    /// The acts that can be turned, newest first.
    pub(super) fn list_acts(&self) -> Vec<api::Act> {
        let grace = self.grace();
        let history = self.app.history();
        let mut acts: Vec<api::Act> = self
            .acts
            .iter()
            .filter(|act| self.may_be_turned(act, Way::Undo) || self.may_be_turned(act, Way::Redo))
            .map(|act| api::Act {
                act: act.kind.clone(),
                at: act.at,
                clips: u64::from(act.clips),
                first: act
                    .subject
                    .as_deref()
                    .and_then(ClipId::parse)
                    .and_then(|id| Some(Box::new(crate::app::row(&history, history.get(id)?)))),
                drawer: act
                    .subject
                    .as_deref()
                    .and_then(|id| Some(history.drawers().get(id)?.name()?.to_owned())),
                undone: act.undone_at.is_some(),
                until: if act.lasting { act.undone_at.map(|at| at + grace) } else { Some(act.at + grace) },
            })
            .collect();
        acts.reverse();
        acts
    }

    fn grace(&self) -> Micros {
        Micros::try_from(self.app.grace.as_micros()).unwrap_or(Micros::MAX / 4)
    }

    /// Ends grace periods: what only they held leaves tables and memory, also out of the records of other acts.
    pub(super) async fn sweep(&mut self) {
        if self.mode != Mode::Ready {
            return;
        }
        let Some(store) = self.store.clone() else { return };
        let before = now() - self.grace();
        let over =
            |act: &ActRow| (!act.lasting && act.at < before) || act.undone_at.is_some_and(|at| at < before);
        let (ended, going): (Vec<ActRow>, Vec<ActRow>) = self.acts.iter().cloned().partition(over);
        if ended.is_empty() {
            return;
        }
        let mut group =
            Group { now: now(), ended: ended.iter().map(|act| act.id).collect(), ..Group::default() };
        let mut gone: HashSet<ClipId> = HashSet::new();
        for act in &ended {
            let Ok(payload) = store.act_payload(act.id).await else { return };
            let deed = payload.and_then(|payload| Deed::read(&payload)).unwrap_or_default();
            gone.extend(deed.ids().filter(|id| self.app.history().get(*id).is_none()));
        }
        // Clips that another removal still holds are not gone yet.
        let mut deeds: Vec<(ActRow, Deed)> = Vec::new();
        for act in going {
            let Ok(payload) = store.act_payload(act.id).await else { return };
            let deed = payload.and_then(|payload| Deed::read(&payload)).unwrap_or_default();
            if deed.removes() {
                deed.ids().for_each(|id| {
                    gone.remove(&id);
                });
            }
            deeds.push((act, deed));
        }
        for (act, mut deed) in deeds {
            if !deed.ids().any(|id| gone.contains(&id)) {
                continue;
            }
            deed.clips.retain(|turn| !gone.contains(&turn.id));
            let whole = matches!(act.kind.as_str(), "edit" | "put-back");
            if whole || (deed.clips.is_empty() && deed.drawers.is_empty()) {
                group.ended.push(act.id);
            } else if let Ok(payload) = serde_json::to_vec(&deed) {
                group.turned.push(TurnedAct { id: act.id, payload, undone_at: act.undone_at });
            }
        }
        group.drafts = gone.into_iter().collect();
        let count = group.ended.len();
        match self.commit(&group).await {
            Ok(()) => {
                self.acts.retain(|act| !group.ended.contains(&act.id));
                self.app.forget_recent();
                tracing::info!("{count} acts can't be taken back any more");
            }
            Err(why) => self.fall_back(&why),
        }
    }

    /// Wipes contents that nobody needs. Whether that is so is found out in the transaction that deletes them.
    pub(super) async fn collect(&mut self, unneeded: Vec<Digest>, done: Done<()>) {
        let group = Group { unneeded, now: now(), ..Group::default() };
        let outcome = match self.writable() {
            Ok(()) => self.commit_act(&group).await,
            Err(why) => Err(why),
        };
        let _ = done.send(outcome);
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

    /// A drawer from elsewhere: no act, nothing to take back.
    pub(super) async fn put_drawer(&mut self, drawer: Drawer, done: Done<()>) {
        let newest = drawer.state.newest_stamp();
        self.tick(newest);
        let group =
            Group { drawers: vec![drawer.clone()], clock: self.clock.last(), now: now(), ..Group::default() };
        let outcome = match self.writable() {
            Ok(()) => self.commit_act(&group).await,
            Err(why) => Err(why),
        };
        if outcome.is_ok() {
            self.apply_act(Vec::new(), vec![drawer], &HashMap::new());
        }
        let _ = done.send(outcome);
    }

    pub(super) async fn restore(&mut self, rows: Vec<ClipRow>, drawers: Vec<Drawer>, done: Done<u64>) {
        let outcome = self.try_restore(rows, drawers).await;
        let _ = done.send(outcome);
    }

    async fn try_restore(&mut self, rows: Vec<ClipRow>, drawers: Vec<Drawer>) -> Result<u64, ActError> {
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
        let clock = self.clock.last();
        let group = Group { staged, clips: rows, drawers, clock, now: now(), ..Group::default() };
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
        self.fill(clips, group.drawers);
        self.app.events.send(api::Event::Reset);
        self.app.stand(|_| {});
        Ok(count)
    }
}

/// Contents that clips no longer need.
fn dropped<'r>(changes: impl Iterator<Item = (&'r ClipRow, &'r ClipRow)>) -> Vec<([u8; 16], Digest)> {
    changes
        .flat_map(|(before, after)| {
            let kept: HashSet<Digest> = after.digests().collect();
            let id = before.id.0;
            before
                .digests()
                .filter(move |digest| !kept.contains(digest))
                .map(move |digest| (id, digest))
                .collect::<Vec<_>>()
        })
        .collect()
}
