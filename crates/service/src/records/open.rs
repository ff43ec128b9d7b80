//! Opening the records, and watching over the server that holds them.

use std::time::Duration;

use tokio::sync::watch;
use yadori_api::DatabaseState;
use yadori_store::server::{Fault, ServerState, current_user};
use yadori_store::{ClipRows, Location, OpenError, ReadError, Store};

use crate::home::place::Home;
use crate::records::collect::collect;
use crate::search::long_texts;
use crate::state::app::Shared;
use crate::state::clips::fill_search;
use crate::state::health::REFUSALS;
use crate::writer::{Change, ImportId, Loaded, Queue};

/// Clips that are there before the others.
const NEWEST: u32 = 500;
const FIRST_PAUSE: Duration = Duration::from_millis(100);
const LONGEST_PAUSE: Duration = Duration::from_secs(2);
/// How often a service on a given database shows that it is alive.
const HEARTBEAT: Duration = Duration::from_secs(5);

/// Opens the records, as often as it takes, and keeps what is known of the private server up to date.
pub(crate) async fn run(
    app: Shared,
    queue: Queue,
    home: Home,
    url: Option<String>,
    server: Option<watch::Receiver<ServerState>>,
) {
    let location = match url {
        Some(url) => Location::Url(url),
        None => match current_user() {
            Ok(user) => Location::Private { socket: home.database_socket(), user },
            Err(why) => {
                let words = format!("the database user is not known: {why}");
                return app.health.set_database(DatabaseState::Refused, Some(words));
            }
        },
    };
    let Some(store) = open(&app, &queue, &location, server.clone()).await else { return };
    match server {
        Some(server) => watch_server(&app, server).await,
        None => beat(&app, &store).await,
    }
}

async fn open(
    app: &Shared,
    queue: &Queue,
    location: &Location,
    mut server: Option<watch::Receiver<ServerState>>,
) -> Option<Store> {
    let mut pause = FIRST_PAUSE;
    loop {
        if let Some(server) = &mut server {
            until_ready(app, server).await?;
        }
        match load(app, location).await {
            Ok((loaded, long, cut_off)) => {
                let store = loaded.store.clone();
                app.clips.set_unread(long.len() as u64);
                queue.send(Change::Loaded(Box::new(loaded)));
                let (shared, own) = (app.clone(), store.clone());
                app.parts.start("reading long texts", async move {
                    // The writer puts what was loaded in place first.
                    while !shared.clips.until_loaded(LONGEST_PAUSE).await {
                        if shared.shutdown.is_cancelled() {
                            return;
                        }
                    }
                    long_texts::read(shared, long).await;
                });
                app.parts
                    .start("finishing a restore", finish_restore(own.clone(), queue.clone(), app.clone()));
                app.parts.start("taking up imports", take_up(cut_off, queue.clone(), app.clone()));
                return Some(store);
            }
            Err(why) => {
                let words = in_words(&why);
                tracing::warn!("{words}");
                let state = match &why {
                    OpenError::Damaged(_) => DatabaseState::Damaged,
                    OpenError::Full(_) => DatabaseState::Full,
                    why if why.may_pass() => DatabaseState::Away,
                    _ => DatabaseState::Refused,
                };
                if !why.may_pass() {
                    app.health.set_database(state, Some(words));
                    return None;
                }
                app.health.set_database(state, Some(format!("{words}; it is tried again by itself")));
            }
        }
        tokio::select! {
            () = tokio::time::sleep(pause) => {}
            () = app.shutdown.cancelled() => return None,
        }
        pause = (pause * 2).min(LONGEST_PAUSE);
    }
}

/// Clips of a backup that are still on their way go to their place, or (when the restore was cut off) away; then what
/// nobody needs is collected.
async fn finish_restore(store: Store, queue: Queue, app: Shared) {
    let outcome = async {
        if store.has_received().await? {
            while !store.settle_received().await? {
                tokio::task::yield_now().await;
            }
            return Ok(());
        }
        store.drop_received().await
    };
    if let Err(why) = outcome.await {
        return tracing::warn!("a restore is finished at the next start: {why}");
    }
    collect(store, queue, app.started_at).await;
}

