//! What an import is read from: found out, looked at as a whole, and read with nothing believed that it says of itself.

use std::fs::File;
use std::io::{self, BufRead, BufReader, Read, Seek};
use std::os::fd::AsRawFd;

use yadori_core::clip::facts::uri_of;
use yadori_core::text::encoding::decoded;
use yadori_core::text::name::{NAME_CHARS, NameError, name_of};
use yadori_core::{COPY_CAP, Color, Content, Digest, Kind, Source as CameFrom};
use zip::ZipArchive;

use crate::transfer::export::{DRAWER_FORMAT, DRAWERS, END, End, FORMAT, HEAD, Head, OLD_CLIPS};
use crate::transfer::format::{Format, Split};
use crate::transfer::parts::is_portion;
use crate::transfer::record::{
    ClipRecord, DrawerFile, DrawerRecord, ItemRecord, KeptRecord, RecordError, RepresentationRecord,
};

/// Bytes of one line of records.
const LINE_MOST: u64 = 8 << 20;
/// Bytes of another part at most.
const PART_MOST: u64 = 64 << 20;
/// Bytes of a drawer's file, or of a text, at most.
const FILE_MOST: u64 = 1 << 30;
/// Parts of an archive at most.
const PARTS: usize = 4_000_000;

/// Why a file can't be brought in at all.
#[derive(Debug, thiserror::Error)]
pub enum SourceError {
    /// The file itself.
    #[error("it could not be read ({0})")]
    Unreadable(#[from] io::Error),
    /// Not a text.
    #[error(
        "it is no text in UTF-8 or UTF-16; convert one in another encoding, as with `iconv -f LATIN1 -t UTF-8`"
    )]
    NoText,
    /// A backup, or another archive of that kind.
    #[error("it is a tar archive; `yadori restore` brings a backup back into an empty home")]
    Tar,
    /// A text that is too large.
    #[error("it is larger than 1 GiB")]
    TooLarge,
    /// Not a zip archive.
    #[error("it is no zip archive, or it is cut off")]
    NoArchive,
    /// Too many parts.
    #[error("it has too many parts")]
    TooManyParts,
    /// An archive of something else.
    #[error("it holds a part that does not belong there, so it is no export of Yadori's")]
    Foreign,
    /// No head.
    #[error("it does not say what it is")]
    NoHead,
    /// By a later version.
    #[error("it was made by a newer version ({0})")]
    Newer(String),
    /// No clips.
    #[error("its list of clips is missing")]
    NoList,
    /// No end, or one that counts something else.
    #[error("it is not whole: it was cut off, or a part of it is missing")]
    NotWhole,
    /// A part that can't be unpacked.
    #[error("a part of it is damaged")]
    DamagedPart,
    /// A part that is not JSON.
    #[error("its part {0} is damaged")]
    DamagedJson(&'static str),
    /// A part that is larger than it may be.
    #[error("a part of it is larger than it may be")]
    LargePart,
    /// A line that is larger than it may be.
    #[error("a line of its list of clips is larger than 8 MiB")]
    LargeLine,
    /// Not a drawer's file.
    #[error("it is no drawer's file (line {0}); --text brings it in as a plain text")]
    NoDrawer(usize),
    /// A drawer whose name can't be one.
    #[error("its name can't be used: {0}")]
    Name(NameError),
    /// A table without a head.
    #[error("its first line can't be read")]
    NoColumns,
    /// A table without texts.
    #[error("its first line must name a column `text`")]
    NoTextColumn,
    /// A line of a table.
    #[error("record {0} can't be read")]
    Record(usize),
    /// Nothing at all.
    #[error("there is nothing in it")]
    Empty,
}

/// An archive, opened twice: its list is read while contents are fetched from elsewhere in it.
pub(super) struct Archive {
    list: ZipArchive<File>,
    contents: ZipArchive<File>,
    lists: Vec<String>,
}

/// What is to be brought in.
pub(super) enum Source {
    Zip { archive: Box<Archive>, drawers: Vec<DrawerRecord> },
    Records { records: Vec<ClipRecord>, drawers: Vec<DrawerRecord> },
}

