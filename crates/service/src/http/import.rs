//! Imports: a zip as it was exported, a drawer's file, a CSV or a plain text. Each clip is committed whole or not at
//! all; what is there already is left alone, so an import that was cut off goes on when it is made again.

mod source;

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read, Seek, Write};
use std::sync::Arc;

use axum::body::Body;
use axum::extract::State;
use axum::http::header;
use axum::response::IntoResponse;
use futures_util::{StreamExt, TryStreamExt};
use serde::Deserialize;
use tokio::runtime::Handle;
use tokio::sync::{mpsc, oneshot};
use tokio_util::io::{StreamReader, SyncIoBridge};
use utoipa::IntoParams;
use yadori_api::{ImportProgress, Problem};
use yadori_core::merge::drawer::Divider;
use yadori_core::text::name::{NAME_CHARS, name_of};
use yadori_core::text::fold::fold;
use yadori_core::history::rank::{between, numbered};
use yadori_core::merge::register::Written;
use yadori_core::{ClipId, Content, Drawer, DrawerState, HybridClock, Kept, Offer, Stamp, read};

use super::extract::Query;
use super::record::{ClipRecord, DrawerRecord, KeptRecord, kept_as};
use super::{Context, Failure};
use crate::app::{Shared, now};
use crate::intake;
use crate::keeper::{Change, Extra};
use source::{Source, content, each_line, open};

/// Bytes of an import at most.
const UPLOAD_MOST: u64 = 16 << 30;
/// Copies on their way to the disk at once.
const AT_ONCE: usize = 64;
/// Reasons that are told at most.
const REASONS: usize = 5;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(super) struct Wanted {
    /// `zip`, `drawer`, `csv` or `text`; told from the content if not given
    format: Option<String>,
    /// How a text is parted: `whole` (the default), `lines` or `blocks` (by empty lines)
    split: Option<String>,
}

/// Bring clips in from a file; the answer is a line of progress after another
#[utoipa::path(post, path = "/import", params(Wanted), request_body(content = Vec<u8>, content_type = "application/octet-stream"),
    responses((status = 200, body = ImportProgress, content_type = "application/x-ndjson"), (status = 422, body = Problem)))]
pub(super) async fn import(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
    body: Body,
) -> Result<impl IntoResponse, Failure> {
    let app = context.app.clone();
    if app.store.borrow().is_none() || !app.standing().loaded {
        return Err(Failure::unavailable("the records are not open yet"));
    }
    let format = wanted.format.as_deref();
    if format.is_some_and(|one| !["zip", "drawer", "csv", "text"].contains(&one)) {
        return Err(Failure::invalid("`format` is zip, drawer, csv or text"));
    }
    let split = wanted.split.clone().unwrap_or_else(|| "whole".into());
    if !["whole", "lines", "blocks"].contains(&split.as_str()) {
        return Err(Failure::invalid("`split` is whole, lines or blocks"));
    }
    let stream = body.into_data_stream().map_err(io::Error::other);
    let handle = Handle::current();
    let reader = SyncIoBridge::new(Box::pin(StreamReader::new(stream)));
    let disk = context.disk.clone();
    let spooled = tokio::task::spawn_blocking(move || spool(reader, disk.as_deref()))
        .await
        .unwrap_or_else(|_| Err("it could not be read".into()))
        .map_err(Failure::invalid)?;
    let format = format.map(str::to_owned);
    let source = tokio::task::spawn_blocking(move || open(spooled, format.as_deref(), &split))
        .await
        .unwrap_or_else(|_| Err("it could not be read".into()))
        .map_err(|why| Failure::invalid(why).hint("nothing was brought in"))?;
    let (told, lines) = mpsc::channel(16);
    tokio::task::spawn_blocking(move || {
        let mut run = Run {
            context: (*context).clone(),
            handle,
            told,
            progress: ImportProgress::default(),
            waiting: Vec::new(),
        };
        let outcome = run.all(source);
        run.settle(0);
        run.progress.problem = outcome.err();
        run.progress.over = true;
        run.tell();
    });
    let lines = tokio_stream::wrappers::ReceiverStream::new(lines);
    let body = Body::from_stream(lines.map(|line: String| Ok::<_, io::Error>(line)));
    Ok(([(header::CONTENT_TYPE, "application/x-ndjson")], body))
}

