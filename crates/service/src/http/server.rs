//! Serving connections within limits: so many at once, so long for a request's head and for its body, none kept open
//! idle for long. Whoever holds connections open without a key holds up nobody but themselves.

use std::future::Future;
use std::io;
use std::sync::Arc;
use std::time::Duration;

use axum::Router;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::{TcpListener, UnixListener};
use tokio::sync::Semaphore;
use tokio_util::sync::CancellationToken;
use tokio_util::task::TaskTracker;

/// Connections by TCP at once: a few browsers.
pub const BY_TCP: usize = 128;
/// Connections by the Unix socket at once.
pub const BY_UNIX: usize = 128;
/// How long the head of a request may take, and how long a connection may stay idle between two.
const HEAD_TIME: Duration = Duration::from_secs(20);
/// How long a connection waits for its turn when all are taken; then it is closed.
const TURN_TIME: Duration = Duration::from_secs(5);
/// How long open connections may take at the end.
const LAST_REQUESTS: Duration = Duration::from_secs(3);
/// A pause when the system gives no descriptor.
const NO_DESCRIPTOR: Duration = Duration::from_millis(100);

/// Something that connections come from.
trait Source {
    type Connection: AsyncRead + AsyncWrite + Send + Unpin + 'static;
    /// The next connection; `None` for one that is turned away.
    fn next(&self) -> impl Future<Output = io::Result<Option<Self::Connection>>> + Send;
}

impl Source for TcpListener {
    type Connection = tokio::net::TcpStream;

    async fn next(&self) -> io::Result<Option<Self::Connection>> {
        let (stream, _) = self.accept().await?;
        let _ = stream.set_nodelay(true);
        Ok(Some(stream))
    }
}

/// The directory keeps other users out already; this holds if it is opened up.
impl Source for UnixListener {
    type Connection = tokio::net::UnixStream;

    async fn next(&self) -> io::Result<Option<Self::Connection>> {
        let own = rustix::process::geteuid().as_raw();
        let (stream, _) = self.accept().await?;
        match stream.peer_cred() {
            Ok(peer) if peer.uid() == own || peer.uid() == 0 => Ok(Some(stream)),
            _ => {
                tracing::warn!("another user tried to connect and was turned away");
                Ok(None)
            }
        }
    }
}

/// Serves by TCP until told to stop.
pub async fn serve_tcp(listener: TcpListener, router: Router, ended: CancellationToken) {
    serve(listener, router, ended, BY_TCP).await;
}

/// Serves on the Unix socket until told to stop.
pub async fn serve_unix(listener: UnixListener, router: Router, ended: CancellationToken) {
    serve(listener, router, ended, BY_UNIX).await;
}

async fn serve(source: impl Source, router: Router, ended: CancellationToken, most: usize) {
    let turns = Arc::new(Semaphore::new(most));
    let open = TaskTracker::new();
    loop {
        let next = tokio::select! {
            next = source.next() => next,
            () = ended.cancelled() => break,
        };
        let connection = match next {
            Ok(Some(connection)) => connection,
            Ok(None) => continue,
            Err(why) => {
                tracing::warn!("a connection could not be accepted: {why}");
                tokio::time::sleep(NO_DESCRIPTOR).await;
                continue;
            }
        };
        // Waiting for a turn here holds up whoever comes next, for a bounded time, and costs no descriptor more.
        let Ok(Ok(turn)) = tokio::time::timeout(TURN_TIME, turns.clone().acquire_owned()).await else {
            continue;
        };
        let (router, ended) = (router.clone(), ended.clone());
        open.spawn(async move {
            let mut http = hyper::server::conn::http1::Builder::new();
            http.timer(TokioTimer::new()).header_read_timeout(HEAD_TIME);
            let service = TowerToHyperService::new(router);
            let serving = http.serve_connection(TokioIo::new(connection), service);
            tokio::pin!(serving);
            tokio::select! {
                _ = &mut serving => {}
                () = ended.cancelled() => {
                    serving.as_mut().graceful_shutdown();
                    let _ = tokio::time::timeout(LAST_REQUESTS, serving).await;
                }
            }
            drop(turn);
        });
    }
    open.close();
    let _ = tokio::time::timeout(LAST_REQUESTS, open.wait()).await;
}
