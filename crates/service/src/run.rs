//! A whole service: its parts started, watched, and ended in order.

use std::io;
use std::net::SocketAddr;
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, PoisonError};
use std::time::Duration;

use tokio::net::{TcpListener, UnixListener};
use tokio::task::JoinHandle;
use tokio_util::sync::CancellationToken;
use yadori_core::limits::Occasion;
use yadori_desk::{Desk, DeskEvents};
use yadori_store::server::{PrivateServer, ServerPaths};

use crate::chords::picker::Picker;
use crate::clearing::orders::Orders;
use crate::exchange::Exchanger;
use crate::home::autostart::Autostart;
use crate::home::place::{Home, HomeError};
use crate::home::random::{NoRandomness, random_name};
use crate::home::settings::Settings;
use crate::home::settings::change::Config;
use crate::http::{self, Context, server};
use crate::records::room::Disk;
use crate::state::app::{App, Shared, keys_of, language_of};
use crate::state::clock::now;
use crate::state::files::Files;
use crate::state::pausing::Pausing;
use crate::writer::{Queue, Writer, queue};
use crate::{chords, clearing, hosting, intake, letting_in, pictures, records, search, signs};

/// How long open requests may take to end.
const LAST_REQUESTS: Duration = Duration::from_secs(3);
/// How long saving what waits may take at the end.
const LAST_CHANGES: Duration = Duration::from_secs(10);
/// How long standing orders may take at the end; what they began is gone on with at the next start.
const LAST_ORDERS: Duration = Duration::from_secs(15);
/// How often a console port that is taken is tried again.
const PORT_AGAIN: Duration = Duration::from_secs(5);

/// Why the service did not start, or how it failed.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// The directories.
    #[error(transparent)]
    Home(#[from] HomeError),
    /// No randomness.
    #[error(transparent)]
    Randomness(#[from] NoRandomness),
    /// The address that was asked for.
    #[error(
        "{0} is taken by another program ({1}); end that program, or choose another address with --listen (127.0.0.1:0 for any free port)"
    )]
    Port(SocketAddr, io::Error),
    /// The client's socket.
    #[error("the socket {path} can't be made: {cause}")]
    Socket {
        /// Which.
        path: PathBuf,
        /// Why.
        cause: io::Error,
    },
    /// A thread or descriptor.
    #[error("the system did not allow what is needed: {0}")]
    System(#[from] io::Error),
    /// A mistake in the program.
    #[error("{0}")]
    Fault(String),
}

/// Runs the service. `ready` is called when requests are answered and copies are seen.
///
/// # Errors
/// Why it did not start, or which of its parts failed.
pub async fn run(
    settings: Settings,
    shutdown: CancellationToken,
    ready: impl FnOnce(&App),
) -> Result<(), RunError> {
    let changeable = &settings.changeable;
    let keys = keys_of(changeable);
    // Paused by an earlier run: then not even what lies on the clipboard is read.
    let pausing = Pausing::default();
    pausing.remembered(pause_file(&settings.home), now());
    let start = || yadori_desk::displays::start(settings.displays.clone(), keys, pausing.now().is_some());
    let desk = if settings.capture { Some(start()?) } else { None };
    run_on(desk, settings, shutdown, ready).await
}

fn pause_file(home: &Home) -> PathBuf {
    home.data.join("pause.json")
}

