//! `make bench-million`: everything at a million clips, each step with its time and the memory of the service. Writes a table to
//! standard output. A number as argument stands for the million.

use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::atomic::AtomicBool;
use std::sync::atomic::Ordering::Relaxed;
use std::time::{Duration, Instant};

use anyhow::{Context, Result, ensure};
use serde_json::{Value, json};
use yadori_e2e::journey::call;
use yadori_e2e::measure::{at, header, millis, peak, resident, row, until_restored};
use yadori_e2e::source::Source;
use yadori_e2e::{Display, Service, many, until_within};

/// The longest that any one step may take.
const LONGEST: Duration = Duration::from_secs(3_600);
/// How often a call is made.
const TIMES: usize = 40;
/// Copies that come while it is searched.
const COPIES_BESIDE: u32 = 500;
/// Nothing is a limit but what is measured.
const CONFIGURATION: &str = "[limits]\nclips = \"off\"\ndays = \"off\"\nbytes = \"off\"\n";

struct Bench {
    service: Service,
    count: usize,
}

fn main() -> Result<()> {
    let count = std::env::args().nth(1).map_or(Ok(1_000_000), |text| text.parse())?;
    header();
    let display = Display::start();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    let text = |n: usize| format!("clip {n} of the wardens, written down at Kestrel Hut in the season");
    many::write_backup_of(&file, count, text)?;
    let service = Service::configured_on(&display.name(), CONFIGURATION);
    let empty = resident(service.pid());
    let mut bench = Bench { service, count };
    bench.step("restored", &["restore", path(&file)?])?;
    bench.settled()?;
    bench.starts(&display, empty)?;
    bench.calls()?;
    bench.acts()?;
    let source = Source::on(&display)?;
    bench.copies(&source)?;
    bench.searches_beside_copies(&source)?;
    bench.step("backed up", &["backup", path(&dir.path().join("back.tar"))?])?;
    bench.step("exported to a CSV", &["export", path(&dir.path().join("all.csv"))?])?;
    let all = dir.path().join("all.zip");
    bench.step("exported to a zip", &["export", path(&all)?])?;
    bench.step("imported, which are known all", &["import", path(&all)?])?;
    // One in ten has a 7 there.
    bench.step(
        "looked through, of which a tenth is cleared",
        &["clear", "--query", "/^clip [0-9]*7 of/", "--yes"],
    )?;
    bench.step("beside what was cleared, which is taken back", &["undo"])?;
    bench.sweep()
}

fn path(path: &Path) -> Result<&str> {
    path.to_str().context("a path that is no UTF-8")
}

impl Bench {
    fn call(&self, method: &str, path: &str, body: Option<&Value>) -> Result<Value> {
        let socket = self.service.home().join("run/yadori.sock");
        call(&socket, method, path, body).with_context(|| format!("{method} {path} was refused"))
    }

