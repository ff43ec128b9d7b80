//! Who is let in. Over TCP: the Host must be this service by one of its loopback names (so that no rebound name gets
//! in), the Origin must be this console's, and every call carries a key.

use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use super::Failure;
use super::server::Guest;
use crate::state::app::Shared;
use crate::state::sign_in::Door;

/// What a phone may do: see, search, take, add, and keep. What else there is concerns the computer.
const FROM_A_PHONE: [(&str, &str); 26] = [
    ("GET", "/acts"),
    ("GET", "/batches"),
    ("GET", "/batches/*"),
    ("GET", "/clips"),
    ("GET", "/clips/*"),
    ("GET", "/clips/*/picture"),
    ("GET", "/clips/*/representations/*"),
    ("GET", "/complete"),
    ("GET", "/drawers"),
    ("GET", "/drawers/*"),
    ("GET", "/drawers/*/outline"),
    ("GET", "/events"),
    ("GET", "/favorites"),
    ("GET", "/favorites/outline"),
    ("GET", "/insight"),
    ("GET", "/outline"),
    ("GET", "/phones"),
    ("GET", "/search"),
    ("GET", "/search/outline"),
    ("GET", "/status"),
    ("POST", "/clips"),
    ("POST", "/clips/*/frame"),
    ("POST", "/clips/*/take"),
    ("POST", "/keep"),
    ("POST", "/rows"),
    ("POST", "/sign-out"),
];

/// Whether a call is one of those.
fn is_for_phones(method: &str, path: &str) -> bool {
    let Some(path) = path.strip_prefix(yadori_api::ROOT) else { return false };
    let fits = |shape: &str| {
        let (mut parts, mut shapes) = (path.split('/'), shape.split('/'));
        loop {
            match (parts.next(), shapes.next()) {
                (None, None) => return true,
                (Some(part), Some(shape)) if part == shape || (shape == "*" && !part.is_empty()) => {}
                _ => return false,
            }
        }
    };
    FROM_A_PHONE.iter().any(|(by, shape)| *by == method && fits(shape))
}

/// Lets phones in: over TLS alone, to what is for them. No rebound name gets here, since no certificate bears it.
pub(super) async fn pass_phones(State(app): State<Shared>, request: Request, next: Next) -> Response {
    match check_phone(&app, &request) {
        Ok(()) => next.run(request).await,
        Err(failure) => turned_away(failure),
    }
}

/// Whatever else was to come is not read.
fn turned_away(failure: Failure) -> Response {
    let mut response = failure.into_response();
    response.headers_mut().insert(header::CONNECTION, HeaderValue::from_static("close"));
    response
}

/// A request says once for whom it is and whose page asks, and nothing of it is meant for a proxy (RFC 9110, section 7.2;
/// RFC 9112, section 3.2).
fn check_once(request: &Request, is_own: impl Fn(&str) -> bool) -> Result<(), Failure> {
    let several = |name| request.headers().get_all(name).iter().count() > 1;
    let wrong =
        |detail| Failure::new(StatusCode::BAD_REQUEST, "not-once", "The request contradicts itself", detail);
    if several(header::HOST) || several(header::ORIGIN) {
        return Err(wrong("it has more than one Host, or more than one Origin"));
    }
    match request.uri().authority() {
        Some(authority) if !is_own(authority.as_str()) => {
            Err(wrong("its target is another server's address"))
        }
        _ => Ok(()),
    }
}

