//! What all parts of the running service share.

use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, RwLock};
use std::time::Duration;

use tokio::sync::{Notify, mpsc, watch};
use tokio_util::sync::CancellationToken;
use yadori_api as api;
use yadori_core::search::Corpus;
use yadori_core::{Clip, ClipId, Content, DeviceId, Digest, History, Kind, Micros, Offer, Representation};
use yadori_core::clip::facts;
use yadori_desk::{Desk, DeskState};
use yadori_store::{ReadError, RefusalRow, Store};

use crate::entry::Entries;
use crate::events::Events;
use crate::keeper::Change;

/// Bytes of recent contents kept at hand.
const RECENT_BYTES: usize = 8 * 1024 * 1024;
/// How many refusals are remembered.
pub const REFUSALS: usize = 20;

/// What an ordinary paste would insert.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LiveNow {
    /// Nothing has been seen yet.
    Unknown,
    /// Nothing.
    Empty,
    /// A copy made at this time, which is being read or saved.
    Pending(Micros),
    /// A clip, perhaps taken as plain text.
    Clip(ClipId, bool),
    /// Something that is not kept.
    Unkept,
}

/// How things stand with capture and records.
#[derive(Clone, Debug)]
pub struct Standing {
    /// The desk; `None` when capture is off.
    pub desk: Option<DeskState>,
    /// The records.
    pub database: api::Database,
    /// What an ordinary paste would insert.
    pub live: LiveNow,
    /// Where the console is served, or why not.
    pub console: Result<String, String>,
    /// The history has been loaded.
    pub loaded: bool,
    /// Clips waiting in memory.
    pub unsaved: u64,
    /// The newest copy.
    pub last_copy_at: Option<Micros>,
    /// Copies that were not kept, newest first.
    pub refusals: VecDeque<RefusalRow>,
}

/// Shared by everything.
#[derive(Debug)]
pub struct App {
    /// This device.
    pub device: DeviceId,
    /// All clips.
    pub history: RwLock<History>,
    /// The texts of all clips, to be searched. Locked after the history where both are.
    corpus: RwLock<Corpus>,
    /// How this device is called.
    pub device_name: String,
    /// Long texts that are still to be read after the start.
    pub unread: std::sync::atomic::AtomicU64,
    /// The records, once they are open.
    pub store: watch::Sender<Option<Store>>,
    /// The live clipboard.
    pub desk: Option<Desk>,
    /// The queue of changes.
    pub changes: mpsc::UnboundedSender<Change>,
    /// For whoever listens.
    pub events: Events,
    /// Browser keys and sign-in links.
    pub entries: Entries,
    /// How long acts can be taken back.
    pub grace: Duration,
    /// When the service started.
    pub started_at: Micros,
    /// Ends the service.
    pub shutdown: CancellationToken,
    standing: Mutex<Standing>,
    changed: Notify,
    /// Takes are made one after another; what is being taken, so that the desk's word can be understood.
    pub taking: tokio::sync::Mutex<()>,
    /// The clip on its way to the live clipboard.
    pub expected: Mutex<Option<(ClipId, bool)>>,
    held: Mutex<HashMap<Digest, Content>>,
    recent: Mutex<VecDeque<(Digest, Content)>>,
}

impl App {
    /// The shared state of a service that is about to start.
    pub fn new(
        device: DeviceId,
        desk: Option<Desk>,
        changes: mpsc::UnboundedSender<Change>,
        epoch: String,
        grace: Duration,
        shutdown: CancellationToken,
    ) -> Self {
        let standing = Standing {
            desk: desk.as_ref().map(|_| DeskState::Connecting),
            database: api::Database { state: api::DatabaseState::Starting, reason: None },
            live: LiveNow::Unknown,
            console: Err("the console is not served yet".into()),
            loaded: false,
            unsaved: 0,
            last_copy_at: None,
            refusals: VecDeque::new(),
        };
        Self {
            device,
            history: RwLock::default(),
            corpus: RwLock::default(),
            device_name: device_name(),
            unread: std::sync::atomic::AtomicU64::new(0),
            store: watch::Sender::new(None),
            desk,
            changes,
            events: Events::new(epoch),
            entries: Entries::default(),
            grace,
            started_at: now(),
            shutdown,
            standing: Mutex::new(standing),
            changed: Notify::new(),
            taking: tokio::sync::Mutex::default(),
            expected: Mutex::default(),
            held: Mutex::default(),
            recent: Mutex::default(),
        }
    }

