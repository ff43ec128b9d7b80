//! What a program is asked for of its copy, and in which order: first what tells what the copy is, then what can't be made
//! again of that. Programs make each form when they are asked for it, and some stand still meanwhile, so little is asked
//! for: one encoding of a picture, and nothing that has meaning for its owner alone.

use std::collections::VecDeque;

use crate::clip::mime;
use crate::clip::reading::names_files;
use crate::clip::target::left_alone;

/// One request.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Ask {
    /// It tells what the copy is: there is time for it as long as the program works on it.
    Identity(String),
    /// It belongs to a copy that is known: it comes soon, or the copy is kept without it.
    Beside(String),
}

/// What tells what the copy is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Found {
    Files,
    Text,
    Picture,
}

/// What there still is to ask for.
#[derive(Clone, Debug, Default)]
pub struct Asking {
    marked: bool,
    files: VecDeque<String>,
    texts: VecDeque<String>,
    pictures: VecDeque<String>,
    beside: VecDeque<String>,
    found: Option<Found>,
    offers_picture: bool,
    also: Vec<String>,
}

impl Asking {
    /// For a copy that is offered under these names.
    pub fn of(offered: &[String]) -> Self {
        let mut asking =
            Self { marked: offered.iter().any(|name| name == mime::DO_NOT_RECORD), ..Self::default() };
        let lists = offered.iter().any(|name| mime::base(name) == mime::URI_LIST);
        let mut seen = std::collections::HashSet::new();
        for name in offered.iter().filter(|name| seen.insert(name.as_str())) {
            let base = mime::base(name);
            if base == mime::URI_LIST || (base == mime::FILE_MANAGER_LIST && !lists) {
                // Without the list there is no other way to know which files they are.
                asking.files.push_back(name.clone());
            } else if left_alone(name).is_some() || base == mime::CUT_MARK {
                // A cut is handed back as a copy, so nobody needs to know that it was one.
            } else if mime::text_rank(name).is_some() {
                asking.texts.push_back(name.clone());
            } else if mime::is_image(name) {
                asking.pictures.push_back(name.clone());
            } else {
                asking.beside.push_back(name.clone());
            }
        }
        asking.texts.make_contiguous().sort_by_key(|name| mime::text_rank(name));
        asking.pictures.make_contiguous().sort_by_key(|name| rank_of_picture(name));
        asking.beside.make_contiguous().sort_by_key(|name| rank_beside(name));
        asking.offers_picture = !asking.pictures.is_empty();
        asking
    }

    /// For a program that does not say what it offers: it may still have text.
    pub fn for_text() -> Self {
        Self { texts: ["UTF8_STRING", "STRING"].map(str::to_owned).into(), ..Self::default() }
    }

    /// True when the program may wish that the copy is not recorded.
    pub fn is_marked(&self) -> bool {
        self.marked
    }

    /// The next request, or `None` when all is asked for.
    pub fn wants(&mut self) -> Option<Ask> {
        if self.found.is_none() {
            for queue in [&mut self.files, &mut self.texts, &mut self.pictures] {
                if let Some(name) = queue.pop_front() {
                    return Some(Ask::Identity(name));
                }
            }
            if self.lacks_picture() {
                return None;
            }
        }
        let name = self.beside.pop_front()?;
        // With nothing else to tell what it is, the first of the rest does.
        Some(if self.found.is_none() { Ask::Identity(name) } else { Ask::Beside(name) })
    }

    /// What was asked for has come, with this many bytes, which begin so.
    pub fn had(&mut self, target: &str, bytes: &[u8]) {
        if bytes.is_empty() {
            if mime::text_rank(target).is_none() {
                self.also.push(target.to_owned());
            }
            return;
        }
        if self.found.is_some() {
            return;
        }
        let base = mime::base(target);
        let is_list = base == mime::URI_LIST || base == mime::FILE_MANAGER_LIST;
        self.found = if is_list {
            names_files(target, bytes).then_some(Found::Files)
        } else if mime::text_rank(target).is_some() {
            let blank = bytes.len() < 4_096 && String::from_utf8_lossy(bytes).trim().is_empty();
            (!blank || !self.offers_picture).then_some(Found::Text)
        } else if mime::is_image(target) {
            Some(Found::Picture)
        } else if !self.offers_picture {
            Some(Found::Text)
        } else {
            None
        };
        if self.found.is_some() {
            self.queue_the_rest();
        }
    }

