//! Splitting tried out, and joining.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Join, Joined, Parts, Problem, TextPart, TrySplit};
use yadori_core::Offer;

use crate::batches::filling::{cut_of, parts_of, text_of};
use crate::batches::join::join as join_texts;
use crate::http::clips::address::resolve_open as resolve;
use crate::http::extract::Json;
use crate::http::{Context, Failure};
use crate::intake::bring_in::add;
use crate::state::clock::now;
use crate::writer::PartOf;

/// Parts that a preview shows.
const SHOWN: usize = 200;
/// Characters of a part that it shows.
const HEAD: usize = 600;
/// Characters of a joined text that are told.
const JOINED: usize = 2_000;

/// What splitting a clip, or a text, would make of it
#[utoipa::path(post, path = "/split", request_body = TrySplit,
    responses((status = 200, body = Parts), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn try_split(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<TrySplit>,
) -> Result<axum::Json<Parts>, Failure> {
    let cut = cut_of(&wanted.split)?;
    let (text, html) = match (&wanted.clip, wanted.text) {
        (Some(clip), None) => text_of(&context.app, &*resolve(&context.app, clip)?).await?,
        (None, Some(text)) => (text, None),
        _ => return Err(Failure::invalid("give a `clip` or a `text`")),
    };
    let parts = parts_of(text, html, cut).await?;
    let records = parts.last().map_or(0, |part| u64::from(part.record) + 1);
    let total = parts.len() as u64;
    let part = |part: yadori_core::batch::split::Part| TextPart {
        record: u64::from(part.record) + 1,
        label: part.label,
        head: part.text.chars().take(HEAD).collect(),
    };
    Ok(axum::Json(Parts { parts: parts.into_iter().take(SHOWN).map(part).collect(), total, records }))
}

/// Join clips, or the items of a batch, to one text: a new clip
#[utoipa::path(post, path = "/join", request_body = Join,
    responses((status = 200, body = Joined), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn join(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<Join>,
) -> Result<axum::Json<Joined>, Failure> {
    let text = join_texts(&context.app, &wanted).await?;
    let (chars, head) = (text.chars().count() as u64, text.chars().take(JOINED).collect());
    let clip = if wanted.preview {
        None
    } else {
        let offer = Offer::text(text, now());
        let id = add(&context.app, &context.queue, &context.disk, offer, true, PartOf::Nothing).await?.clip;
        Some(id.to_string())
    };
    Ok(axum::Json(Joined { clip, text: head, chars }))
}
