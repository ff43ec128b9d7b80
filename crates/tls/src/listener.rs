//! A listener whose connections have shaken hands. Who takes long with it keeps nobody else waiting.

use std::io;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;

use tokio::net::{TcpListener, TcpStream};
use tokio::sync::{Semaphore, mpsc};
use tokio::task::JoinHandle;
use tokio_rustls::TlsAcceptor;
use tokio_rustls::server::TlsStream;

use crate::identity::Identity;

/// How long shaking hands may take.
const PATIENCE: Duration = Duration::from_secs(10);
/// Those who shake hands at once.
const AT_ONCE: usize = 256;
/// Connections that wait to be served.
const WAITING: usize = 64;
/// After a connection could not be taken, as when there are too many files open.
const PAUSE: Duration = Duration::from_secs(1);

/// Takes connections over TLS, for axum to serve.
#[derive(Debug)]
pub struct SecureListener {
    ready: mpsc::Receiver<(TlsStream<TcpStream>, SocketAddr)>,
    local: SocketAddr,
    taking: JoinHandle<()>,
}

impl SecureListener {
    /// Takes the connections that come to a listener.
    ///
    /// # Errors
    /// When its address is not known.
    pub fn on(listener: TcpListener, identity: &Identity) -> io::Result<Self> {
        let local = listener.local_addr()?;
        let (sender, ready) = mpsc::channel(WAITING);
        let taking = tokio::spawn(take(listener, TlsAcceptor::from(identity.config()), sender));
        Ok(Self { ready, local, taking })
    }
}

async fn take(
    listener: TcpListener,
    acceptor: TlsAcceptor,
    ready: mpsc::Sender<(TlsStream<TcpStream>, SocketAddr)>,
) {
    let shaking = Arc::new(Semaphore::new(AT_ONCE));
    while !ready.is_closed() {
        let Ok(place) = Arc::clone(&shaking).acquire_owned().await else { return };
        let Ok((stream, from)) = listener.accept().await else {
            tokio::time::sleep(PAUSE).await;
            continue;
        };
        let (acceptor, ready) = (acceptor.clone(), ready.clone());
        tokio::spawn(async move {
            // Small answers are sent at once.
            let _ = stream.set_nodelay(true);
            if let Ok(Ok(stream)) = tokio::time::timeout(PATIENCE, acceptor.accept(stream)).await {
                // Nobody may serve any more.
                let _ = ready.send((stream, from)).await;
            }
            drop(place);
        });
    }
}

impl Drop for SecureListener {
    fn drop(&mut self) {
        self.taking.abort();
    }
}

impl axum::serve::Listener for SecureListener {
    type Io = TlsStream<TcpStream>;
    type Addr = SocketAddr;

    async fn accept(&mut self) -> (Self::Io, Self::Addr) {
        match self.ready.recv().await {
            Some(taken) => taken,
            None => std::future::pending().await,
        }
    }

    fn local_addr(&self) -> io::Result<SocketAddr> {
        Ok(self.local)
    }
}
