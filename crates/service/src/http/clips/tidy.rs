//! Tidying tried out.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Problem, Tidied, TryTidy};
use yadori_core::clip::reading::plain_form;
use yadori_core::take::tidy::{Step, tidied};

use super::address::resolve_open as resolve;
use crate::http::extract::Json;
use crate::http::{Context, Failure};
use crate::take::error::TakeError;

/// Characters of the text that are told.
const SHOWN: usize = 4_000;

/// What clean-ups would make of a clip, or of a text
#[utoipa::path(post, path = "/tidy", request_body = TryTidy,
    responses((status = 200, body = Tidied), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn try_tidy(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<TryTidy>,
) -> Result<axum::Json<Tidied>, Failure> {
    let steps: Vec<Step> =
        wanted.tidy.iter().map(|name| name.parse()).collect::<Result<_, _>>().map_err(TakeError::from)?;
    let text = match (&wanted.clip, wanted.text) {
        (Some(clip), None) => {
            let offer = context.app.at_hand.offer(&*resolve(&context.app, clip)?).await?;
            plain_form(&offer).ok_or(TakeError::NoPlainForm)?
        }
        (None, Some(text)) => text,
        _ => return Err(Failure::invalid("give a `clip` or a `text`")),
    };
    let work = tokio::task::spawn_blocking(move || {
        let out = tidied(&text, &steps);
        let (chars, changed) = (out.chars().count() as u64, out != text);
        Tidied { text: out.chars().take(SHOWN).collect(), chars, changed }
    });
    match work.await {
        Ok(done) => Ok(axum::Json(done)),
        // A mistake in the program, told by whoever watches this part.
        Err(why) => std::panic::resume_unwind(why.into_panic()),
    }
}
