//! All shared state of one running service, by kind.

use std::sync::{Arc, Mutex, OnceLock, PoisonError, RwLock, Weak};
use std::time::Duration;

use tokio::sync::{Notify, mpsc, watch};
use tokio_util::sync::CancellationToken;
use yadori_api as api;
use yadori_core::{DeviceId, Micros, Offer};
use yadori_desk::{Desk, Intake, Keys};
use yadori_words::Language;

use crate::home::settings::Changeable;
use crate::state::at_hand::AtHand;
use crate::state::batches::in_hand;
use crate::state::clips::Clips;
use crate::state::clock::now;
use crate::state::events::{Events, Happening};
use crate::state::exchanging::Exchanging;
use crate::state::files::Files;
use crate::state::health::{Health, LiveNow};
use crate::state::holding::Holding;
use crate::state::parts::Parts;
use crate::state::pausing::Pausing;
use crate::state::phones::Phones;
use crate::state::pressed::Pressed;
use crate::state::ruled::Ruled;
use crate::state::shapes::{capture, chord, refusal, row};
use crate::state::sign_in::Entries;
use crate::state::transfers::Transfers;

/// Shared by everything.
pub type Shared = Arc<App>;

/// What the parts of the service share. The queue of changes is not among it: who reads state holds no way to change it.
#[derive(Debug)]
pub struct App {
    /// History and search.
    pub clips: Clips,
    /// Contents.
    pub at_hand: AtHand,
    /// How things health.
    pub health: Health,
    /// For whoever listens.
    pub events: Events,
    /// Browser keys and sign-in links.
    pub entries: Entries,
    /// Files that were sent.
    pub transfers: Transfers,
    /// The parts that run.
    pub parts: Parts,
    /// The exchange with other devices.
    pub exchange: Exchanging,
    /// The live clipboard.
    pub desk: Option<Desk>,
    /// Takes are made one after another; what is being taken, so that the desk's word can be understood.
    pub taking: tokio::sync::Mutex<()>,
    /// What is on its way to the live clipboard.
    pub expected: Mutex<Option<LiveNow>>,
    /// What was taken last, for as long as it is on the live clipboard.
    pub taken: Mutex<Option<(LiveNow, Weak<Offer>)>>,
    /// Settings that can be changed meanwhile.
    pub settings: RwLock<Arc<Changeable>>,
    /// How phones come in.
    pub phones: Phones,
    /// Whether capture is paused.
    pub pausing: Pausing,
    /// Work in portions is under way.
    busy: watch::Sender<bool>,
    /// Told when contents have gone for good.
    went: Notify,
    /// The limits are obeyed by one at a time.
    pub sweeping: tokio::sync::Mutex<()>,
    /// Whether the limits are held back.
    pub holding: Holding,
    /// Told of changes of the settings.
    changed: Notify,
    /// Where presses go, once somebody does what they are for.
    pub presses: OnceLock<mpsc::UnboundedSender<Pressed>>,
    /// How often rules decided.
    pub ruled: Ruled,
    /// Pictures that were handed out as files.
    pub files: OnceLock<Files>,
    /// Items of batches are handed out one after another.
    pub handing: tokio::sync::Mutex<()>,
    /// How long acts can be taken back.
    pub grace: Duration,
    /// When the service started.
    pub started_at: Micros,
    /// Ends the service.
    pub shutdown: CancellationToken,
}

/// What is spoken on the desktop, and where nobody says otherwise.
pub fn language_of(wish: api::Language) -> Language {
    match wish {
        api::Language::En => Language::English,
        api::Language::Ja => Language::Japanese,
        api::Language::System => Language::of_desktop(|name| std::env::var(name).ok()),
    }
}

/// What the desk is told of the settings.
pub fn keys_of(settings: &Changeable) -> Keys {
    let keeping = &settings.keeping;
    Keys {
        chords: settings.chords.clone(),
        paste: settings.paste.clone(),
        intake: Intake {
            rules: keeping.rules.clone(),
            cap: keeping.limits.one,
            selected: settings.keep_selected,
        },
    }
}

