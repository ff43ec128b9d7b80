//! What the desk reports is read, decided on, and sent to the writer. Small copies never wait for large ones; the order is
//! that of copying, not of reading.

use std::sync::Arc;

use tokio::sync::mpsc;
use yadori_core::clip::mime;
use yadori_core::take::chord::Purpose;
use yadori_core::{Micros, Offer, RefusalReason};
use yadori_desk::{DeskEvent, DeskEvents, Live, Refused, RefusedBecause};
use yadori_store::RefusalRow;

use crate::intake::bring_in::submit;
use crate::intake::deciding::{Fate, decide};
use crate::intake::reading::{Arrival, read_offer};
use crate::records::room::Disk;
use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::state::health::LiveNow;
use crate::state::pressed::Pressed;
use crate::state::sign_in::carries_link;
use crate::writer::{ASIDE, Change, Queue};

/// Bytes of a text in which a sign-in link is looked for.
const LINK_BYTES: usize = 1 << 20;
/// A clock that goes back by more than this, in microseconds, was set back.
const SET_BACK: Micros = 1_000_000;

/// Takes the desk's events in until there are no more.
pub async fn run(
    app: Shared,
    queue: Queue,
    mut events: DeskEvents,
    disk: Disk,
    chords: mpsc::UnboundedSender<Pressed>,
) {
    let mut last_at = Micros::MIN;
    while let Some(event) = events.recv().await {
        match event {
            DeskEvent::State(state) => app.health.change(|health| health.desk = Some(state)),
            DeskEvent::Live(Live::Empty) => app.health.change(|health| health.live = LiveNow::Empty),
            DeskEvent::Live(Live::Theirs(at)) => {
                app.health.change(|health| health.copied(at));
            }
            DeskEvent::Live(Live::TakenOver(at)) => app.health.change(|health| health.taken_over(at)),
            DeskEvent::Live(Live::Taken) => {
                let expected = app.expected.lock().ok().and_then(|mut expected| expected.take());
                // For a paste, something may be taken more than once.
                let last = || app.taken.lock().ok().and_then(|taken| taken.as_ref().map(|(live, _)| *live));
                let taken = expected.or_else(last);
                if let Some(live) = taken {
                    app.health.change(|health| health.live = live);
                }
            }
            DeskEvent::Copied { offer, at_start, executable, selected } => {
                // Each copy has a time of its own. A clock that was set back is believed: the order is not its business.
                let seen = offer.at;
                let set_back = last_at.saturating_sub(seen) > SET_BACK;
                let at = if set_back { seen } else { seen.max(last_at.saturating_add(1)) };
                last_at = at;
                app.health.change(|health| health.dated(seen, at));
                let copy = Seen { offer, at, at_start, executable, selected };
                take_in(&app, &queue, copy, disk.clone()).await;
            }
            DeskEvent::Refused(refused) => refuse(&app, &queue, &refused),
            DeskEvent::Chords(heard) => app.health.change(|health| health.chords = heard),
            DeskEvent::Pressed(purpose) => drop(chords.send(meant(&app, purpose))),
            DeskEvent::NoPicker => drop(chords.send(Pressed::NoPicker)),
        }
    }
}

/// A copy as the desk has seen it.
struct Seen {
    offer: Arc<Offer>,
    at: Micros,
    at_start: bool,
    executable: Option<String>,
    /// It was selected, and not copied.
    selected: bool,
}

async fn take_in(app: &Shared, queue: &Queue, copy: Seen, disk: Disk) {
    let Seen { offer, at, at_start, executable, selected } = copy;
    if is_own_link(app, &offer) {
        unkept(app, at);
        return;
    }
    let (aside, seen_at) = (offer.size() > ASIDE, offer.at);
    let (shared, queue) = (app.clone(), queue.clone());
    let work = async move {
        let arrival = Arrival { at, at_start, live: !selected, on_top: true, extra: None };
        match read_offer(shared.clips.device(), Arc::unwrap_or_clone(offer), arrival).await {
            Some(capture) => match decide(&shared, capture, executable.as_deref()) {
                Fate::Keep(capture) => submit(&shared, &queue, &disk, *capture).await,
                Fate::Fleeting(capture, minutes) => queue.send(Change::Fleeting(capture, minutes)),
                Fate::Refused => {
                    unkept(&shared, at);
                    if let Some(desk) = &shared.desk {
                        desk.forget(seen_at);
                    }
                }
            },
            None => unkept(&shared, at),
        }
    };
    if aside {
        app.parts.start("taking in a large copy", work);
    } else {
        work.await;
    }
}

fn is_own_link(app: &Shared, offer: &Offer) -> bool {
    let console = app.health.now().console.ok();
    offer.representations.iter().any(|one| {
        let bytes = one.content.expose();
        let text = mime::carries_text(&one.mime) && bytes.len() <= LINK_BYTES;
        text && carries_link(&String::from_utf8_lossy(bytes), console.as_deref())
    })
}

fn unkept(app: &Shared, at: Micros) {
    app.health.change(|health| health.settled(at, LiveNow::Unkept));
}

fn refuse(app: &Shared, queue: &Queue, refused: &Refused) {
    unkept(app, refused.at);
    let (reason, size) = match refused.reason {
        // Nothing at all is kept of it, not even that it happened.
        RefusedBecause::DoNotRecord | RefusedBecause::Paused => return,
        RefusedBecause::Ruled(rule) => return app.ruled.count(&app.settings().keeping.rules, rule),
        RefusedBecause::TooLarge(size) => (RefusalReason::TooLarge, Some(size)),
        RefusedBecause::Unreadable => (RefusalReason::Unreadable, None),
    };
    let program = refused.source.program.clone();
    queue.send(Change::Refusal(RefusalRow { at: refused.at.min(now()), reason, size, program }));
}

/// What was meant, in the moment of the press: a copy that comes later changes nothing about it.
fn meant(app: &App, purpose: Purpose) -> Pressed {
    match purpose {
        Purpose::Picker => Pressed::Picker,
        Purpose::Next => Pressed::Next,
        Purpose::Gather => Pressed::Gather,
        Purpose::Pause => Pressed::Pause,
        Purpose::Place(n) => Pressed::Paste(n, app.clips.history().at(usize::from(n))),
    }
}
