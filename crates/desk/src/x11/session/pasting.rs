//! Pasting: a clip is taken, the program that is meant comes to the front, the keys that paste there are pressed for the
//! person, and it is waited for that the program asks for the content. One paste after another.

use std::collections::{HashMap, VecDeque};
use std::time::{Duration, Instant};

use tokio::sync::oneshot;
use x11rb::CURRENT_TIME;
use x11rb::connection::{Connection as _, RequestConnection as _};
use x11rb::protocol::xproto::{
    AtomEnum, ClientMessageEvent, ConnectionExt as _, EventMask, KEY_PRESS_EVENT, KEY_RELEASE_EVENT,
    SelectionRequestEvent, Timestamp, Window,
};
use x11rb::protocol::xtest::{self, ConnectionExt as _};
use yadori_core::take::chord::Chord;

use super::{Session, X};
use crate::habit::{ASKING, Habit, LOOK, Pace, QUIET, RELEASE, TAKES, quiet_after};
use crate::x11::source::class_of;
use crate::{Paste, PasteError, PasteInto, TakeError};

enum Stage {
    /// Its turn has not come.
    Waits,
    /// It is being taken.
    Taking,
    /// It is taken; keys and windows may not be where they must be yet. `asked`: the window was asked to come to the front.
    Ready { from: Instant, until: Instant, asked: bool },
    /// The keys were pressed. `first`: how long it took to ask; `count`: how often it has asked for the content; `quiet`: when
    /// it will have asked for everything.
    Pressed { by: Window, class: String, at: Instant, first: Duration, count: u32, quiet: Option<Instant> },
    /// It was pasted; what is pressed after that is not yet.
    Then { until: Instant },
    /// That was pressed, and has had its effect at this time.
    GoesOn { at: Instant },
}

struct Queued {
    paste: Paste,
    done: oneshot::Sender<Result<(), PasteError>>,
    stage: Stage,
    /// How often it was taken.
    takes: u32,
}

#[derive(Default)]
pub(super) struct Pasting {
    queue: VecDeque<Queued>,
    /// How often programs ask for the content of one paste, by their classes.
    habits: HashMap<String, Habit>,
    pace: Pace,
    /// The primary selection is ours for a program that pastes that one.
    primary: Option<Timestamp>,
    /// The time of the last take.
    time: Timestamp,
}