/// Finds out what a file is, and looks at it as a whole before anything of it is brought in.
pub(super) fn open(mut file: File, format: Option<Format>, split: Split) -> Result<Source, SourceError> {
    let mut start = [0; 64];
    let length = file.read(&mut start)?;
    file.rewind()?;
    let start = String::from_utf8_lossy(&start[..length]).into_owned();
    let guessed = match start.trim_start() {
        start if start.starts_with("PK\u{3}\u{4}") => Format::Zip,
        start if start.starts_with('{') => Format::Drawer,
        start if start.starts_with("copied_at,") => Format::Csv,
        _ => Format::Text,
    };
    match format.unwrap_or(guessed) {
        Format::Zip => open_zip(file),
        Format::Drawer => open_drawer(file),
        Format::Csv => open_csv(file),
        Format::Text => open_text(file, split),
    }
}

fn whole_text(file: File) -> Result<String, SourceError> {
    let mut bytes = Vec::new();
    file.take(FILE_MOST + 1).read_to_end(&mut bytes)?;
    // A tar archive says so after the head of its first part (POSIX.1-2017, ustar).
    match bytes.get(257..262) {
        _ if bytes.len() as u64 > FILE_MOST => return Err(SourceError::TooLarge),
        Some(b"ustar") => return Err(SourceError::Tar),
        _ => {}
    }
    decoded(bytes).filter(|text| !text.contains('\0')).ok_or(SourceError::NoText)
}

fn open_zip(file: File) -> Result<Source, SourceError> {
    // A second opening of the same file, with a place of its own (proc(5), /proc/PID/fd).
    let again = File::open(format!("/proc/self/fd/{}", file.as_raw_fd()))?;
    let mut list = ZipArchive::new(file).map_err(|_| SourceError::NoArchive)?;
    let contents = ZipArchive::new(again).map_err(|_| SourceError::NoArchive)?;
    if list.len() > PARTS {
        return Err(SourceError::TooManyParts);
    }
    let mut lists = Vec::new();
    for name in list.file_names() {
        if name == OLD_CLIPS || is_portion(name) {
            lists.push(name.to_owned());
        } else if ![HEAD, DRAWERS, END].contains(&name) && digest_of(name).is_none() {
            return Err(SourceError::Foreign);
        }
    }
    lists.sort_unstable();
    let head: Head = json_part(&mut list, HEAD)?.ok_or(SourceError::NoHead)?;
    if head.yadori_export > FORMAT {
        return Err(SourceError::Newer(head.made_by));
    }
    let drawers = json_part(&mut list, DRAWERS)?.unwrap_or_default();
    if head.yadori_export == 1 && lists.is_empty() {
        return Err(SourceError::NoList);
    }
    let end: Option<End> = json_part(&mut list, END)?;
    let mut archive = Archive { list, contents, lists };
    if head.yadori_export > 1 {
        let mut count = 0;
        archive.each_line(|_| {
            count += 1;
            Ok(())
        })?;
        if end.is_none_or(|end| end.clips != count) {
            return Err(SourceError::NotWhole);
        }
    }
    Ok(Source::Zip { archive: Box::new(archive), drawers })
}

fn digest_of(name: &str) -> Option<Digest> {
    name.strip_prefix("contents/").and_then(Digest::from_hex)
}

/// A part of an archive, at most so many bytes of it: what it says of its size is not believed.
fn part(archive: &mut ZipArchive<File>, name: &str, most: u64) -> Result<Option<Vec<u8>>, SourceError> {
    let Ok(part) = archive.by_name(name) else { return Ok(None) };
    let mut bytes = Vec::new();
    part.take(most + 1).read_to_end(&mut bytes).map_err(|_| SourceError::DamagedPart)?;
    if bytes.len() as u64 > most { Err(SourceError::LargePart) } else { Ok(Some(bytes)) }
}

fn json_part<T: serde::de::DeserializeOwned>(
    archive: &mut ZipArchive<File>,
    name: &'static str,
) -> Result<Option<T>, SourceError> {
    let Some(bytes) = part(archive, name, PART_MOST)? else { return Ok(None) };
    serde_json::from_slice(&bytes).map(Some).map_err(|_| SourceError::DamagedJson(name))
}