/// Runs the service on a given desk.
///
/// # Errors
/// As [`run`].
pub async fn run_on(
    desk: Option<(Desk, DeskEvents)>,
    settings: Settings,
    shutdown: CancellationToken,
    ready: impl FnOnce(&App),
) -> Result<(), RunError> {
    let home = settings.home.clone();
    let _claim = home.claim()?;
    let device = home.device()?;
    let (desk, events) = desk.unzip();
    let app: Shared = Arc::new(App::new(device, desk, random_name::<6>()?, settings.grace, shutdown.clone()));
    *app.settings.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(settings.changeable.clone());
    yadori_words::speak(language_of(settings.changeable.look.language));
    app.pausing.remembered(pause_file(&home), now());
    app.parts.start("ending pauses", intake::pause::run(app.clone()));
    let files = app.files.get_or_init(|| Files::at(home.run.join("handed"))).clone();
    if settings.database_url.is_none() && records::rebuild::is_wanted(&home) {
        // Copies that are made meanwhile wait in the desk.
        let rebuilt = tokio::select! {
            rebuilt = records::rebuild::run(&home, device) => rebuilt,
            // Broken off anywhere, it is gone on with at the next start.
            () = shutdown.cancelled() => return Ok(()),
        };
        if let Err(why) = rebuilt {
            tracing::error!("the records could not be rebuilt: {why}; it is tried again at the next start");
        }
    }
    let mut server = match settings.database_url {
        Some(_) => None,
        None => Some(PrivateServer::start(ServerPaths {
            data: home.data.join("records"),
            socket: home.database_socket(),
            log: home.logs.join("records.log"),
        })?),
    };
    let disk = Disk::of(server.as_ref().map(|_| home.data.clone()));
    let (queue, changes) = queue();
    let of_records = disk.clone();
    let config = Arc::new(Config { path: settings.config.clone(), ..Config::default() });
    let orders = Arc::new(Orders::at(&home.data.join("orders.json")));
    app.holding.remembered(home.data.join("limits-held"));
    let exchanger = Exchanger::new(app.clone(), queue.clone(), home.clone(), disk.clone(), config.clone());
    let context = Context {
        app: app.clone(),
        exchanger: exchanger.clone(),
        queue: queue.clone(),
        home: home.clone(),
        disk: disk.clone(),
        config,
        autostart: Arc::new(Autostart { under: settings.under.clone() }),
        orders: orders.clone(),
    };
    app.parts.start("obeying the limits", clearing::sweep::run(app.clone(), queue.clone()));
    app.parts.start("hearing the lock", clearing::lock::run(app.clone(), queue.clone(), orders.clone()));
    app.parts.start("standing orders", clearing::orders::run(app.clone(), queue.clone(), orders.clone()));

    let unix = serve_unix(&home.socket(), &context)?;
    let tcp = serve_console(&settings, &context).await?;
    let writer = app.parts.start("saving", Writer::new(app.clone(), changes, disk.clone()).run());
    if let Some(events) = events {
        let (chords, pressed) = tokio::sync::mpsc::unbounded_channel();
        let _ = app.presses.set(chords.clone());
        let incoming = intake::desk::run(app.clone(), queue.clone(), events, disk, chords);
        app.parts.start("taking copies in", incoming);
        let picker = Picker {
            displays: settings.displays.clone(),
            under: settings.under.clone(),
            run: home.run.clone(),
        };
        app.parts.start(
            "doing what chords are for",
            chords::doing::run(app.clone(), queue.clone(), picker, pressed),
        );
    }
    if let Some(listen) = settings.hub {
        app.parts.start("serving a hub", hosting::run(app.clone(), home.data.clone(), listen));
    }
    if let Some(door) = settings.phone.clone() {
        app.parts.start("letting phones in", letting_in::run(context.clone(), door));
    }
    app.parts.start("fetching contents of other devices", exchanger.clone().fetch_wanted());
    app.parts.start("exchanging with other devices", exchanger.run());
    let around = signs::showing::Around {
        run: home.run.clone(),
        place: home.data.join("lamp.json"),
        displays: settings.displays.clone(),
        config: context.config.clone(),
    };
    app.parts.start("showing signs", signs::showing::run(app.clone(), around));
    app.parts.start("sealing what is searched", search::sealing::run(app.clone()));
    app.parts.start("reading pictures", pictures::reading::run(app.clone(), queue.clone()));
    app.parts.start("room for the records", records::space::run(app.clone(), of_records));
    app.parts.start("telling how things stand", app.clone().tell_status());
    let states = server.as_ref().map(PrivateServer::state);
    let opening =
        records::open::run(app.clone(), queue.clone(), home.clone(), settings.database_url.clone(), states);
    app.parts.start("the records", opening);
    ready(&app);

    shutdown.cancelled().await;
    tracing::info!("stopping");
    files.clear();
    let _ = tokio::time::timeout(LAST_REQUESTS, async {
        let _ = unix.await;
        let _ = tcp.await;
    })
    .await;
    // What is cleared at the end is cleared before the records are closed.
    let _ = tokio::time::timeout(LAST_ORDERS, orders.on(&app, &queue, Occasion::Stop)).await;
    end(&app, &queue, writer, server.take()).await;
    let _ = std::fs::remove_file(home.socket());
    match app.parts.faults().pop() {
        Some(fault) => Err(RunError::Fault(fault)),
        None => Ok(()),
    }
}

