//! Extractors whose rejections are problem details, like every other failure.

use axum::extract::rejection::{JsonRejection, PathRejection, QueryRejection};
use axum::extract::{FromRequest, FromRequestParts};
use axum::http::StatusCode;

use super::Failure;

/// A JSON body.
#[derive(Debug, FromRequest)]
#[from_request(via(axum::Json), rejection(Failure))]
pub(super) struct Json<T>(pub(super) T);

/// Query parameters.
#[derive(Debug, FromRequestParts)]
#[from_request(via(axum::extract::Query), rejection(Failure))]
pub(super) struct Query<T>(pub(super) T);

/// Path parameters.
#[derive(Debug, FromRequestParts)]
#[from_request(via(axum::extract::Path), rejection(Failure))]
pub(super) struct Path<T>(pub(super) T);

impl From<JsonRejection> for Failure {
    fn from(why: JsonRejection) -> Self {
        if why.status() == StatusCode::PAYLOAD_TOO_LARGE {
            return Self::new(
                why.status(),
                "too-large",
                "The request is too large",
                "a clip may hold 64 MiB",
            );
        }
        // Never the body itself: it may quote a clip.
        let detail = match &why {
            JsonRejection::MissingJsonContentType(_) => {
                "the body must be JSON, with content type application/json".into()
            }
            JsonRejection::JsonSyntaxError(_) => "the body is not valid JSON".into(),
            JsonRejection::JsonDataError(why) => without_values(&why.body_text()),
            _ => "the body could not be read".into(),
        };
        Self::new(why.status(), "invalid-body", "The body can't be used", detail)
            .hint("GET /api/v1/openapi.json describes every body")
    }
}

/// Where a body differs from what is expected. What it holds there is not repeated.
fn without_values(text: &str) -> String {
    let place = text.rfind(" at line ").map_or("", |at| &text[at..]);
    format!("the body does not have the form that this call expects{place}")
}

impl From<QueryRejection> for Failure {
    fn from(why: QueryRejection) -> Self {
        Self::invalid(why.body_text())
    }
}

impl From<PathRejection> for Failure {
    fn from(why: PathRejection) -> Self {
        Self::invalid(why.body_text())
    }
}
