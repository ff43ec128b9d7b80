//! One connection to a compositor, from opening it to its loss.

use std::os::fd::AsFd;
use std::os::unix::net::UnixStream;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, Instant};

use tokio::sync::{mpsc, oneshot};
use wayland_client::backend::WaylandError;
use wayland_client::protocol::wl_seat::WlSeat;
use wayland_client::{Connection, DispatchError, EventQueue};
use wayland_protocols_misc::zwp_virtual_keyboard_v1::client::zwp_virtual_keyboard_manager_v1::ZwpVirtualKeyboardManagerV1;
use wayland_protocols_wlr::foreign_toplevel::v1::client::zwlr_foreign_toplevel_manager_v1::ZwlrForeignToplevelManagerV1;
use yadori_core::Offer;

use super::NoSession;
use super::keys::Keyboard;
use super::state::protocols::Manager;
use super::state::serving::Done;
use super::state::{Answered, Bound, State};
use super::wire::exchange;
use crate::inbox::Inbox;
use crate::{ChordHeard, ChordProblem, Command, DeskEvent, Live, TakeError};

/// How long a compositor may take to say what it has.
const OPENING: Duration = Duration::from_secs(5);

/// How a session ended.
pub(crate) enum Ended {
    /// By a command.
    Asked,
    /// The connection is gone.
    Lost,
}

pub(crate) struct Session<'a> {
    connection: Connection,
    queue: EventQueue<State>,
    state: State,
    inbox: &'a Inbox,
    /// Who waits for copies to be read again.
    resuming: Vec<oneshot::Sender<()>>,
}

type W<T> = Result<T, DispatchError>;

impl<'a> Session<'a> {
    /// Connects, and takes what the compositor offers.
    pub(crate) fn open(
        socket: &Path,
        inbox: &'a Inbox,
        tell: &mpsc::UnboundedSender<DeskEvent>,
    ) -> Result<Self, NoSession> {
        let unreachable = |why: &dyn std::fmt::Display| NoSession::Unreachable(why.to_string());
        let stream = UnixStream::connect(socket).map_err(|why| unreachable(&why))?;
        let connection = Connection::from_socket(stream).map_err(|why| unreachable(&why))?;
        let queue = connection.new_event_queue();
        let state = State::new(tell.clone(), inbox.keys.clone(), inbox.paused.clone());
        let mut session = Self { connection, queue, state, inbox, resuming: Vec::new() };
        let (display, handle) = (session.connection.display(), session.queue.handle());
        let registry = display.get_registry(&handle, ());
        session.await_start()?;
        let globals = std::mem::take(&mut session.state.globals);
        let manager = Manager::bind(&registry, &globals, &handle).ok_or(NoSession::NoControl)?;
        let named = |name: &str| globals.iter().find(|(_, interface, _)| interface == name);
        let Some((seat, _, version)) = named("wl_seat") else { return Err(NoSession::NoSeat) };
        let seat: WlSeat = registry.bind(*seat, (*version).min(5), &handle, ());
        let toplevels = named("zwlr_foreign_toplevel_manager_v1");
        if let Some((number, _, version)) = toplevels {
            registry.bind::<ZwlrForeignToplevelManagerV1, _, _>(*number, (*version).min(3), &handle, ());
        }
        let keyboard = named("zwp_virtual_keyboard_manager_v1").and_then(|(number, ..)| {
            let manager: ZwpVirtualKeyboardManagerV1 = registry.bind(*number, 1, &handle, ());
            let board = manager.create_virtual_keyboard(&seat, &handle, ());
            Keyboard::new(board).inspect_err(|why| tracing::warn!("no keys can be pressed: {why}")).ok()
        });
        // The windows first: what is on the clipboard already comes from one of them.
        session.await_start()?;
        let device = manager.device(&seat, &handle);
        tracing::info!("copies are followed by {}", manager.name());
        session.state.bound = Some(Bound {
            manager,
            device,
            seat,
            keyboard,
            tells_windows: toplevels.is_some(),
            display,
            queue: handle,
        });
        Ok(session)
    }

    /// Waits until everything that was asked for has been answered.
    fn await_start(&mut self) -> Result<(), NoSession> {
        let unreachable = |why: &dyn std::fmt::Display| NoSession::Unreachable(why.to_string());
        self.connection.display().sync(&self.queue.handle(), Answered::Start);
        let until = Instant::now() + OPENING;
        while self.state.answered.is_empty() {
            if Instant::now() >= until {
                return Err(NoSession::Unreachable("it does not say what it has".to_owned()));
            }
            self.exchange(Some(until)).map_err(|why| unreachable(&why))?;
        }
        self.state.answered.clear();
        Ok(())
    }

