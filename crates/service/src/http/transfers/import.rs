//! Imports.

use std::io;
use std::sync::Arc;

use axum::body::Body;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use futures_util::{StreamExt, TryStreamExt};
use serde::Deserialize;
use tokio::runtime::Handle;
use tokio::sync::mpsc;
use tokio_util::io::{StreamReader, SyncIoBridge};
use utoipa::IntoParams;
use yadori_api::{ImportProgress, Problem};

use crate::http::extract::Query;
use crate::http::{Context, Failure};
use crate::transfer::import::{Format, Import, ImportError, Split, look_at, spool};

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Wanted {
    /// `zip`, `drawer`, `csv` or `text`; told from the content if not given
    format: Option<String>,
    /// How a text is parted: `whole` (the default), `lines` or `blocks` (by empty lines)
    split: Option<String>,
}

/// Bring clips in from a file; the answer is a line of progress after another
#[utoipa::path(post, path = "/import", params(Wanted), request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = ImportProgress, content_type = "application/x-ndjson"), (status = 422, body = Problem)))]
pub(crate) async fn import(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
    body: Body,
) -> Result<impl IntoResponse, Failure> {
    if context.app.at_hand.store().is_none() {
        return Err(Failure::not_open());
    }
    let format = wanted.format.as_deref().map(|name| {
        Format::called(name).ok_or_else(|| Failure::invalid("`format` is zip, drawer, csv or text"))
    });
    let format = format.transpose()?;
    let split = wanted
        .split
        .as_deref()
        .map(|name| Split::called(name).ok_or_else(|| Failure::invalid("`split` is whole, lines or blocks")));
    let split = split.transpose()?.unwrap_or_default();
    let stream = body.into_data_stream().map_err(io::Error::other);
    let reader = SyncIoBridge::new(Box::pin(StreamReader::new(stream)));
    let disk = context.disk.clone();
    let looked_at = tokio::task::spawn_blocking(move || {
        let file = spool(reader, &disk)?;
        look_at(file, format, split).map_err(ImportError::from)
    });
    let opened = match looked_at.await {
        Ok(opened) => opened?,
        // A mistake in the program, answered as such.
        Err(why) => std::panic::resume_unwind(why.into_panic()),
    };
    let (told, lines) = mpsc::channel(16);
    let Context { app, queue, disk, .. } = (*context).clone();
    let import = Import { app, queue, disk, handle: Handle::current(), told };
    tokio::task::spawn_blocking(move || import.run(opened));
    let lines = tokio_stream::wrappers::ReceiverStream::new(lines);
    let body = Body::from_stream(lines.map(|line: String| Ok::<_, io::Error>(line)));
    Ok(([(header::CONTENT_TYPE, "application/x-ndjson")], body))
}

impl From<ImportError> for Failure {
    fn from(why: ImportError) -> Self {
        match why {
            ImportError::Write(why) => Self::from(why),
            ImportError::NoRoom | ImportError::Stopping => Self::unavailable(why.to_string()),
            why => Self::new(
                StatusCode::UNPROCESSABLE_ENTITY,
                "invalid-request",
                "That can't be brought in",
                why.to_string(),
            )
            .hint("nothing was brought in"),
        }
    }
}