impl Session<'_> {
    pub(super) fn begin_paste(
        &mut self,
        paste: Paste,
        done: oneshot::Sender<Result<(), PasteError>>,
    ) -> X<()> {
        self.pasting.queue.push_back(Queued { paste, done, stage: Stage::Waits, takes: 0 });
        self.go_on_pasting()
    }

    fn end_paste(&mut self, outcome: Result<(), PasteError>) -> X<()> {
        if let Some(one) = self.pasting.queue.pop_front() {
            if let (PasteInto::BehindAndBack, Some(picker)) = (one.paste.into, self.chords.picker) {
                self.bring_to_front(picker)?;
            }
            let _ = one.done.send(outcome);
        }
        if let Some(time) = self.pasting.primary.take() {
            self.conn.set_selection_owner(x11rb::NONE, AtomEnum::PRIMARY.into(), time)?;
        }
        Ok(())
    }

    /// The display is gone.
    pub(super) fn give_up_pasting(&mut self) {
        for one in self.pasting.queue.drain(..) {
            let _ = one.done.send(Err(TakeError::NoDisplay("the display went away".into()).into()));
        }
    }

    /// What was to be pasted is on the clipboard, or is not.
    pub(super) fn taken_for_paste(&mut self, owned: bool, time: Timestamp) -> X<()> {
        self.pasting.time = time;
        let Some(one) = self.pasting.queue.front_mut() else { return Ok(()) };
        if !matches!(one.stage, Stage::Taking) {
            return Ok(());
        }
        if !owned {
            one.stage = Stage::Waits;
            return self.go_on_pasting();
        }
        let now = Instant::now();
        one.stage = Stage::Ready { from: now + self.pasting.pace.news(), until: now + RELEASE, asked: false };
        self.go_on_pasting()
    }

    pub(super) fn paste_deadline(&self) -> Option<Instant> {
        match &self.pasting.queue.front()?.stage {
            Stage::Waits => Some(Instant::now()),
            Stage::Taking => None,
            Stage::Ready { .. } | Stage::Then { .. } => Some(Instant::now() + LOOK),
            Stage::GoesOn { at } => Some(*at),
            Stage::Pressed { at, quiet, .. } => Some(quiet.unwrap_or(*at + ASKING)),
        }
    }

    /// Does what can be done now.
    pub(super) fn go_on_pasting(&mut self) -> X<()> {
        let Some(one) = self.pasting.queue.front_mut() else { return Ok(()) };
        let now = Instant::now();
        match &one.stage {
            Stage::Waits => match one.paste.offer.clone() {
                Some(_) if one.takes >= TAKES => self.end_paste(Err(TakeError::Lost.into())),
                Some(offer) => {
                    one.stage = Stage::Taking;
                    one.takes += 1;
                    self.take_to_paste(offer)
                }
                None => {
                    one.stage = Stage::Ready { from: now, until: now + RELEASE, asked: false };
                    self.go_on_pasting()
                }
            },
            Stage::Taking => Ok(()),
            Stage::Ready { from, .. } if *from > now => Ok(()),
            Stage::Ready { until, asked, .. } => {
                let (until, asked) = (*until, *asked);
                self.press_when_ready(until, asked)
            }
            Stage::Pressed { quiet: Some(quiet), .. } if *quiet <= now => {
                if !self.outgoing.is_empty() {
                    return Ok(());
                }
                if let Stage::Pressed { class, count, first, .. } = &one.stage {
                    self.pasting.pace.seen(*first);
                    self.pasting.habits.entry(class.clone()).or_default().seen(*count);
                }
                if one.paste.then.is_some() {
                    one.stage = Stage::Then { until: now + RELEASE };
                    return self.go_on_pasting();
                }
                self.end_paste(Ok(()))
            }
            Stage::Pressed { quiet: None, at, class, .. } if *at + ASKING <= now => {
                let class = class.clone();
                self.pasting.pace.seen(ASKING);
                self.end_paste(Err(PasteError::NobodyAsked(class)))
            }
            Stage::Pressed { .. } => Ok(()),
            Stage::Then { until } => {
                let (late, then, pace) = (*until <= now, one.paste.then, self.pasting.pace);
                let Some(then) = then else { return self.end_paste(Ok(())) };
                match self.alone(|session| session.press(then, late))? {
                    None => Ok(()),
                    Some(Err(problem)) => self.end_paste(Err(problem)),
                    Some(Ok(())) => {
                        if let Some(one) = self.pasting.queue.front_mut() {
                            one.stage = Stage::GoesOn { at: Instant::now() + pace.going_on() };
                        }
                        Ok(())
                    }
                }
            }
            Stage::GoesOn { at } if *at <= now => self.end_paste(Ok(())),
            Stage::GoesOn { .. } => Ok(()),
        }
    }

    /// Nobody else's keys come between those that are pressed meanwhile.
    fn alone<T>(&mut self, press: impl FnOnce(&mut Self) -> X<T>) -> X<T> {
        self.conn.grab_server()?;
        let done = press(self);
        self.conn.ungrab_server()?;
        self.conn.flush()?;
        done
    }

    /// The window in front, as the window manager says (Extended Window Manager Hints, `_NET_ACTIVE_WINDOW`).
    pub(super) fn active(&self) -> X<Option<Window>> {
        let kind = AtomEnum::WINDOW;
        let asked = self.conn.get_property(false, self.root, self.atoms._NET_ACTIVE_WINDOW, kind, 0, 1)?;
        Ok(asked.reply().ok().and_then(|reply| reply.value32()?.next()))
    }

    /// The window that keys go to: where there is no window manager, the one that has the input focus.
    fn in_front(&self) -> X<Option<Window>> {
        let focus = self.conn.get_input_focus()?;
        let active = self.active()?.filter(|window| *window != 0);
        // A window manager that names none has the focus itself.
        let managed = active.is_some() || self.has_manager()?;
        let focus = focus.reply().map(|reply| reply.focus).unwrap_or(0);
        // 0 and 1 are None and PointerRoot.
        let focus = Some(focus).filter(|window| *window > 1 && *window != self.root);
        Ok(focus.and_then(|focus| if managed { active } else { Some(focus) }))
    }

    fn has_manager(&self) -> X<bool> {
        let (manager, kind) = (self.atoms._NET_SUPPORTING_WM_CHECK, AtomEnum::WINDOW);
        let asked = self.conn.get_property(false, self.root, manager, kind, 0, 1)?;
        Ok(asked.reply().is_ok_and(|reply| reply.value_len == 1))
    }

    fn press_when_ready(&mut self, until: Instant, asked: bool) -> X<()> {
        let late = Instant::now() >= until;
        if self.conn.extension_information(xtest::X11_EXTENSION_NAME)?.is_none() {
            return self.end_paste(Err(PasteError::NoKeys));
        }
        let into = self.pasting.queue.front().map_or(PasteInto::Front, |one| one.paste.into);
        let behind = self.chords.behind.filter(|_| into != PasteInto::Front);
        let front = self.in_front()?;
        if let Some(behind) = behind.filter(|behind| front != Some(*behind)) {
            if late {
                return self.end_paste(Err(PasteError::WindowGone));
            }
            if !asked {
                self.bring_to_front(behind)?;
                if let Some(Queued { stage: Stage::Ready { asked, .. }, .. }) = self.pasting.queue.front_mut()
                {
                    *asked = true;
                }
            }
            return Ok(());
        }
        let Some(front) = front else {
            return if late { self.end_paste(Err(PasteError::NoWindow)) } else { Ok(()) };
        };
        let class = class_of(&self.conn, front).unwrap_or_else(|| "the program".to_owned());
        let nothing = self.pasting.queue.front().is_some_and(|one| one.paste.offer.is_none());
        if nothing {
            if let Some(one) = self.pasting.queue.front_mut() {
                one.paste.asked.take().into_iter().for_each(|asked| asked());
                one.stage = Stage::Then { until };
            }
            return self.go_on_pasting();
        }
        if !self.holds_clipboard()? {
            // Another program has copied meanwhile: that is read to its end, and what is meant is taken again. That the
            // clipboard is lost is told before whose it is now: until then it is not known that there is something to read.
            let told = self.owned.is_none() && self.owner != self.serving;
            return match (told && self.readings.is_empty(), late) {
                (true, _) => {
                    if let Some(one) = self.pasting.queue.front_mut() {
                        one.stage = Stage::Waits;
                    }
                    self.go_on_pasting()
                }
                (false, true) => self.end_paste(Err(TakeError::Lost.into())),
                (false, false) => Ok(()),
            };
        }
        let problem = self.alone(|session| session.press_paste(front, &class, late))?;
        problem.map_or(Ok(()), |problem| self.end_paste(Err(problem)))
    }

    /// The class of the window that a paste would go into now.
    pub(super) fn target(&self, into: PasteInto) -> X<Option<String>> {
        let behind = self.chords.behind.filter(|_| into != PasteInto::Front);
        let window = match behind {
            Some(behind) => Some(behind),
            None => self.in_front()?,
        };
        Ok(window.and_then(|window| class_of(&self.conn, window)))
    }

    fn bring_to_front(&self, window: Window) -> X<()> {
        // As a pager does, on behalf of the person (source 2).
        let word =
            ClientMessageEvent::new(32, window, self.atoms._NET_ACTIVE_WINDOW, [2, CURRENT_TIME, 0, 0, 0]);
        let mask = EventMask::SUBSTRUCTURE_REDIRECT | EventMask::SUBSTRUCTURE_NOTIFY;
        self.conn.send_event(false, self.root, mask, word)?;
        Ok(())
    }

    /// Presses what pastes in the program in front.
    fn press_paste(&mut self, front: Window, class: &str, late: bool) -> X<Option<PasteError>> {
        // Nobody else is listened to now: what is pasted is what is meant. Otherwise it is looked at again.
        if !self.holds_clipboard()? {
            return Ok(None);
        }
        let keys = self.inbox.keys().paste.keys(class);
        if keys.primary && self.pasting.primary.is_none() {
            let time = self.pasting.time;
            self.conn.set_selection_owner(self.serving, AtomEnum::PRIMARY.into(), time)?;
            self.pasting.primary = Some(time);
        }
        match self.press(keys.chord, late)? {
            Some(Ok(())) => {}
            Some(Err(problem)) => return Ok(Some(problem)),
            None => return Ok(None),
        }
        if let Some(one) = self.pasting.queue.front_mut() {
            let (at, class) = (Instant::now(), class.to_owned());
            one.stage = Stage::Pressed { by: front, class, at, first: QUIET, count: 0, quiet: None };
        }
        Ok(None)
    }

    /// Presses keys for the person: what is held is let go of for that moment, and held again after. `None` while other
    /// keys are down, unless it is late: they would be typed by their repetition into the program.
    fn press(&mut self, chord: Chord, late: bool) -> X<Option<Result<(), PasteError>>> {
        let Ok(keymap) = self.conn.query_keymap()?.reply() else { return Ok(None) };
        let down = &keymap.keys;
        let others = self.chords.keyboard.others_down(down);
        if !late && !others.is_empty() {
            return Ok(None);
        }
        let keyboard = &self.chords.keyboard;
        let (Some(code), Some(hold)) = (keyboard.code(chord.key), keyboard.codes(chord.held)) else {
            return Ok(Some(Err(PasteError::NoKeys)));
        };
        // What is needed and held already stays held; Alt that was let go of alone would open a menu.
        let held = self.chords.keyboard.modifiers_down(down);
        let keyboard = &self.chords.keyboard;
        let is_needed = |code: &u8| hold.iter().any(|one| keyboard.same_modifier(*one, *code));
        let (stays, held): (Vec<u8>, Vec<u8>) = held.into_iter().partition(is_needed);
        let hold: Vec<u8> = hold
            .into_iter()
            .filter(|one| !stays.iter().any(|code| keyboard.same_modifier(*one, *code)))
            .collect();
        // A chord whose keys are down still has the keyboard.
        self.conn.ungrab_keyboard(CURRENT_TIME)?;
        self.chords.down = None;
        let released = others.iter().chain(&held).map(|code| (KEY_RELEASE_EVENT, *code));
        let pressed = hold.iter().chain([&code]).map(|code| (KEY_PRESS_EVENT, *code));
        let let_go = [&code].into_iter().chain(hold.iter().rev()).map(|code| (KEY_RELEASE_EVENT, *code));
        let again = held.iter().map(|code| (KEY_PRESS_EVENT, *code));
        for (kind, code) in released.chain(pressed).chain(let_go).chain(again) {
            self.conn.xtest_fake_input(kind, code, CURRENT_TIME, self.root, 0, 0, 0)?;
        }
        Ok(Some(Ok(())))
    }

    /// The clipboard is ours now.
    fn holds_clipboard(&self) -> X<bool> {
        let owner = self.conn.get_selection_owner(self.atoms.CLIPBOARD)?.reply();
        Ok(owner.is_ok_and(|reply| reply.owner == self.serving))
    }

    /// Another program has copied. If the program that was told to paste has not asked yet, it pastes that.
    pub(super) fn clipboard_lost(&mut self) -> X<()> {
        match self.pasting.queue.front() {
            Some(Queued { stage: Stage::Pressed { quiet: None, .. }, .. }) => {
                self.end_paste(Err(TakeError::Lost.into()))
            }
            _ => Ok(()),
        }
    }

    /// The primary selection is served for as long as it is ours.
    pub(super) fn has_primary(&self) -> bool {
        self.pasting.primary.is_some()
    }

    /// Somebody has asked for a content.
    pub(super) fn asked_for(&mut self, event: &SelectionRequestEvent) {
        let is_about = [self.atoms.TARGETS, self.atoms.TIMESTAMP].contains(&event.target);
        let mask = self.conn.setup().resource_id_mask;
        let habits = &self.pasting.habits;
        if let Some(Queued { paste, stage: Stage::Pressed { by, class, at, first, count, quiet }, .. }) =
            self.pasting.queue.front_mut()
            && *by & !mask == event.requestor & !mask
            && (!is_about || quiet.is_some())
        {
            if quiet.is_none() {
                *first = at.elapsed();
                paste.asked.take().into_iter().for_each(|asked| asked());
            }
            *count += u32::from(!is_about);
            let least = quiet_after(habits.get(class.as_str()), *count, *first);
            *quiet = Some(Instant::now() + least);
        }
    }
}
