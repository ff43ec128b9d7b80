//! What the exchange between devices takes, on loopback: from a copy on one to a paste on the other, the first exchange of a
//! large history (with a number as argument that alone, of so many clips; with `pushes` what follows alone; with `watched` and a
//! number the console meanwhile), and what a hub takes beside the bare commits of the same database.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use serde_json::json;
use sqlx::mysql::{MySqlConnectOptions, MySqlPoolOptions};
use yadori_e2e::hub::{Hub, SharedDatabase, pair, until_exchanged};
use yadori_e2e::measure::{Listener, at, header, millis, resident, row, until_restored};
use yadori_e2e::pushing::Pusher;
use yadori_e2e::reader::Reader;
use yadori_e2e::{Browser, Display, Owner, Service, many};

/// Copies that are timed.
const COPIES: usize = 300;
/// The longest that a first exchange may take.
const LONGEST: Duration = Duration::from_secs(7_200);
/// Those who push at once.
const AT_ONCE: usize = 16;
/// Pushes that each of them has ready.
const PREPARED: usize = 5_000;
/// For how long pushes or commits are counted at once, and how often.
const COUNTED: Duration = Duration::from_secs(1);
const ROUNDS: u32 = 8;

fn copies() -> Result<()> {
    let hub = Hub::open();
    let (office, valley) = (Display::start(), Display::start());
    let (host, guest) = (Service::on(&office.name()), Service::on(&valley.name()));
    let (owner, reader) = (Owner::on(&office), Reader::on(&valley));
    let mut listener = Listener::on(&host)?;
    let (mut pasteable, mut announced) = (Vec::new(), Vec::new());
    for n in 0..COPIES {
        let text = format!("copy {n} on one device alone");
        listener.forget();
        let began = Instant::now();
        owner.copy_text(&text);
        announced.push(millis(listener.await_text(&text)?.duration_since(began)));
    }
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    until_exchanged(&[&host, &guest]);
    for n in 0..COPIES {
        let text = format!("copy {n} of the benchmark");
        let began = Instant::now();
        owner.copy_text(&text);
        while reader.ask("CLIPBOARD", "UTF8_STRING").0.as_deref() != Some(text.as_bytes()) {
            anyhow::ensure!(began.elapsed() < Duration::from_secs(20), "copy {n} did not come");
        }
        pasteable.push(millis(began.elapsed()));
    }
    row(
        "a copy on one device is pasteable on another",
        "p50 < 100 ms, p99 < 300 ms",
        &format!(
            "p50 {:.1} ms, p99 {:.1} ms ({COPIES} times)",
            at(&mut pasteable, 0.5),
            at(&mut pasteable, 0.99)
        ),
        &format!(
            "announced on one alone: p50 {:.1} ms, p99 {:.1} ms",
            at(&mut announced, 0.5),
            at(&mut announced, 0.99)
        ),
    );
    Ok(())
}

fn first(clips: usize) -> Result<()> {
    let hub = Hub::open();
    let (host, guest) = (Service::without_desk(), Service::without_desk());
    let file = host.home().join("many.tar");
    many::write_backup(&file, clips)?;
    let began = Instant::now();
    host.yadori(&["restore", &file.display().to_string()]);
    let restored = began.elapsed();
    let before = (resident(host.pid()), resident(guest.pid()));
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    let (began, mut most) = (Instant::now(), before);
    loop {
        let there = guest.status().context("a status")?.clips;
        most = (most.0.max(resident(host.pid())), most.1.max(resident(guest.pid())));
        if there >= clips as u64 {
            break;
        }
        anyhow::ensure!(began.elapsed() < LONGEST, "{there} clips came");
        std::thread::sleep(Duration::from_millis(100));
    }
    row(
        &format!("the first exchange of {clips} clips"),
        "< 60 s, memory flat",
        &format!(
            "{:.1} s; sending {:.0} MB resident at most, receiving {:.0} MB",
            began.elapsed().as_secs_f64(),
            most.0,
            most.1
        ),
        &format!(
            "restoring them from a file {:.1} s; sending {:.0} MB before; receiving {:.0} MB with all of them, afterwards",
            restored.as_secs_f64(),
            before.0,
            resident(guest.pid())
        ),
    );
    Ok(())
}

