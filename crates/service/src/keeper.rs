//! The one writer. Every change goes through one queue, is committed, then applied to the history in memory, then
//! announced. Changes that wait together are committed together, so that a burst costs one disk write, not fifty; a
//! group that is refused is tried again one by one.
//!
//! While the records can't be written, copies wait in memory: they are in the history, marked as not saved, and can be
//! taken. Acts are refused with the reason.

mod acts;
mod deed;
mod plan;
mod waiting;
pub mod wishes;

use std::collections::{HashMap, VecDeque};
use std::path::PathBuf;
use std::time::Duration;

use tokio::sync::{mpsc, oneshot};
use yadori_api as api;
use yadori_core::clip::reading::plain_form;
use yadori_core::search::{Index, Text, facts_are_whole};
use yadori_core::{Clip, ClipId, ClipState, Content, Digest, Drawer, HybridClock, Micros, Placed, Reading, Stamp};
use yadori_store::{ActRow, ClipRow, CommitError, Group, RefusalRow, Store};

use crate::app::{LiveNow, REFUSALS, Shared, now, refusal, row};
pub use acts::Outcome;
use deed::Way;
pub use plan::Extra;
use plan::Plan;
pub use wishes::Wish;

/// Bytes of copies that may wait in memory.
pub const WAITING_CAP: u64 = 256 * 1024 * 1024;
/// Changes committed together at most.
const GROUP: usize = 64;
/// A commit that takes longer counts as a database that is away.
const COMMIT_LIMIT: Duration = Duration::from_secs(15);
/// Room that must stay free on the disk of a private server, which does not survive running out of it.
pub const RESERVE: u64 = 48 * 1024 * 1024;

/// Why an act was not carried out.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ActError {
    /// The records can't be written now.
    #[error("{0}")]
    Unavailable(String),
    /// There is nothing to act on.
    #[error("{0}")]
    Nothing(String),
    /// The database would not take it.
    #[error("{0}")]
    Refused(String),
    /// There is no such drawer, or there are several.
    #[error("{0}")]
    NoDrawer(String),
    /// What was wished for can't be.
    #[error("{0}")]
    Invalid(String),
}

/// Where an answer goes.
pub type Done<T> = oneshot::Sender<Result<T, ActError>>;

/// A copy on its way into the history.
#[derive(Debug)]
pub struct Capture {
    /// What it turned out to be.
    pub reading: Reading,
    /// Its contents.
    pub contents: Vec<(Digest, Content)>,
    /// The large ones among them were staged.
    pub staged: bool,
    /// When it was made; distinct and growing for copies on this device.
    pub at: Micros,
    /// It was on the clipboard before the service started to watch: no new copy, if it is known.
    pub standing: bool,
    /// It was made on this desktop just now, rather than brought in.
    pub live: bool,
    /// Who waits for it.
    pub done: Option<Done<ClipId>>,
    /// What else is known of it, when it comes from elsewhere.
    pub extra: Option<Box<Extra>>,
}

impl Capture {
    fn bytes(&self) -> u64 {
        self.contents.iter().map(|(_, content)| content.len() as u64).sum()
    }
}

/// What goes through the queue.
#[derive(Debug)]
pub enum Change {
    /// A copy.
    Capture(Box<Capture>),
    /// A copy that is not kept.
    Refusal(RefusalRow),
    /// A person does something.
    Act(Wish, Done<Outcome>),
    /// A person takes the last act back.
    Undo(Done<Outcome>),
    /// A person makes again what was taken back last.
    Redo(Done<Outcome>),
    /// What can be taken back, and made again.
    ListActs(oneshot::Sender<Vec<api::Act>>),
    /// A backup, read and staged, becomes the history.
    Restore(Vec<ClipRow>, Vec<Drawer>, Done<u64>),
    /// A drawer that comes from elsewhere.
    PutDrawer(Drawer, Done<()>),
    /// The records are open; this is what they hold.
    Loaded(Box<Loaded>),
    /// The records can be written again, perhaps.
    Retry,
    /// A grace period may have ended.
    Sweep,
    /// Contents that nobody seems to need.
    Collect(Vec<Digest>, Done<()>),
    /// The service ends: save what can be saved.
    Stop(oneshot::Sender<()>),
}

/// The records at start.
#[derive(Debug)]
pub struct Loaded {
    /// The open records.
    pub store: Store,
    /// Every clip.
    pub clips: Vec<ClipRow>,
    /// The clock as saved.
    pub clock: Option<Stamp>,
    /// Refusals as saved, newest first.
    pub refusals: Vec<RefusalRow>,
    /// Every drawer.
    pub drawers: Vec<Drawer>,
    /// Every act, oldest first, without what is needed to take it back.
    pub acts: Vec<ActRow>,
}

