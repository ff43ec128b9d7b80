//! Problem details (RFC 9457), with a hint that names the next step.

use serde::{Deserialize, Serialize};

/// Why a request was not carried out.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Problem {
    /// A name for this type of problem, e.g. `no-such-clip`.
    #[serde(rename = "type")]
    pub kind: String,
    /// What happened, in a few words.
    pub title: String,
    /// The HTTP status.
    pub status: u16,
    /// What happened to what.
    pub detail: String,
    /// What to do next.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hint: Option<String>,
    /// For an ambiguous id: beginnings that would do.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub candidates: Vec<String>,
    /// For a query or a text with fill-ins: where in it, characters (Unicode scalar values) from and to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<(u32, u32)>,
    /// For a take that needs answers: what is asked.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub questions: Vec<crate::Question>,
}

/// The media type of problem details.
pub const PROBLEM_JSON: &str = "application/problem+json";
