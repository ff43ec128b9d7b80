//! What is known of the clipboard and the desktop, as the compositor's events tell it.

mod pasting;
pub(super) mod protocols;
pub(super) mod reading;
pub(super) mod serving;
mod windows;

use std::collections::HashMap;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use tokio::sync::mpsc;
use wayland_client::backend::ObjectId;
use wayland_client::protocol::wl_callback::{Event as CallbackEvent, WlCallback};
use wayland_client::protocol::wl_display::WlDisplay;
use wayland_client::protocol::wl_registry::{Event as RegistryEvent, WlRegistry};
use wayland_client::protocol::wl_seat::WlSeat;
use wayland_client::{Connection, Dispatch, QueueHandle, delegate_noop};
use wayland_protocols_misc::zwp_virtual_keyboard_v1::client::zwp_virtual_keyboard_manager_v1::ZwpVirtualKeyboardManagerV1;
use wayland_protocols_misc::zwp_virtual_keyboard_v1::client::zwp_virtual_keyboard_v1::ZwpVirtualKeyboardV1;
use yadori_core::clip::mime;
use yadori_core::intake::rule::{Known, Verdict};
use yadori_core::{Kind, Micros, NAME_BYTES, Offer, Source};

use super::keys::Keyboard;
use crate::habit::SELECTED_FOR;
use crate::job::Job;
use crate::same::Lately;
use crate::{DeskEvent, Keys, Live, Refused, RefusedBecause, now};

/// How many forms of one copy are looked at.
const MOST_NAMES: usize = 4_096;
/// How many copies may be on their way at once; the oldest is given up for one more.
const MOST_READINGS: usize = 64;
/// How long an emptied clipboard is left alone before it is known whether a program has closed.
const CLOSING: Duration = Duration::from_millis(300);

/// What a sync was asked for.
#[derive(Clone, Debug)]
pub(super) enum Answered {
    /// Everything that was there at the start has been told of.
    Start,
    /// What was asked for before has happened: the take of this source.
    Take(ObjectId),
    /// Copies are read from now on.
    Resume,
}

/// What was copied and is held, and where.
#[derive(Debug)]
pub(super) struct Held {
    pub(super) offer: Arc<Offer>,
    /// The window that had the keyboard then.
    pub(super) window: Option<u64>,
}

/// What the compositor has given us.
pub(super) struct Bound {
    pub(super) manager: protocols::Manager,
    pub(super) device: protocols::Device,
    pub(super) seat: WlSeat,
    pub(super) keyboard: Option<Keyboard>,
    /// It tells of windows.
    pub(super) tells_windows: bool,
    pub(super) display: WlDisplay,
    pub(super) queue: QueueHandle<State>,
}

/// The state of one connection.
pub(super) struct State {
    pub(super) tell: mpsc::UnboundedSender<DeskEvent>,
    pub(super) keys: Arc<Mutex<Arc<Keys>>>,
    pub(super) paused: Arc<AtomicBool>,
    pub(super) globals: Vec<(u32, String, u32)>,
    pub(super) started: Instant,
    pub(super) windows: windows::Windows,
    /// Offers that were introduced and are not what is copied now, with their names.
    offers: HashMap<ObjectId, (protocols::Offered, Vec<String>)>,
    pub(super) readings: Vec<reading::Reading>,
    pub(super) serving: serving::Serving,
    pub(super) pasting: pasting::Pasting,
    /// What was told of.
    pub(super) lately: Lately,
    /// What a program holds, once it was read.
    pub(super) held: Option<Held>,
    /// The clipboard has been empty since, and what was held may belong to a program that has closed.
    pub(super) emptied: Option<Instant>,
    pub(super) finished: bool,
    /// What the clipboard held at the start has been told of.
    begun: bool,
    /// The same of what was selected.
    selected_begun: bool,
    /// What was selected and may still grow, its names, and until when it is left alone.
    selected: Option<(protocols::Offered, Vec<String>, Instant)>,
    pub(super) answered: Vec<Answered>,
    /// What the compositor has given us, once everything is there.
    pub(super) bound: Option<Bound>,
}

impl State {
    pub(super) fn new(
        tell: mpsc::UnboundedSender<DeskEvent>,
        keys: Arc<Mutex<Arc<Keys>>>,
        paused: Arc<AtomicBool>,
    ) -> Self {
        Self {
            tell,
            keys,
            paused,
            globals: Vec::new(),
            started: Instant::now(),
            windows: windows::Windows::default(),
            offers: HashMap::new(),
            readings: Vec::new(),
            serving: serving::Serving::default(),
            pasting: pasting::Pasting::default(),
            lately: Lately::default(),
            held: None,
            emptied: None,
            finished: false,
            begun: false,
            selected_begun: false,
            selected: None,
            answered: Vec::new(),
            bound: None,
        }
    }

    pub(super) fn say(&self, event: DeskEvent) {
        let _ = self.tell.send(event);
    }

