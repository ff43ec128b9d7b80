//! Bringing a clip in by hand.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use base64::Engine;
use yadori_api::{AddClip, Added, Problem};
use yadori_core::clip::target::is_content;
use yadori_core::{COPY_CAP, Offer, Representation};

use crate::home::random::random;
use crate::http::extract::Json;
use crate::http::{Context, Failure};
use crate::intake::bring_in;
use crate::state::clock::now;
use crate::state::shapes::row;
use crate::writer::{PartOf, WriteError};

/// Representations that one clip may have.
const REPRESENTATIONS: usize = 64;

/// Bring a clip in
#[utoipa::path(post, path = "/clips", request_body = AddClip,
    responses((status = 201, body = Added), (status = 413, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn add(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<AddClip>,
) -> Result<(StatusCode, axum::Json<Added>), Failure> {
    let on_top = wanted.at.is_none();
    let offer = offer_of(wanted)?;
    let Context { app, queue, disk, .. } = &*context;
    let act = random().map_err(|_| WriteError::NoRandomness)?;
    let saved = bring_in::add(app, queue, disk, offer, on_top, PartOf::Own(act)).await?;
    let history = context.app.clips.history();
    let clip =
        history.get(saved.clip).ok_or_else(|| Failure::no_clip("it was removed at the same moment"))?;
    Ok((
        StatusCode::CREATED,
        axum::Json(Added { row: row(&history, &clip), act_id: saved.act.map(hex::encode) }),
    ))
}

fn offer_of(wanted: AddClip) -> Result<Offer, Failure> {
    if wanted.representations.len() > REPRESENTATIONS {
        return Err(Failure::invalid(format!("a clip may have {REPRESENTATIONS} representations")));
    }
    let now = now();
    let at = wanted.at.unwrap_or(now);
    if at > now || at < 0 {
        return Err(Failure::invalid("`at` must lie between 1970 and now"));
    }
    let mut representations = Vec::with_capacity(wanted.representations.len());
    for one in wanted.representations {
        let mime_ok =
            !one.mime.is_empty() && one.mime.len() <= 255 && !one.mime.chars().any(char::is_control);
        if !mime_ok {
            return Err(Failure::invalid(
                "`mime` must be a type such as text/plain, of at most 255 characters",
            ));
        }
        if !is_content(&one.mime) {
            return Err(Failure::invalid(
                "`mime` must be the type of a content, such as text/plain: no program could be given what has this one",
            ));
        }
        let bytes = match (one.text, one.base64) {
            (Some(text), None) => text.into_bytes(),
            (None, Some(encoded)) => base64::engine::general_purpose::STANDARD
                .decode(encoded)
                .map_err(|why| Failure::invalid(format!("`base64` is not base64: {why}")))?,
            _ => return Err(Failure::invalid("each representation has either `text` or `base64`")),
        };
        representations.push(Representation::new(one.mime, bytes));
    }
    let offer = Offer { representations, source: wanted.source, at, ..Offer::default() };
    if offer.size() > COPY_CAP {
        let detail = format!("it holds {} bytes; a clip may hold {COPY_CAP} (64 MiB)", offer.size());
        return Err(Failure::new(
            StatusCode::PAYLOAD_TOO_LARGE,
            "too-large",
            "The clip is too large",
            detail,
        ));
    }
    Ok(offer)
}
