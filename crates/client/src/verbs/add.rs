//! `yadori add`: bringing a clip in, from an argument, a file or standard input.

use std::io::{self, IsTerminal, Write};
use std::path::{Path, PathBuf};

use base64::Engine;
use clap::Args;
use jiff::Timestamp;
use jiff::civil::DateTime;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, percent_encode};
use yadori_api::{AddClip, AddRepresentation, Added, Source, decoded};

use super::{json, list};
use crate::connection::Connection;
use crate::failure::Failure;
use crate::files::read;
use yadori_words::said;

const PLAIN: &str = "text/plain;charset=utf-8";

/// Bring something into the history
///
/// Without TEXT and --file, standard input is read. Pictures are recognised by their content. `yadori undo` takes it back.
#[derive(Debug, Args)]
pub(crate) struct Add {
    /// The text
    #[arg(value_name = "TEXT", conflicts_with_all = ["file", "reference"])]
    text: Option<String>,
    /// The content of a file
    #[arg(short, long, value_name = "FILE")]
    file: Option<PathBuf>,
    /// References to files or folders, as a file manager copies them
    #[arg(long, value_name = "PATH", num_args = 1.., conflicts_with = "file")]
    reference: Vec<PathBuf>,
    /// The type of the content, if it is not to be recognised
    #[arg(long = "type", value_name = "MIME", conflicts_with = "reference")]
    kind: Option<String>,
    /// One more representation of the same thing, e.g. --also text/html=letter.html
    #[arg(long, value_name = "MIME=FILE")]
    also: Vec<String>,
    /// When it was copied: 2026-11-02T09:41 here, or with a zone as in 2026-11-02T09:41:00Z
    #[arg(long, value_name = "TIME")]
    at: Option<String>,
    /// The program it came from
    #[arg(long, value_name = "NAME")]
    program: Option<String>,
    /// The title of the window it came from
    #[arg(long, value_name = "TITLE")]
    window: Option<String>,
    /// The address of the page it came from
    #[arg(long, value_name = "URL")]
    page: Option<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Add {
    pub(crate) fn run(self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let mut representations = vec![self.content()?];
        for pair in &self.also {
            let (kind, path) = pair.split_once('=').ok_or_else(|| {
                Failure::Use(said!("--also takes MIME=FILE, and `{pair}` has no `=`", pair = pair))
            })?;
            representations.push(encoded(typed(kind)?, &read::file(Path::new(path))?));
        }
        let at = self.at.as_deref().map(moment).transpose()?;
        let source = Source { program: self.program, window: self.window, page: self.page };
        let added: Added = service.post("/clips", &AddClip { representations, at, source })?;
        if self.json { json(out, &added) } else { list::print(out, &[added.row]) }
    }

    fn content(&self) -> Result<AddRepresentation, Failure> {
        if !self.reference.is_empty() {
            let mut uris = String::new();
            for path in &self.reference {
                let path = std::path::absolute(path).map_err(|cause| Failure::file(path, cause))?;
                if !path.exists() {
                    return Err(Failure::file(&path, io::ErrorKind::NotFound.into()));
                }
                uris.push_str(&file_uri(&path));
                uris.push_str("\r\n");
            }
            return Ok(AddRepresentation { mime: "text/uri-list".into(), text: Some(uris), base64: None });
        }
        let bytes = match (&self.text, &self.file) {
            (Some(text), _) => text.clone().into_bytes(),
            (None, Some(path)) if path == Path::new("-") => read::standard_input()?,
            (None, Some(path)) => read::file(path)?,
            (None, None) => {
                if io::stdin().is_terminal() {
                    return Err(Failure::Use(said!("give a TEXT, a --file, or something on standard input")));
                }
                read::standard_input()?
            }
        };
        let bytes = match &bytes[..] {
            [0xff, 0xfe, ..] | [0xfe, 0xff, ..] if self.kind.is_none() => {
                decoded(bytes.clone()).map_or(bytes, String::into_bytes)
            }
            _ => bytes,
        };
        let kind = match &self.kind {
            Some(kind) => typed(kind)?,
            None => recognised(&bytes).ok_or_else(|| {
                Failure::Use(
                    said!("it is neither UTF-8 or UTF-16 text nor a picture of a known type; convert a text in another encoding, as with `iconv -f LATIN1 -t UTF-8`, or say what it is with --type MIME"),
                )
            })?,
        };
        Ok(encoded(kind, &bytes))
    }
}

/// A type as it was given, if it can be one: two names and perhaps parameters (RFC 9110, section 8.3.1).
fn typed(kind: &str) -> Result<String, Failure> {
    let token = |name: &str| {
        let good = |c: char| c.is_ascii_alphanumeric() || "!#$%&'*+-.^_`|~".contains(c);
        !name.is_empty() && name.chars().all(good)
    };
    let (names, _) = kind.split_once(';').unwrap_or((kind, ""));
    let plain = kind.chars().all(|c| !c.is_control());
    match names.trim_end().split_once('/') {
        Some((top, sub)) if plain && token(top) && token(sub) => Ok(kind.to_owned()),
        _ => Err(Failure::Use(said!(
            "`{kind}` is no type of content; one looks like text/html or image/png",
            kind = kind
        ))),
    }
}

fn encoded(mime: String, bytes: &[u8]) -> AddRepresentation {
    match std::str::from_utf8(bytes) {
        Ok(text) => AddRepresentation { mime, text: Some(text.to_owned()), base64: None },
        Err(_) => {
            let encoded = base64::engine::general_purpose::STANDARD.encode(bytes);
            AddRepresentation { mime, text: None, base64: Some(encoded) }
        }
    }
}

/// The type of a content by its first bytes; text when it is UTF-8.
fn recognised(bytes: &[u8]) -> Option<String> {
    let text = std::str::from_utf8(bytes).is_ok();
    let picture =
        infer::get(bytes).filter(|found| found.matcher_type() == infer::MatcherType::Image && !text);
    picture.map(|found| found.mime_type().to_owned()).or_else(|| text.then(|| PLAIN.to_owned()))
}

fn moment(text: &str) -> Result<i64, Failure> {
    let zoned: Option<Timestamp> = text.parse().ok();
    // An offset that is none is no time of this zone.
    let bare =
        text.split_once(['T', 't', ' ']).is_none_or(|(_, time)| !time.contains(['+', '-', 'Z', 'z', '[']));
    let local = || {
        let here: DateTime = text.parse().ok().filter(|_| bare)?;
        Some(here.to_zoned(crate::zone::here()).ok()?.timestamp())
    };
    let at = zoned.or_else(local).map(jiff::Timestamp::as_microsecond).ok_or_else(|| {
        Failure::Use(said!("--at takes a time such as 2026-11-02T09:41, 2026-11-02T09:41Z or 2026-11-02T09:41+09:00, and `{text}` is none", text = text))
    })?;
    match at {
        ..0 => Err(Failure::Use(said!("`{text}` lies before 1970, and no clip is that old", text = text))),
        at if at > Timestamp::now().as_microsecond() => {
            Err(Failure::Use(said!("`{text}` lies in the future, and nothing was copied then", text = text)))
        }
        at => Ok(at),
    }
}

/// The `file:` URI of an absolute path (RFC 8089).
fn file_uri(path: &Path) -> String {
    use std::os::unix::ffi::OsStrExt;
    format!("file://{}", percent_encode(path.as_os_str().as_bytes(), PATH))
}

/// What is written as it is in a path (RFC 3986, unreserved, and the slash).
const PATH: &AsciiSet = &NON_ALPHANUMERIC.remove(b'/').remove(b'-').remove(b'.').remove(b'_').remove(b'~');

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pictures_are_recognised_and_words_are_text() {
        assert_eq!(recognised(b"\x89PNG\r\n\x1a\n\0").as_deref(), Some("image/png"));
        assert_eq!(recognised(b"RIFF\x10\0\0\0WEBPVP8 \xff").as_deref(), Some("image/webp"));
        assert_eq!(recognised(b"BMI table").as_deref(), Some(PLAIN));
        assert_eq!(recognised(b"BM\xff\xfe\0\0").as_deref(), Some("image/bmp"));
        assert_eq!(recognised(b"\xff\xfe\0"), None);
    }

