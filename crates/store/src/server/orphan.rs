//! A server that an earlier service left behind: who holds the data directory, and waiting for its end.

use std::fs::OpenOptions;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use rustix::process::{Flock, FlockOffsetType, FlockType, Pid, fcntl_getlk};

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

/// Waits until nobody holds the data directory, or `stop` is set.
pub(super) fn await_exit(data: &Path, stop: &AtomicBool) {
    let mut next_word = Instant::now();
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
        std::thread::sleep(Duration::from_millis(20));
    }
}
