//! What the picker asks of the service.

use serde::{Deserialize, Serialize};

/// What is listed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum View {
    /// The history, newest first.
    #[default]
    History,
    /// The favorites, in their order.
    Favorites,
    /// What is in drawers.
    Drawers,
}

/// What is to be listed: asked of the service.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Wanted {
    /// Counts the questions: only the answer to the newest one is shown.
    pub number: u64,
    /// Where.
    pub view: View,
    /// The search; empty: everything.
    pub query: String,
    /// How many rows at most.
    pub rows: usize,
}

/// What the service is to do.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "do", content = "with", rename_all = "kebab-case")]
pub enum Do {
    /// Look for what is to be listed.
    List(Wanted),
    /// Take a clip.
    Take {
        /// Which.
        id: String,
        /// Also paste it in the program that was in front.
        paste: bool,
        /// As plain text.
        plain: bool,
        /// After these clean-ups, by their names.
        tidy: Vec<String>,
        /// The picker goes before that.
        close: bool,
    },
    /// Make a clip a favorite, or no longer one.
    Pin(String),
    /// This clip goes into the batch in hand.
    Gather(String),
    /// What is next in the batch in hand is handed out.
    HandOut {
        /// It is pasted; otherwise it is put on the live clipboard.
        paste: bool,
        /// The picker closes then.
        close: bool,
    },
    /// Remove a clip.
    Remove(String),
    /// Ask whether what this search finds in the history (all of it, when it is empty) is to be cleared, and clear it then.
    Clear {
        /// The search.
        query: String,
    },
    /// Pause capture, or let it go on.
    Pause,
    /// Take the last act of this picker back.
    Undo,
    /// Read the whole of a clip.
    Whole(String),
    /// Read what clean-ups make of a clip.
    Preview {
        /// Which.
        id: String,
        /// Their names.
        tidy: Vec<String>,
    },
    /// Let a clip be edited.
    Edit(String),
    /// End.
    Close,
}
