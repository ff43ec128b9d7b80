//! Pasting: a clip is taken, the window that is meant comes to the front, the keys that paste there are pressed for the
//! person, and it is waited for that a program asks for the content. One paste after another.

use std::collections::{HashMap, VecDeque};
use std::time::{Duration, Instant};

use tokio::sync::oneshot;

use super::State;
use super::serving::Done;
use crate::habit::{ASKING, Habit, LOOK, Pace, QUIET, RELEASE, TAKES, quiet_after};
use crate::{DeskEvent, Live, Paste, PasteError, PasteInto, TakeError, Typed};

/// How long a picker may take to come up. A browser that was not running yet takes seconds.
const PICKER: Duration = Duration::from_secs(10);

enum Stage {
    /// Its turn has not come.
    Waits,
    /// It is being taken.
    Taking,
    /// It is taken; the window may not be in front yet. `asked`: it was asked to come there.
    Ready { from: Instant, until: Instant, asked: bool },
    /// The keys were pressed. `first`: how long it took to ask; `count`: how often it was asked for; `quiet`: when everything
    /// will have been asked for.
    Pressed { class: String, at: Instant, first: Duration, count: u32, quiet: Option<Instant> },
    /// It was pasted; what is pressed after that is not yet.
    Then,
    /// That was pressed, and has had its effect at this time.
    GoesOn { at: Instant },
}

struct Queued {
    paste: Paste,
    done: oneshot::Sender<Result<(), PasteError>>,
    stage: Stage,
    takes: u32,
    /// The window that it is for, where that is not simply the one in front.
    behind: Option<u64>,
}

/// A picker that waits for what was typed.
type Picker = oneshot::Sender<Option<Vec<Typed>>>;

/// Pastes, and the picker that asks for them.
#[derive(Default)]
pub(in crate::wayland) struct Pasting {
    queue: VecDeque<Queued>,
    habits: HashMap<String, Habit>,
    pace: Pace,
    /// The picker's window, and the one that had the keyboard when it was asked for.
    picker: Option<u64>,
    behind: Option<u64>,
    /// A picker that was asked for, until when it is waited for, and itself, once it has started and its window has not come
    /// to the front yet.
    coming: Option<(Instant, Option<Picker>)>,
}

impl Pasting {
    pub(in crate::wayland) fn deadline(&self) -> Option<Instant> {
        let now = Instant::now();
        let picker =
            self.coming.as_ref().map(|(until, picker)| if picker.is_some() { now + LOOK } else { *until });
        let paste = self.queue.front().and_then(|one| match &one.stage {
            Stage::Waits => Some(now),
            Stage::Taking => None,
            Stage::Ready { .. } | Stage::Then => Some(now + LOOK),
            Stage::GoesOn { at } => Some(*at),
            Stage::Pressed { at, quiet, .. } => Some(quiet.unwrap_or(*at + ASKING).max(now + LOOK)),
        });
        picker.into_iter().chain(paste).min()
    }

    /// The connection is gone.
    pub(in crate::wayland) fn give_up(&mut self, why: &str) {
        for one in self.queue.drain(..) {
            let _ = one.done.send(Err(TakeError::NoDisplay(why.to_owned()).into()));
        }
        self.coming = None;
    }
}

impl State {
    pub(in crate::wayland) fn begin_paste(
        &mut self,
        paste: Paste,
        done: oneshot::Sender<Result<(), PasteError>>,
    ) {
        let behind = self.behind(paste.into);
        self.pasting.queue.push_back(Queued { paste, done, stage: Stage::Waits, takes: 0, behind });
        self.go_on_pasting();
    }

    /// The window behind the picker, as long as that has the keyboard. Once it is closed, that is the one in front.
    fn behind(&self, into: PasteInto) -> Option<u64> {
        let front = self.windows.front();
        let picks = into != PasteInto::Front && front.is_some() && front == self.pasting.picker;
        self.pasting.behind.filter(|_| picks)
    }

    /// The class of the window that a paste would go into now.
    pub(in crate::wayland) fn target(&self, into: PasteInto) -> Option<String> {
        self.windows.class(self.behind(into).or_else(|| self.windows.front())?)
    }

