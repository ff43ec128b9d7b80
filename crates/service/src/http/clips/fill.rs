//! A preview of a text that fills itself in.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{FillPreview, Filled, Problem};
use yadori_core::clip::reading::plain_form;
use yadori_core::take::fill_in::may_hold;

use super::address::resolve_open as resolve;
use crate::http::extract::Json;
use crate::http::{Context, Failure};
use crate::take::fill::{filled, questions};

/// See what a text with fill-ins becomes
#[utoipa::path(post, path = "/fill-ins", request_body = FillPreview,
    responses((status = 200, body = Filled), (status = 422, body = Problem)))]
pub(crate) async fn preview(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<FillPreview>,
) -> Result<axum::Json<Filled>, Failure> {
    let app = &context.app;
    let clip = wanted.clip.as_deref().map(|address| resolve(app, address)).transpose()?;
    let text = match (wanted.text, &clip) {
        (Some(text), _) => text,
        (None, Some(clip)) => plain_form(&app.at_hand.offer(clip).await?).unwrap_or_default(),
        (None, None) => return Err(Failure::invalid("give a `text` or a `clip`")),
    };
    let filled = filled(app, clip.as_deref(), &text, &wanted.answers, wanted.zone.as_deref())
        .await
        .map_err(|why| Failure::fill(&text, why))?;
    let any = may_hold(&text);
    Ok(axum::Json(Filled {
        text: filled.text,
        questions: questions(filled.questions),
        open: filled.open,
        any,
    }))
}
