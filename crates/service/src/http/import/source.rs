//! What an import is read from: found out, looked at as a whole, and read with nothing believed that it says of itself.

use std::fs::File;
use std::io::{BufRead, BufReader, Read, Seek};

use yadori_core::text::name::{NAME_CHARS, name_of};
use yadori_core::{COPY_CAP, Content, Digest};
use zip::ZipArchive;

use super::super::export::{CLIPS, DRAWERS, FORMAT, HEAD, Head};
use super::super::record::{
    ClipRecord, DrawerFile, DrawerRecord, ItemRecord, KeptRecord, RepresentationRecord,
};

/// Bytes of one line of records.
const LINE_MOST: u64 = 8 << 20;
/// Bytes of a drawer's file, or of a text, at most.
const FILE_MOST: u64 = 1 << 30;
/// Parts of an archive at most.
const PARTS: usize = 4_000_000;

/// What is to be brought in.
pub(super) enum Source {
    Zip { archive: Box<ZipArchive<File>>, drawers: Vec<DrawerRecord> },
    Records { records: Vec<ClipRecord>, drawers: Vec<DrawerRecord> },
}

/// Finds out what a file is, and looks at it as a whole before anything of it is brought in.
pub(super) fn open(mut file: File, format: Option<&str>, split: &str) -> Result<Source, String> {
    let mut start = [0; 64];
    let length = file.read(&mut start).map_err(|why| why.to_string())?;
    file.rewind().map_err(|why| why.to_string())?;
    let start = String::from_utf8_lossy(&start[..length]).into_owned();
    let guessed = match start.trim_start() {
        start if start.starts_with("PK\u{3}\u{4}") => "zip",
        start if start.starts_with('{') => "drawer",
        start if start.starts_with("copied_at,") => "csv",
        _ => "text",
    };
    match format.unwrap_or(guessed) {
        "zip" => open_zip(file),
        "drawer" => open_drawer(file),
        "csv" => open_csv(file),
        _ => open_text(file, split),
    }
}

fn whole_text(file: File) -> Result<String, String> {
    let mut text = String::new();
    let read = file.take(FILE_MOST + 1).read_to_string(&mut text).map_err(|_| "it is no UTF-8 text")?;
    if read as u64 > FILE_MOST { Err("it is larger than 1 GiB".into()) } else { Ok(text) }
}

fn open_zip(file: File) -> Result<Source, String> {
    let mut archive = ZipArchive::new(file).map_err(|_| "it is no zip archive, or it is cut off")?;
    if archive.len() > PARTS {
        return Err("it has too many parts".into());
    }
    for name in archive.file_names() {
        let fits = [HEAD, DRAWERS, CLIPS].contains(&name) || digest_of(name).is_some();
        if !fits {
            return Err("it holds a part that does not belong there, so it is no export of Yadori's".into());
        }
    }
    let head: Head = json_part(&mut archive, HEAD)?.ok_or("it does not say what it is")?;
    if head.yadori_export > FORMAT {
        return Err(format!("it was made by a newer version ({})", head.made_by));
    }
    let drawers = json_part(&mut archive, DRAWERS)?.unwrap_or_default();
    if archive.index_for_name(CLIPS).is_none() {
        return Err("its list of clips is missing".into());
    }
    Ok(Source::Zip { archive: Box::new(archive), drawers })
}

fn digest_of(name: &str) -> Option<Digest> {
    name.strip_prefix("contents/").and_then(Digest::from_hex)
}

/// A part of an archive, at most so many bytes of it: what it says of its size is not believed.
fn part(archive: &mut ZipArchive<File>, name: &str, most: u64) -> Result<Option<Vec<u8>>, String> {
    let Ok(part) = archive.by_name(name) else { return Ok(None) };
    let mut bytes = Vec::new();
    part.take(most + 1).read_to_end(&mut bytes).map_err(|_| "a part of it is damaged".to_owned())?;
    if bytes.len() as u64 > most {
        return Err("a part of it is larger than it may be".into());
    }
    Ok(Some(bytes))
}

fn json_part<T: serde::de::DeserializeOwned>(
    archive: &mut ZipArchive<File>,
    name: &str,
) -> Result<Option<T>, String> {
    let Some(bytes) = part(archive, name, LINE_MOST)? else { return Ok(None) };
    serde_json::from_slice(&bytes).map(Some).map_err(|_| format!("its part {name} is damaged"))
}

