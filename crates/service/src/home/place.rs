//! Where one device keeps its files: everything under `--home DIR`, or spread over the XDG base directories.

use std::fs::{DirBuilder, File, OpenOptions};
use std::io::{self, Read, Seek, Write};
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt};
use std::path::{Path, PathBuf};

use rustix::fs::{FlockOperation, flock};
use yadori_core::DeviceId;

use crate::home::random::{NoRandomness, random};

/// The longest path a Unix socket may have on Linux, in bytes (sun_path, without its ending zero).
const SOCKET_PATH_LIMIT: usize = 107;

/// The directories of one device.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Home {
    /// The configuration file.
    pub config: PathBuf,
    /// Records.
    pub data: PathBuf,
    /// Logs.
    pub logs: PathBuf,
    /// Sockets and locks; 0700.
    pub run: PathBuf,
}

/// What the environment says about directories.
#[derive(Clone, Debug, Default)]
pub struct BaseDirectories {
    /// `HOME`.
    pub home: Option<PathBuf>,
    /// `XDG_CONFIG_HOME`.
    pub config: Option<PathBuf>,
    /// `XDG_DATA_HOME`.
    pub data: Option<PathBuf>,
    /// `XDG_STATE_HOME`.
    pub state: Option<PathBuf>,
    /// `XDG_RUNTIME_DIR`.
    pub run: Option<PathBuf>,
}

/// Why the directories can't be used.
#[derive(Debug, thiserror::Error)]
pub enum HomeError {
    /// Neither `--home` nor `HOME`.
    #[error("no home directory is known: set HOME, or pass --home DIR")]
    Unknown,
    /// A socket there could not be addressed.
    #[error(
        "{0} is too long for a socket (its path may have {SOCKET_PATH_LIMIT} bytes): choose a shorter --home"
    )]
    TooLong(PathBuf),
    /// A file or directory can't be used.
    #[error("{path} can't be used: {cause}")]
    Files {
        /// Which.
        path: PathBuf,
        /// Why.
        cause: io::Error,
    },
    /// No randomness.
    #[error(transparent)]
    Randomness(#[from] NoRandomness),
    /// Another service runs here.
    #[error(
        "another yadorid (process {0}) already runs with this home; `yadori status` speaks to it, `yadori stop` ends it"
    )]
    Taken(String),
}

impl Home {
    /// Everything under one directory.
    pub fn under(dir: &Path) -> Self {
        Self {
            config: dir.join("config.toml"),
            data: dir.join("data"),
            logs: dir.join("logs"),
            run: dir.join("run"),
        }
    }

    /// The XDG base directories, with the defaults of their specification. Without `XDG_RUNTIME_DIR`, the run-time
    /// directory lies in the state directory.
    pub fn by_xdg(base: &BaseDirectories) -> Result<Self, HomeError> {
        let at = |given: &Option<PathBuf>, default: &str| {
            given
                .clone()
                .filter(|path| path.is_absolute())
                .or_else(|| base.home.as_ref().map(|home| home.join(default)))
                .map(|path| path.join("yadori"))
                .ok_or(HomeError::Unknown)
        };
        let state = at(&base.state, ".local/state")?;
        Ok(Self {
            config: at(&base.config, ".config")?.join("config.toml"),
            data: at(&base.data, ".local/share")?,
            logs: state.join("logs"),
            run: base
                .run
                .clone()
                .filter(|path| path.is_absolute())
                .map_or(state.join("run"), |run| run.join("yadori")),
        })
    }

    /// The socket that the client speaks to.
    pub fn socket(&self) -> PathBuf {
        self.run.join("yadori.sock")
    }

    /// The socket of the private database.
    pub fn database_socket(&self) -> PathBuf {
        self.run.join("records.sock")
    }