/// Whether changes can be committed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Mode {
    /// Not loaded yet.
    Loading,
    Ready,
    Away,
    Full,
    /// For good: another service has taken over.
    Lost,
}

/// The writer's own state.
pub struct Keeper {
    app: Shared,
    queue: mpsc::UnboundedReceiver<Change>,
    store: Option<Store>,
    clock: HybridClock,
    mode: Mode,
    tombstones: HashMap<ClipId, ClipState>,
    /// Copies that wait, oldest first.
    waiting: VecDeque<Capture>,
    waiting_bytes: u64,
    /// What is on disk of the clips that have a waiting copy.
    on_disk: HashMap<ClipId, Option<ClipRow>>,
    /// The directory of a private server, whose disk must not fill up.
    disk: Option<PathBuf>,
    /// Every act, oldest first; what is needed to take one back is read when it is.
    acts: Vec<ActRow>,
}

impl Keeper {
    /// A keeper for a service that is about to start.
    pub fn new(app: Shared, queue: mpsc::UnboundedReceiver<Change>, disk: Option<PathBuf>) -> Self {
        let clock = HybridClock::resume(app.device, None);
        Self {
            app,
            queue,
            store: None,
            clock,
            mode: Mode::Loading,
            tombstones: HashMap::new(),
            waiting: VecDeque::new(),
            waiting_bytes: 0,
            on_disk: HashMap::new(),
            disk,
            acts: Vec::new(),
        }
    }

    /// Works until told to stop.
    pub async fn run(mut self) {
        while let Some(first) = self.queue.recv().await {
            let mut batch = vec![first];
            while batch.len() < GROUP
                && let Ok(more) = self.queue.try_recv()
            {
                batch.push(more);
            }
            if self.work(batch).await {
                return;
            }
        }
    }

    /// Carries a batch out in order. True when told to stop.
    async fn work(&mut self, batch: Vec<Change>) -> bool {
        let mut plan = Plan::default();
        for change in batch {
            match change {
                Change::Capture(capture) => plan.captures.push(*capture),
                Change::Refusal(refusal) => plan.refusals.push(refusal),
                other => {
                    self.carry_out(std::mem::take(&mut plan)).await;
                    match other {
                        Change::Act(wish, done) => self.act(wish, done).await,
                        Change::Undo(done) => self.turn(Way::Undo, done).await,
                        Change::Redo(done) => self.turn(Way::Redo, done).await,
                        Change::ListActs(done) => {
                            let _ = done.send(self.list_acts());
                        }
                        Change::Restore(rows, drawers, done) => self.restore(rows, drawers, done).await,
                        Change::PutDrawer(drawer, done) => self.put_drawer(drawer, done).await,
                        Change::Loaded(loaded) => self.loaded(*loaded).await,
                        Change::Retry => self.retry().await,
                        Change::Sweep => self.sweep().await,
                        Change::Collect(unneeded, done) => self.collect(unneeded, done).await,
                        Change::Stop(done) => {
                            self.stop().await;
                            let _ = done.send(());
                            return true;
                        }
                        Change::Capture(_) | Change::Refusal(_) => {}
                    }
                }
            }
        }
        self.carry_out(plan).await;
        false
    }

    /// Commits copies and refusals together; one by one when the database refuses the group.
    async fn carry_out(&mut self, plan: Plan) {
        if plan.is_empty() {
            return;
        }
        for refusal in &plan.refusals {
            self.announce_refusal(refusal);
        }
        if self.mode != Mode::Ready {
            for capture in plan.captures {
                self.wait(capture);
            }
            return;
        }
        let mut draft = self.draft(&plan.captures);
        draft.group.refusals = plan.refusals;
        match self.commit(&draft.group).await {
            Ok(()) => self.apply(draft, plan.captures),
            Err(CommitError::Refused(why)) if plan.captures.len() > 1 => {
                tracing::warn!("a group of changes was refused ({why}); they are tried one by one");
                for capture in plan.captures {
                    Box::pin(self.carry_out(Plan { captures: vec![capture], refusals: Vec::new() })).await;
                }
            }
            Err(CommitError::NotStaged) => {
                for mut capture in plan.captures {
                    capture.staged = false;
                    self.save_one(capture).await;
                }
            }
            Err(CommitError::Refused(why)) => self.refuse(plan.captures, &why),
            Err(why) => {
                self.fall_back(&why);
                for capture in plan.captures {
                    self.wait(capture);
                }
            }
        }
    }

