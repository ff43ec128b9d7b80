//! A whole hub: its database, its interface, and what it does by itself.

use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::{Duration, SystemTime};

use tokio::net::TcpListener;
use tokio_util::sync::CancellationToken;
use yadori_store::Location;
use yadori_store::server::{PrivateServer, ServerPaths, ServerState, current_user};
use yadori_tls::{Identity, IdentityError, SecureListener};

use crate::http::{Hub, Peer, micros, routes};
use crate::keeping;
use crate::records::{OpenError, Records};
use crate::settings::{Certificate, Settings};
use crate::telling::{Process, Telling};

/// How long the database may take to start.
const DATABASE: Duration = Duration::from_secs(90);
/// How long open requests may take to end.
const LAST_REQUESTS: Duration = Duration::from_secs(5);

/// Why the hub did not start.
#[derive(Debug, thiserror::Error)]
pub enum RunError {
    /// Its directory, or a thread.
    #[error("the system did not allow what is needed: {0}")]
    System(#[from] std::io::Error),
    /// Its address.
    #[error(
        "{0} is taken by another program ({1}); end that program, or choose another address with --listen"
    )]
    Port(SocketAddr, std::io::Error),
    /// Its records.
    #[error(transparent)]
    Open(#[from] OpenError),
    /// Its certificate.
    #[error(transparent)]
    Identity(#[from] IdentityError),
    /// Its database.
    #[error("the hub's database did not start: {0}")]
    Database(String),
}

/// The records of a hub, and the database server that it runs for them.
///
/// # Errors
/// When they can't be opened.
pub async fn open(settings: &Settings) -> Result<(Records, Option<PrivateServer>), RunError> {
    if let Some(url) = &settings.database_url {
        return Ok((Records::open(&Location::Url(url.clone())).await?, None));
    }
    make_private(&settings.home)?;
    let socket = socket_of(&settings.home);
    make_private(&settings.home.join(RUN))?;
    let server = PrivateServer::start(ServerPaths {
        data: settings.home.join("records"),
        socket: socket.clone(),
        log: settings.home.join("records.log"),
    })?;
    let mut states = server.state();
    // What keeps it from starting may pass: it is tried again by itself.
    let began = states.wait_for(|state| matches!(state, ServerState::Ready | ServerState::Stopped));
    if !matches!(tokio::time::timeout(DATABASE, began).await, Ok(Ok(_))) {
        let why = match &*server.state().borrow() {
            ServerState::Down { reason, .. } => reason.clone(),
            _ => "it did not answer in time".into(),
        };
        return Err(RunError::Database(why));
    }
    Ok((Records::open(&Location::Private { socket, user: current_user()? }).await?, Some(server)))
}

/// The directory of run-time files.
const RUN: &str = "run";

fn socket_of(home: &Path) -> PathBuf {
    home.join(RUN).join("records.sock")
}

fn make_private(dir: &Path) -> std::io::Result<()> {
    use std::os::unix::fs::DirBuilderExt;
    std::fs::DirBuilder::new().recursive(true).mode(0o700).create(dir)
}

/// Who answers; `None`: in the clear.
fn identity(settings: &Settings) -> Result<Option<Identity>, IdentityError> {
    match &settings.tls {
        None => Ok(None),
        Some(Certificate::Given(certificate, key)) => Identity::given(certificate, key).map(Some),
        Some(Certificate::OfItsOwn) => {
            let names = ["yadori-hub".to_owned(), settings.listen.ip().to_string()];
            Identity::of_its_own(&settings.home.join("tls"), &names, SystemTime::now()).map(Some)
        }
    }
}

/// Serves until told to stop. `ready` is given the address as devices need it: with the beginning of the key after `#`, where
/// it speaks TLS.
///
/// # Errors
/// Why it did not start.
pub async fn run(
    settings: Settings,
    shutdown: CancellationToken,
    ready: impl FnOnce(&str),
) -> Result<(), RunError> {
    let identity = identity(&settings)?;
    let (records, server) = open(&settings).await?;
    let listener =
        TcpListener::bind(settings.listen).await.map_err(|why| RunError::Port(settings.listen, why))?;
    let address = listener.local_addr()?;
    let telling = Telling::default();
    // Nobody else has a database of its own.
    let others = if server.is_none() {
        let process = Process::join(random()?, records.clone(), telling.clone()).await;
        let process = process.map_err(|why| RunError::Database(why.to_string()))?;
        Some(tokio::spawn(process.run(shutdown.clone())))
    } else {
        None
    };
    let hub = Arc::new(Hub::new(records.clone(), &settings, telling, shutdown.clone()));
    let keep = (hub.grown.clone(), hub.asked.clone(), settings.quiet_days);
    let keeping = tokio::spawn(keeping::run(records.clone(), keep, micros, shutdown.clone()));
    let service = routes(hub).into_make_service_with_connect_info::<Peer>();
    let ended = shutdown.clone();
    let ended = async move { ended.cancelled().await };
    let serving = match &identity {
        Some(identity) => {
            ready(&format!("https://{address}#{}", identity.pin().typed()));
            let secure = SecureListener::on(listener, identity)?;
            let serving = axum::serve(secure, service).with_graceful_shutdown(ended);
            tokio::spawn(std::future::IntoFuture::into_future(serving))
        }
        None => {
            ready(&format!("http://{address}"));
            let serving = axum::serve(NoDelay(listener), service).with_graceful_shutdown(ended);
            tokio::spawn(std::future::IntoFuture::into_future(serving))
        }
    };
    tracing::info!("answering at {address}");
    shutdown.cancelled().await;
    tracing::info!("stopping");
    let _ = tokio::time::timeout(LAST_REQUESTS, serving).await;
    let _ = keeping.await;
    if let Some(others) = others {
        let _ = others.await;
    }
    records.close().await;
    if let Some(mut server) = server {
        let _ = tokio::task::spawn_blocking(move || server.stop()).await;
    }
    Ok(())
}

/// Small answers are sent at once.
struct NoDelay(TcpListener);

impl axum::serve::Listener for NoDelay {
    type Io = tokio::net::TcpStream;
    type Addr = SocketAddr;

    async fn accept(&mut self) -> (Self::Io, Self::Addr) {
        let (stream, from) = axum::serve::Listener::accept(&mut self.0).await;
        let _ = stream.set_nodelay(true);
        (stream, from)
    }

    fn local_addr(&self) -> std::io::Result<Self::Addr> {
        self.0.local_addr()
    }
}

impl axum::extract::connect_info::Connected<axum::serve::IncomingStream<'_, SecureListener>> for Peer {
    fn connect_info(stream: axum::serve::IncomingStream<'_, SecureListener>) -> Self {
        Self(*stream.remote_addr())
    }
}

impl axum::extract::connect_info::Connected<axum::serve::IncomingStream<'_, NoDelay>> for Peer {
    fn connect_info(stream: axum::serve::IncomingStream<'_, NoDelay>) -> Self {
        Self(*stream.remote_addr())
    }
}

fn random() -> std::io::Result<[u8; 16]> {
    let mut random = [0; 16];
    getrandom::fill(&mut random).map_err(|why| std::io::Error::other(why.to_string()))?;
    Ok(random)
}

/// Words with which somebody may bring a group, once, until so many days are over. The hub runs meanwhile.
///
/// # Errors
/// Nobody is invited then.
pub async fn invite(settings: &Settings, days: u32) -> Result<String, RunError> {
    let location = match &settings.database_url {
        Some(url) => Location::Url(url.clone()),
        None => Location::Private { socket: socket_of(&settings.home), user: current_user()? },
    };
    let records = Records::open(&location).await?;
    let words = hex::encode(random()?);
    let until = crate::http::micros() + i64::from(days) * 86_400_000_000;
    let invited = records.invite(*blake3::hash(words.as_bytes()).as_bytes(), until).await;
    records.close().await;
    invited.map_err(|why| RunError::Database(why.to_string()))?;
    Ok(words)
}
