//! What files are taken for, and how texts are parted.

/// What a file is taken for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Format {
    /// An export.
    Zip,
    /// A drawer.
    Drawer,
    /// A table of texts.
    Csv,
    /// A text.
    Text,
}

impl Format {
    /// The format with this name.
    pub fn called(name: &str) -> Option<Self> {
        [("zip", Self::Zip), ("drawer", Self::Drawer), ("csv", Self::Csv), ("text", Self::Text)]
            .into_iter()
            .find(|(known, _)| *known == name)
            .map(|(_, format)| format)
    }
}

/// How a text is parted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Split {
    /// Not at all.
    #[default]
    Whole,
    /// Each line is a clip.
    Lines,
    /// What stands between empty lines is a clip.
    Blocks,
}

impl Split {
    /// The way with this name.
    pub fn called(name: &str) -> Option<Self> {
        [("whole", Self::Whole), ("lines", Self::Lines), ("blocks", Self::Blocks)]
            .into_iter()
            .find(|(known, _)| *known == name)
            .map(|(_, split)| split)
    }
}