fn open_drawer(file: File) -> Result<Source, SourceError> {
    let text = whole_text(file)?;
    let file: DrawerFile = serde_json::from_str(&text).map_err(|why| SourceError::NoDrawer(why.line()))?;
    if file.yadori_drawer > DRAWER_FORMAT {
        return Err(SourceError::Newer("a later Yadori".into()));
    }
    name_of(&file.name, NAME_CHARS).map_err(SourceError::Name)?;
    let mut drawer =
        DrawerRecord { name: file.name.clone(), color: file.color, group: file.group, dividers: Vec::new() };
    let mut records = Vec::new();
    for (n, item) in file.items.into_iter().enumerate() {
        let place = n as u64 + 1;
        match item {
            ItemRecord::Divider(name) => drawer.dividers.push((place, name)),
            ItemRecord::Clip(mut record) => {
                record.kept = Some(KeptRecord { drawer: Some(file.name.clone()), place });
                records.push(*record);
            }
        }
    }
    Ok(Source::Records { records, drawers: vec![drawer] })
}

fn text_record(text: String) -> ClipRecord {
    let one = RepresentationRecord {
        mime: yadori_core::clip::mime::PLAIN.into(),
        text: Some(text),
        ..RepresentationRecord::default()
    };
    ClipRecord { representations: vec![one], ..ClipRecord::default() }
}

fn color_called(name: &str) -> Option<Color> {
    Color::ALL.into_iter().find(|color| color.word() == name)
}

/// Copied files by their paths, a line each.
fn files_record(paths: &str) -> ClipRecord {
    let uris: Vec<String> = paths.lines().filter(|path| !path.trim().is_empty()).map(uri_of).collect();
    let mut record = text_record(uris.join("\r\n") + "\r\n");
    record.representations[0].mime = "text/uri-list".into();
    record
}

fn open_csv(file: File) -> Result<Source, SourceError> {
    let mut csv = csv::ReaderBuilder::new().flexible(true).from_reader(BufReader::new(file));
    let names: Vec<String> = csv
        .headers()
        .map_err(|_| SourceError::NoColumns)?
        .iter()
        .map(|name| name.trim().to_ascii_lowercase())
        .collect();
    let column = |name: &str| names.iter().position(|one| one == name);
    let Some(text) = column("text") else { return Err(SourceError::NoTextColumn) };
    let mut records = Vec::new();
    for (n, line) in csv.records().enumerate() {
        let line = line.map_err(|_| SourceError::Record(n + 1))?;
        let get = |name: &str| {
            let value = line.get(column(name)?)?;
            (!value.trim().is_empty()).then(|| value.to_owned())
        };
        let Some(text) = line.get(text).filter(|text| !text.is_empty()) else { continue };
        let files = get("kind").is_some_and(|kind| kind == Kind::Files.word());
        let mut record = if files { files_record(text) } else { text_record(text.to_owned()) };
        record.copied_at = get("copied_at");
        record.title = get("title");
        record.color = get("color").and_then(|color| color_called(color.trim()));
        record.copies = get("copies").and_then(|copies| copies.trim().parse().ok());
        let (program, window, page) = (get("program"), get("window"), get("page"));
        record.source = CameFrom { program, window, page };
        let (place, drawer) = (get("place").and_then(|place| place.trim().parse().ok()), get("drawer"));
        // A place outside drawers is one among the favorites.
        record.kept = (place.is_some() || drawer.is_some())
            .then(|| KeptRecord { drawer, place: place.unwrap_or(n as u64 + 1) });
        records.push(record);
    }
    Ok(Source::Records { records, drawers: Vec::new() })
}

