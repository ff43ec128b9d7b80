//! Failures as problem details (RFC 9457), defined once: handlers use `?`.

use std::any::Any;

use axum::Json;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use yadori_api::problem::PROBLEM_JSON;
use yadori_api::{Expected, Problem};
use yadori_core::AddressError;
use yadori_core::acts::ActError;
use yadori_core::acts::error::Obstacle;
use yadori_core::history::all::Unresolved;
use yadori_core::search::QueryError;
use yadori_core::take::fill_in::FillError;

use crate::home::random::NoRandomness;
use crate::http::language::{retell, say};
use crate::search::find::SearchError;
use crate::state::at_hand::ContentError;
use crate::take::error::TakeError;
use crate::take::fill::FillingError;
use crate::writer::WriteError;

/// Why a request was not carried out.
#[derive(Debug)]
pub struct Failure {
    status: StatusCode,
    kind: &'static str,
    title: &'static str,
    detail: String,
    hint: Option<String>,
    more: Option<Box<More>>,
}

/// What only some failures carry.
#[derive(Debug, Default)]
struct More {
    candidates: Vec<String>,
    at: Option<(u32, u32)>,
    questions: Vec<yadori_api::Question>,
    retry_after: Option<u32>,
}

/// Characters of what stands at a place that are told.
const PLACE: usize = 60;

/// Bytes of a text as characters.
fn chars_of(text: &str, at: &std::ops::Range<usize>) -> (u32, u32) {
    let chars = |byte: usize| {
        let end = (0..=byte.min(text.len())).rev().find(|end| text.is_char_boundary(*end)).unwrap_or(0);
        u32::try_from(text[..end].chars().count()).unwrap_or(u32::MAX)
    };
    (chars(at.start), chars(at.end))
}

/// What was expected in a query, and where.
pub(super) fn expected(text: &str, why: &QueryError) -> Expected {
    Expected {
        at: chars_of(text, &why.at),
        words: retell(&why.expected),
        hint: say("put words in quotes to search for them as they are"),
    }
}

/// Where in a text something is, for people: its line, its character there, and what stands there.
fn place_in_words(text: &str, at: &std::ops::Range<usize>) -> String {
    let before = text.get(..at.start).unwrap_or_default();
    let line = before.matches('\n').count() + 1;
    let column = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
    let there = text.get(at.clone()).unwrap_or_default();
    let mut words: String = there.chars().take_while(|c| *c != '\n').take(PLACE).collect();
    if words.len() < there.len() {
        words.push('…');
    }
    format!("in line {line} at character {column}, `{words}`")
}

impl Failure {
    /// A failure with its type, title and detail.
    pub fn new(
        status: StatusCode,
        kind: &'static str,
        title: &'static str,
        detail: impl Into<String>,
    ) -> Self {
        Self { status, kind, title, detail: detail.into(), hint: None, more: None }
    }

    /// The same with the next step.
    pub fn hint(mut self, hint: impl Into<String>) -> Self {
        self.hint = Some(hint.into());
        self
    }

    /// The same with a time, in seconds, after which trying again makes sense (RFC 9110 section 10.2.3).
    pub fn retry_after(mut self, seconds: u32) -> Self {
        self.more.get_or_insert_default().retry_after = Some(seconds);
        self
    }

    /// The records are not open.
    pub fn not_open() -> Self {
        Self::unavailable("the records are not open yet").retry_after(1)
    }

    /// A zone that is none.
    pub fn no_zone() -> Self {
        Self::invalid("`zone` must be the name of a time zone")
    }

    /// A text that can't be filled in.
    pub fn fill(text: &str, why: FillingError) -> Self {
        match why {
            FillingError::Text(why) => Self::fill_in(text, &why),
            FillingError::Content(why) => Self::from(why),
            why => Self::invalid(why.to_string()),
        }
    }

