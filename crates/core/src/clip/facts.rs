//! What can be told of a clip at a glance, derived from its content: kind, opening words, size, picture, files.

use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_decode_str, utf8_percent_encode};
use serde::{Deserialize, Serialize};

use crate::clip::id::Class;
use crate::clip::link;
use crate::clip::secret::SecretKind;

/// How many characters of a text its facts carry.
pub const HEAD_CHARS: usize = 600;
/// How many file URIs the facts carry; the rest are counted.
pub const HEAD_FILES: usize = 40;

/// How names of pictures end.
const PICTURE_ENDINGS: [&str; 9] = ["png", "jpg", "jpeg", "gif", "webp", "bmp", "tif", "tiff", "svg"];

/// What a person would call it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Words, with or without formatting.
    Text,
    /// A text that is one address.
    Link,
    /// A picture.
    Image,
    /// References to files and folders.
    Files,
}

impl Kind {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Text => "text",
            Self::Link => "link",
            Self::Image => "image",
            Self::Files => "files",
        }
    }
}

/// A picture's form, read from its header.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Picture {
    /// MIME type of the representation that shows it.
    pub mime: String,
    /// Pixels across; 0 when the header does not tell.
    pub width: u32,
    /// Pixels down; 0 when the header does not tell.
    pub height: u32,
}

/// What the history shows of a clip without touching its content.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Facts {
    /// What the id is computed over.
    pub class: Class,
    /// The first [`HEAD_CHARS`] characters of its text; empty for pictures.
    pub head: String,
    /// Characters of the whole text.
    pub chars: u64,
    /// Lines of the whole text.
    pub lines: u64,
    /// Bytes of all representations.
    pub size: u64,
    /// Has an html representation beside its text.
    pub formatted: bool,
    /// For images.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub picture: Option<Picture>,
    /// For files: the first [`HEAD_FILES`] URIs.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<String>,
    /// For files: how many there are.
    #[serde(default)]
    pub file_count: u64,
    /// What secret it was recognised as: it is masked wherever it is shown, and not found by its words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret: Option<SecretKind>,
    /// It stays on this device: it is never sent to another.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub here: bool,
}

/// Facts quote contents, so debug output leaves them out.
impl std::fmt::Debug for Facts {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Facts({:?}, {} bytes)", self.class, self.size)
    }
}

impl Facts {
    /// The kind, derived each time so that recognising links can get better.
    pub fn kind(&self) -> Kind {
        match self.class {
            Class::Image => Kind::Image,
            Class::Files => Kind::Files,
            // A head that was cut short is no address: addresses are shorter than the head, or not links at all.
            Class::Text if self.chars <= HEAD_CHARS as u64 && link::as_link(&self.head).is_some() => {
                Kind::Link
            }
            Class::Text | Class::Other => Kind::Text,
        }
    }

    /// Files of which the first is named as pictures are.
    pub fn names_picture(&self) -> bool {
        let ends = |uri: &String| {
            let lower = uri.to_ascii_lowercase();
            PICTURE_ENDINGS
                .iter()
                .any(|ending| lower.strip_suffix(ending).is_some_and(|rest| rest.ends_with('.')))
        };
        self.class == Class::Files && self.files.first().is_some_and(ends)
    }

    /// How it stands in an outline: `t`ext, `l`ink, `i`mage, `f`iles, `p` for files that can be shown as a picture.
    pub fn letter(&self) -> char {
        match self.kind() {
            Kind::Text => 't',
            Kind::Link => 'l',
            Kind::Image => 'i',
            Kind::Files if self.names_picture() => 'p',
            Kind::Files => 'f',
        }
    }

    /// Facts of a text.
    pub fn of_text(text: &str, size: u64, formatted: bool) -> Self {
        let head = match text.char_indices().nth(HEAD_CHARS) {
            Some((end, _)) => &text[..end],
            None => text,
        };
        Self {
            class: Class::Text,
            head: head.to_owned(),
            chars: text.chars().count() as u64,
            lines: text.trim_end_matches('\n').split('\n').count() as u64,
            size,
            formatted,
            picture: None,
            files: Vec::new(),
            file_count: 0,
            secret: None,
            here: false,
        }
    }
}

/// The path of a `file:` URI, percent-decoded; `None` for other URIs or paths that are not UTF-8.
pub fn path_of(uri: &str) -> Option<String> {
    let rest = uri.strip_prefix("file://")?;
    let path = &rest[rest.find('/')?..];
    let broken = path.match_indices('%').any(|(at, _)| {
        !path.get(at + 1..at + 3).is_some_and(|hex| hex.bytes().all(|byte| byte.is_ascii_hexdigit()))
    });
    if broken {
        return None;
    }
    percent_decode_str(path).decode_utf8().ok().map(std::borrow::Cow::into_owned)
}

/// The `file:` URI of an absolute path, percent-encoded (RFC 8089, RFC 3986).
pub fn uri_of(path: &str) -> String {
    format!("file://{}", utf8_percent_encode(path, PATH))
}

/// What is written as it is in a path (RFC 3986, unreserved, and the slash).
const PATH: &AsciiSet = &NON_ALPHANUMERIC.remove(b'/').remove(b'-').remove(b'.').remove(b'_').remove(b'~');

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_long_text_is_cut_on_a_character() {
        let text = "é".repeat(HEAD_CHARS + 5);
        let facts = Facts::of_text(&text, 10, false);
        assert_eq!(facts.head.chars().count(), HEAD_CHARS);
        assert_eq!(facts.chars, HEAD_CHARS as u64 + 5);
    }

    #[test]
    fn a_link_is_derived_from_its_text() {
        assert_eq!(Facts::of_text("https://example.org/", 20, false).kind(), Kind::Link);
        assert_eq!(Facts::of_text("at https://example.org/", 20, false).kind(), Kind::Text);
    }

    #[test]
    fn only_file_uris_have_paths() {
        assert_eq!(path_of("file://hut/maps/a%20b.png").as_deref(), Some("/maps/a b.png"));
        assert_eq!(path_of("https://example.org/a"), None);
        assert_eq!(path_of("file:///a%f"), None);
    }

    #[test]
    fn files_that_are_named_as_pictures_stand_in_the_outline_as_such() {
        let mut facts = Facts { class: Class::Files, ..Facts::of_text("", 0, false) };
        for (name, letter) in
            [("file:///a.PNG", 'p'), ("file:///a.svg", 'p'), ("file:///apng", 'f'), ("file:///a.pdf", 'f')]
        {
            facts.files = vec![name.to_owned()];
            assert_eq!(facts.letter(), letter, "{name}");
        }
        assert_eq!(Facts::of_text("a.png", 5, false).letter(), 't');
        assert_eq!(Facts::of_text("https://example.org/", 20, false).letter(), 'l');
    }

    proptest! {
        #[test]
        fn a_path_reads_back_from_its_uri(path in "/\\PC{0,30}") {
            prop_assert_eq!(path_of(&uri_of(&path)), Some(path));
        }
    }
}
