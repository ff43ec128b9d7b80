//! The live clipboard of this computer: what other programs copy arrives as offers, and what is taken is served back
//! to them with every representation.
//!
//! A [`Desk`] runs on one thread of its own and speaks through [`DeskEvent`]s. There is one for X11 ([`x11`]) and one
//! in memory ([`memory`]) for tests of what is above; both are held to the same contract tests.

mod beside;
mod both;
pub mod displays;
mod habit;
mod inbox;
mod job;
pub mod lamp;
pub mod memory;
mod picture;
mod release;
mod same;
pub mod wayland;
pub mod x11;

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use tokio::sync::{mpsc, oneshot};
use yadori_core::intake::rules::Rules;
use yadori_core::take::chord::{Chord, PasteTable, Purpose};
use yadori_core::{COPY_CAP, Micros, Offer, Source};

/// What happened on the desktop.
#[derive(Debug, Clone)]
pub enum DeskEvent {
    /// Whether copies can be seen at all.
    State(DeskState),
    /// What the next ordinary paste would insert has changed.
    Live(Live),
    /// A copy was read.
    Copied {
        /// What it is.
        offer: Arc<Offer>,
        /// It was already on the clipboard when the desk began to watch.
        at_start: bool,
        /// The executable of its program, without its directory.
        executable: Option<String>,
        /// It was selected, and not copied: the live clipboard is what it was.
        selected: bool,
    },
    /// A copy was made that is not kept.
    Refused(Refused),
    /// Which chords are heard on this display, and which are not.
    Chords(Vec<ChordHeard>),
    /// A chord was pressed.
    Pressed(Purpose),
    /// The picker did not come up; the keyboard was let go of.
    NoPicker,
}

/// Keys that the desk listens for, and those that it presses.
#[derive(Debug, Clone, Default)]
pub struct Keys {
    /// Chords, each with what it is for.
    pub chords: Vec<(Purpose, Chord)>,
    /// What pastes in which program.
    pub paste: PasteTable,
    /// What is read at all.
    pub intake: Intake,
}

/// What is read at all.
#[derive(Debug, Clone)]
pub struct Intake {
    /// What they refuse before it is read is not asked for.
    pub rules: Rules,
    /// Bytes of one copy at most, [`COPY_CAP`] or less.
    pub cap: u64,
    /// What is selected is read as well, once it has been left alone for a moment.
    pub selected: bool,
}

impl Default for Intake {
    fn default() -> Self {
        Self { rules: Rules::default(), cap: COPY_CAP, selected: false }
    }
}

/// A chord, and whether it is heard.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ChordHeard {
    /// What it is for.
    pub purpose: Purpose,
    /// Its keys.
    pub chord: Chord,
    /// Why it is not heard.
    pub problem: Option<ChordProblem>,
}

/// Why a chord is not heard.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChordProblem {
    /// Another program holds it.
    Taken,
    /// The keyboard has no such key.
    NoSuchKey,
    /// The compositor hears the keys, and lets nobody else.
    Compositor,
}

/// Where something is pasted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PasteInto {
    /// In the window in front.
    Front,
    /// In the window that was in front when the picker's chord was pressed; in front where none is known.
    Behind,
    /// The same, and then back to the picker.
    BehindAndBack,
}

/// What is to be pasted, and how.
pub struct Paste {
    /// What; `None` for nothing, so that only `then` is pressed.
    pub offer: Option<Arc<Offer>>,
    /// Where.
    pub into: PasteInto,
    /// Done when the program that is meant asks for the content, before it gets it. It should not take long: nothing else
    /// is served meanwhile.
    pub asked: Option<Box<dyn FnOnce() + std::marker::Send>>,
    /// Pressed after it was pasted.
    pub then: Option<Chord>,
}

impl Paste {
    /// An offer into a place, and nothing more.
    pub fn of(offer: Arc<Offer>, into: PasteInto) -> Self {
        Self { offer: Some(offer), into, asked: None, then: None }
    }
}

impl std::fmt::Debug for Paste {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Paste({:?})", self.into)
    }
}

