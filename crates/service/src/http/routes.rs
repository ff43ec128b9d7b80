//! All calls, and what stands around them.

use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use axum::extract::DefaultBodyLimit;
use axum::http::{HeaderName, HeaderValue};
use axum::middleware;
use axum::routing::get;
use tower_http::catch_panic::CatchPanicLayer;
use tower_http::set_header::SetResponseHeaderLayer;
use tower_http::timeout::RequestBodyTimeoutLayer;
use utoipa::OpenApi;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use super::context::{Context, Entrance};
use super::described::complete;
use super::{
    acts, batches, clearing, clips, devices, drawers, gate, keeping, problem, ready, search, service,
    transfers,
};

/// The most a request may carry: a clip at the cap, in base64, and something around it.
const BODY_LIMIT: usize = 92 * 1024 * 1024;
/// The most a request without a key may carry.
const SIGN_IN_LIMIT: usize = 4 * 1024;
/// How long the next part of a body may take.
const BODY_TIME: Duration = Duration::from_secs(30);

#[derive(OpenApi)]
#[openapi(info(
    title = "Yadori",
    description = "The history of what was copied on this computer. Times are microseconds since the Unix epoch, UTC; \
                   sizes are bytes; an address is a place (`1` is the newest) or the beginning of an id. Over TCP every \
                   call carries a key as a bearer token; problems are RFC 9457 problem details with a hint."
))]
struct Description;

/// The interface as served on the Unix socket.
pub fn over_unix(context: Context) -> Router {
    all(context, Entrance::Unix)
}

/// The interface and the console as served by TCP on `port`.
pub fn over_tcp(context: Context, port: u16) -> Router {
    all(context, Entrance::Tcp(port))
}

/// The interface and the console as served to phones.
pub fn over_tls(context: Context) -> Router {
    all(context, Entrance::Phone)
}

/// The description of the interface (OpenAPI 3.1).
pub fn description() -> utoipa::openapi::OpenApi {
    let (_, mut description) = described(calls()).split_for_parts();
    complete(&mut description);
    description
}

fn described(calls: OpenApiRouter<Arc<Context>>) -> OpenApiRouter<Arc<Context>> {
    OpenApiRouter::with_openapi(Description::openapi()).nest(yadori_api::ROOT, calls)
}

/// Calls that are answered as soon as the newest clips have been read, where these are what they ask for.
fn calls_of_the_newest() -> OpenApiRouter<Arc<Context>> {
    OpenApiRouter::new()
        .routes(routes!(clips::list::list))
        .routes(routes!(clips::list::outline))
        .routes(routes!(clips::list::rows))
}

/// Calls that need what the records hold: they wait until that was read.
fn calls_of_the_history() -> OpenApiRouter<Arc<Context>> {
    OpenApiRouter::new()
        .routes(routes!(clips::add::add))
        .routes(routes!(clips::detail::detail))
        .routes(routes!(clips::detail::representation))
        .routes(routes!(clips::picture::picture))
        .routes(routes!(clips::take::take))
        .routes(routes!(clips::take::preview))
        .routes(routes!(clips::take::picker))
        .routes(routes!(clips::take::open_picker))
        .routes(routes!(clips::tidy::try_tidy))
        .routes(routes!(clips::frame::new_frame))
        .routes(routes!(clips::edit::edit))
        .routes(routes!(clips::edit::put_back))
        .routes(routes!(clips::edit::compare))
        .routes(routes!(clips::draft::draft, clips::draft::keep_draft))
        .routes(routes!(clips::fill::preview))
        .routes(routes!(acts::clips::remove))
        .routes(routes!(acts::clips::keep))
        .routes(routes!(acts::clips::title))
        .routes(routes!(acts::clips::paint))
        .routes(routes!(acts::clips::bring_up))
        .routes(routes!(clearing::clear::plan_clear))
        .routes(routes!(clearing::clear::clear))
        .routes(routes!(keeping::limits::plan_limits))
        .routes(routes!(keeping::limits::obey))
        .routes(routes!(keeping::limits::outlook))
        .routes(routes!(acts::log::undo))
        .routes(routes!(acts::log::redo))
        .routes(routes!(acts::log::list))
        .routes(routes!(search::find::search))
        .routes(routes!(search::find::outline))
        .routes(routes!(search::complete::completions))
        .routes(routes!(search::insight::insight))
        .routes(routes!(drawers::drawer::favorites))
        .routes(routes!(drawers::drawer::list, drawers::drawer::make))
        .routes(routes!(drawers::drawer::items))
        .routes(routes!(drawers::drawer::favorites_outline))
        .routes(routes!(drawers::drawer::items_outline))
        .routes(routes!(drawers::drawer::change))
        .routes(routes!(drawers::drawer::remove))
        .routes(routes!(drawers::divider::new_divider))
        .routes(routes!(drawers::divider::change_divider))
        .routes(routes!(drawers::divider::remove_divider))
        .routes(routes!(batches::batch::list, batches::batch::begin))
        .routes(routes!(batches::batch::items))
        .routes(routes!(batches::batch::change))
        .routes(routes!(batches::batch::remove))
        .routes(routes!(batches::items::add))
        .routes(routes!(batches::items::add_or_begin))
        .routes(routes!(batches::items::drop_items))
        .routes(routes!(batches::items::move_items))
        .routes(routes!(batches::items::reverse))
        .routes(routes!(batches::hand::hand))
        .routes(routes!(batches::parts::try_split))
        .routes(routes!(batches::parts::join))
        .routes(routes!(devices::device::send))
        .routes(routes!(transfers::export::export, transfers::export::export_some))
        .routes(routes!(transfers::export::drawer))
        .routes(routes!(transfers::import::import))
        .routes(routes!(transfers::backup::backup))
        .routes(routes!(transfers::backup::restore))
        .routes(routes!(transfers::check::check))
}

