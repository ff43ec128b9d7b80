//! Putting a clip on the live clipboard.

use std::sync::{Arc, PoisonError};

use yadori_api::{Form, PasteInto, Question, Take};
use yadori_core::clip::reading::plain_form;
use yadori_core::take::fill_in::may_hold;
use yadori_core::take::tidy::{NoStep, Step, tidied};
use yadori_core::{Clip, Offer};
use yadori_desk::{PasteError, PasteInto as Into, TakeError as DeskError};

use crate::state::app::App;
use crate::state::at_hand::ContentError;
use crate::take::fill::{FillingError, filled, questions};

/// Why a clip is not on the live clipboard.
#[derive(Debug, thiserror::Error)]
pub enum TakeError {
    /// Capture is off.
    #[error("capture is switched off for this run, so there is no clipboard to put it on")]
    NoDesk,
    /// Its contents.
    #[error(transparent)]
    Content(#[from] ContentError),
    /// Its fill-ins.
    #[error("{1}")]
    Filling(String, FillingError),
    /// It asks something first.
    #[error("it asks something first")]
    Asks(Vec<Question>),
    /// A picture.
    #[error("a picture has no plain text")]
    NoPlainForm,
    /// No such clean-up.
    #[error(transparent)]
    Tidy(#[from] NoStep),
    /// The desk.
    #[error(transparent)]
    Desk(#[from] DeskError),
    /// It is taken, and not pasted.
    #[error(transparent)]
    Paste(PasteError),
}

/// Puts a clip on the live clipboard in the form that is wanted; it is pasteable when this returns. True when fill-ins
/// were filled.
///
/// # Errors
/// The clipboard is as it was then.
pub async fn take(app: &App, clip: &Clip, wanted: &Take) -> Result<bool, TakeError> {
    let desk = app.desk.as_ref().ok_or(TakeError::NoDesk)?;
    let steps: Vec<Step> = wanted.tidy.iter().map(|name| name.parse()).collect::<Result<_, _>>()?;
    let offer = app.at_hand.offer(clip).await?;
    let mut has_filled = false;
    let offer = match wanted.form {
        Form::Copied => offer,
        Form::Ready => match plain_form(&offer).filter(|text| clip.state.is_pinned() && may_hold(text)) {
            None => offer,
            Some(text) => {
                has_filled = true;
                let done = filled(app, Some(clip), &text, &wanted.answers, wanted.zone.as_deref()).await;
                let done = done.map_err(|why| TakeError::Filling(text, why))?;
                if done.open {
                    return Err(TakeError::Asks(questions(done.questions)));
                }
                Offer { source: offer.source.clone(), ..Offer::text(done.text, offer.at) }
            }
        },
        Form::Plain => {
            let text = plain_form(&offer).ok_or(TakeError::NoPlainForm)?;
            Offer { source: offer.source.clone(), ..Offer::text(text, offer.at) }
        }
    };
    let offer = if steps.is_empty() {
        offer
    } else {
        let text = plain_form(&offer).ok_or(TakeError::NoPlainForm)?;
        Offer { source: offer.source.clone(), ..Offer::text(tidied(&text, &steps), offer.at) }
    };
    let _one_at_a_time = app.taking.lock().await;
    let expect = |what| *app.expected.lock().unwrap_or_else(PoisonError::into_inner) = what;
    expect(Some((clip.id, wanted.form == Form::Plain || !steps.is_empty())));
    let offer = Arc::new(offer);
    let done = match wanted.paste {
        None => desk.take(offer).await,
        Some(into) => {
            let into = match into {
                PasteInto::Front => Into::Front,
                PasteInto::Behind => Into::Behind,
                PasteInto::BehindAndBack => Into::BehindAndBack,
            };
            match desk.paste(offer, into).await {
                Err(PasteError::Take(why)) => Err(why),
                Err(why) => return Err(TakeError::Paste(why)),
                Ok(()) => Ok(()),
            }
        }
    };
    done.inspect_err(|_| expect(None))?;
    Ok(has_filled)
}
