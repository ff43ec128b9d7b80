//! Looking for traces of words: in the whole memory of a process, and in every file below a directory.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::{Path, PathBuf};

use memchr::memmem::Finder;

/// Bytes read at once.
const PORTION: usize = 4 << 20;

/// Where a process holds a word: the names of its mappings, as /proc/PID/maps calls them (proc(5)).
///
/// # Panics
/// When the memory may not be read.
pub fn in_memory(pid: u32, word: &str) -> Vec<String> {
    let maps = std::fs::read_to_string(format!("/proc/{pid}/maps")).expect("the maps of a process");
    let mut memory = File::open(format!("/proc/{pid}/mem")).expect("the memory of a process");
    let finder = Finder::new(word.as_bytes());
    let mut found = Vec::new();
    for line in maps.lines().filter(|line| line.split(' ').nth(1).is_some_and(|mode| mode.starts_with('r'))) {
        let Some((from, to)) = line.split(' ').next().and_then(|range| range.split_once('-')) else {
            continue;
        };
        let (Ok(from), Ok(to)) = (u64::from_str_radix(from, 16), u64::from_str_radix(to, 16)) else {
            continue;
        };
        let mut at = from;
        while at < to {
            let length = usize::try_from(to - at).unwrap_or(PORTION).min(PORTION);
            let mut bytes = vec![0; length];
            if memory.seek(SeekFrom::Start(at)).is_err() || memory.read_exact(&mut bytes).is_err() {
                break;
            }
            if let Some(hit) = finder.find(&bytes) {
                let around = &bytes[hit.saturating_sub(60)..(hit + 60).min(bytes.len())];
                found.push(format!("{line}: {:?}", String::from_utf8_lossy(around)));
                break;
            }
            // Words may lie across two portions.
            at += (length - word.len().min(length - 1)) as u64;
        }
    }
    found
}

/// The files below a directory that hold a word.
pub fn in_files(directory: &Path, word: impl AsRef<[u8]> + Copy) -> Vec<PathBuf> {
    let mut found = Vec::new();
    let Ok(entries) = std::fs::read_dir(directory) else { return found };
    for path in entries.flatten().map(|entry| entry.path()) {
        let Ok(about) = path.symlink_metadata() else { continue };
        if about.is_dir() {
            found.extend(in_files(&path, word));
        } else if about.is_file() && std::fs::read(&path).is_ok_and(|bytes| holds(&bytes, word)) {
            found.push(path);
        }
    }
    found
}

fn holds(bytes: &[u8], word: impl AsRef<[u8]>) -> bool {
    memchr::memmem::find(bytes, word.as_ref()).is_some()
}
