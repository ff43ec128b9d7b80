//! Putting a clip on the live clipboard.

use std::sync::Arc;

use yadori_api::{Form, Shape, Take};
use yadori_core::clip::reading::plain_form;
use yadori_core::take::fill_in::may_hold;
use yadori_core::take::tidy::{Step, tidied};
use yadori_core::{Clip, Offer};

use crate::state::app::App;
use crate::state::health::LiveNow;
use crate::take::error::TakeError;
use crate::take::fill::{filled, questions};
use crate::take::put::{Pasting, into_of, put, standing};
use crate::take::shaped::{meant, shaped};

/// What is taken is plain text, whatever the clip holds.
fn is_plain(wanted: &Take) -> bool {
    let of_shape = matches!(wanted.shape, Some(Shape::Paths | Shape::Names | Shape::Markdown));
    wanted.form == Form::Plain || of_shape || !wanted.tidy.is_empty()
}

/// Puts a clip on the live clipboard in the form that is wanted; it is pasteable when this returns. True when fill-ins
/// were filled.
///
/// # Errors
/// The clipboard is as it was then.
pub async fn take(app: &App, clip: &Clip, wanted: &Take) -> Result<bool, TakeError> {
    app.desk.as_ref().ok_or(TakeError::NoDesk)?;
    let steps: Vec<Step> = wanted.tidy.iter().map(|name| name.parse()).collect::<Result<_, _>>()?;
    let offer = meant(app, clip, wanted.earlier).await?;
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
    let offer = shaped(app, clip, offer, wanted).await?;
    let text = plain_form(&offer);
    // What the person has said for the program holds where nothing else was said for this take.
    let of_program = match wanted.paste {
        Some(into) if steps.is_empty() && wanted.form != Form::Copied && text.is_some() => {
            standing(app, into).await
        }
        _ => Vec::new(),
    };
    let is_plain = is_plain(wanted) || !of_program.is_empty();
    let steps = if steps.is_empty() { of_program } else { steps };
    let offer = if steps.is_empty() {
        offer
    } else {
        let text = text.ok_or(TakeError::NoPlainForm)?;
        Offer { source: offer.source.clone(), ..Offer::text(tidied(&text, &steps), offer.at) }
    };
    let live = LiveNow::Clip(clip.id, is_plain);
    let pasting = wanted.paste.map(|into| Pasting { into: into_of(into), asked: None, then: None });
    put(app, Some(Arc::new(offer)), live, pasting).await?;
    Ok(has_filled)
}