    /// Stages a copy's large contents and commits it alone. False when it has to wait (again).
    async fn save_one(&mut self, mut capture: Capture) -> bool {
        let mut outcome = Ok(());
        if !capture.staged {
            outcome = match &self.store {
                Some(store) => stage(store, &capture.contents, self.disk.as_deref()).await,
                None => Err(CommitError::Away("not open".into())),
            };
        }
        capture.staged = outcome.is_ok();
        let captures = vec![capture];
        let draft = self.draft(&captures);
        if outcome.is_ok() {
            outcome = self.commit(&draft.group).await;
        }
        match outcome {
            Ok(()) => {
                self.apply(draft, captures);
                true
            }
            Err(CommitError::Refused(why)) => {
                self.refuse(captures, &why);
                true
            }
            Err(why) => {
                self.fall_back(&why);
                for mut capture in captures {
                    capture.staged = false;
                    self.wait_first(capture);
                }
                false
            }
        }
    }

    async fn commit(&self, group: &Group) -> Result<(), CommitError> {
        let Some(store) = &self.store else { return Err(CommitError::Away("not open".into())) };
        let bytes: u64 = group.contents.iter().map(|(_, content)| content.len() as u64).sum();
        if !has_room(self.disk.as_deref(), bytes) {
            return Err(CommitError::Full);
        }
        match tokio::time::timeout(COMMIT_LIMIT, store.commit(group)).await {
            Ok(outcome) => outcome,
            Err(_) => Err(CommitError::Away("no answer in time".into())),
        }
    }

    /// The history follows what was committed, and everybody is told.
    fn apply(&mut self, draft: plan::Draft, captures: Vec<Capture>) {
        let kept = draft.clips.iter().any(|(_, planned)| planned.state.is_pinned());
        for ((id, planned), capture) in draft.clips.into_iter().zip(&captures) {
            self.on_disk.remove(&id);
            self.tombstones.remove(&id);
            let text = self.text_of(capture, planned.facts.chars);
            let clip = Clip {
                id,
                state: planned.state,
                facts: planned.facts,
                received_at: planned.received_at,
                saved: true,
            };
            self.put(clip, text.as_deref(), true);
        }
        for capture in captures {
            for (digest, content) in &capture.contents {
                self.app.remember(*digest, content);
            }
            self.settle_live(&capture);
            if let Some(done) = capture.done {
                let _ = done.send(Ok(capture.reading.id));
            }
        }
        if kept {
            self.app.events.send(api::Event::Kept);
        }
    }

    /// The text of a copy, when it is longer than its facts tell and not known to the search yet.
    fn text_of(&self, capture: &Capture, chars: u64) -> Option<String> {
        let short = chars <= yadori_core::clip::facts::HEAD_CHARS as u64
            && capture.reading.facts.file_count <= yadori_core::clip::facts::HEAD_FILES as u64;
        if short || self.app.corpus().has_whole(capture.reading.id) {
            return None;
        }
        plain_form(&capture.reading.offer)
    }

    /// Puts a clip into the history and the search, and announces it.
    fn put(&self, clip: Clip, text: Option<&str>, announced: bool) {
        let mut history = self.app.history_mut();
        let id = clip.id;
        self.app.corpus_mut().put(&clip, history.drawers(), text.map_or(Text::Known, Text::Whole));
        let placed = history.put(clip);
        if announced {
            self.announce(&history, id, placed);
        }
    }

    /// Takes a clip out of the history and the search, and announces that.
    fn take_out(&self, id: ClipId, announced: bool) {
        let mut history = self.app.history_mut();
        self.app.corpus_mut().remove(id);
        let placed = history.remove(id);
        if announced {
            self.announce(&history, id, placed);
        }
    }

    /// Fills history and search; long texts are read in the background.
    fn fill(&self, clips: Vec<Clip>, drawers: Vec<Drawer>) {
        let mut history = self.app.history_mut();
        drawers.into_iter().for_each(|drawer| history.drawers_mut().put(drawer));
        history.load(clips);
        let mut corpus = self.app.corpus_mut();
        let mut long = Vec::new();
        let mut oldest_first: Vec<_> = history.from(1).collect();
        oldest_first.reverse();
        for clip in oldest_first {
            corpus.put(clip, history.drawers(), Text::Known);
            if !facts_are_whole(clip) {
                long.push(clip.id);
            }
        }
        drop((corpus, history));
        tokio::spawn(crate::searching::read_long_texts(self.app.clone(), long));
    }

