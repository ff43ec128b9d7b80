//! All calls.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderName, StatusCode};
use axum::middleware::{self, Next};
use axum::response::Response;
use axum::routing::{delete, get, post, put};

use super::hub::{Hub, seconds};
use super::{blobs, groups, meetings, records};

/// The hub's time in seconds since the Unix epoch stands on every answer: devices sign with it, whatever their own clocks say.
const TIME: HeaderName = HeaderName::from_static("yadori-time");
/// What a push may carry, in bytes.
const PUSH: usize = 9 << 20;
/// What a part of a blob may carry.
const PART: usize = 2 << 20;
/// What anything else may carry.
const OTHER: usize = 320 << 10;

/// For how many days a group stays here that nobody asks for.
const KEEPS: HeaderName = HeaderName::from_static("yadori-keeps");

async fn say_more(State(hub): State<Arc<Hub>>, request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    response.headers_mut().insert(TIME, seconds().into());
    response.headers_mut().insert(KEEPS, hub.quiet_days.into());
    if response.status().is_client_error() {
        hub.counted.refused.fetch_add(1, Ordering::Relaxed);
    }
    response
}

async fn health(State(hub): State<Arc<Hub>>) -> (StatusCode, &'static str) {
    if hub.shutdown.is_cancelled() {
        (StatusCode::SERVICE_UNAVAILABLE, "stopping\n")
    } else if hub.records.is_well().await {
        (StatusCode::OK, "well\n")
    } else {
        (StatusCode::SERVICE_UNAVAILABLE, "the database does not answer, or is cut off from its cluster\n")
    }
}

/// Prometheus' text format, version 0.0.4.
async fn metrics(State(hub): State<Arc<Hub>>) -> String {
    let read = |counter: &AtomicU64| counter.load(Ordering::Relaxed);
    format!(
        "# HELP yadori_hub_pushes_total Pushes that were taken.\n# TYPE yadori_hub_pushes_total counter\n\
         yadori_hub_pushes_total {}\n# HELP yadori_hub_records_total Records that were taken.\n\
         # TYPE yadori_hub_records_total counter\nyadori_hub_records_total {}\n\
         # HELP yadori_hub_refused_total Requests that were refused.\n\
         # TYPE yadori_hub_refused_total counter\nyadori_hub_refused_total {}\n\
         # HELP yadori_hub_waited_for Groups and meetings that somebody waits for news of.\n\
         # TYPE yadori_hub_waited_for gauge\nyadori_hub_waited_for {}\n",
        read(&hub.counted.pushes),
        read(&hub.counted.records),
        read(&hub.counted.refused),
        hub.telling.waited_for(),
    )
}

/// All calls.
pub fn routes(hub: Arc<Hub>) -> Router {
    Router::new()
        .route("/v1/groups/{group}/records", post(records::push).layer(DefaultBodyLimit::max(PUSH)))
        .route("/v1/groups/{group}/records", get(records::pull))
        .route("/v1/groups/{group}/blobs/{name}/{n}", put(blobs::take).layer(DefaultBodyLimit::max(PART)))
        .route("/v1/groups/{group}/blobs/{name}/{n}", get(blobs::give))
        .route("/v1/groups/{group}", post(groups::found))
        .route("/v1/groups/{group}/entries", get(groups::entries).post(groups::append))
        .route("/v1/groups/{group}/devices", get(groups::devices))
        .route("/v1/groups/{group}/meetings", post(meetings::open))
        .route("/v1/groups/{group}/meetings/{place}", delete(meetings::close))
        .route("/v1/meetings/{place}/{n}", put(meetings::say).get(meetings::hear))
        .route("/healthz", get(health))
        .route("/metrics", get(metrics))
        .layer(DefaultBodyLimit::max(OTHER))
        .layer(middleware::from_fn_with_state(Arc::clone(&hub), say_more))
        .with_state(hub)
}
