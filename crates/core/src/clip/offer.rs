//! An offer: all representations of one copy, as the source program offered them, and where it came from.

use serde::{Deserialize, Serialize};

use crate::clip::content::Content;
use crate::clip::mime;
use crate::clip::time::Micros;

/// The most that one copy may hold, all representations together, in bytes: 64 MiB.
pub const COPY_CAP: u64 = 64 * 1024 * 1024;

/// The most representations one copy may have: programs offer a few dozen.
pub const REPRESENTATIONS: usize = 1_000;
/// The longest name of a representation, in bytes: office programs put a whole description into it.
pub const NAME_BYTES: usize = 1_000;

/// The content as one type.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Representation {
    /// MIME type, or whatever name the source program gave. Untrusted: it may hold spaces and quotes.
    pub mime: String,
    /// Its bytes.
    pub content: Content,
}

impl Representation {
    /// A representation of `content` as `mime`.
    pub fn new(mime: impl Into<String>, content: impl Into<bytes::Bytes>) -> Self {
        Self { mime: mime.into(), content: Content::new(content) }
    }
}

/// Where a copy came from, as far as the desktop tells. What had the focus is a hint, not proof.
#[derive(Clone, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Source {
    /// The program, e.g. `Chromium`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// The title of its window.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub window: Option<String>,
    /// The address of the page, where the program offers one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub page: Option<String>,
}

/// Titles and addresses are as private as contents.
impl std::fmt::Debug for Source {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Source(..)")
    }
}

impl Source {
    /// The same source with every text cut to `most` characters and stripped of control characters.
    pub fn bounded(self, most: usize) -> Self {
        let cut = |text: Option<String>| {
            text.map(|text| text.chars().filter(|c| !c.is_control()).take(most).collect::<String>())
                .filter(|text| !text.trim().is_empty())
        };
        Self { program: cut(self.program), window: cut(self.window), page: cut(self.page) }
    }
}

/// The set of representations of one copy.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Offer {
    /// In the order in which they are kept and handed back.
    pub representations: Vec<Representation>,
    /// Names under which it is handed back as well, although their bytes are not kept: other encodings of its picture, which
    /// are made again, and forms without a byte.
    pub also: Vec<String>,
    /// Where it came from.
    pub source: Source,
    /// When the selection changed hands.
    pub at: Micros,
}

impl Offer {
    /// An offer of plain text alone.
    pub fn text(text: impl Into<bytes::Bytes>, at: Micros) -> Self {
        Self { representations: vec![Representation::new(mime::PLAIN, text)], at, ..Self::default() }
    }

    /// The representation with exactly this type, parameters aside.
    pub fn find(&self, base: &str) -> Option<&Representation> {
        self.representations.iter().find(|one| mime::base(&one.mime) == base)
    }

    /// Bytes of all representations together.
    pub fn size(&self) -> u64 {
        self.representations.iter().map(|one| one.content.len() as u64).sum()
    }
}
