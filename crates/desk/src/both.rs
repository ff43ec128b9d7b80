//! A desktop that has both: the compositor's clipboard leads, since its X server's is a copy of it; of the X display its own
//! programs' copies are taken, of which more is known there. What is seen on both is told of once. Where the compositor
//! lets nobody follow its clipboard, the X display is all there is.

use std::collections::HashMap;
use std::hash::{BuildHasher as _, RandomState};
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use tokio::sync::{mpsc, oneshot};
use yadori_core::clip::mime;
use yadori_core::{Micros, Offer};

use crate::beside::Beside;
use crate::{Command, Desk, DeskEvent, DeskEvents, DeskState, Keys, Live, RefusedBecause, wayland, x11};

/// How long after the one the other display may tell of the same copy.
const SAME: Duration = Duration::from_secs(3);

/// How long a copy may take to be read.
const LONGEST: Duration = Duration::from_secs(120);

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Which {
    X,
    Wayland,
}

/// What a copy was, without what it held.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Seen {
    Content(u64),
    /// The same of what was selected, and not copied.
    Selected(u64),
    Refused(RefusedBecause),
}

/// What both have told of.
struct Merged {
    tell: mpsc::UnboundedSender<DeskEvent>,
    random: RandomState,
    states: [Option<DeskState>; 2],
    said: Option<String>,
    leads: Arc<AtomicBool>,
    /// Copies that one of them has told of and the other has not.
    alone: Vec<(Which, Seen, Instant)>,
    /// When copies were made that one of them is reading, told of or held back: the other may be reading the same.
    reading: HashMap<Micros, (Which, bool, Instant)>,
}

impl Merged {
    fn say(&self, event: DeskEvent) {
        let _ = self.tell.send(event);
    }

    /// Takes an event of one display in. True when the other's chords are to be told anew.
    fn take(&mut self, from: Which, event: DeskEvent) -> bool {
        let leads = self.leads.load(Ordering::SeqCst);
        let follows = from == Which::X && leads;
        match event {
            DeskEvent::State(state) => return self.stands(from, state),
            DeskEvent::Live(Live::Theirs(at)) => {
                self.alone.retain(|(.., when)| when.elapsed() < SAME);
                self.reading.retain(|_, (.., when)| when.elapsed() < LONGEST);
                let lately = self.reading.values().any(|(other, ..)| *other != from)
                    || self.alone.iter().any(|(other, ..)| *other != from);
                self.reading.insert(at, (from, lately, Instant::now()));
                if !lately {
                    self.say(DeskEvent::Live(Live::Theirs(at)));
                }
            }
            DeskEvent::Live(live) => {
                // Nothing was in what was held back.
                if live == Live::Empty {
                    self.reading.retain(|_, (which, ..)| *which != from);
                }
                if !follows {
                    self.say(DeskEvent::Live(live));
                }
            }
            DeskEvent::Copied { offer, at_start, executable, selected } => {
                let digest = self.digest(&offer);
                let seen = if selected { Seen::Selected(digest) } else { Seen::Content(digest) };
                if self.is_new(from, offer.at, seen) {
                    self.say(DeskEvent::Copied { offer, at_start, executable, selected });
                }
            }
            DeskEvent::Refused(refused) => {
                if self.is_new(from, refused.at, Seen::Refused(refused.reason)) {
                    self.say(DeskEvent::Refused(refused));
                }
            }
            DeskEvent::Chords(_) if follows => {}
            event => self.say(event),
        }
        false
    }

    /// The other has not told of it. What was held back of it is told then.
    fn is_new(&mut self, from: Which, at: Micros, seen: Seen) -> bool {
        self.alone.retain(|(.., when)| when.elapsed() < SAME);
        let held_back = self.reading.remove(&at).is_some_and(|(_, held_back, _)| held_back);
        let same = |(other, what, _): &(Which, Seen, Instant)| *other != from && *what == seen;
        if let Some(n) = self.alone.iter().position(same) {
            self.alone.remove(n);
            return false;
        }
        self.alone.push((from, seen, Instant::now()));
        if held_back {
            self.say(DeskEvent::Live(Live::Theirs(at)));
        }
        true
    }

    fn digest(&self, offer: &Offer) -> u64 {
        let texts = offer.representations.iter().filter_map(|one| Some((mime::text_rank(&one.mime)?, one)));
        let text = texts.min_by_key(|(rank, _)| *rank).map(|(_, one)| one);
        let first = text.or(offer.representations.first());
        self.random.hash_one(first.map(|one| &one.content.expose()[..]))
    }

