//! Putting clips on the live clipboard: what would be there is made ready, and then put.

use std::sync::Arc;

use yadori_api::{Form, PasteInto, Question, Shape, Take};
use yadori_core::clip::reading::plain_form;
use yadori_core::take::fill_in::may_hold;
use yadori_core::take::tidy::{Step, tidied};
use yadori_core::{COPY_CAP, Clip, ClipId, Offer};

use crate::state::app::App;
use crate::state::clock::now;
use crate::state::health::LiveNow;
use crate::take::error::TakeError;
use crate::take::fill::{filled, questions};
use crate::take::put::{Pasting, into_of, put, standing};
use crate::take::shaped::{meant, shaped};

/// What would be put on the live clipboard.
#[derive(Debug)]
pub struct Ready {
    /// It.
    pub offer: Offer,
    /// It is plain text, whatever the clip holds.
    pub plain: bool,
    /// Fill-ins were filled.
    pub filled: bool,
    /// Questions that have no answer yet: they stand in brackets.
    pub open: Vec<Question>,
}

/// What is taken is plain text, whatever the clip holds.
fn is_plain(wanted: &Take) -> bool {
    let of_shape = matches!(wanted.shape, Some(Shape::Paths | Shape::Names | Shape::Markdown));
    wanted.form == Form::Plain || of_shape || !wanted.tidy.is_empty()
}

/// A clip as it is taken, its fill-ins filled if it is kept and that is not refused.
async fn filled_offer(app: &App, clip: &Clip, wanted: &Take) -> Result<Ready, TakeError> {
    let offer = meant(app, clip, wanted.earlier).await?;
    let as_it_is = |offer| Ready { offer, plain: false, filled: false, open: Vec::new() };
    if wanted.form == Form::Copied {
        return Ok(as_it_is(offer));
    }
    let of = |text: String| Offer { source: offer.source.clone(), ..Offer::text(text, offer.at) };
    let text = plain_form(&offer);
    if let Some(text) = text.as_ref().filter(|text| clip.state.is_pinned() && may_hold(text)) {
        let done = filled(app, Some(clip), text, &wanted.answers, wanted.zone.as_deref()).await;
        let done = done.map_err(|why| TakeError::Filling(text.clone(), why))?;
        let open = done.questions.iter().filter(|one| !wanted.answers.contains_key(&one.question));
        let open = questions(open.cloned().collect());
        return Ok(Ready { offer: of(done.text), plain: false, filled: true, open });
    }
    Ok(as_it_is(match wanted.form {
        Form::Plain => of(text.ok_or(TakeError::NoPlainForm)?),
        _ => offer,
    }))
}

/// Several clips as one text, in the order in which they are given.
async fn joined(app: &App, clips: &[Arc<Clip>], wanted: &Take) -> Result<Ready, TakeError> {
    if wanted.shape.is_some() || wanted.earlier.is_some() {
        return Err(TakeError::OneAlone);
    }
    let between = wanted.with.as_deref().unwrap_or("\n");
    let (mut all, mut has_filled, mut open) = (String::new(), false, Vec::new());
    for (n, clip) in clips.iter().enumerate() {
        if clip.is_secret() {
            return Err(TakeError::MaskedAmong);
        }
        let one = filled_offer(app, clip, wanted).await?;
        let text = plain_form(&one.offer).ok_or(TakeError::NoPlainForm)?;
        if all.len() as u64 + text.len() as u64 + between.len() as u64 > COPY_CAP {
            return Err(TakeError::TooLarge);
        }
        if n > 0 {
            all.push_str(between);
        }
        all.push_str(&text);
        has_filled |= one.filled;
        for question in one.open {
            if !open.contains(&question) {
                open.push(question);
            }
        }
    }
    Ok(Ready { offer: Offer::text(all, now()), plain: false, filled: has_filled, open })
}

/// What taking these clips would put on the live clipboard, in the form that is wanted.
///
/// # Errors
/// They can't be taken so.
pub async fn ready(app: &App, clips: &[Arc<Clip>], wanted: &Take) -> Result<Ready, TakeError> {
    let steps: Vec<Step> = wanted.tidy.iter().map(|name| name.parse()).collect::<Result<_, _>>()?;
    let done = match clips {
        [one] => {
            let done = filled_offer(app, one, wanted).await?;
            Ready { offer: shaped(app, one, done.offer, wanted).await?, ..done }
        }
        several => joined(app, several, wanted).await?,
    };
    let text = plain_form(&done.offer);
    // What the person has said for the program holds where nothing else was said for this take.
    let of_program = match wanted.paste {
        Some(into) if steps.is_empty() && wanted.form != Form::Copied && text.is_some() => {
            standing(app, into).await
        }
        _ => Vec::new(),
    };
    let plain = is_plain(wanted) || !of_program.is_empty();
    let steps = if steps.is_empty() { of_program } else { steps };
    if steps.is_empty() {
        return Ok(Ready { plain, ..done });
    }
    let text = tidied(&text.ok_or(TakeError::NoPlainForm)?, &steps);
    let offer = Offer { source: done.offer.source.clone(), ..Offer::text(text, done.offer.at) };
    Ok(Ready { offer, plain, ..done })
}

/// The same, with nothing left to be asked, where there is a clipboard.
///
/// # Errors
/// They can't be taken so, or something is asked first.
pub async fn answered(app: &App, clips: &[Arc<Clip>], wanted: &Take) -> Result<Ready, TakeError> {
    app.desk.as_ref().ok_or(TakeError::NoDesk)?;
    let ready = ready(app, clips, wanted).await?;
    if ready.open.is_empty() { Ok(ready) } else { Err(TakeError::Asks(ready.open)) }
}

/// Puts what is ready on the live clipboard, as this clip.
///
/// # Errors
/// The clipboard is as it was then.
pub async fn put_as(app: &App, id: ClipId, ready: Ready, into: Option<PasteInto>) -> Result<(), TakeError> {
    let live = LiveNow::Clip(id, ready.plain);
    let pasting = into.map(|into| Pasting { into: into_of(into), asked: None, then: None });
    put(app, Some(Arc::new(ready.offer)), live, pasting).await
}

/// Puts a clip on the live clipboard in the form that is wanted; it is pasteable when this returns. True when fill-ins
/// were filled.
///
/// # Errors
/// The clipboard is as it was then.
pub async fn take(app: &App, clip: &Arc<Clip>, wanted: &Take) -> Result<bool, TakeError> {
    let ready = answered(app, std::slice::from_ref(clip), wanted).await?;
    let has_filled = ready.filled;
    put_as(app, clip.id, ready, wanted.paste).await?;
    Ok(has_filled)
}