/// Calls that are answered at any time.
fn calls_at_any_time() -> OpenApiRouter<Arc<Context>> {
    OpenApiRouter::new()
        .routes(routes!(service::status::status))
        .routes(routes!(service::status::stop))
        .routes(routes!(service::status::reread))
        .routes(routes!(service::status::rebuild))
        .routes(routes!(service::status::pause))
        .routes(routes!(service::status::resume))
        .routes(routes!(keeping::rules::list))
        .routes(routes!(keeping::rules::try_rules))
        .routes(routes!(keeping::orders::list))
        .routes(routes!(keeping::settings::list, keeping::settings::change))
        .routes(routes!(keeping::autostart::status, keeping::autostart::set))
        .routes(routes!(devices::device::list))
        .routes(routes!(devices::device::strike_off))
        .routes(routes!(devices::device::leave))
        .routes(routes!(devices::device::now))
        .routes(routes!(devices::device::pause))
        .routes(routes!(devices::pairing::pairing, devices::pairing::show_code, devices::pairing::call_off))
        .routes(routes!(devices::pairing::type_code))
        .routes(routes!(devices::pairing::type_phrase))
        .routes(routes!(devices::pairing::answer))
        .routes(routes!(service::events::events))
        .routes(routes!(service::sign_in::new_link))
        .routes(routes!(service::sign_in::browsers))
        .routes(routes!(service::sign_in::end))
        .routes(routes!(service::phone::list, service::phone::new_link))
        .routes(routes!(service::sign_in::sign_out))
        .routes(routes!(transfers::end::end))
        .merge(calls_without_key())
}

/// What anybody may call carries next to nothing.
fn calls_without_key() -> OpenApiRouter<Arc<Context>> {
    OpenApiRouter::new()
        .routes(routes!(service::sign_in::sign_in))
        .routes(routes!(service::sign_in::proof))
        .routes(routes!(service::sign_in::renew))
        .layer(DefaultBodyLimit::max(SIGN_IN_LIMIT))
}

fn calls() -> OpenApiRouter<Arc<Context>> {
    calls_of_the_newest().merge(calls_of_the_history()).merge(calls_at_any_time())
}

fn all(context: Context, entrance: Entrance) -> Router {
    let app = context.app.clone();
    let context = Arc::new(context);
    let waiting =
        calls_of_the_history().layer(middleware::from_fn_with_state(app.clone(), ready::when_loaded));
    let (api, mut description) =
        described(calls_of_the_newest().merge(waiting).merge(calls_at_any_time())).split_for_parts();
    complete(&mut description);
    let description = Arc::new(description.to_json().unwrap_or_default());
    let mut router = api
        .route("/healthz", get(service::status::healthz))
        .route(
            "/api/v1/openapi.json",
            get(move || {
                let text = description.as_str().to_owned();
                async move { ([(axum::http::header::CONTENT_TYPE, "application/json")], text) }
            }),
        )
        .route("/framed/{ticket}", get(clips::frame::framed))
        .route("/authority.crt", get(service::phone::authority))
        .with_state(context)
        .fallback(service::console::asset)
        .layer(DefaultBodyLimit::max(BODY_LIMIT))
        .layer(RequestBodyTimeoutLayer::new(BODY_TIME))
        .layer(axum::Extension(entrance));
    router = match entrance {
        Entrance::Unix => router,
        Entrance::Tcp(port) => {
            router.layer(middleware::from_fn_with_state(gate::Gate { app, port }, gate::pass))
        }
        Entrance::Phone => router.layer(middleware::from_fn_with_state(app, gate::pass_phones)),
    };
    let header = |name: &'static str, value: &'static str| {
        SetResponseHeaderLayer::if_not_present(HeaderName::from_static(name), HeaderValue::from_static(value))
    };
    router
        .layer(CatchPanicLayer::custom(problem::panicked))
        .layer(header("x-content-type-options", "nosniff"))
        .layer(header("referrer-policy", "no-referrer"))
        .layer(header("cross-origin-resource-policy", "same-origin"))
        .layer(header("cross-origin-opener-policy", "same-origin"))
        .layer(header("content-security-policy", service::console::POLICY))
        .layer(header("cache-control", "no-store"))
        .layer(middleware::from_fn(crate::http::language::answered))
}
