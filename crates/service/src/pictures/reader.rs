//! The program that reads words from pictures: tesseract, where it is installed. It runs with whatever time nothing else
//! wants, and within bounds of memory and of time on the processor, as it unpacks and looks at what anybody may have drawn.

use std::os::unix::process::ExitStatusExt as _;
use std::process::{ExitStatus, Stdio};

use image::imageops::FilterType;
use image::{DynamicImage, ImageReader};
use rustix::process::Signal;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::process::Command;
use yadori_core::Content;
use yadori_core::clip::pictured::Pictured;

use super::small::bounds;
use crate::search::find::make_way;

/// Its name.
pub const PROGRAM: &str = "tesseract";
/// How far it makes way (nice(1)).
const NICE: &str = "19";
/// Bytes of memory that it may take.
const MEMORY: u64 = 2 << 30;
/// Seconds on the processor that it may take, and how many more for each million pixels.
const SECONDS: u64 = 30;
const SECONDS_EACH: u64 = 20;
/// Letters on screens are small for it: pictures up to this many pixels a side are made twice as large.
const TWICE: u32 = 1_600;
/// The longer side of what it looks at.
const MOST: u32 = 6_000;
/// Bytes of what it writes.
const TABLE: u64 = 16 << 20;
/// How a command ends that could not start another (POSIX, Shell Command Language, 2.8.2).
const CANNOT_RUN: i32 = 126;
const NOT_FOUND: i32 = 127;
/// Languages that it reads at once: each takes its time.
const LANGUAGES: usize = 3;

/// Why a picture could not be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ReaderError {
    /// It is not installed, or not as a whole; or something else kept it from its work.
    #[error("{PROGRAM} is not installed, knows no language, or was not let work")]
    Absent,
    /// The picture can't be unpacked.
    #[error("the picture can't be unpacked")]
    Picture,
    /// It gave up, or was given up.
    #[error("{PROGRAM} did not read it: {0}")]
    Failed(String),
}

/// A reader that is there, with the languages that it reads.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Reader {
    languages: String,
}

/// What is looked at: shades of gray as a PGM (netpbm(5)), its size, and the picture's.
struct Seen {
    pgm: Vec<u8>,
    size: (u32, u32),
    of: (u32, u32),
}

/// True when there is a program of its name.
pub fn is_installed() -> bool {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path).any(|folder| folder.join(PROGRAM).is_file())
}

impl Reader {
    /// Looks for it.
    ///
    /// # Errors
    /// It is not there.
    pub async fn find() -> Result<Self, ReaderError> {
        let asked =
            Command::new(PROGRAM).arg("--list-langs").stdin(Stdio::null()).kill_on_drop(true).output();
        let said = asked.await.map_err(|_| ReaderError::Absent)?;
        languages(&String::from_utf8_lossy(&said.stdout))
            .map(|languages| Self { languages })
            .ok_or(ReaderError::Absent)
    }

    /// The languages that it reads.
    pub fn languages(&self) -> &str {
        &self.languages
    }

    /// Reads a picture. Whoever lets go of the future ends the program.
    ///
    /// # Errors
    /// It can't be read; it is not worth being tried again.
    pub async fn read(&self, content: Content) -> Result<Pictured, ReaderError> {
        let (give, taken) = tokio::sync::oneshot::channel();
        let work = move || {
            make_way();
            let _ = give.send(prepared(&content));
        };
        std::thread::Builder::new().name("a picture".into()).spawn(work).map_err(|_| ReaderError::Absent)?;
        let Seen { pgm, size, of } = taken.await.ok().flatten().ok_or(ReaderError::Picture)?;
        let pixels = u64::from(size.0) * u64::from(size.1);
        let seconds = SECONDS + pixels * SECONDS_EACH / 1_000_000;
        // The system would not: that says nothing of the picture.
        let failed = |_: std::io::Error| ReaderError::Absent;
        let mut child = Command::new("nice")
            .args(["-n", NICE, "prlimit"])
            .args([format!("--as={MEMORY}"), format!("--cpu={seconds}"), "--core=0".into()])
            .args([PROGRAM, "-", "-", "-l", &self.languages, "--psm", "11", "tsv"])
            .env("OMP_THREAD_LIMIT", "1")
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .kill_on_drop(true)
            .spawn()
            .map_err(failed)?;
        let mut input = child.stdin.take().ok_or(ReaderError::Absent)?;
        let give = async move {
            // It may end before it has read all: how it ended is what counts.
            let _ = input.write_all(&pgm).await;
        };
        let mut output = child.stdout.take().ok_or(ReaderError::Absent)?.take(TABLE);
        let mut table = Vec::new();
        // One that writes more than that is of no use, and ends as nobody reads on.
        let read = async move { output.read_to_end(&mut table).await.map(|_| table) };
        let ((), table) = tokio::join!(give, read);
        let table = table.map_err(failed)?;
        let status = child.wait().await.map_err(failed)?;
        ended(status)?;
        let read = Pictured::from_table(&String::from_utf8_lossy(&table), of, size);
        Ok(Pictured { by: self.languages.clone(), ..read })
    }
}

