//! What goes through the queue.

use std::collections::HashMap;

use tokio::sync::{mpsc, oneshot};
use yadori_api as api;
use yadori_core::acts::bring_drawer::ForeignDrawer;
use yadori_core::acts::{Act, ActKind, Copied, Direction};
use yadori_core::intake::rule::Rule;
use yadori_core::search::Corpus;
use yadori_core::{BatchId, ClipId, Content, Digest, Drawer, History, Micros, Stamp};
use yadori_store::{ActRow, RefusalRow, SignInChange, SignInRow, Store};

use crate::writer::error::WriteError;
use crate::writer::received::Received;
use crate::writer::wish::ClearWish;

/// Copies above this are read, staged and let go of aside, in bytes.
pub const ASIDE: u64 = 512 * 1024;

/// Where an answer goes.
pub type Done<T> = oneshot::Sender<Result<T, WriteError>>;

/// The name of an import, under which it is noted what it does until that is acts.
pub type ImportId = [u8; 16];

/// The act that a copy's coming is a part of.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum PartOf {
    /// None: it came by itself.
    #[default]
    Nothing,
    /// That of an import, which is recorded when it ends.
    Import(ImportId),
    /// One of its own under this id, recorded with it.
    Own([u8; 16]),
}

/// What became of a copy that somebody waited for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Saved {
    /// The clip.
    pub clip: ClipId,
    /// Its coming can be taken back as an act of its own.
    pub act: Option<[u8; 16]>,
}

/// A copy on its way into the history.
#[derive(Debug)]
pub struct Capture {
    /// What it turned out to be.
    pub copied: Copied,
    /// Its contents.
    pub contents: Vec<(Digest, Content)>,
    /// Its text, when it is longer than its facts tell.
    pub text: Option<String>,
    /// The large contents among them were staged.
    pub staged: bool,
    /// It was made on this desktop just now, rather than brought in.
    pub live: bool,
    /// The act that its coming is a part of.
    pub part_of: PartOf,
    /// Who waits for it.
    pub done: Option<Done<Saved>>,
}

impl Capture {
    /// Bytes of its contents.
    pub fn bytes(&self) -> u64 {
        self.contents.iter().map(|(_, content)| content.len() as u64).sum()
    }
}

/// What comes with an act.
#[derive(Debug, Default)]
pub struct With {
    /// Contents; large ones were staged.
    pub contents: Vec<(Digest, Content)>,
    /// Contents that are recorded already and must still be there.
    pub needs: Vec<Digest>,
    /// A clip's text, when it is longer than its facts tell.
    pub text: Option<(ClipId, String)>,
    /// Secrets among the clips are meant to be kept.
    pub secrets: bool,
}

impl From<Capture> for With {
    fn from(capture: Capture) -> Self {
        let text = capture.text.map(|text| (capture.copied.id, text));
        Self { contents: capture.contents, text, ..Self::default() }
    }
}

/// How far a batch was handed out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Handed {
    /// This item was: the one after it is next.
    Past(u32),
    /// This item is next.
    At(u32),
    /// Everything was.
    All,
    /// As far as before: it is taken in hand.
    Same,
}

/// When the words of pictures were read.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Lately {
    /// Just now: whoever looks at the clip is told.
    Now,
    /// Earlier; they were recorded.
    Earlier,
}

/// What was done.
#[derive(Debug, Clone)]
pub struct Outcome {
    /// Which act.
    pub id: [u8; 16],
    /// The kind of act.
    pub kind: ActKind,
    /// The clips it touched; none are named for a clearing.
    pub ids: Vec<ClipId>,
    /// How many they are.
    pub count: u64,
    /// What it made.
    pub made: Option<String>,
}

