//! Failures as problem details (RFC 9457), defined once: handlers use `?`.

use std::any::Any;

use axum::Json;
use axum::http::{HeaderValue, StatusCode, header};
use axum::response::{IntoResponse, Response};
use yadori_api::Problem;
use yadori_api::problem::PROBLEM_JSON;
use yadori_core::AddressError;
use yadori_core::take::fill_in::FillError;
use yadori_core::history::all::Unresolved;
use yadori_core::search::QueryError;
use yadori_desk::TakeError;

use crate::app::ContentError;
use crate::home::HomeError;
use crate::keeper::ActError;

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
}

/// Bytes of a text as characters.
fn chars_of(text: &str, at: &std::ops::Range<usize>) -> Option<(u32, u32)> {
    let chars = |byte: usize| {
        let end = (0..=byte.min(text.len())).rev().find(|end| text.is_char_boundary(*end)).unwrap_or(0);
        u32::try_from(text[..end].chars().count()).unwrap_or(u32::MAX)
    };
    Some((chars(at.start), chars(at.end)))
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

    /// What was asked makes no sense.
    pub fn invalid(detail: impl Into<String>) -> Self {
        Self::new(StatusCode::UNPROCESSABLE_ENTITY, "invalid-request", "The request makes no sense", detail)
    }

    /// A query that can't be read: where, and what was expected there.
    pub fn query(text: &str, why: &QueryError) -> Self {
        Self {
            more: Some(Box::new(More { at: chars_of(text, &why.at), ..More::default() })),
            ..Self::new(
                StatusCode::UNPROCESSABLE_ENTITY,
                "invalid-query",
                "The query can't be read",
                why.expected.clone(),
            )
            .hint("put words in quotes to search for them as they are")
        }
    }

    /// A text whose fill-ins can't be filled: where, and why.
    pub fn fill_in(text: &str, why: &FillError) -> Self {
        Self {
            more: Some(Box::new(More { at: chars_of(text, &why.at), ..More::default() })),
            ..Self::new(
                StatusCode::UNPROCESSABLE_ENTITY,
                "invalid-fill-in",
                "A fill-in can't be filled",
                why.why.clone(),
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
            title: self.title.into(),
            status: self.status.as_u16(),
            detail: self.detail,
            hint: self.hint,
            candidates: more.candidates,
            at: more.at,
            questions: more.questions,
        };
        let mut response = (self.status, Json(problem)).into_response();
        response.headers_mut().insert(header::CONTENT_TYPE, HeaderValue::from_static(PROBLEM_JSON));
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
            .hint("restore a backup into a new home with `yadori restore`"),
        }
    }
}

impl From<TakeError> for Failure {
    fn from(why: TakeError) -> Self {
        Self::new(
            StatusCode::CONFLICT,
            "no-clipboard",
            "It could not be put on the clipboard",
            why.to_string(),
        )
    }
}

impl From<ActError> for Failure {
    fn from(why: ActError) -> Self {
        match why {
            ActError::Unavailable(why) => Self::unavailable(why),
            ActError::Nothing(why) => {
                Self::new(StatusCode::CONFLICT, "nothing-to-do", "There is nothing to do", why)
            }
            ActError::NoDrawer(why) => {
                Self::new(StatusCode::NOT_FOUND, "no-such-drawer", "There is no such drawer", why)
                    .hint("`yadori drawer list` shows them all")
            }
            ActError::Invalid(why) => {
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, "invalid-request", "That can't be done", why)
            }
            ActError::Refused(why) => {
                Self::new(StatusCode::INTERNAL_SERVER_ERROR, "refused", "It was not carried out", why)
                    .hint("the service's log says more")
            }
        }
    }
}

impl From<HomeError> for Failure {
    fn from(why: HomeError) -> Self {
        Self::new(StatusCode::INTERNAL_SERVER_ERROR, "system", "The system did not help", why.to_string())
    }
}

/// The service is ending.
impl From<tokio::sync::oneshot::error::RecvError> for Failure {
    fn from(_: tokio::sync::oneshot::error::RecvError) -> Self {
        Self::unavailable("the service is stopping")
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