/// Whether what it wrote counts. One that was ended together with everything else (a session that ends, Ctrl-C in a terminal)
/// has said nothing of the picture.
fn ended(status: ExitStatus) -> Result<(), ReaderError> {
    let by_others = [Signal::TERM, Signal::INT, Signal::HUP].map(|one| Some(one.as_raw()));
    match status.code() {
        Some(0) => Ok(()),
        Some(CANNOT_RUN | NOT_FOUND) => Err(ReaderError::Absent),
        None if by_others.contains(&status.signal()) => Err(ReaderError::Absent),
        _ => Err(ReaderError::Failed(status.to_string())),
    }
}

/// The languages it names, but for what are none.
fn languages(said: &str) -> Option<String> {
    let mut known: Vec<&str> = said
        .lines()
        .skip(1)
        .map(str::trim)
        .filter(|one| !one.is_empty() && !["osd", "equ", "snum"].contains(one) && !one.contains('/'))
        .collect();
    // What most screens hold goes first.
    known.sort_by_key(|one| *one != "eng");
    known.truncate(LANGUAGES);
    (!known.is_empty()).then(|| known.join("+"))
}

/// A picture as it is looked at: on white, gray, and large enough.
fn prepared(content: &Content) -> Option<Seen> {
    let mut reader = ImageReader::new(std::io::Cursor::new(content.expose())).with_guessed_format().ok()?;
    reader.limits(bounds());
    let picture = reader.decode().ok()?;
    let of = (picture.width(), picture.height());
    if of.0 == 0 || of.1 == 0 {
        return None;
    }
    let gray = super::other::on_white(&picture).to_luma8();
    drop(picture);
    let longer = of.0.max(of.1);
    let gray = if longer <= TWICE {
        image::imageops::resize(&gray, of.0 * 2, of.1 * 2, FilterType::Triangle)
    } else if longer > MOST {
        DynamicImage::from(gray).resize(MOST, MOST, FilterType::Triangle).to_luma8()
    } else {
        gray
    };
    let size = gray.dimensions();
    let mut pgm = format!("P5\n{} {}\n255\n", size.0, size.1).into_bytes();
    pgm.extend_from_slice(gray.as_raw());
    Some(Seen { pgm, size, of })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_languages_that_are_installed_are_read() {
        let said = "List of available languages in \"/usr/share/tessdata/\" (4):\ndeu\neng\nosd\njpn\n";
        assert_eq!(languages(said).as_deref(), Some("eng+deu+jpn"));
        assert_eq!(languages("List of available languages (1):\nosd\n"), None);
        assert_eq!(languages(""), None);
    }

    #[test]
    fn one_that_was_ended_with_the_session_has_said_nothing_of_the_picture() {
        let by = |signal: Signal| ended(ExitStatus::from_raw(signal.as_raw()));
        for signal in [Signal::TERM, Signal::INT, Signal::HUP] {
            assert_eq!(by(signal), Err(ReaderError::Absent));
        }
        assert!(matches!(by(Signal::KILL), Err(ReaderError::Failed(_))), "it took more than it may");
        assert_eq!(ended(ExitStatus::from_raw(NOT_FOUND << 8)), Err(ReaderError::Absent));
        assert_eq!(ended(ExitStatus::from_raw(0)), Ok(()));
    }

    #[test]
    fn a_picture_is_looked_at_on_white_and_no_larger_than_is_needed() {
        for (side, wanted) in [(100, 200), (1_600, 3_200), (1_601, 1_601), (4_000, 4_000)] {
            let clear = image::RgbaImage::from_pixel(side, 10, image::Rgba([0, 0, 0, 0]));
            let mut out = std::io::Cursor::new(Vec::new());
            clear.write_to(&mut out, image::ImageFormat::Png).unwrap();
            let seen = prepared(&Content::new(out.into_inner())).unwrap();
            assert_eq!((seen.of.0, seen.size.0), (side, wanted));
            assert!(seen.pgm.ends_with(&[255; 9]), "what shines through is white");
        }
        assert!(prepared(&Content::new("no picture")).is_none());
    }
}