/// A change.
#[derive(Debug)]
pub enum Change {
    /// A copy.
    Capture(Box<Capture>),
    /// A copy that is held in memory alone, for so many minutes.
    Fleeting(Box<Capture>, f64),
    /// A copy that is not kept.
    Refusal(RefusalRow),
    /// A person does something.
    Act(Box<Act>, Box<With>, Done<Outcome>),
    /// Something of a batch was handed out.
    Handed(BatchId, Handed, Done<()>),
    /// A person takes an act back, or makes it again: the one named, or the last.
    Step(Direction, Option<[u8; 16]>, Done<Outcome>),
    /// Up to where this device has written.
    Floor(oneshot::Sender<Stamp>),
    /// Clips are cleared.
    Clear(Box<ClearWish>, Done<Outcome>),
    /// Clips go without leaving anything: those whose time is still the same; favorites as well, or not.
    Evict(Vec<(ClipId, Micros)>, bool, Done<Outcome>),
    /// What can be taken back, and made again.
    ListActs(oneshot::Sender<Vec<api::Act>>),
    /// What is typed in an editor: to be kept, or let go of.
    Draft(ClipId, Option<String>, Done<()>),
    /// Browsers sign in, come back, and sign out.
    SignIns(Vec<SignInChange>, Done<()>),
    /// Drawers that come with an import. Gives their ids by folded name.
    BringDrawers(Vec<ForeignDrawer>, ImportId, Done<HashMap<String, String>>),
    /// An import has ended: what it has done behind a number is an act, as much as one knows of. Gives up to which, and whether
    /// it is one; none where there is no more.
    Imported(ImportId, u64, Done<Option<(u64, bool)>>),
    /// A backup was received whole, and becomes the history.
    Restored(Box<(History, Corpus)>, Vec<Drawer>, Done<u64>),
    /// What has come from other devices.
    Merge(Box<Received>, Done<()>),
    /// What was made of a batch here is to be sent.
    Share(BatchId, Done<()>),
    /// What was made of the intake rules here is to be sent; or they are what devices agree on.
    ShareRules(Vec<Rule>, bool, Done<Vec<Rule>>),
    /// The records are open; this is what they hold.
    Loaded(Box<Loaded>),
    /// Contents that nobody seems to need.
    Collect(Vec<Digest>, Done<()>),
    /// Words that were read from pictures; just now, or earlier.
    Pictured(Vec<(ClipId, String)>, Lately, oneshot::Sender<()>),
    /// The service ends: save what can be saved.
    Stop(oneshot::Sender<()>),
}

/// The records at start.
#[derive(Debug)]
pub struct Loaded {
    /// The open records.
    pub store: Store,
    /// Every clip, every drawer.
    pub history: History,
    /// Their texts, as far as facts tell.
    pub corpus: Corpus,
    /// The clock as saved.
    pub clock: Option<Stamp>,
    /// Refusals as saved, newest first.
    pub refusals: Vec<RefusalRow>,
    /// Every act, without what is needed to take it back.
    pub acts: Vec<ActRow>,
    /// Browsers that are signed in.
    pub sign_ins: Vec<SignInRow>,
}

/// The way to the writer.
#[derive(Clone, Debug)]
pub struct Queue(mpsc::UnboundedSender<Change>);

/// A queue, and its end for the writer.
pub fn queue() -> (Queue, mpsc::UnboundedReceiver<Change>) {
    let (sender, receiver) = mpsc::unbounded_channel();
    (Queue(sender), receiver)
}

impl Queue {
    /// Sends a change that nobody waits for.
    pub fn send(&self, change: Change) {
        // Refused only when the writer has ended with the service.
        let _ = self.0.send(change);
    }

    async fn ask<T>(&self, change: impl FnOnce(Done<T>) -> Change) -> Result<T, WriteError> {
        let (done, answer) = oneshot::channel();
        self.send(change(done));
        answer.await.unwrap_or(Err(WriteError::Stopping))
    }

    /// A person does something.
    ///
    /// # Errors
    /// Nothing was done then.
    pub async fn act(&self, act: Act, with: With) -> Result<Outcome, WriteError> {
        self.ask(|done| Change::Act(Box::new(act), Box::new(with), done)).await
    }

    /// Something of a batch was handed out. It is recorded when this returns, as far as the records can be written.
    ///
    /// # Errors
    /// The batch is gone.
    pub async fn handed(&self, batch: BatchId, handed: Handed) -> Result<(), WriteError> {
        self.ask(|done| Change::Handed(batch, handed, done)).await
    }

    /// A person takes an act back, or makes it again: the one named, or (`None`) the last.
    ///
    /// # Errors
    /// Nothing was done then.
    pub async fn step(&self, direction: Direction, which: Option<[u8; 16]>) -> Result<Outcome, WriteError> {
        self.ask(|done| Change::Step(direction, which, done)).await
    }

    /// The stamp of what was written last: what is written after this answer has a later one.
    ///
    /// # Errors
    /// When the service is stopping.
    pub async fn floor(&self) -> Result<Stamp, WriteError> {
        let (done, answer) = oneshot::channel();
        self.send(Change::Floor(done));
        answer.await.map_err(|_| WriteError::Stopping)
    }

    /// Clears clips. Comes back when they have gone.
    ///
    /// # Errors
    /// Nothing has gone then, unless the service ends: then it goes on at the next start.
    pub async fn clear(&self, wish: ClearWish) -> Result<Outcome, WriteError> {
        self.ask(|done| Change::Clear(Box::new(wish), done)).await
    }

