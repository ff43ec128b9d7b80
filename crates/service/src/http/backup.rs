//! Backup and restore. A backup is a tar archive: `yadori-backup.json` (what it is), `contents/DIGEST` for every content,
//! `clips.jsonl`, and `end`, by which a cut-off archive is recognised. docs/formats.md describes it.

use std::collections::HashSet;
use std::io::{self, Read, Write};
use std::sync::Arc;

use axum::body::Body;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use futures_util::TryStreamExt;
use serde::{Deserialize, Serialize};
use tokio::runtime::Handle;
use tokio::sync::oneshot;
use tokio_util::io::{ReaderStream, StreamReader, SyncIoBridge};
use yadori_api::{Problem, Restored};
use yadori_core::{COPY_CAP, Content, Digest, Drawer, DrawerState};
use yadori_store::{ClipRow, Snapshot, Store};

use super::{Context, Failure};
use crate::app::now;
use crate::keeper::{Change, stage_any};

const HEAD: &str = "yadori-backup.json";
const CLIPS: &str = "clips.jsonl";
const DRAWERS: &str = "drawers.jsonl";
const END: &str = "end";
/// The version of this format. The first one had no drawers.
const FORMAT: u32 = 2;
/// A line of clips.jsonl, and all of it, at most.
const CLIPS_MOST: u64 = 4 << 30;

#[derive(Debug, Serialize, Deserialize)]
struct Head {
    format: u32,
    made_by: String,
    made_at: i64,
    clips: u64,
    contents: u64,
}

fn store_of(context: &Context) -> Result<Store, Failure> {
    context.app.store.borrow().clone().ok_or_else(|| Failure::unavailable("the records are not open yet"))
}

/// A backup of everything, contents included, as of this moment
#[utoipa::path(get, path = "/backup", responses((status = 200, body = Vec<u8>, content_type = "application/x-tar"), (status = 503, body = Problem)))]
pub(super) async fn backup(State(context): State<Arc<Context>>) -> Result<impl IntoResponse, Failure> {
    let store = store_of(&context)?;
    let mut snapshot = store.snapshot().await.map_err(|why| Failure::unavailable(why.to_string()))?;
    let clips = snapshot.clips().await.map_err(|why| Failure::unavailable(why.to_string()))?;
    let drawers = snapshot.drawers().await.map_err(|why| Failure::unavailable(why.to_string()))?;
    let (near, far) = tokio::io::duplex(1 << 20);
    let handle = Handle::current();
    tokio::task::spawn_blocking(move || {
        // On failure the archive lacks its end, and the client sees that.
        if let Err(why) = write_archive(SyncIoBridge::new(near), &clips, &drawers, snapshot, &handle) {
            tracing::warn!("a backup was not finished: {why}");
        }
    });
    let headers = [
        (header::CONTENT_TYPE, "application/x-tar"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"yadori-backup.tar\""),
    ];
    Ok((headers, Body::from_stream(ReaderStream::with_capacity(far, 256 * 1024))))
}

fn write_archive(
    out: impl Write,
    clips: &[ClipRow],
    drawers: &[Drawer],
    mut snapshot: Snapshot,
    handle: &Handle,
) -> io::Result<()> {
    let mut digests: Vec<Digest> = clips.iter().flat_map(ClipRow::digests).collect();
    digests.sort_unstable();
    digests.dedup();
    let mut archive = tar::Builder::new(out);
    let head = Head {
        format: FORMAT,
        made_by: format!("yadori {}", env!("CARGO_PKG_VERSION")),
        made_at: now(),
        clips: clips.len() as u64,
        contents: digests.len() as u64,
    };
    append(&mut archive, HEAD, &serde_json::to_vec(&head)?)?;
    for digest in digests {
        let content = handle.block_on(snapshot.content(digest)).map_err(io::Error::other)?;
        append(&mut archive, &format!("contents/{}", digest.to_hex()), content.expose())?;
    }
    let mut lines = Vec::new();
    for clip in clips {
        serde_json::to_writer(&mut lines, clip)?;
        lines.push(b'\n');
    }
    append(&mut archive, CLIPS, &lines)?;
    let mut lines = Vec::new();
    for drawer in drawers {
        serde_json::to_writer(&mut lines, &(&drawer.id, &drawer.state))?;
        lines.push(b'\n');
    }
    append(&mut archive, DRAWERS, &lines)?;
    append(&mut archive, END, b"")?;
    archive.into_inner()?.flush()?;
    handle.block_on(snapshot.close());
    Ok(())
}

fn append(archive: &mut tar::Builder<impl Write>, name: &str, bytes: &[u8]) -> io::Result<()> {
    let mut header = tar::Header::new_gnu();
    header.set_size(bytes.len() as u64);
    header.set_mode(0o600);
    header.set_mtime(u64::try_from(now() / 1_000_000).unwrap_or(0));
    archive.append_data(&mut header, name, bytes)
}

