//! Handing out: what is next goes to the live clipboard, or is pasted, and the batch moves on. One after another.

use std::sync::Arc;
use std::time::Duration;

use tokio::sync::oneshot;
use yadori_api::{Hand, HandOut};
use yadori_core::batch::{After, Batch, Item, NoBatch};
use yadori_core::clip::reading::plain_form;
use yadori_core::take::chord::{Chord, Held};
use yadori_core::take::tidy::{Step, tidied};
use yadori_core::{BatchId, Offer};

use crate::state::app::App;
use crate::state::health::LiveNow;
use crate::take::error::TakeError;
use crate::take::put::{Pasting, into_of, put, standing};
use crate::writer::{Handed, Queue, WriteError};

/// How long a program that asks for an item waits until it is recorded that it was handed out.
const RECORDING: Duration = Duration::from_secs(1);

/// Why nothing was handed out.
#[derive(Debug, thiserror::Error)]
pub enum HandError {
    /// No batch is meant.
    #[error("{}", no_batch(.0))]
    NoBatch(NoBatch),
    /// All of it was.
    #[error("the batch is at its end: all {0} items were handed out; `yadori batch again` starts it again")]
    AtEnd(usize),
    /// It is empty.
    #[error("there is nothing in the batch yet; `yadori batch gather` lets copies join it")]
    Empty,
    /// Nothing was handed out yet.
    #[error("the batch is at its beginning: nothing was handed out yet")]
    AtStart,
    /// No such place.
    #[error("there is no item {0} in the batch; it has {1}")]
    NoPlace(u64, usize),
    /// It says no place.
    #[error("say which `place`, from 1")]
    WhichPlace,
    /// It was not taken, or not pasted.
    #[error(transparent)]
    Take(#[from] TakeError),
    /// It can't be written.
    #[error(transparent)]
    Write(#[from] WriteError),
}

/// Why no batch is meant, in words.
pub fn no_batch(why: &NoBatch) -> String {
    match why {
        NoBatch::None => {
            "there is no batch; `yadori batch gather` begins one, and so does `yadori batch new`".into()
        }
        NoBatch::NotCalled(names) if names.is_empty() => "no batch is called so; none has a name".into(),
        NoBatch::NotCalled(names) => format!("no batch is called so; there is: {}", names.join(", ")),
        NoBatch::Several(names) => format!("several batches begin so: {}", names.join(", ")),
    }
}

/// What was handed out.
#[derive(Debug)]
pub struct Given {
    /// Of which batch.
    pub batch: BatchId,
    /// The item, and its place from 0.
    pub item: Option<(usize, Arc<Item>)>,
}

/// Goes on through a batch: the one named, or the one in hand.
///
/// # Errors
/// The batch is as it was then; what was taken and could not be pasted is on the live clipboard.
pub async fn hand(app: &App, queue: &Queue, which: Option<&str>, wanted: &Hand) -> Result<Given, HandError> {
    let _one_at_a_time = app.handing.lock().await;
    let batch = app.clips.history().batches().find(which).map_err(HandError::NoBatch)?.clone();
    let id = batch.id;
    let place = || -> Result<usize, HandError> {
        let place = wanted.place.ok_or(HandError::WhichPlace)?;
        let at = usize::try_from(place).ok().filter(|place| (1..=batch.items.len()).contains(place));
        at.map(|place| place - 1).ok_or(HandError::NoPlace(place, batch.items.len()))
    };
    let end = || if batch.items.is_empty() { HandError::Empty } else { HandError::AtEnd(batch.items.len()) };
    let at = |at: usize| batch.items.get(at).map_or(Handed::All, |item| Handed::At(item.id));
    let moved = match wanted.out {
        HandOut::Next => {
            return give(app, queue, &batch, batch.upcoming().map(|_| batch.next).ok_or_else(end)?, wanted)
                .await;
        }
        HandOut::Place => return give(app, queue, &batch, place()?, wanted).await,
        HandOut::Skip => Handed::Past(batch.upcoming().ok_or_else(end)?.id),
        HandOut::SkipRecord => {
            batch.upcoming().ok_or_else(end)?;
            at(batch.next_record_at())
        }
        HandOut::Back => at(batch.next.checked_sub(1).ok_or(HandError::AtStart)?),
        HandOut::Again => at(0),
        HandOut::From => at(place()?),
        HandOut::TakeUp => Handed::Same,
    };
    queue.handed(id, moved).await?;
    Ok(Given { batch: id, item: None })
}

/// An item goes out. That it did is recorded when the program asks for it, before it gets it: what was pasted is never
/// handed out again, whatever becomes of the service.
async fn give(app: &App, queue: &Queue, batch: &Batch, at: usize, wanted: &Hand) -> Result<Given, HandError> {
    let Some(item) = batch.items.get(at).cloned() else { return Err(HandError::Empty) };
    let (id, number) = (batch.id, item.id);
    let mut steps: Vec<Step> = batch
        .state
        .tidy
        .iter()
        .map(|name| name.parse())
        .collect::<Result<_, _>>()
        .map_err(TakeError::from)?;
    if let Some(into) = wanted.paste.filter(|_| steps.is_empty()) {
        steps = standing(app, into).await;
    }
    let offer = offer_of(app, batch, &item, &steps).await?;
    let given = Given { batch: id, item: Some((at, item.clone())) };
    let live = match item.piece.from.filter(|_| is_whole(app, &item)) {
        Some(clip) => LiveNow::Clip(clip, !steps.is_empty()),
        None => LiveNow::Item,
    };
    let Some(into) = wanted.paste else {
        if let Some(offer) = offer {
            put(app, Some(offer), live, None).await?;
        }
        queue.handed(id, Handed::Past(number)).await?;
        return Ok(given);
    };
    let (asked, was_asked) = oneshot::channel();
    let (recorded, go) = std::sync::mpsc::sync_channel(1);
    let record = async {
        if was_asked.await.is_err() {
            return Ok(false);
        }
        let done = queue.handed(id, Handed::Past(number)).await;
        let _ = recorded.send(());
        done.map(|()| true)
    };
    let pasting = Pasting {
        into: into_of(into),
        asked: Some(Box::new(move || {
            if asked.send(()).is_ok() {
                let _ = go.recv_timeout(RECORDING);
            }
        })),
        then: chord_of(batch.after(at)),
    };
    let (pasted, recorded) = tokio::join!(put(app, offer, live, Some(pasting)), record);
    let was_recorded = recorded?;
    pasted?;
    if !was_recorded {
        queue.handed(id, Handed::Past(number)).await?;
    }
    Ok(given)
}

fn chord_of(after: After) -> Option<Chord> {
    let key = match after {
        After::Nothing => return None,
        After::Tab => 0xff09,
        After::Enter => 0xff0d,
    };
    Some(Chord { held: Held::default(), key })
}

/// True when the item is all of the clip it came from.
fn is_whole(app: &App, item: &Item) -> bool {
    let clip = item.piece.from.and_then(|id| app.clips.get(id));
    clip.is_some_and(|clip| {
        clip.state.offer().map(|offer| &offer.representations) == Some(&item.piece.offer.representations)
    })
}

/// What an item hands out; `None` for a field that stays empty.
async fn offer_of(
    app: &App,
    batch: &Batch,
    item: &Item,
    steps: &[Step],
) -> Result<Option<Arc<Offer>>, TakeError> {
    if item.piece.offer.representations.is_empty() {
        return Ok(None);
    }
    let offer = app.at_hand.offer_of(&item.piece.offer, batch.state.made_at).await?;
    // A picture among texts is handed out as it is.
    let offer = match plain_form(&offer).filter(|_| !steps.is_empty()) {
        Some(text) => Offer { source: offer.source.clone(), ..Offer::text(tidied(&text, steps), offer.at) },
        None => offer,
    };
    Ok(Some(Arc::new(offer)))
}