/// What imports had done that were cut off with the service can be taken back from now on.
async fn take_up(imports: Vec<ImportId>, queue: Queue, app: Shared) {
    if imports.is_empty() {
        return;
    }
    while !app.clips.until_loaded(LONGEST_PAUSE).await {
        if app.shutdown.is_cancelled() {
            return;
        }
    }
    for import in imports {
        match queue.imported(import).await {
            Ok(_) => tracing::info!("an import was cut off; what it had brought in can be taken back"),
            Err(why) => {
                tracing::warn!("an import that was cut off can be taken back after the next start: {why}");
            }
        }
    }
}

/// What the records hold, clips whose texts are longer than their facts tell, and imports that were cut off.
type Held = (Loaded, Vec<yadori_core::ClipId>, Vec<ImportId>);

async fn load(app: &Shared, location: &Location) -> Result<Held, OpenError> {
    let store = Store::open(location, app.clips.device()).await?;
    let read = |why: ReadError| match why {
        ReadError::Away(why) => OpenError::Connect(why),
        ReadError::Damaged(why) => OpenError::Damaged(why),
    };
    let newest = store.newest_clips(NEWEST).await.map_err(read)?;
    tracing::debug!("{} of the newest clips are there", newest.len());
    app.clips.begin(newest);
    let (mut history, mut corpus) = app.clips.blank();
    for drawer in store.drawers().await.map_err(read)? {
        history.drawers_mut().put(drawer);
    }
    for batch in store.batches().await.map_err(read)? {
        history.batches_mut().put(batch.id, Some(batch));
    }
    // Each goes to its place at once: all of them in a list would take as much memory once more, and leave it in pieces.
    let (give, mut rows) = tokio::sync::mpsc::channel(4);
    let filled = tokio::task::spawn_blocking(move || {
        while let Some(some) = rows.blocking_recv() {
            for clip in ClipRows::read(some) {
                history.add([clip?]);
            }
        }
        history.put_in_order();
        let long = fill_search(&history, &mut corpus);
        Ok((history, corpus, long))
    });
    let given = store.each_clip(&give).await;
    drop(give);
    let clock = store.clock().await.map_err(read)?;
    let refusals = store.refusals(u32::try_from(REFUSALS).unwrap_or(20)).await.map_err(read)?;
    let acts = store.acts().await.map_err(read)?;
    let imports = store.imports().await.map_err(read)?;
    let sign_ins = store.sign_ins().await.map_err(read)?;
    let filled = filled.await;
    given.map_err(read)?;
    let (history, corpus, long) = match filled {
        Ok(filled) => filled.map_err(read)?,
        // A mistake in the program, told by whoever watches this part.
        Err(why) => std::panic::resume_unwind(why.into_panic()),
    };
    Ok((Loaded { store, history, corpus, clock, refusals, acts, sign_ins }, long, imports))
}

fn say_down(app: &Shared, reason: &str, fault: Fault) {
    let (state, words) = match fault {
        Fault::Full => (DatabaseState::Full, format!("{reason}; free some space, and it starts by itself")),
        Fault::Damaged => (
            DatabaseState::Damaged,
            format!(
                "{reason}; keep this home for repair, and restore a backup into a new one (yadori --home DIR restore FILE)"
            ),
        ),
        Fault::ReadOnly => {
            (DatabaseState::Refused, format!("{reason}; make the disk writable, and it starts by itself"))
        }
        Fault::Other => (DatabaseState::Away, format!("{reason}; it is tried again by itself")),
    };
    app.health.set_database(state, Some(words));
}

/// Waits until the private server is ready, passing on what it says meanwhile. `None` when the service ends.
async fn until_ready(app: &Shared, server: &mut watch::Receiver<ServerState>) -> Option<()> {
    loop {
        match server.borrow_and_update().clone() {
            ServerState::Ready => return Some(()),
            ServerState::Starting => {}
            ServerState::Down { reason, fault } => say_down(app, &reason, fault),
            ServerState::Stopped => return None,
        }
        tokio::select! {
            changed = server.changed() => changed.ok()?,
            () = app.shutdown.cancelled() => return None,
        }
    }
}

/// Once the records are open, the writer finds out by itself when they can be written again; this adds why not.
async fn watch_server(app: &Shared, mut server: watch::Receiver<ServerState>) {
    loop {
        if let ServerState::Down { reason, fault } = server.borrow_and_update().clone() {
            let away = app.health.now().database.state != DatabaseState::Ready;
            if away {
                say_down(app, &reason, fault);
            }
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
