//! Clips that are brought in by hand, by an edit, or from files.

use tokio::sync::oneshot;
use yadori_core::acts::Extra;
use yadori_core::{Content, Digest, Offer};
use yadori_store::CHUNK;

use crate::intake::reading::{Arrival, read_offer};
use crate::records::room::Disk;
use crate::state::app::App;
use crate::writer::{Capture, Change, PartOf, Queue, Saved, WriteError};

/// Brings a clip in, and waits until it is on disk. `on_top`: it counts as copied just now. `part_of`: the act by which it can
/// be taken back.
///
/// # Errors
/// It was not brought in then.
pub async fn add(
    app: &App,
    queue: &Queue,
    disk: &Disk,
    offer: Offer,
    on_top: bool,
    part_of: PartOf,
) -> Result<Saved, WriteError> {
    let known = Known { part_of, ..Known::default() };
    let answer = bring_in(app, queue, disk, offer, on_top, known).await?;
    answer.await.unwrap_or(Err(WriteError::Stopping))
}

/// What is known of a clip that comes from elsewhere.
#[derive(Debug, Default)]
pub struct Known {
    /// It, where anything is.
    pub extra: Option<Extra>,
    /// The contents of its earlier offers.
    pub contents: Vec<(Digest, Content)>,
    /// The act that its coming is a part of.
    pub part_of: PartOf,
}

/// Brings a clip in with what is known of it elsewhere; the answer comes when it is on disk.
///
/// # Errors
/// There is nothing in it.
pub async fn bring_in(
    app: &App,
    queue: &Queue,
    disk: &Disk,
    offer: Offer,
    on_top: bool,
    known: Known,
) -> Result<oneshot::Receiver<Result<Saved, WriteError>>, WriteError> {
    let Known { extra, contents, part_of } = known;
    let arrival = Arrival { at: offer.at, at_start: false, live: false, on_top, extra: extra.map(Box::new) };
    let mut capture = read_offer(app.clips.device(), offer, arrival).await.ok_or(WriteError::Empty)?;
    capture.contents.extend(contents);
    capture.part_of = part_of;
    let (done, answer) = oneshot::channel();
    capture.done = Some(done);
    submit(app, queue, disk, capture).await;
    Ok(answer)
}

/// A copy for an act that comes with a text of its own: read, and staged as far as that is needed.
///
/// # Errors
/// There is nothing in it.
pub async fn prepared(app: &App, disk: &Disk, offer: Offer) -> Result<Box<Capture>, WriteError> {
    let arrival = Arrival { at: offer.at, at_start: false, live: false, on_top: false, extra: None };
    let mut capture = read_offer(app.clips.device(), offer, arrival).await.ok_or(WriteError::Empty)?;
    capture.staged = staged(app, disk, &capture).await;
    Ok(Box::new(capture))
}

/// Stages what is large and hands the copy to the writer. What can't be staged now is staged when its turn comes.
pub async fn submit(app: &App, queue: &Queue, disk: &Disk, mut capture: Capture) {
    capture.staged = staged(app, disk, &capture).await;
    queue.send(Change::Capture(Box::new(capture)));
}

async fn staged(app: &App, disk: &Disk, capture: &Capture) -> bool {
    if capture.contents.iter().all(|(_, content)| content.len() <= CHUNK) {
        return true;
    }
    match app.at_hand.store() {
        Some(store) => disk.stage(&store, &capture.contents).await.is_ok(),
        None => false,
    }
}