/// The upload as a file without a name, so that it can be read from its end.
fn spool(mut from: impl Read, disk: Option<&std::path::Path>) -> Result<File, String> {
    let failed = |why: io::Error| format!("it can't be received: {why}");
    let mut file = match disk {
        Some(disk) => tempfile::tempfile_in(disk),
        None => tempfile::tempfile(),
    }
    .map_err(failed)?;
    let mut chunk = vec![0; 1 << 18];
    let mut total = 0;
    loop {
        let read = from.read(&mut chunk).map_err(failed)?;
        if read == 0 {
            break;
        }
        total += read as u64;
        if total > UPLOAD_MOST {
            return Err("an import may have 16 GiB".into());
        }
        if !crate::keeper::has_room(disk, read as u64) {
            return Err("there is no room for it on the disk; free some space and import again".into());
        }
        file.write_all(&chunk[..read]).map_err(failed)?;
    }
    file.rewind().map_err(failed)?;
    Ok(file)
}

/// An import on its way.
struct Run {
    context: Context,
    handle: Handle,
    told: mpsc::Sender<String>,
    progress: ImportProgress,
    waiting: Vec<oneshot::Receiver<Result<ClipId, crate::keeper::ActError>>>,
}

/// What ranks begin with, by drawer (`None` for favorites).
type Ranks = HashMap<Option<String>, String>;

impl Run {
    fn app(&self) -> &Shared {
        &self.context.app
    }

    fn tell(&mut self) {
        if let Ok(mut line) = serde_json::to_string(&self.progress) {
            line.push('\n');
            let _ = self.handle.block_on(self.told.send(line));
        }
    }

    fn skip(&mut self, line: u64, why: &str) {
        self.progress.skipped += 1;
        if self.progress.reasons.len() < REASONS {
            self.progress.reasons.push(format!("clip {line}: {why}"));
        }
    }

    /// Waits until at most so many copies are on their way.
    fn settle(&mut self, most: usize) {
        while self.waiting.len() > most {
            let answer = self.handle.block_on(self.waiting.remove(0));
            match answer {
                Ok(Ok(_)) => self.progress.added += 1,
                Ok(Err(why)) => {
                    let line = self.progress.done;
                    self.skip(line, &why.to_string());
                }
                Err(_) => {}
            }
        }
    }

    fn all(&mut self, source: Source) -> Result<(), String> {
        match source {
            Source::Records { records, drawers } => {
                self.progress.total = records.len() as u64;
                let kept: Vec<Option<KeptRecord>> = records.iter().map(|one| one.kept.clone()).collect();
                let names = self.drawers(drawers, &kept)?;
                let ranks = self.ranks(&kept, &names);
                for (n, record) in records.into_iter().enumerate() {
                    self.one(
                        n as u64 + 1,
                        &record,
                        &names,
                        &ranks,
                        |_| Err("its content is missing".into()),
                    )?;
                }
            }
            Source::Zip { mut archive, drawers } => {
                let mut kept = Vec::new();
                each_line(&mut archive, |line| {
                    kept.push(serde_json::from_slice::<ClipRecord>(line).ok().and_then(|one| one.kept));
                    Ok(())
                })?;
                self.progress.total = kept.len() as u64;
                let names = self.drawers(drawers, &kept)?;
                let ranks = self.ranks(&kept, &names);
                let mut lines: Vec<Vec<u8>> = Vec::new();
                let mut number = 0;
                // The archive is read twice at once: the lines in portions, the contents in between.
                let mut skip = 0;
                loop {
                    lines.clear();
                    let mut at = 0;
                    each_line(&mut archive, |line| {
                        at += 1;
                        if at > skip && lines.len() < 4_096 {
                            lines.push(line.to_vec());
                        }
                        Ok(())
                    })?;
                    if lines.is_empty() {
                        break;
                    }
                    skip += lines.len();
                    for line in &lines {
                        number += 1;
                        match serde_json::from_slice::<ClipRecord>(line) {
                            Ok(record) => {
                                self.one(number, &record, &names, &ranks, |file| {
                                    content(&mut archive, file)
                                })?;
                            }
                            Err(_) => {
                                self.progress.done = number;
                                self.skip(number, "it is damaged");
                            }
                        }
                    }
                }
            }
        }
        Ok(())
    }

