//! Bringing a clip in by hand.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use base64::Engine;
use tokio::sync::oneshot;
use yadori_api::{AddClip, Added, Problem};
use yadori_core::{COPY_CAP, Offer, Representation, Source};

use super::extract::Json;
use super::{Context, Failure};
use crate::app::{now, row};
use crate::intake;

/// Representations that one clip may have.
const MOST: usize = 64;

/// Bring a clip in
#[utoipa::path(post, path = "/clips", request_body = AddClip,
    responses((status = 201, body = Added), (status = 413, body = Problem), (status = 422, body = Problem)))]
pub(super) async fn add(
    State(context): State<Arc<Context>>,
    Json(wish): Json<AddClip>,
) -> Result<(StatusCode, axum::Json<Added>), Failure> {
    let offer = offer_of(wish)?;
    let (done, answer) = oneshot::channel();
    intake::add(&context.app, offer, context.disk.clone(), done).await;
    let id = answer.await??;
    let history = context.app.history();
    let clip = history.get(id).ok_or_else(|| Failure::no_clip("it was removed at the same moment"))?;
    Ok((StatusCode::CREATED, axum::Json(Added { row: row(&history, clip) })))
}

fn offer_of(wish: AddClip) -> Result<Offer, Failure> {
    if wish.representations.len() > MOST {
        return Err(Failure::invalid(format!("a clip may have {MOST} representations")));
    }
    let now = now();
    let at = wish.at.unwrap_or(now);
    if at > now || at < 0 {
        return Err(Failure::invalid("`at` must lie between 1970 and now"));
    }
    let mut representations = Vec::with_capacity(wish.representations.len());
    for one in wish.representations {
        let mime_ok =
            !one.mime.is_empty() && one.mime.len() <= 255 && !one.mime.chars().any(char::is_control);
        if !mime_ok {
            return Err(Failure::invalid(
                "`mime` must be a type such as text/plain, of at most 255 characters",
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
    let source = Source { program: wish.source.program, window: wish.source.window, page: wish.source.page };
    let offer = Offer { representations, source, at };
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