/// The console on the device to which a history comes: what the page's thread has to do, and how soon one frame follows another.
fn watched(clips: usize) -> Result<()> {
    let hub = Hub::open();
    let (host, guest) = (Service::without_desk(), Service::without_desk());
    let file = host.home().join("many.tar");
    many::write_backup(&file, clips)?;
    host.yadori(&["restore", &file.display().to_string()]);
    until_restored(&host, LONGEST);
    tokio::runtime::Runtime::new()?.block_on(async {
        let browser = Browser::console(&guest).await?;
        browser.cdp("Performance.enable", json!({})).await?;
        browser
            .script(
                "window.__frames = []; let last; const next = (now) => { if (last) window.__frames.push(now - last); \
                 last = now; requestAnimationFrame(next); }; requestAnimationFrame(next)",
            )
            .await?;
        pair(&hub, (&host, &guest), ("Office", "Valley"));
        let (began, before) = (Instant::now(), browser.worked().await?);
        while guest.status().context("a status")?.clips < clips as u64 {
            anyhow::ensure!(began.elapsed() < LONGEST, "it did not come");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }
        let took = began.elapsed().as_secs_f64();
        let share = (browser.worked().await? - before) / took;
        let frames = browser.script("return window.__frames").await?;
        let mut frames: Vec<f64> = serde_json::from_value(frames)?;
        row(
            &format!("the console meanwhile on the device to which {clips} clips come"),
            "a frame < 50 ms at p95",
            &format!(
                "a frame {:.1} / {:.1} ms (p50 / p95), {:.0} ms at most; its thread is busy for {:.0} % of the time",
                at(&mut frames, 0.5),
                at(&mut frames, 0.95),
                at(&mut frames, 1.0),
                100.0 * share
            ),
            &format!("they came in {took:.0} s"),
        );
        Ok(())
    })
}

fn counted(what: impl Fn(usize) -> Result<()> + Sync) -> Result<f64> {
    let done = AtomicUsize::new(0);
    let began = Instant::now();
    std::thread::scope(|threads| -> Result<()> {
        let all: Vec<_> = (0..AT_ONCE)
            .map(|n| {
                let (what, done) = (&what, &done);
                threads.spawn(move || -> Result<()> {
                    while began.elapsed() < COUNTED {
                        what(n)?;
                        done.fetch_add(1, Ordering::Relaxed);
                    }
                    Ok(())
                })
            })
            .collect();
        all.into_iter().try_for_each(|one| one.join().expect("no panic"))
    })?;
    #[allow(clippy::cast_precision_loss)]
    Ok(done.load(Ordering::Relaxed) as f64 / began.elapsed().as_secs_f64())
}

/// Seals and signs ahead: what a device does before it asks is not the hub's work.
fn prepare(pushers: &[Pusher]) -> Result<()> {
    std::thread::scope(|threads| {
        let all = pushers.iter().map(|one| threads.spawn(|| one.prepare(PREPARED))).collect::<Vec<_>>();
        all.into_iter().try_for_each(|one| one.join().expect("no panic"))
    })
}

/// What these push in a second.
fn pushing(pushers: &[Pusher]) -> Result<f64> {
    prepare(pushers)?;
    let rounds = (0..ROUNDS).map(|_| counted(|n| pushers[n].push())).sum::<Result<f64>>()?;
    Ok(rounds / f64::from(ROUNDS))
}

fn pushes() -> Result<()> {
    let hub = Hub::configured("open = true\npace = 100000\n");
    let socket = hub.home().join("run/records.sock");
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build()?;
    let open = || {
        runtime.block_on(async {
            let options = MySqlConnectOptions::new().socket(&socket).username("root").database("yadori_hub");
            let first = MySqlPoolOptions::new().max_connections(1).connect_with(options.clone()).await?;
            // The hub has its own sixteen.
            sqlx::query("SET GLOBAL max_connections = 100").execute(&first).await?;
            first.close().await;
            let pool = MySqlPoolOptions::new().max_connections(16).connect_with(options).await?;
            sqlx::query(
                "CREATE TABLE IF NOT EXISTS bare (id BIGINT NOT NULL AUTO_INCREMENT PRIMARY KEY, body BLOB NOT NULL)",
            )
            .execute(&pool)
            .await?;
            anyhow::Ok(pool)
        })
    };
    let pushers: Vec<Pusher> = (0..AT_ONCE).map(|_| Pusher::at(&hub.address)).collect::<Result<_>>()?;
    let body = vec![7_u8; 700];
    let pool = open()?;
    prepare(&pushers)?;
    // By turns: what either leaves to be done in the background, and the machine's moods, meet both.
    let (mut bare, mut pushed) = (0.0, 0.0);
    for _ in 0..ROUNDS {
        bare += counted(|_| {
            runtime.block_on(async {
                sqlx::query("INSERT INTO bare (body) VALUES (?)").bind(&body[..]).execute(&pool).await?;
                Ok(())
            })
        })?;
        pushed += counted(|n| pushers[n].push())?;
    }
    runtime.block_on(pool.close());
    row(
        "pushes that a hub takes, 16 connections",
        "60 % of bare commits",
        &format!("{:.0} a second, {:.0} %", pushed / f64::from(ROUNDS), 100.0 * pushed / bare),
        &format!("single-row commits of the same database {:.0} a second", bare / f64::from(ROUNDS)),
    );
    Ok(())
}