    /// Brings one clip in, unless everything it says is known.
    fn one(
        &mut self,
        number: u64,
        record: &ClipRecord,
        names: &HashMap<String, String>,
        ranks: &Ranks,
        content: impl FnMut(&str) -> Result<Content, String>,
    ) -> Result<(), String> {
        if self.told.is_closed() {
            return Err("nobody waits for it any more".into());
        }
        if self.app().shutdown.is_cancelled() {
            return Err("the service is stopping".into());
        }
        self.progress.done = number;
        let offer = match record.offer(now(), content) {
            Ok(offer) => offer,
            Err(why) => {
                self.skip(number, &why);
                return Ok(());
            }
        };
        let drawer = record.kept.as_ref().and_then(|kept| kept.drawer.as_deref());
        let drawer = drawer.and_then(|name| names.get(&fold(name)).cloned());
        let kept = record.kept.as_ref().and_then(|kept| {
            let rank = format!("{}{}", ranks.get(&drawer)?, numbered(kept.place));
            Some(kept_as(drawer.as_deref(), rank))
        });
        let extra = Extra {
            title: record
                .title
                .as_deref()
                .and_then(|title| name_of(title, yadori_core::text::name::TITLE_CHARS).ok()),
            color: record.color,
            kept,
            copies: record.copies.unwrap_or(1).clamp(1, 1_000_000_000),
        };
        if self.is_known(&offer, &extra) {
            self.progress.known += 1;
        } else {
            let (done, answer) = oneshot::channel();
            let (app, disk) = (self.app().clone(), self.context.disk.clone());
            self.handle.block_on(intake::bring_in(&app, offer, disk, extra, done));
            self.waiting.push(answer);
            self.settle(AT_ONCE);
        }
        if number.is_multiple_of(50) {
            self.tell();
        }
        Ok(())
    }

    fn is_known(&self, offer: &Offer, extra: &Extra) -> bool {
        let Some(reading) = read(offer.clone(), self.app().device) else { return false };
        let history = self.app().history();
        history.get(reading.id).is_some_and(|clip| {
            (extra.title.is_none() || clip.state.title().is_some())
                && (extra.color.is_none() || clip.state.color().is_some())
                && (extra.kept.is_none() || clip.state.is_pinned())
        })
    }

    /// Makes the drawers that are missing, with their dividers. Gives the ids by folded name.
    fn drawers(
        &mut self,
        mut wanted: Vec<DrawerRecord>,
        kept: &[Option<KeptRecord>],
    ) -> Result<HashMap<String, String>, String> {
        for name in kept.iter().flatten().filter_map(|one| one.drawer.as_deref()) {
            if wanted.iter().all(|one| fold(&one.name) != fold(name)) {
                wanted.push(DrawerRecord { name: name.to_owned(), ..DrawerRecord::default() });
            }
        }
        let mut names = HashMap::new();
        let mut changed = Vec::new();
        for record in wanted {
            let Ok(name) = name_of(&record.name, NAME_CHARS) else { continue };
            let (drawer, new) = self.drawer(&name, &record, kept);
            names.insert(fold(&record.name), drawer.id.clone());
            if new {
                // At once: the next one's place depends on it.
                changed.push(drawer.clone());
                let (done, answer) = oneshot::channel();
                let _ = self.app().changes.send(Change::PutDrawer(drawer, done));
                match self.handle.block_on(answer) {
                    Ok(Ok(())) => {}
                    Ok(Err(why)) => return Err(why.to_string()),
                    Err(_) => return Err("the service is stopping".into()),
                }
            }
        }
        Ok(names)
    }