/// Make a backup the history of this (empty) home
#[utoipa::path(post, path = "/restore", request_body(content = Vec<u8>, content_type = "application/x-tar"),
    responses((status = 200, body = Restored), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub(super) async fn restore(
    State(context): State<Arc<Context>>,
    body: Body,
) -> Result<axum::Json<Restored>, Failure> {
    let store = store_of(&context)?;
    if !context.app.history().is_empty() {
        return Err(Failure::new(
            StatusCode::CONFLICT,
            "not-empty",
            "The history is not empty",
            "a backup is restored into an empty history, so that nothing is mixed or lost",
        )
        .hint("start yadorid with a new --home DIR and restore there"));
    }
    let reader = StreamReader::new(body.into_data_stream().map_err(io::Error::other));
    let handle = Handle::current();
    let disk = context.disk.clone();
    let work = move || read_archive(SyncIoBridge::new(Box::pin(reader)), &store, disk.as_deref(), &handle);
    let (rows, drawers, bytes) = tokio::task::spawn_blocking(work)
        .await
        .unwrap_or_else(|_| Err(Unrestored::Damaged("reading it failed".into())))?;
    let (done, answer) = oneshot::channel();
    let _ = context.app.changes.send(Change::Restore(rows, drawers, done));
    let clips = answer.await??;
    Ok(axum::Json(Restored { clips, bytes }))
}

/// Why a backup is not restored. Nothing of it is shown then; what was staged is deleted at the next start.
#[derive(Debug)]
enum Unrestored {
    /// It is cut off, changed, or no backup at all.
    Damaged(String),
    /// The records can't be written.
    Unavailable(String),
}

impl From<io::Error> for Unrestored {
    fn from(why: io::Error) -> Self {
        Self::Damaged(format!("it can't be read to its end ({why})"))
    }
}

impl From<Unrestored> for Failure {
    fn from(why: Unrestored) -> Self {
        match why {
            Unrestored::Damaged(why) => {
                Self::new(StatusCode::UNPROCESSABLE_ENTITY, "damaged-backup", "The backup can't be used", why)
                    .hint("nothing was restored; try another backup")
            }
            Unrestored::Unavailable(why) => Self::unavailable(why),
        }
    }
}

fn read_archive(
    from: impl Read,
    store: &Store,
    disk: Option<&std::path::Path>,
    handle: &Handle,
) -> Result<(Vec<ClipRow>, Vec<Drawer>, u64), Unrestored> {
    let damaged = |why: &str| Unrestored::Damaged(why.to_owned());
    let mut archive = tar::Archive::new(from);
    let mut head: Option<Head> = None;
    let mut staged: HashSet<Digest> = HashSet::new();
    let mut rows: Option<Vec<ClipRow>> = None;
    let mut drawers: Vec<Drawer> = Vec::new();
    let mut ended = false;
    let mut total = 0;
    for entry in archive.entries()? {
        let mut entry = entry?;
        let name = entry.path()?.to_string_lossy().into_owned();
        let most = if name == CLIPS || name == DRAWERS { CLIPS_MOST } else { COPY_CAP };
        if entry.size() > most {
            return Err(damaged("a part of it is larger than any clip"));
        }
        let mut bytes = Vec::new();
        entry.read_to_end(&mut bytes)?;
        if bytes.len() as u64 != entry.size() {
            return Err(damaged("it ends too early"));
        }
        match name.as_str() {
            HEAD => {
                let read: Head =
                    serde_json::from_slice(&bytes).map_err(|_| damaged("it does not say what it is"))?;
                if read.format > FORMAT {
                    return Err(Unrestored::Damaged(format!(
                        "it was made by a newer version ({})",
                        read.made_by
                    )));
                }
                head = Some(read);
            }
            _ if head.is_none() => return Err(damaged("it is no backup of Yadori")),
            CLIPS => {
                let lines = bytes.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
                let read: Result<Vec<ClipRow>, _> = lines.map(serde_json::from_slice).collect();
                rows = Some(read.map_err(|_| damaged("its list of clips is damaged"))?);
            }
            DRAWERS => {
                let lines = bytes.split(|byte| *byte == b'\n').filter(|line| !line.is_empty());
                let read: Result<Vec<(String, DrawerState)>, _> = lines.map(serde_json::from_slice).collect();
                let read = read.map_err(|_| damaged("its list of drawers is damaged"))?;
                drawers = read.into_iter().map(|(id, state)| Drawer { id, state }).collect();
            }
            END => ended = true,
            name => {
                let digest = name.strip_prefix("contents/").and_then(Digest::from_hex);
                let digest = digest.ok_or_else(|| damaged("it holds a part that does not belong there"))?;
                let content = Content::new(bytes);
                if content.digest() != digest {
                    return Err(damaged("a content in it was changed"));
                }
                total += content.len() as u64;
                handle
                    .block_on(stage_any(store, digest, &content, disk))
                    .map_err(|why| Unrestored::Unavailable(why.to_string()))?;
                staged.insert(digest);
            }
        }
    }
    let (Some(head), Some(rows), true) = (head, rows, ended) else {
        return Err(damaged("it ends too early"));
    };
    let whole = rows.len() as u64 == head.clips
        && rows.iter().flat_map(ClipRow::digests).all(|digest| staged.contains(&digest));
    if whole { Ok((rows, drawers, total)) } else { Err(damaged("a part of it is missing")) }
}
