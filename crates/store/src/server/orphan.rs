//! A server that an earlier service left behind: who holds the data directory, and waiting for its end.

use std::fs::OpenOptions;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use rustix::process::{Flock, FlockOffsetType, FlockType, Pid, Signal, fcntl_getlk, kill_process};

/// The process that holds the data directory's files, if any.
pub(super) fn holder(data: &Path) -> Option<Pid> {
    ["aria_log_control", "ibdata1"].iter().find_map(|name| {
        let file = OpenOptions::new().read(true).write(true).open(data.join(name)).ok()?;
        let wish = Flock {
            start: 0,
            length: 0,
            pid: None,
            typ: FlockType::WriteLock,
            offset_type: FlockOffsetType::Set,
        };
        fcntl_getlk(&file, &wish).ok().flatten()?.pid
    })
}

/// How long a server that was left behind may take to end by itself.
const BY_ITSELF: Duration = Duration::from_secs(8);
/// How long after that one may take that was asked to. A server that is asked while it starts can lose the word, and then
/// never starts and never ends; what it holds survives its being killed.
const ASKED: Duration = Duration::from_secs(20);

/// True for a server that was started with the settings of this data directory.
fn is_left_behind(pid: Pid, data: &Path) -> bool {
    let command = std::fs::read(format!("/proc/{}/cmdline", pid.as_raw_nonzero())).unwrap_or_default();
    let settings = format!("--defaults-file={}", data.join("yadori.cnf").display());
    command.split(|byte| *byte == 0).any(|part| part == settings.as_bytes())
}

/// Waits until nobody holds the data directory, or `stop` is set. A service that is killed in the very moment in which it
/// starts a server leaves one behind that never hears of it: that one is asked to end.
pub(super) fn await_exit(data: &Path, stop: &AtomicBool) {
    let (began, mut next_word) = (Instant::now(), Instant::now());
    let mut asked: Option<(Pid, Instant)> = None;
    while let Some(pid) = holder(data) {
        if stop.load(Ordering::SeqCst) {
            return;
        }
        if Instant::now() >= next_word {
            tracing::info!(
                "waiting for an earlier database server (process {}) to end",
                pid.as_raw_nonzero()
            );
            next_word = Instant::now() + Duration::from_secs(10);
        }
        let overdue = match asked {
            None => began.elapsed() > BY_ITSELF,
            Some((of, at)) => of != pid || at.elapsed() > ASKED,
        };
        if overdue && is_left_behind(pid, data) {
            let again = asked.is_some_and(|(of, _)| of == pid);
            tracing::warn!(
                "a database server that was left behind is {}",
                if again { "ended: it did not end when it was asked to" } else { "asked to end" }
            );
            let _ = kill_process(pid, if again { Signal::KILL } else { Signal::TERM });
            asked = Some((pid, Instant::now()));
        }
        std::thread::sleep(Duration::from_millis(20));
    }
}
