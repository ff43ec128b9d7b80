//! Imports: a zip as it was exported, a drawer's file, a CSV or a plain text. Each clip is committed whole or not at all;
//! what is there already is left alone, so an import that was cut off goes on when it is made again.

use std::collections::HashMap;
use std::fs::File;
use std::io::{self, Read, Seek, Write};

use tokio::runtime::Handle;
use tokio::sync::{mpsc, oneshot};
use yadori_api::ImportProgress;
use yadori_core::acts::Extra;
use yadori_core::acts::bring_drawer::ForeignDrawer;
use yadori_core::history::rank::{between, numbered};
use yadori_core::merge::clip::OFFERS_KEPT;
use yadori_core::text::fold::fold;
use yadori_core::text::name::{TITLE_CHARS, name_of};
use yadori_core::{ClipId, Content, Kept, Offer, OfferRecord, read};

use crate::clearing::sweep::look_over;
use crate::home::random::random;
use crate::intake::bring_in::{Known, bring_in};
use crate::intake::reading::recorded;
use crate::records::room::Disk;
use crate::state::app::Shared;
use crate::state::clock::now;
pub use crate::transfer::format::{Format, Split};
use crate::transfer::record::{ClipRecord, DrawerRecord, KeptRecord, RecordError, kept_as};
pub use crate::transfer::source::SourceError;
use crate::transfer::source::{Source, open};
use crate::writer::{ImportId, PartOf, Queue, Saved, WriteError};

/// Bytes of an import at most.
const UPLOAD_MOST: u64 = 16 << 30;
/// Copies on their way to the disk at once.
const AT_ONCE: usize = 64;
/// Reasons that are told in one line of progress.
const REASONS: usize = 50;
/// Clips between two lines of progress.
const TOLD_EVERY: u64 = 50;

