//! The private MariaDB: installed into the data directory, started and stopped with the service, reachable by a Unix
//! socket in the run-time directory alone.
//!
//! It runs under a thread of its own, since the kernel sends the parent-death signal when the spawning *thread* ends.
//! A server that an earlier, crashed service left behind is never adopted: its exit is awaited first.

pub mod copying;
mod install;
mod orphan;
mod verify;

use std::io;
use std::os::unix::net::UnixStream;
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicBool, AtomicI32, Ordering};
use std::sync::{Arc, Condvar, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use rustix::process::{Pid, Signal, kill_process};
use tokio::sync::watch;

/// How long a start may take before it counts as failed.
const START_LIMIT: Duration = Duration::from_secs(60);
/// How long a stop may take before the server is killed (it recovers at the next start).
const STOP_LIMIT: Duration = Duration::from_secs(15);

/// Where the private server lives.
#[derive(Clone, Debug)]
pub struct ServerPaths {
    /// Its data directory.
    pub data: PathBuf,
    /// Its Unix socket.
    pub socket: PathBuf,
    /// Its error log.
    pub log: PathBuf,
}

/// What the private server is doing.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum ServerState {
    /// Being installed or started, or waiting for an earlier one to end.
    Starting,
    /// Answers on its socket.
    Ready,
    /// Not running; it is tried again by itself.
    Down {
        /// What happened, in plain words.
        reason: String,
        /// What sort of thing.
        fault: Fault,
    },
    /// Stopped on purpose.
    Stopped,
}

/// What sort of thing keeps a server from running.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Fault {
    /// The disk is full.
    Full,
    /// The disk can't be written.
    ReadOnly,
    /// A file of its is damaged or missing.
    Damaged,
    /// Something else, which may pass.
    Other,
}

/// Why the private server is not running.
#[derive(Debug, thiserror::Error)]
pub enum ServerError {
    /// Debian's package is missing.
    #[error(
        "`{0}` is not installed; install the Debian packages mariadb-server-core and mariadb-client-core"
    )]
    Missing(&'static str),
    /// A directory or file could not be made.
    #[error("{path} can't be written: {cause}; check its owner and the free space")]
    Files {
        /// Which.
        path: String,
        /// Why.
        cause: io::Error,
    },
    /// What lies in its data directory was not made by Yadori, or its mark is missing.
    #[error(
        "{0} holds files and not the mark of Yadori's records; nothing was changed. If these are the records, put an empty file `{mark}` into it; if not, move it elsewhere",
        mark = install::MARKER
    )]
    Unmarked(String),
    /// It runs, but not with its own configuration: it was ended.
    #[error(
        "the database server did not follow its configuration ({0}), and was ended; look at the permissions of its configuration file"
    )]
    NotItsOwn(String),
    /// The installation failed.
    #[error("the database could not be set up: {0}")]
    Install(String),
    /// It ended, or never answered.
    #[error("the database server ended ({status}); its log is {log}: {tail}")]
    Ended {
        /// How it ended.
        status: String,
        /// Where to read more.
        log: String,
        /// What the log complains of.
        tail: String,
        /// What sort of thing that is.
        fault: Fault,
    },
    /// It does not answer.
    #[error("the database server did not answer within {0} s; its log is {1}")]
    Silent(u64, String),
}

#[derive(Debug, Default)]
struct Shared {
    stop: AtomicBool,
    pid: AtomicI32,
    wake: (Mutex<()>, Condvar),
}

/// A private server under supervision: restarted when it ends by itself.
#[derive(Debug)]
pub struct PrivateServer {
    shared: Arc<Shared>,
    state: watch::Receiver<ServerState>,
    thread: Option<JoinHandle<()>>,
}

impl PrivateServer {
    /// Starts supervising. Returns at once; watch [`PrivateServer::state`].
    pub fn start(paths: ServerPaths) -> io::Result<Self> {
        let shared = Arc::new(Shared::default());
        let (tell, state) = watch::channel(ServerState::Starting);
        let thread = std::thread::Builder::new().name("database".into()).spawn({
            let shared = shared.clone();
            move || supervise(&paths, &shared, &tell)
        })?;
        Ok(Self { shared, state, thread: Some(thread) })
    }

    /// What it is doing, now and from now on.
    pub fn state(&self) -> watch::Receiver<ServerState> {
        self.state.clone()
    }

    /// The process id, while it runs.
    pub fn pid(&self) -> Option<u32> {
        u32::try_from(self.shared.pid.load(Ordering::SeqCst)).ok().filter(|pid| *pid > 0)
    }

    /// Stops it and waits for its end. Blocks for one or two seconds.
    pub fn stop(&mut self) {
        self.shared.stop.store(true, Ordering::SeqCst);
        self.shared.wake.1.notify_all();
        signal(self.shared.pid.load(Ordering::SeqCst), Signal::TERM);
        let Some(thread) = self.thread.take() else { return };
        let until = Instant::now() + STOP_LIMIT;
        while !thread.is_finished() && Instant::now() < until {
            std::thread::sleep(Duration::from_millis(5));
        }
        if !thread.is_finished() {
            signal(self.shared.pid.load(Ordering::SeqCst), Signal::KILL);
        }
        let _ = thread.join();
    }
}

impl Drop for PrivateServer {
    fn drop(&mut self) {
        self.stop();
    }
}

