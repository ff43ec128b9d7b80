//! The console's files, built into the program, served compressed where the browser takes that.

use axum::body::Body;
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use rust_embed::{EmbeddedFile, RustEmbed};

use crate::http::Failure;

/// What the console's page may do.
pub(crate) const POLICY: &str = "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; \
                                 connect-src 'self'; font-src 'self'; frame-src 'self'; manifest-src 'self'; \
                                 frame-ancestors 'none'; base-uri 'none'; form-action 'none'";

#[derive(RustEmbed)]
#[folder = "$CARGO_MANIFEST_DIR/../../console/dist"]
#[allow_missing = true]
struct Files;

pub(crate) async fn asset(method: Method, uri: Uri, headers: HeaderMap) -> Response {
    let path = uri.path().trim_start_matches('/');
    if path.starts_with("api/") {
        let detail = "the interface has no such call";
        return Failure::new(StatusCode::NOT_FOUND, "no-such-call", "No such call", detail)
            .hint("GET /api/v1/openapi.json lists them")
            .into_response();
    }
    if method != Method::GET && method != Method::HEAD {
        let detail = "the console's files can only be fetched";
        return Failure::new(StatusCode::METHOD_NOT_ALLOWED, "method", "Not by this method", detail)
            .into_response();
    }
    let name = if path.is_empty() { "index.html" } else { path };
    let Some((file, encoding)) = find(name, &headers) else {
        if name == "index.html" {
            return (
                StatusCode::NOT_FOUND,
                "The console was not built. Run `make console`, then build yadorid again.\n",
            )
                .into_response();
        }
        return (StatusCode::NOT_FOUND, "There is no such page.\n").into_response();
    };
    let mut response = Response::new(Body::from(file.data.into_owned()));
    let out = response.headers_mut();
    out.insert(header::CONTENT_TYPE, HeaderValue::from_static(kind_of(name)));
    out.insert(header::VARY, HeaderValue::from_static("accept-encoding"));
    if let Some(encoding) = encoding {
        out.insert(header::CONTENT_ENCODING, HeaderValue::from_static(encoding));
    }
    // Names under assets/ carry a digest of their content.
    let cache = if name.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
    out.insert(header::CACHE_CONTROL, HeaderValue::from_static(cache));
    response
}

fn find(name: &str, headers: &HeaderMap) -> Option<(EmbeddedFile, Option<&'static str>)> {
    let accepted =
        headers.get(header::ACCEPT_ENCODING).and_then(|value| value.to_str().ok()).unwrap_or_default();
    let takes = |encoding: &str| {
        accepted.split(',').any(|one| one.split(';').next().is_some_and(|one| one.trim() == encoding))
    };
    for (encoding, ending) in [("br", "br"), ("gzip", "gz")] {
        if takes(encoding)
            && let Some(file) = Files::get(&format!("{name}.{ending}"))
        {
            return Some((file, Some(encoding)));
        }
    }
    Some((Files::get(name)?, None))
}

fn kind_of(name: &str) -> &'static str {
    match name.rsplit('.').next().unwrap_or_default() {
        "html" => "text/html; charset=utf-8",
        "js" => "text/javascript; charset=utf-8",
        "css" => "text/css; charset=utf-8",
        "svg" => "image/svg+xml",
        "png" => "image/png",
        "woff2" => "font/woff2",
        "webmanifest" | "json" => "application/json",
        _ => "application/octet-stream",
    }
}
