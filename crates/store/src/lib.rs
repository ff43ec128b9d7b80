//! Yadori's records in MariaDB: the schema, one transaction per group of changes, contents in chunks, and the private
//! server that holds them when the configuration names none.
//!
//! The database is the truth; whoever uses this crate keeps its own picture in memory and changes it only after a
//! commit has succeeded.

mod error;
mod read;
mod records;
pub mod server;
mod write;

use std::sync::Arc;
use std::time::Duration;

use sqlx::mysql::{MySqlConnectOptions, MySqlPool, MySqlPoolOptions};
use yadori_core::{DeviceId, Stamp};

use write::claims::Claims;
use write::lease::Lease;

pub use error::{CommitError, OpenError, ReadError};
pub use read::load::Snapshot;
pub use records::{ActRow, ClipRow, RefusalRow, TurnedAct};
pub use write::commit::Group;
pub use write::contents::CHUNK;

/// The migrations of every schema this program knows, oldest first.
pub static MIGRATIONS: sqlx::migrate::Migrator = sqlx::migrate!("./migrations");

/// The schema used on a private server.
pub const SCHEMA: &str = "yadori";

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
    pool: MySqlPool,
    lease: Arc<Lease>,
    claims: Arc<Claims>,
}

impl Store {
    /// Connects, brings the schema up to date and takes the lease for `device`. A schema newer than this program is
    /// refused untouched.
    pub async fn open(location: &Location, device: DeviceId) -> Result<Self, OpenError> {
        let options = connect_options(location).await?;
        let pool = MySqlPoolOptions::new()
            .max_connections(8)
            .min_connections(1)
            .acquire_timeout(Duration::from_secs(4))
            .connect_with(options)
            .await
            .map_err(OpenError::Connect)?;
        match MIGRATIONS.run(&pool).await {
            Ok(()) => {}
            Err(sqlx::migrate::MigrateError::VersionMissing(version)) => {
                return Err(OpenError::Newer(version));
            }
            Err(why) => return Err(OpenError::Migrate(why)),
        }
        let lease = Lease::take(&pool, device).await?;
        Ok(Self { pool, lease: Arc::new(lease), claims: Arc::default() })
    }

    /// The last stamp this device's clock gave out, as saved with the last change.
    pub async fn clock(&self) -> Result<Option<Stamp>, ReadError> {
        let saved: Option<Vec<u8>> =
            sqlx::query_scalar("SELECT clock FROM service WHERE one = 1").fetch_one(&self.pool).await?;
        Ok(saved.as_deref().and_then(Stamp::from_bytes))
    }

    /// Says that this service is alive. Needed only where another service might take the lease over.
    pub async fn heartbeat(&self) -> Result<(), CommitError> {
        self.lease.renew(&self.pool).await
    }

    /// Gives the lease back and closes all connections.
    pub async fn close(&self) {
        self.lease.give_back(&self.pool).await;
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
                .map_err(OpenError::Connect)?;
            sqlx::query(
                "CREATE DATABASE IF NOT EXISTS yadori CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin",
            )
            .execute(&pool)
            .await
            .map_err(OpenError::Connect)?;
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
