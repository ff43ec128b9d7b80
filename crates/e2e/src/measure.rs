//! What measurements need: the table they write, what a process takes, and an ear on the service's events.

#![expect(clippy::print_stdout, reason = "printing the table is what this is for")]

use std::io::{Read, Write};
use std::os::unix::net::UnixStream;
use std::time::{Duration, Instant};

use anyhow::Result;

use crate::Service;

/// Writes the head of the table.
pub fn header() {
    println!("| what | budget | measured | beside, in the same run |");
    println!("| --- | --- | --- | --- |");
}

/// Writes a line of the table.
pub fn row(what: &str, budget: &str, measured: &str, beside: &str) {
    println!("| {what} | {budget} | {measured} | {beside} |");
    let _ = std::io::stdout().flush();
}

/// The value below which `part` of the sorted values lie.
pub fn at(values: &mut [f64], part: f64) -> f64 {
    values.sort_by(f64::total_cmp);
    values[((values.len() - 1) as f64 * part).round() as usize]
}

/// A time in milliseconds.
pub fn millis(time: Duration) -> f64 {
    time.as_secs_f64() * 1e3
}

/// Listens to the service's events and waits for the next saved clip.
#[derive(Debug)]
pub struct Listener {
    stream: UnixStream,
    /// What has come and was not waited for yet.
    rest: Vec<u8>,
    /// All that has come.
    heard: Vec<u8>,
}

impl Listener {
    /// Listens from now on.
    pub fn on(service: &Service) -> Result<Self> {
        let mut stream = UnixStream::connect(service.home().join("run/yadori.sock"))?;
        stream.write_all(b"GET /api/v1/events HTTP/1.1\r\nhost: y\r\n\r\n")?;
        let mut listener = Self { stream, rest: Vec::new(), heard: Vec::new() };
        listener.await_text("event: status")?;
        Ok(listener)
    }

    /// Waits for a text; gives the moment when it came.
    pub fn await_text(&mut self, wanted: &str) -> Result<Instant> {
        let mut chunk = [0; 65_536];
        loop {
            if let Some(at) = self.rest.windows(wanted.len()).position(|part| part == wanted.as_bytes()) {
                let came = Instant::now();
                self.rest.drain(..at + wanted.len());
                return Ok(came);
            }
            let count = self.stream.read(&mut chunk)?;
            anyhow::ensure!(count > 0, "the events ended");
            self.rest.extend_from_slice(&chunk[..count]);
            self.heard.extend_from_slice(&chunk[..count]);
        }
    }

    /// All that was heard so far, also what was waited for.
    pub fn heard(&self) -> std::borrow::Cow<'_, str> {
        String::from_utf8_lossy(&self.heard)
    }

    /// Forgets what has come so far.
    pub fn forget(&mut self) {
        self.rest.clear();
    }
}

/// Megabytes of memory a process has.
pub fn resident(pid: u32) -> f64 {
    of_status(pid, "VmRSS")
}

/// The most megabytes of memory a process has had so far.
pub fn peak(pid: u32) -> f64 {
    of_status(pid, "VmHWM")
}

fn of_status(pid: u32, field: &str) -> f64 {
    let text = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap_or_default();
    let line = text.lines().find(|line| line.starts_with(field)).unwrap_or_default();
    line.split_whitespace().nth(1).and_then(|kilobytes| kilobytes.parse::<f64>().ok()).unwrap_or(0.0) / 1e3
}

/// Seconds of processor time a process has had, in the kernel's ticks of a hundredth of a second.
pub fn cpu(pid: u32) -> f64 {
    let text = std::fs::read_to_string(format!("/proc/{pid}/stat")).unwrap_or_default();
    let after_name = text.rsplit(") ").next().unwrap_or_default();
    let ticks = after_name.split_whitespace().skip(11).take(2).filter_map(|field| field.parse::<f64>().ok());
    ticks.sum::<f64>() / 100.0
}

/// Waits until what was restored has come to its place.
pub fn until_restored(service: &Service, longest: Duration) {
    crate::until_within("the end of the restoring", longest, || {
        (service.records("SELECT restoring FROM service") == "0").then_some(())
    });
}

/// Waits until the service has nothing to do any more in the background: what was restored is in its place, and all is sealed.
pub fn until_at_rest(service: &Service, longest: Duration) {
    until_restored(service, longest);
    let mut last = (cpu(service.pid()), Instant::now());
    let mut quiet = 0;
    crate::until_within("rest", longest, || {
        if last.1.elapsed() < Duration::from_secs(5) {
            return None;
        }
        let now = (cpu(service.pid()), Instant::now());
        quiet = if now.0 - last.0 < 0.1 { quiet + 1 } else { 0 };
        last = now;
        (quiet >= 3).then_some(())
    });
}
