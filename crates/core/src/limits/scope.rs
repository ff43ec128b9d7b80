//! What a clearing takes. All that is said must hold; favorites stay unless they are named.

use serde::{Deserialize, Serialize};

use crate::clip::facts::Kind;
use crate::clip::time::Micros;
use crate::history::stored::Clip;
use crate::text::fold::fold;

/// A scope. Without anything said it is whatever is no favorite.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Scope {
    /// Of this kind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<Kind>,
    /// From this program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// Copied at or after this moment.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub since: Option<Micros>,
    /// Found by this search.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub query: Option<String>,
    /// What was recognised as a secret.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub secrets: bool,
    /// Favorites as well.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub favorites: bool,
}

impl Scope {
    /// True when it takes this clip, as far as that can be told without a search.
    pub fn takes(&self, clip: &Clip) -> bool {
        if clip.state.is_pinned() && !self.favorites {
            return false;
        }
        self.means(clip)
    }

    /// True when it speaks of this clip, favorite or not, as far as that can be told without a search.
    pub fn means(&self, clip: &Clip) -> bool {
        let program = || clip.state.offer().and_then(|offer| offer.source.program.as_deref());
        self.kind.is_none_or(|kind| clip.facts.kind() == kind)
            && self.since.is_none_or(|since| clip.copied_at() >= since)
            && self.program.as_deref().is_none_or(|name| program().is_some_and(|one| fold(one) == fold(name)))
            && (!self.secrets || clip.is_secret())
    }

    /// In words, for the log of acts and for questions.
    pub fn words(&self) -> String {
        let what = match (self.kind, self.secrets) {
            (_, true) => "recognised secrets",
            (None, _) => "everything",
            (Some(Kind::Text), _) => "texts",
            (Some(Kind::Link), _) => "links",
            (Some(Kind::Image), _) => "pictures",
            (Some(Kind::Files), _) => "files",
        };
        // They are told in other languages by these patterns.
        let mut what = what.to_owned();
        if let Some(program) = &self.program {
            what = format!("{what} from {program}");
        }
        if self.since.is_some() {
            what = format!("{what} copied since then");
        }
        if self.query.is_some() {
            what = format!("{what} that a search finds");
        }
        if self.favorites { format!("{what}, favorites too") } else { format!("{what} but favorites") }
    }
}
