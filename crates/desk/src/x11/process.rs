//! The process that owns a copy: what it is called, and whether it is seen to work.

use std::path::PathBuf;

/// A process is seen to work that uses this part of a processor's time.
const WORKS: f64 = 0.1;
/// How far up among parents another process of the same program is looked for.
const GENERATIONS: usize = 4;

/// A process, and what it had used of the processors' time when it was looked at last.
#[derive(Debug)]
pub(crate) struct Process {
    pid: u32,
    used: Option<u64>,
    looked: std::time::Instant,
}

impl Process {
    pub(crate) fn new(pid: u32) -> Self {
        Self { pid, used: used(pid), looked: std::time::Instant::now() }
    }

    /// True when it has worked since it was looked at last.
    pub(crate) fn works(&mut self) -> bool {
        let now = Self::new(self.pid);
        let ticks = now.used.zip(self.used).map_or(0, |(now, before)| now.saturating_sub(before));
        let seconds = self.looked.elapsed().as_secs_f64();
        *self = now;
        #[allow(clippy::cast_precision_loss, reason = "some hundred ticks")]
        let used = ticks as f64 / rustix::param::clock_ticks_per_second() as f64;
        used > seconds * WORKS
    }
}

/// The fields of `/proc/PID/stat` (proc(5)) after the name: the state is the first.
fn stat(pid: u32) -> Option<Vec<String>> {
    let stat = std::fs::read_to_string(format!("/proc/{pid}/stat")).ok()?;
    let (_, rest) = stat.rsplit_once(')')?;
    Some(rest.split_whitespace().map(str::to_owned).collect())
}

/// Time on the processors, of all its threads, in clock ticks.
fn used(pid: u32) -> Option<u64> {
    let stat = stat(pid)?;
    Some(stat.get(11)?.parse::<u64>().ok()? + stat.get(12)?.parse::<u64>().ok()?)
}

pub(crate) fn is_alive(pid: u32) -> bool {
    std::path::Path::new(&format!("/proc/{pid}")).exists()
}

/// The process, and its parents as far as they run the same program.
pub(crate) fn family(pid: u32) -> Vec<u32> {
    let program = executable(pid);
    let parent = |pid: &u32| stat(*pid)?.get(1)?.parse::<u32>().ok().filter(|pid| *pid > 1);
    std::iter::successors(Some(pid), parent)
        .take(GENERATIONS)
        .take_while(|one| *one == pid || (program.is_some() && executable(*one) == program))
        .collect()
}

/// A process that lives on in the group of one that is gone: programs that go to the background after copying (xclip)
/// were connected by a process that ends at once.
pub(crate) fn heir(gone: u32) -> Option<u32> {
    let entries = std::fs::read_dir("/proc").ok()?;
    let pids = entries.filter_map(|entry| entry.ok()?.file_name().to_str()?.parse::<u32>().ok());
    pids.filter(|pid| *pid != gone).find(|pid| {
        stat(*pid).is_some_and(|stat| stat.get(2).is_some_and(|group| *group == gone.to_string()))
    })
}

fn executable(pid: u32) -> Option<PathBuf> {
    std::fs::read_link(format!("/proc/{pid}/exe")).ok()
}

/// The name of its program.
pub(crate) fn name(pid: u32) -> Option<String> {
    let from_path = executable(pid).and_then(|path| Some(path.file_name()?.to_string_lossy().into_owned()));
    from_path.map(|name| name.trim_end_matches(" (deleted)").to_owned()).or_else(|| {
        std::fs::read_to_string(format!("/proc/{pid}/comm")).ok().map(|name| name.trim().to_owned())
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_process_works_while_it_uses_time() {
        let mut own = Process::new(std::process::id());
        let until = std::time::Instant::now() + std::time::Duration::from_millis(400);
        while std::time::Instant::now() < until {
            std::hint::black_box(used(1));
        }
        assert!(own.works());
        assert!(!Process { pid: u32::MAX, used: None, looked: std::time::Instant::now() }.works());
    }

    #[test]
    fn a_family_is_of_one_program() {
        let own = std::process::id();
        assert_eq!(family(own)[0], own);
        let mut child = std::process::Command::new("sleep").arg("60").spawn().unwrap();
        let family = family(child.id());
        let _ = child.kill();
        let _ = child.wait();
        // Until it has become `sleep`, it runs this program.
        assert!(family[0] == child.id());
        assert!(name(own).is_some_and(|name| !name.is_empty()));
    }
}
