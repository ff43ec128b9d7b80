//! Backups: a tar archive with `yadori-backup.json` (what it is), `contents/DIGEST` for every content,
//! `clips/NNNNNN.jsonl`, `drawers.jsonl`, `batches.jsonl`, and `end.json`, which is written last, by a backup that is whole.

use std::collections::HashSet;
use std::io::{self, Write};
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use tokio::runtime::Handle;
use yadori_api::LeftOut;
use yadori_core::batch::{BatchState, Item};
use yadori_core::{BatchId, Digest, StoredClip};
use yadori_store::Snapshot;

use crate::state::clock::now;
use crate::transfer::outgoing::{Content, Outgoing};
use crate::transfer::parts::{Portions, portion_name};

pub(super) const HEAD: &str = "yadori-backup.json";
pub(super) const DRAWERS: &str = "drawers.jsonl";
pub(super) const BATCHES: &str = "batches.jsonl";
pub(super) const END: &str = "end.json";
/// The version of this format. The first one had no drawers, the second no portions and an empty `end`, the third no batches.
pub(super) const FORMAT: u32 = 4;
/// Clips read at once.
const PAGE: u32 = 1_000;

/// A batch: its id, what is said of it, when it was taken in hand, how many of its items were handed out, and they.
pub(super) type WholeBatch = (BatchId, BatchState, i64, usize, Vec<Arc<Item>>);

/// What a backup is.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Head {
    pub(super) format: u32,
    pub(super) made_by: String,
    pub(super) made_at: i64,
    #[serde(default)]
    pub(super) clips: Option<u64>,
    #[serde(default)]
    pub(super) contents: Option<u64>,
}

/// How a backup ended.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct End {
    pub(super) clips: u64,
    pub(super) contents: u64,
    pub(super) drawers: u64,
    #[serde(default)]
    pub(super) batches: u64,
    pub(super) left_out: Vec<LeftOut>,
    /// BLAKE3 over every part before it: its name, a NUL, its bytes.
    pub(super) digest: String,
}

/// Parts of an archive, and the digest of what was written so far.
struct Archive {
    builder: tar::Builder<Outgoing>,
    hasher: blake3::Hasher,
}

impl Archive {
    fn append(&mut self, name: &str, bytes: &[u8]) -> io::Result<()> {
        digest_part(&mut self.hasher, name, bytes);
        let mut header = tar::Header::new_gnu();
        header.set_size(bytes.len() as u64);
        header.set_mode(0o600);
        header.set_mtime(u64::try_from(now() / 1_000_000).unwrap_or(0));
        self.builder.append_data(&mut header, name, bytes)
    }
}

/// Adds a part to the digest of an archive.
pub(super) fn digest_part(hasher: &mut blake3::Hasher, name: &str, bytes: &[u8]) {
    hasher.update(name.as_bytes()).update(b"\0").update(bytes);
}

/// Writes a backup of everything as of one moment. A clip that can't be read is named, and the rest is written.
///
/// # Errors
/// The answer is broken off then.
pub fn write(out: Outgoing, mut snapshot: Snapshot, handle: &Handle) -> io::Result<(Outgoing, Content)> {
    let closer = out.closer();
    let mut archive = Archive { builder: tar::Builder::new(out), hasher: blake3::Hasher::new() };
    match write_parts(&mut archive, &mut snapshot, handle) {
        Ok(content) => {
            handle.block_on(snapshot.close());
            Ok((archive.builder.into_inner()?, content))
        }
        Err(why) => {
            // The builder writes an end when it is dropped.
            closer.close();
            Err(why)
        }
    }
}

