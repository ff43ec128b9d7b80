//! `make bench`: what large histories cost. A hundred thousand clips under the worst of patterns, and a million brought
//! in, written, loaded and read back, each beside a rival in the same run. Writes a table to standard output. A number
//! as argument stands for the million; 0 leaves it out.

use std::io::{BufWriter, Read, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, ensure};
use yadori_e2e::measure::{Listener, at, header, millis, peak, resident, row};
use yadori_e2e::source::Source;
use yadori_e2e::{Display, Service, many, until_within};

/// The longest that any one step may take.
const LONGEST: Duration = Duration::from_secs(3_600);

/// Nothing goes by a limit meanwhile.
const CONFIGURATION: &str = "[limits]\nclips = \"off\"\ndays = \"off\"\nbytes = \"off\"\n";

/// Patterns in which no literal helps and that match nothing: each is tried at every place of every text.
const WORST: [&str; 8] = [
    r"/(?:[a-z]{2,9}\s){6,20}[0-9]{5}/",
    "/[^k]{1,60}[^l]{1,60}[!-#]/",
    "/(?:.{0,30}a){6}[0-9]{6}$/",
    "/(?:a|e|i|o|u)[^x]{20,60}[xyz][0-9]/",
    r"/(?:[a-z]+\s?)+[0-9]{9}/",
    "/.*.*.*.*[0-9]{7}/",
    "/(?:[a-m]{1,5}[n-z]{1,5}){5,30}[0-9]{3}/",
    r"/(?:[^z]{3}[^y]{3}){9,30}[;:]/",
];

fn main() -> Result<()> {
    header();
    beside_searches()?;
    match std::env::args().nth(1).map_or(Ok(1_000_000), |text| text.parse())? {
        0 => Ok(()),
        count => million(count),
    }
}

/// Half a thousand characters of words, the same for the same number.
fn prose(n: usize) -> String {
    const WORDS: [&str; 24] = [
        "kestrel", "hut", "bunk", "warden", "ridge", "snow", "lentils", "candles", "booking", "river",
        "path", "closed", "open", "guests", "supper", "stove", "wood", "water", "spring", "key", "valley",
        "weather", "order", "tea",
    ];
    let mut state = n as u64;
    let mut text = format!("note {n}");
    while text.len() < 500 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        text.push(' ');
        text.push_str(WORDS[(state >> 40) as usize % WORDS.len()]);
    }
    text
}

fn beside_searches() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    many::write_backup_of(&file, 100_000, prose)?;
    service.yadori(&["restore", path(&file)?]);
    let source = Source::on(&display)?;
    let mut listener = Listener::on(&service)?;
    let (mut quiet, mut quiet_copies) = answers(&service, &source, &mut listener, "quiet")?;
    let over = AtomicBool::new(false);
    let search_on = |pattern: &str| {
        let mut times = Vec::new();
        while !over.load(Ordering::Relaxed) {
            let began = Instant::now();
            let done = service.client(&["list", "--json", pattern]);
            let said = String::from_utf8_lossy(&done.stderr);
            assert!(
                matches!(done.status.code(), Some(0 | 4)) || said.contains("given up"),
                "{pattern}: {said}"
            );
            times.push(millis(began.elapsed()));
        }
        times
    };
    let (measured, times) = std::thread::scope(|scope| {
        let searches: Vec<_> = WORST.map(|pattern| scope.spawn(move || search_on(pattern))).into();
        let measured = answers(&service, &source, &mut listener, "beside");
        over.store(true, Ordering::Relaxed);
        let times: Vec<f64> = searches.into_iter().flat_map(|one| one.join().unwrap_or_default()).collect();
        (measured, times)
    });
    let (mut busy, mut busy_copies) = measured?;
    let searched =
        format!("{} searches meanwhile, of {:.0} ms at the median", times.len(), at(&mut times.clone(), 0.5));
    row(
        "`status` beside eight of the worst patterns, 100,000 clips of 500 characters, p50 / p99 of 300",
        "p99 < 50 ms",
        &format!("{:.1} / {:.1} ms", at(&mut busy, 0.5), at(&mut busy, 0.99)),
        &format!("without them {:.1} / {:.1} ms; {searched}", at(&mut quiet, 0.5), at(&mut quiet, 0.99)),
    );
    row(
        "a copy beside the same, copied to committed and announced, p50 / worst of 100",
        "< 100 ms",
        &format!("{:.1} / {:.1} ms", at(&mut busy_copies, 0.5), at(&mut busy_copies, 1.0)),
        &format!("without them {:.1} / {:.1} ms", at(&mut quiet_copies, 0.5), at(&mut quiet_copies, 1.0)),
    );
    Ok(())
}

/// How long 300 calls of `yadori status` and 100 copies take, in milliseconds.
fn answers(
    service: &Service,
    source: &Source,
    listener: &mut Listener,
    word: &str,
) -> Result<(Vec<f64>, Vec<f64>)> {
    let (mut calls, mut copies) = (Vec::new(), Vec::new());
    for n in 0..300 {
        let began = Instant::now();
        ensure!(service.client(&["status", "--json"]).status.success(), "status failed");
        calls.push(millis(began.elapsed()));
        if n % 3 == 0 {
            let text = format!("{word} {n} at Kestrel Hut");
            let began = source.copy(&text, Duration::from_secs(5), true)?;
            copies.push(millis(listener.await_text(&format!("\"head\":\"{text}\""))? - began));
        }
    }
    Ok((calls, copies))
}

