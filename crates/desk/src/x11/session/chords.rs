//! Chords that are heard wherever the keyboard is, and what is typed between the picker's and the picker itself.

use std::collections::HashMap;
use std::time::{Duration, Instant};

use tokio::sync::oneshot;
use x11rb::CURRENT_TIME;
use x11rb::connection::Connection;
use x11rb::protocol::xproto::{
    Allow, ConnectionExt as _, GrabMode, GrabStatus, KeyPressEvent, Mapping, MappingNotifyEvent, ModMask,
    Window,
};
use yadori_core::take::chord::Purpose;

use super::{Session, X};
use crate::x11::keyboard::{Keyboard, Press};
use crate::{ChordHeard, ChordProblem, DeskEvent, Typed};

/// How long the keyboard is held for a picker that does not come up, unless it is known before that it won't. A browser that
/// was not running yet takes seconds.
const PICKER: Duration = Duration::from_secs(10);
/// How often it is looked whether its window has the keyboard.
const LOOK: Duration = Duration::from_millis(4);
/// Keys that are kept for it at most.
const MOST_TYPED: usize = 4_096;

/// The keyboard as it is held for a picker that is on its way.
struct Holding {
    until: Instant,
    typed: Vec<Typed>,
    /// The picker has come, and waits for its window to have the keyboard.
    picker: Option<oneshot::Sender<Option<Vec<Typed>>>>,
}

#[derive(Default)]
pub(super) struct Chords {
    pub(super) keyboard: Keyboard,
    heard: HashMap<(u8, u16), Purpose>,
    /// The key of the chord that was pressed last, for as long as it is down.
    pub(super) down: Option<u8>,
    holding: Option<Holding>,
    /// The window that was in front when the picker's chord was pressed.
    pub(super) behind: Option<Window>,
    /// The picker's own.
    pub(super) picker: Option<Window>,
}

