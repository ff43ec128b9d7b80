//! Restoring: a backup is received in bounded steps beside the history and becomes it in one. What is not whole leaves
//! nothing.

use std::collections::HashSet;
use std::io::{self, Read};

use tokio::runtime::Handle;
use yadori_core::history::all::History;
use yadori_core::search::Corpus;
use yadori_core::{Batch, COPY_CAP, Content, Digest, Drawer, DrawerState, StoredClip};
use yadori_store::{CommitError, Store};

use crate::records::room::Disk;
use crate::state::clips::fill_search;
use crate::transfer::backup::{BATCHES, DRAWERS, END, End, FORMAT, HEAD, Head, WholeBatch, digest_part};
use crate::transfer::parts::is_portion;

/// A list of clips of the first two versions, at most.
const OLD_LIST: u64 = 4 << 30;
/// A portion of the list of clips, at most.
const PORTION: u64 = 64 << 20;
/// Clips, and small contents, that are received in one step.
const AT_ONCE: usize = 500;
/// Contents up to this size are staged together, and their bytes in one step.
const SMALL: usize = 64 << 10;
const SMALL_BYTES: usize = 4 << 20;

/// Why a backup is not restored. Nothing of it is shown then.
#[derive(Debug, thiserror::Error)]
pub enum RestoreError {
    /// It breaks off.
    #[error("it can't be read to its end ({0})")]
    Unreadable(#[from] io::Error),
    /// It ends where it should go on.
    #[error("it ends too early")]
    CutOff,
    /// It is something else.
    #[error("it is no backup of Yadori")]
    NoBackup,
    /// By a later version.
    #[error("it was made by a newer version ({0})")]
    Newer(String),
    /// Larger than any clip.
    #[error("a part of it is larger than any clip")]
    TooLarge,
    /// Not what was written.
    #[error("{0} was changed")]
    Changed(&'static str),
    /// Not readable.
    #[error("its list of {0} is damaged")]
    List(&'static str),
    /// A part that no backup has.
    #[error("it holds a part that does not belong there")]
    Foreign,
    /// What a clip needs, or its end counts, is not in it.
    #[error("a part of it is missing")]
    Incomplete,
    /// The records.
    #[error("{0}")]
    Records(#[from] CommitError),
}

/// A backup that was received whole.
#[derive(Debug)]
pub struct Received {
    /// Its clips and drawers.
    pub history: History,
    /// Their texts.
    pub corpus: Corpus,
    /// Its drawers.
    pub drawers: Vec<Drawer>,
    /// Clips whose texts are longer than their facts tell.
    pub long: Vec<yadori_core::ClipId>,
    /// Bytes of contents.
    pub bytes: u64,
}

/// Where a backup is received.
pub struct Receiver<'r> {
    /// The records.
    pub store: &'r Store,
    /// Their disk.
    pub disk: &'r Disk,
    /// The runtime, for whoever reads on a thread of its own.
    pub handle: &'r Handle,
}

/// What was read so far.
struct Reading {
    head: Option<Head>,
    staged: HashSet<Digest>,
    /// Small contents that are staged together.
    small: Vec<(Digest, Content)>,
    small_bytes: usize,
    clips: Vec<StoredClip>,
    count: u64,
    history: History,
    drawers: Vec<Drawer>,
    batches: u64,
    end: Option<Option<End>>,
    hasher: blake3::Hasher,
    bytes: u64,
}

impl Receiver<'_> {
    /// Receives a backup. `blank` is an empty history and search.
    ///
    /// # Errors
    /// What was received is to be let go of by [`Store::drop_received`].
    pub fn receive(&self, from: impl Read, blank: (History, Corpus)) -> Result<Received, RestoreError> {
        let (history, mut corpus) = blank;
        let mut reading = Reading {
            head: None,
            staged: HashSet::new(),
            small: Vec::new(),
            small_bytes: 0,
            clips: Vec::new(),
            count: 0,
            history,
            drawers: Vec::new(),
            batches: 0,
            end: None,
            hasher: blake3::Hasher::new(),
            bytes: 0,
        };
        let mut archive = tar::Archive::new(from);
        for entry in archive.entries()? {
            let mut entry = entry?;
            let name = entry.path()?.to_string_lossy().into_owned();
            let most = match name.as_str() {
                "clips.jsonl" | DRAWERS | BATCHES => OLD_LIST,
                name if is_portion(name) => PORTION,
                _ => COPY_CAP,
            };
            if entry.size() > most {
                return Err(RestoreError::TooLarge);
            }
            let mut bytes = Vec::new();
            entry.by_ref().take(most + 1).read_to_end(&mut bytes)?;
            if bytes.len() as u64 != entry.size() {
                return Err(RestoreError::CutOff);
            }
            self.part(&mut reading, &name, bytes)?;
        }
        self.keep_clips(&mut reading)?;
        check_whole(&reading)?;
        for drawer in &reading.drawers {
            reading.history.drawers_mut().put(drawer.clone());
        }
        reading.history.put_in_order();
        let long = fill_search(&reading.history, &mut corpus);
        let Reading { history, drawers, bytes, .. } = reading;
        Ok(Received { history, corpus, drawers, long, bytes })
    }

    fn part(&self, reading: &mut Reading, name: &str, bytes: Vec<u8>) -> Result<(), RestoreError> {
        if name != END {
            digest_part(&mut reading.hasher, name, &bytes);
        }
        match name {
            HEAD => {
                let head: Head = serde_json::from_slice(&bytes).map_err(|_| RestoreError::NoBackup)?;
                if head.format > FORMAT {
                    return Err(RestoreError::Newer(head.made_by));
                }
                reading.head = Some(head);
            }
            _ if reading.head.is_none() => return Err(RestoreError::NoBackup),
            name if name == "clips.jsonl" || is_portion(name) => {
                let lines = bytes.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
                for line in lines {
                    let mut clip: StoredClip =
                        serde_json::from_slice(line).map_err(|_| RestoreError::List("clips"))?;
                    if name == "clips.jsonl" {
                        // Of an earlier version: by the earlier of copying and receiving.
                        let copied_at = clip.state.copied_at();
                        clip.ordered_at = copied_at.map_or(clip.ordered_at, |at| at.min(clip.ordered_at));
                    }
                    if clip.digests().any(|digest| !reading.staged.contains(&digest)) {
                        return Err(RestoreError::Incomplete);
                    }
                    reading.count += 1;
                    reading.clips.push(clip);
                    if reading.clips.len() >= AT_ONCE {
                        self.keep_clips(reading)?;
                    }
                }
            }
            DRAWERS => {
                let lines = bytes.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
                let read: Result<Vec<(String, DrawerState)>, _> = lines.map(serde_json::from_slice).collect();
                let read = read.map_err(|_| RestoreError::List("drawers"))?;
                reading.drawers = read.into_iter().map(|(id, state)| Drawer { id, state }).collect();
            }
            BATCHES => {
                let lines = bytes.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
                for line in lines {
                    let (id, state, used_at, next, items): WholeBatch =
                        serde_json::from_slice(line).map_err(|_| RestoreError::List("batches"))?;
                    let batch = Batch { id, state, used_at, next: next.min(items.len()), items };
                    if batch.digests().iter().any(|digest| !reading.staged.contains(digest)) {
                        return Err(RestoreError::Incomplete);
                    }
                    reading.batches += 1;
                    reading.history.batches_mut().put(id, Some(batch));
                }
            }
            "end" => reading.end = Some(None),
            END => {
                let end = serde_json::from_slice(&bytes).map_err(|_| RestoreError::List("counts"))?;
                reading.end = Some(Some(end));
            }
            name => {
                let digest = name.strip_prefix("contents/").and_then(Digest::from_hex);
                let digest = digest.ok_or(RestoreError::Foreign)?;
                let content = Content::new(bytes);
                if content.digest() != digest {
                    return Err(RestoreError::Changed("a content in it"));
                }
                if !reading.staged.insert(digest) {
                    return Ok(());
                }
                reading.bytes += content.len() as u64;
                if content.is_empty() || content.len() > SMALL {
                    self.handle.block_on(self.disk.stage_one(self.store, digest, &content))?;
                    return Ok(());
                }
                reading.small_bytes += content.len();
                reading.small.push((digest, content));
                if reading.small.len() >= AT_ONCE || reading.small_bytes >= SMALL_BYTES {
                    self.stage_small(reading)?;
                }
            }
        }
        Ok(())
    }

    fn stage_small(&self, reading: &mut Reading) -> Result<(), RestoreError> {
        if reading.small.is_empty() {
            return Ok(());
        }
        self.handle.block_on(self.disk.stage_small(self.store, &reading.small))?;
        reading.small.clear();
        reading.small_bytes = 0;
        Ok(())
    }

    fn keep_clips(&self, reading: &mut Reading) -> Result<(), RestoreError> {
        self.stage_small(reading)?;
        let clips = std::mem::take(&mut reading.clips);
        if !clips.is_empty() {
            self.handle.block_on(self.store.receive(&clips))?;
            reading.history.add(clips);
        }
        Ok(())
    }
}

fn check_whole(reading: &Reading) -> Result<(), RestoreError> {
    let (Some(head), Some(end)) = (&reading.head, &reading.end) else { return Err(RestoreError::CutOff) };
    match end {
        Some(end) => {
            if end.digest != reading.hasher.finalize().to_hex().as_str() {
                return Err(RestoreError::Changed("something in it"));
            }
            let counts = (end.clips, end.contents, end.drawers, end.batches);
            let (staged, drawers) = (reading.staged.len() as u64, reading.drawers.len() as u64);
            let read = (reading.count, staged, drawers, reading.batches);
            if counts != read {
                return Err(RestoreError::Incomplete);
            }
        }
        // The first two versions say how many clips there are at the beginning.
        None if head.format < 3 && head.clips == Some(reading.count) => {}
        None => return Err(RestoreError::Incomplete),
    }
    Ok(())
}
