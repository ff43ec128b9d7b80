//! Taking: a clip onto the live clipboard.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{Form, Problem, Take, Taken};
use yadori_core::Offer;
use yadori_core::take::fill_in::may_hold;
use yadori_core::clip::reading::plain_form;

use super::clips::resolve;
use super::extract::{Json, Path};
use super::{Context, Failure, fill};
use crate::app::row;

/// Put a clip on the live clipboard; it is pasteable when this returns
#[utoipa::path(post, path = "/clips/{address}/take", params(("address" = String, Path)), request_body = Take,
    responses((status = 200, body = Taken), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(super) async fn take(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(wish): Json<Take>,
) -> Result<axum::Json<Taken>, Failure> {
    let app = &context.app;
    let clip = resolve(app, &address)?;
    let Some(desk) = &app.desk else {
        let detail = "capture is switched off for this run, so there is no clipboard to put it on";
        return Err(Failure::new(StatusCode::CONFLICT, "no-clipboard", "There is no clipboard", detail)
            .hint("start yadorid without --no-capture"));
    };
    let offer = app.offer(&clip).await?;
    let mut filled = false;
    let offer = match wish.form {
        Form::Copied => offer,
        Form::Ready => match plain_form(&offer).filter(|text| clip.state.is_pinned() && may_hold(text)) {
            None => offer,
            Some(text) => {
                filled = true;
                let done = fill::filled(app, Some(&clip), &text, &wish.answers, wish.zone.as_deref()).await?;
                if done.open {
                    return Err(Failure::questions(fill::questions(done.questions)));
                }
                Offer { source: offer.source.clone(), ..Offer::text(done.text, offer.at) }
            }
        },
        Form::Plain => {
            let text = plain_form(&offer).ok_or_else(|| {
                let detail = "a picture has no plain text";
                Failure::new(
                    StatusCode::UNPROCESSABLE_ENTITY,
                    "no-plain-form",
                    "It has no plain form",
                    detail,
                )
                .hint("take it as it was copied, without --plain")
            })?;
            Offer { source: offer.source.clone(), ..Offer::text(text, offer.at) }
        }
    };
    let taking = app.taking.lock().await;
    if let Ok(mut expected) = app.expected.lock() {
        *expected = Some((clip.id, wish.form == Form::Plain));
    }
    let outcome = desk.take(Arc::new(offer)).await;
    if outcome.is_err()
        && let Ok(mut expected) = app.expected.lock()
    {
        *expected = None;
    }
    drop(taking);
    outcome?;
    let row = row(&app.history(), &clip);
    Ok(axum::Json(Taken { row, form: wish.form, filled }))
}