    fn announce(&self, history: &yadori_core::History, id: ClipId, placed: Placed) {
        let revision = history.revision();
        let before = placed.before.map(|place| place as u64);
        let event = match (history.get(id), before) {
            (Some(clip), before) => {
                api::Event::Clip(Box::new(api::ClipEvent { row: row(history, clip), before, revision }))
            }
            (None, Some(before)) => api::Event::Gone(api::GoneEvent { id: id.to_string(), before, revision }),
            (None, None) => return,
        };
        self.app.events.send(event);
    }

    fn settle_live(&self, capture: &Capture) {
        let (at, id, counts) = (capture.at, capture.reading.id, capture.live && !capture.standing);
        self.app.stand(|standing| {
            if counts {
                standing.last_copy_at = standing.last_copy_at.max(Some(at));
            }
            if standing.live == LiveNow::Pending(at) {
                standing.live = LiveNow::Clip(id, false);
            }
        });
    }

    fn refuse(&self, captures: Vec<Capture>, why: &str) {
        for capture in captures {
            tracing::error!("a copy was refused by the database ({why})");
            let program = capture.reading.offer.source.program.clone();
            self.announce_refusal(&RefusalRow {
                at: capture.at,
                reason: "invalid".into(),
                size: Some(capture.bytes()),
                program,
            });
            if let Some(done) = capture.done {
                let _ = done.send(Err(ActError::Refused(format!("the database would not take it ({why})"))));
            }
        }
    }

    fn announce_refusal(&self, row: &RefusalRow) {
        self.app.stand(|standing| {
            standing.refusals.push_front(row.clone());
            standing.refusals.truncate(REFUSALS);
        });
        self.app.events.send(api::Event::Refused(refusal(row)));
    }

    async fn loaded(&mut self, loaded: Loaded) {
        if let Some(clock) = loaded.clock {
            // Saved by this device itself, so it counts however far ahead it is.
            let last = self.clock.last().max(Some(clock));
            self.clock = HybridClock::resume(self.app.device, last);
        }
        let mut clips = Vec::with_capacity(loaded.clips.len());
        for row in loaded.clips {
            let (id, state) = (row.id, row.state.clone());
            match row.into_clip().filter(|clip| clip.state.offer().is_some()) {
                Some(clip) => clips.push(clip),
                None => {
                    self.tombstones.insert(id, state);
                }
            }
        }
        let count = clips.len();
        *self.app.history_mut() = yadori_core::History::default();
        *self.app.corpus_mut() = self.app.new_corpus();
        self.fill(clips, loaded.drawers);
        self.acts = loaded.acts;
        self.on_disk.clear();
        for id in self.waiting.iter().map(|capture| capture.reading.id).collect::<Vec<_>>() {
            let known = self.app.history().get(id).map(|clip| ClipRow::from(&**clip));
            self.on_disk.insert(id, known);
        }
        self.store = Some(loaded.store.clone());
        self.app.store.send_replace(Some(loaded.store));
        self.app.stand(|standing| {
            standing.loaded = true;
            standing.refusals.extend(loaded.refusals);
            standing.refusals.truncate(REFUSALS);
        });
        self.app.events.send(api::Event::Reset);
        tracing::info!("{count} clips loaded");
        self.flush().await;
        self.sweep().await;
        self.sweep_after_grace();
    }

    async fn stop(&mut self) {
        if matches!(self.mode, Mode::Away | Mode::Full) {
            self.flush().await;
        }
        if !self.waiting.is_empty() {
            tracing::error!("{} copies could not be saved before the end", self.waiting.len());
        }
    }
}

/// Stages the contents of a copy that are too large to travel with a change.
pub async fn stage(
    store: &Store,
    contents: &[(Digest, Content)],
    disk: Option<&std::path::Path>,
) -> Result<(), CommitError> {
    for (digest, content) in contents {
        if content.len() > yadori_store::CHUNK {
            stage_any(store, *digest, content, disk).await?;
        }
    }
    Ok(())
}

/// Stages one content of any size, if there is room for it.
pub async fn stage_any(
    store: &Store,
    digest: Digest,
    content: &Content,
    disk: Option<&std::path::Path>,
) -> Result<(), CommitError> {
    // Rows, their log and their doublewrite all take room for a while.
    if !has_room(disk, content.len() as u64 * 2) {
        return Err(CommitError::Full);
    }
    store.stage(digest, content, now()).await
}

/// True when so many bytes still fit beside the reserve.
pub fn has_room(disk: Option<&std::path::Path>, bytes: u64) -> bool {
    let Some(disk) = disk else { return true };
    match rustix::fs::statvfs(disk) {
        Ok(free) => free.f_bavail.saturating_mul(free.f_frsize) >= RESERVE + bytes,
        Err(_) => true,
    }
}