fn check_phone(app: &Shared, request: &Request) -> Result<(), Failure> {
    let headers = request.headers();
    // Which name a phone uses is known to its certificate alone.
    let named = headers.get(header::HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    check_once(request, |authority| authority == named)?;
    let host = headers.get(header::HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    if !is_origin(headers, |origin| origin.strip_prefix("https://") == Some(host)) {
        let detail = "requests from other pages are not answered";
        return Err(Failure::new(StatusCode::FORBIDDEN, "wrong-origin", "Wrong origin", detail));
    }
    let path = request.uri().path();
    if is_open(path) {
        return Ok(());
    }
    if !bearer(headers).is_some_and(|key| app.entries.admits(key, Door::Phone)) {
        let detail = "this call needs the key of a phone that was let in";
        return Err(Failure::new(StatusCode::UNAUTHORIZED, "no-key", "Not signed in", detail)
            .hint("on the computer, `yadori phone add` shows a code to scan"));
    }
    if let Some(guest) = request.extensions().get::<Guest>() {
        guest.showed_a_key();
    }
    if is_for_phones(request.method().as_str(), path) {
        return Ok(());
    }
    let detail = "this is done at the computer: a phone sees, searches, takes, adds and pins";
    Err(Failure::new(StatusCode::FORBIDDEN, "not-from-a-phone", "Not from a phone", detail)
        .hint("use the console or `yadori` on the computer"))
}

/// What anybody may fetch: the console's files, and what signs in.
fn is_open(path: &str) -> bool {
    !path.starts_with("/api/") || path == "/api/v1/sign-in" || path.starts_with("/api/v1/sign-in/")
}

#[derive(Clone, Debug)]
pub(super) struct Gate {
    pub(super) app: Shared,
    pub(super) port: u16,
}

pub(super) async fn pass(State(gate): State<Gate>, request: Request, next: Next) -> Response {
    match check(&gate, &request) {
        Ok(()) => next.run(request).await,
        Err(failure) => turned_away(failure),
    }
}

fn check(gate: &Gate, request: &Request) -> Result<(), Failure> {
    let headers = request.headers();
    check_once(request, |authority| is_own_host(authority, gate.port))?;
    let host = headers.get(header::HOST).and_then(|host| host.to_str().ok()).unwrap_or_default();
    if !is_own_host(host, gate.port) {
        let detail = "this address does not belong to the service";
        return Err(Failure::new(StatusCode::MISDIRECTED_REQUEST, "wrong-host", "Wrong host", detail)
            .hint(format!("use http://127.0.0.1:{}", gate.port)));
    }
    if !is_own_origin(headers, gate.port) {
        let detail = "requests from other pages are not answered";
        return Err(Failure::new(StatusCode::FORBIDDEN, "wrong-origin", "Wrong origin", detail));
    }
    let path = request.uri().path();
    let open = is_open(path);
    let has_key = bearer(headers).is_some_and(|key| gate.app.entries.admits(key, Door::Here));
    if let Some(guest) = request.extensions().get::<Guest>().filter(|_| has_key) {
        guest.showed_a_key();
    }
    if open || has_key {
        return Ok(());
    }
    let detail = "this call needs a key; keys end with the run of the service, and when one signs out";
    Err(Failure::new(StatusCode::UNAUTHORIZED, "no-key", "Not signed in", detail)
        .hint("run `yadori console` for a sign-in link"))
}

fn names(port: u16) -> [String; 3] {
    [format!("127.0.0.1:{port}"), format!("localhost:{port}"), format!("[::1]:{port}")]
}

fn is_own_host(host: &str, port: u16) -> bool {
    names(port).iter().any(|name| name.eq_ignore_ascii_case(host))
}

fn is_own_origin(headers: &HeaderMap, port: u16) -> bool {
    is_origin(headers, |origin| origin.strip_prefix("http://").is_some_and(|host| is_own_host(host, port)))
}

fn is_origin(headers: &HeaderMap, is_own: impl Fn(&str) -> bool) -> bool {
    let text = |name: &str| headers.get(name).map(|value| value.to_str().unwrap_or("?"));
    let origin = match text("origin") {
        None => true,
        Some(origin) => is_own(origin),
    };
    // Browsers say whose page asks. A person may follow a link to the console from anywhere (navigate); a frame with
    // copied html is opaque and navigates too.
    let site = match text("sec-fetch-site") {
        None | Some("same-origin" | "none") => true,
        Some(_) => text("sec-fetch-mode") == Some("navigate") && text("sec-fetch-dest") == Some("document"),
    };
    origin && site
}

pub(super) fn bearer(headers: &HeaderMap) -> Option<&str> {
    headers.get(header::AUTHORIZATION)?.to_str().ok()?.strip_prefix("Bearer ")
}

#[cfg(test)]
mod tests {
    use super::*;

    fn origin_passes(pairs: &[(&'static str, &'static str)]) -> bool {
        let mut headers = HeaderMap::new();
        for (name, value) in pairs {
            headers.insert(*name, HeaderValue::from_static(value));
        }
        is_own_origin(&headers, 4180)
    }

    #[test]
    fn only_loopback_names_with_the_own_port_are_own() {
        for host in ["127.0.0.1:4180", "localhost:4180", "LOCALHOST:4180", "[::1]:4180"] {
            assert!(is_own_host(host, 4180), "{host}");
        }
        for host in [
            "",
            "127.0.0.1",
            "127.0.0.1:4181",
            "evil.example:4180",
            "127.0.0.1.evil.example:4180",
            "0.0.0.0:4180",
        ] {
            assert!(!is_own_host(host, 4180), "{host}");
        }
    }

    #[test]
    fn a_phone_reaches_what_is_for_phones_and_nothing_else() {
        let of = |method: &str, path: &str| is_for_phones(method, &format!("/api/v1{path}"));
        for (method, path) in [("GET", "/clips"), ("GET", "/clips/ab12/picture"), ("POST", "/clips/3/take")] {
            assert!(of(method, path), "{method} {path}");
        }
        let description = crate::http::description();
        let mut count = 0;
        for (path, item) in &description.paths.paths {
            let calls =
                [("GET", &item.get), ("POST", &item.post), ("PATCH", &item.patch), ("DELETE", &item.delete)];
            for (method, _) in calls.iter().filter(|(_, call)| call.is_some()) {
                let shape = path.split('/').map(|part| if part.starts_with('{') { "*" } else { part });
                let shape = shape.collect::<Vec<_>>().join("/");
                count += usize::from(is_for_phones(method, &shape));
            }
        }
        assert_eq!(count, FROM_A_PHONE.len(), "each is a call that there is");
        for path in
            ["/settings", "/clear", "/remove", "/stop", "/devices", "/sign-in-links", "/export", "/undo"]
        {
            assert!(!["GET", "POST", "PATCH"].iter().any(|method| of(method, path)), "{path}");
        }
        assert!(!of("POST", "/clips/3") && !of("GET", "/clips//picture") && !of("GET", "/clips/3/picture/4"));
    }

    #[test]
    fn other_pages_are_turned_away() {
        assert!(origin_passes(&[]));
        assert!(origin_passes(&[("origin", "http://127.0.0.1:4180"), ("sec-fetch-site", "same-origin")]));
        assert!(origin_passes(&[
            ("sec-fetch-site", "cross-site"),
            ("sec-fetch-mode", "navigate"),
            ("sec-fetch-dest", "document")
        ]));
        for pairs in [
            [("origin", "http://127.0.0.1:4181"), ("sec-fetch-site", "same-site")],
            [("origin", "https://127.0.0.1:4180"), ("sec-fetch-mode", "cors")],
            [("origin", "null"), ("sec-fetch-mode", "cors")],
            [("sec-fetch-site", "cross-site"), ("sec-fetch-mode", "no-cors")],
            [("sec-fetch-site", "same-site"), ("sec-fetch-dest", "iframe")],
        ] {
            assert!(!origin_passes(&pairs), "{pairs:?}");
        }
    }
}
