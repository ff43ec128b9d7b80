//! Exports: everything (or what a query finds) as a zip of JSON Lines with contents beside them, or as a CSV of texts;
//! a drawer as one JSON file.

use std::collections::{HashMap, HashSet};
use std::io::{self, Write};
use std::sync::Arc;

use axum::body::Body;
use axum::extract::State;
use axum::http::{HeaderMap, HeaderValue, header};
use axum::response::IntoResponse;
use serde::{Deserialize, Serialize};
use tokio::runtime::Handle;
use tokio_util::io::{ReaderStream, SyncIoBridge};
use utoipa::IntoParams;
use yadori_api::{Item, Problem};
use yadori_core::clip::reading::plain_form;
use yadori_core::{Clip, ClipId, Digest, Kind};
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

use super::drawers::in_order;
use super::extract::{Json, Path, Query};
use super::record::{
    ClipRecord, DrawerFile, DrawerRecord, ItemRecord, KeptRecord, RepresentationRecord, places,
};
use super::{Context, Failure};
use crate::app::{App, Shared, now};
use crate::keeper::wishes::drawer_called;
use crate::searching::{find, read_query, zone};

/// The name of the part that says what an export is.
pub(super) const HEAD: &str = "yadori-export.json";
/// The name of the part with the drawers.
pub(super) const DRAWERS: &str = "drawers.json";
/// The name of the part with the clips, a line each.
pub(super) const CLIPS: &str = "clips.jsonl";
/// The version of this format.
pub(super) const FORMAT: u32 = 1;

/// What an export is.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Head {
    pub(super) yadori_export: u32,
    pub(super) made_by: String,
    pub(super) made_at: String,
    pub(super) clips: u64,
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(super) struct Wanted {
    /// `zip` (the default) or `csv`
    format: Option<String>,
    /// Only what this query finds
    #[serde(default)]
    q: String,
    /// Only the clips with these ids, separated by commas
    ids: Option<String>,
    /// The viewer's time zone, for the query
    zone: Option<String>,
}

/// Export everything, or what a query finds
#[utoipa::path(get, path = "/export", params(Wanted),
    responses((status = 200, body = Vec<u8>, content_type = "application/zip"), (status = 422, body = Problem)))]
pub(super) async fn export(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<impl IntoResponse, Failure> {
    let app = context.app.clone();
    if !app.standing().loaded {
        return Err(Failure::unavailable("the history has not been loaded yet"));
    }
    let zone = zone(wanted.zone.as_deref())
        .ok_or_else(|| Failure::invalid("`zone` must be the name of a time zone"))?;
    let query = read_query(&app, &wanted.q, zone).map_err(|why| Failure::query(&wanted.q, &why))?;
    let csv = match wanted.format.as_deref() {
        None | Some("zip") => false,
        Some("csv") => true,
        Some(_) => return Err(Failure::invalid("`format` is zip or csv")),
    };
    let ids = match &wanted.ids {
        Some(ids) => {
            let ids: Option<Vec<ClipId>> = ids.split(',').map(ClipId::parse).collect();
            ids.ok_or_else(|| Failure::invalid("`ids` must be whole ids, separated by commas"))?
        }
        None => find(&app, Arc::new(query), usize::MAX - 1).await.ids,
    };
    Ok(written(app, ids, csv))
}

/// Export some clips
#[utoipa::path(post, path = "/export", request_body = yadori_api::RowsRequest,
    responses((status = 200, body = Vec<u8>, content_type = "application/zip"), (status = 422, body = Problem)))]
pub(super) async fn export_some(
    State(context): State<Arc<Context>>,
    Json(wish): Json<yadori_api::RowsRequest>,
) -> Result<impl IntoResponse, Failure> {
    Ok(written(context.app.clone(), super::acts::ids_of(&wish.ids)?, false))
}

/// The answer: written while it is sent.
fn written(app: Shared, mut ids: Vec<ClipId>, csv: bool) -> impl IntoResponse {
    // Oldest first: an import makes the same order.
    ids.reverse();
    let (drawers, kept) = places(&app.history());
    let kept: HashMap<ClipId, KeptRecord> = kept.into_iter().collect();
    let count = ids.len();
    let (near, far) = tokio::io::duplex(1 << 20);
    let handle = Handle::current();
    tokio::task::spawn_blocking(move || {
        let out = SyncIoBridge::new(near);
        let all = All { app, ids, drawers, kept, handle };
        // On failure the archive lacks its directory, and whoever reads it sees that.
        let written = if csv { all.write_csv(out) } else { all.write_zip(out) };
        if let Err(why) = written {
            tracing::warn!("an export was not finished: {why}");
        }
    });
    let (kind, name) =
        if csv { ("text/csv;charset=utf-8", "yadori.csv") } else { ("application/zip", "yadori-export.zip") };
    let mut headers = HeaderMap::new();
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static(kind));
    if let Ok(value) = HeaderValue::from_str(&format!("attachment; filename=\"{name}\"")) {
        headers.insert(header::CONTENT_DISPOSITION, value);
    }
    headers.insert("x-yadori-clips", HeaderValue::from(count));
    (headers, Body::from_stream(ReaderStream::with_capacity(far, 256 * 1024)))
}