fn open_text(file: File, split: Split) -> Result<Source, SourceError> {
    let text = whole_text(file)?;
    let parts: Vec<String> = match split {
        Split::Lines => text
            .lines()
            .map(str::trim_end)
            .filter(|line| !line.trim().is_empty())
            .map(str::to_owned)
            .collect(),
        Split::Blocks => {
            let mut blocks = vec![String::new()];
            for line in text.lines() {
                match (line.trim().is_empty(), blocks.last_mut()) {
                    (true, Some(last)) if !last.is_empty() => blocks.push(String::new()),
                    (false, Some(last)) if last.is_empty() => last.push_str(line),
                    (false, Some(last)) => {
                        last.push('\n');
                        last.push_str(line);
                    }
                    _ => {}
                }
            }
            blocks.into_iter().filter(|block| !block.is_empty()).collect()
        }
        Split::Whole => vec![text],
    };
    if parts.iter().all(String::is_empty) {
        return Err(SourceError::Empty);
    }
    // The first one becomes the newest, so that they read from the top.
    let records = parts.into_iter().rev().filter(|part| !part.is_empty()).map(text_record).collect();
    Ok(Source::Records { records, drawers: Vec::new() })
}

impl Archive {
    /// Gives every line of the list of clips, counted on actual bytes.
    pub(super) fn each_line(
        &mut self,
        mut give: impl FnMut(&[u8]) -> Result<(), SourceError>,
    ) -> Result<(), SourceError> {
        self.each_line_with(|line, _| give(line))
    }

    /// Gives every line of the list of clips, with the contents that stand beside it.
    pub(super) fn each_line_with<E: From<SourceError>>(
        &mut self,
        mut give: impl FnMut(&[u8], &mut Contents<'_>) -> Result<(), E>,
    ) -> Result<(), E> {
        for name in &self.lists {
            let part = self.list.by_name(name).map_err(|_| SourceError::NoList)?;
            let mut reader = BufReader::new(part);
            let mut line = Vec::new();
            loop {
                line.clear();
                let read = reader
                    .by_ref()
                    .take(LINE_MOST + 1)
                    .read_until(b'\n', &mut line)
                    .map_err(|_| SourceError::DamagedPart)?;
                if read == 0 {
                    break;
                }
                if read as u64 > LINE_MOST {
                    return Err(SourceError::LargeLine.into());
                }
                if line.iter().any(|byte| !byte.is_ascii_whitespace()) {
                    give(&line, &mut Contents(&mut self.contents))?;
                }
            }
        }
        Ok(())
    }
}

/// The contents in an archive.
pub(super) struct Contents<'a>(&'a mut ZipArchive<File>);

impl Contents<'_> {
    /// One of them, compared with its digest.
    pub(super) fn get(&mut self, file: &str) -> Result<Content, RecordError> {
        let digest = digest_of(file).ok_or(RecordError::Outside)?;
        let bytes = part(self.0, file, COPY_CAP).map_err(|why| match why {
            SourceError::LargePart => RecordError::TooLarge,
            _ => RecordError::Changed,
        })?;
        let content = Content::new(bytes.ok_or(RecordError::Missing)?);
        if content.digest() == digest { Ok(content) } else { Err(RecordError::Changed) }
    }
}

#[cfg(test)]
mod tests {
    use std::io::Write;

    use super::*;

    fn file(bytes: &[u8]) -> File {
        let mut file = tempfile::tempfile().unwrap();
        file.write_all(bytes).unwrap();
        file.rewind().unwrap();
        file
    }

    fn texts(bytes: &str, split: Split) -> Vec<String> {
        match open(file(bytes.as_bytes()), None, split) {
            Ok(Source::Records { records, .. }) => {
                records.into_iter().filter_map(|mut one| one.representations.remove(0).text).collect()
            }
            _ => Vec::new(),
        }
    }

    #[test]
    fn a_text_is_parted_as_wished_and_its_first_part_becomes_the_newest() {
        assert_eq!(texts("a\nb\n\nc\n", Split::Whole), ["a\nb\n\nc\n"]);
        assert_eq!(texts("a\nb\n\nc\n", Split::Lines), ["c", "b", "a"]);
        assert_eq!(texts("a\nb\n\n\nc\n", Split::Blocks), ["c", "a\nb"]);
        assert_eq!(
            texts("copied_at,text\n2026-01-01T00:00:00Z,\"x, \"\"y\"\"\"\n", Split::Whole),
            ["x, \"y\""]
        );
    }

