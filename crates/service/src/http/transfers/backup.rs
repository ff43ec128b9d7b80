//! Backups out and in.

use std::io;
use std::sync::Arc;

use axum::body::Body;
use axum::extract::State;
use axum::http::StatusCode;
use axum::response::IntoResponse;
use futures_util::TryStreamExt;
use tokio::runtime::Handle;
use tokio_util::io::{StreamReader, SyncIoBridge};
use yadori_api::{Problem, Restored};

use super::sent::attachment;
use crate::http::{Context, Failure};
use crate::records::collect::collect;
use crate::search::long_texts;
use crate::state::clock::now;
use crate::transfer::restore::{Receiver, RestoreError};
use crate::transfer::{backup, outgoing};
use crate::writer::WriteError;

/// A backup of everything, contents included, as of this moment
#[utoipa::path(get, path = "/backup", responses((status = 200, body = Vec<u8>, content_type = "application/x-tar"), (status = 503, body = Problem)))]
pub(crate) async fn backup(State(context): State<Arc<Context>>) -> Result<impl IntoResponse, Failure> {
    let store = context.app.at_hand.store().ok_or_else(Failure::not_open)?;
    let away = |why: String| Failure::unavailable(why);
    // What a restore has brought goes to its place first: a backup is of all of it.
    while store.has_received().await.map_err(|why| away(why.to_string()))? {
        store.settle_received().await.map_err(|why| away(why.to_string()))?;
    }
    let snapshot = store.snapshot().await.map_err(|why| away(why.to_string()))?;
    let handle = Handle::current();
    let write = move |out| backup::write(out, snapshot, &handle);
    let (transfer, sent) = outgoing::send(context.app.clone(), "a backup", write)?;
    Ok(attachment("application/x-tar", "yadori-backup.tar", &transfer, sent))
}

/// Make a backup the history of this (empty) home
#[utoipa::path(post, path = "/restore", request_body(content = Vec<u8>, content_type = "application/x-tar"),
    responses((status = 200, body = Restored), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn restore(
    State(context): State<Arc<Context>>,
    body: Body,
) -> Result<axum::Json<Restored>, Failure> {
    let store = context.app.at_hand.store().ok_or_else(Failure::not_open)?;
    if !context.app.clips.history().is_empty() {
        return Err(Failure::from(WriteError::NotEmpty));
    }
    let Ok(_alone) = RESTORING.try_acquire() else {
        let detail = "another backup is being restored";
        return Err(Failure::new(StatusCode::CONFLICT, "restoring", "One at a time", detail));
    };
    // What an earlier one left that was cut off.
    store.drop_received().await.map_err(|why| Failure::unavailable(why.to_string()))?;
    let reader = StreamReader::new(body.into_data_stream().map_err(io::Error::other));
    let (handle, disk, blank) = (Handle::current(), context.disk.clone(), context.app.clips.blank());
    let records = store.clone();
    let work = move || {
        let receiver = Receiver { store: &records, disk: &disk, handle: &handle };
        receiver.receive(SyncIoBridge::new(Box::pin(reader)), blank)
    };
    let received = match tokio::task::spawn_blocking(work).await {
        Ok(received) => received,
        // A mistake in the program, answered as such.
        Err(why) => std::panic::resume_unwind(why.into_panic()),
    };
    let outcome = match received {
        Ok(received) => {
            let (bytes, long) = (received.bytes, received.long);
            let restored = context.queue.restored(received.history, received.corpus, received.drawers).await;
            restored.map(|clips| (clips, bytes, long)).map_err(Failure::from)
        }
        Err(why) => Err(Failure::from(why)),
    };
    let (clips, bytes, long) = match outcome {
        Ok(done) => done,
        Err(why) => {
            let (queue, before) = (context.queue.clone(), now());
            context.app.parts.start("letting go of a restore", async move {
                if store.drop_received().await.is_ok() {
                    collect(store, queue, before).await;
                }
            });
            return Err(why);
        }
    };
    context.app.parts.start("finishing a restore", async move {
        while let Ok(false) = store.settle_received().await {
            tokio::task::yield_now().await;
        }
    });
    context.app.parts.start("reading long texts", long_texts::read(context.app.clone(), long));
    Ok(axum::Json(Restored { clips, bytes }))
}

/// One restore at a time.
static RESTORING: tokio::sync::Semaphore = tokio::sync::Semaphore::const_new(1);

impl From<RestoreError> for Failure {
    fn from(why: RestoreError) -> Self {
        match why {
            RestoreError::Records(why) => Self::unavailable(why.to_string()),
            why => Self::new(
                StatusCode::UNPROCESSABLE_ENTITY,
                "damaged-backup",
                "The backup can't be used",
                why.to_string(),
            )
            .hint("nothing was restored; try another backup"),
        }
    }
}
