//! Editing: a changed text takes the clip's place; the original can be compared and put back.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{Acted, Compared, ComparedPart, Edit, Problem};
use yadori_core::acts::Act;
use yadori_core::clip::mime;
use yadori_core::clip::reading::plain_form;
use yadori_core::text::difference::compare as parts_of;
use yadori_core::{COPY_CAP, Kind, Offer};

use super::address::resolve_open as resolve;
use crate::http::acts::done::{carry_out, carry_out_with};
use crate::http::extract::{Json, Path};
use crate::http::{Context, Failure};
use crate::intake::bring_in::prepared;
use crate::state::clock::now;
use crate::state::shapes::row;
use crate::writer::With;

/// Change a text: a new clip takes over the place, title and color of the old one
#[utoipa::path(post, path = "/clips/{address}/edit", params(("address" = String, Path)), request_body = Edit,
    responses((status = 200, body = Acted), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn edit(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(edit): Json<Edit>,
) -> Result<axum::Json<Acted>, Failure> {
    let clip = resolve(&context.app, &address)?;
    if !matches!(clip.facts.kind(), Kind::Text | Kind::Link) {
        return Err(Failure::invalid("only texts and links can be edited"));
    }
    let offer = clip.state.offer();
    let other = offer
        .is_some_and(|offer| offer.representations.iter().any(|one| mime::text_rank(&one.mime).is_none()));
    if other && !edit.plain {
        let detail = "it holds formatting or other forms, and an edited text is plain";
        return Err(Failure::new(
            StatusCode::CONFLICT,
            "formatting-would-go",
            "Its formatting would be lost",
            detail,
        )
        .hint("say that this is meant with `plain` (--plain); the original stays in the history"));
    }
    if edit.text.is_empty() {
        return Err(Failure::invalid("a clip holds at least one character; remove it instead"));
    }
    if edit.text.len() as u64 > COPY_CAP {
        return Err(Failure::invalid("a clip may hold 64 MiB"));
    }
    let source = offer.map(|offer| offer.source.clone()).unwrap_or_default();
    let new = Offer { source, ..Offer::text(edit.text, now()) };
    let new = prepared(&context.app, &context.disk, new).await?;
    let act = Act::Edit { clip: clip.id, new: Box::new(new.copied.clone()) };
    let acted = carry_out_with(&context, act, With::from(*new)).await?;
    if let Err(why) = context.queue.draft(clip.id, None).await {
        tracing::warn!("a draft could not be let go of: {why}");
    }
    Ok(acted)
}

/// Put the original of an edited clip back in its place
#[utoipa::path(post, path = "/clips/{address}/put-back", params(("address" = String, Path)),
    responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(crate) async fn put_back(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Acted>, Failure> {
    let clip = resolve(&context.app, &address)?;
    carry_out(&context, Act::PutBack { clip: clip.id }).await
}

/// An edited clip beside its original
#[utoipa::path(get, path = "/clips/{address}/compare", params(("address" = String, Path)),
    responses((status = 200, body = Compared), (status = 409, body = Problem)))]
pub(crate) async fn compare(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Compared>, Failure> {
    let app = &context.app;
    let clip = resolve(app, &address)?;
    let gone = || {
        Failure::new(
            StatusCode::CONFLICT,
            "no-original",
            "There is no original",
            "it was not made by an edit, or its original was removed",
        )
    };
    let id = clip.state.made_from().ok_or_else(gone)?;
    let original = app.clips.get(id).ok_or_else(gone)?;
    let old = plain_form(&app.at_hand.offer(&original).await?).unwrap_or_default();
    let new = plain_form(&app.at_hand.offer(&clip).await?).unwrap_or_default();
    let parts = tokio::task::spawn_blocking(move || parts_of(&old, &new)).await.unwrap_or_default();
    let parts = parts.into_iter().map(|(part, text)| ComparedPart { part, text }).collect();
    let original = row(&app.clips.history(), &original);
    Ok(axum::Json(Compared { original, parts }))
}