fn open_drawer(file: File) -> Result<Source, String> {
    let text = whole_text(file)?;
    let file: DrawerFile = serde_json::from_str(&text).map_err(|why| {
        format!("it is no drawer's file (line {}); --text brings it in as a plain text", why.line())
    })?;
    if file.yadori_drawer > FORMAT {
        return Err("it was made by a newer version".into());
    }
    name_of(&file.name, NAME_CHARS).map_err(|why| format!("its name can't be used: {why}"))?;
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

fn open_csv(file: File) -> Result<Source, String> {
    let mut csv = csv::ReaderBuilder::new().flexible(true).from_reader(BufReader::new(file));
    let names: Vec<String> = csv
        .headers()
        .map_err(|_| "its first line can't be read")?
        .iter()
        .map(|name| name.trim().to_ascii_lowercase())
        .collect();
    let column = |name: &str| names.iter().position(|one| one == name);
    let Some(text) = column("text") else { return Err("its first line must name a column `text`".into()) };
    let mut records = Vec::new();
    for (n, line) in csv.records().enumerate() {
        let line = line.map_err(|_| format!("record {} can't be read", n + 1))?;
        let get = |name: &str| {
            let value = line.get(column(name)?)?;
            (!value.trim().is_empty()).then(|| value.to_owned())
        };
        let Some(text) = line.get(text).filter(|text| !text.is_empty()) else { continue };
        let mut record = text_record(text.to_owned());
        record.copied_at = get("copied_at");
        record.title = get("title");
        record.source.program = get("program");
        record.source.window = get("window");
        let place = n as u64 + 1;
        record.kept = get("drawer").map(|drawer| KeptRecord { drawer: Some(drawer), place });
        records.push(record);
    }
    Ok(Source::Records { records, drawers: Vec::new() })
}

fn open_text(file: File, split: &str) -> Result<Source, String> {
    let text = whole_text(file)?;
    let text = text.trim_start_matches('\u{feff}');
    let parts: Vec<String> = match split {
        "lines" => text
            .lines()
            .map(str::trim_end)
            .filter(|line| !line.trim().is_empty())
            .map(str::to_owned)
            .collect(),
        "blocks" => {
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
        _ => vec![text.to_owned()],
    };
    if parts.iter().all(String::is_empty) {
        return Err("there is nothing in it".into());
    }
    // The first one becomes the newest, so that they read from the top.
    let records = parts.into_iter().rev().filter(|part| !part.is_empty()).map(text_record).collect();
    Ok(Source::Records { records, drawers: Vec::new() })
}

/// Gives every line of the list of clips, counted on actual bytes.
pub(super) fn each_line(
    archive: &mut ZipArchive<File>,
    mut give: impl FnMut(&[u8]) -> Result<(), String>,
) -> Result<(), String> {
    let part = archive.by_name(CLIPS).map_err(|_| "its list of clips is missing".to_owned())?;
    let mut reader = BufReader::new(part);
    let mut line = Vec::new();
    loop {
        line.clear();
        let read = reader
            .by_ref()
            .take(LINE_MOST + 1)
            .read_until(b'\n', &mut line)
            .map_err(|_| "its list of clips is damaged".to_owned())?;
        if read == 0 {
            return Ok(());
        }
        if read as u64 > LINE_MOST {
            return Err("a line of its list of clips is larger than 8 MiB".into());
        }
        if line.iter().any(|byte| !byte.is_ascii_whitespace()) {
            give(&line)?;
        }
    }
}

pub(super) fn content(archive: &mut ZipArchive<File>, file: &str) -> Result<Content, String> {
    let digest = digest_of(file).ok_or("it names a content outside the archive")?;
    let bytes = part(archive, file, COPY_CAP)?.ok_or("its content is missing")?;
    let content = Content::new(bytes);
    if content.digest() == digest { Ok(content) } else { Err("its content was changed".into()) }
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

    fn texts(bytes: &str, split: &str) -> Vec<String> {
        match open(file(bytes.as_bytes()), None, split) {
            Ok(Source::Records { records, .. }) => {
                records.into_iter().filter_map(|mut one| one.representations.remove(0).text).collect()
            }
            _ => Vec::new(),
        }
    }

    #[test]
    fn a_text_is_parted_as_wished_and_its_first_part_becomes_the_newest() {
        assert_eq!(texts("a\nb\n\nc\n", "whole"), ["a\nb\n\nc\n"]);
        assert_eq!(texts("a\nb\n\nc\n", "lines"), ["c", "b", "a"]);
        assert_eq!(texts("a\nb\n\n\nc\n", "blocks"), ["c", "a\nb"]);
        assert_eq!(texts("copied_at,text\n2026-01-01T00:00:00Z,\"x, \"\"y\"\"\"\n", "whole"), ["x, \"y\""]);
    }

    #[test]
    fn what_is_no_import_says_why() {
        let why = |bytes: &[u8], format: Option<&str>| open(file(bytes), format, "whole").err().unwrap();
        assert!(why(b"PK\x03\x04 cut", None).contains("zip"));
        assert!(why(b"{\"a\":1}", None).contains("line 1"));
        assert!(why(b"a,b\n1,2\n", Some("csv")).contains("`text`"));
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
        let why = |parts: &[(&str, &[u8])]| open(zipped(parts), None, "whole").err().unwrap();
        assert!(why(&[(HEAD, HEAD_JSON), ("../../etc/passwd", b"x")]).contains("does not belong"));
        assert!(why(&[(HEAD, HEAD_JSON), ("contents/../x", b"x")]).contains("does not belong"));
        assert!(why(&[(HEAD, HEAD_JSON)]).contains("missing"));
        assert!(why(&[(CLIPS, b"")]).contains("what it is"));
        let newer = br#"{"yadori_export":9,"made_by":"yadori 9","made_at":"","clips":0}"#;
        assert!(why(&[(HEAD, newer), (CLIPS, b"")]).contains("newer"));
    }

    #[test]
    fn a_bomb_is_counted_on_its_actual_bytes() {
        let bomb = vec![0; usize::try_from(COPY_CAP).unwrap() + 10];
        let name = format!("contents/{}", "0".repeat(64));
        let Ok(Source::Zip { mut archive, .. }) =
            open(zipped(&[(HEAD, HEAD_JSON), (CLIPS, b""), (&name, &bomb)]), None, "whole")
        else {
            panic!("it is an archive")
        };
        assert!(content(&mut archive, &name).unwrap_err().contains("larger"));
        let line = vec![b'x'; usize::try_from(LINE_MOST).unwrap() + 10];
        let Ok(Source::Zip { mut archive, .. }) =
            open(zipped(&[(HEAD, HEAD_JSON), (CLIPS, &line)]), None, "whole")
        else {
            panic!("it is an archive")
        };
        assert!(each_line(&mut archive, |_| Ok(())).unwrap_err().contains("8 MiB"));
        assert!(content(&mut archive, "/etc/passwd").unwrap_err().contains("outside"));
    }
}
