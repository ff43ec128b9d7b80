//! A desktop that has both: the compositor's clipboard leads, since its X server's is a copy of it; of the X display its own
//! programs' copies are taken, of which more is known there. What is seen on both is told of once. Where the compositor
//! lets nobody follow its clipboard, the X display is all there is.

use std::collections::{HashMap, VecDeque};
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use tokio::sync::{mpsc, oneshot};
use yadori_core::Micros;

use crate::beside::Beside;
use crate::same::Fingerprints;
use crate::{Command, Desk, DeskEvent, DeskEvents, DeskState, Keys, Live, RefusedBecause, wayland, x11};

/// How long after the one the other display may tell of the same copy.
const SAME: Duration = Duration::from_secs(3);

/// How long after it was seen on both the compositor may offer an X program's copy anew. It does so when the program copies
/// more than once in a moment: what it offers for the first is read as the last.
const AGAIN: Duration = Duration::from_secs(1);

/// Copies of which it is known under which time they were told of.
const REMEMBERED: usize = 256;

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

/// A copy that was told of.
#[derive(Clone, Copy, Debug)]
struct Told {
    /// Which told of it first.
    from: Which,
    seen: Seen,
    /// Under which time.
    at: Micros,
    /// When it was seen last.
    when: Instant,
    /// The other has seen it as well.
    by_both: bool,
}

/// What both have told of.
struct Merged {
    tell: mpsc::UnboundedSender<DeskEvent>,
    fingerprints: Fingerprints,
    states: [Option<DeskState>; 2],
    said: Option<String>,
    leads: Arc<AtomicBool>,
    /// Copies that were told of lately.
    lately: Vec<Told>,
    /// When copies were made that one of them is reading, told of or held back: the other may be reading the same.
    reading: HashMap<Micros, (Which, bool, Instant)>,
    /// Under which time copies have been told of, by the time at which one of them saw them.
    told_as: VecDeque<(Micros, Micros)>,
    /// When the last copy was made that each of them knows of.
    newest: [Option<Micros>; 2],
    /// What was said last of what a paste would insert.
    said_live: Option<Live>,
}

impl Merged {
    fn say(&self, event: DeskEvent) {
        let _ = self.tell.send(event);
    }

    fn say_live(&mut self, live: Live) {
        self.said_live = Some(live);
        self.say(DeskEvent::Live(live));
    }

    /// Takes an event of one display in. True when the other's chords are to be told anew.
    fn take(&mut self, from: Which, event: DeskEvent) -> bool {
        let leads = self.leads.load(Ordering::SeqCst);
        let follows = from == Which::X && leads;
        match event {
            DeskEvent::State(state) => return self.stands(from, state),
            DeskEvent::Live(Live::Theirs(at)) => self.has_changed(from, at, follows),
            DeskEvent::Live(live) => {
                // Nothing was in what was held back.
                if live == Live::Empty {
                    self.reading.retain(|_, (which, ..)| *which != from);
                }
                self.newest[from as usize] = None;
                if !follows {
                    self.say_live(live);
                }
            }
            DeskEvent::Copied { offer, at_start, executable, selected } => {
                let print = self.fingerprints.of(&offer);
                let seen = if selected { Seen::Selected(print) } else { Seen::Content(print) };
                if self.is_new(from, offer.at, seen, follows) {
                    self.say(DeskEvent::Copied { offer, at_start, executable, selected });
                }
            }
            DeskEvent::Refused(refused) => {
                if self.is_new(from, refused.at, Seen::Refused(refused.reason), follows) {
                    self.say(DeskEvent::Refused(refused));
                }
            }
            DeskEvent::Chords(_) if follows => {}
            event => self.say(event),
        }
        false
    }

    /// The clipboard of one has changed hands.
    fn has_changed(&mut self, from: Which, at: Micros, follows: bool) {
        self.newest[from as usize] = Some(at);
        if let Some((_, told)) = self.told_as.iter().rev().find(|(seen, _)| *seen == at) {
            let live = Live::Theirs(*told);
            if !follows {
                self.say_live(live);
            }
            return;
        }
        self.forget_old();
        self.reading.retain(|_, (.., when)| when.elapsed() < LONGEST);
        let lately = self.reading.values().any(|(other, ..)| *other != from)
            || self.lately.iter().any(|told| told.from != from && !told.by_both);
        self.reading.insert(at, (from, lately, Instant::now()));
        if !lately {
            self.say_live(Live::Theirs(at));
        }
    }

    fn forget_old(&mut self) {
        self.lately.retain(|told| told.when.elapsed() < if told.by_both { AGAIN } else { SAME });
    }