fn signal(pid: i32, signal: Signal) {
    if let Some(pid) = Pid::from_raw(pid).filter(|_| pid > 0) {
        let _ = kill_process(pid, signal);
    }
}

fn supervise(paths: &ServerPaths, shared: &Shared, tell: &watch::Sender<ServerState>) {
    let mut pause = Duration::from_millis(50);
    while !shared.stop.load(Ordering::SeqCst) {
        let started = Instant::now();
        let why = match run_once(paths, shared, tell) {
            Ok(()) => break,
            Err(why) => why,
        };
        if shared.stop.load(Ordering::SeqCst) {
            break;
        }
        tracing::warn!("{why}");
        tell.send_replace(ServerState::Down { reason: why.to_string(), fault: why.fault() });
        // One that ran for a while is restarted at once; one that fails at each start is not pressed.
        pause = if started.elapsed() > Duration::from_secs(10) {
            Duration::from_millis(50)
        } else {
            (pause * 2).min(Duration::from_secs(5))
        };
        let Ok(guard) = shared.wake.0.lock() else { break };
        let _ = shared.wake.1.wait_timeout_while(guard, pause, |()| !shared.stop.load(Ordering::SeqCst));
    }
    tell.send_replace(ServerState::Stopped);
}

/// Runs the server until it ends. `Ok` when that was asked for.
fn run_once(
    paths: &ServerPaths,
    shared: &Shared,
    tell: &watch::Sender<ServerState>,
) -> Result<(), ServerError> {
    install::ensure(paths)?;
    orphan::await_exit(&paths.data, &shared.stop);
    let _ = std::fs::remove_file(&paths.socket);
    let mut child = spawn(paths)?;
    shared.pid.store(i32::try_from(child.id()).unwrap_or(0), Ordering::SeqCst);
    if shared.stop.load(Ordering::SeqCst) {
        let _ = child.kill();
    }
    let outcome = await_ready(&mut child, paths).and_then(|()| {
        verify::own(paths, child.id()).inspect_err(|_| {
            let _ = child.kill();
            let _ = child.wait();
        })?;
        tell.send_replace(ServerState::Ready);
        child.wait().map(|status| status.to_string()).map_err(|cause| files(&paths.data, cause))
    });
    shared.pid.store(0, Ordering::SeqCst);
    if shared.stop.load(Ordering::SeqCst) {
        return Ok(());
    }
    Err(ServerError::Ended {
        status: outcome?,
        log: paths.log.display().to_string(),
        tail: install::last_error(&paths.log),
        fault: install::fault_of(&install::errors(&paths.log)),
    })
}

fn spawn(paths: &ServerPaths) -> Result<Child, ServerError> {
    let program = install::find("mariadbd")?;
    let settings = install::write_settings(paths)?;
    // `setpriv` sets the parent-death signal in the child, so that a killed service leaves no server behind.
    let mut command = Command::new(install::find("setpriv")?);
    command
        // How the service wants its memory is not how a database wants its own.
        .env_remove("GLIBC_TUNABLES")
        .args(["--pdeathsig", "TERM", "--"])
        .arg(program)
        .arg(format!("--defaults-file={}", settings.display()));
    if rustix::process::geteuid().is_root() {
        command.arg("--user=root");
    }
    command
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .spawn()
        .map_err(|cause| files(&paths.data, cause))
}

fn await_ready(child: &mut Child, paths: &ServerPaths) -> Result<(), ServerError> {
    let until = Instant::now() + START_LIMIT;
    loop {
        if UnixStream::connect(&paths.socket).is_ok() {
            return Ok(());
        }
        if let Ok(Some(status)) = child.try_wait() {
            return Err(ServerError::Ended {
                status: status.to_string(),
                log: paths.log.display().to_string(),
                tail: install::last_error(&paths.log),
                fault: install::fault_of(&install::errors(&paths.log)),
            });
        }
        if Instant::now() > until {
            let _ = child.kill();
            let _ = child.wait();
            return Err(ServerError::Silent(START_LIMIT.as_secs(), paths.log.display().to_string()));
        }
        std::thread::sleep(Duration::from_millis(5));
    }
}

impl ServerError {
    /// What sort of thing it is.
    pub fn fault(&self) -> Fault {
        let of_file = |cause: &io::Error| match cause.kind() {
            io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded => Fault::Full,
            io::ErrorKind::ReadOnlyFilesystem => Fault::ReadOnly,
            _ => Fault::Other,
        };
        match self {
            Self::Files { cause, .. } => of_file(cause),
            Self::Ended { fault, .. } => *fault,
            Self::Install(said) => match install::fault_of(said) {
                Fault::Damaged => Fault::Other,
                fault => fault,
            },
            _ => Fault::Other,
        }
    }
}

fn files(path: &Path, cause: io::Error) -> ServerError {
    ServerError::Files { path: path.display().to_string(), cause }
}

/// The name of the operating system user, which is also the database user of a private server.
pub fn current_user() -> io::Result<String> {
    let uid = rustix::process::geteuid().as_raw();
    let user = uzers::get_user_by_uid(uid);
    let name = user.map(|user| user.name().to_string_lossy().into_owned());
    name.ok_or_else(|| io::Error::other(format!("user {uid} has no name")))
}
