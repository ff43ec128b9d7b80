//! Who is let in. Over TCP: the Host must be this service by one of its loopback names (so that no rebound name gets
//! in), the Origin must be this console's, and every call carries a key.

use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::Next;
use axum::response::{IntoResponse, Response};

use super::Failure;
use super::server::Guest;
use crate::state::app::Shared;

#[derive(Clone, Debug)]
pub(super) struct Gate {
    pub(super) app: Shared,
    pub(super) port: u16,
}

pub(super) async fn pass(State(gate): State<Gate>, request: Request, next: Next) -> Response {
    match check(&gate, &request) {
        Ok(()) => next.run(request).await,
        // Whatever else was to come is not read.
        Err(failure) => {
            let mut response = failure.into_response();
            response.headers_mut().insert(header::CONNECTION, HeaderValue::from_static("close"));
            response
        }
    }
}

fn check(gate: &Gate, request: &Request) -> Result<(), Failure> {
    let headers = request.headers();
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
    let open =
        !path.starts_with("/api/") || path == "/api/v1/sign-in" || path.starts_with("/api/v1/sign-in/");
    let has_key = bearer(headers).is_some_and(|key| gate.app.entries.admits(key));
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
    let text = |name: &str| headers.get(name).map(|value| value.to_str().unwrap_or("?"));
    let origin = match text("origin") {
        None => true,
        Some(origin) => origin.strip_prefix("http://").is_some_and(|host| is_own_host(host, port)),
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
