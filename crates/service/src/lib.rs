//! The long-running service of Yadori: it joins the live clipboard, the records and the interface.
//!
//! [`run`] takes resolved settings and ends when its shutdown token is cancelled, by a signal or by `POST /stop`.

pub mod app;
pub mod entry;
pub mod events;
pub mod home;
pub mod http;
pub mod intake;
pub mod keeper;
pub mod logging;
mod records;
pub mod searching;
pub mod settings;

use std::io;
use std::net::SocketAddr;
use std::os::unix::fs::PermissionsExt;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use axum::serve::ListenerExt;
use tokio::net::{TcpListener, UnixListener};
use tokio::sync::{mpsc, oneshot};
use tokio::task::JoinHandle;
use tokio_util::sync::CancellationToken;
use yadori_store::server::{PrivateServer, ServerPaths};

use app::{App, Shared};
use home::HomeError;
use http::Context;
use keeper::{Change, Keeper};
use settings::Settings;

/// How long open requests may take to end.
const LAST_REQUESTS: Duration = Duration::from_secs(3);
/// How long saving what waits may take at the end.
const LAST_CHANGES: Duration = Duration::from_secs(10);
/// How often a console port that is taken is tried again.
const PORT_AGAIN: Duration = Duration::from_secs(5);

/// Why the service did not start.
#[derive(Debug, thiserror::Error)]
pub enum StartError {
    /// The directories.
    #[error(transparent)]
    Home(#[from] HomeError),
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
}

/// Runs the service. `ready` is called when requests are answered and copies are seen.
pub async fn run(
    settings: Settings,
    shutdown: CancellationToken,
    ready: impl FnOnce(&App),
) -> Result<(), StartError> {
    let home = settings.home.clone();
    let _claim = home.claim()?;
    let device = home.device()?;

    let (desk, desk_events) = if settings.capture {
        let (desk, events) = yadori_desk::x11::start(settings.display.clone())?;
        (Some(desk), Some(events))
    } else {
        (None, None)
    };
    let (changes, queue) = mpsc::unbounded_channel();
    let epoch: String = home::random::<6>()?.iter().map(|byte| format!("{byte:02x}")).collect();
    let app: Shared = Arc::new(App::new(device, desk, changes, epoch, settings.grace, shutdown.clone()));

    let data = home.data.join("records");
    let mut server = match settings.database_url {
        Some(_) => None,
        None => Some(PrivateServer::start(ServerPaths {
            data,
            socket: home.database_socket(),
            log: home.logs.join("records.log"),
        })?),
    };
    let disk = server.as_ref().map(|_| home.data.clone());
    let context = Context { app: app.clone(), disk: disk.clone() };

    let unix = serve_unix(&home.socket(), &context)?;
    let tcp = serve_console(&settings, &context).await?;
    let keeper = tokio::spawn(Keeper::new(app.clone(), queue, disk.clone()).run());
    if let Some(events) = desk_events {
        tokio::spawn(intake::run(app.clone(), events, disk));
    }
    tokio::spawn({
        let app = app.clone();
        async move { app.tell_status().await }
    });
    tokio::spawn(records::run(
        app.clone(),
        home.clone(),
        settings.database_url.clone(),
        server.as_ref().map(PrivateServer::state),
    ));
    ready(&app);

    shutdown.cancelled().await;
    tracing::info!("stopping");
    let _ = tokio::time::timeout(LAST_REQUESTS, async {
        let _ = unix.await;
        let _ = tcp.await;
    })
    .await;
    let (done, saved) = oneshot::channel();
    let _ = app.changes.send(Change::Stop(done));
    let _ = tokio::time::timeout(LAST_CHANGES, saved).await;
    keeper.abort();
    let store = app.store.borrow().clone();
    if let Some(store) = store {
        let _ = tokio::time::timeout(LAST_REQUESTS, store.close()).await;
    }
    if let Some(mut server) = server.take() {
        let _ = tokio::task::spawn_blocking(move || server.stop()).await;
    }
    let _ = std::fs::remove_file(home.socket());
    Ok(())
}

/// The interface for this user's programs.
fn serve_unix(path: &std::path::Path, context: &Context) -> Result<JoinHandle<()>, StartError> {
    let failed = |cause| StartError::Socket { path: path.to_owned(), cause };
    // The home is claimed: a socket that is still there belongs to a service that was killed.
    match std::fs::remove_file(path) {
        Err(cause) if cause.kind() != io::ErrorKind::NotFound => return Err(failed(cause)),
        _ => {}
    }
    let listener = UnixListener::bind(path).map_err(failed)?;
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o600)).map_err(failed)?;
    let router = http::over_unix(context.clone());
    let ended = context.app.shutdown.clone().cancelled_owned();
    Ok(tokio::spawn(async move {
        if let Err(why) = axum::serve(http::OwnUser(listener), router).with_graceful_shutdown(ended).await {
            tracing::error!("the socket for the client failed: {why}");
        }
    }))
}

/// The console. An address that was asked for must be free; the port of the last start is waited for, since
/// bookmarks and open pages point there.
async fn serve_console(settings: &Settings, context: &Context) -> Result<JoinHandle<()>, StartError> {
    let remembered = settings.home.remembered_port();
    let wanted =
        settings.listen.unwrap_or_else(|| SocketAddr::from(([127, 0, 0, 1], remembered.unwrap_or(0))));
    let bound = TcpListener::bind(wanted).await;
    let listener = match bound {
        Ok(listener) => Some(listener),
        Err(why) if settings.listen.is_some() || remembered.is_none() => {
            return Err(StartError::Port(wanted, why));
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
    Ok(tokio::spawn(async move {
        let listener = match listener {
            Some(listener) => listener,
            None => match await_port(&context.app, wanted).await {
                Some(listener) => listener,
                None => return,
            },
        };
        let Ok(address) = listener.local_addr() else { return };
        let router = http::over_tcp(context.clone(), address.port());
        let listener = listener.tap_io(|stream| {
            let _ = stream.set_nodelay(true);
        });
        let ended = context.app.shutdown.clone().cancelled_owned();
        if let Err(why) = axum::serve(listener, router).with_graceful_shutdown(ended).await {
            tracing::error!("the console is not served any more: {why}");
            context.app.stand(|standing| {
                standing.console = Err(format!("the console is not served any more: {why}"));
            });
        }
    }))
}

fn said_where(app: &App, listener: &TcpListener) -> io::Result<()> {
    let address = listener.local_addr()?;
    app.stand(|standing| standing.console = Ok(format!("http://{address}")));
    tracing::info!("the console is served at http://{address}");
    Ok(())
}

async fn await_port(app: &App, wanted: SocketAddr) -> Option<TcpListener> {
    let words = format!(
        "the console's address {wanted} is taken by another program, which is not Yadori: do not sign in there. End \
         that program and the console comes back by itself, or choose another address with --listen"
    );
    tracing::warn!("{words}");
    app.stand(|standing| standing.console = Err(words));
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
