//! What is remembered of a clearing as a whole: its clips are remembered in parts of their own.

use serde::{Deserialize, Serialize};

use crate::limits::scope::Scope;
use crate::merge::stamp::Stamp;

/// What is remembered of a clearing as a whole.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ClearRecord {
    /// What it takes.
    pub scope: Scope,
    /// Nothing that was written after this goes: what was copied again or pinned meanwhile stays.
    pub floor: Stamp,
    /// How many clips it was meant to take.
    pub count: u64,
    /// The standing order that did it, by its name; `None`: a person.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<String>,
}

/// Letters of what a clearing was for.
const LONGEST: usize = 120;

impl ClearRecord {
    /// What it was for, for the list of acts.
    pub fn words(&self) -> String {
        let words = match &self.order {
            None => self.scope.words(),
            Some(order) if self.scope == Scope::default() => format!("by {order}"),
            Some(order) => format!("by {order}: {}", self.scope.words()),
        };
        words.chars().take(LONGEST).collect()
    }
}