    /// Serves until the connection is lost or a command ends it.
    pub(crate) fn run(&mut self) -> Ended {
        self.listen();
        let (ended, why) = loop {
            match self.round() {
                Ok(true) => break (Ended::Asked, "the service is stopping"),
                Ok(false) => {}
                Err(why) => {
                    tracing::debug!("the connection to the compositor ended: {why}");
                    break (Ended::Lost, "the display went away");
                }
            }
        };
        self.state.serving.give_up(why);
        self.state.pasting.give_up(why);
        for done in self.resuming.drain(..) {
            self.inbox.paused.store(false, std::sync::atomic::Ordering::SeqCst);
            let _ = done.send(());
        }
        if matches!(ended, Ended::Lost) {
            while !self.state.readings.is_empty() {
                self.state.give_up_reading(0);
            }
            self.state.say(DeskEvent::Live(Live::Empty));
        }
        ended
    }

    fn round(&mut self) -> W<bool> {
        self.exchange(self.state.deadline())?;
        for answered in std::mem::take(&mut self.state.answered) {
            match answered {
                Answered::Start => {}
                Answered::Take(source) => self.state.taken(&source),
                Answered::Resume => {
                    self.inbox.paused.store(false, std::sync::atomic::Ordering::SeqCst);
                    for done in self.resuming.drain(..) {
                        let _ = done.send(());
                    }
                }
            }
        }
        if self.state.finished {
            // The seat is gone, and its clipboard with it; there is another, or there will be.
            return Err(DispatchError::Backend(WaylandError::Io(std::io::ErrorKind::ConnectionReset.into())));
        }
        self.state.read_pipes();
        self.state.expire_readings();
        self.state.read_selected();
        if let Some(offer) = self.state.left_behind() {
            let at = offer.at;
            self.state.take(offer, Live::TakenOver(at), Done::Nobody);
        }
        self.inbox.silence();
        while let Ok(command) = self.inbox.commands.try_recv() {
            match command {
                Command::Stop => return Ok(true),
                Command::Take(offer, done) => self.state.take(offer, Live::Taken, Done::Take(done)),
                Command::Paste(paste, done) => self.state.begin_paste(paste, done),
                Command::HandOver(done) => self.state.hand_over(done),
                Command::ExpectPicker => self.state.expect_picker(),
                Command::PickerFailed => self.state.picker_failed(),
                Command::Target(into, done) => drop(done.send(self.state.target(into))),
                Command::Clear(done) => {
                    self.state.empty();
                    let _ = done.send(true);
                }
                Command::Forget(at) => {
                    self.state.held.take_if(|held| held.offer.at == at);
                    if self.state.serving.is_of(at) {
                        self.state.empty();
                    }
                }
                Command::Listen => self.listen(),
                Command::Resume(done) => {
                    // What was copied before, however shortly, has been told of when the compositor answers.
                    self.resuming.push(done);
                    self.connection.display().sync(&self.queue.handle(), Answered::Resume);
                }
            }
        }
        self.state.go_on_pasting();
        Ok(false)
    }

    /// No protocol lets a program listen for chords: the person binds keys in the compositor.
    fn listen(&self) {
        let keys = self.inbox.keys();
        let problem = Some(ChordProblem::Compositor);
        let told = keys.chords.iter().map(|(purpose, chord)| ChordHeard {
            purpose: *purpose,
            chord: *chord,
            problem,
        });
        self.state.say(DeskEvent::Chords(told.collect()));
    }

    /// Sends what is to be sent, waits for something to come or for this time, and takes in what has come.
    fn exchange(&mut self, until: Option<Instant>) -> W<()> {
        let bell = self.inbox.bell.as_fd();
        let limit = |state: &State| {
            // Something that came with what was taken in before may have been answered already.
            let waits = state.answered.is_empty();
            if waits {
                until.map(|until| until.saturating_duration_since(Instant::now()))
            } else {
                Some(Duration::ZERO)
            }
        };
        exchange(&self.connection, &mut self.queue, &mut self.state, bell, limit, |state| {
            state.readings.iter().filter_map(super::state::reading::Reading::poll).collect()
        })
    }
}

impl State {
    /// Puts an offer on the clipboard.
    pub(super) fn take(&mut self, offer: Arc<Offer>, live: Live, done: Done) {
        let Some(bound) = &self.bound else {
            if let Done::Take(done) = done {
                let _ = done.send(Err(TakeError::NoDisplay("the display is not there yet".into())));
            }
            return;
        };
        let source = bound.manager.source(&bound.queue);
        let id = self.serving.begin(source.clone(), offer, live, done);
        bound.device.set_selection(Some(&source));
        bound.display.sync(&bound.queue, Answered::Take(id));
    }

    /// The clipboard holds nothing from now on.
    pub(super) fn empty(&mut self) {
        self.held = None;
        if let Some(bound) = &self.bound {
            bound.device.set_selection(None);
        }
    }
}
