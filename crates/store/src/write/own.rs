//! The connection of what is short. It is nobody else's, so a copy waits neither for one to be free nor until it was asked
//! whether it still answers: where it does not, the copy's own answer stays away, and its outcome is found out as ever.

use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use sqlx::Connection as _;
use sqlx::mysql::{MySqlConnectOptions, MySqlConnection};

/// One that was silent for longer is asked first: whatever stands between may have let go of it.
const SURE_FOR: Duration = Duration::from_secs(60);
/// How long a new one may take.
const PATIENCE: Duration = Duration::from_secs(4);

/// A connection in somebody's hands.
#[derive(Debug)]
pub(crate) struct Line {
    pub(crate) connection: MySqlConnection,
    opened: Instant,
    answered: Instant,
}

#[derive(Debug)]
pub(crate) struct Own {
    options: MySqlConnectOptions,
    place: Mutex<Place>,
}

#[derive(Debug)]
struct Place {
    idle: Option<Line>,
    /// One that was opened before is not kept.
    renewed: Instant,
    closed: bool,
}

impl Own {
    pub(crate) fn new(options: MySqlConnectOptions) -> Self {
        Self { options, place: Mutex::new(Place { idle: None, renewed: Instant::now(), closed: false }) }
    }

    fn place(&self) -> MutexGuard<'_, Place> {
        self.place.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The connection, a new one where there is none that answers. Nothing has been told the server when this fails.
    pub(crate) async fn take(&self) -> Result<Line, sqlx::Error> {
        let idle = {
            let mut place = self.place();
            if place.closed {
                return Err(sqlx::Error::PoolClosed);
            }
            place.idle.take()
        };
        if let Some(mut line) = idle {
            let answers = line.answered.elapsed() < SURE_FOR
                || matches!(tokio::time::timeout(PATIENCE, line.connection.ping()).await, Ok(Ok(())));
            if answers {
                return Ok(line);
            }
            let _ = line.connection.close_hard().await;
        }
        let opened = Instant::now();
        let connecting = tokio::time::timeout(PATIENCE, MySqlConnection::connect_with(&self.options));
        let connection = connecting.await.map_err(|_| sqlx::Error::PoolTimedOut)??;
        Ok(Line { connection, opened, answered: opened })
    }

    /// It has answered, and may be used again.
    pub(crate) async fn give_back(&self, mut line: Line) {
        line.answered = Instant::now();
        let stale = {
            let mut place = self.place();
            if line.opened > place.renewed && !place.closed { place.idle.replace(line) } else { Some(line) }
        };
        if let Some(stale) = stale {
            let _ = stale.connection.close().await;
        }
    }

    /// Closes it for good: nothing is told the server any more.
    pub(crate) async fn close(&self) {
        self.place().closed = true;
        self.renew().await;
    }

    /// Closes it, and the one in use as it comes back: its buffers still hold what was last written.
    pub(crate) async fn renew(&self) {
        let idle = {
            let mut place = self.place();
            place.renewed = Instant::now();
            place.idle.take()
        };
        if let Some(line) = idle {
            let _ = line.connection.close().await;
        }
    }
}