async fn end(app: &App, queue: &Queue, writer: JoinHandle<()>, server: Option<PrivateServer>) {
    let _ = tokio::time::timeout(LAST_CHANGES, queue.stop()).await;
    writer.abort();
    if let Some(store) = app.at_hand.store() {
        let _ = tokio::time::timeout(LAST_REQUESTS, store.close()).await;
    }
    if let Some(mut server) = server {
        let _ = tokio::task::spawn_blocking(move || server.stop()).await;
    }
}

/// The interface for this user's programs.
fn serve_unix(path: &Path, context: &Context) -> Result<JoinHandle<()>, RunError> {
    let failed = |cause| RunError::Socket { path: path.to_owned(), cause };
    // The home is claimed: a socket that is still there belongs to a service that was killed.
    match std::fs::remove_file(path) {
        Err(cause) if cause.kind() != io::ErrorKind::NotFound => return Err(failed(cause)),
        _ => {}
    }
    let listener = UnixListener::bind(path).map_err(failed)?;
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o600)).map_err(failed)?;
    let app = &context.app;
    let serving = server::serve_unix(listener, http::over_unix(context.clone()), app.shutdown.clone());
    Ok(app.parts.start("answering the client", serving))
}

/// The console. An address that was asked for must be free; the port of the last start is waited for, since
/// bookmarks and open pages point there.
async fn serve_console(settings: &Settings, context: &Context) -> Result<JoinHandle<()>, RunError> {
    let remembered = settings.home.remembered_port();
    let wanted =
        settings.listen.unwrap_or_else(|| SocketAddr::from(([127, 0, 0, 1], remembered.unwrap_or(0))));
    let listener = match TcpListener::bind(wanted).await {
        Ok(listener) => Some(listener),
        Err(why) if settings.listen.is_some() || remembered.is_none() => {
            return Err(RunError::Port(wanted, why));
        }
        Err(_) => None,
    };
    if let Some(listener) = &listener {
        let port = listener.local_addr()?.port();
        if settings.listen.is_none_or(|asked| asked.port() == 0) {
            settings.home.remember_port(port);
        }
        said_where(&context.app, listener)?;
    }
    let context = context.clone();
    let app = context.app.clone();
    Ok(app.parts.start("serving the console", async move {
        let listener = match listener {
            Some(listener) => Some(listener),
            None => await_port(&context.app, wanted).await,
        };
        let Some(listener) = listener else { return };
        let Ok(address) = listener.local_addr() else { return };
        let router = http::over_tcp(context.clone(), address.port());
        server::serve_tcp(listener, router, context.app.shutdown.clone()).await;
    }))
}

fn said_where(app: &App, listener: &TcpListener) -> io::Result<()> {
    let address = listener.local_addr()?;
    app.health.change(|health| health.console = Ok(format!("http://{address}")));
    tracing::info!("the console is served at http://{address}");
    Ok(())
}

async fn await_port(app: &App, wanted: SocketAddr) -> Option<TcpListener> {
    let words = format!(
        "the console's address {wanted} is taken by another program, which is not Yadori: do not sign in there. End \
         that program and the console comes back by itself, or choose another address with --listen"
    );
    tracing::warn!("{words}");
    app.health.change(|health| health.console = Err(words));
    loop {
        tokio::select! {
            () = tokio::time::sleep(PORT_AGAIN) => {}
            () = app.shutdown.cancelled() => return None,
        }
        if let Ok(listener) = TcpListener::bind(wanted).await {
            let _ = said_where(app, &listener);
            return Some(listener);
        }
    }
}

#[cfg(test)]
mod tests;