/// Why something was not pasted. It is on the live clipboard all the same, unless that is what failed.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PasteError {
    /// It could not be taken.
    #[error(transparent)]
    Take(#[from] TakeError),
    /// The display takes no keys from programs.
    #[error("this display lets no program press keys (it lacks the XTEST extension)")]
    NoKeys,
    /// The compositor lets no program press keys.
    #[error("this compositor lets no program press keys (it lacks virtual-keyboard)")]
    NoVirtualKeyboard,
    /// Nothing to paste into.
    #[error("no window has the keyboard")]
    NoWindow,
    /// The window that was in front is gone, or does not come to the front.
    #[error("the window it was meant for is gone")]
    WindowGone,
    /// Nobody asked for it.
    #[error(
        "{0} did not ask for it within a second; if it pastes by other keys, name them under [paste] in the configuration"
    )]
    NobodyAsked(String),
}

/// Whether copies can be seen.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DeskState {
    /// On the way.
    Connecting,
    /// Every copy is seen.
    Watching {
        /// Which display, or which two.
        display: String,
        /// What of it is not seen, and why, in plain words.
        note: Option<String>,
    },
    /// Copies are not seen; tried again by itself.
    Lost {
        /// What happened and what to do, in plain words.
        reason: String,
    },
    /// There is no display to watch.
    Absent {
        /// What to do, in plain words.
        reason: String,
    },
}

/// What the next ordinary paste would insert.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Live {
    /// Nothing.
    Empty,
    /// What another program copied at this time; a [`DeskEvent::Copied`] or [`DeskEvent::Refused`] follows, or
    /// [`Live::Empty`] when there is nothing in it. It may have been told of before.
    Theirs(Micros),
    /// What was last taken.
    Taken,
    /// What a program had copied at this time that has closed since.
    TakenOver(Micros),
}

/// A copy that is not kept.
#[derive(Debug, Clone)]
pub struct Refused {
    /// When it was made.
    pub at: Micros,
    /// Why.
    pub reason: RefusedBecause,
    /// Where it came from.
    pub source: Source,
}

/// Why a copy is not kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RefusedBecause {
    /// Larger than the cap. Carries its size in bytes, as far as it was read.
    TooLarge(u64),
    /// The program asked not to record it, or was gone before that could be read. Nothing else is known of it.
    DoNotRecord,
    /// The program did not answer, or ended while its copy was being read.
    Unreadable,
    /// Capture is paused. Nothing of it was read.
    Paused,
    /// A rule of the person's, counted from 0, refuses it. Nothing of it was read.
    Ruled(usize),
}

/// Why nothing was taken.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TakeError {
    /// No display.
    #[error("there is no clipboard to put it on: {0}")]
    NoDisplay(String),
    /// Another program took the clipboard at the same moment.
    #[error("another program took the clipboard at the same moment; try again")]
    Lost,
    /// The desk has ended.
    #[error("the service is stopping")]
    Stopping,
}

pub(crate) enum Command {
    Take(Arc<Offer>, oneshot::Sender<Result<(), TakeError>>),
    Paste(Paste, oneshot::Sender<Result<(), PasteError>>),
    HandOver(oneshot::Sender<Option<Vec<Typed>>>),
    /// It is being opened by other means than its chord.
    ExpectPicker,
    /// Its program could not be started, or has ended without one.
    PickerFailed,
    Target(PasteInto, oneshot::Sender<Option<String>>),
    /// The clipboard is to hold nothing.
    Clear(oneshot::Sender<bool>),
    /// A copy of this time is let go of.
    Forget(Micros),
    /// Copies are read again.
    Resume(oneshot::Sender<()>),
    Listen,
    Stop,
}

/// A key that was pressed before the picker was there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Typed {
    /// It types this.
    Text(String),
    /// It types nothing: its keysym.
    Key(Chord),
}

type SendCommand = dyn Fn(Command) -> bool + std::marker::Send + Sync;

/// A running desk.
pub struct Desk {
    send: Box<SendCommand>,
    keys: Arc<Mutex<Arc<Keys>>>,
    paused: Vec<Arc<AtomicBool>>,
    thread: Option<std::thread::JoinHandle<()>>,
}