fn write_parts(archive: &mut Archive, snapshot: &mut Snapshot, handle: &Handle) -> io::Result<Content> {
    let (clips, contents) = handle.block_on(snapshot.counts()).map_err(io::Error::other)?;
    let head = Head {
        format: FORMAT,
        made_by: format!("yadori {}", env!("CARGO_PKG_VERSION")),
        made_at: now(),
        clips: Some(clips),
        contents: Some(contents),
    };
    archive.append(HEAD, &serde_json::to_vec(&head)?)?;
    let mut end =
        End { clips: 0, contents: 0, drawers: 0, batches: 0, left_out: Vec::new(), digest: String::new() };
    let mut damaged: HashSet<Digest> = HashSet::new();
    let mut after = None;
    loop {
        let read = handle.block_on(snapshot.contents_after(after)).map_err(io::Error::other)?;
        let Some((last, _)) = read.last() else { break };
        after = Some(*last);
        for (digest, content) in read {
            match content {
                Ok(content) => {
                    archive.append(&format!("contents/{}", digest.to_hex()), content.expose())?;
                    end.contents += 1;
                }
                Err(_) => {
                    damaged.insert(digest);
                }
            }
        }
    }
    // A content that should be there and has no row is as damaged as one that was changed.
    let mut portions = Portions::default();
    let mut after = None;
    loop {
        let page = handle.block_on(snapshot.clips_after(after, PAGE)).map_err(io::Error::other)?;
        let Some(last) = page.last() else { break };
        after = Some(last.id);
        let missing = handle.block_on(snapshot.missing_among(&page)).map_err(io::Error::other)?;
        damaged.extend(missing);
        for clip in page {
            let id = clip.id;
            match without_damage(clip, &damaged) {
                Some(clip) => {
                    end.clips += 1;
                    portions.add(&clip, |number, lines| archive.append(&portion_name(number), lines))?;
                }
                None => end.left_out.push(LeftOut {
                    id: id.to_string(),
                    why: "its content is missing or damaged in the database".into(),
                }),
            }
        }
    }
    portions.flush(|number, lines| archive.append(&portion_name(number), lines))?;
    let mut lines = Vec::new();
    for drawer in handle.block_on(snapshot.drawers()).map_err(io::Error::other)? {
        serde_json::to_writer(&mut lines, &(&drawer.id, &drawer.state))?;
        lines.push(b'\n');
        end.drawers += 1;
    }
    archive.append(DRAWERS, &lines)?;
    let mut lines = Vec::new();
    for mut batch in handle.block_on(snapshot.batches()).map_err(io::Error::other)? {
        let needed = batch.digests().into_iter().collect();
        damaged.extend(handle.block_on(snapshot.missing(needed)).map_err(io::Error::other)?);
        let readable = |item: &Item| item.digests().all(|digest| !damaged.contains(&digest));
        let (kept, lost): (Vec<_>, Vec<_>) = batch.items.iter().cloned().partition(|item| readable(item));
        if !lost.is_empty() {
            end.left_out.push(LeftOut {
                id: batch.id.to_string(),
                why: format!("{} items of this batch are missing or damaged in the database", lost.len()),
            });
            batch.next = batch.items.iter().take(batch.next).filter(|item| readable(item)).count();
            batch.items = kept;
        }
        let whole: WholeBatch = (batch.id, batch.state, batch.used_at, batch.next, batch.items);
        serde_json::to_writer(&mut lines, &whole)?;
        lines.push(b'\n');
        end.batches += 1;
    }
    archive.append(BATCHES, &lines)?;
    end.digest = archive.hasher.finalize().to_hex().to_string();
    archive.append(END, &serde_json::to_vec(&end)?)?;
    archive.builder.finish()?;
    archive.builder.get_mut().flush()?;
    Ok(Content { clips: end.clips, left_out: end.left_out, ..Content::default() })
}

/// The clip without earlier offers that can't be read; `None` when what it shows can't.
fn without_damage(mut clip: StoredClip, damaged: &HashSet<Digest>) -> Option<StoredClip> {
    if damaged.is_empty() || clip.digests().all(|digest| !damaged.contains(&digest)) {
        return Some(clip);
    }
    let readable = |offer: &yadori_core::OfferRecord| {
        offer.representations.iter().all(|one| !damaged.contains(&one.digest))
    };
    if clip.state.offer().is_some_and(|offer| !readable(offer)) {
        return None;
    }
    clip.state.offers.retain(|one| readable(&one.value));
    Some(clip)
}