    /// Reads or changes how things stand; listeners are told.
    pub fn stand<T>(&self, change: impl FnOnce(&mut Standing) -> T) -> T {
        let mut standing = self.standing.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        let out = change(&mut standing);
        drop(standing);
        self.changed.notify_one();
        out
    }

    /// How things stand now.
    pub fn standing(&self) -> Standing {
        self.standing.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone()
    }

    /// The history, to read.
    pub fn history(&self) -> std::sync::RwLockReadGuard<'_, History> {
        self.history.read().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// The history, to change. Only the keeper does.
    pub fn history_mut(&self) -> std::sync::RwLockWriteGuard<'_, History> {
        self.history.write().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// The texts of all clips, to search them.
    pub fn corpus(&self) -> std::sync::RwLockReadGuard<'_, Corpus> {
        self.corpus.read().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// The texts of all clips, to change them.
    pub fn corpus_mut(&self) -> std::sync::RwLockWriteGuard<'_, Corpus> {
        self.corpus.write().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// A corpus that knows this device's name and nothing else.
    pub fn new_corpus(&self) -> Corpus {
        let mut corpus = Corpus::default();
        corpus.name_device(self.device, &self.device_name);
        corpus
    }

    /// Tells listeners how things stand, whenever that changes, until the service ends.
    pub async fn tell_status(&self) {
        let mut last = None;
        loop {
            tokio::select! {
                () = self.changed.notified() => {}
                () = self.shutdown.cancelled() => return,
            }
            let status = self.status();
            if last.as_ref() != Some(&status) {
                self.events.send(api::Event::Status(Box::new(status.clone())));
                last = Some(status);
            }
        }
    }

    /// Keeps contents in memory while the database is away.
    pub fn hold(&self, contents: &[(Digest, Content)]) {
        if let Ok(mut held) = self.held.lock() {
            held.extend(contents.iter().cloned());
        }
    }

    /// Lets go of what has been saved: everything not in `still`.
    pub fn release(&self, still: impl Fn(&Digest) -> bool) {
        if let Ok(mut held) = self.held.lock() {
            held.retain(|digest, _| still(digest));
        }
    }

    /// Remembers a content for the next moments.
    pub fn remember(&self, digest: Digest, content: &Content) {
        if content.len() > RECENT_BYTES / 2 {
            return;
        }
        let Ok(mut recent) = self.recent.lock() else { return };
        recent.retain(|(known, _)| *known != digest);
        recent.push_front((digest, content.clone()));
        let mut bytes = 0;
        recent.retain(|(_, content)| {
            bytes += content.len() + 64;
            bytes <= RECENT_BYTES
        });
    }

    /// Forgets recent contents: some of them must leave memory.
    pub fn forget_recent(&self) {
        if let Ok(mut recent) = self.recent.lock() {
            recent.clear();
        }
    }

    /// A content, from memory or from the records.
    pub async fn content(&self, digest: Digest) -> Result<Content, ContentError> {
        let held = self.held.lock().ok().and_then(|held| held.get(&digest).cloned());
        let recent = || {
            let recent = self.recent.lock().ok()?;
            recent.iter().find(|(known, _)| *known == digest).map(|(_, content)| content.clone())
        };
        if let Some(content) = held.or_else(recent) {
            return Ok(content);
        }
        let store = self.store.borrow().clone().ok_or(ContentError::Away)?;
        let content = store.content(digest).await.map_err(|why| match why {
            ReadError::Away(_) => ContentError::Away,
            ReadError::Damaged => ContentError::Damaged,
        })?;
        self.remember(digest, &content);
        Ok(content)
    }