    #[test]
    fn types_are_what_they_say() {
        for good in ["text/plain", "text/plain;charset=utf-8", "application/x-yadori.test+xml"] {
            assert!(typed(good).is_ok(), "{good}");
        }
        for wrong in ["nonsense", "text/", "/plain", "text/pl ain", "té/xt", "text/plain\n"] {
            assert!(typed(wrong).unwrap_err().to_string().contains("text/html"), "{wrong}");
        }
    }

    #[test]
    fn times_that_can_not_be_are_refused_in_words() {
        for (text, words) in [
            ("2026-11-02T09:41+99:00", "is none"),
            ("2026-11-02T09:41+9", "is none"),
            ("2026-02-30T09:41", "is none"),
            ("1969-12-31T23:59:59Z", "before 1970"),
            ("9000-01-01T00:00Z", "in the future"),
            ("9999999-01-01T00:00Z", "is none"),
        ] {
            let why = moment(text).unwrap_err();
            assert!(why.exit_code() == 2 && why.to_string().contains(words), "{text}: {why}");
        }
        assert_eq!(moment("2026-11-02T09:41+09:00").unwrap(), moment("2026-11-02T00:41Z").unwrap());
    }

    #[test]
    fn times_are_read_with_and_without_a_zone() {
        assert_eq!(moment("1970-01-01T00:00:01Z").unwrap(), 1_000_000);
        assert!(moment("2026-11-02T09:41").is_ok());
        assert_eq!(moment("yesterday").unwrap_err().exit_code(), 2);
    }
}
