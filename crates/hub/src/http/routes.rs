//! All calls, and what they share.

use std::net::SocketAddr;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

use axum::Router;
use axum::extract::{DefaultBodyLimit, Request, State};
use axum::http::{HeaderName, StatusCode};
use axum::middleware::{self, Next};
use axum::response::Response;
use axum::routing::{delete, get, post, put};
use tokio_util::sync::CancellationToken;

use super::asking::Answered;
use super::guard::Guard;
use super::known::Known;
use super::problem::Failure;
use super::{groups, meetings, records};
use crate::records::Records;
use crate::waiting::Waiting;

/// The hub's time in seconds since the Unix epoch stands on every answer: devices sign with it, whatever their own clocks say.
const TIME: HeaderName = HeaderName::from_static("yadori-time");
/// What a push may carry, in bytes.
const PUSH: usize = 9 << 20;
/// What anything else may carry.
const OTHER: usize = 320 << 10;

/// What was done, for whoever looks after the hub.
#[derive(Debug, Default)]
pub(super) struct Counted {
    pushes: AtomicU64,
    records: AtomicU64,
}

impl Counted {
    pub(super) fn pushed(&self, records: usize) {
        self.pushes.fetch_add(1, Ordering::Relaxed);
        self.records.fetch_add(records as u64, Ordering::Relaxed);
    }
}

/// Where a request came from.
#[derive(Clone, Copy, Debug)]
pub struct Peer(pub SocketAddr);

/// What the calls share.
#[derive(Debug)]
pub struct Hub {
    pub(super) records: Records,
    /// Groups come to be without an invitation.
    pub(super) open: bool,
    /// Bytes that a group may have.
    pub(super) quota: u64,
    pub(super) known: Known,
    pub(super) answered: Answered,
    pub(super) guard: Guard,
    pub(super) groups: Waiting<[u8; 16]>,
    pub(super) places: Waiting<u32>,
    pub(super) counted: Counted,
    pub(super) shutdown: CancellationToken,
}

impl Hub {
    /// A hub on these records. `open`: groups come to be without an invitation; `quota`: bytes that a group may have.
    pub fn new(records: Records, open: bool, quota: u64, shutdown: CancellationToken) -> Self {
        Self {
            records,
            open,
            quota,
            known: Known::default(),
            answered: Answered::default(),
            guard: Guard::default(),
            groups: Waiting::default(),
            places: Waiting::default(),
            counted: Counted::default(),
            shutdown,
        }
    }
}

/// Seconds since the Unix epoch.
pub(super) fn seconds() -> u64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs())
}

/// Microseconds since the Unix epoch.
pub(crate) fn micros() -> i64 {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    i64::try_from(since.as_micros()).unwrap_or(i64::MAX)
}

/// A group by its 32 hexadecimal digits.
pub(super) fn group_of(text: &str) -> Result<[u8; 16], Failure> {
    let group = hex::decode(text).ok().and_then(|bytes| bytes.try_into().ok());
    group.ok_or_else(|| Failure::malformed("a group is named by 32 hexadecimal digits"))
}

async fn say_time(request: Request, next: Next) -> Response {
    let mut response = next.run(request).await;
    response.headers_mut().insert(TIME, seconds().into());
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
         # TYPE yadori_hub_records_total counter\nyadori_hub_records_total {}\n",
        read(&hub.counted.pushes),
        read(&hub.counted.records),
    )
}

/// All calls.
pub fn routes(hub: Arc<Hub>) -> Router {
    Router::new()
        .route("/v1/groups/{group}/records", post(records::push).layer(DefaultBodyLimit::max(PUSH)))
        .route("/v1/groups/{group}/records", get(records::pull))
        .route("/v1/groups/{group}", post(groups::found))
        .route("/v1/groups/{group}/entries", get(groups::entries).post(groups::append))
        .route("/v1/groups/{group}/meetings", post(meetings::open))
        .route("/v1/groups/{group}/meetings/{place}", delete(meetings::close))
        .route("/v1/meetings/{place}/{n}", put(meetings::say).get(meetings::hear))
        .route("/healthz", get(health))
        .route("/metrics", get(metrics))
        .layer(DefaultBodyLimit::max(OTHER))
        .layer(middleware::from_fn(say_time))
        .with_state(hub)
}
