//! An open set of records.

use std::sync::atomic::AtomicBool;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use sqlx::mysql::{MySqlConnectOptions, MySqlPool, MySqlPoolOptions};
use yadori_core::DeviceId;

use crate::error::{CommitError, OpenError};

use crate::write::claims::Claims;
use crate::write::lease::Lease;
use crate::write::own::Own;

/// The migrations of every schema this program knows, oldest first.
pub static MIGRATIONS: sqlx::migrate::Migrator = sqlx::migrate!("./migrations");

/// The schema used on a private server.
pub const SCHEMA: &str = "yadori";

/// Connections at once.
const CONNECTIONS: u32 = 8;

/// Large contents that are written at once, over two connections each.
const STAGING: usize = 2;

/// One that was looked at as it came back, and was not yet at rest as they were renewed, is met later.
const ON_THEIR_WAY: [Duration; 3] = [Duration::ZERO, Duration::from_millis(200), Duration::from_secs(2)];

/// Where the records are.
#[derive(Clone, Debug)]
pub enum Location {
    /// The private server behind this socket, as this operating system user.
    Private {
        /// The server's Unix socket.
        socket: std::path::PathBuf,
        /// Database user, equal to the operating system user.
        user: String,
    },
    /// A database that was given, schema included.
    Url(String),
}

/// An open set of records, held by a lease. Cheap to clone.
#[derive(Clone, Debug)]
pub struct Store {
    pub(crate) pool: MySqlPool,
    /// For what is short.
    pub(crate) own: Arc<Own>,
    pub(crate) lease: Arc<Lease>,
    pub(crate) claims: Arc<Claims>,
    /// Connections that were opened before this hold what has gone since.
    renewed: Arc<Mutex<Instant>>,
    /// Held by whoever moves clips of a restore to their place.
    pub(crate) moving: Arc<tokio::sync::Mutex<()>>,
    /// Large contents are written so many at a time: there are connections left for what is short.
    pub(crate) staging: Arc<tokio::sync::Semaphore>,
    /// The group that was committed last, where that is certain.
    last: Arc<Mutex<Option<[u8; 16]>>>,
    /// This device belongs to a group: changes are noted, to be sent.
    pub(crate) exchanges: Arc<AtomicBool>,
}

impl Store {
    /// Connects, brings the schema up to date and takes the lease for `device`. A schema newer than this program is
    /// refused untouched.
    pub async fn open(location: &Location, device: DeviceId) -> Result<Self, OpenError> {
        let options = connect_options(location).await?;
        let renewed = Arc::new(Mutex::new(Instant::now()));
        let since = Arc::clone(&renewed);
        let pool = MySqlPoolOptions::new()
            .max_connections(CONNECTIONS)
            .min_connections(1)
            .after_release(move |_, known| {
                // One that was in use as they were renewed is closed as it comes back.
                let fresh = known.age <= since.lock().unwrap_or_else(PoisonError::into_inner).elapsed();
                Box::pin(async move { Ok(fresh) })
            })
            .acquire_timeout(Duration::from_secs(4))
            .connect_with(options.clone())
            .await
            .map_err(|why| OpenError::of(why, OpenError::Connect))?;
        match MIGRATIONS.run(&pool).await {
            Ok(()) => {}
            Err(sqlx::migrate::MigrateError::VersionMissing(version)) => {
                return Err(OpenError::Newer(version));
            }
            Err(sqlx::migrate::MigrateError::Execute(why)) => {
                return Err(OpenError::of(why, |why| {
                    OpenError::Migrate(sqlx::migrate::MigrateError::Execute(why))
                }));
            }
            Err(why) => return Err(OpenError::Migrate(why)),
        }
        let lease = Lease::take(&pool, device).await?;
        let joined: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM exchange")
            .fetch_one(&pool)
            .await
            .map_err(|why| OpenError::of(why, OpenError::Prepare))?;
        Ok(Self {
            pool,
            own: Arc::new(Own::new(options)),
            lease: Arc::new(lease),
            claims: Arc::default(),
            renewed,
            moving: Arc::default(),
            staging: Arc::new(tokio::sync::Semaphore::new(STAGING)),
            last: Arc::default(),
            exchanges: Arc::new(AtomicBool::new(joined > 0)),
        })
    }

    /// The group that was committed last.
    pub(crate) fn last(&self) -> MutexGuard<'_, Option<[u8; 16]>> {
        self.last.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Says that this service is alive. Needed only where another service might take the lease over.
    pub async fn heartbeat(&self) -> Result<(), CommitError> {
        self.lease.renew(&self.pool).await
    }

    /// Closes all connections, those in use as soon as they come back: their buffers still hold what was last written and
    /// read. New ones are opened as they are needed.
    pub async fn renew_connections(&self) {
        *self.renewed.lock().unwrap_or_else(PoisonError::into_inner) = Instant::now();
        self.own.renew().await;
        for pause in ON_THEIR_WAY {
            tokio::time::sleep(pause).await;
            for _ in 0..CONNECTIONS {
                let Some(idle) = self.pool.try_acquire() else { break };
                let _ = sqlx::Connection::close(idle.detach()).await;
            }
        }
    }

    /// Gives the lease back and closes all connections.
    pub async fn close(&self) {
        self.lease.give_back(&self.pool).await;
        self.own.close().await;
        self.pool.close().await;
    }

    /// The connections, for whoever reads records this crate has no method for (benchmarks).
    pub fn pool(&self) -> &MySqlPool {
        &self.pool
    }
}

async fn connect_options(location: &Location) -> Result<MySqlConnectOptions, OpenError> {
    match location {
        Location::Private { socket, user } => {
            let options =
                MySqlConnectOptions::new().socket(socket).username(user).collation("utf8mb4_nopad_bin");
            let pool = MySqlPoolOptions::new()
                .max_connections(1)
                .acquire_timeout(Duration::from_secs(4))
                .connect_with(options.clone())
                .await
                .map_err(|why| OpenError::of(why, OpenError::Connect))?;
            sqlx::query(
                "CREATE DATABASE IF NOT EXISTS yadori CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin",
            )
            .execute(&pool)
            .await
            .map_err(|why| OpenError::of(why, OpenError::Connect))?;
            pool.close().await;
            Ok(options.database(SCHEMA))
        }
        Location::Url(url) => {
            let options: MySqlConnectOptions = url.parse().map_err(|_| OpenError::Url)?;
            if options.get_database().is_none_or(str::is_empty) {
                return Err(OpenError::Url);
            }
            Ok(options.collation("utf8mb4_nopad_bin"))
        }
    }
}
