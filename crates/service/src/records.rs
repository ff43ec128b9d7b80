//! Opening the records, and watching over the server that holds them.

use std::time::Duration;

use tokio::sync::watch;
use yadori_api::{Database, DatabaseState};
use yadori_store::server::{ServerState, current_user};
use yadori_store::{Location, OpenError, Store};

use crate::app::{REFUSALS, Shared};
use crate::home::Home;
use crate::keeper::{Change, Loaded};

const FIRST_PAUSE: Duration = Duration::from_millis(100);
const LONGEST_PAUSE: Duration = Duration::from_secs(2);
/// How often a service on a given database shows that it is alive.
const HEARTBEAT: Duration = Duration::from_secs(5);
/// Unneeded contents that are deleted in one change.
const COLLECTED: u32 = 8;

/// Opens the records, as often as it takes, and keeps what is known of the private server up to date.
pub(crate) async fn run(
    app: Shared,
    home: Home,
    url: Option<String>,
    server: Option<watch::Receiver<ServerState>>,
) {
    let location = match url {
        Some(url) => Location::Url(url),
        None => match current_user() {
            Ok(user) => Location::Private { socket: home.database_socket(), user },
            Err(why) => {
                return say(&app, DatabaseState::Refused, format!("the database user is not known: {why}"));
            }
        },
    };
    let Some(store) = open(&app, &location, server.clone()).await else { return };
    match server {
        Some(server) => watch_server(&app, server).await,
        None => beat(&app, &store).await,
    }
}

async fn open(
    app: &Shared,
    location: &Location,
    mut server: Option<watch::Receiver<ServerState>>,
) -> Option<Store> {
    let mut pause = FIRST_PAUSE;
    loop {
        if let Some(server) = &mut server {
            until_ready(app, server).await?;
        }
        match load(app, location).await {
            Ok(loaded) => {
                let store = loaded.store.clone();
                let _ = app.changes.send(Change::Loaded(Box::new(loaded)));
                collect_orphans(app, store.clone());
                return Some(store);
            }
            Err(why) => {
                let words = in_words(&why);
                tracing::warn!("{words}");
                if !why.may_pass() {
                    say(app, DatabaseState::Refused, words);
                    return None;
                }
                say(app, DatabaseState::Away, format!("{words}; it is tried again by itself"));
            }
        }
        tokio::select! {
            () = tokio::time::sleep(pause) => {}
            () = app.shutdown.cancelled() => return None,
        }
        pause = (pause * 2).min(LONGEST_PAUSE);
    }
}

async fn load(app: &Shared, location: &Location) -> Result<Loaded, OpenError> {
    let store = Store::open(location, app.device).await?;
    let read = |why: yadori_store::ReadError| match why {
        yadori_store::ReadError::Away(why) => OpenError::Connect(why),
        yadori_store::ReadError::Damaged => OpenError::Damaged,
    };
    let clips = store.clips().await.map_err(read)?;
    let clock = store.clock().await.map_err(read)?;
    let refusals = store.refusals(u32::try_from(REFUSALS).unwrap_or(20)).await.map_err(read)?;
    let drawers = store.drawers().await.map_err(read)?;
    let acts = store.acts().await.map_err(read)?;
    Ok(Loaded { store, clips, clock, refusals, drawers, acts })
}

/// Waits until the private server is ready, passing on what it says meanwhile. `None` when the service ends.
async fn until_ready(app: &Shared, server: &mut watch::Receiver<ServerState>) -> Option<()> {
    loop {
        match server.borrow_and_update().clone() {
            ServerState::Ready => return Some(()),
            ServerState::Starting => {}
            ServerState::Down { reason } => say(app, DatabaseState::Away, reason),
            ServerState::Stopped => return None,
        }
        tokio::select! {
            changed = server.changed() => changed.ok()?,
            () = app.shutdown.cancelled() => return None,
        }
    }
}

/// Once the records are open, the keeper finds out by itself when they can be written again; this adds why not.
async fn watch_server(app: &Shared, mut server: watch::Receiver<ServerState>) {
    loop {
        if let ServerState::Down { reason } = server.borrow_and_update().clone() {
            app.stand(|standing| {
                if standing.database.state == DatabaseState::Away {
                    standing.database.reason = Some(format!("{reason}; it is tried again by itself"));
                }
            });
        }
        tokio::select! {
            changed = server.changed() => if changed.is_err() { return },
            () = app.shutdown.cancelled() => return,
        }
    }
}

async fn beat(app: &Shared, store: &Store) {
    loop {
        tokio::select! {
            () = tokio::time::sleep(HEARTBEAT) => {}
            () = app.shutdown.cancelled() => return,
        }
        if let Err(why) = store.heartbeat().await {
            tracing::debug!("no sign of life could be given: {why}");
        }
    }
}

/// Contents that were staged before the start and never used, a few at a time.
fn collect_orphans(app: &Shared, store: Store) {
    let (app, before) = (app.clone(), app.started_at);
    tokio::spawn(async move {
        let mut after = None;
        let mut count = 0;
        loop {
            let found = match store.unneeded(before, after, COLLECTED).await {
                Ok(found) => found,
                Err(why) => return tracing::warn!("contents that nothing refers to could not be found: {why}"),
            };
            let Some(last) = found.last() else { break };
            after = Some(*last);
            count += found.len();
            let (done, answer) = tokio::sync::oneshot::channel();
            let _ = app.changes.send(Change::Collect(found, done));
            match answer.await {
                Ok(Ok(())) => {}
                Ok(Err(why)) => return tracing::warn!("contents that nothing refers to stay for now: {why}"),
                Err(_) => return,
            }
        }
        if count > 0 {
            tracing::info!("{count} contents that nothing refers to were looked at and deleted");
        }
    });
}

fn say(app: &Shared, state: DatabaseState, reason: String) {
    app.stand(|standing| standing.database = Database { state, reason: Some(reason) });
}

/// The whole chain of an error. Opening reads no contents, so nothing private can be in it.
fn in_words(why: &OpenError) -> String {
    let mut words = why.to_string();
    let mut cause = std::error::Error::source(why);
    while let Some(next) = cause {
        let text = next.to_string();
        if !words.contains(&text) {
            words = format!("{words}: {text}");
        }
        cause = next.source();
    }
    words
}