/// Why an import did not go on.
#[derive(Debug, thiserror::Error)]
pub enum ImportError {
    /// It can't be received.
    #[error("it can't be received: {0}")]
    Upload(#[from] io::Error),
    /// It is too large.
    #[error("an import may have 16 GiB")]
    TooLarge,
    /// The disk is full.
    #[error("there is no room for it on the disk; free some space and import again")]
    NoRoom,
    /// The file.
    #[error(transparent)]
    Source(#[from] SourceError),
    /// The records.
    #[error(transparent)]
    Write(#[from] WriteError),
    /// Whoever asked has gone.
    #[error("nobody waits for it any more")]
    Abandoned,
    /// The service ends.
    #[error("the service is stopping")]
    Stopping,
}

/// The upload as a file without a name, so that it can be read from its end.
///
/// # Errors
/// Nothing of it is left then.
pub fn spool(mut from: impl Read, disk: &Disk) -> Result<File, ImportError> {
    let mut file = match disk.directory() {
        Some(directory) => tempfile::tempfile_in(directory),
        None => tempfile::tempfile(),
    }?;
    let mut chunk = vec![0; 1 << 18];
    let mut total = 0;
    loop {
        let read = from.read(&mut chunk)?;
        if read == 0 {
            break;
        }
        total += read as u64;
        if total > UPLOAD_MOST {
            return Err(ImportError::TooLarge);
        }
        if !disk.has_room(read as u64) {
            return Err(ImportError::NoRoom);
        }
        file.write_all(&chunk[..read])?;
    }
    file.rewind()?;
    Ok(file)
}

/// A file that was found out to be one that can be brought in.
pub struct Opened(Source);

/// Finds out what a file is, and looks at it as a whole before anything of it is brought in.
///
/// # Errors
/// It can't be brought in at all.
pub fn look_at(file: File, format: Option<Format>, split: Split) -> Result<Opened, SourceError> {
    open(file, format, split).map(Opened)
}

/// Where clips are brought in, and who is told of it.
pub struct Import {
    /// The shared state.
    pub app: Shared,
    /// The way to the writer.
    pub queue: Queue,
    /// The disk of the records.
    pub disk: Disk,
    /// The runtime, for whoever works on a thread of its own.
    pub handle: Handle,
    /// Lines of progress go there.
    pub told: mpsc::Sender<String>,
}

/// An import on its way.
struct Run {
    id: ImportId,
    import: Import,
    progress: ImportProgress,
    waiting: std::collections::VecDeque<oneshot::Receiver<Result<Saved, WriteError>>>,
    names: HashMap<String, String>,
    ranks: HashMap<Option<String>, String>,
}

impl Import {
    /// Brings everything in, telling how far it has come; the last line says that it is over.
    pub fn run(self, source: Opened) {
        let Ok(id) = random() else { return };
        let mut run = Run {
            id,
            import: self,
            progress: ImportProgress::default(),
            waiting: std::collections::VecDeque::new(),
            names: HashMap::new(),
            ranks: HashMap::new(),
        };
        let app = run.import.app.clone();
        let importing = app.holding.importing();
        let outcome = run.all(source.0);
        run.settle(0);
        drop(importing);
        let sweep = look_over(&app, &app.settings().keeping.limits, false);
        run.progress.beyond = sweep.waits.unwrap_or(sweep.goes).going.len() as u64;
        app.clips.look_again();
        // Also what was cut off can be taken back.
        match run.import.handle.block_on(run.import.queue.imported(id)) {
            Ok(acts) => run.progress.acts = acts as u64,
            Err(why) => tracing::warn!("an import can't be taken back as one: {why}"),
        }
        run.progress.grace_seconds = run.import.app.grace.as_secs();
        run.progress.problem = outcome.err().map(|why| why.to_string());
        run.progress.over = true;
        run.tell();
    }
}

impl Run {
    fn tell(&mut self) {
        if let Ok(mut line) = serde_json::to_string(&self.progress) {
            line.push('\n');
            let _ = self.import.told.blocking_send(line);
        }
        self.progress.reasons.clear();
    }

    fn skip(&mut self, line: u64, why: &str) {
        self.progress.skipped += 1;
        self.progress.reasons.push(format!("clip {line}: {why}"));
        if self.progress.reasons.len() >= REASONS {
            self.tell();
        }
    }

    /// Waits until at most so many copies are on their way.
    fn settle(&mut self, most: usize) {
        while self.waiting.len() > most {
            let Some(first) = self.waiting.pop_front() else { return };
            match self.import.handle.block_on(first) {
                Ok(Ok(_)) => self.progress.added += 1,
                Ok(Err(why)) => {
                    let line = self.progress.done;
                    self.skip(line, &why.to_string());
                }
                Err(_) => {}
            }
        }
    }

    fn all(&mut self, source: Source) -> Result<(), ImportError> {
        match source {
            Source::Records { records, drawers } => {
                self.progress.total = records.len() as u64;
                let kept: Vec<KeptRecord> = records.iter().filter_map(|one| one.kept.clone()).collect();
                self.bring_drawers(drawers, &kept)?;
                for (n, record) in records.into_iter().enumerate() {
                    self.one(n as u64 + 1, &record, |_| Err(RecordError::Missing))?;
                }
            }
            Source::Zip { mut archive, drawers } => {
                let (mut kept, mut total) = (Vec::new(), 0);
                archive.each_line(|line| {
                    total += 1;
                    kept.extend(serde_json::from_slice::<ClipRecord>(line).ok().and_then(|one| one.kept));
                    Ok(())
                })?;
                self.progress.total = total;
                self.bring_drawers(drawers, &kept)?;
                drop(kept);
                let mut number = 0;
                archive.each_line_with(|line, contents| {
                    number += 1;
                    match serde_json::from_slice::<ClipRecord>(line) {
                        Ok(record) => self.one(number, &record, |file| contents.get(file)),
                        Err(_) => {
                            self.progress.done = number;
                            self.skip(number, &RecordError::Damaged.to_string());
                            Ok(())
                        }
                    }
                })?;
            }
        }
        Ok(())
    }

    /// Brings one clip in, unless everything it says is known.
    fn one(
        &mut self,
        number: u64,
        record: &ClipRecord,
        mut content: impl FnMut(&str) -> Result<Content, RecordError>,
    ) -> Result<(), ImportError> {
        if self.import.told.is_closed() {
            return Err(ImportError::Abandoned);
        }
        if self.import.app.shutdown.is_cancelled() {
            return Err(ImportError::Stopping);
        }
        self.progress.done = number;
        let offers = record.offer(now(), &mut content).and_then(|offer| {
            let earlier = record.earlier_offers(now(), &mut content)?;
            Ok((offer, earlier))
        });
        let (offer, earlier) = match offers {
            Ok(offers) => offers,
            Err(why) => {
                self.skip(number, &why.to_string());
                return Ok(());
            }
        };
        let (mut extra, mut contents) = (self.extra_of(record), Vec::new());
        for offer in earlier {
            let (record, of_offer) = recorded(offer);
            extra.earlier.push(record);
            contents.extend(of_offer);
        }
        if self.is_known(&offer, &extra) {
            self.progress.known += 1;
        } else {
            let Import { app, queue, disk, handle, .. } = &self.import;
            let known = Known { extra: Some(extra), contents, part_of: PartOf::Import(self.id) };
            match handle.block_on(bring_in(app, queue, disk, offer, false, known)) {
                Ok(answer) => self.waiting.push_back(answer),
                Err(why) => self.skip(number, &why.to_string()),
            }
            self.settle(AT_ONCE);
        }
        if number.is_multiple_of(TOLD_EVERY) {
            self.tell();
        }
        Ok(())
    }

    fn extra_of(&self, record: &ClipRecord) -> Extra {
        let drawer = record.kept.as_ref().and_then(|kept| kept.drawer.as_deref());
        let drawer = drawer.and_then(|name| self.names.get(&fold(name)).cloned());
        let kept = record.kept.as_ref().and_then(|kept| {
            let rank = format!("{}{}", self.ranks.get(&drawer)?, numbered(kept.place));
            Some(kept_as(drawer.as_deref(), rank))
        });
        Extra {
            title: record.title.as_deref().and_then(|title| name_of(title, TITLE_CHARS).ok()),
            color: record.color,
            kept,
            copies: record.copies.unwrap_or(1).clamp(1, 1_000_000_000),
            made_from: record.made_from.as_deref().and_then(ClipId::parse),
            earlier: Vec::new(),
        }
    }

    fn is_known(&self, offer: &Offer, extra: &Extra) -> bool {
        let clips = &self.import.app.clips;
        let Some(reading) = read(offer.clone(), clips.device()) else { return false };
        let (own, _) = recorded(reading.offer);
        clips.get(reading.id).is_some_and(|clip| {
            let offers = &clip.state.offers;
            let has = |one: &OfferRecord| {
                offers.iter().any(|known| known.value.representations == one.representations)
            };
            // So many are kept; of more, the oldest go.
            let offers_are_known =
                offers.len() >= OFFERS_KEPT || std::iter::once(&own).chain(&extra.earlier).all(has);
            offers_are_known
                && (extra.made_from.is_none() || clip.state.made_from().is_some())
                && (extra.title.is_none() || clip.state.title().is_some())
                && (extra.color.is_none() || clip.state.color().is_some())
                && (extra.kept.is_none() || clip.state.is_pinned())
        })
    }

    /// Makes the drawers that are missing, with their dividers, and finds out what ranks begin with in each place.
    fn bring_drawers(
        &mut self,
        mut wanted: Vec<DrawerRecord>,
        kept: &[KeptRecord],
    ) -> Result<(), ImportError> {
        let mut counts: HashMap<Option<String>, usize> = HashMap::new();
        for one in kept {
            *counts.entry(one.drawer.as_deref().map(fold)).or_default() += 1;
        }
        for name in kept.iter().filter_map(|one| one.drawer.as_deref()) {
            if wanted.iter().all(|one| fold(&one.name) != fold(name)) {
                wanted.push(DrawerRecord { name: name.to_owned(), ..DrawerRecord::default() });
            }
        }
        let count = |name: Option<&str>| counts.get(&name.map(fold)).copied().unwrap_or(0);
        let bases: HashMap<String, String> = wanted
            .iter()
            .map(|one| (fold(&one.name), self.rank_base(Some(&one.name), count(Some(&one.name)))))
            .collect();
        let foreign = wanted
            .into_iter()
            .map(|one| ForeignDrawer {
                rank_base: bases.get(&fold(&one.name)).cloned().unwrap_or_default(),
                name: one.name,
                color: one.color,
                group: one.group,
                dividers: one.dividers,
            })
            .collect();
        self.names = self.import.handle.block_on(self.import.queue.bring_drawers(foreign, self.id))?;
        self.ranks.insert(None, self.rank_base(None, count(None)));
        for (name, id) in &self.names {
            if let Some(base) = bases.get(name) {
                self.ranks.insert(Some(id.clone()), base.clone());
            }
        }
        Ok(())
    }

    /// What ranks of imported things begin with, so that they come after what is there and not imported.
    fn rank_base(&self, drawer: Option<&str>, own: usize) -> String {
        let history = self.import.app.clips.history();
        let there: Vec<String> = match drawer {
            Some(name) => {
                let folded = fold(name);
                let shown = history.drawers().shown();
                let id = shown.iter().find(|(_, state)| state.name().map(fold).as_ref() == Some(&folded));
                id.into_iter()
                    .flat_map(|(id, _)| history.in_drawer(id))
                    .map(|clip| clip.state.kept().rank().to_owned())
                    .collect()
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
}
