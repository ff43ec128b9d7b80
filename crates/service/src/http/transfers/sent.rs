//! A file as an answer.

use axum::body::Body;
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::IntoResponse;
use yadori_api::transfers::TRANSFER;

use crate::transfer::outgoing::Sent;

/// An attachment of this type and name, whose end can be asked for.
pub(super) fn attachment(
    kind: &'static str,
    name: &'static str,
    transfer: &str,
    sent: Sent,
) -> impl IntoResponse + use<> {
    let mut headers = HeaderMap::new();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static(kind));
    for (header, value) in [
        (header::CONTENT_DISPOSITION.as_str(), format!("attachment; filename=\"{name}\"")),
        (TRANSFER, transfer.to_owned()),
    ] {
        if let (Ok(header), Ok(value)) =
            (header.parse::<axum::http::HeaderName>(), HeaderValue::from_str(&value))
        {
            headers.insert(header, value);
        }
    }
    (headers, Body::from_stream(sent))
}