impl Session<'_> {
    /// Reads the keyboard and listens for the chords, as far as other programs leave them.
    pub(super) fn listen(&mut self) -> X<()> {
        self.watch_selected()?;
        match Keyboard::read(&self.conn) {
            Ok(keyboard) => self.chords.keyboard = keyboard,
            Err(x11rb::errors::ReplyError::ConnectionError(why)) => return Err(why),
            Err(why) => {
                tracing::warn!("the keyboard can't be read: {why}");
                return Ok(());
            }
        }
        let keys = self.inbox.keys();
        if keys.chords.is_empty() && self.chords.heard.is_empty() {
            return Ok(());
        }
        self.conn.ungrab_key(x11rb::protocol::xproto::Grab::ANY, self.root, ModMask::ANY)?;
        self.chords.heard.clear();
        let mut told = Vec::new();
        for (purpose, chord) in &keys.chords {
            let keyboard = &self.chords.keyboard;
            let problem = match (keyboard.code(chord.key), keyboard.state(chord.held)) {
                (Some(code), Some(state)) => {
                    let taken = self.grab(code, state, *purpose)?;
                    if !taken {
                        self.chords.heard.insert((code, state), *purpose);
                    }
                    taken.then_some(ChordProblem::Taken)
                }
                _ => Some(ChordProblem::NoSuchKey),
            };
            told.push(ChordHeard { purpose: *purpose, chord: *chord, problem });
        }
        self.say(DeskEvent::Chords(told));
        Ok(())
    }

    /// True when another program holds it. The picker's chord stops the keyboard until it is ours altogether: what is
    /// pressed next, however soon, waits in the server.
    fn grab(&self, code: u8, state: u16, purpose: Purpose) -> X<bool> {
        let keys = if purpose == Purpose::Picker { GrabMode::SYNC } else { GrabMode::ASYNC };
        let mut asked = Vec::new();
        for lock in self.chords.keyboard.locks() {
            let modifiers = ModMask::from(state | lock);
            asked.push(self.conn.grab_key(false, self.root, modifiers, code, GrabMode::ASYNC, keys)?);
        }
        let mut taken = false;
        for one in asked {
            taken |= one.check().is_err();
        }
        if taken {
            for lock in self.chords.keyboard.locks() {
                self.conn.ungrab_key(code, self.root, ModMask::from(state | lock))?;
            }
        }
        Ok(taken)
    }

    pub(super) fn mapped(&mut self, event: MappingNotifyEvent) -> X<()> {
        if event.request == Mapping::POINTER { Ok(()) } else { self.listen() }
    }

    pub(super) fn key_pressed(&mut self, event: &KeyPressEvent) -> X<()> {
        if self.chords.holding.is_some() {
            if let Some(press) = self.chords.keyboard.pressed(event.detail, event.state.into()) {
                self.keep(press);
            }
            return Ok(());
        }
        let state = self.chords.keyboard.without_locks(event.state.into());
        // Held is not pressed again.
        let again = self.chords.down == Some(event.detail);
        let purpose = self.chords.heard.get(&(event.detail, state)).copied().filter(|_| !again);
        if purpose == Some(Purpose::Picker) {
            self.hold()?;
        } else {
            self.conn.allow_events(Allow::ASYNC_KEYBOARD, CURRENT_TIME)?;
        }
        if let Some(purpose) = purpose {
            self.chords.down = Some(event.detail);
            self.say(DeskEvent::Pressed(purpose));
        }
        Ok(())
    }

    pub(super) fn key_released(&mut self, event: &KeyPressEvent) -> X<()> {
        if self.chords.down == Some(event.detail) {
            self.chords.down = None;
        }
        Ok(())
    }

    /// Everything that is typed from now on is for the picker.
    fn hold(&mut self) -> X<()> {
        self.chords.behind = self.active()?.filter(|window| *window != 0);
        let mode = GrabMode::ASYNC;
        let grabbed = self.conn.grab_keyboard(false, self.root, CURRENT_TIME, mode, mode)?.reply();
        if grabbed.is_ok_and(|reply| reply.status == GrabStatus::SUCCESS) {
            let until = Instant::now() + PICKER;
            self.chords.holding = Some(Holding { until, typed: Vec::new(), picker: None });
        } else {
            self.conn.allow_events(Allow::ASYNC_KEYBOARD, CURRENT_TIME)?;
        }
        Ok(())
    }

    fn keep(&mut self, Press { text, chord }: Press) {
        let Some(holding) = &mut self.chords.holding else { return };
        if holding.typed.len() < MOST_TYPED {
            holding.typed.push(text.map_or(Typed::Key(chord), Typed::Text));
        }
    }

    /// The picker has come.
    pub(super) fn hand_over(&mut self, done: oneshot::Sender<Option<Vec<Typed>>>) -> X<()> {
        match &mut self.chords.holding {
            Some(holding) => holding.picker = Some(done),
            None => drop(done.send(None)),
        }
        self.look_for_picker()
    }

    /// The picker is about to be opened by other means: the keyboard stays where it is until its window has it.
    pub(super) fn expect_picker(&mut self) -> X<()> {
        if self.chords.holding.is_none() {
            self.chords.behind = self.active()?.filter(|window| *window != 0);
            let until = Instant::now() + PICKER;
            self.chords.holding = Some(Holding { until, typed: Vec::new(), picker: None });
        }
        Ok(())
    }

    /// The picker's program has ended without one: nothing is waited for.
    pub(super) fn picker_failed(&mut self) -> X<()> {
        if let Some(holding) = self.chords.holding.as_mut().filter(|holding| holding.picker.is_none()) {
            holding.until = Instant::now();
        }
        self.look_for_picker()
    }

    /// Lets the keyboard go once the picker's window has it, or when none came.
    pub(super) fn look_for_picker(&mut self) -> X<()> {
        let Some(holding) = &self.chords.holding else { return Ok(()) };
        let late = Instant::now() >= holding.until;
        let active = self.active()?.filter(|window| *window != 0);
        let there = holding.picker.is_some() && active.is_some() && active != self.chords.behind;
        self.chords.picker = active.filter(|_| there);
        if !late && !there {
            return Ok(());
        }
        // What was pressed before this is in the connection already when its answer is.
        self.conn.ungrab_keyboard(CURRENT_TIME)?;
        let _ = self.conn.get_input_focus()?.reply();
        while let Some(event) = self.conn.poll_for_event()? {
            self.handle(&event)?;
        }
        let Some(holding) = self.chords.holding.take() else { return Ok(()) };
        let keymap = self.conn.query_keymap()?.reply();
        let is_down =
            |code: u8| keymap.is_ok_and(|map| map.keys[usize::from(code / 8)] & (1 << (code % 8)) != 0);
        self.chords.down = self.chords.down.filter(|code| is_down(*code));
        match holding.picker {
            Some(picker) => drop(picker.send(Some(holding.typed))),
            None => self.say(DeskEvent::NoPicker),
        }
        Ok(())
    }

    pub(super) fn chord_deadline(&self) -> Option<Instant> {
        let holding = self.chords.holding.as_ref()?;
        Some(if holding.picker.is_some() { Instant::now() + LOOK } else { holding.until })
    }
}