impl std::fmt::Debug for Desk {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Desk(..)")
    }
}

/// Where a desk's events go.
pub type DeskEvents = mpsc::UnboundedReceiver<DeskEvent>;

impl Desk {
    /// Puts an offer on the live clipboard. When this returns `Ok`, it is pasteable.
    pub async fn take(&self, offer: Arc<Offer>) -> Result<(), TakeError> {
        let (done, answer) = oneshot::channel();
        if !(self.send)(Command::Take(offer, done)) {
            return Err(TakeError::Stopping);
        }
        answer.await.unwrap_or(Err(TakeError::Stopping))
    }

    /// Puts an offer on the live clipboard and has the program in front paste it. `Ok` once that has asked for it.
    /// Pastes are carried out one after another.
    pub async fn paste(&self, paste: Paste) -> Result<(), PasteError> {
        let (done, answer) = oneshot::channel();
        if !(self.send)(Command::Paste(paste, done)) {
            return Err(TakeError::Stopping.into());
        }
        answer.await.unwrap_or(Err(TakeError::Stopping.into()))
    }

    /// The picker is there: what was typed since its chord, once its window has the keyboard. What is typed after that
    /// goes to it. `None` when its chord was not pressed: it was started by other means.
    pub async fn hand_over(&self) -> Option<Vec<Typed>> {
        let (done, answer) = oneshot::channel();
        if !(self.send)(Command::HandOver(done)) {
            return None;
        }
        answer.await.ok().flatten()
    }

    /// The picker is about to be opened by other means than its chord: what has the keyboard now is where it pastes.
    pub fn expect_picker(&self) {
        (self.send)(Command::ExpectPicker);
    }

    /// The picker won't come: the keyboard is let go of, should it be held for it.
    pub fn picker_failed(&self) {
        (self.send)(Command::PickerFailed);
    }

    /// The class of the window that a paste would go into now; `None` where there is none.
    pub async fn target(&self, into: PasteInto) -> Option<String> {
        let (done, answer) = oneshot::channel();
        if !(self.send)(Command::Target(into, done)) {
            return None;
        }
        answer.await.ok().flatten()
    }

    /// Empties the live clipboard, whoever holds it. True when it was done.
    pub async fn clear(&self) -> bool {
        let (done, answer) = oneshot::channel();
        (self.send)(Command::Clear(done)) && answer.await.unwrap_or(false)
    }

    /// Lets go of what was copied at this time: should its program end, it is not taken over. Where the desk itself
    /// offers it, the clipboard is emptied.
    pub fn forget(&self, at: Micros) {
        (self.send)(Command::Forget(at));
    }

    /// Listens for these chords from now on, and presses these keys; [`DeskEvent::Chords`] tells which are heard.
    pub fn listen(&self, keys: Keys) {
        *self.keys.lock().unwrap_or_else(PoisonError::into_inner) = Arc::new(keys);
        (self.send)(Command::Listen);
    }

    /// Nothing that is copied from now on is read; what is being read is read to its end.
    pub fn pause(&self) {
        self.paused.iter().for_each(|paused| paused.store(true, Ordering::SeqCst));
    }

    /// True while nothing that is copied is read.
    pub fn is_paused(&self) -> bool {
        self.paused.iter().any(|paused| paused.load(Ordering::SeqCst))
    }

    /// What is copied from now on is read; what was copied before is not.
    pub async fn resume(&self) {
        let (done, answer) = oneshot::channel();
        if (self.send)(Command::Resume(done)) {
            let _ = answer.await;
        }
    }

    /// Ends the desk and waits for its thread.
    pub fn stop(mut self) {
        self.end();
    }

    fn end(&mut self) {
        (self.send)(Command::Stop);
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

impl Drop for Desk {
    fn drop(&mut self) {
        self.end();
    }
}

/// Microseconds since the Unix epoch.
pub(crate) fn now() -> Micros {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
    Micros::try_from(since.as_micros()).unwrap_or(Micros::MAX)
}
