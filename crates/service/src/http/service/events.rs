//! Events by SSE, with resume and reset.

use std::convert::Infallible;
use std::sync::Arc;
use std::time::Duration;

use axum::extract::State;
use axum::http::HeaderMap;
use axum::response::sse::{Event as Sent, KeepAlive, Sse};
use futures_util::{Stream, StreamExt, stream};
use tokio_stream::wrappers::BroadcastStream;
use yadori_api::Event;
use yadori_words::Language;

use crate::http::Context;
use crate::http::language::{Retold as _, spoken};
use crate::state::app::App;
use crate::state::events::{Happening, Numbered};
use crate::state::telling::told;

/// Listen to what happens: server-sent events `clip`, `gone`, `status`, `refused`, `kept`, `batches`, `reset`
#[utoipa::path(get, path = "/events", responses((status = 200, body = Event, content_type = "text/event-stream")))]
pub(crate) async fn events(
    State(context): State<Arc<Context>>,
    headers: HeaderMap,
) -> Sse<impl Stream<Item = Result<Sent, Infallible>>> {
    let app = context.app.clone();
    let epoch = app.events.epoch().to_owned();
    let last_seen = headers.get("last-event-id").and_then(|id| id.to_str().ok());
    let listening = app.events.listen(last_seen);
    let first = match listening.missed {
        Some(missed) => missed,
        None => vec![(listening.newest, Happening::Reset)],
    };
    let status = (listening.newest, Happening::Status);
    let live = BroadcastStream::new(listening.live).map({
        let newest = listening.newest;
        // One that fell behind begins anew.
        move |next| next.unwrap_or((newest, Happening::Reset))
    });
    let language = spoken();
    let (shutdown, forgetting) = (app.shutdown.clone(), app.events.until_forgetting());
    let ended = async move {
        tokio::select! {
            () = shutdown.cancelled() => {}
            () = forgetting => {}
        }
    };
    let all = stream::iter(first.into_iter().chain([status]))
        .chain(live)
        .take_until(ended)
        .map(move |numbered| Ok(sent(&app, &epoch, language, &numbered)));
    Sse::new(all).keep_alive(KeepAlive::new().interval(Duration::from_secs(20)))
}

/// An event in words. These are added now, from what is known now.
fn sent(app: &App, epoch: &str, language: Language, (number, event): &Numbered) -> Sent {
    let event = told(app, event).retold(language);
    let named = Sent::default().id(format!("{epoch}-{number}")).event(event.name());
    let data = match &event {
        Event::Clip(clip) => serde_json::to_string(clip),
        Event::Gone(gone) => serde_json::to_string(gone),
        Event::Status(status) => serde_json::to_string(status),
        Event::Refused(refusal) => serde_json::to_string(refusal),
        Event::Kept(kept) => serde_json::to_string(kept),
        Event::Batches(batches) => serde_json::to_string(batches),
        Event::Reset => Ok("{}".into()),
    };
    named.data(data.unwrap_or_default())
}