impl App {
    /// The shared state of a service that is about to start. `epoch` names this run.
    pub fn new(
        device: DeviceId,
        desk: Option<Desk>,
        epoch: String,
        grace: Duration,
        shutdown: CancellationToken,
    ) -> Self {
        let name = rustix::system::uname().nodename().to_string_lossy().into_owned();
        Self {
            clips: Clips::new(device, name),
            at_hand: AtHand::default(),
            health: Health::new(desk.is_some()),
            events: Events::new(epoch),
            entries: Entries::default(),
            transfers: Transfers::default(),
            parts: Parts::new(shutdown.clone()),
            exchange: Exchanging::default(),
            desk,
            taking: tokio::sync::Mutex::default(),
            expected: Mutex::default(),
            taken: Mutex::default(),
            settings: RwLock::default(),
            phones: Phones::default(),
            pausing: Pausing::default(),
            busy: watch::Sender::new(false),
            went: Notify::new(),
            sweeping: tokio::sync::Mutex::default(),
            holding: Holding::default(),
            changed: Notify::new(),
            presses: OnceLock::new(),
            ruled: Ruled::default(),
            files: OnceLock::new(),
            handing: tokio::sync::Mutex::default(),
            grace,
            started_at: now(),
            shutdown,
        }
    }

    /// The settings as they are now.
    pub fn settings(&self) -> Arc<Changeable> {
        self.settings.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// These settings hold from now on.
    pub fn set(&self, settings: Changeable) {
        if let Some(desk) = &self.desk {
            desk.listen(keys_of(&settings));
        }
        yadori_words::speak(language_of(settings.look.language));
        *self.settings.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(settings);
        self.changed.notify_waiters();
        // How the console looks is part of how things stand.
        self.health.touch();
    }

    /// Work in portions is under way, or no longer.
    pub(crate) fn set_busy(&self, busy: bool) {
        self.busy.send_if_modified(|known| std::mem::replace(known, busy) != busy);
    }

    /// Contents have gone for good.
    pub(crate) fn have_gone(&self) {
        self.went.notify_one();
    }

    /// Waits until contents have gone for good.
    pub async fn went(&self) {
        self.went.notified().await;
    }

    /// Waits until no work in portions is under way.
    pub async fn until_idle(&self) {
        let _ = self.busy.subscribe().wait_for(|busy| !busy).await;
    }

    /// Waits until the settings change.
    pub async fn settings_changed(&self) {
        self.changed.notified().await;
    }

    /// Ends with the next change of the settings after this call, also one that comes before it is waited for.
    pub fn changing(&self) -> tokio::sync::futures::Notified<'_> {
        self.changed.notified()
    }

    /// Tells listeners how things stand, whenever that changes, until the service ends.
    pub async fn tell_status(self: Arc<Self>) {
        let mut last = None;
        loop {
            tokio::select! {
                () = self.health.changed() => {}
                () = self.shutdown.cancelled() => return,
            }
            let status = self.status();
            if last.as_ref() != Some(&status) {
                self.events.send(Happening::Status);
                last = Some(status);
            }
        }
    }

    /// How things stand, for everybody to read.
    pub fn status(&self) -> api::Status {
        let health = self.health.now();
        let history = self.clips.history();
        let (live, plain, clip) = match health.live {
            LiveNow::Unknown | LiveNow::Pending(_) => (api::LiveState::Unknown, false, None),
            LiveNow::Empty => (api::LiveState::Empty, false, None),
            LiveNow::Item => (api::LiveState::Item, false, None),
            LiveNow::Unkept => (api::LiveState::Unkept, false, None),
            LiveNow::Clip(id, plain) => match history.get(id) {
                Some(clip) => (api::LiveState::Clip, plain, Some(Box::new(row(&history, &clip)))),
                None => (api::LiveState::Unkept, false, None),
            },
        };
        api::Status {
            version: env!("CARGO_PKG_VERSION").into(),
            capture: capture(&health, self.pausing.now()),
            database: health.database.clone(),
            live: api::LiveClipboard { state: live, clip, plain },
            loaded: self.clips.are_loaded(),
            clips: history.len() as u64,
            unsaved: health.unsaved,
            last_copy_at: health.last_copy_at.or_else(|| history.at(1).map(|clip| clip.copied_at())),
            refusals: health.refusals.iter().map(refusal).collect(),
            batch: in_hand(&history).map(Box::new),
            chords: health.chords.iter().map(chord).collect(),
            hitch: health.hitch.clone(),
            brought: health.brought.clone(),
            console: health.console.clone().ok(),
            console_problem: health.console.err(),
            faults: self.parts.faults(),
            damaged: health.damaged,
            space: health.space,
            waits: health.waits.map(|(clips, why)| api::Waits { clips, why: why.into() }),
            work: health.work.map(|work| api::Work { what: work.what.into(), done: work.done, of: work.of }),
            look: self.settings().look,
            started_at: self.started_at,
        }
    }
}