    /// Makes the directories, for this user alone, and claims them. The claim lasts as long as the returned value.
    pub fn claim(&self) -> Result<Claim, HomeError> {
        for socket in [self.socket(), self.database_socket()] {
            if socket.as_os_str().len() > SOCKET_PATH_LIMIT {
                return Err(HomeError::TooLong(socket));
            }
        }
        for dir in [&self.data, &self.logs, &self.run] {
            let made = DirBuilder::new().recursive(true).mode(0o700).create(dir);
            made.and_then(|()| close_to_others(dir))
                .map_err(|cause| HomeError::Files { path: dir.clone(), cause })?;
        }
        let path = self.run.join("lock");
        let files = |cause| HomeError::Files { path: path.clone(), cause };
        let mut lock = OpenOptions::new()
            .read(true)
            .write(true)
            .create(true)
            .truncate(false)
            .mode(0o600)
            .open(&path)
            .map_err(files)?;
        if flock(&lock, FlockOperation::NonBlockingLockExclusive).is_err() {
            let mut holder = String::new();
            let _ = lock.read_to_string(&mut holder);
            return Err(HomeError::Taken(holder.trim().to_owned()));
        }
        let write = |lock: &mut File| {
            lock.set_len(0)?;
            lock.rewind()?;
            write!(lock, "{}", std::process::id())
        };
        write(&mut lock).map_err(files)?;
        Ok(Claim { _lock: lock })
    }

    /// The id of this device: 16 random bytes, made at the first start.
    pub fn device(&self) -> Result<DeviceId, HomeError> {
        let path = self.data.join("device");
        let files = |cause| HomeError::Files { path: path.clone(), cause };
        if let Ok(text) = std::fs::read_to_string(&path) {
            return DeviceId::try_from(text.trim().to_owned()).map_err(|why| files(io::Error::other(why)));
        }
        let device = DeviceId(random()?);
        write_private(&path, String::from(device).as_bytes()).map_err(files)?;
        Ok(device)
    }

    /// The port the console was last served on.
    pub fn remembered_port(&self) -> Option<u16> {
        std::fs::read_to_string(self.data.join("port")).ok()?.trim().parse().ok()
    }

    /// Keeps the port for the next start.
    pub fn remember_port(&self, port: u16) {
        if let Err(why) = write_private(&self.data.join("port"), port.to_string().as_bytes()) {
            tracing::warn!("the console's port could not be kept for the next start: {why}");
        }
    }
}

/// Held while the service runs.
#[derive(Debug)]
pub struct Claim {
    _lock: File,
}

fn close_to_others(dir: &Path) -> io::Result<()> {
    use std::os::unix::fs::PermissionsExt;
    std::fs::set_permissions(dir, std::fs::Permissions::from_mode(0o700))
}

/// Writes a file that its owner alone can read, whole or not at all.
pub fn write_private(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let scratch = path.with_extension("new");
    let mut file = OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&scratch)?;
    file.write_all(bytes)?;
    file.sync_all()?;
    std::fs::rename(scratch, path)
}

/// The client: beside this program, or wherever programs are looked for.
pub fn client_program() -> PathBuf {
    let beside = std::env::current_exe().ok().and_then(|own| Some(own.parent()?.join("yadori")));
    beside.filter(|path| path.exists()).unwrap_or_else(|| "yadori".into())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn xdg_directories_have_their_defaults() {
        let base = BaseDirectories { home: Some("/home/warden".into()), ..BaseDirectories::default() };
        let home = Home::by_xdg(&base).unwrap();
        assert_eq!(home.config, Path::new("/home/warden/.config/yadori/config.toml"));
        assert_eq!(home.run, Path::new("/home/warden/.local/state/yadori/run"));
        assert!(matches!(Home::by_xdg(&BaseDirectories::default()), Err(HomeError::Unknown)));
    }

    #[test]
    fn a_home_is_claimed_once_and_closed_to_others() {
        use std::os::unix::fs::PermissionsExt;
        let dir = tempfile::tempdir().unwrap();
        let home = Home::under(dir.path());
        let claim = home.claim().unwrap();
        assert_eq!(home.run.metadata().unwrap().permissions().mode() & 0o777, 0o700);
        let Err(HomeError::Taken(pid)) = home.claim() else { panic!("claimed twice") };
        assert_eq!(pid, std::process::id().to_string());
        drop(claim);
        assert!(home.claim().is_ok());
    }

    #[test]
    fn a_home_too_deep_for_sockets_is_refused_with_the_next_step() {
        let why = Home::under(Path::new(&format!("/{}", "x".repeat(110)))).claim().unwrap_err();
        assert!(why.to_string().contains("shorter --home"), "{why}");
    }

    #[test]
    fn the_device_id_lasts() {
        let dir = tempfile::tempdir().unwrap();
        let home = Home::under(dir.path());
        let _claim = home.claim().unwrap();
        assert_eq!(home.device().unwrap(), home.device().unwrap());
    }
}