    /// It has not been told of. What was held back of it is told then.
    fn is_new(&mut self, from: Which, at: Micros, seen: Seen, follows: bool) -> bool {
        self.forget_old();
        let held_back = self.reading.remove(&at).is_some_and(|(_, held_back, _)| held_back);
        // An X program's copy, of which the compositor has told, and that X has not read to its end.
        let x_reads = self.reading.values().any(|(which, ..)| *which == Which::X);
        let first = |told: &Told| told.from != from && !told.by_both;
        let may_be_again = from == Which::Wayland && matches!(seen, Seen::Content(_));
        let again = |told: &Told| may_be_again && (told.by_both || (x_reads && told.when.elapsed() < AGAIN));
        let find =
            |is: &dyn Fn(&Told) -> bool| self.lately.iter().position(|told| told.seen == seen && is(told));
        let known = find(&first).or_else(|| find(&again));
        if self.told_as.len() >= REMEMBERED {
            self.told_as.pop_front();
        }
        let Some(known) = known.and_then(|n| self.lately.get_mut(n)) else {
            self.told_as.push_back((at, at));
            self.lately.push(Told { from, seen, at, when: Instant::now(), by_both: false });
            if held_back {
                self.say_live(Live::Theirs(at));
            }
            return true;
        };
        known.by_both |= known.from != from;
        known.when = Instant::now();
        let live = Live::Theirs(known.at);
        self.told_as.push_back((at, known.at));
        // It is what is there now, under the time at which it was told of.
        if !follows && self.newest[from as usize] == Some(at) && self.said_live != Some(live) {
            self.say_live(live);
        }
        false
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
        fingerprints: Fingerprints::default(),
        states: [None, None],
        said: None,
        leads: leads.clone(),
        lately: Vec::new(),
        reading: HashMap::new(),
        told_as: VecDeque::new(),
        newest: [None; 2],
        said_live: None,
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

#[cfg(test)]
mod tests {
    use std::collections::HashMap;

    use proptest::prelude::*;
    use proptest::sample::Index;
    use yadori_core::clip::mime;
    use yadori_core::{Offer, Representation};

    use super::*;

    fn copied(text: usize, at: Micros) -> DeskEvent {
        let words = format!("copy {text}").into_bytes();
        let representations = vec![Representation::new(mime::PLAIN, words)];
        let offer = Arc::new(Offer { representations, at, ..Offer::default() });
        DeskEvent::Copied { offer, at_start: false, executable: None, selected: false }
    }

    /// What a burst brings: copies by X programs, of which the compositor tells once or twice, and of its own programs. Of an
    /// X program's copy the X display is told first; it has read it at any time.
    fn burst(copies: &[(bool, bool, Index)]) -> Vec<(Which, DeskEvent)> {
        let mut events: Vec<(Which, DeskEvent)> = Vec::new();
        for (n, (by_x, twice, when)) in copies.iter().enumerate() {
            let at = 10 * n as Micros;
            let begun = events.len();
            if *by_x {
                events.push((Which::X, DeskEvent::Live(Live::Theirs(at))));
            }
            for k in 1..=1 + Micros::from(*by_x && *twice) {
                events.push((Which::Wayland, DeskEvent::Live(Live::Theirs(at + k))));
                events.push((Which::Wayland, copied(n, at + k)));
            }
            if *by_x {
                let place = begun + 1 + when.index(events.len() - begun);
                events.insert(place, (Which::X, copied(n, at)));
            }
        }
        events
    }

    proptest! {
        #[test]
        fn each_copy_is_told_once_and_what_is_there_is_known_to_the_end(
            copies in prop::collection::vec((any::<bool>(), any::<bool>(), any::<Index>()), 1..24),
        ) {
            let (tell, mut said) = mpsc::unbounded_channel();
            let mut merged = Merged {
                tell,
                fingerprints: Fingerprints::default(),
                states: [None, None],
                said: None,
                leads: Arc::new(AtomicBool::new(true)),
                lately: Vec::new(),
                reading: HashMap::new(),
                told_as: VecDeque::new(),
                newest: [None; 2],
                said_live: None,
            };
            for (from, event) in burst(&copies) {
                merged.take(from, event);
            }
            let mut told = HashMap::new();
            let mut live = None;
            while let Ok(event) = said.try_recv() {
                match event {
                    DeskEvent::Copied { offer, .. } => {
                        let words = String::from_utf8(offer.representations[0].content.expose().to_vec()).unwrap();
                        prop_assert!(!told.values().any(|other| *other == words), "{words} twice");
                        told.insert(offer.at, words);
                    }
                    DeskEvent::Live(Live::Theirs(at)) => live = Some(at),
                    _ => {}
                }
            }
            prop_assert_eq!(told.len(), copies.len());
            let last = format!("copy {}", copies.len() - 1);
            prop_assert_eq!(live.and_then(|at| told.get(&at)), Some(&last), "{:?}", told);
        }
    }
}
