//! Editing: a changed text takes the clip's place; the original can be compared and put back; what is typed and not
//! saved yet is kept as a draft.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{Acted, Compared, ComparedPart, Draft, Edit, Problem};
use yadori_core::text::difference::{Part, compare as parts_of};
use yadori_core::clip::reading::plain_form;
use yadori_core::{COPY_CAP, Kind, Offer};
use yadori_core::clip::mime;
use yadori_store::{CommitError, ReadError};

use super::acts::{acted, carry_out};
use super::clips::resolve;
use super::extract::{Json, Path};
use super::{Context, Failure};
use crate::app::{now, row};
use crate::intake;
use crate::keeper::Wish;

/// Change a text: a new clip takes over the place, title and color of the old one
#[utoipa::path(post, path = "/clips/{address}/edit", params(("address" = String, Path)), request_body = Edit,
    responses((status = 200, body = Acted), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(super) async fn edit(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(wish): Json<Edit>,
) -> Result<axum::Json<Acted>, Failure> {
    let clip = resolve(&context.app, &address)?;
    if !matches!(clip.facts.kind(), Kind::Text | Kind::Link) {
        return Err(Failure::invalid("only texts and links can be edited"));
    }
    let offer = clip.state.offer();
    let other = offer
        .is_some_and(|offer| offer.representations.iter().any(|one| mime::text_rank(&one.mime).is_none()));
    if other && !wish.plain {
        let detail = "it holds formatting or other forms, and an edited text is plain";
        return Err(Failure::new(
            StatusCode::CONFLICT,
            "formatting-would-go",
            "Its formatting would be lost",
            detail,
        )
        .hint("say that this is meant with `plain` (--plain); the original stays in the history"));
    }
    if wish.text.is_empty() {
        return Err(Failure::invalid("a clip holds at least one character; remove it instead"));
    }
    if wish.text.len() as u64 > COPY_CAP {
        return Err(Failure::invalid("a clip may hold 64 MiB"));
    }
    let source = offer.map(|offer| offer.source.clone()).unwrap_or_default();
    let new = Offer { source, ..Offer::text(wish.text, now()) };
    let capture = intake::prepared(&context.app, new, context.disk.clone())
        .await
        .ok_or_else(|| Failure::invalid("there is nothing in it"))?;
    let outcome = carry_out(&context, Wish::Edit(clip.id, Box::new(capture))).await?;
    drop_draft(&context, clip.id).await;
    Ok(acted(&context, outcome))
}

/// Put the original of an edited clip back in its place
#[utoipa::path(post, path = "/clips/{address}/put-back", params(("address" = String, Path)),
    responses((status = 200, body = Acted), (status = 409, body = Problem)))]
pub(super) async fn put_back(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Acted>, Failure> {
    let clip = resolve(&context.app, &address)?;
    Ok(acted(&context, carry_out(&context, Wish::PutBack(clip.id)).await?))
}

/// An edited clip beside its original
#[utoipa::path(get, path = "/clips/{address}/compare", params(("address" = String, Path)),
    responses((status = 200, body = Compared), (status = 409, body = Problem)))]
pub(super) async fn compare(
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
    let original = app.history().get(id).cloned().ok_or_else(gone)?;
    let old = plain_form(&app.offer(&original).await?).unwrap_or_default();
    let new = plain_form(&app.offer(&clip).await?).unwrap_or_default();
    let parts = tokio::task::spawn_blocking(move || parts_of(&old, &new)).await.unwrap_or_default();
    let word = |part| match part {
        Part::Same => "same",
        Part::Dropped => "dropped",
        Part::Added => "added",
    };
    let parts =
        parts.into_iter().map(|(part, text)| ComparedPart { part: word(part).into(), text }).collect();
    let original = row(&app.history(), &original);
    Ok(axum::Json(Compared { original, parts }))
}

fn away(why: impl std::fmt::Display) -> Failure {
    Failure::unavailable(why.to_string())
}

async fn drop_draft(context: &Context, id: yadori_core::ClipId) {
    let store = context.app.store.borrow().clone();
    if let Some(store) = store
        && let Err(why) = store.drop_draft(id).await
    {
        tracing::warn!("a draft could not be let go of: {why}");
    }
}

/// The draft of an editor, if there is one
#[utoipa::path(get, path = "/clips/{address}/draft", params(("address" = String, Path)),
    responses((status = 200, body = Draft), (status = 404, body = Problem)))]
pub(super) async fn draft(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Draft>, Failure> {
    let clip = resolve(&context.app, &address)?;
    let store = context.app.store.borrow().clone().ok_or_else(|| away("the records are not open yet"))?;
    let draft = store.draft(clip.id).await.map_err(|why: ReadError| away(why))?;
    let none = || {
        Failure::new(StatusCode::NOT_FOUND, "no-draft", "There is no draft", "nothing is kept for this clip")
    };
    let (at, text) = draft.ok_or_else(none)?;
    Ok(axum::Json(Draft { text, at: Some(at) }))
}

/// Keep what is typed in an editor, or (an empty text) let go of it
#[utoipa::path(post, path = "/clips/{address}/draft", params(("address" = String, Path)), request_body = Draft,
    responses((status = 204), (status = 503, body = Problem)))]
pub(super) async fn keep_draft(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(draft): Json<Draft>,
) -> Result<StatusCode, Failure> {
    let clip = resolve(&context.app, &address)?;
    let store = context.app.store.borrow().clone().ok_or_else(|| away("the records are not open yet"))?;
    let done = if draft.text.is_empty() {
        store.drop_draft(clip.id).await
    } else {
        store.put_draft(clip.id, &draft.text, now()).await
    };
    done.map_err(|why: CommitError| away(why))?;
    Ok(StatusCode::NO_CONTENT)
}
