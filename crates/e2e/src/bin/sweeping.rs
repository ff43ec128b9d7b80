//! What a sweep and a clearing cost those who copy and search meanwhile: 100,000 clips go by the limits, each copy and each
//! search beside it is timed, next to the same with nothing under way; then all of a large history (another number as the
//! first argument) is cleared and brought back.

#![expect(clippy::print_stdout, reason = "printing the figures is what this is for")]

use std::io::{Read, Write};
use std::os::unix::net::UnixStream;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use yadori_e2e::measure::{Listener, at, header, millis, row};
use yadori_e2e::{Display, Owner, Service, many};

/// Copies and searches come this far apart.
const PACE: Duration = Duration::from_millis(60);

/// The socket of the service, kept open for one search after another.
struct Searcher(UnixStream);

impl Searcher {
    fn of(service: &Service) -> Result<Self> {
        Ok(Self(UnixStream::connect(service.home().join("run/yadori.sock"))?))
    }

    /// The newest fifty that match, in milliseconds.
    fn search(&mut self, words: &str) -> Result<f64> {
        let began = Instant::now();
        write!(self.0, "GET /api/v1/search?q={words}&limit=50 HTTP/1.1\r\nhost: y\r\n\r\n")?;
        let (mut all, mut chunk) = (Vec::new(), [0; 65_536]);
        loop {
            let count = self.0.read(&mut chunk)?;
            anyhow::ensure!(count > 0, "the connection ended");
            all.extend_from_slice(&chunk[..count]);
            let text = String::from_utf8_lossy(&all);
            let Some((head, body)) = text.split_once("\r\n\r\n") else { continue };
            let length = head.lines().find_map(|line| line.strip_prefix("content-length: "));
            let whole = length.and_then(|length| length.trim().parse::<usize>().ok()).unwrap_or(0);
            if body.len() >= whole {
                return Ok(millis(began.elapsed()));
            }
        }
    }
}

/// Copies and searches until told to stop, or so often: how long each copy took to be announced, and each search.
fn live(
    service: &Service,
    owner: &Owner,
    name: &str,
    most: usize,
    over: &AtomicBool,
) -> Result<(Vec<f64>, Vec<f64>)> {
    let mut searcher = Searcher::of(service)?;
    let mut listener = Listener::on(service)?;
    let (mut copies, mut searches) = (Vec::new(), Vec::new());
    for n in 0..most {
        if over.load(Ordering::Acquire) {
            break;
        }
        let round = Instant::now();
        let text = format!("{name} copy {n} of the benchmark");
        listener.forget();
        let began = Instant::now();
        owner.copy_text(&text);
        copies.push(millis(listener.await_text(&text)?.duration_since(began)));
        searches.push(searcher.search(&format!("clip+{}", n * 37 % 1_000))?);
        std::thread::sleep(PACE.saturating_sub(round.elapsed()));
    }
    Ok((copies, searches))
}

fn restored(service: &Service, clips: usize) -> Result<()> {
    let file = service.home().join("many.tar");
    many::write_backup(&file, clips)?;
    service.yadori(&["restore", &file.display().to_string()]);
    Ok(std::fs::remove_file(file)?)
}

fn told(what: &str, budget: &str, during: &mut [f64], before: &mut [f64]) {
    let (p50, most) = (at(during, 0.5), at(during, 1.0));
    let (q50, usual) = (at(before, 0.5), at(before, 1.0));
    row(
        what,
        budget,
        &format!("{p50:.1} ms, at most {most:.1} ms ({} times)", during.len()),
        &format!("with nothing under way {q50:.1} ms, at most {usual:.1} ms"),
    );
}

fn main() -> Result<()> {
    let clips: usize =
        std::env::args().nth(1).map_or(Ok(100_000), |text| text.parse()).context("a number")?;
    header();
    let display = Display::start();
    let service = Service::configured_on(&display.name(), "[limits]\ndays = \"off\"\nclips = \"off\"\n");
    restored(&service, 200_000)?;
    let owner = Owner::on(&display);
    let never = AtomicBool::new(false);
    let (mut copies, mut searches) = live(&service, &owner, "before", 100, &never)?;
    let over = AtomicBool::new(false);
    let (beside, took) = std::thread::scope(|threads| {
        let side = threads.spawn(|| live(&service, &owner, "during", 20_000, &over));
        let began = Instant::now();
        service.yadori(&["limits", "set", "clips=100000", "--yes"]);
        let took = began.elapsed();
        over.store(true, Ordering::Release);
        (side.join().expect("no panic"), took)
    });
    let (mut during, mut found) = beside?;
    told(
        "a copy announced while 100,000 clips of 200,000 go by a limit",
        "50 ms more",
        &mut during,
        &mut copies,
    );
    told("a search while they go", "20 ms more", &mut found, &mut searches);
    row("the sweep of 100,000 clips", "—", &format!("{:.1} s", took.as_secs_f64()), "—");
    drop(service);
    let service = Service::configured("[limits]\ndays = \"off\"\nclips = \"off\"\n");
    restored(&service, clips)?;
    for (what, arguments) in [
        ("clearing", &["clear", "--yes"][..]),
        ("bringing them back", &["undo"]),
        ("clearing them again", &["redo"]),
    ] {
        let began = Instant::now();
        service.yadori(arguments);
        let count = service.status().context("a status")?.clips;
        row(
            &format!("{what}: {clips} clips"),
            "progress after a second",
            &format!("{:.1} s", began.elapsed().as_secs_f64()),
            &format!("{count} clips there afterwards"),
        );
    }
    println!();
    Ok(())
}