    /// What was asked makes no sense.
    pub fn invalid(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, "invalid-request", "The request makes no sense", detail)
    }

    /// A query that can't be read: where, and what was expected there.
    pub fn query(text: &str, why: &QueryError) -> Self {
        let Expected { at, words, hint } = expected(text, why);
        Self {
            more: Some(Box::new(More { at: Some(at), ..More::default() })),
            ..Self::new(StatusCode::UNPROCESSABLE_ENTITY, "invalid-query", "The query can't be read", words)
                .hint(hint)
        }
    }

    /// A text whose fill-ins can't be filled: where, and why.
    pub fn fill_in(text: &str, why: &FillError) -> Self {
        Self {
            more: Some(Box::new(More { at: Some(chars_of(text, &why.at)), ..More::default() })),
            ..Self::new(
                StatusCode::UNPROCESSABLE_ENTITY,
                "invalid-fill-in",
                "A fill-in can't be filled",
                format!("{}: {}", place_in_words(text, &why.at), why.why),
            )
            .hint("edit the text, or take it as it was copied (--as-copied)")
        }
    }

    /// A take that needs answers first.
    pub fn questions(questions: Vec<yadori_api::Question>) -> Self {
        let asked: Vec<&str> = questions.iter().map(|one| one.question.as_str()).collect();
        let detail = format!("it asks: {}", asked.join("; "));
        let base = Self::new(StatusCode::CONFLICT, "needs-answers", "It asks something first", detail)
            .hint("answer with --answer \"QUESTION=ANSWER\"");
        Self { more: Some(Box::new(More { questions, ..More::default() })), ..base }
    }

    /// The records can't be used now.
    pub fn unavailable(detail: impl Into<String>) -> Self {
        Self::new(
            StatusCode::SERVICE_UNAVAILABLE,
            "records-unavailable",
            "The records can't be used now",
            detail,
        )
        .hint("`yadori status` says how things stand")
    }

    /// There is no such clip.
    pub fn no_clip(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::NOT_FOUND, "no-such-clip", "There is no such clip", detail)
            .hint("`yadori list` shows places and ids")
    }
}

impl IntoResponse for Failure {
    fn into_response(self) -> Response {
        let more = self.more.map(|more| *more).unwrap_or_default();
        let problem = Problem {
            kind: self.kind.into(),
            title: say(self.title),
            status: self.status.as_u16(),
            detail: retell(&self.detail),
            hint: self.hint.as_deref().map(retell),
            candidates: more.candidates,
            at: more.at,
            questions: more.questions,
        };
        let mut response = (self.status, Json(problem)).into_response();
        response.headers_mut().insert(header::CONTENT_TYPE, HeaderValue::from_static(PROBLEM_JSON));
        if let Some(seconds) = more.retry_after {
            response.headers_mut().insert(header::RETRY_AFTER, HeaderValue::from(seconds));
        }
        if self.status == StatusCode::UNAUTHORIZED {
            response.headers_mut().insert(header::WWW_AUTHENTICATE, HeaderValue::from_static("Bearer"));
        }
        response
    }
}

impl From<AddressError> for Failure {
    fn from(why: AddressError) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, "invalid-address", "That names no clip", why.to_string())
    }
}

impl From<Unresolved> for Failure {
    fn from(why: Unresolved) -> Self {
        match why {
            Unresolved::None { clips: 0 } => Self::no_clip("the history is empty")
                .hint("copy something, or bring something in with `yadori add`"),
            Unresolved::None { clips } => {
                Self::no_clip(format!("no clip answers to that; the history has {clips}"))
            }
            Unresolved::Several(candidates) => Self {
                more: Some(Box::new(More { candidates, ..More::default() })),
                ..Self::new(
                    StatusCode::CONFLICT,
                    "ambiguous-id",
                    "Several clips begin so",
                    "several ids begin so",
                )
                .hint("give one character more")
            },
        }
    }
}

impl From<ContentError> for Failure {
    fn from(why: ContentError) -> Self {
        match why {
            ContentError::Away => Self::unavailable(why.to_string()),
            ContentError::Damaged => Self::new(
                StatusCode::INTERNAL_SERVER_ERROR,
                "damaged",
                "The clip is damaged",
                why.to_string(),
            )
            .hint("`yadori check` names every clip that is damaged, and mends what can be mended"),
        }
    }
}