/// Two processes on one database beside one: what they take together, and how soon one tells who waits at the other.
fn processes() -> Result<()> {
    let database = SharedDatabase::start();
    let one = database.hub();
    let alone: Vec<Pusher> = (0..AT_ONCE).map(|_| Pusher::at(&one.address)).collect::<Result<_>>()?;
    let single = pushing(&alone)?;
    let other = database.hub();
    let both: Vec<Pusher> = (0..AT_ONCE)
        .map(|n| Pusher::at(if n % 2 == 0 { &one.address } else { &other.address }))
        .collect::<Result<_>>()?;
    let together = pushing(&both)?;
    let here = Pusher::at(&one.address)?;
    let there = here.also_at(&other.address);
    let mut told = Vec::new();
    for n in 0..COPIES as u64 {
        let heard = std::thread::scope(|threads| -> Result<Duration> {
            let waits = threads.spawn(|| there.wait_for(n).map(|last| (last, Instant::now())));
            // It waits by then; whoever does not is answered at once, which is no faster.
            std::thread::sleep(Duration::from_millis(30));
            here.push()?;
            let pushed = Instant::now();
            let (last, heard) = waits.join().expect("no panic")?;
            anyhow::ensure!(last == n + 1, "push {n} was not heard of");
            Ok(heard.saturating_duration_since(pushed))
        })?;
        told.push(millis(heard));
    }
    row(
        "pushes that two hub processes on one database take, 16 connections",
        "what one does",
        &format!("{together:.0} a second"),
        &format!("one process {single:.0} a second"),
    );
    row(
        "told at one process of what came in at another",
        "< 50 ms",
        &format!("p50 {:.1} ms, p99 {:.1} ms ({COPIES} times)", at(&mut told, 0.5), at(&mut told, 0.99)),
        "",
    );
    Ok(())
}

/// What a hub holds of memory for each device that waits for news.
fn waiting() -> Result<()> {
    const WAITING: usize = 2_000;
    let hub = Hub::configured("open = true\npace = 100000\n");
    let devices: Vec<Pusher> = (0..20).map(|_| Pusher::at(&hub.address)).collect::<Result<_>>()?;
    let before = resident(hub.pid());
    let most = std::thread::scope(|threads| {
        for n in 0..WAITING {
            let one = devices[n % devices.len()].also_at(&hub.address);
            let _ = std::thread::Builder::new()
                .stack_size(128 << 10)
                .spawn_scoped(threads, move || one.wait_for(0));
        }
        let began = Instant::now();
        let mut most = before;
        while began.elapsed() < Duration::from_secs(8) {
            most = most.max(resident(hub.pid()));
            std::thread::sleep(Duration::from_millis(100));
        }
        most
    });
    row(
        &format!("memory of a hub with {WAITING} devices that wait"),
        "",
        &format!("{:.1} MB, {:.1} kB each", most, (most - before) * 1_000.0 / WAITING as f64),
        &format!("with none {before:.1} MB"),
    );
    Ok(())
}

fn main() -> Result<()> {
    let said = std::env::args().nth(1);
    if said.as_deref() == Some("pushes") {
        header();
        pushes()?;
        processes()?;
        return waiting();
    }
    if said.as_deref() == Some("watched") {
        header();
        return watched(std::env::args().nth(2).context("a number")?.parse()?);
    }
    if let Some(clips) = said {
        header();
        return first(clips.parse().context("a number, or `pushes`")?);
    }
    header();
    copies()?;
    pushes()?;
    processes()?;
    waiting()?;
    first(100_000)?;
    watched(100_000)
}
