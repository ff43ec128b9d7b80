//! Pictures made small for looking at: of images, and of copied picture files. Decoding is bounded in pixels and memory,
//! so that no picture, however compressed, can exhaust the service.

use std::io::Read;
use std::path::Path as FilePath;
use std::sync::Arc;

use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use bytes::Bytes;
use serde::Deserialize;
use tokio::sync::Semaphore;
use utoipa::IntoParams;
use yadori_api::Problem;
use yadori_core::clip::facts::path_of;
use yadori_core::clip::mime;
use yadori_core::{COPY_CAP, Clip, Content};

use super::address::resolve_open as resolve;
use crate::http::extract::{Path, Query};
use crate::http::{Context, Failure};
use crate::pictures::small::{SmallError, make_small};

/// Pictures decoded at once.
static AT_ONCE: Semaphore = Semaphore::const_new(1);
/// Why a picture can't be made small.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
enum PictureError {
    #[error("its picture is missing")]
    Missing,
    #[error("the file is not there any more")]
    NoFile,
    #[error("the file is no picture of at most 64 MiB")]
    NoPictureFile,
    #[error("the file can't be read")]
    Unreadable,
    #[error(transparent)]
    Small(#[from] SmallError),
}

impl From<PictureError> for Failure {
    fn from(why: PictureError) -> Self {
        let status = StatusCode::UNPROCESSABLE_ENTITY;
        Self::new(status, "no-preview", "It can't be shown small", why.to_string())
            .hint("it is kept whole and can be taken as it is")
    }
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Size {
    /// Pixels of the longer side at most, between 16 and 2400; 400 if not given
    most: Option<u32>,
}
/// A clip's picture, made small
#[utoipa::path(get, path = "/clips/{address}/picture", params(("address" = String, Path), Size),
    responses((status = 200, body = Vec<u8>, content_type = "image/png"), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn picture(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Query(size): Query<Size>,
) -> Result<impl IntoResponse, Failure> {
    let most = size.most.unwrap_or(400);
    if !(16..=2_400).contains(&most) {
        return Err(Failure::invalid("`most` must be between 16 and 2400"));
    }
    let clip = resolve(&context.app, &address)?;
    let (content, is_svg) = source_of(&context, &clip).await?;
    if is_svg {
        return Ok(answer("image/svg+xml", content.expose().clone()));
    }
    let digest = content.digest();
    let (kind, bytes) = match context.app.at_hand.picture(digest, most) {
        Some(small) => small,
        None => {
            let _turn = AT_ONCE.acquire().await;
            let made = tokio::task::spawn_blocking(move || make_small(&content, most));
            let small = made.await.unwrap_or(Err(SmallError::Unmade)).map_err(PictureError::from)?;
            // Not of a clip that was removed meanwhile.
            if context.app.clips.get(clip.id).is_some() {
                context.app.at_hand.keep_picture(digest, most, small.clone());
            }
            small
        }
    };
    Ok(answer(kind, bytes))
}

fn answer(kind: &'static str, bytes: Bytes) -> impl IntoResponse + use<> {
    let headers = [
        (header::CONTENT_TYPE, kind),
        (header::CONTENT_DISPOSITION, "attachment"),
        (header::CONTENT_SECURITY_POLICY, "sandbox; default-src 'none'; style-src 'unsafe-inline'"),
        (header::CACHE_CONTROL, "private, max-age=3600"),
    ];
    (headers, bytes)
}

/// The bytes to show, and whether they are SVG (which the console shows as an image, where nothing in it runs).
async fn source_of(context: &Context, clip: &Clip) -> Result<(Content, bool), Failure> {
    if let Some(picture) = &clip.facts.picture {
        let record = clip
            .state
            .offer()
            .and_then(|offer| offer.representations.iter().find(|one| one.mime == picture.mime));
        let digest = record.map(|one| one.digest).ok_or(PictureError::Missing)?;
        return Ok((
            context.app.at_hand.content(digest).await?,
            mime::base(&picture.mime) == "image/svg+xml",
        ));
    }
    let uri = clip.facts.files.first().filter(|_| clip.facts.names_picture()).cloned();
    let Some(path) = uri.as_deref().and_then(path_of) else {
        return Err(Failure::new(
            StatusCode::NOT_FOUND,
            "no-picture",
            "It is no picture",
            "this clip holds no picture",
        ));
    };
    let is_svg = path.to_ascii_lowercase().ends_with(".svg");
    let content = tokio::task::spawn_blocking(move || read_file(FilePath::new(&path)))
        .await
        .unwrap_or(Err(PictureError::Unreadable))?;
    Ok((content, is_svg))
}

fn read_file(path: &FilePath) -> Result<Content, PictureError> {
    let about = path.metadata().map_err(|_| PictureError::NoFile)?;
    if !about.is_file() || about.len() > COPY_CAP {
        return Err(PictureError::NoPictureFile);
    }
    let file = std::fs::File::open(path).map_err(|_| PictureError::Unreadable)?;
    let mut bytes = Vec::new();
    // It may grow while it is read.
    file.take(COPY_CAP).read_to_end(&mut bytes).map_err(|_| PictureError::Unreadable)?;
    Ok(Content::new(bytes))
}
