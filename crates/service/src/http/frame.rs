//! Copied html, shown in a sandboxed frame alone: no scripts, no forms, no remote loads, an origin of its own. The frame
//! can't carry a key, so it comes with a ticket that is good once.

use std::sync::Arc;

use axum::extract::State;
use axum::http::{HeaderName, StatusCode, header};
use axum::response::IntoResponse;
use yadori_api::{Frame, Problem};
use yadori_core::mime;

use super::clips::resolve;
use super::extract::Path;
use super::{Context, Failure};

/// What a frame with copied html may do: look.
const POLICY: &str = "sandbox; default-src 'none'; style-src 'unsafe-inline'; img-src data:; form-action 'none'; \
                      base-uri 'none'; frame-ancestors 'self'";

/// Make a ticket for a frame with a clip's html
#[utoipa::path(post, path = "/clips/{address}/frame", params(("address" = String, Path)),
    responses((status = 200, body = Frame), (status = 404, body = Problem)))]
pub(super) async fn new_frame(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
) -> Result<axum::Json<Frame>, Failure> {
    let clip = resolve(&context.app, &address)?;
    let has_html = clip.state.offer().is_some_and(|offer| {
        offer.representations.iter().any(|one| mime::base(&one.mime) == mime::HTML)
    });
    if !has_html {
        return Err(no_html());
    }
    let ticket = context.app.entries.new_frame(clip.id)?;
    Ok(axum::Json(Frame { path: format!("/framed/{ticket}") }))
}

pub(super) async fn framed(
    State(context): State<Arc<Context>>,
    Path(ticket): Path<String>,
) -> Result<impl IntoResponse, Failure> {
    let id = context.app.entries.frame(&ticket).ok_or_else(no_html)?;
    let clip = context.app.history().get(id).cloned().ok_or_else(no_html)?;
    let record = clip.state.offer().and_then(|offer| {
        offer.representations.iter().find(|one| mime::base(&one.mime) == mime::HTML)
    });
    let content = context.app.content(record.ok_or_else(no_html)?.digest).await?;
    let html = String::from_utf8_lossy(content.expose()).into_owned();
    // The page's own look, under whatever the copy brings.
    let page = format!(
        "<!doctype html><meta charset=utf-8><style>html{{font:13px/1.5 system-ui,sans-serif;color:#222;background:#fff}}\
         body{{margin:8px;overflow-wrap:anywhere}}table{{border-collapse:collapse}}td,th{{border:1px solid #ccc;padding:2px 6px}}\
         img{{max-width:100%}}</style>{html}"
    );
    let headers = [
        (header::CONTENT_TYPE, "text/html; charset=utf-8"),
        (header::CONTENT_SECURITY_POLICY, POLICY),
        (HeaderName::from_static("cross-origin-resource-policy"), "same-origin"),
    ];
    Ok((headers, page))
}

fn no_html() -> Failure {
    Failure::new(StatusCode::NOT_FOUND, "no-html", "No formatted form", "this clip has no html, or its ticket was used")
}
