//! The kinds of acts, with the words by which they are recorded and told.

use serde::{Deserialize, Serialize};

/// What sort of thing was done.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum ActKind {
    /// Clips went.
    Remove,
    /// Clips became favorites.
    Pin,
    /// Clips are kept no longer.
    Unpin,
    /// Clips went into a drawer.
    Put,
    /// Kept clips got another place in their order.
    Move,
    /// A clip got a title, or lost it.
    Title,
    /// Clips got a color, or lost it.
    Color,
    /// Clips came to the top.
    BringUp,
    /// A text was changed.
    Edit,
    /// The original of an edited text came back.
    PutBack,
    /// A drawer was made.
    NewDrawer,
    /// A drawer was changed.
    Drawer,
    /// A drawer went.
    RemoveDrawer,
    /// A divider was made, changed or removed.
    Divider,
    /// A batch was begun.
    NewBatch,
    /// A batch was named, or its keys were changed, or gathering ended.
    Batch,
    /// Items came into a batch.
    AddToBatch,
    /// Items went out of a batch.
    DropItems,
    /// The items of a batch got another order.
    OrderItems,
    /// A batch went.
    RemoveBatch,
    /// Many clips went at once, by a scope.
    Clear,
    /// Clips and drawers came in from a file.
    Import,
}

impl ActKind {
    /// All of them.
    pub const ALL: [Self; 22] = [
        Self::Remove,
        Self::Pin,
        Self::Unpin,
        Self::Put,
        Self::Move,
        Self::Title,
        Self::Color,
        Self::BringUp,
        Self::Edit,
        Self::PutBack,
        Self::NewDrawer,
        Self::Drawer,
        Self::RemoveDrawer,
        Self::Divider,
        Self::NewBatch,
        Self::Batch,
        Self::AddToBatch,
        Self::DropItems,
        Self::OrderItems,
        Self::RemoveBatch,
        Self::Clear,
        Self::Import,
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Remove => "remove",
            Self::Pin => "pin",
            Self::Unpin => "unpin",
            Self::Put => "put",
            Self::Move => "move",
            Self::Title => "title",
            Self::Color => "color",
            Self::BringUp => "bring-up",
            Self::Edit => "edit",
            Self::PutBack => "put-back",
            Self::NewDrawer => "new-drawer",
            Self::Drawer => "drawer",
            Self::RemoveDrawer => "remove-drawer",
            Self::Divider => "divider",
            Self::NewBatch => "new-batch",
            Self::Batch => "batch",
            Self::AddToBatch => "add-to-batch",
            Self::DropItems => "drop-items",
            Self::OrderItems => "order-items",
            Self::RemoveBatch => "remove-batch",
            Self::Clear => "clear",
            Self::Import => "import",
        }
    }

    /// The kind that a word stands for.
    pub fn from_word(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|kind| kind.word() == word)
    }

    /// It makes clips: while it is taken back, it holds what it can bring again.
    pub fn makes_clips(self) -> bool {
        self.exchanges() || self == Self::Import
    }

    /// It puts one clip in the place of another: it is taken back whole or not at all.
    pub fn exchanges(self) -> bool {
        matches!(self, Self::Edit | Self::PutBack)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_word_of_a_kind_is_the_one_it_is_written_with() {
        for kind in ActKind::ALL {
            assert_eq!(serde_json::to_value(kind).unwrap(), kind.word());
            assert_eq!(ActKind::from_word(kind.word()), Some(kind));
        }
    }
}