impl From<TakeError> for Failure {
    fn from(why: TakeError) -> Self {
        let words = why.to_string();
        let no_clipboard = |title| Self::new(StatusCode::CONFLICT, "no-clipboard", title, words.clone());
        match why {
            TakeError::NoDesk => {
                no_clipboard("There is no clipboard").hint("start yadorid without --no-capture")
            }
            TakeError::Desk(_) => no_clipboard("It could not be put on the clipboard"),
            TakeError::Paste(why) => {
                Self::new(StatusCode::CONFLICT, "not-pasted", "It was not pasted", why.to_string())
                    .hint("it is on the clipboard: paste it as you usually do")
            }
            TakeError::Tidy(_) => Self::new(
                StatusCode::UNPROCESSABLE_ENTITY,
                "no-such-tidying",
                "There is no such tidying",
                words,
            ),
            TakeError::NoFiles
            | TakeError::Masked
            | TakeError::NoPicture
            | TakeError::NoWords
            | TakeError::Picture(_)
            | TakeError::OneAlone
            | TakeError::MaskedAmong
            | TakeError::TooLarge
            | TakeError::MostOfWhat => {
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, "no-such-shape", "It can't be taken so", words)
            }
            TakeError::NoFile(_) => {
                Self::new(StatusCode::INSUFFICIENT_STORAGE, "no-file", "It can't be put into a file", words)
                    .hint("take it as it is, or make room in the run-time directory")
            }
            TakeError::NoEarlier(..) => {
                Self::new(StatusCode::NOT_FOUND, "no-such-offer", "There is no such earlier copy", words)
                    .hint("`yadori show` lists them")
            }
            TakeError::Content(why) => Self::from(why),
            TakeError::Filling(text, why) => Self::fill(&text, why),
            TakeError::Asks(questions) => Self::questions(questions),
            TakeError::NoPlainForm => {
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, "no-plain-form", "It has no plain form", words)
                    .hint("take it as it was copied, without --plain")
            }
        }
    }
}

impl From<SearchError> for Failure {
    fn from(why: SearchError) -> Self {
        let words = why.to_string();
        match why {
            SearchError::TooLong => {
                let title = "The search took too long";
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, "search-too-long", title, words)
                    .hint("use a simpler pattern, or a word or a time beside it")
            }
            SearchError::Failed => {
                let title = "The search failed";
                Self::new(StatusCode::INTERNAL_SERVER_ERROR, "search-failed", title, words)
            }
        }
    }
}

impl From<ActError> for Failure {
    fn from(why: ActError) -> Self {
        let words = why.to_string();
        match why.obstacle() {
            Obstacle::Nothing => {
                Self::new(StatusCode::CONFLICT, "nothing-to-do", "There is nothing to do", words)
            }
            Obstacle::NoBatch => {
                Self::new(StatusCode::NOT_FOUND, "no-such-batch", "There is no such batch", words)
                    .hint("`yadori batch list` shows them")
            }
            Obstacle::NoDrawer => {
                Self::new(StatusCode::NOT_FOUND, "no-such-drawer", "There is no such drawer", words)
                    .hint("`yadori drawer list` shows them all")
            }
            Obstacle::Invalid => {
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, "invalid-request", "That can't be done", words)
            }
        }
    }
}

impl From<WriteError> for Failure {
    fn from(why: WriteError) -> Self {
        let words = why.to_string();
        match why {
            WriteError::Act(why) => Self::from(why),
            WriteError::Unavailable(_) | WriteError::Stopping | WriteError::NotKnown => {
                Self::unavailable(words)
            }
            WriteError::NotToBeStepped { .. } => {
                Self::new(StatusCode::CONFLICT, "nothing-to-do", "That can't be done now", words).hint(
                    "GET /api/v1/acts, `yadori undo --list` and the console's recent acts say what can be",
                )
            }
            WriteError::NothingToStep { .. }
            | WriteError::NothingToClear
            | WriteError::Lost(_)
            | WriteError::Empty => {
                Self::new(StatusCode::CONFLICT, "nothing-to-do", "There is nothing to do", words)
            }
            WriteError::Secret => Self::new(StatusCode::CONFLICT, "secret", "It would be recorded", words)
                .hint("say that this is meant with `secrets` (--secret)"),
            WriteError::NotEmpty => Self::new(
                StatusCode::CONFLICT,
                "not-empty",
                "The history is not empty",
                "a backup is restored into an empty history, so that nothing is mixed or lost",
            )
            .hint("start yadorid with a new --home DIR and restore there"),
            WriteError::TooMany(_) => {
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, "invalid-request", "That can't be done", words)
            }
            WriteError::Refused(_) | WriteError::DamagedRecord | WriteError::NoRandomness => {
                Self::new(StatusCode::INTERNAL_SERVER_ERROR, "refused", "It was not carried out", words)
                    .hint("the service's log says more")
            }
        }
    }
}

impl From<NoRandomness> for Failure {
    fn from(why: NoRandomness) -> Self {
        Self::new(StatusCode::INTERNAL_SERVER_ERROR, "system", "The system did not help", why.to_string())
    }
}

/// A bug. What it was is in the log, without what was being handled.
pub(super) fn panicked(_: Box<dyn Any + Send>) -> Response {
    tracing::error!("a request was not carried out because of a mistake in the program");
    Failure::new(
        StatusCode::INTERNAL_SERVER_ERROR,
        "bug",
        "A mistake in the program",
        "this should not have happened",
    )
    .hint("the service goes on; its log says more")
    .into_response()
}