fn path(path: &Path) -> Result<&str> {
    path.to_str().context("a path that is no UTF-8")
}

/// What a step took: seconds, and the most memory the service had at any time up to its end.
fn step(service: &Service, arguments: &[&str]) -> Result<(f64, f64)> {
    let began = Instant::now();
    let done = service.client(arguments);
    ensure!(done.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&done.stderr));
    Ok((began.elapsed().as_secs_f64(), peak(service.pid())))
}

fn has_all(service: &Service, count: usize) -> Result<()> {
    let clips = service.status().context("a status")?.clips;
    ensure!(clips == count as u64, "{clips} clips of {count}");
    Ok(())
}

fn million(count: usize) -> Result<()> {
    let dir = tempfile::tempdir()?;
    let (lines, zip, tar) =
        (dir.path().join("lines.txt"), dir.path().join("all.zip"), dir.path().join("all.tar"));
    let mut text = BufWriter::new(std::fs::File::create(&lines)?);
    for n in 0..count {
        writeln!(text, "clip {n} of the wardens, written down at Kestrel Hut in the season")?;
    }
    text.flush()?;
    let rival = sqlite(&lines, &dir.path().join("rival.sqlite"))?;
    let mut service = Service::configured(CONFIGURATION);
    let empty = resident(service.pid());

    let (seconds, most) = step(&service, &["import", "--split", "lines", path(&lines)?])?;
    has_all(&service, count)?;
    let what = |verb: &str| format!("{count} clips {verb}");
    let figures = |seconds: f64, most: f64| {
        format!("{seconds:.0} s, {:.0} clips a second; {most:.0} MB at most", count as f64 / seconds)
    };
    row(
        &what("imported from lines"),
        "memory bounded",
        &figures(seconds, most),
        &format!("SQLite, the same lines in groups of 4,096: {rival:.0} s"),
    );

    restart(&mut service, count)?;
    let began = Instant::now();
    restart(&mut service, count)?;
    let loading = began.elapsed().as_secs_f64();
    let began = Instant::now();
    every_row(&service)?;
    let bare = began.elapsed().as_secs_f64();
    row(
        &what("loaded, from process start"),
        "-",
        &format!(
            "{loading:.1} s; {:.0} MB then, {:.0} MB at most",
            resident(service.pid()),
            peak(service.pid())
        ),
        &format!("`mariadb` reading the same rows: {bare:.1} s; an empty service has {empty:.0} MB"),
    );
    let loaded = peak(service.pid());

    let (seconds, most) = step(&service, &["export", path(&zip)?])?;
    row(
        &what("exported to a zip"),
        "memory bounded",
        &figures(seconds, most),
        &format!("{loaded:.0} MB when loaded"),
    );
    let (seconds, most) = step(&service, &["backup", path(&tar)?])?;
    row(
        &what("backed up"),
        "memory bounded",
        &figures(seconds, most),
        &format!("{loaded:.0} MB when loaded"),
    );
    drop(service);

    let service = Service::configured(CONFIGURATION);
    let (seconds, most) = step(&service, &["restore", path(&tar)?])?;
    has_all(&service, count)?;
    row(
        &what("restored"),
        "memory bounded",
        &figures(seconds, most),
        &format!("SQLite, the lines alone, as above: {rival:.0} s"),
    );
    drop(service);

    let service = Service::configured(CONFIGURATION);
    let (seconds, most) = step(&service, &["import", path(&zip)?])?;
    has_all(&service, count)?;
    row(&what("imported from the zip"), "memory bounded", &figures(seconds, most), "SQLite as above");
    Ok(())
}

fn restart(service: &mut Service, count: usize) -> Result<()> {
    service.stop();
    service.start_again();
    until_within("the history", LONGEST, || service.status().filter(|status| status.loaded));
    has_all(service, count)
}

/// Reads what a start reads, by MariaDB's own client, and throws it away.
fn every_row(service: &Service) -> Result<()> {
    let mut client = Command::new("mariadb")
        .arg("--socket")
        .arg(service.home().join("run/records.sock"))
        .args(["--quick", "--batch", "--raw", "-e", "SELECT * FROM yadori.clips"])
        .stdout(Stdio::piped())
        .spawn()?;
    let mut out = client.stdout.take().context("its output")?;
    let mut chunk = vec![0; 1 << 16];
    let mut read = 0;
    loop {
        let count = out.read(&mut chunk)?;
        read += count;
        if count == 0 {
            break;
        }
    }
    ensure!(client.wait()?.success() && read > 0, "the rows could not be read");
    Ok(())
}

/// Seconds that SQLite takes to keep the same lines durably, in groups as large as ours.
fn sqlite(lines: &Path, file: &Path) -> Result<f64> {
    use std::io::BufRead;
    let began = Instant::now();
    let mut db = rusqlite::Connection::open(file)?;
    db.execute("CREATE TABLE clips (id BLOB PRIMARY KEY, text TEXT)", ())?;
    let mut lines = std::io::BufReader::new(std::fs::File::open(lines)?).lines();
    loop {
        let group = db.transaction()?;
        let mut count = 0;
        for line in lines.by_ref().take(4_096) {
            let line = line?;
            let id = blake3::hash(line.as_bytes());
            group.execute("INSERT OR IGNORE INTO clips VALUES (?, ?)", (&id.as_bytes()[..16], &line))?;
            count += 1;
        }
        group.commit()?;
        if count == 0 {
            return Ok(began.elapsed().as_secs_f64());
        }
    }
}
