//! Histories of any length, made as a backup that the service restores: many clips over one content.

use std::fs::File;
use std::io::{BufWriter, Seek, Write};
use std::path::Path;

/// Writes a backup of `count` short texts, `clip 0` the oldest, a minute apart, in sittings of forty.
pub fn write_backup(path: &Path, count: usize) -> std::io::Result<()> {
    write_backup_of(path, count, |n| format!("clip {n}"))
}

/// [`write_backup`] with other texts, each of at most 600 characters and without quotes.
pub fn write_backup_of(path: &Path, count: usize, text: impl Fn(usize) -> String) -> std::io::Result<()> {
    let mut archive = tar::Builder::new(BufWriter::new(File::create(path)?));
    let header = |size: u64| {
        let mut header = tar::Header::new_gnu();
        header.set_size(size);
        header.set_mode(0o600);
        header
    };
    let content = b"a sample text of the demo";
    let digest = blake3::hash(content).to_hex().to_string();
    let head = format!(
        "{{\"format\":1,\"made_by\":\"measurement\",\"made_at\":0,\"clips\":{count},\"contents\":1}}"
    );
    archive.append_data(&mut header(head.len() as u64), "yadori-backup.json", head.as_bytes())?;
    archive.append_data(&mut header(content.len() as u64), format!("contents/{digest}"), &content[..])?;
    let device = "0".repeat(31) + "7";
    let mut lines = BufWriter::new(tempfile::tempfile()?);
    // In the order in which a backup of the service has them.
    let mut order: Vec<(String, usize)> = (0..count).map(|n| (id_of(n as u64), n)).collect();
    order.sort_unstable();
    for (id, n) in order {
        let at = 1_700_000_000_000_000_i64 + (n as i64 + (n / 40) as i64 * 60) * 60_000_000;
        let stamp = format!("[{},0,\"{device}\"]", at / 1_000);
        let head = text(n);
        writeln!(
            lines,
            "{{\"id\":\"{id}\",\"state\":{{\"offers\":[{{\"at\":{stamp},\"value\":{{\"representations\":[{{\"mime\":\
             \"text/plain;charset=utf-8\",\"size\":{size},\"digest\":\"{digest}\"}}],\"source\":{{\"program\":\"Writer\"}}}}}}],\
             \"copied_at\":{{\"at\":{stamp},\"value\":{at}}},\"copies\":{{\"{device}\":{{\"ever\":1}}}}}},\"facts\":{{\"class\":\"text\",\
             \"head\":\"{head}\",\"chars\":{chars},\"lines\":1,\"size\":{size},\"formatted\":false}},\"received_at\":{at}}}",
            size = content.len(),
            chars = head.chars().count(),
        )?;
    }
    let mut lines = lines.into_inner()?;
    let size = lines.stream_position()?;
    lines.rewind()?;
    archive.append_data(&mut header(size), "clips.jsonl", lines)?;
    archive.append_data(&mut header(0), "end", &b""[..])?;
    archive.into_inner()?.flush()
}

/// Any id will do, as long as it is one: 26 digits of Crockford's base32, the last one padded with zero bits.
fn id_of(n: u64) -> String {
    const DIGITS: &[u8; 32] = b"0123456789abcdefghjkmnpqrstvwxyz";
    let hash = blake3::hash(&n.to_le_bytes());
    let digit = |byte: &u8| char::from(DIGITS[usize::from(byte % 32)]);
    hash.as_bytes()[..25].iter().map(digit).chain(['0']).collect()
}
