//! Intake: what the desk reports is read, decided on, and sent to the keeper. Small copies never wait for large ones;
//! the order is that of copying, not of reading.

use std::path::PathBuf;
use std::sync::Arc;

use yadori_core::{Content, Digest, Micros, Offer, Reading, read};
use yadori_desk::{DeskEvent, DeskEvents, Live, Refused, RefusedBecause};
use yadori_store::RefusalRow;

use crate::app::{LiveNow, Shared, now};
use crate::entry::carries_link;
use crate::keeper::{Capture, Change, Done, Extra, stage};

/// Copies above this are read and staged aside, in bytes.
const ASIDE: u64 = 512 * 1024;

/// Takes the desk's events in until there are no more.
pub async fn run(app: Shared, mut events: DeskEvents, disk: Option<PathBuf>) {
    let mut last_at = Micros::MIN;
    while let Some(event) = events.recv().await {
        match event {
            DeskEvent::State(state) => app.stand(|standing| standing.desk = Some(state)),
            DeskEvent::Live(Live::Empty) => app.stand(|standing| standing.live = LiveNow::Empty),
            DeskEvent::Live(Live::Theirs(at)) => app.stand(|standing| standing.live = LiveNow::Pending(at)),
            DeskEvent::Live(Live::Ours) => {
                let taken = app.expected.lock().ok().and_then(|mut expected| expected.take());
                if let Some((id, plain)) = taken {
                    app.stand(|standing| standing.live = LiveNow::Clip(id, plain));
                }
            }
            DeskEvent::Copied { offer, standing } => {
                // Distinct and growing, so that the newest copy is the first whatever the wall clock does.
                let at = offer.at.max(last_at + 1);
                last_at = at;
                let seen = offer.at;
                app.stand(|standing| {
                    if standing.live == LiveNow::Pending(seen) {
                        standing.live = LiveNow::Pending(at);
                    }
                });
                take_in(&app, offer, at, standing, disk.clone()).await;
            }
            DeskEvent::Refused(refused) => refuse(&app, &refused),
        }
    }
}

async fn take_in(app: &Shared, offer: Arc<Offer>, at: Micros, standing: bool, disk: Option<PathBuf>) {
    if is_own_link(app, &offer) {
        unkept(app, at);
        return;
    }
    let aside = offer.size() > ASIDE;
    let app = app.clone();
    let work = async move {
        let offer = Arc::unwrap_or_clone(offer);
        match prepare(&app, offer, aside).await {
            Some((reading, contents)) => {
                let capture = Capture {
                    reading,
                    contents,
                    staged: false,
                    at,
                    standing,
                    live: true,
                    done: None,
                    extra: None,
                };
                submit(&app, capture, disk).await;
            }
            None => unkept(&app, at),
        }
    };
    if aside {
        tokio::spawn(work);
    } else {
        work.await;
    }
}

/// Brings a clip in by hand.
pub async fn add(app: &Shared, offer: Offer, disk: Option<PathBuf>, done: Done<yadori_core::ClipId>) {
    let capture = from_elsewhere(app, offer, None, done).await;
    if let Some(capture) = capture {
        submit(app, capture, disk).await;
    }
}

/// Brings a clip in with what is known of it elsewhere.
pub async fn bring_in(
    app: &Shared,
    offer: Offer,
    disk: Option<PathBuf>,
    extra: Extra,
    done: Done<yadori_core::ClipId>,
) {
    let capture = from_elsewhere(app, offer, Some(Box::new(extra)), done).await;
    if let Some(capture) = capture {
        submit(app, capture, disk).await;
    }
}

async fn from_elsewhere(
    app: &Shared,
    offer: Offer,
    extra: Option<Box<Extra>>,
    done: Done<yadori_core::ClipId>,
) -> Option<Capture> {
    let at = offer.at;
    let aside = offer.size() > ASIDE;
    match prepare(app, offer, aside).await {
        Some((reading, contents)) => {
            let done = Some(done);
            Some(Capture { reading, contents, staged: false, at, standing: false, live: false, done, extra })
        }
        None => {
            let why = "there is nothing in it: no representation with a single byte";
            let _ = done.send(Err(crate::keeper::ActError::Nothing(why.into())));
            None
        }
    }
}

/// A capture for an act that comes with a text of its own: read, and staged as far as that is needed.
pub async fn prepared(app: &Shared, offer: Offer, disk: Option<PathBuf>) -> Option<Capture> {
    let at = offer.at;
    let aside = offer.size() > ASIDE;
    let (reading, contents) = prepare(app, offer, aside).await?;
    let store = app.store.borrow().clone();
    let staged = match store {
        Some(store) => stage(&store, &contents, disk.as_deref()).await.is_ok(),
        None => false,
    };
    Some(Capture { reading, contents, staged, at, standing: false, live: false, done: None, extra: None })
}

/// Reads an offer and digests its contents; on a thread for such work when it is large.
async fn prepare(app: &Shared, mut offer: Offer, aside: bool) -> Option<(Reading, Vec<(Digest, Content)>)> {
    let device = app.device;
    offer.source = offer.source.bounded(400);
    let work = move || {
        let mut reading = read(offer, device)?;
        reading.offer.source = std::mem::take(&mut reading.offer.source).bounded(400);
        let contents = reading
            .offer
            .representations
            .iter()
            .map(|one| (one.content.digest(), one.content.clone()))
            .collect();
        Some((reading, contents))
    };
    if aside { tokio::task::spawn_blocking(work).await.ok().flatten() } else { work() }
}

/// Stages what is large and hands the copy to the keeper. What can't be staged now is staged when its turn comes.
async fn submit(app: &Shared, mut capture: Capture, disk: Option<PathBuf>) {
    let has_large = capture.contents.iter().any(|(_, content)| content.len() > yadori_store::CHUNK);
    let store = app.store.borrow().clone();
    capture.staged = match store {
        _ if !has_large => true,
        Some(store) => stage(&store, &capture.contents, disk.as_deref()).await.is_ok(),
        None => false,
    };
    let _ = app.changes.send(Change::Capture(Box::new(capture)));
}

fn is_own_link(app: &Shared, offer: &Offer) -> bool {
    let console = app.standing().console.ok();
    offer.representations.iter().any(|one| {
        let bytes = one.content.expose();
        let text = one.mime.starts_with("text/") && bytes.len() <= 1 << 20;
        text && carries_link(&String::from_utf8_lossy(bytes), console.as_deref())
    })
}

fn unkept(app: &Shared, at: Micros) {
    app.stand(|standing| {
        if standing.live == LiveNow::Pending(at) {
            standing.live = LiveNow::Unkept;
        }
    });
}

fn refuse(app: &Shared, refused: &Refused) {
    let (reason, size) = match refused.reason {
        // Nothing at all is kept of it, not even that it happened.
        RefusedBecause::DoNotRecord => return unkept(app, refused.at),
        RefusedBecause::TooLarge(size) => ("too-large", Some(size)),
        RefusedBecause::Unreadable => ("unreadable", None),
    };
    unkept(app, refused.at);
    let row = RefusalRow {
        at: refused.at.min(now()),
        reason: reason.into(),
        size,
        program: refused.source.program.clone(),
    };
    let _ = app.changes.send(Change::Refusal(row));
}