    /// What is watched by now, in one word.
    fn stands(&mut self, from: Which, state: DeskState) -> bool {
        self.states[usize::from(from == Which::Wayland)] = Some(state);
        let leads = matches!(self.states[1], Some(DeskState::Watching { .. }));
        let changed = self.leads.swap(leads, Ordering::SeqCst) != leads;
        let state = match &self.states {
            [Some(DeskState::Watching { display: x, .. }), Some(DeskState::Watching { display, .. })] => {
                DeskState::Watching { display: format!("{display} and {x}"), note: None }
            }
            [_, Some(DeskState::Watching { display, note })] => {
                DeskState::Watching { display: display.clone(), note: note.clone() }
            }
            [
                Some(DeskState::Watching { display, .. }),
                Some(DeskState::Lost { reason } | DeskState::Absent { reason }),
            ] => {
                let note = format!("only X programs' copies are kept: {reason}");
                DeskState::Watching { display: display.clone(), note: Some(note) }
            }
            [Some(DeskState::Lost { .. } | DeskState::Absent { .. }), Some(other)]
            | [Some(other), None]
            | [None, Some(other)] => other.clone(),
            _ => DeskState::Connecting,
        };
        let words = format!("{state:?}");
        // One alone, at the start, says nothing of both.
        if self.states.iter().all(Option::is_some) && self.said.as_ref() != Some(&words) {
            self.said = Some(words);
            self.say(DeskEvent::State(state));
        }
        changed
    }
}

/// Starts watching both.
pub(crate) fn start(
    display: String,
    socket: PathBuf,
    keys: Keys,
    paused: bool,
) -> std::io::Result<(Desk, DeskEvents)> {
    let leads = Arc::new(AtomicBool::new(true));
    let beside = Beside { socket: socket.clone(), leads: leads.clone() };
    let (wayland, of_wayland) = wayland::start(socket, keys.clone(), paused)?;
    let (x, of_x) = x11::start_beside(display, Keys { chords: Vec::new(), ..keys.clone() }, paused, beside)?;
    let flags = wayland.paused.iter().chain(&x.paused).cloned().collect();
    let (tell, events) = mpsc::unbounded_channel();
    let merged = Arc::new(Mutex::new(Merged {
        tell,
        random: RandomState::new(),
        states: [None, None],
        said: None,
        leads: leads.clone(),
        alone: Vec::new(),
        reading: HashMap::new(),
    }));
    let keys = Arc::new(Mutex::new(Arc::new(keys)));
    let desks = Arc::new(Desks { x, wayland, keys: keys.clone(), leads });
    for (which, mut from) in [(Which::Wayland, of_wayland), (Which::X, of_x)] {
        // The desks end with the last who may send to them; these threads end with the desks.
        let (merged, desks) = (merged.clone(), Arc::downgrade(&desks));
        std::thread::Builder::new().name("both displays".into()).spawn(move || {
            while let Some(event) = from.blocking_recv() {
                let anew = merged.lock().unwrap_or_else(PoisonError::into_inner).take(which, event);
                if anew && let Some(desks) = desks.upgrade() {
                    desks.listen();
                }
            }
        })?;
    }
    let send = Box::new(move |command| desks.send(command));
    Ok((Desk { send, keys, paused: flags, thread: None }, events))
}

struct Desks {
    x: Desk,
    wayland: Desk,
    keys: Arc<Mutex<Arc<Keys>>>,
    leads: Arc<AtomicBool>,
}

impl Desks {
    /// The chords are the compositor's business, unless the X display is all there is.
    fn listen(&self) {
        let keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner).clone();
        let leads = self.leads.load(Ordering::SeqCst);
        let chords = if leads { Vec::new() } else { keys.chords.clone() };
        self.x.listen(Keys { chords, ..(*keys).clone() });
        self.wayland.listen((*keys).clone());
    }

    fn send(self: &Arc<Self>, command: Command) -> bool {
        match command {
            Command::Stop => (self.x.send)(Command::Stop) & (self.wayland.send)(Command::Stop),
            Command::Forget(at) => {
                (self.x.send)(Command::Forget(at)) & (self.wayland.send)(Command::Forget(at))
            }
            Command::Listen => {
                self.listen();
                true
            }
            Command::Resume(done) => {
                // Done once both have, whichever is last.
                let (first, answer) = oneshot::channel();
                let sent = (self.x.send)(Command::Resume(first));
                let desks = self.clone();
                let after = move || {
                    let _ = answer.blocking_recv();
                    (desks.wayland.send)(Command::Resume(done));
                };
                sent && std::thread::Builder::new().name("resume".into()).spawn(after).is_ok()
            }
            command if self.leads.load(Ordering::SeqCst) => (self.wayland.send)(command),
            command => (self.x.send)(command),
        }
    }
}