    pub(super) fn keys(&self) -> Arc<Keys> {
        self.keys.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    pub(super) fn now_ms(&self) -> u64 {
        u64::try_from(self.started.elapsed().as_millis()).unwrap_or(u64::MAX)
    }

    /// An offer exists from now on; its names follow.
    pub(super) fn introduced(&mut self, offer: protocols::Offered) {
        self.offers.insert(offer.id(), (offer, Vec::new()));
    }

    pub(super) fn named(&mut self, offer: &ObjectId, name: String) {
        if let Some((_, names)) = self.offers.get_mut(offer)
            && name.len() <= NAME_BYTES
            // The wish not to be recorded counts wherever it stands.
            && (names.len() < MOST_NAMES || name == mime::DO_NOT_RECORD)
        {
            names.push(name);
        }
    }

    /// Something was selected, and not copied; it may still grow.
    pub(super) fn primary_selected(&mut self, offer: Option<ObjectId>) {
        let at_start = !std::mem::replace(&mut self.selected_begun, true);
        if let Some((before, ..)) = self.selected.take() {
            before.destroy();
        }
        let Some((offer, names)) = offer.and_then(|id| self.offers.remove(&id)) else { return };
        // What is selected while it is paused is not read afterwards either.
        let wanted = self.keys().intake.selected && !self.paused.load(Ordering::SeqCst);
        if at_start || !wanted || self.serving.is_own(&names) {
            return offer.destroy();
        }
        self.selected = Some((offer, names, Instant::now() + SELECTED_FOR));
    }

    /// Reads what was selected and has been left alone.
    pub(super) fn read_selected(&mut self) {
        let Some((offer, names, _)) = self.selected.take_if(|(.., until)| *until <= Instant::now()) else {
            return;
        };
        let (source, window) = self.windows.source();
        let wanted = self.keys().intake.selected && !self.paused.load(Ordering::SeqCst);
        if !wanted || self.refused_by(&source, &names).is_some() {
            return offer.destroy();
        }
        self.read(reading::Reading::selected(offer, self.job(now(), false, source), window), names);
    }

    /// The clipboard has changed hands. `None`: nothing is on it, which browsers say before each copy, and which is all that
    /// is told when a program closes.
    pub(super) fn selected(&mut self, offer: Option<ObjectId>) {
        let at_start = !std::mem::replace(&mut self.begun, true);
        let Some((offer, names)) = offer.and_then(|id| self.offers.remove(&id)) else {
            self.supersede_readings();
            if self.held.is_some() {
                self.emptied = Some(Instant::now());
            } else {
                self.say(DeskEvent::Live(Live::Empty));
            }
            return;
        };
        (self.emptied, self.held) = (None, None);
        self.supersede_readings();
        if self.serving.is_own(&names) {
            return offer.destroy();
        }
        self.begin(offer, names, at_start);
    }

    fn begin(&mut self, offer: protocols::Offered, names: Vec<String>, at_start: bool) {
        let at = now();
        self.say(DeskEvent::Live(Live::Theirs(at)));
        let refuse = |state: &Self, reason| {
            state.say(DeskEvent::Refused(Refused { at, reason, source: Source::default() }));
        };
        if self.paused.load(Ordering::SeqCst) {
            offer.destroy();
            return refuse(self, RefusedBecause::Paused);
        }
        let (source, window) = self.windows.source();
        if let Some(rule) = self.refused_by(&source, &names) {
            offer.destroy();
            return refuse(self, RefusedBecause::Ruled(rule));
        }
        self.read(reading::Reading::new(offer, self.job(at, at_start, source), window), names);
    }

    fn job(&self, at: Micros, at_start: bool, source: Source) -> Job {
        Job::new(at, at_start, source, self.now_ms()).at_most(self.keys().intake.cap)
    }

    fn read(&mut self, reading: reading::Reading, names: Vec<String>) {
        if self.readings.len() >= MOST_READINGS {
            self.give_up_reading(0);
        }
        self.readings.push(reading);
        self.begin_reading(self.readings.len() - 1, names);
    }

    /// The rule that refuses a copy before anything of it is read.
    fn refused_by(&self, source: &Source, names: &[String]) -> Option<usize> {
        let text = names.iter().any(|name| mime::text_rank(name).is_some());
        let picture = names.iter().any(|name| mime::IMAGE_ORDER.contains(&name.as_str()));
        let kind = (picture && !text).then_some(Kind::Image);
        let known = Known { source: Some(source), kind, ..Known::default() };
        let decision = self.keys().intake.rules.before(&known)?;
        decision.rule.filter(|_| decision.verdict == Verdict::Refuse)
    }

    /// When it is to be looked at again.
    pub(super) fn deadline(&self) -> Option<Instant> {
        let readings =
            self.readings.iter().map(|one| self.started + Duration::from_millis(one.deadline_ms() + 1));
        let emptied = self.emptied.map(|since| since + CLOSING);
        let selected = self.selected.iter().map(|(.., until)| *until);
        readings.chain(emptied).chain(self.pasting.deadline()).chain(selected).min()
    }

    /// What an emptied clipboard held that is still to be had: its program has closed. What was emptied on purpose stays so.
    pub(super) fn left_behind(&mut self) -> Option<Arc<Offer>> {
        let since = self.emptied.filter(|since| since.elapsed() >= CLOSING)?;
        self.emptied = None;
        let lately = since.elapsed() + CLOSING;
        let held = self.held.take();
        let closed = |held: &Held| held.window.is_some_and(|number| self.windows.has_closed(number, lately));
        let held = held.filter(closed);
        if held.is_none() {
            self.say(DeskEvent::Live(Live::Empty));
        }
        held.map(|held| held.offer)
    }
}

impl Dispatch<WlRegistry, ()> for State {
    fn event(
        state: &mut Self,
        _: &WlRegistry,
        event: RegistryEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        match event {
            RegistryEvent::Global { name, interface, version } => {
                state.globals.push((name, interface, version));
            }
            RegistryEvent::GlobalRemove { name } => state.globals.retain(|(one, ..)| *one != name),
            _ => {}
        }
    }
}

impl Dispatch<WlCallback, Answered> for State {
    fn event(
        state: &mut Self,
        _: &WlCallback,
        event: CallbackEvent,
        answered: &Answered,
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        if let CallbackEvent::Done { .. } = event {
            state.answered.push(answered.clone());
        }
    }
}

delegate_noop!(State: ignore WlSeat);
delegate_noop!(State: ignore ZwpVirtualKeyboardManagerV1);
delegate_noop!(State: ignore ZwpVirtualKeyboardV1);