    /// The whole offer of a clip, as it is handed back.
    pub async fn offer(&self, clip: &Clip) -> Result<Offer, ContentError> {
        let record = clip.state.offer().ok_or(ContentError::Damaged)?;
        let mut representations = Vec::with_capacity(record.representations.len());
        for one in &record.representations {
            let content = self.content(one.digest).await?;
            representations.push(Representation { mime: one.mime.clone(), content });
        }
        Ok(Offer { representations, source: record.source.clone(), at: clip.ordered_at() })
    }

    /// The offer of a clip, without keeping its contents at hand.
    pub async fn offer_unremembered(&self, clip: &Clip) -> Result<Offer, ContentError> {
        let record = clip.state.offer().ok_or(ContentError::Damaged)?;
        let store = self.store.borrow().clone().ok_or(ContentError::Away)?;
        let mut representations = Vec::with_capacity(record.representations.len());
        for one in &record.representations {
            if yadori_core::clip::mime::carries_text(&one.mime) {
                let content = store.content(one.digest).await.map_err(|_| ContentError::Away)?;
                representations.push(Representation { mime: one.mime.clone(), content });
            }
        }
        Ok(Offer { representations, source: record.source.clone(), at: clip.ordered_at() })
    }

    /// A clip as a row of a list.
    pub fn row(&self, history: &History, clip: &Clip) -> api::Row {
        row(history, clip)
    }

    /// How things stand, for everybody to read.
    pub fn status(&self) -> api::Status {
        let standing = self.standing();
        let history = self.history();
        let (live, plain, clip) = match standing.live {
            LiveNow::Unknown | LiveNow::Pending(_) => (api::LiveState::Unknown, false, None),
            LiveNow::Empty => (api::LiveState::Empty, false, None),
            LiveNow::Unkept => (api::LiveState::Unkept, false, None),
            LiveNow::Clip(id, plain) => match history.get(id) {
                Some(clip) => (api::LiveState::Clip, plain, Some(Box::new(row(&history, clip)))),
                None => (api::LiveState::Unkept, false, None),
            },
        };
        api::Status {
            version: env!("CARGO_PKG_VERSION").into(),
            capture: capture_of(&standing),
            database: standing.database.clone(),
            live: api::LiveClipboard { state: live, clip, plain },
            loaded: standing.loaded,
            clips: history.len() as u64,
            unsaved: standing.unsaved,
            last_copy_at: standing.last_copy_at.or_else(|| history.at(1).map(|clip| clip.ordered_at())),
            refusals: standing.refusals.iter().map(refusal).collect(),
            console: standing.console.clone().ok(),
            console_problem: standing.console.err(),
            started_at: self.started_at,
        }
    }
}

/// Why a content can't be had.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum ContentError {
    /// The database is away.
    #[error("the database is away")]
    Away,
    /// Missing or damaged.
    #[error("its content is missing or damaged in the database")]
    Damaged,
}

fn capture_of(standing: &Standing) -> api::Capture {
    use api::{CaptureState as Is, DatabaseState};
    let (state, reason, display) = match &standing.desk {
        None => (
            Is::Off,
            Some(
                "capture is switched off for this run; start yadorid without --no-capture to keep copies"
                    .to_owned(),
            ),
            None,
        ),
        Some(DeskState::Connecting) => (Is::Starting, None, None),
        Some(DeskState::Lost { reason } | DeskState::Absent { reason }) => {
            (Is::Broken, Some(reason.clone()), None)
        }
        Some(DeskState::Watching { display }) => {
            let display = Some(display.clone());
            match standing.database.state {
                DatabaseState::Ready => (Is::Keeping, None, display),
                DatabaseState::Starting => (
                    Is::Starting,
                    Some("copies wait in memory until the database has started".to_owned()),
                    display,
                ),
                DatabaseState::Full => (
                    Is::Waiting,
                    Some(
                        "the disk is full: copies wait in memory and are saved when there is room".to_owned(),
                    ),
                    display,
                ),
                DatabaseState::Away => (
                    Is::Waiting,
                    Some(
                        "the database is away: copies wait in memory and are saved when it is back"
                            .to_owned(),
                    ),
                    display,
                ),
                DatabaseState::Refused => (Is::Broken, standing.database.reason.clone(), display),
            }
        }
    };
    api::Capture { state, reason, display }
}

