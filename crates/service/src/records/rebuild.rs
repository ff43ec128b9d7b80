//! Rebuilding a private server's records from what remains, and removing the old files: what was freed in them and not
//! overwritten yet goes with them. It is done at a start, before anything else uses the records; whatever breaks it off,
//! the next start goes on.

use std::fs;
use std::path::{Path, PathBuf};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use yadori_core::DeviceId;
use yadori_store::server::copying::copy_all;
use yadori_store::server::{PrivateServer, ServerPaths, ServerState, current_user};
use yadori_store::{Location, Store};

use crate::home::place::{Home, write_private};

/// What the mark holds while rows are copied, and once the new records are whole.
const COPYING: &[u8] = b"copying\n";
const WHOLE: &[u8] = b"whole\n";

/// Why the records are as they were.
#[derive(Debug, thiserror::Error)]
pub enum RebuildError {
    /// Files.
    #[error("files: {0}")]
    Files(#[from] std::io::Error),
    /// A server.
    #[error("the server did not start: {0}")]
    Server(String),
    /// The records.
    #[error("the records could not be copied: {0}")]
    Records(String),
}

fn mark(home: &Home) -> PathBuf {
    home.data.join("rebuild")
}

/// This run ends in order to rebuild.
static ASKED: AtomicBool = AtomicBool::new(false);

/// True when this run ends in order to rebuild the records at its next start.
pub fn is_asked() -> bool {
    ASKED.load(Ordering::SeqCst)
}

/// The records are rebuilt at the next start, for which this run ends.
///
/// # Errors
/// They are not.
pub fn ask(home: &Home) -> std::io::Result<()> {
    write_private(&mark(home), COPYING)?;
    ASKED.store(true, Ordering::SeqCst);
    Ok(())
}

/// True when they are to be rebuilt, or a rebuilding was broken off.
pub fn is_wanted(home: &Home) -> bool {
    mark(home).exists()
}

async fn started(paths: ServerPaths) -> Result<PrivateServer, RebuildError> {
    let server = PrivateServer::start(paths)?;
    let mut state = server.state();
    let reached = state.wait_for(|state| !matches!(state, ServerState::Starting)).await;
    match reached.as_deref() {
        Ok(ServerState::Ready) => Ok(server),
        Ok(other) => Err(RebuildError::Server(format!("{other:?}"))),
        Err(_) => Err(RebuildError::Server("it ended".into())),
    }
}

async fn opened(socket: PathBuf, device: DeviceId) -> Result<Store, RebuildError> {
    let location = Location::Private { socket, user: current_user()? };
    Store::open(&location, device).await.map_err(|why| RebuildError::Records(why.to_string()))
}

/// Rebuilds the records, if that is wanted.
///
/// # Errors
/// They are as they were; it is tried again at the next start.
pub async fn run(home: &Home, device: DeviceId) -> Result<(), RebuildError> {
    let (old, new, gone) =
        (home.data.join("records"), home.data.join("records.new"), home.data.join("records.old"));
    if fs::read(mark(home))? != WHOLE {
        tracing::info!("the records are rebuilt from what remains");
        remove(&new)?;
        copy(home, device, &old, &new).await?;
        write_private(&mark(home), WHOLE)?;
    }
    // Each of these steps may have been done already.
    if new.exists() {
        if old.exists() {
            remove(&gone)?;
            fs::rename(&old, &gone)?;
        }
        fs::rename(&new, &old)?;
    }
    remove(&gone)?;
    fs::remove_file(mark(home))?;
    tracing::info!("the records were rebuilt, and the old files removed");
    Ok(())
}

async fn copy(home: &Home, device: DeviceId, old: &Path, new: &Path) -> Result<(), RebuildError> {
    let paths = |data: &Path, socket: PathBuf| ServerPaths {
        data: data.to_owned(),
        socket,
        log: home.logs.join("records.log"),
    };
    let beside = home.data.join("records.rows");
    remove(&beside)?;
    fs::create_dir(&beside)?;
    let (first, second) = (home.database_socket(), home.run.join("new.sock"));
    let mut from = started(paths(old, first.clone())).await?;
    let into = started(paths(new, second.clone())).await;
    let outcome = match &into {
        Ok(_) => {
            let (source, target) = (opened(first, device).await?, opened(second, device).await?);
            let copied = copy_all(&source, &target, &beside).await;
            source.close().await;
            target.close().await;
            copied.map_err(|why| RebuildError::Records(why.to_string()))
        }
        Err(why) => Err(RebuildError::Server(why.to_string())),
    };
    let ended = tokio::task::spawn_blocking(move || {
        from.stop();
        if let Ok(mut into) = into {
            into.stop();
        }
    });
    let _ = tokio::time::timeout(Duration::from_secs(120), ended).await;
    remove(&beside)?;
    outcome
}

/// Removes a directory with what is in it; its files are emptied first.
fn remove(directory: &Path) -> std::io::Result<()> {
    let Ok(entries) = fs::read_dir(directory) else { return Ok(()) };
    for entry in entries {
        let entry = entry?;
        if entry.file_type()?.is_dir() {
            remove(&entry.path())?;
        } else {
            let _ = fs::OpenOptions::new().write(true).truncate(true).open(entry.path());
            fs::remove_file(entry.path())?;
        }
    }
    fs::remove_dir(directory)
}
