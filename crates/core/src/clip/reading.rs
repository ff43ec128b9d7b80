//! Reading an offer: which of its representations says what the copy is. Real programs offer several at once: a
//! spreadsheet range is text, html and picture, and is a text; a picture copied in a browser has html and picture and
//! no text, and is an image; a file manager's copy is files.

use crate::clip::device::DeviceId;
use crate::clip::facts::{Facts, Picture};
use crate::clip::facts::{HEAD_FILES, path_of};
use crate::clip::id::{Class, ClipId};
use crate::clip::mime;
use crate::clip::offer::{Offer, Representation};
use crate::text::html;

/// What an offer turned out to be.
#[derive(Debug, Clone, PartialEq)]
pub struct Reading {
    /// The clip it belongs to.
    pub id: ClipId,
    /// What can be told of it at a glance.
    pub facts: Facts,
    /// The offer as it will be kept: of empty representations the names alone, a cut turned into a copy.
    pub offer: Offer,
}

/// Reads an offer on this device. `None` when there is nothing in it: no representation with a single byte.
pub fn read(mut offer: Offer, device: DeviceId) -> Option<Reading> {
    let (whole, empty): (Vec<_>, Vec<_>) =
        std::mem::take(&mut offer.representations).into_iter().partition(|one| !one.content.is_empty());
    offer.representations = whole;
    let flags = empty.into_iter().map(|one| one.mime).filter(|name| mime::text_rank(name).is_none());
    offer.also.extend(flags);
    soften_cut(&mut offer);
    if offer.representations.is_empty() {
        return None;
    }
    if offer.source.page.is_none() {
        offer.source.page = page_of(&offer);
    }
    let size = offer.size();
    let formatted = offer.find(mime::HTML).is_some();

    if let Some(uris) = file_uris(&offer) {
        let joined = uris.join("\n");
        let facts = Facts {
            class: Class::Files,
            head: String::new(),
            chars: 0,
            lines: 0,
            size,
            formatted: false,
            picture: None,
            file_count: uris.len() as u64,
            secret: None,
            here: false,
            files: uris.into_iter().take(HEAD_FILES).collect(),
        };
        return Some(Reading { id: ClipId::of(Class::Files, &[&device.0, joined.as_bytes()]), facts, offer });
    }

    let image = primary_image(&offer);
    let text = plain_text(&offer);
    let text = text.filter(|text| image.is_none() || !text.trim().is_empty());
    if let Some(text) = text {
        return Some(text_reading(&text, size, formatted, offer));
    }
    if let Some(image) = image {
        let (width, height) = imagesize::blob_size(image.content.expose())
            .map(|found| (u32::try_from(found.width).unwrap_or(0), u32::try_from(found.height).unwrap_or(0)))
            .unwrap_or((0, 0));
        let facts = Facts {
            class: Class::Image,
            head: String::new(),
            chars: 0,
            lines: 0,
            size,
            formatted: false,
            picture: Some(Picture { mime: image.mime.clone(), width, height }),
            files: Vec::new(),
            file_count: 0,
            secret: None,
            here: false,
        };
        return Some(Reading { id: ClipId::of(Class::Image, &[image.content.expose()]), facts, offer });
    }
    if let Some(text) = derived_text(&offer) {
        return Some(text_reading(&text, size, formatted, offer));
    }
    // Nothing that anyone here can read: kept and handed back as it came.
    let first = &offer.representations[0];
    let id = ClipId::of(Class::Other, &[first.mime.as_bytes(), b"\0", first.content.expose()]);
    let mut facts = Facts::of_text(&first.mime, size, false);
    facts.class = Class::Other;
    Some(Reading { id, facts, offer })
}

/// The plain text form of an offer: its text, the words of its html, or the paths of its files. `None` for pictures.
pub fn plain_form(offer: &Offer) -> Option<String> {
    if let Some(uris) = file_uris(offer) {
        let paths: Vec<String> = uris.iter().map(|uri| path_of(uri).unwrap_or_else(|| uri.clone())).collect();
        return Some(paths.join("\n"));
    }
    plain_text(offer).or_else(|| derived_text(offer))
}

