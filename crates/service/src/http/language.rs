//! The language of answers: as whoever asks accepts it (RFC 9110, section 12.5.4). What is said in words stands in the sources in
//! English, and is looked up in the catalogues (`locales/service`) where it leaves the service.

use axum::extract::Request;
use axum::http::header;
use axum::middleware::Next;
use axum::response::Response;
use yadori_api::{AllDevices, Event, LimitsPlan, Refusal, Status};
use yadori_words::Language;

tokio::task_local! {
    static SPOKEN: Language;
}

/// What whoever asks reads.
pub(super) fn spoken() -> Language {
    SPOKEN.try_with(|language| *language).unwrap_or_default()
}

/// A detail or a reason in the language of whoever asks; as it is where nothing is known of it.
pub(super) fn retell(english: &str) -> String {
    spoken().retell(english)
}

/// An answer in which reasons stand that were found far from whoever reads them.
pub(super) trait Retold {
    /// The same in a language.
    fn retold(self, language: Language) -> Self;
}

fn each<'w>(words: impl IntoIterator<Item = &'w mut String>, language: Language) {
    for one in words {
        *one = language.retell(one);
    }
}

impl Retold for Status {
    fn retold(mut self, language: Language) -> Self {
        each(&mut self.capture.reason, language);
        each(&mut self.database.reason, language);
        each(self.chords.iter_mut().filter_map(|chord| chord.problem.as_mut()), language);
        each(self.refusals.iter_mut().map(|refusal| &mut refusal.words), language);
        each(self.hitch.iter_mut().map(|hitch| &mut hitch.words), language);
        each(&mut self.console_problem, language);
        each(&mut self.faults, language);
        each(self.waits.iter_mut().map(|waits| &mut waits.why), language);
        self
    }
}

impl Retold for Refusal {
    fn retold(mut self, language: Language) -> Self {
        each([&mut self.words], language);
        self
    }
}

impl Retold for Event {
    fn retold(self, language: Language) -> Self {
        match self {
            Self::Status(status) => Self::Status(Box::new(status.retold(language))),
            Self::Refused(refusal) => Self::Refused(refusal.retold(language)),
            other => other,
        }
    }
}

impl Retold for AllDevices {
    fn retold(mut self, language: Language) -> Self {
        each(&mut self.serves_problem, language);
        each(&mut self.trouble, language);
        each(self.refused.iter_mut().map(|refused| &mut refused.why), language);
        self
    }
}

impl Retold for LimitsPlan {
    fn retold(mut self, language: Language) -> Self {
        each(self.reasons.iter_mut().map(|reason| &mut reason.words), language);
        each(&mut self.waits, language);
        self
    }
}

/// A fixed message in the language of whoever asks; itself where the catalogue does not have it.
pub(super) fn say(english: &str) -> String {
    spoken().say(english).to_owned()
}

/// Answers a request in the language that it accepts.
pub(super) async fn answered(request: Request, next: Next) -> Response {
    let accepted = request.headers().get(header::ACCEPT_LANGUAGE).and_then(|field| field.to_str().ok());
    let language = accepted.map(Language::accepted).unwrap_or_default();
    SPOKEN.scope(language, next.run(request)).await
}