    /// Lets clips go without leaving anything: favorites among them too, if they are meant. Comes back when they have gone.
    ///
    /// # Errors
    /// The rest stays then.
    pub async fn evict(&self, clips: Vec<(ClipId, Micros)>, favorites: bool) -> Result<Outcome, WriteError> {
        self.ask(|done| Change::Evict(clips, favorites, done)).await
    }

    /// The acts that can be taken back or made again, newest first.
    ///
    /// # Errors
    /// When the service is stopping.
    pub async fn acts(&self) -> Result<Vec<api::Act>, WriteError> {
        let (done, answer) = oneshot::channel();
        self.send(Change::ListActs(done));
        answer.await.map_err(|_| WriteError::Stopping)
    }

    /// What was made of a batch here since it was last asked is to be sent.
    ///
    /// # Errors
    /// It is to be asked again then.
    pub async fn share(&self, batch: BatchId) -> Result<(), WriteError> {
        self.ask(|done| Change::Share(batch, done)).await
    }

    /// What was made of the intake rules here since it was last asked is to be sent, unless they are what devices agree on.
    /// Gives the list that they agree on.
    ///
    /// # Errors
    /// It is to be asked again then.
    pub async fn share_rules(&self, rules: Vec<Rule>, agreed: bool) -> Result<Vec<Rule>, WriteError> {
        self.ask(|done| Change::ShareRules(rules, agreed, done)).await
    }

    /// Keeps what is typed in an editor, or lets go of it.
    ///
    /// # Errors
    /// It is as before then.
    pub async fn draft(&self, clip: ClipId, text: Option<String>) -> Result<(), WriteError> {
        self.ask(|done| Change::Draft(clip, text, done)).await
    }

    /// Browsers sign in, come back, and sign out.
    ///
    /// # Errors
    /// Nothing of it is recorded then.
    pub async fn sign_ins(&self, changes: Vec<SignInChange>) -> Result<(), WriteError> {
        self.ask(|done| Change::SignIns(changes, done)).await
    }

    /// Brings drawers in. Gives their ids by folded name.
    ///
    /// # Errors
    /// None was brought in then.
    pub async fn bring_drawers(
        &self,
        drawers: Vec<ForeignDrawer>,
        import: ImportId,
    ) -> Result<HashMap<String, String>, WriteError> {
        self.ask(|done| Change::BringDrawers(drawers, import, done)).await
    }

    /// An import has ended, now or with the service before: what it has brought can be taken back. Gives how many acts that
    /// takes; none if it changed nothing.
    ///
    /// # Errors
    /// What it has brought stays then.
    pub async fn imported(&self, import: ImportId) -> Result<usize, WriteError> {
        let (mut acts, mut after) = (0, 0);
        // One after the other: who copies something meanwhile waits for one at most.
        while let Some((upto, is_act)) = self.ask(|done| Change::Imported(import, after, done)).await? {
            acts += usize::from(is_act);
            after = upto;
        }
        Ok(acts)
    }

    /// Makes a backup that was received whole the history. Gives the number of clips.
    ///
    /// # Errors
    /// The history is as before then.
    pub async fn restored(
        &self,
        history: History,
        corpus: Corpus,
        drawers: Vec<Drawer>,
    ) -> Result<u64, WriteError> {
        self.ask(|done| Change::Restored(Box::new((history, corpus)), drawers, done)).await
    }

    /// Merges what has come from other devices. It is on disk when this returns.
    ///
    /// # Errors
    /// Nothing of it is merged then.
    pub async fn merge(&self, received: Received) -> Result<(), WriteError> {
        self.ask(|done| Change::Merge(Box::new(received), done)).await
    }

    /// Deletes those contents that nobody needs.
    ///
    /// # Errors
    /// They stay then.
    pub async fn collect(&self, contents: Vec<Digest>) -> Result<(), WriteError> {
        self.ask(|done| Change::Collect(contents, done)).await
    }

    /// Words that were read from the pictures of clips are found from now on.
    pub async fn pictured(&self, words: Vec<(ClipId, String)>, lately: Lately) {
        let (done, known) = oneshot::channel();
        self.send(Change::Pictured(words, lately, done));
        let _ = known.await;
    }

    /// Saves what can be saved, and ends the writer.
    pub async fn stop(&self) {
        let (done, stopped) = oneshot::channel();
        self.send(Change::Stop(done));
        let _ = stopped.await;
    }
}