    #[test]
    fn what_is_no_import_says_why() {
        let why = |bytes: &[u8], format| open(file(bytes), format, Split::Whole).err().unwrap().to_string();
        assert!(why(b"PK\x03\x04 cut", None).contains("zip"));
        assert!(why(b"{\"a\":1}", None).contains("line 1"));
        assert!(why(b"a,b\n1,2\n", Some(Format::Csv)).contains("`text`"));
        assert!(why(b"\xff\xfe\x00", None).contains("UTF-8"));
        assert!(why(b"", None).contains("nothing"));
    }

    fn zipped(parts: &[(&str, &[u8])]) -> File {
        let mut zip = zip::ZipWriter::new(tempfile::tempfile().unwrap());
        for (name, bytes) in parts {
            zip.start_file(*name, zip::write::SimpleFileOptions::default()).unwrap();
            zip.write_all(bytes).unwrap();
        }
        let mut file = zip.finish().unwrap();
        file.rewind().unwrap();
        file
    }

    const HEAD_JSON: &[u8] = br#"{"yadori_export":1,"made_by":"x","made_at":"","clips":0}"#;

    #[test]
    fn an_archive_with_parts_from_elsewhere_or_from_later_is_refused() {
        let why =
            |parts: &[(&str, &[u8])]| open(zipped(parts), None, Split::Whole).err().unwrap().to_string();
        assert!(why(&[(HEAD, HEAD_JSON), ("../../etc/passwd", b"x")]).contains("does not belong"));
        assert!(why(&[(HEAD, HEAD_JSON), ("contents/../x", b"x")]).contains("does not belong"));
        assert!(why(&[(HEAD, HEAD_JSON)]).contains("missing"));
        assert!(why(&[(OLD_CLIPS, b"")]).contains("what it is"));
        let newer = br#"{"yadori_export":9,"made_by":"yadori 9","made_at":"","clips":0}"#;
        assert!(why(&[(HEAD, newer), (OLD_CLIPS, b"")]).contains("newer"));
    }

    #[test]
    fn an_export_without_its_end_is_not_whole() {
        let head = br#"{"yadori_export":2,"made_by":"x","made_at":"","clips":1}"#;
        let why = |parts: &[(&str, &[u8])]| {
            open(zipped(parts), None, Split::Whole).err().map(|why| why.to_string())
        };
        let line = ("clips/000001.jsonl", &b"{}\n"[..]);
        assert!(why(&[(HEAD, head), line]).unwrap().contains("not whole"));
        assert!(
            why(&[(HEAD, head), line, (END, br#"{"clips":2,"left_out":[]}"#)]).unwrap().contains("not whole")
        );
        assert_eq!(why(&[(HEAD, head), line, (END, br#"{"clips":1,"left_out":[]}"#)]), None);
    }

    #[test]
    fn a_bomb_is_counted_on_its_actual_bytes() {
        let bomb = vec![0; usize::try_from(COPY_CAP).unwrap() + 10];
        let name = format!("contents/{}", "0".repeat(64));
        let Ok(Source::Zip { mut archive, .. }) =
            open(zipped(&[(HEAD, HEAD_JSON), (OLD_CLIPS, b""), (&name, &bomb)]), None, Split::Whole)
        else {
            panic!("it is an archive")
        };
        assert_eq!(Contents(&mut archive.contents).get(&name), Err(RecordError::TooLarge));
        let line = vec![b'x'; usize::try_from(LINE_MOST).unwrap() + 10];
        let Ok(Source::Zip { mut archive, .. }) =
            open(zipped(&[(HEAD, HEAD_JSON), (OLD_CLIPS, &line)]), None, Split::Whole)
        else {
            panic!("it is an archive")
        };
        assert!(archive.each_line(|_| Ok(())).unwrap_err().to_string().contains("8 MiB"));
        assert_eq!(Contents(&mut archive.contents).get("/etc/passwd"), Err(RecordError::Outside));
    }
}