struct All {
    app: Shared,
    ids: Vec<ClipId>,
    drawers: Vec<DrawerRecord>,
    kept: HashMap<ClipId, KeptRecord>,
    handle: Handle,
}

impl All {
    fn clips(&self) -> impl Iterator<Item = Arc<Clip>> + '_ {
        self.ids.iter().filter_map(|id| self.app.history().get(*id).cloned())
    }

    fn write_zip(&self, out: impl Write) -> io::Result<()> {
        let options = SimpleFileOptions::default().unix_permissions(0o600);
        let mut zip = ZipWriter::new_stream(out);
        let head = Head {
            yadori_export: FORMAT,
            made_by: format!("yadori {}", env!("CARGO_PKG_VERSION")),
            made_at: jiff::Timestamp::from_microsecond(now()).unwrap_or_default().to_string(),
            clips: self.ids.len() as u64,
        };
        zip.start_file(HEAD, options)?;
        zip.write_all(&serde_json::to_vec_pretty(&head)?)?;
        zip.start_file(DRAWERS, options)?;
        zip.write_all(&serde_json::to_vec_pretty(&self.drawers)?)?;
        let mut lines = Vec::new();
        let mut written: HashSet<Digest> = HashSet::new();
        for clip in self.clips() {
            let mut record = ClipRecord::of(&clip, self.kept.get(&clip.id).cloned());
            let Some(offer) = clip.state.offer() else { continue };
            for one in &offer.representations {
                let content = self.handle.block_on(self.app.content(one.digest)).map_err(io::Error::other)?;
                let inline = RepresentationRecord::inline(&one.mime, &content);
                record.representations.push(match inline {
                    Some(record) => record,
                    None => {
                        let file = format!("contents/{}", one.digest.to_hex());
                        if written.insert(one.digest) {
                            zip.start_file(&file, options)?;
                            zip.write_all(content.expose())?;
                        }
                        RepresentationRecord {
                            mime: one.mime.clone(),
                            file: Some(file),
                            ..RepresentationRecord::default()
                        }
                    }
                });
            }
            serde_json::to_writer(&mut lines, &record)?;
            lines.push(b'\n');
        }
        zip.start_file(CLIPS, options)?;
        zip.write_all(&lines)?;
        zip.finish()?.into_inner().flush()
    }

    fn write_csv(&self, out: impl Write) -> io::Result<()> {
        let mut csv = csv::Writer::from_writer(out);
        csv.write_record(["copied_at", "kind", "title", "drawer", "program", "window", "text"])?;
        for clip in self.clips().filter(|clip| clip.facts.kind() != Kind::Image) {
            let record = ClipRecord::of(&clip, self.kept.get(&clip.id).cloned());
            let offer = self.handle.block_on(self.app.offer(&clip)).map_err(io::Error::other)?;
            let text = plain_form(&offer).unwrap_or_default();
            let drawer = record.kept.and_then(|kept| kept.drawer);
            csv.write_record(
                [
                    record.copied_at.as_deref(),
                    record.kind.as_deref(),
                    record.title.as_deref(),
                    drawer.as_deref(),
                    record.source.program.as_deref(),
                    record.source.window.as_deref(),
                    Some(&text),
                ]
                .map(Option::unwrap_or_default),
            )?;
        }
        csv.flush()
    }
}

/// Export a drawer with everything in it, as one JSON file
#[utoipa::path(get, path = "/drawers/{drawer}/export", params(("drawer" = String, Path)),
    responses((status = 200, body = Vec<u8>, content_type = "application/json"), (status = 404, body = Problem)))]
pub(super) async fn drawer(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
) -> Result<impl IntoResponse, Failure> {
    let app = &context.app;
    let (mut file, items) = {
        let history = app.history();
        let (id, state) = drawer_called(&history, &drawer)?;
        let file = DrawerFile {
            yadori_drawer: FORMAT,
            name: state.name().unwrap_or_default().to_owned(),
            color: state.color(),
            group: state.group().map(str::to_owned),
            items: Vec::new(),
        };
        (file, in_order(&history, id, state))
    };
    for item in items {
        file.items.push(match item {
            Item::Divider(divider) => ItemRecord::Divider(divider.name),
            Item::Clip(row) => match whole(app, &row.id).await? {
                Some(record) => ItemRecord::Clip(Box::new(record)),
                None => continue,
            },
        });
    }
    let body = serde_json::to_vec_pretty(&file).map_err(|_| Failure::invalid("it can't be written"))?;
    let headers = [
        (header::CONTENT_TYPE, "application/json"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"yadori-drawer.json\""),
    ];
    Ok((headers, body))
}

/// A clip with its contents in its record.
async fn whole(app: &App, id: &str) -> Result<Option<ClipRecord>, Failure> {
    let clip = ClipId::parse(id).and_then(|id| app.history().get(id).cloned());
    let Some(clip) = clip else { return Ok(None) };
    let offer = app.offer(&clip).await?;
    let mut record = ClipRecord::of(&clip, None);
    record.representations = offer
        .representations
        .iter()
        .map(|one| RepresentationRecord::whole(&one.mime, &one.content))
        .collect();
    Ok(Some(record))
}
