//! The language of answers: as whoever asks accepts it (RFC 9110, section 12.5.4). What is said in words stands in the sources in
//! English, and is looked up in the catalogues (`locales/service`) where it leaves the service.

use axum::extract::Request;
use axum::http::header;
use axum::middleware::Next;
use axum::response::Response;
use yadori_words::Language;

tokio::task_local! {
    static SPOKEN: Language;
}

/// A fixed message in the language of whoever asks; itself where the catalogue does not have it.
pub(super) fn say(english: &str) -> String {
    SPOKEN.try_with(|language| *language).unwrap_or_default().say(english).to_owned()
}

/// Answers a request in the language that it accepts.
pub(super) async fn answered(request: Request, next: Next) -> Response {
    let accepted = request.headers().get(header::ACCEPT_LANGUAGE).and_then(|field| field.to_str().ok());
    let language = accepted.map(Language::accepted).unwrap_or_default();
    SPOKEN.scope(language, next.run(request)).await
}