    /// A picture is what the copy may be, and none has come yet.
    pub fn expects_picture(&self) -> bool {
        self.offers_picture && self.found.is_none()
    }

    /// A picture was offered as what the copy is, and could not be had. Its words, if it has any, are not the copy.
    pub fn lacks_picture(&self) -> bool {
        self.expects_picture() && self.pictures.is_empty()
    }

    /// Names under which the copy is handed back as well, although their bytes are not kept: other encodings of its
    /// picture, and forms without a byte.
    pub fn also(&self) -> Vec<String> {
        self.also.clone()
    }

    /// What is asked for beside: the text's other MIME types, what belongs to it, and one picture at the end.
    fn queue_the_rest(&mut self) {
        let mut first: Vec<String> =
            self.texts.drain(..).filter(|name| mime::base(name) == "text/plain").collect();
        if self.found != Some(Found::Files) {
            // An address that is no file's, once the text is known.
            first.extend(self.files.drain(..));
        }
        for name in first.into_iter().rev() {
            self.beside.push_front(name);
        }
        let mut has_pixels = self.found == Some(Found::Picture);
        for name in std::mem::take(&mut self.pictures) {
            match mime::encoding(&name) {
                Some(_) if has_pixels => self.also.push(name),
                Some(_) => {
                    has_pixels = true;
                    self.beside.push_back(name);
                }
                // A drawing, or a picture that moves. What nobody knows shows the same pixels once more.
                None if !has_pixels || KEPT_PICTURES.contains(&mime::base(&name).as_str()) => {
                    self.beside.push_back(name);
                }
                None => {}
            }
        }
    }
}

/// Pictures that can't be made again of pixels.
const KEPT_PICTURES: [&str; 2] = ["image/svg+xml", "image/gif"];

fn rank_of_picture(name: &str) -> usize {
    let base = mime::base(name);
    mime::IMAGE_ORDER.iter().position(|known| *known == base).unwrap_or(mime::IMAGE_ORDER.len())
}