    /// The drawer of this name, with the dividers of the record; true when something of it is new.
    fn drawer(&self, name: &str, record: &DrawerRecord, kept: &[Option<KeptRecord>]) -> (Drawer, bool) {
        // What the drawers are now; the lock is not held while more is asked.
        let drawers = self.app().history().drawers().clone();
        let there = drawers.shown().into_iter().find(|(_, state)| state.name().map(fold) == Some(fold(name)));
        let mut new = there.is_none();
        let (id, mut state) = match there {
            Some((id, state)) => (id.to_owned(), state.clone()),
            None => {
                let mut id: String = blake3::hash(fold(name).as_bytes()).to_hex()[..32].to_owned();
                // One of that name was removed before: not this one.
                while drawers.state(&id).is_some() {
                    id = blake3::hash(id.as_bytes()).to_hex()[..32].to_owned();
                }
                (id, DrawerState::default())
            }
        };
        let mut clock = HybridClock::resume(self.app().device, state.newest_stamp());
        let wall = u64::try_from(now() / 1_000).unwrap_or(0);
        let mut stamp = || -> Stamp { clock.tick(wall, None) };
        if new {
            let group = record.group.as_deref().and_then(|group| name_of(group, NAME_CHARS).ok());
            let rank = drawers.rank_at_end(group.as_deref());
            state.name = Some(Written { at: stamp(), value: name.to_owned() });
            state.color = Some(Written { at: stamp(), value: record.color });
            state.group = Some(Written { at: stamp(), value: group });
            state.rank = Some(Written { at: stamp(), value: rank });
        }
        let base = self.base(Some(&id), kept, Some(name));
        for (place, words) in &record.dividers {
            let Ok(words) = name_of(words, NAME_CHARS) else { continue };
            let known = state.dividers.values().any(|one| one.name() == Some(words.as_str()));
            if !known {
                new = true;
                let id = blake3::hash(format!("{id} {place} {words}").as_bytes()).to_hex()[..32].to_owned();
                let divider = Divider {
                    name: Some(Written { at: stamp(), value: words }),
                    rank: Some(Written { at: stamp(), value: format!("{base}{}", numbered(*place)) }),
                    removed: None,
                };
                state.dividers.insert(id, divider);
            }
        }
        (Drawer { id, state }, new)
    }

    /// What ranks of imported things begin with, so that they come after what is there and not imported.
    fn base(&self, drawer: Option<&str>, kept: &[Option<KeptRecord>], name: Option<&str>) -> String {
        let history = self.app().history();
        let own =
            kept.iter().flatten().filter(|one| one.drawer.as_deref().map(fold) == name.map(fold)).count();
        let there: Vec<String> = match drawer {
            Some(drawer) => {
                history.in_drawer(drawer).map(|clip| clip.state.kept().rank().to_owned()).collect()
            }
            None => history
                .kept_clips()
                .filter(|clip| matches!(clip.state.kept(), Kept::Favorite(_)))
                .map(|clip| clip.state.kept().rank().to_owned())
                .collect(),
        };
        // Ranks of an earlier, cut-off run of this import carry its mark.
        let mark = format!("zz{own:06}zz");
        let foreign = there.iter().filter(|rank| !rank.contains(&mark)).max();
        match foreign {
            None => format!("V{mark}"),
            Some(last) => format!("{}{mark}", between(Some(last), None).unwrap_or_else(|| "z".into())),
        }
    }

    /// What ranks begin with, for each place in which something is kept.
    fn ranks(&self, kept: &[Option<KeptRecord>], names: &HashMap<String, String>) -> Ranks {
        let mut ranks = Ranks::new();
        for one in kept.iter().flatten() {
            let drawer = one.drawer.as_deref().and_then(|name| names.get(&fold(name)).cloned());
            let base = || self.base(drawer.as_deref(), kept, one.drawer.as_deref());
            let base = ranks.get(&drawer).cloned().unwrap_or_else(base);
            ranks.insert(drawer, base);
        }
        ranks
    }
}