/// The html of an offer, if it has one.
pub fn html_of(offer: &Offer) -> Option<String> {
    offer.find(mime::HTML).map(decode)
}

fn text_reading(text: &str, size: u64, formatted: bool, offer: Offer) -> Reading {
    Reading {
        id: ClipId::of(Class::Text, &[text.as_bytes()]),
        facts: Facts::of_text(text, size, formatted),
        offer,
    }
}

fn plain_text(offer: &Offer) -> Option<String> {
    let best = offer
        .representations
        .iter()
        .filter(|one| mime::text_rank(&one.mime).is_some())
        .min_by_key(|one| mime::text_rank(&one.mime))?;
    Some(decode(best))
}

/// Text from representations that are not plain text: words of html, addresses, any other text type.
fn derived_text(offer: &Offer) -> Option<String> {
    if let Some(one) = offer.find(mime::HTML) {
        let words = html::words_of(&decode(one));
        if !words.is_empty() {
            return Some(words);
        }
    }
    if let Some(one) = offer.find(mime::URI_LIST) {
        return Some(uri_lines(&decode(one)).join("\n"));
    }
    let one = offer.representations.iter().find(|one| mime::base(&one.mime).starts_with("text/"))?;
    Some(decode(one))
}

/// Text of a representation: UTF-8 unless the type or a byte order mark says UTF-16; whatever is malformed is shown
/// as U+FFFD. The bytes themselves stay as they came.
fn decode(one: &Representation) -> String {
    let bytes = one.content.expose();
    let wide = one.mime.to_ascii_lowercase().contains("utf-16") || bytes.starts_with(&[0xff, 0xfe]);
    if wide || one.mime == mime::PAGE_LINK || one.mime == mime::PAGE_PRIVATE {
        let units: Vec<u16> =
            bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
        return String::from_utf16_lossy(&units).trim_start_matches('\u{feff}').to_owned();
    }
    String::from_utf8_lossy(bytes).into_owned()
}

/// The representation that shows an offer's picture best.
pub fn primary_image(offer: &Offer) -> Option<&Representation> {
    mime::IMAGE_ORDER
        .iter()
        .find_map(|known| offer.find(known))
        .or_else(|| offer.representations.iter().find(|one| mime::is_image(&one.mime)))
}

/// The URIs, when every one of them is a file.
/// The URIs of an offer's files; `None` where it is none of files.
pub fn file_uris(offer: &Offer) -> Option<Vec<String>> {
    let uris = match (offer.find(mime::URI_LIST), offer.find(mime::FILE_MANAGER_LIST)) {
        (Some(list), _) => uri_lines(&decode(list)),
        (None, Some(list)) => uri_lines(&decode(list)).into_iter().skip(1).collect(),
        (None, None) => return None,
    };
    all_files(&uris).then_some(uris)
}

/// True when a list under this name, a URI list or a file manager's, names files and nothing else.
pub fn names_files(name: &str, bytes: &[u8]) -> bool {
    let list = Representation::new(name, bytes.to_vec());
    let skipped = usize::from(mime::base(name) == mime::FILE_MANAGER_LIST);
    all_files(&uri_lines(&decode(&list)).into_iter().skip(skipped).collect::<Vec<_>>())
}

/// The lines of a URI list (RFC 2483 section 5).
pub fn uri_lines_of(list: &Representation) -> Vec<String> {
    uri_lines(&decode(list))
}

fn all_files(uris: &[String]) -> bool {
    !uris.is_empty() && uris.iter().all(|uri| uri.starts_with("file://"))
}

/// Lines of a URI list (RFC 2483 section 5): comments start with `#`.
fn uri_lines(text: &str) -> Vec<String> {
    text.split(['\r', '\n', '\0'])
        .map(str::trim)
        .filter(|line| !line.is_empty() && !line.starts_with('#'))
        .map(str::to_owned)
        .collect()
}

