//! The writer's own state, and its loop.

use std::collections::{HashMap, HashSet, VecDeque};
use std::time::Duration;

use tokio::sync::{mpsc, oneshot};
use yadori_core::acts::{ActEntry, ActLog};
use yadori_core::text::stack::overwrite_stack;
use yadori_core::{BatchId, ClipId, HybridClock, Micros, StoredClip};
use yadori_store::{STANDS, Store};

use crate::records::room::Disk;
use crate::state::app::Shared;
use crate::state::clock::SteadyClock;
use crate::state::events::Happening;
use crate::state::health::REFUSALS;
use crate::writer::change::{Capture, Change, Loaded, PartOf};

use crate::writer::mode::Mode;
use crate::writer::secret::Fleeting;
use crate::writer::task::{Begun, Long};

/// Changes committed together at most.
const GROUP: usize = 64;
/// The longest sleep before the ends of acts are looked at, so that a computer that slept is not overslept.
const LONGEST_SLEEP: Duration = Duration::from_secs(60);

/// The one writer.
#[derive(Debug)]
pub struct Writer {
    pub(super) app: Shared,
    pub(super) queue: mpsc::UnboundedReceiver<Change>,
    pub(super) store: Option<Store>,
    pub(super) clock: HybridClock,
    pub(super) steady: SteadyClock,
    pub(super) mode: Mode,
    /// Copies that wait, oldest first.
    pub(super) waiting: VecDeque<Capture>,
    pub(super) waiting_bytes: u64,
    /// Batches of which something was handed out while that could not be recorded.
    pub(super) handed: HashSet<BatchId>,
    /// What is on disk of the clips that have a waiting copy.
    pub(super) on_disk: HashMap<ClipId, StoredClip>,
    pub(super) disk: Disk,
    /// Every act; what is needed to take one back is read when it is.
    pub(super) log: ActLog,
    /// Tells when a database that was away can be written again.
    pub(super) probe: Option<oneshot::Receiver<()>>,
    /// Work in portions, what was begun first in front.
    pub(super) long: VecDeque<Long>,
    /// Clips that live in memory alone, oldest first.
    pub(super) fleeting: Vec<Fleeting>,
    pub(super) stopping: bool,
    pub(super) stopped: Option<oneshot::Sender<()>>,
}

impl Writer {
    /// The writer of a service that is about to start.
    pub fn new(app: Shared, queue: mpsc::UnboundedReceiver<Change>, disk: Disk) -> Self {
        let clock = HybridClock::resume(app.clips.device(), None);
        let grace = Micros::try_from(app.grace.as_micros()).unwrap_or(Micros::MAX / 4);
        Self {
            app,
            queue,
            store: None,
            clock,
            steady: SteadyClock::begin(),
            mode: Mode::Loading,
            waiting: VecDeque::new(),
            waiting_bytes: 0,
            handed: HashSet::new(),
            on_disk: HashMap::new(),
            disk,
            log: ActLog::new(grace),
            probe: None,
            long: VecDeque::new(),
            fleeting: Vec::new(),
            stopping: false,
            stopped: None,
        }
    }

    /// Works until told to stop.
    pub async fn run(mut self) {
        while !self.stopping {
            let sleep = self.until_next_end();
            let long = self.has_long();
            self.app.set_busy(!self.long.is_empty());
            tokio::select! {
                biased;
                change = self.queue.recv() => match change {
                    None => return,
                    Some(first) => {
                        self.work(first).await;
                        // Whatever goes on in the queue, what was begun comes to its end.
                        if self.has_long() && !self.stopping {
                            self.work_on_long().await;
                        }
                    }
                },
                () = std::future::ready(()), if long => {
                    self.work_on_long().await;
                    overwrite_stack();
                    tokio::task::yield_now().await;
                }
                () = back(&mut self.probe) => self.come_back().await,
                () = tokio::time::sleep(sleep.unwrap_or(LONGEST_SLEEP)), if sleep.is_some() => {
                    self.sweep_fleeting();
                    if self.mode == Mode::Ready {
                        self.sweep().await;
                    }
                    overwrite_stack();
                }
            }
        }
        self.stop().await;
        while let Ok(change) = self.queue.try_recv() {
            if let Change::Capture(capture) = change {
                Self::answer_stopping(*capture);
            }
        }
        if let Some(stopped) = self.stopped.take() {
            let _ = stopped.send(());
        }
    }

    /// How long until an act ends; `None` when none will, or nothing can be done about it now.
    fn until_next_end(&self) -> Option<Duration> {
        let acts = self.log.deadline().filter(|_| self.mode == Mode::Ready);
        let next = [acts, self.next_fleeting()].into_iter().flatten().min()?;
        let left = next.saturating_sub(self.steady.now());
        Some(Duration::from_micros(u64::try_from(left).unwrap_or(0)).min(LONGEST_SLEEP))
    }

    /// Carries out a change and those that wait behind it, in order: copies together, everything else alone.
    async fn work(&mut self, first: Change) {
        self.work_on_all(first).await;
        overwrite_stack();
    }

