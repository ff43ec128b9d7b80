//! Failures as problem details (RFC 9457).

use axum::Json;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use serde::Serialize;

use crate::records::Failed;

/// Why a request was not carried out.
#[derive(Debug)]
pub(super) struct Failure {
    status: StatusCode,
    kind: &'static str,
    detail: &'static str,
    retry_after: Option<u32>,
}

#[derive(Serialize)]
struct Problem {
    r#type: String,
    title: &'static str,
    status: u16,
    detail: &'static str,
}

impl Failure {
    fn new(status: StatusCode, kind: &'static str, detail: &'static str) -> Self {
        Self { status, kind, detail, retry_after: None }
    }

    pub(super) fn malformed(detail: &'static str) -> Self {
        Self::new(StatusCode::BAD_REQUEST, "malformed", detail)
    }

    pub(super) fn unsigned(detail: &'static str) -> Self {
        Self::new(StatusCode::UNAUTHORIZED, "unsigned", detail)
    }

    pub(super) fn another_time() -> Self {
        let detail = "the request was made at another time than the hub's; the answer says which that is";
        Self::new(StatusCode::UNAUTHORIZED, "time", detail)
    }

    pub(super) fn struck_off() -> Self {
        Self::new(StatusCode::FORBIDDEN, "struck-off", "the device does not belong to the group any more")
    }

    pub(super) fn silent() -> Self {
        let detail = "the device has not asked for what its group has in 180 days: it joins anew";
        Self::new(StatusCode::FORBIDDEN, "silent", detail)
    }

    pub(super) fn stranger() -> Self {
        Self::new(StatusCode::FORBIDDEN, "stranger", "the device does not belong to the group")
    }

    pub(super) fn uninvited() -> Self {
        let detail = "this hub takes a new group only with an invitation of its owner's (yadori-hub invite)";
        Self::new(StatusCode::FORBIDDEN, "uninvited", detail)
    }

    pub(super) fn no_group() -> Self {
        Self::new(StatusCode::NOT_FOUND, "no-group", "this hub knows no such group")
    }

    pub(super) fn no_place() -> Self {
        let detail = "nobody waits there: the code has been used, or its time is over; ask for a new one";
        Self::new(StatusCode::NOT_FOUND, "no-place", detail)
    }

    pub(super) fn no_part() -> Self {
        Self::new(StatusCode::NOT_FOUND, "no-part", "this hub has no such part of a blob")
    }

    pub(super) fn said() -> Self {
        Self::new(StatusCode::CONFLICT, "said", "something else was said there")
    }

    pub(super) fn not_next() -> Self {
        Self::new(StatusCode::CONFLICT, "not-next", "another entry follows its parent")
    }

    pub(super) fn older() -> Self {
        let detail = "other records are here under these sequences, or later ones";
        Self::new(StatusCode::CONFLICT, "older", detail)
    }

    pub(super) fn full() -> Self {
        Self::new(StatusCode::INSUFFICIENT_STORAGE, "full", "the group may have no more at this hub")
    }

    pub(super) fn taken() -> Self {
        Self::new(StatusCode::CONFLICT, "taken", "there is another group of this name")
    }

    pub(super) fn too_often(seconds: u32) -> Self {
        let detail = "too many tries; wait before the next";
        let failure = Self::new(StatusCode::TOO_MANY_REQUESTS, "too-often", detail);
        Self { retry_after: Some(seconds), ..failure }
    }

    pub(super) fn too_fast() -> Self {
        let detail = "the group asks more often than this hub answers; go on more slowly";
        let failure = Self::new(StatusCode::TOO_MANY_REQUESTS, "too-fast", detail);
        Self { retry_after: Some(1), ..failure }
    }

    pub(super) fn away() -> Self {
        let failure =
            Self::new(StatusCode::SERVICE_UNAVAILABLE, "away", "the hub's database does not answer");
        Self { retry_after: Some(2), ..failure }
    }
}

impl From<Failed> for Failure {
    fn from(_: Failed) -> Self {
        Self::away()
    }
}

impl IntoResponse for Failure {
    fn into_response(self) -> Response {
        let problem = Problem {
            r#type: format!("urn:yadori:hub:{}", self.kind),
            title: self.status.canonical_reason().unwrap_or("Failure"),
            status: self.status.as_u16(),
            detail: self.detail,
        };
        let mut response = (self.status, Json(problem)).into_response();
        let headers = response.headers_mut();
        headers.insert(header::CONTENT_TYPE, HeaderValue::from_static("application/problem+json"));
        if let Some(seconds) = self.retry_after {
            headers.insert(header::RETRY_AFTER, seconds.into());
        }
        response
    }
}
