//! The exchange as a part of the service: it begins when this device belongs to a group, goes on through whatever happens to
//! the hub and the records, and ends when the device leaves.

use std::sync::atomic::AtomicBool;
use std::sync::{Arc, PoisonError};
use std::time::Duration;

use yadori_core::acts::Act;
use yadori_store::Store;
use yadori_sync::exchange::{Due, Exchange, Made, Numbers, Pause, Pending};
use yadori_sync::record::{Sealed, Topic};

use super::exchanger::{Current, Exchanger};
use super::keys::Keys;
use super::link::Link;
use super::member::{Member, MemberError};
use super::trouble::Trouble;
use crate::home::random::random;
use crate::state::clock::now;
use crate::writer::With;

/// How often it is looked, in a pause, whether something on its way was removed.
const PAUSED: Duration = Duration::from_secs(60);

/// What is on its way, and how far everything has come, as the records tell.
async fn machine_of(
    store: &Store,
    device: yadori_core::DeviceId,
) -> Result<Option<(Exchange, Vec<Vec<u8>>)>, Trouble> {
    let state = store.exchange().await?;
    let Some(row) = state.row else { return Ok(None) };
    let numbers = Numbers { incarnation: row.incarnation, sequence: row.sequence, seen: row.seen };
    let pending = state.outgoing.into_iter().map(|one| Pending {
        due: Due { topic: Topic { kind: one.subject.0, id: one.subject.1 }, version: one.version },
        sequence: one.sequence,
        made: Made { record: Sealed(one.body), blobs: one.blobs },
    });
    let machine = Exchange::resume(device, numbers, row.heads.into_iter().collect(), pending.collect());
    Ok(Some((machine, state.entries)))
}

impl Exchanger {
    /// Runs until the service ends.
    pub async fn run(self) {
        let mut pause = Pause::default();
        while !self.app.shutdown.is_cancelled() {
            let outcome = tokio::select! {
                outcome = self.once() => outcome,
                () = self.app.exchange.turned() => Ok(()),
                () = self.app.shutdown.cancelled() => return,
            };
            *self.current.lock().unwrap_or_else(PoisonError::into_inner) = None;
            let Err(why) = outcome else { continue };
            if self.app.exchange.now().reached_at.is_some_and(|at| now() - at < 2_000_000) {
                pause.reached();
            }
            if matches!(why, Trouble::Member(MemberError::StruckOff)) {
                self.wipe_if_wanted().await;
            }
            tracing::warn!("the exchange with other devices waits: {why}");
            self.app.exchange.change(|state| state.trouble = Some(why.to_string()));
            self.app.health.touch();
            if let Some(store) = self.app.at_hand.store()
                && let Err(why) = self.let_go_of_removed(&store).await
            {
                tracing::warn!("what was removed is still on its way: {why}");
            }
            let wait = pause.failed(random().map_or(0, u32::from_be_bytes));
            tokio::select! {
                () = tokio::time::sleep(wait) => {}
                () = self.asked.notified() => pause.reached(),
                () = self.app.exchange.turned() => pause.reached(),
                () = self.app.shutdown.cancelled() => return,
            }
        }
    }

    /// This device was struck off, as the signed chain says: its history goes, where its owner has chosen that.
    async fn wipe_if_wanted(&self) {
        let there = || !self.app.clips.history().is_empty() || !self.app.clips.history().batches().is_empty();
        if !self.app.settings().exchange.wipe || !self.app.clips.are_loaded() || !there() {
            return;
        }
        tracing::warn!("this device was struck off, and its history goes");
        // Without leaving floors: in a group that it joins again, what it had is what the others have.
        let mut clips = Vec::new();
        self.app.clips.each(|_, clip| {
            clips.push((clip.id, clip.ordered_at));
            true
        });
        if let Err(why) = self.queue.evict(clips, true).await {
            tracing::error!("the history could not be let go of: {why}");
        }
        let batches: Vec<_> =
            self.app.clips.history().batches().shown().into_iter().map(|one| one.id).collect();
        for batch in batches {
            if let Err(why) = self.queue.act(Act::RemoveBatch { batch }, With::default()).await {
                tracing::error!("a batch could not be removed: {why}");
            }
        }
    }

    /// The exchange of the group to which this device belongs, until something stands in its way.
    async fn once(&self) -> Result<(), Trouble> {
        let Some(keys) = Keys::load(&self.home.data).map_err(Trouble::Keys)? else {
            self.app.exchange.change(|state| state.hub = None);
            std::future::pending::<()>().await;
            return Ok(());
        };
        while !self.app.clips.until_loaded(Duration::from_secs(5)).await {}
        let Some(store) = self.app.at_hand.store() else { return Err(Trouble::Records) };
        let device = self.app.clips.device();
        let Some((machine, entries)) = machine_of(&store, device).await? else {
            // The keys are there and the records know of no group: they were restored, or it was half left.
            return Err(MemberError::Other.into());
        };
        let link = Link::to(&keys.hub)?;
        let paused = self.is_paused();
        let devices = store.devices().await?;
        self.app.exchange.change(|state| {
            state.hub = Some(link.shown().to_owned());
            state.name = keys.name.clone();
            state.paused = paused;
            state.devices = devices;
        });
        let member = Member::new(device, keys, &entries)?;
        self.tell_members(&member);
        self.app.health.touch();
        let current = Arc::new(Current {
            member,
            link,
            store,
            machine: tokio::sync::Mutex::new(machine),
            full: AtomicBool::new(false),
            catching: tokio::sync::Mutex::default(),
        });
        *self.current.lock().unwrap_or_else(PoisonError::into_inner) = Some(Arc::clone(&current));
        if paused {
            // Until it goes on.
            loop {
                self.let_go_of_removed(&current.store).await?;
                tokio::time::sleep(PAUSED).await;
            }
        }
        tokio::try_join!(
            self.send(&current),
            self.receive(&current),
            self.fetch_small(&current),
            self.share(&current),
        )?;
        Ok(())
    }
}
