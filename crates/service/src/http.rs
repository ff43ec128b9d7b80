//! The HTTP interface `/api/v1` and the console, over TCP on loopback (every call needs a key, Host and Origin are
//! checked) and over a Unix socket in the run-time directory (for this user's programs).

mod acts;
mod add;
mod backup;
mod clips;
mod console;
mod drawers;
mod edit;
mod events;
mod export;
mod extract;
mod fill;
mod frame;
mod gate;
mod history;
mod import;
mod picture;
mod problem;
mod record;
mod search;
mod sign_in;
mod status;
mod take;

use std::path::PathBuf;
use std::sync::Arc;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderName, HeaderValue};
use axum::middleware;
use axum::routing::get;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::set_header::SetResponseHeaderLayer;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::Shared;
pub use gate::OwnUser;
pub use problem::Failure;

/// The most a request may carry: a clip at the cap, in base64, and something around it.
const BODY_LIMIT: usize = 92 * 1024 * 1024;

/// What handlers share.
#[derive(Clone, Debug)]
pub struct Context {
    /// The service.
    pub app: Shared,
    /// The directory of a private server, whose disk must not fill up.
    pub disk: Option<PathBuf>,
}

#[derive(OpenApi)]
#[openapi(info(
    title = "Yadori",
    description = "The history of what was copied on this computer. Times are microseconds since the Unix epoch, UTC; \
                   sizes are bytes; an address is a place (`1` is the newest) or the beginning of an id. Over TCP every \
                   call carries a key as a bearer token; problems are RFC 9457 problem details with a hint."
))]
struct Description;

/// How a request came in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Way {
    /// By the Unix socket: this user's own programs.
    Unix,
    /// By TCP, on this port.
    Tcp(u16),
}

/// The interface as served on the Unix socket.
pub fn over_unix(context: Context) -> Router {
    routes(context, Way::Unix)
}

/// The interface and the console as served by TCP on `port`.
pub fn over_tcp(context: Context, port: u16) -> Router {
    routes(context, Way::Tcp(port))
}

/// The description of the interface (OpenAPI 3.1).
pub fn description() -> utoipa::openapi::OpenApi {
    described().split_for_parts().1
}

fn described() -> OpenApiRouter<Arc<Context>> {
    let api = OpenApiRouter::new()
        .routes(routes!(status::status))
        .routes(routes!(status::stop))
        .routes(routes!(history::list))
        .routes(routes!(history::outline))
        .routes(routes!(history::rows))
        .routes(routes!(add::add))
        .routes(routes!(clips::detail))
        .routes(routes!(clips::representation))
        .routes(routes!(picture::picture))
        .routes(routes!(take::take))
        .routes(routes!(frame::new_frame))
        .routes(routes!(acts::remove))
        .routes(routes!(acts::keep))
        .routes(routes!(acts::title))
        .routes(routes!(acts::paint))
        .routes(routes!(acts::bring_up))
        .routes(routes!(acts::undo))
        .routes(routes!(acts::redo))
        .routes(routes!(acts::list))
        .routes(routes!(search::search))
        .routes(routes!(search::outline))
        .routes(routes!(search::completions))
        .routes(routes!(search::insight))
        .routes(routes!(drawers::favorites))
        .routes(routes!(drawers::list, drawers::make))
        .routes(routes!(drawers::items))
        .routes(routes!(drawers::change))
        .routes(routes!(drawers::remove))
        .routes(routes!(drawers::new_divider))
        .routes(routes!(drawers::change_divider))
        .routes(routes!(drawers::remove_divider))
        .routes(routes!(edit::edit))
        .routes(routes!(edit::put_back))
        .routes(routes!(edit::compare))
        .routes(routes!(edit::draft, edit::keep_draft))
        .routes(routes!(fill::preview))
        .routes(routes!(export::export, export::export_some))
        .routes(routes!(export::drawer))
        .routes(routes!(import::import))
        .routes(routes!(events::events))
        .routes(routes!(sign_in::new_link))
        .routes(routes!(sign_in::sign_in))
        .routes(routes!(backup::backup))
        .routes(routes!(backup::restore));
    OpenApiRouter::with_openapi(Description::openapi()).nest(yadori_api::ROOT, api)
}

fn routes(context: Context, way: Way) -> Router {
    let app = context.app.clone();
    let context = Arc::new(context);
    let (api, description) = described().split_for_parts();
    let description = Arc::new(description.to_json().unwrap_or_default());
    let mut router = api
        .route("/healthz", get(status::healthz))
        .route(
            "/api/v1/openapi.json",
            get(move || {
                let text = description.as_str().to_owned();
                async move { ([(axum::http::header::CONTENT_TYPE, "application/json")], text) }
            }),
        )
        .route("/framed/{ticket}", get(frame::framed))
        .with_state(context)
        .fallback(console::asset)
        .layer(DefaultBodyLimit::max(BODY_LIMIT))
        .layer(axum::Extension(way));
    if let Way::Tcp(port) = way {
        router = router.layer(middleware::from_fn_with_state(gate::Gate { app, port }, gate::pass));
    }
    let header = |name: &'static str, value: &'static str| {
        SetResponseHeaderLayer::if_not_present(HeaderName::from_static(name), HeaderValue::from_static(value))
    };
    router
        .layer(CatchPanicLayer::custom(problem::panicked))
        .layer(header("x-content-type-options", "nosniff"))
        .layer(header("referrer-policy", "no-referrer"))
        .layer(header("cross-origin-resource-policy", "same-origin"))
        .layer(header("cross-origin-opener-policy", "same-origin"))
        .layer(header("content-security-policy", console::POLICY))
        .layer(header("cache-control", "no-store"))
}
