//! Serving connections within limits: so many at once, so long for a request's head and for its body, none kept open
//! idle for long. When all are taken, the oldest one that never showed a key makes room, so that whoever holds
//! connections open without a key holds up nobody but themselves.

use std::collections::VecDeque;
use std::future::Future;
use std::io;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use axum::Router;
use hyper::Request;
use hyper::body::Incoming;
use hyper::service::{Service, service_fn};
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::service::TowerToHyperService;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::{TcpListener, UnixListener};
use tokio_util::sync::CancellationToken;
use tokio_util::task::TaskTracker;
use yadori_tls::SecureListener;

/// Connections at once by each entrance: a few browsers, a few clients.
pub const AT_ONCE: usize = 128;
/// How long the head of a request may take, and how long a connection may stay idle between two.
const HEAD_TIME: Duration = Duration::from_secs(20);
/// How long open connections may take at the end.
const LAST_REQUESTS: Duration = Duration::from_secs(3);
/// A pause when the system gives no descriptor, or all connections are taken by those who belong here.
const PAUSE: Duration = Duration::from_millis(100);

/// Who is at the other end of a connection, as far as that is known.
#[derive(Clone, Debug)]
pub(super) struct Guest {
    belongs_here: Arc<AtomicBool>,
    leave: CancellationToken,
}

impl Guest {
    fn new(belongs_here: bool) -> Self {
        Self { belongs_here: Arc::new(AtomicBool::new(belongs_here)), leave: CancellationToken::new() }
    }

    /// A key was shown.
    pub(super) fn showed_a_key(&self) {
        self.belongs_here.store(true, Ordering::Relaxed);
    }

    fn belongs_here(&self) -> bool {
        self.belongs_here.load(Ordering::Relaxed)
    }
}

/// Everybody who is connected, oldest first.
#[derive(Clone, Debug, Default)]
struct Guests(Arc<Mutex<VecDeque<Guest>>>);

impl Guests {
    /// Takes somebody in. False when all places are taken by those who belong here.
    fn take_in(&self, guest: &Guest) -> bool {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if all.len() >= AT_ONCE {
            let Some(at) = all.iter().position(|one| !one.belongs_here()) else { return false };
            if let Some(stranger) = all.remove(at) {
                stranger.leave.cancel();
            }
        }
        all.push_back(guest.clone());
        true
    }

    fn has_left(&self, guest: &Guest) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.retain(|one| !Arc::ptr_eq(&one.belongs_here, &guest.belongs_here));
    }
}

/// Something that connections come from.
trait Source {
    type Connection: AsyncRead + AsyncWrite + Send + Unpin + 'static;
    /// Those who connect this way belong here.
    const BELONG_HERE: bool;
    /// The next connection; `None` for one that is turned away.
    fn next(&self) -> impl Future<Output = io::Result<Option<Self::Connection>>> + Send;
}

impl Source for TcpListener {
    type Connection = tokio::net::TcpStream;
    const BELONG_HERE: bool = false;

    async fn next(&self) -> io::Result<Option<Self::Connection>> {
        let (stream, _) = self.accept().await?;
        let _ = stream.set_nodelay(true);
        Ok(Some(stream))
    }
}

/// The directory keeps other users out already; this holds if it is opened up.
impl Source for UnixListener {
    type Connection = tokio::net::UnixStream;
    const BELONG_HERE: bool = true;

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

/// Phones, over TLS.
pub struct Phones(tokio::sync::Mutex<SecureListener>);

impl Phones {
    /// Those who come to a listener.
    pub fn at(listener: SecureListener) -> Self {
        Self(tokio::sync::Mutex::new(listener))
    }
}

impl Source for Phones {
    type Connection = <SecureListener as axum::serve::Listener>::Io;
    const BELONG_HERE: bool = false;

    async fn next(&self) -> io::Result<Option<Self::Connection>> {
        let (stream, _) = axum::serve::Listener::accept(&mut *self.0.lock().await).await;
        Ok(Some(stream))
    }
}

/// Serves phones until told to stop.
pub async fn serve_phones(phones: Phones, router: Router, ended: CancellationToken) {
    serve(phones, router, ended).await;
}

/// Serves by TCP until told to stop.
pub async fn serve_tcp(listener: TcpListener, router: Router, ended: CancellationToken) {
    serve(listener, router, ended).await;
}

/// Serves on the Unix socket until told to stop.
pub async fn serve_unix(listener: UnixListener, router: Router, ended: CancellationToken) {
    serve(listener, router, ended).await;
}

async fn serve<S: Source>(source: S, router: Router, ended: CancellationToken) {
    let guests = Guests::default();
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
                tokio::time::sleep(PAUSE).await;
                continue;
            }
        };
        let guest = Guest::new(S::BELONG_HERE);
        while !guests.take_in(&guest) {
            tokio::select! {
                () = tokio::time::sleep(PAUSE) => {}
                () = ended.cancelled() => break,
            }
        }
        let (guests, ended) = (guests.clone(), ended.clone());
        let router = router.clone();
        open.spawn(async move {
            serve_one(connection, router, &guest, &ended).await;
            guests.has_left(&guest);
        });
    }
    open.close();
    let _ = tokio::time::timeout(LAST_REQUESTS, open.wait()).await;
}

async fn serve_one(
    connection: impl AsyncRead + AsyncWrite + Send + Unpin + 'static,
    router: Router,
    guest: &Guest,
    ended: &CancellationToken,
) {
    let mut http = hyper::server::conn::http1::Builder::new();
    http.timer(TokioTimer::new()).header_read_timeout(HEAD_TIME);
    // Each request learns who asks. A layer of the router would do that, too, but is laid around each route anew.
    let (router, asking) = (TowerToHyperService::new(router), guest.clone());
    let answer = service_fn(move |mut request: Request<Incoming>| {
        request.extensions_mut().insert(asking.clone());
        router.call(request)
    });
    let serving = http.serve_connection(TokioIo::new(connection), answer);
    tokio::pin!(serving);
    tokio::select! {
        _ = &mut serving => {}
        () = guest.leave.cancelled() => {}
        () = ended.cancelled() => {
            serving.as_mut().graceful_shutdown();
            let _ = tokio::time::timeout(LAST_REQUESTS, serving).await;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whoever_never_showed_a_key_makes_room_and_others_stay() {
        let guests = Guests::default();
        let all: Vec<Guest> = (0..AT_ONCE).map(|_| Guest::new(false)).collect();
        all[0].showed_a_key();
        assert!(all.iter().all(|guest| guests.take_in(guest)));
        assert!(guests.take_in(&Guest::new(false)));
        assert!(!all[0].leave.is_cancelled() && all[1].leave.is_cancelled());
        all.iter().for_each(Guest::showed_a_key);
        guests.has_left(&all[0]);
        // Two strangers came in for the two that left; they make room before anybody who belongs here.
        assert!(guests.take_in(&Guest::new(true)) && guests.take_in(&Guest::new(true)));
        assert!(!guests.take_in(&Guest::new(true)), "all that are left belong here");
    }
}