    /// The picker is about to be opened: what has the keyboard now is where it pastes.
    pub(in crate::wayland) fn expect_picker(&mut self) {
        self.pasting.behind = self.windows.front();
        self.pasting.coming = Some((Instant::now() + PICKER, None));
    }

    /// The picker has come. What is typed goes to its window as soon as that has the keyboard: the compositor lets nobody
    /// else keep keys for it.
    pub(in crate::wayland) fn hand_over(&mut self, done: oneshot::Sender<Option<Vec<Typed>>>) {
        let pastes = self.bound.as_ref().is_some_and(|bound| bound.keyboard.is_some() && bound.tells_windows);
        match &mut self.pasting.coming {
            Some((_, picker)) if pastes => *picker = Some(done),
            _ => drop(done.send(None)),
        }
        self.look_for_picker();
    }

    /// Its program has ended without one.
    pub(in crate::wayland) fn picker_failed(&mut self) {
        self.pasting.coming.take_if(|(_, picker)| picker.is_none());
    }

    fn look_for_picker(&mut self) {
        let front = self.windows.front();
        let there = front.is_some() && front != self.pasting.behind;
        let Some((until, picker)) = &mut self.pasting.coming else { return };
        let late = *until <= Instant::now();
        if picker.is_some() && (there || late) {
            self.pasting.picker = front.filter(|_| there);
            if let Some((_, Some(picker))) = self.pasting.coming.take() {
                let _ = picker.send(Some(Vec::new()));
            }
        } else if late {
            self.pasting.coming = None;
            self.say(DeskEvent::NoPicker);
        }
    }

    fn end_paste(&mut self, outcome: Result<(), PasteError>) {
        if let Some(one) = self.pasting.queue.pop_front() {
            if let (PasteInto::BehindAndBack, Some(picker), Some(bound)) =
                (one.paste.into, self.pasting.picker, &self.bound)
            {
                self.windows.bring_to_front(picker, &bound.seat);
            }
            let _ = one.done.send(outcome);
        }
        if self.serving.has_primary() {
            if let Some(bound) = &self.bound {
                bound.device.set_primary(None);
            }
            self.serving.end_primary();
        }
    }

    fn set_stage(&mut self, stage: Stage) {
        if let Some(one) = self.pasting.queue.front_mut() {
            one.stage = stage;
        }
    }

    /// What was to be pasted is on the clipboard, or is not.
    pub(in crate::wayland) fn taken_for_paste(&mut self, owned: bool) {
        if !self.pasting.queue.front().is_some_and(|one| matches!(one.stage, Stage::Taking)) {
            return;
        }
        let now = Instant::now();
        self.set_stage(if owned {
            Stage::Ready { from: now + self.pasting.pace.news(), until: now + RELEASE, asked: false }
        } else {
            Stage::Waits
        });
    }

    /// Does what can be done now.
    pub(in crate::wayland) fn go_on_pasting(&mut self) {
        self.look_for_picker();
        let quiet_now = self.is_quiet();
        let Some(one) = self.pasting.queue.front_mut() else { return };
        let now = Instant::now();
        match &one.stage {
            Stage::Waits => match one.paste.offer.clone() {
                Some(_) if one.takes >= TAKES => self.end_paste(Err(TakeError::Lost.into())),
                Some(offer) => {
                    one.stage = Stage::Taking;
                    one.takes += 1;
                    self.take(offer, Live::Taken, Done::Paste);
                }
                None => one.stage = Stage::Ready { from: now, until: now + RELEASE, asked: false },
            },
            Stage::Taking => {}
            Stage::Ready { from, .. } if *from > now => {}
            Stage::Ready { until, asked, .. } => {
                let (until, asked) = (*until, *asked);
                self.press_when_ready(until, asked);
            }
            Stage::Pressed { quiet: Some(quiet), class, count, first, .. } if *quiet <= now => {
                if !quiet_now {
                    return;
                }
                self.pasting.pace.seen(*first);
                self.pasting.habits.entry(class.clone()).or_default().seen(*count);
                if one.paste.then.is_some() {
                    one.stage = Stage::Then;
                } else {
                    self.end_paste(Ok(()));
                }
            }
            Stage::Pressed { quiet: None, at, class, .. } if *at + ASKING <= now => {
                let class = class.clone();
                self.pasting.pace.seen(ASKING);
                self.end_paste(Err(PasteError::NobodyAsked(class)));
            }
            Stage::Pressed { .. } => {}
            Stage::Then => {
                let keyboard = self.bound.as_ref().and_then(|bound| bound.keyboard.as_ref());
                let pressed =
                    one.paste.then.is_none_or(|then| keyboard.is_some_and(|board| board.press(then)));
                if pressed {
                    one.stage = Stage::GoesOn { at: now + self.pasting.pace.going_on() };
                } else {
                    self.end_paste(Err(PasteError::NoKeys));
                }
            }
            Stage::GoesOn { at } if *at <= now => self.end_paste(Ok(())),
            Stage::GoesOn { .. } => {}
        }
    }

