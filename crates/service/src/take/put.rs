//! An offer onto the live clipboard, and from there into a program.

use std::sync::{Arc, PoisonError};

use yadori_api::PasteInto;
use yadori_core::Offer;
use yadori_core::take::chord::Chord;
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
    if offer.is_some() {
        expect(Some(live));
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
    Ok(done.inspect_err(|_| expect(None))?)
}
