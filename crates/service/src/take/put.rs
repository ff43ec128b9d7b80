//! An offer onto the live clipboard, and from there into a program.

use std::sync::{Arc, PoisonError};

use yadori_api::PasteInto;
use yadori_core::Offer;
use yadori_core::take::chord::Chord;
use yadori_core::take::tidy::Step;
use yadori_desk::{Paste, PasteError, PasteInto as Into};

use crate::state::app::App;
use crate::state::health::LiveNow;
use crate::take::error::TakeError;

/// How it is pasted.
pub struct Pasting {
    /// Where.
    pub into: Into,
    /// Done when the program asks for it, before it gets it.
    pub asked: Option<Box<dyn FnOnce() + Send>>,
    /// Pressed after it.
    pub then: Option<Chord>,
}

/// The desk's word for where something is pasted.
pub fn into_of(into: PasteInto) -> Into {
    match into {
        PasteInto::Front => Into::Front,
        PasteInto::Behind => Into::Behind,
        PasteInto::BehindAndBack => Into::BehindAndBack,
    }
}

/// How what is pasted there is cleaned up, where the person has said so for that program.
pub async fn standing(app: &App, into: PasteInto) -> Vec<Step> {
    let settings = app.settings();
    let Some(desk) = app.desk.as_ref().filter(|_| !settings.tidy.is_empty()) else { return Vec::new() };
    let class = desk.target(into_of(into)).await;
    class.map(|class| settings.tidy.steps(&class).to_vec()).unwrap_or_default()
}

/// What is on the live clipboard, to be put back after a paste.
async fn before(app: &App) -> Option<(LiveNow, Arc<Offer>)> {
    let live = app.health.now().live;
    let taken = app.taken.lock().unwrap_or_else(PoisonError::into_inner).clone();
    if let Some(offer) = taken.filter(|(is, _)| *is == live).and_then(|(_, offer)| offer.upgrade()) {
        return Some((live, offer));
    }
    // A copy of another program's: as it was copied.
    let LiveNow::Clip(id, false) = live else { return None };
    let clip = app.clips.get(id)?;
    app.at_hand.offer(&clip).await.ok().map(|offer| (live, Arc::new(offer)))
}

/// Puts an offer on the live clipboard, or pastes it; with none, only presses what comes after it. `live` is what an
/// ordinary paste inserts from then on.
///
/// # Errors
/// The clipboard is as it was then, unless it was taken and could not be pasted.
pub async fn put(
    app: &App,
    offer: Option<Arc<Offer>>,
    live: LiveNow,
    pasting: Option<Pasting>,
) -> Result<(), TakeError> {
    let desk = app.desk.as_ref().ok_or(TakeError::NoDesk)?;
    let _one_at_a_time = app.taking.lock().await;
    let expect = |what| *app.expected.lock().unwrap_or_else(PoisonError::into_inner) = what;
    let remember = |live, offer: &Arc<Offer>| {
        *app.taken.lock().unwrap_or_else(PoisonError::into_inner) = Some((live, Arc::downgrade(offer)));
    };
    let puts_back = app.settings().put_back && pasting.is_some() && offer.is_some();
    let before = if puts_back { before(app).await } else { None };
    if let Some(offer) = &offer {
        expect(Some(live));
        remember(live, offer);
    }
    let done = match (pasting, offer) {
        (None, Some(offer)) => desk.take(offer).await,
        (None, None) => Ok(()),
        (Some(Pasting { into, asked, then }), offer) => {
            match desk.paste(Paste { offer, into, asked, then }).await {
                Err(PasteError::Take(why)) => Err(why),
                Err(why) => return Err(TakeError::Paste(why)),
                Ok(()) => Ok(()),
            }
        }
    };
    done.inspect_err(|_| expect(None))?;
    if let Some((live, offer)) = before {
        expect(Some(live));
        remember(live, &offer);
        // It was pasted, whatever becomes of this.
        if let Err(why) = desk.take(offer).await {
            expect(None);
            tracing::warn!("what was on the clipboard before a paste could not be put back: {why}");
        }
    }
    Ok(())
}
