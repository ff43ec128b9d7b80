//! The exchange as others hold it: what it needs of the service, and what runs just now.

use std::collections::HashMap;
use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use tokio::sync::Notify;
use yadori_core::{ClipId, Digest};
use yadori_store::Store;
use yadori_sync::exchange::Exchange;
use yadori_sync::wire::Come;

use super::link::Link;
use super::member::Member;
use super::pairings::Pairings;
use super::trouble::Trouble;
use crate::home::place::Home;
use crate::home::settings::change::Config;
use crate::records::room::Disk;
use crate::state::app::Shared;
use crate::state::clock::now;
use crate::state::exchanging::ExchangeNow;
use crate::writer::Queue;

/// For how long it holds what the hub said of the devices, and how long it may take to say it.
const COME_HOLDS: Duration = Duration::from_secs(3);
const COME: Duration = Duration::from_secs(2);

/// What the exchange needs of the service. Cheap to clone.
#[derive(Clone, Debug)]
pub struct Exchanger {
    pub(super) app: Shared,
    pub(super) queue: Queue,
    pub(super) home: Home,
    pub(super) disk: Disk,
    /// Joining and leaving, one after another.
    pub(super) turning: Arc<tokio::sync::Mutex<()>>,
    /// What is being paired.
    pub pairings: Arc<Pairings>,
    /// Someone asks for it now.
    pub(super) asked: Arc<Notify>,
    /// Contents that are not here may have become known.
    pub(super) far: Arc<Notify>,
    /// Parts that were fetched of a content that is not whole yet.
    pub(super) partial: Arc<tokio::sync::Mutex<Option<Partial>>>,
    /// Texts that are searched once their contents are here.
    pub(super) far_texts: Arc<Mutex<HashMap<Digest, ClipId>>>,
    /// Intake rules have come.
    pub(super) ruled: Arc<Notify>,
    /// The configuration file.
    pub(super) config: Arc<Config>,
    pub(super) current: Arc<Mutex<Option<Arc<Current>>>>,
    /// How far the others have come, as the hub said last, and when.
    come: Arc<tokio::sync::Mutex<Option<LastCome>>>,
}

/// When the hub was asked how far the devices have come, and what it said.
type LastCome = (Instant, Option<Come>);

/// A content, and the parts of it that are here.
pub(super) type Partial = (Digest, Vec<zeroize::Zeroizing<Vec<u8>>>);

/// The exchange of a member, while it runs.
#[derive(Debug)]
pub(super) struct Current {
    pub(super) member: Member,
    pub(super) link: Link,
    pub(super) store: Store,
    pub(super) machine: tokio::sync::Mutex<Exchange>,
    /// The hub takes no more: only that something was removed is sent.
    pub(super) full: AtomicBool,
    /// The chain is caught up with by one at a time.
    pub(super) catching: tokio::sync::Mutex<()>,
}

impl Exchanger {
    /// The exchange of a service that is about to start.
    pub fn new(app: Shared, queue: Queue, home: Home, disk: Disk, config: Arc<Config>) -> Self {
        Self {
            config,
            ruled: Arc::default(),
            app,
            queue,
            home,
            disk,
            turning: Arc::default(),
            pairings: Arc::default(),
            asked: Arc::default(),
            far: Arc::default(),
            partial: Arc::default(),
            far_texts: Arc::default(),
            current: Arc::default(),
            come: Arc::default(),
        }
    }

    /// The exchange that runs.
    pub(super) fn current(&self) -> Option<Arc<Current>> {
        self.current.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// How it stands. What waits is counted in the records; as it was last known while they are away.
    pub async fn state(&self) -> ExchangeNow {
        let mut state = self.app.exchange.now();
        if let Some(store) = self.app.at_hand.store().filter(|_| state.hub.is_some())
            && let Ok(waits) = store.count_due().await
        {
            state.waits = waits;
        }
        state
    }

    /// How far the devices of the group have come, as the hub says. `None`: it does not say.
    pub(super) async fn come(&self) -> Option<Come> {
        let current = self.current().filter(|_| {
            let state = self.app.exchange.now();
            !state.paused && state.trouble.is_none()
        })?;
        let mut come = self.come.lock().await;
        match &*come {
            Some((at, known)) if at.elapsed() < COME_HOLDS => known.clone(),
            _ => {
                let asker = current.member.asker();
                let asked = tokio::time::timeout(COME, current.link.devices(&asker)).await;
                let said = asked.ok().and_then(Result::ok);
                *come = Some((Instant::now(), said.clone()));
                said
            }
        }
    }

    /// Tries at once, whatever pause was made.
    pub fn ask(&self) {
        self.asked.notify_one();
        self.app.exchange.is_due();
    }

    /// Where it is remembered that the exchange is paused.
    fn pause_file(&self) -> std::path::PathBuf {
        self.home.data.join("exchange-paused")
    }

    pub(super) fn is_paused(&self) -> bool {
        self.pause_file().exists()
    }

    /// Pauses the exchange, or goes on with it, over restarts too.
    ///
    /// # Errors
    /// It is as it was then.
    pub fn pause(&self, paused: bool) -> std::io::Result<()> {
        if paused {
            crate::home::place::write_private(&self.pause_file(), b"")?;
        } else if let Err(why) = std::fs::remove_file(self.pause_file())
            && why.kind() != std::io::ErrorKind::NotFound
        {
            return Err(why);
        }
        self.app.exchange.change(|state| state.paused = paused);
        self.app.exchange.turn();
        self.app.health.touch();
        Ok(())
    }

    /// Says who belongs to the group.
    pub(super) fn tell_members(&self, member: &Member) {
        let chain = &member.now().chain;
        let members = chain.members().iter().map(|one| one.device).collect();
        self.app.exchange.change(|state| state.members = members);
    }

    /// The hub has answered.
    pub(super) fn reached(&self) {
        self.app.exchange.change(|state| {
            state.reached_at = Some(now());
            state.trouble = None;
        });
    }
}

impl Current {
    /// Fetches entries of the chain that are not known yet.
    pub(super) async fn catch_up(&self) -> Result<(), Trouble> {
        let _alone = self.catching.lock().await;
        loop {
            let epoch = self.member.now().chain.epoch();
            let entries = self.link.entries(&self.member.asker(), epoch).await?;
            if entries.is_empty() {
                return Ok(());
            }
            self.member.accept(&entries)?;
            self.store.keep_entries(epoch, &entries).await?;
        }
    }
}