/// A refusal in words.
pub fn refusal(row: &RefusalRow) -> api::Refusal {
    let words = match (row.reason.as_str(), row.size) {
        ("too-large", Some(size)) => {
            format!("{} was copied; copies over 64 MiB are not kept", megabytes(size))
        }
        ("too-large", None) => "copies over 64 MiB are not kept".into(),
        ("no-room", _) => "memory for waiting copies was full while nothing could be saved".into(),
        ("invalid", _) => "the database would not take it".into(),
        _ => "the program did not hand its copy over".into(),
    };
    api::Refusal {
        at: row.at,
        reason: row.reason.clone(),
        words,
        size: row.size,
        program: row.program.clone(),
    }
}

fn megabytes(size: u64) -> String {
    format!("{}.{} MB", size / 1_000_000, size % 1_000_000 / 100_000)
}

/// A clip as a row of a list.
pub fn row(history: &History, clip: &Clip) -> api::Row {
    let facts = &clip.facts;
    api::Row {
        id: clip.id.to_string(),
        prefix: history.prefix_of(clip.id),
        place: history.place_of(clip.id).unwrap_or(0) as u64,
        kind: kind(facts.kind()),
        head: facts.head.clone(),
        title: clip.state.title().map(str::to_owned),
        chars: facts.chars,
        lines: facts.lines,
        size: facts.size,
        formatted: facts.formatted,
        copied_at: clip.ordered_at(),
        copies: clip.state.times_copied(),
        source: clip.state.offer().map(|offer| source(&offer.source)).unwrap_or_default(),
        picture: facts.picture.as_ref().map(|one| api::Picture {
            mime: one.mime.clone(),
            width: one.width,
            height: one.height,
        }),
        files: facts.files.iter().map(|uri| facts::path_of(uri).unwrap_or_else(|| uri.clone())).collect(),
        file_count: facts.file_count,
        saved: clip.saved,
        color: clip.state.color().map(color),
        kept: kept(history, clip),
        made_from: clip.state.made_from().filter(|id| history.get(*id).is_some()).map(|id| id.to_string()),
        fill_ins: clip.state.is_pinned() && yadori_core::take::fill_in::may_hold(&facts.head),
    }
}

fn device_name() -> String {
    let name = rustix::system::uname();
    name.nodename().to_string_lossy().into_owned()
}

/// The interface's word for a color.
pub fn color(color: yadori_core::Color) -> api::Color {
    use yadori_core::Color as Is;
    match color {
        Is::Blue => api::Color::Blue,
        Is::Green => api::Color::Green,
        Is::Amber => api::Color::Amber,
        Is::Red => api::Color::Red,
        Is::Violet => api::Color::Violet,
        Is::Teal => api::Color::Teal,
    }
}

fn kept(history: &History, clip: &Clip) -> Option<api::Kept> {
    let drawer_name = history.drawer_name(clip).map(str::to_owned);
    let drawer = clip.state.kept().drawer().filter(|_| drawer_name.is_some()).map(str::to_owned);
    clip.state.is_pinned().then_some(api::Kept { drawer, drawer_name })
}

/// The interface's word for a kind.
pub fn kind(kind: Kind) -> api::Kind {
    match kind {
        Kind::Text => api::Kind::Text,
        Kind::Link => api::Kind::Link,
        Kind::Image => api::Kind::Image,
        Kind::Files => api::Kind::Files,
    }
}

/// The interface's form of a source.
pub fn source(source: &yadori_core::Source) -> api::Source {
    api::Source { program: source.program.clone(), window: source.window.clone(), page: source.page.clone() }
}

/// Microseconds since the Unix epoch.
pub fn now() -> Micros {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
    Micros::try_from(since.as_micros()).unwrap_or(Micros::MAX)
}

/// Shared by everything.
pub type Shared = Arc<App>;