    /// A verb of the client, from its start to its end.
    fn step(&self, what: &str, arguments: &[&str]) -> Result<()> {
        let began = Instant::now();
        let done = self.service.client(arguments);
        ensure!(done.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&done.stderr));
        let seconds = began.elapsed().as_secs_f64();
        row(
            &format!("{} clips {what}", self.count),
            "memory bounded",
            &format!(
                "{seconds:.0} s, {:.0} clips a second; {:.0} MB at most",
                self.count as f64 / seconds,
                peak(self.service.pid())
            ),
            "-",
        );
        Ok(())
    }

    /// What was restored has come to its place.
    fn settled(&self) -> Result<()> {
        let began = Instant::now();
        until_restored(&self.service, LONGEST);
        row(
            "moved to their place, in the background",
            "-",
            &format!("{:.0} s", began.elapsed().as_secs_f64()),
            "-",
        );
        Ok(())
    }

    /// Starts once more, as anybody would see it.
    fn starts(&mut self, display: &Display, empty: f64) -> Result<()> {
        // The second start finds the files in memory, as the rival's reading does.
        for _ in 0..2 {
            self.service.stop();
            self.service.start_again();
            until_within("the history", LONGEST, || self.service.status().filter(|status| status.loaded));
        }
        self.service.stop();
        let began = Instant::now();
        self.service.start_again();
        let source = Source::on(display)?;
        let wait = |what: &str, path: &str| -> f64 {
            until_within(what, LONGEST, || self.call("GET", path, None).ok());
            began.elapsed().as_secs_f64()
        };
        until_within("capture", LONGEST, || self.service.status()?.capture.display.map(|_| ()));
        let capturing = began.elapsed().as_secs_f64();
        let newest = wait("the newest", "/clips?limit=50");
        source.copy("copied right after the start", Duration::from_secs(60), true)?;
        let all = wait("everything", "/search?q=zephyr");
        ensure!(self.service.status().context("a status")?.loaded, "it was searched before it was there");
        let reading = self.every_row()?;
        row("capturing, from process start", "< 0.5 s", &format!("{capturing:.2} s"), "-");
        row("the newest 50, from process start", "< 1 s", &format!("{newest:.2} s"), "-");
        row(
            "all of it searchable, from process start",
            "< 10 s",
            &format!("{all:.1} s"),
            &format!("`mariadb` reading the same rows: {reading:.1} s"),
        );
        let (loaded, most) = (resident(self.service.pid()), peak(self.service.pid()));
        // Until nothing more is sealed.
        let mut last = (loaded, Instant::now());
        until_within("the seals", LONGEST, || {
            let now = resident(self.service.pid());
            if (now - last.0).abs() > 2.0 {
                last = (now, Instant::now());
            }
            (last.1.elapsed() > Duration::from_secs(45)).then_some(())
        });
        row(
            "memory of the service beside the database",
            "≤ 700 MB",
            &format!(
                "{:.0} MB; {loaded:.0} MB as soon as it was read, {most:.0} MB at most",
                resident(self.service.pid())
            ),
            &format!("without clips: {empty:.0} MB"),
        );
        Ok(())
    }

    /// Reads what a start reads, by MariaDB's own client, and throws it away. Gives seconds.
    fn every_row(&self) -> Result<f64> {
        let began = Instant::now();
        let read = Command::new("mariadb")
            .arg("--socket")
            .arg(self.service.home().join("run/records.sock"))
            .args(["--quick", "--batch", "--raw", "-e", "SELECT * FROM yadori.clips"])
            .stdout(Stdio::null())
            .status()?;
        ensure!(read.success(), "the rows could not be read");
        Ok(began.elapsed().as_secs_f64())
    }

    /// How long a call takes, again and again.
    fn timed(&self, what: &str, budget: &str, mut each: impl FnMut(usize) -> Result<()>) -> Result<()> {
        let mut times = Vec::new();
        for n in 0..TIMES {
            let began = Instant::now();
            each(n)?;
            times.push(millis(began.elapsed()));
        }
        let measured = format!("{:.1} / {:.1} ms", at(&mut times, 0.5), at(&mut times, 1.0));
        row(&format!("{what}, p50 / most of {TIMES}"), budget, &measured, "-");
        Ok(())
    }

    fn get(&self, what: &str, path: impl Fn(usize) -> String) -> Result<()> {
        self.timed(what, "< 50 ms", |n| self.call("GET", &path(n), None).map(drop))
    }

    fn calls(&self) -> Result<()> {
        let count = self.count;
        let somewhere = move |n: usize| 1 + (n * 7_919) % count;
        self.get("the newest 50", |_| "/clips?limit=50".into())?;
        self.get("50 from anywhere", |n| format!("/clips?limit=50&place={}", somewhere(n)))?;
        self.get("a window of the outline, 10,000", |n| {
            format!("/outline?limit=10000&place={}", somewhere(n))
        })?;
        self.get("a clip by its place", |n| format!("/clips/{}", somewhere(n)))?;
        self.get("a search for a number", |n| format!("/search?q=clip+{}", somewhere(n)))?;
        self.get("a search that finds nothing", |n| format!("/search?q=zephyr{n}"))?;
        self.get("a search that finds nothing, and what is nearest", |n| {
            format!("/search?q=kestrle+zephyr{n}&nearest=true")
        })?;
        self.get("filters alone: kind:image", |_| "/search?q=kind:image".into())?;
        self.get("filters alone: since:1h", |_| "/search?q=since:1h".into())?;
        self.get("a negation alone", |_| "/search?q=-kestrel".into())?;
        self.timed("how much matches a word that all have", "-", |_| {
            let found = self.call("GET", "/search/outline?q=kestrel&limit=5000", None)?;
            ensure!(found["count"].as_u64() >= Some(count as u64), "{found}");
            Ok(())
        })?;
        self.get("insight", |_| "/insight?limit=365".into())?;
        self.get("the favorites in outline", |_| "/favorites/outline?limit=10000".into())?;
        self.get("ways to go on with a query", |_| "/complete?q=fro&cursor=3".into())
    }

    /// The id of a clip somewhere.
    fn id(&self, n: usize) -> Result<String> {
        let page =
            self.call("GET", &format!("/clips?limit=1&place={}", 1 + (n * 7_919) % self.count), None)?;
        Ok(page["clips"][0]["id"].as_str().context("an id")?.to_owned())
    }

    fn acts(&self) -> Result<()> {
        let ids: Vec<String> = (0..TIMES).map(|n| self.id(n)).collect::<Result<_>>()?;
        let post = |path: &str, body: Value| self.call("POST", path, Some(&body)).map(drop);
        let budget = "< 50 ms";
        self.timed("pinned among the favorites", budget, |n| {
            post("/keep", json!({ "ids": [ids[n]], "to": { "place": "favorites" } }))
        })?;
        self.timed("brought up", budget, |n| post("/bring-up", json!({ "ids": [ids[n]] })))?;
        self.timed("given a title", budget, |n| {
            post("/title", json!({ "id": ids[n], "title": format!("number {n}") }))
        })?;
        let undo = || self.call("POST", "/undo", None).map(drop);
        self.timed("taken back", budget, |_| undo())?;
        self.timed("removed", budget, |n| post("/remove", json!({ "ids": [ids[n]] })))?;
        self.service.yadori(&["drawer", "new", "Huts"]);
        self.timed("put into a drawer", budget, |n| {
            post(
                "/keep",
                json!({ "ids": [self.id(n + TIMES)?], "to": { "place": "drawer", "drawer": "Huts" } }),
            )
        })?;
        self.get("the drawer in outline", |_| "/drawers/Huts/outline?limit=10000".into())?;
        self.timed("a hundred removed and taken back", "-", |n| {
            let place = 1 + (n * 7_919) % (self.count - 200);
            let page = self.call("GET", &format!("/clips?limit=100&place={place}"), None)?;
            let ids: Vec<&str> = page["clips"]
                .as_array()
                .context("clips")?
                .iter()
                .filter_map(|row| row["id"].as_str())
                .collect();
            post("/remove", json!({ "ids": ids }))?;
            undo()
        })
    }

    fn copies(&self, source: &Source) -> Result<()> {
        let mut listener = yadori_e2e::measure::Listener::on(&self.service)?;
        let mut times = Vec::new();
        for n in 0..200 {
            let text = format!("copy {n} at Kestrel Hut");
            let began = source.copy(&text, Duration::from_secs(10), true)?;
            times.push(millis(listener.await_text(&format!("\"head\":\"{text}\""))? - began));
        }
        let measured = format!("{:.1} / {:.1} ms", at(&mut times, 0.5), at(&mut times, 0.99));
        row("a copy, committed and announced, p50 / p99 of 200", "p99 < 60 ms", &measured, "-");
        Ok(())
    }

    /// Searches while copies come at a steady pace and others are removed.
    fn searches_beside_copies(&self, source: &Source) -> Result<()> {
        const PACE: Duration = Duration::from_millis(20);
        let done = AtomicBool::new(false);
        let (mut times, removed) = std::thread::scope(|scope| -> Result<(Vec<f64>, usize)> {
            let searches = scope.spawn(|| -> Result<Vec<f64>> {
                let mut times = Vec::new();
                while !done.load(Relaxed) {
                    let n = (times.len() * 104_729) % self.count;
                    let began = Instant::now();
                    self.call("GET", &format!("/search?q=clip+{n}"), None)?;
                    times.push(millis(began.elapsed()));
                }
                Ok(times)
            });
            let removals = scope.spawn(|| -> Result<usize> {
                let mut n = 0;
                while !done.load(Relaxed) {
                    n += 1;
                    let id = self.id(n + 10 * TIMES)?;
                    self.call("POST", "/remove", Some(&json!({ "ids": [id] })))?;
                    std::thread::sleep(PACE * 5);
                }
                Ok(n)
            });
            let began = Instant::now();
            for n in 0..COPIES_BESIDE {
                if let Some(early) = (PACE * n).checked_sub(began.elapsed()) {
                    std::thread::sleep(early);
                }
                source.copy(&format!("copy {n} beside searches"), Duration::from_secs(10), true)?;
            }
            let paced = began.elapsed();
            done.store(true, Relaxed);
            ensure!(
                paced < PACE * (COPIES_BESIDE + COPIES_BESIDE / 10),
                "{COPIES_BESIDE} copies took {paced:?}"
            );
            Ok((searches.join().expect("no panic")?, removals.join().expect("no panic")?))
        })?;
        let found = self.call("GET", "/search/outline?q=%22beside+searches%22&limit=1", None)?;
        ensure!(found["count"] == json!(COPIES_BESIDE), "{found}");
        row(
            &format!(
                "a search while 50 copies a second come, {COPIES_BESIDE} in all, and {removed} clips go, p50 / p99 of {}",
                times.len()
            ),
            "< 50 ms",
            &format!("{:.1} / {:.1} ms", at(&mut times, 0.5), at(&mut times, 0.99)),
            "-",
        );
        Ok(())
    }

    /// A tenth goes by a limit, while status is asked for.
    fn sweep(&self) -> Result<()> {
        let left = self.count / 10 * 9;
        let began = Instant::now();
        let mut times = Vec::new();
        std::thread::scope(|scope| {
            let limited =
                scope.spawn(|| self.service.yadori(&["limits", "set", &format!("clips={left}"), "--yes"]));
            until_within("the sweep", LONGEST, || {
                let began = Instant::now();
                let clips = self.service.status()?.clips;
                times.push(millis(began.elapsed()));
                (clips <= left as u64 + 1_000 && limited.is_finished()).then_some(())
            });
        });
        let seconds = began.elapsed().as_secs_f64();
        row(
            &format!("a limit takes a tenth of {} clips", self.count),
            "memory bounded",
            &format!("{seconds:.0} s; {:.0} MB at most", peak(self.service.pid())),
            &format!(
                "`status` meanwhile: {:.1} / {:.1} ms (p50 / most)",
                at(&mut times, 0.5),
                at(&mut times, 1.0)
            ),
        );
        Ok(())
    }
}
