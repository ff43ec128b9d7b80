//! What goes into a batch: clips and texts, whole or in parts, as pieces with contents of their own.

use yadori_api::{Filling, Split};
use yadori_core::acts::ActError;
use yadori_core::batch::Piece;
use yadori_core::batch::batch::MOST_ITEMS;
use yadori_core::batch::split::{Cut, Part, SplitError, split};
use yadori_core::clip::reading::{html_of, plain_form};
use yadori_core::history::sitting::sitting_of;
use yadori_core::{Address, Clip, ClipId, Facts, Offer, OfferRecord, Source};
use yadori_store::CommitError;

use crate::intake::bring_in::prepared;
use crate::records::room::Disk;
use crate::state::app::App;
use crate::state::at_hand::ContentError;
use crate::state::clock::now;
use crate::writer::{With, WriteError};

/// Why nothing goes into a batch.
#[derive(Debug, thiserror::Error)]
pub enum FillingError {
    /// A clip that is not there.
    #[error("one of these clips is not in the history any more")]
    NoClip,
    /// It is masked.
    #[error("it was recognised as a secret: it is in no batch")]
    Masked,
    /// An id that is none.
    #[error("a batch is filled by whole ids of 26 characters, since places shift")]
    NoId,
    /// A picture.
    #[error("a picture has no text to be split")]
    NoText,
    /// It can't be split so.
    #[error(transparent)]
    Split(#[from] SplitError),
    /// Its contents.
    #[error(transparent)]
    Content(#[from] ContentError),
    /// It is too much.
    #[error(transparent)]
    Act(#[from] ActError),
    /// It can't be written.
    #[error(transparent)]
    Write(#[from] WriteError),
    /// Its contents can't be staged.
    #[error("its content can't be saved now")]
    Stage(#[from] CommitError),
}

/// How a text is to be split.
///
/// # Errors
/// There is no such way.
pub fn cut_of(wanted: &Split) -> Result<Cut, SplitError> {
    Ok(Cut { way: wanted.way.parse()?, pattern: wanted.pattern.clone(), header: wanted.header })
}

/// The text of a clip, and its html if it has one.
///
/// # Errors
/// It has none, or it can't be read now.
pub async fn text_of(app: &App, clip: &Clip) -> Result<(String, Option<String>), FillingError> {
    let offer = app.at_hand.offer(clip).await?;
    let text = plain_form(&offer).ok_or(FillingError::NoText)?;
    Ok((text, html_of(&offer)))
}

/// A text in parts, on a thread for such work.
///
/// # Errors
/// Says why there are none.
pub async fn parts_of(text: String, html: Option<String>, cut: Cut) -> Result<Vec<Part>, SplitError> {
    match tokio::task::spawn_blocking(move || split(&text, html.as_deref(), &cut)).await {
        Ok(parts) => parts,
        // A mistake in the program, told by whoever watches this part.
        Err(why) => std::panic::resume_unwind(why.into_panic()),
    }
}

/// The pieces, and what comes with the act that puts them in.
///
/// # Errors
/// Nothing was changed then.
pub async fn filled(app: &App, disk: &Disk, wanted: &Filling) -> Result<(Vec<Piece>, With), FillingError> {
    let cut = wanted.split.as_ref().map(cut_of).transpose()?;
    let (mut pieces, mut with) = (Vec::new(), With::default());
    let mut ids: Vec<ClipId> = Vec::new();
    if let Some(address) = &wanted.sitting {
        ids.extend(sitting(app, address)?);
    }
    for id in &wanted.clips {
        ids.push(ClipId::parse(id).ok_or(FillingError::NoId)?);
    }
    for id in ids {
        let clip = app.clips.get(id).ok_or(FillingError::NoClip)?;
        if clip.is_secret() {
            return Err(FillingError::Masked);
        }
        match &cut {
            None => {
                let offer = clip.state.offer().ok_or(FillingError::NoClip)?.clone();
                with.needs.extend(offer.representations.iter().map(|one| one.digest));
                let facts = clip.facts.clone();
                pieces.push(Piece { record: next(&pieces), label: None, from: Some(id), offer, facts });
            }
            Some(cut) => {
                let (text, html) = text_of(app, &clip).await?;
                let parts = parts_of(text, html, cut.clone()).await?;
                let source = clip.state.offer().map(|offer| offer.source.clone()).unwrap_or_default();
                add(app, disk, (&mut pieces, &mut with), parts, Some(id), &source).await?;
            }
        }
        room(pieces.len())?;
    }
    for text in &wanted.texts {
        let parts = match &cut {
            None => vec![Part { record: 0, label: None, text: text.clone() }],
            Some(cut) => parts_of(text.clone(), None, cut.clone()).await?,
        };
        add(app, disk, (&mut pieces, &mut with), parts, None, &Source::default()).await?;
    }
    with.needs.sort_unstable();
    with.needs.dedup();
    Ok((pieces, with))
}

/// The clips of the sitting in which a clip was copied, oldest first.
fn sitting(app: &App, address: &str) -> Result<Vec<ClipId>, FillingError> {
    let history = app.clips.history();
    let clip = address.parse().ok().and_then(|address: Address| history.resolve(&address).ok());
    let clip = clip.ok_or(FillingError::NoClip)?;
    let place = history.place_of(clip.id).ok_or(FillingError::NoClip)?;
    let places = sitting_of(history.keys_from(1).map(|(at, _)| at), place).ok_or(FillingError::NoClip)?;
    room(places.len())?;
    Ok(places.rev().filter_map(|place| history.id_at(place)).collect())
}

fn room(count: usize) -> Result<(), ActError> {
    if count > MOST_ITEMS { Err(ActError::BatchFull(count)) } else { Ok(()) }
}

/// Whole clips and texts are one record.
fn next(pieces: &[Piece]) -> u32 {
    pieces.last().map_or(0, |piece| piece.record)
}

async fn add(
    app: &App,
    disk: &Disk,
    (pieces, with): (&mut Vec<Piece>, &mut With),
    parts: Vec<Part>,
    from: Option<ClipId>,
    source: &Source,
) -> Result<(), FillingError> {
    room(pieces.len() + parts.len())?;
    let several = parts.last().is_some_and(|part| part.record > 0);
    let first = if several && !pieces.is_empty() { next(pieces) + 1 } else { next(pieces) };
    for Part { record, label, text } in parts {
        let record = first + record;
        if text.is_empty() {
            // A field that stays empty.
            let facts = Facts::of_text("", 0, false);
            let offer = OfferRecord { representations: Vec::new(), also: Vec::new(), source: source.clone() };
            pieces.push(Piece { record, label, from, offer, facts });
            continue;
        }
        let offer = Offer { source: source.clone(), ..Offer::text(text, now()) };
        let capture = prepared(app, disk, offer).await?;
        if !capture.staged {
            return Err(CommitError::Away("its content could not be staged".into()).into());
        }
        with.contents.extend(capture.contents);
        pieces.push(Piece { record, label, from, offer: capture.copied.record, facts: capture.copied.facts });
    }
    Ok(())
}