/// Formatting first, then where it comes from, then forms of the program's own in their order, then other encodings.
fn rank_beside(name: &str) -> usize {
    let base = mime::base(name);
    let first = [mime::HTML, mime::PAGE_ADDRESS, mime::PAGE_PRIVATE, mime::PAGE_LINK];
    first.iter().position(|known| *known == base).unwrap_or(first.len())
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn asking(names: &[&str]) -> Asking {
        Asking::of(&names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>())
    }

    /// What is asked for of an owner that has all of it: identities with a star.
    fn all(mut asking: Asking, bytes: impl Fn(&str) -> &'static [u8]) -> (Vec<String>, Asking) {
        let mut asked = Vec::new();
        while let Some(ask) = asking.wants() {
            let (name, star) = match ask {
                Ask::Identity(name) => (name, "*"),
                Ask::Beside(name) => (name, ""),
            };
            asking.had(&name, bytes(&name));
            asked.push(format!("{name}{star}"));
        }
        (asked, asking)
    }

    #[test]
    fn a_text_is_known_by_its_own_line_ends_and_its_mime_types_follow() {
        let offered = [
            "TARGETS",
            "text/html",
            "GTK_TEXT_BUFFER_CONTENTS",
            "STRING",
            "text/plain;charset=utf-8",
            "UTF8_STRING",
        ];
        let (asked, _) = all(asking(&offered), |_| b"oats");
        assert_eq!(asked, ["UTF8_STRING*", "text/plain;charset=utf-8", "text/html"]);
    }

    #[test]
    fn of_a_picture_one_encoding_is_asked_for_and_the_others_are_remembered() {
        let offered = [
            "image/bmp",
            "image/jpeg",
            "image/png",
            "image/tiff",
            "image/x-xpixmap",
            "text/html",
            "image/svg+xml",
        ];
        let (asked, asking) = all(asking(&offered), |_| b"x");
        assert_eq!(asked, ["image/png*", "text/html", "image/svg+xml"]);
        assert_eq!(asking.also(), ["image/jpeg", "image/tiff", "image/bmp"]);
    }

    #[test]
    fn a_picture_that_cant_be_had_is_not_replaced_by_its_html() {
        let mut asking = asking(&["text/html", "image/png", "image/bmp", "UTF8_STRING"]);
        assert_eq!(asking.wants(), Some(Ask::Identity("UTF8_STRING".into())));
        asking.had("UTF8_STRING", b" \n");
        assert_eq!(asking.wants(), Some(Ask::Identity("image/png".into())));
        assert_eq!(asking.wants(), Some(Ask::Identity("image/bmp".into())), "the other encoding is tried");
        assert_eq!(asking.wants(), None);
        assert!(asking.lacks_picture());
    }

    #[test]
    fn cells_are_a_text_with_what_the_program_keeps_of_its_own_and_one_picture() {
        let offered = [
            "application/x-openoffice-embed-source-xml;windows_formatname=\"Star Embed Source (XML)\"",
            "application/x-openoffice-emf;windows_formatname=\"Image EMF\"",
            "image/png",
            "image/bmp",
            "text/html",
            "application/x-openoffice-link;windows_formatname=\"Link\"",
            "text/rtf",
            "UTF8_STRING",
            "application/x-libreoffice-internal-id-6363",
        ];
        let (asked, _) = all(asking(&offered), |_| b"Ridge\t1650");
        assert_eq!(asked, ["UTF8_STRING*", "text/html", offered[0], "text/rtf", "image/png"]);
    }

    #[test]
    fn files_are_known_by_their_list_and_a_cut_stays_a_cut() {
        let offered =
            ["x-special/gnome-copied-files", "text/uri-list", "application/x-kde-cutselection", "text/plain"];
        let (asked, _) = all(asking(&offered), |_| b"file:///maps/a.png\0");
        assert_eq!(asked, ["text/uri-list*", "text/plain"]);
        // Where the list is all there is, it is the only way to know.
        let (asked, _) = all(asking(&["x-special/gnome-copied-files"]), |_| b"copy\nfile:///maps/a.png");
        assert_eq!(asked, ["x-special/gnome-copied-files*"]);
    }

    #[test]
    fn a_dragged_address_is_known_by_its_text() {
        let (asked, _) = all(asking(&["text/uri-list", "UTF8_STRING"]), |_| b"https://example.org/");
        assert_eq!(asked, ["text/uri-list*", "UTF8_STRING*"]);
    }

    #[test]
    fn a_form_without_a_byte_is_remembered() {
        let (_, asking) = all(asking(&["UTF8_STRING", "application/x-flag"]), |name| {
            if name == "UTF8_STRING" { b"oats" } else { b"" }
        });
        assert_eq!(asking.also(), ["application/x-flag"]);
    }

    proptest! {
        #[test]
        fn nothing_is_asked_for_twice_and_nothing_that_is_left_alone(
            names in proptest::collection::vec(
                prop_oneof![
                    proptest::sample::select(vec![
                        "UTF8_STRING", "text/plain", "STRING", "text/html", "text/uri-list", "image/png", "image/bmp",
                        "image/gif", "x-special/gnome-copied-files", "application/x-openoffice-link;x", "TARGETS",
                        "CLIENT_WINDOW", "application/x-libreoffice-internal-id-1", "GTK_TEXT_BUFFER_CONTENTS",
                    ]).prop_map(str::to_owned),
                    "[a-zA-Z/;_-]{0,12}",
                ], 0..20),
            answers in proptest::collection::vec(0..4u8, 24),
        ) {
            let mut asking = Asking::of(&names);
            let mut asked = Vec::new();
            let mut beside = false;
            while let Some(ask) = asking.wants() {
                let name = match ask {
                    Ask::Identity(name) => { prop_assert!(!beside, "what it is comes first"); name }
                    Ask::Beside(name) => { beside = true; name }
                };
                prop_assert!(names.contains(&name) && !asked.contains(&name));
                let list = mime::base(&name) == mime::FILE_MANAGER_LIST;
                prop_assert!(left_alone(&name).is_none() || (list && !names.iter().any(|one| one == mime::URI_LIST)));
                match answers[asked.len() % answers.len()] {
                    0 => {}
                    1 => asking.had(&name, b""),
                    2 => asking.had(&name, b"file:///a"),
                    _ => asking.had(&name, b"copy\nfile:///a"),
                }
                asked.push(name);
            }
        }
    }
}