/// A cut is kept and handed back as a copy: pasting an old cut must never move files.
pub fn soften_cut(offer: &mut Offer) {
    for one in &mut offer.representations {
        if mime::base(&one.mime) == mime::FILE_MANAGER_LIST && one.content.expose().starts_with(b"cut") {
            let mut copy = b"copy".to_vec();
            copy.extend_from_slice(&one.content.expose()[3..]);
            *one = Representation::new(one.mime.clone(), copy);
        }
    }
    offer.representations.retain(|one| mime::base(&one.mime) != mime::CUT_MARK);
}

fn page_of(offer: &Offer) -> Option<String> {
    let names = [mime::PAGE_ADDRESS, mime::PAGE_PRIVATE, mime::PAGE_LINK];
    let one = names.into_iter().find_map(|name| offer.find(name))?;
    let first = decode(one).lines().next().map(|line| line.trim_end_matches('\0').to_owned());
    first.filter(|address| !address.is_empty())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::facts::Kind;
    use proptest::prelude::*;

    const DEVICE: DeviceId = DeviceId([1; 16]);
    const PNG: &[u8] = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\x05\xc8\0\0\x02\x6c\x08\x02\0\0\0";

    fn offer(parts: &[(&str, &[u8])]) -> Offer {
        Offer {
            representations: parts
                .iter()
                .map(|(mime, bytes)| Representation::new(*mime, bytes.to_vec()))
                .collect(),
            ..Offer::default()
        }
    }

    fn kind(parts: &[(&str, &[u8])]) -> Kind {
        read(offer(parts), DEVICE).unwrap().facts.kind()
    }

    #[test]
    fn a_spreadsheet_range_is_a_text() {
        assert_eq!(
            kind(&[("text/html", b"<table>"), ("image/png", PNG), ("text/plain;charset=utf-8", b"1\t2")]),
            Kind::Text
        );
    }

    #[test]
    fn a_picture_copied_in_a_browser_is_an_image() {
        let reading = read(offer(&[("text/html", b"<img src=x>"), ("image/png", PNG)]), DEVICE).unwrap();
        assert_eq!(reading.facts.kind(), Kind::Image);
        let picture = reading.facts.picture.unwrap();
        assert_eq!((picture.width, picture.height), (1480, 620));
    }

    #[test]
    fn blank_text_beside_a_picture_does_not_make_it_a_text() {
        assert_eq!(kind(&[("UTF8_STRING", b" \n"), ("image/png", PNG)]), Kind::Image);
    }

    #[test]
    fn a_file_managers_copy_is_files_and_a_cut_becomes_a_copy() {
        let cut = offer(&[
            ("x-special/gnome-copied-files", b"cut\nfile:///maps/a.png"),
            ("text/uri-list", b"file:///maps/a.png\r\n"),
            ("text/plain", b"/maps/a.png"),
            ("application/x-kde-cutselection", b"1"),
        ]);
        let reading = read(cut, DEVICE).unwrap();
        assert_eq!(reading.facts.kind(), Kind::Files);
        assert_eq!(reading.facts.files, ["file:///maps/a.png"]);
        let list = reading.offer.find(mime::FILE_MANAGER_LIST).unwrap();
        assert_eq!(list.content.expose().as_ref(), b"copy\nfile:///maps/a.png");
        assert!(reading.offer.find(mime::CUT_MARK).is_none());
        assert_eq!(plain_form(&reading.offer).as_deref(), Some("/maps/a.png"));
    }

    #[test]
    fn the_same_files_on_another_device_are_another_clip() {
        let files = || offer(&[("text/uri-list", b"file:///maps/a.png\r\n")]);
        assert_ne!(read(files(), DEVICE).unwrap().id, read(files(), DeviceId([2; 16])).unwrap().id);
    }

    #[test]
    fn a_dragged_address_is_a_link() {
        assert_eq!(kind(&[("text/uri-list", b"https://example.org/\r\n")]), Kind::Link);
    }

    #[test]
    fn the_id_of_a_text_does_not_depend_on_its_formatting() {
        let plain = read(offer(&[("UTF8_STRING", b"oats")]), DEVICE).unwrap();
        let rich = read(offer(&[("text/html", b"<b>oats</b>"), ("text/plain", b"oats")]), DEVICE).unwrap();
        assert_eq!(plain.id, rich.id);
        assert!(rich.facts.formatted && !plain.facts.formatted);
    }

    #[test]
    fn unknown_representations_are_kept_as_they_came() {
        let reading = read(offer(&[("application/x-odd; a=\"b c\"", b"\0\x01")]), DEVICE).unwrap();
        assert_eq!(reading.offer.representations.len(), 1);
        assert_eq!(reading.facts.kind(), Kind::Text);
        assert_eq!(plain_form(&reading.offer), None);
    }

    #[test]
    fn an_offer_without_a_byte_is_nothing() {
        assert!(read(offer(&[("UTF8_STRING", b""), ("image/png", b"")]), DEVICE).is_none());
    }

    #[test]
    fn html_alone_is_read_for_its_words() {
        let reading = read(offer(&[("text/html", "<p>Gas <b>11 kg</b></p>".as_bytes())]), DEVICE).unwrap();
        assert_eq!(reading.facts.head, "Gas 11 kg");
    }

    #[test]
    fn the_page_a_picture_came_from_is_known() {
        let address: Vec<u8> =
            "https://a.example/\nTitle".encode_utf16().flat_map(u16::to_le_bytes).collect();
        let reading = read(offer(&[("image/png", PNG), ("text/x-moz-url", &address)]), DEVICE).unwrap();
        assert_eq!(reading.offer.source.page.as_deref(), Some("https://a.example/"));
        let address: Vec<u8> = "https://b.example/".encode_utf16().flat_map(u16::to_le_bytes).collect();
        let reading =
            read(offer(&[("UTF8_STRING", b"oats"), ("text/x-moz-url-priv", &address)]), DEVICE).unwrap();
        assert_eq!(reading.offer.source.page.as_deref(), Some("https://b.example/"));
    }

    #[test]
    fn of_a_text_with_two_line_ends_the_programs_own_counts() {
        let own = read(offer(&[("UTF8_STRING", b"a\nb")]), DEVICE).unwrap();
        let both = [("text/plain;charset=utf-8", &b"a\r\nb"[..]), ("UTF8_STRING", b"a\nb")];
        let both = read(offer(&both), DEVICE).unwrap();
        assert_eq!(both.id, own.id);
        assert_eq!(both.offer.representations.len(), 2);
        assert_eq!(plain_form(&both.offer).as_deref(), Some("a\nb"));
    }

    #[test]
    fn a_form_without_a_byte_is_known_by_its_name() {
        let reading = read(offer(&[("UTF8_STRING", b"oats"), ("application/x-flag", b"")]), DEVICE).unwrap();
        assert_eq!((reading.offer.representations.len(), reading.offer.also.len()), (1, 1));
    }

    proptest! {
        #[test]
        fn any_offer_is_read_without_failing_and_without_losing_a_byte(
            parts in proptest::collection::vec(
                (prop_oneof![Just("text/plain".to_owned()), Just("text/html".to_owned()), Just("image/png".to_owned()),
                    Just("text/uri-list".to_owned()), Just("text/x-moz-url".to_owned()), "\\PC{1,12}"],
                 proptest::collection::vec(any::<u8>(), 0..40)), 0..6)
        ) {
            let given = Offer {
                representations: parts.into_iter().map(|(mime, bytes)| Representation::new(mime, bytes)).collect(),
                ..Offer::default()
            };
            let bytes = given.size();
            if let Some(reading) = read(given, DEVICE) {
                prop_assert_eq!(reading.facts.size, bytes);
            } else {
                prop_assert_eq!(bytes, 0);
            }
        }
    }
}
