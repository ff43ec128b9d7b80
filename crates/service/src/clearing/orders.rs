//! Standing orders: clearings that happen by themselves, on this device only.

use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};
use yadori_api as api;
use yadori_core::Micros;
use yadori_core::limits::{Occasion, Order};

use crate::clearing::clear::{ClearError, clear, clear_live};
use crate::clearing::deaf::Deaf;
use crate::clearing::sweep::let_go;
use crate::home::place::write_private;
use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::writer::{Queue, WriteError};

/// How often orders are looked at: a computer that slept, or whose clock was set, is not overslept for long.
const EACH: Duration = Duration::from_secs(30);
/// How late an order of a time of day may be and still act.
const LATE: Micros = 12 * 3_600 * 1_000_000;

/// What an order did last.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Did {
    /// When.
    pub at: Micros,
    /// How many clips went.
    pub clips: u64,
    /// Why it could not be carried out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub failed: Option<String>,
}

/// What orders did last, by what they are; remembered over restarts.
#[derive(Debug)]
pub struct Orders {
    file: PathBuf,
    did: Mutex<HashMap<String, Did>>,
    /// Since when this run looks at the clock.
    since: Micros,
    /// Why locking is not heard.
    pub(super) deaf: Deaf,
}

/// A name for an order that changes with it.
fn key(order: &Order) -> String {
    let text = serde_json::to_string(order).unwrap_or_default();
    blake3::hash(text.as_bytes()).to_hex()[..16].to_owned()
}

/// What a person calls an order.
fn name_of(order: &Order) -> String {
    order.name.clone().unwrap_or_else(|| format!("order: {}", order.on))
}

impl Orders {
    /// As an earlier run left them.
    pub fn at(file: &Path) -> Self {
        let did = std::fs::read(file).ok().and_then(|bytes| serde_json::from_slice(&bytes).ok());
        Self {
            file: file.to_owned(),
            did: Mutex::new(did.unwrap_or_default()),
            since: now(),
            deaf: Deaf::default(),
        }
    }

    fn did(&self, order: &Order) -> Option<Did> {
        self.did.lock().unwrap_or_else(PoisonError::into_inner).get(&key(order)).cloned()
    }

    fn note(&self, app: &App, order: &Order, did: Did) {
        let known: Vec<String> = app.settings().keeping.orders.iter().map(|(order, _)| key(order)).collect();
        let text = {
            let mut all = self.did.lock().unwrap_or_else(PoisonError::into_inner);
            all.retain(|name, _| known.contains(name));
            all.insert(key(order), did);
            serde_json::to_vec_pretty(&*all).unwrap_or_default()
        };
        if let Err(why) = write_private(&self.file, &text) {
            tracing::warn!("what a standing order did is not remembered over a restart: {why}");
        }
        app.health.touch();
    }

    /// The orders with what they did last and when they act next.
    pub fn list(&self, app: &App) -> Vec<api::StandingOrder> {
        let settings = app.settings();
        let zone = TimeZone::system();
        let one = |(order, occasion): &(Order, Occasion)| {
            let did = self.did(order);
            let oldest = || {
                let Occasion::After(after) = occasion else { return None };
                let history = app.clips.history();
                let first =
                    history.oldest_first().find(|clip| order.clear.takes(clip) && !clip.is_fleeting());
                first.map(|clip| clip.ordered_at.saturating_add(*after))
            };
            api::StandingOrder {
                order: order.clone(),
                words: format!("{}: clears {}", order.on, order.clear.words()),
                next: occasion.next(now(), &zone).or_else(oldest),
                last: did.as_ref().map(|did| did.at),
                cleared: did.as_ref().map(|did| did.clips),
                failed: match occasion {
                    Occasion::Lock => self.deaf.why(),
                    _ => None,
                }
                .or_else(|| did.and_then(|did| did.failed)),
            }
        };
        settings.keeping.orders.iter().map(one).collect()
    }

    /// Carries out every order of an occasion.
    pub async fn on(&self, app: &App, queue: &Queue, occasion: Occasion) {
        let settings = app.settings();
        for (order, _) in settings.keeping.orders.iter().filter(|(_, one)| *one == occasion) {
            self.carry_out(app, queue, order).await;
        }
    }

    async fn carry_out(&self, app: &App, queue: &Queue, order: &Order) {
        let wanted = api::Clear {
            scope: order.clear.clone(),
            upto: None,
            now: order.now,
            live: order.live,
            zone: None,
        };
        let outcome = clear(app, queue, &wanted, TimeZone::system(), Some(name_of(order))).await;
        let (clips, failed) = match outcome {
            Ok(cleared) => (cleared.clips, None),
            Err(ClearError::Write(WriteError::NothingToClear)) => (0, None),
            Err(why) => (0, Some(why.to_string())),
        };
        tracing::info!("a standing order has cleared {clips} clips");
        self.note(app, order, Did { at: now(), clips, failed });
    }

    /// Lets go of what has been there for as long as orders say.
    async fn after(&self, app: &App, queue: &Queue) {
        let settings = app.settings();
        for (order, occasion) in &settings.keeping.orders {
            let Occasion::After(after) = occasion else { continue };
            let Ok(floor) = queue.floor().await else { return };
            let oldest = now().saturating_sub(*after);
            let mut ids = Vec::new();
            app.clips.each(|_, clip| {
                let due = clip.ordered_at <= oldest;
                if due && order.clear.takes(clip) && !clip.is_fleeting() {
                    ids.push(clip.id);
                }
                due
            });
            if ids.is_empty() {
                continue;
            }
            let gone = let_go(app, queue, ids, floor, (&name_of(order), &order.clear)).await;
            if order.live {
                clear_live(app).await;
            }
            let (clips, failed) = match gone {
                Ok(clips) => (clips, None),
                Err(why) => (0, Some(why.to_string())),
            };
            self.note(app, order, Did { at: now(), clips, failed });
        }
    }

    /// Carries out orders whose time of day has come since they were looked at last.
    async fn daily(&self, app: &App, queue: &Queue) {
        let settings = app.settings();
        let (zone, at) = (TimeZone::system(), now());
        for (order, occasion) in &settings.keeping.orders {
            if !matches!(occasion, Occasion::Daily(_)) {
                continue;
            }
            // Missed ones are made up for, if they are not long past: the computer slept, or was off.
            let since = self.did(order).map_or(self.since, |did| did.at).max(at.saturating_sub(LATE));
            if occasion.next(since, &zone).is_some_and(|due| due <= at) {
                self.carry_out(app, queue, order).await;
            }
        }
    }
}

/// Carries orders out until the service ends.
pub async fn run(app: Shared, queue: Queue, orders: std::sync::Arc<Orders>) {
    while !app.clips.until_loaded(EACH).await {
        if app.shutdown.is_cancelled() {
            return;
        }
    }
    orders.on(&app, &queue, Occasion::Start).await;
    loop {
        orders.daily(&app, &queue).await;
        orders.after(&app, &queue).await;
        tokio::select! {
            () = tokio::time::sleep(EACH) => {}
            () = app.settings_changed() => {}
            () = app.shutdown.cancelled() => return,
        }
    }
}
