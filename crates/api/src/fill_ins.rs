//! Texts that fill themselves in: looked at, and what they ask.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

/// A text with fill-ins to look at.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FillPreview {
    /// The text; absent for the text of a clip.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// The clip it belongs to, by address.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clip: Option<String>,
    /// Answers so far, by the words of the question.
    #[serde(default)]
    pub answers: BTreeMap<String, String>,
    /// The viewer's time zone (IANA name, or an offset such as +09:00).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub zone: Option<String>,
}

/// A question asked of the person.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Question {
    /// Its words.
    pub question: String,
    /// The proposed answer.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub proposal: Option<String>,
}

/// A text with its fill-ins filled; open questions show in brackets.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Filled {
    /// It.
    pub text: String,
    /// All questions, each once.
    pub questions: Vec<Question>,
    /// Some have no answer yet.
    pub open: bool,
    /// It holds any fill-in at all.
    pub any: bool,
}