    async fn work_on_all(&mut self, first: Change) {
        let mut batch = vec![first];
        while batch.len() < GROUP
            && let Ok(more) = self.queue.try_recv()
        {
            batch.push(more);
        }
        let (mut captures, mut refusals) = (Vec::new(), Vec::new());
        for change in batch {
            match change {
                Change::Capture(capture) => {
                    // One group records one act of bringing in.
                    let own = |one: &Capture| matches!(one.part_of, PartOf::Own(_));
                    if own(&capture) && captures.iter().any(own) {
                        self.carry_out(std::mem::take(&mut captures), std::mem::take(&mut refusals)).await;
                    }
                    captures.push(*capture);
                }
                Change::Refusal(refusal) => refusals.push(refusal),
                Change::Fleeting(capture, minutes) => {
                    self.carry_out(std::mem::take(&mut captures), std::mem::take(&mut refusals)).await;
                    self.hold_fleeting(*capture, minutes);
                }
                other => {
                    self.carry_out(std::mem::take(&mut captures), std::mem::take(&mut refusals)).await;
                    self.carry_out_alone(other).await;
                }
            }
        }
        self.carry_out(captures, refusals).await;
    }

    async fn carry_out_alone(&mut self, change: Change) {
        match change {
            Change::Act(act, with, done) => {
                let outcome = self.act(&act, *with).await;
                let _ = done.send(outcome);
            }
            Change::Handed(batch, handed, done) => {
                let outcome = self.handed(batch, handed).await;
                let _ = done.send(outcome);
            }
            Change::Step(direction, which, done) => self.step(direction, which, done).await,
            Change::Clear(wish, done) => self.clear(&wish, done),
            Change::Evict(clips, favorites, done) => self.evict(clips, favorites, done),
            Change::Floor(done) => {
                let _ = done.send(self.floor());
            }
            Change::ListActs(done) => {
                let _ = done.send(self.list_acts());
            }
            Change::Draft(clip, text, done) => {
                let outcome = self.draft(clip, text).await;
                let _ = done.send(outcome);
            }
            Change::SignIns(changes, done) => {
                let outcome = self.sign_ins(changes).await;
                let _ = done.send(outcome);
            }
            Change::BringDrawers(drawers, import, done) => {
                let outcome = self.bring_drawers(drawers, import).await;
                let _ = done.send(outcome);
            }
            Change::Imported(import, after, done) => {
                let outcome = self.imported(import, after).await;
                let _ = done.send(outcome);
            }
            Change::Restored(all, drawers, done) => {
                let (history, corpus) = *all;
                let outcome = self.restored(history, corpus, drawers).await;
                let _ = done.send(outcome);
            }
            Change::Merge(received, done) => {
                let outcome = self.merge(*received).await;
                let _ = done.send(outcome);
            }
            Change::Share(batch, done) => {
                let outcome = self.share(batch).await;
                let _ = done.send(outcome);
            }
            Change::ShareRules(rules, agreed, done) => {
                let outcome = self.share_rules(&rules, agreed).await;
                let _ = done.send(outcome);
            }
            Change::Loaded(loaded) => self.loaded(*loaded).await,
            Change::Collect(unneeded, done) => {
                let outcome = self.collect(unneeded).await;
                let _ = done.send(outcome);
            }
            Change::Pictured(words, lately, done) => {
                self.pictured(&words, lately);
                let _ = done.send(());
            }
            Change::Stop(done) => {
                self.stopping = true;
                self.stopped = Some(done);
            }
            Change::Capture(_) | Change::Refusal(_) | Change::Fleeting(..) => {}
        }
    }

    async fn loaded(&mut self, loaded: Loaded) {
        if let Some(clock) = loaded.clock {
            // Saved by this device itself, so it counts however far ahead it is.
            let last = self.clock.last().max(Some(clock));
            self.clock = HybridClock::resume(self.app.clips.device(), last);
        }
        let mut begun = Vec::new();
        for act in loaded.acts {
            if act.going != STANDS {
                begun.push(Begun {
                    act: act.id,
                    going: act.going,
                    undone: act.undone.is_some(),
                    of: act.cleared.unwrap_or(0),
                    payload: act.payload,
                });
            }
            self.log.push(ActEntry {
                id: act.id,
                number: act.number,
                at: act.at,
                steady: self.steady.recorded(act.at),
                kind: act.kind,
                undone: act.undone.map(|(number, at)| (number, self.steady.recorded(at))),
                lasting: act.lasting,
                subject: act.subject,
                clips: act.clips,
                cleared: act.cleared,
                ending: false,
            });
        }
        let count = loaded.history.len();
        self.app.clips.replace(loaded.history, loaded.corpus);
        self.on_disk.clear();
        {
            let history = self.app.clips.history();
            for one in &self.waiting {
                let id = one.copied.id;
                self.on_disk.entry(id).or_insert_with(|| history.stored(id));
            }
        }
        self.app.entries.know(loaded.sign_ins);
        self.store = Some(loaded.store.clone());
        self.app.at_hand.open(loaded.store);
        self.app.health.change(|health| {
            health.refusals.extend(loaded.refusals);
            health.refusals.truncate(REFUSALS);
        });
        tracing::info!("{count} clips loaded");
        self.flush().await;
        self.resume_long(begun);
        self.app.set_busy(!self.long.is_empty());
        self.app.clips.set_loaded();
        self.app.health.touch();
        self.app.events.send(Happening::Reset);
    }
}

/// Waits for the word that the database is back; for ever when nobody looks.
async fn back(probe: &mut Option<oneshot::Receiver<()>>) {
    if let Some(found) = probe {
        let _ = found.await;
        *probe = None;
        return;
    }
    std::future::pending::<()>().await;
}
