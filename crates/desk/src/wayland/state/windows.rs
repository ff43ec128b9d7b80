//! Windows as the compositor tells of them (`wlr-foreign-toplevel-management-unstable-v1`): which has the keyboard, and which
//! had it before. That is focus, no proof of where a copy came from.

use std::collections::VecDeque;
use std::time::{Duration, Instant};

use wayland_client::protocol::wl_seat::WlSeat;
use wayland_client::{Connection, Dispatch, Proxy, QueueHandle, event_created_child};
use wayland_protocols_wlr::foreign_toplevel::v1::client::zwlr_foreign_toplevel_handle_v1::{
    Event as HandleEvent, State as Is, ZwlrForeignToplevelHandleV1 as Handle,
};
use wayland_protocols_wlr::foreign_toplevel::v1::client::zwlr_foreign_toplevel_manager_v1::{
    EVT_TOPLEVEL_OPCODE, Event as ManagerEvent, ZwlrForeignToplevelManagerV1 as ToplevelManager,
};
use yadori_core::Source;

use super::State;

/// The longest title kept, in characters.
const TITLE_CHARS: usize = 400;

/// How many closed windows are remembered.
const CLOSED: usize = 32;

/// What is told of a window.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
struct Told {
    title: Option<String>,
    class: Option<String>,
    active: bool,
}

/// A window.
#[derive(Debug)]
pub(in crate::wayland) struct Window {
    handle: Handle,
    number: u64,
    /// When it was given the keyboard last.
    activated: Option<Instant>,
    is: Told,
    /// What holds once the compositor says that it is all.
    next: Told,
}

/// The windows of the desktop.
#[derive(Debug, Default)]
pub(in crate::wayland) struct Windows {
    all: Vec<Window>,
    count: u64,
    /// The numbers of those that were closed last, and when.
    closed: VecDeque<(u64, Instant)>,
}

impl Windows {
    fn find(&mut self, handle: &Handle) -> Option<&mut Window> {
        self.all.iter_mut().find(|one| one.handle == *handle)
    }

    fn active(&self) -> Option<&Window> {
        self.all.iter().filter(|one| one.is.active).max_by_key(|one| one.activated)
    }

    /// Where a copy of this moment comes from, as far as the focus tells, and the number of that window.
    pub(in crate::wayland) fn source(&self) -> (Source, Option<u64>) {
        let Some(window) = self.active() else { return (Source::default(), None) };
        let source = Source { program: window.is.class.clone(), window: window.is.title.clone(), page: None };
        (source.bounded(TITLE_CHARS), Some(window.number))
    }

    /// The window of this number was closed lately.
    pub(in crate::wayland) fn has_closed(&self, number: u64, lately: Duration) -> bool {
        self.closed.iter().any(|(closed, at)| *closed == number && at.elapsed() < lately)
    }

    /// The number of the window that has the keyboard.
    pub(in crate::wayland) fn front(&self) -> Option<u64> {
        self.active().map(|one| one.number)
    }

    /// The class of a window.
    pub(in crate::wayland) fn class(&self, number: u64) -> Option<String> {
        self.all.iter().find(|one| one.number == number)?.is.class.clone()
    }

    /// Asks for a window to come to the front. False when it is gone.
    pub(in crate::wayland) fn bring_to_front(&self, number: u64, seat: &WlSeat) -> bool {
        let window = self.all.iter().find(|one| one.number == number);
        if let Some(window) = window {
            window.handle.activate(seat);
        }
        window.is_some()
    }
}

impl Dispatch<ToplevelManager, ()> for State {
    fn event(
        state: &mut Self,
        _: &ToplevelManager,
        event: ManagerEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        if let ManagerEvent::Toplevel { toplevel } = event {
            let windows = &mut state.windows;
            windows.count += 1;
            let number = windows.count;
            let (is, next) = (Told::default(), Told::default());
            windows.all.push(Window { handle: toplevel, number, activated: None, is, next });
        }
    }

    event_created_child!(State, ToplevelManager, [EVT_TOPLEVEL_OPCODE => (Handle, ())]);
}

impl Dispatch<Handle, ()> for State {
    fn event(
        state: &mut Self,
        handle: &Handle,
        event: HandleEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        let windows = &mut state.windows;
        let Some(window) = windows.find(handle) else { return };
        match event {
            HandleEvent::Title { title } => window.next.title = Some(title).filter(|title| !title.is_empty()),
            HandleEvent::AppId { app_id } => window.next.class = Some(app_id).filter(|id| !id.is_empty()),
            HandleEvent::State { state } => {
                // An array of 32-bit numbers in the order of this machine.
                let mut states = state
                    .chunks_exact(4)
                    .map(|four| u32::from_ne_bytes([four[0], four[1], four[2], four[3]]));
                window.next.active = states.any(|one| one == u32::from(Is::Activated));
            }
            HandleEvent::Done => {
                if window.next.active && !window.is.active {
                    window.activated = Some(Instant::now());
                }
                window.is = window.next.clone();
            }
            HandleEvent::Closed => {
                let number = window.number;
                windows.closed.push_back((number, Instant::now()));
                if windows.closed.len() > CLOSED {
                    windows.closed.pop_front();
                }
                handle.destroy();
                windows.all.retain(|one| one.handle.id() != handle.id());
            }
            _ => {}
        }
    }
}
