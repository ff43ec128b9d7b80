//! What an offer is handed back as: every name it is served under, and what each of them stands for.

use crate::clip::mime::{self, Encoding};
use crate::clip::offer::Offer;
use crate::clip::reading::{names_files, uri_lines_of};
use crate::clip::target::is_content;
use crate::text::compound::{to_compound, to_latin1};
use bytes::Bytes;

/// What a name stands for. The number is that of a representation of the offer.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Handed {
    /// It, as it is.
    AsIs(usize),
    /// A text in ISO 8859-1.
    Latin1(usize),
    /// A text as COMPOUND_TEXT.
    Compound(usize),
    /// A URI list in the form of file managers, as a copy.
    FileList(usize),
    /// A picture in another encoding, which takes a while to make.
    Made(usize, Encoding),
    /// Not a byte.
    Empty,
}

impl Handed {
    /// Its bytes. `None` for what is to be made first, and for what the offer lacks.
    pub fn bytes(self, offer: &Offer) -> Option<Bytes> {
        let of = |n: usize| offer.representations.get(n).map(|one| one.content.expose());
        Some(match self {
            Self::AsIs(n) => of(n)?.clone(),
            Self::Latin1(n) => to_latin1(of(n)?).into(),
            Self::Compound(n) => to_compound(of(n)?).into(),
            Self::FileList(n) => {
                let mut list = vec!["copy".to_owned()];
                list.extend(uri_lines_of(offer.representations.get(n)?));
                list.join("\n").into()
            }
            Self::Made(..) => return None,
            Self::Empty => Bytes::new(),
        })
    }
}

/// Every name that the offer is served under. What has meaning for its owner alone is not among them, even if it was kept
/// once.
pub fn handed(offer: &Offer) -> Vec<(String, Handed)> {
    let mut names: Vec<(String, Handed)> = Vec::new();
    let mut push = |name: &str, handed: Handed| {
        if !names.iter().any(|(known, _)| known == name) {
            names.push((name.to_owned(), handed));
        }
    };
    let texts = || {
        offer.representations.iter().enumerate().filter_map(|(n, one)| Some((mime::text_rank(&one.mime)?, n)))
    };
    let best = texts().min().map(|(_, n)| n);
    // A program that asks for a MIME type gets the line ends that belong to one, where the copy had both.
    let best_mime =
        texts().filter(|(_, n)| offer.representations[*n].mime.contains('/')).min().map(|(_, n)| n).or(best);
    for (n, one) in offer.representations.iter().enumerate() {
        if mime::text_rank(&one.mime).is_some() {
            for name in mime::TEXT_ALIASES {
                let own = texts().find(|(_, n)| offer.representations[*n].mime.eq_ignore_ascii_case(name));
                let (best, best_mime) = (best.unwrap_or(n), best_mime.unwrap_or(n));
                push(
                    name,
                    match (name, own) {
                        ("STRING", _) => Handed::Latin1(best),
                        ("COMPOUND_TEXT", _) => Handed::Compound(best),
                        ("TEXT", _) => Handed::AsIs(best),
                        (_, Some((_, own))) => Handed::AsIs(own),
                        (name, None) if name.contains('/') => Handed::AsIs(best_mime),
                        (_, None) => Handed::AsIs(best),
                    },
                );
            }
        } else if is_content(&one.mime) {
            push(&one.mime, Handed::AsIs(n));
            if mime::base(&one.mime) == mime::URI_LIST && names_files(&one.mime, one.content.expose()) {
                push(mime::FILE_MANAGER_LIST, Handed::FileList(n));
            }
        }
    }
    let pixels = offer.representations.iter().position(|one| mime::encoding(&one.mime).is_some());
    for name in offer.also.iter().filter(|name| is_content(name)) {
        match (mime::encoding(name), pixels) {
            (Some(encoding), Some(n)) => push(name, Handed::Made(n, encoding)),
            (None, _) if !mime::is_image(name) => push(name, Handed::Empty),
            _ => {}
        }
    }
    names
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::offer::Representation;

    fn offer(parts: &[(&str, &str)], also: &[&str]) -> Offer {
        let representations =
            parts.iter().map(|(name, bytes)| Representation::new(*name, bytes.as_bytes().to_vec())).collect();
        Offer {
            representations,
            also: also.iter().map(|name| (*name).to_owned()).collect(),
            ..Offer::default()
        }
    }

    fn bytes(offer: &Offer, name: &str) -> Option<Bytes> {
        let (_, handed) = handed(offer).into_iter().find(|(known, _)| known == name)?;
        handed.bytes(offer)
    }

    #[test]
    fn a_text_is_handed_back_under_each_of_its_names() {
        let offer = offer(&[(mime::PLAIN, "Hütte 山")], &[]);
        for name in ["UTF8_STRING", "text/plain;charset=utf-8", "text/plain", "TEXT"] {
            assert_eq!(bytes(&offer, name).unwrap(), "Hütte 山".as_bytes());
        }
        assert_eq!(bytes(&offer, "STRING").unwrap(), &b"H\xfctte ?"[..]);
        assert_eq!(bytes(&offer, "COMPOUND_TEXT").unwrap(), &b"H\xfctte \x1b%G\xe5\xb1\xb1\x1b%@"[..]);
    }

    #[test]
    fn a_text_with_two_line_ends_is_handed_back_with_those_it_was_offered_with() {
        let offer = offer(&[("UTF8_STRING", "a\nb"), (mime::PLAIN, "a\r\nb")], &[]);
        for (name, text) in
            [("UTF8_STRING", "a\nb"), ("STRING", "a\nb"), ("TEXT", "a\nb"), ("text/plain", "a\r\nb")]
        {
            assert_eq!(bytes(&offer, name).unwrap(), text, "{name}");
        }
        assert_eq!(bytes(&offer, mime::PLAIN).unwrap(), "a\r\nb");
    }

    #[test]
    fn files_are_handed_back_to_file_managers_as_a_copy() {
        let offer = offer(&[("text/uri-list", "file:///maps/a.png\r\nfile:///maps/b.png\r\n")], &[]);
        let list = bytes(&offer, mime::FILE_MANAGER_LIST).unwrap();
        assert_eq!(list, "copy\nfile:///maps/a.png\nfile:///maps/b.png");
        let link = super::tests::offer(&[("text/uri-list", "https://example.org/\r\n")], &[]);
        assert_eq!(bytes(&link, mime::FILE_MANAGER_LIST), None);
    }

    #[test]
    fn encodings_that_were_offered_are_made_and_flags_are_empty() {
        let offer = offer(&[("image/png", "x")], &["image/bmp", "application/x-flag", "image/x-xpixmap"]);
        let names = handed(&offer);
        assert_eq!(
            names[1..],
            [
                ("image/bmp".to_owned(), Handed::Made(0, Encoding::Bmp)),
                ("application/x-flag".to_owned(), Handed::Empty)
            ]
        );
    }

    #[test]
    fn what_meant_something_to_its_owner_alone_is_not_handed_back() {
        let names =
            ["application/x-libreoffice-internal-id-9", "GTK_TEXT_BUFFER_CONTENTS", "PIXMAP", "TARGETS"];
        let mut parts = vec![("UTF8_STRING", "AAA")];
        parts.extend(names.map(|name| (name, "x")));
        let handed = handed(&offer(&parts, &names));
        assert!(names.iter().all(|name| handed.iter().all(|(known, _)| known != name)));
        assert_eq!(handed.len(), mime::TEXT_ALIASES.len());
    }
}