    fn press_when_ready(&mut self, until: Instant, asked: bool) {
        let late = Instant::now() >= until;
        let Some(bound) = &self.bound else { return };
        let Some(keyboard) = &bound.keyboard else {
            return self.end_paste(Err(PasteError::NoVirtualKeyboard));
        };
        let Some(one) = self.pasting.queue.front_mut() else { return };
        let front = self.windows.front();
        if let Some(behind) = one.behind.filter(|behind| front != Some(*behind)) {
            if late || (!asked && !self.windows.bring_to_front(behind, &bound.seat)) {
                return self.end_paste(Err(PasteError::WindowGone));
            }
            if let Stage::Ready { asked, .. } = &mut one.stage {
                *asked = true;
            }
            return;
        }
        // Where windows are not told of, somebody has the keyboard or nobody asks.
        if front.is_none() && bound.tells_windows {
            if late {
                self.end_paste(Err(PasteError::NoWindow));
            }
            return;
        }
        if one.paste.offer.is_none() {
            one.paste.asked.take().into_iter().for_each(|asked| asked());
            one.stage = Stage::Then;
            return;
        }
        if !self.serving.holds() {
            // Another program has copied meanwhile: that is read to its end, and what is meant is taken again.
            if self.readings.is_empty() {
                one.stage = Stage::Waits;
            } else if late {
                self.end_paste(Err(TakeError::Lost.into()));
            }
            return;
        }
        let class =
            front.and_then(|front| self.windows.class(front)).unwrap_or_else(|| "the program".to_owned());
        let keys = self.keys.lock().unwrap_or_else(std::sync::PoisonError::into_inner).paste.keys(&class);
        if keys.primary && bound.manager.has_primary() {
            let source = bound.manager.source(&bound.queue);
            self.serving.begin_primary(source.clone());
            bound.device.set_primary(Some(&source));
        }
        if !keyboard.press(keys.chord) {
            return self.end_paste(Err(PasteError::NoKeys));
        }
        one.stage = Stage::Pressed { class, at: Instant::now(), first: QUIET, count: 0, quiet: None };
    }

    /// Another program has copied. If the program that was told to paste has not asked yet, it pastes that.
    pub(in crate::wayland) fn clipboard_lost(&mut self) {
        let unasked = |one: &Queued| matches!(one.stage, Stage::Pressed { quiet: None, .. });
        if self.pasting.queue.front().is_some_and(unasked) {
            self.end_paste(Err(TakeError::Lost.into()));
        }
    }

    /// Somebody has asked for the content; who it is, is not told.
    pub(in crate::wayland) fn asked_for(&mut self) {
        let habits = &self.pasting.habits;
        if let Some(Queued { paste, stage: Stage::Pressed { class, at, first, count, quiet }, .. }) =
            self.pasting.queue.front_mut()
        {
            if quiet.is_none() {
                *first = at.elapsed();
                paste.asked.take().into_iter().for_each(|asked| asked());
            }
            *count += 1;
            *quiet = Some(Instant::now() + quiet_after(habits.get(class.as_str()), *count, *first));
        }
    }
}
