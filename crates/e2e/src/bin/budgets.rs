//! `make bench`: the budgets of whole processes, each beside a rival in the same run. Writes a table to standard output.
//! Figures vary from run to run and machine to machine; ratios within one run are what to compare.

use std::collections::HashSet;
use std::os::unix::net::UnixStream;
use std::process::Command;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use anyhow::Result;
use sqlx::mysql::{MySqlConnectOptions, MySqlPool};
use yadori_api::Kind;
use yadori_e2e::measure::{Listener, at, cpu, header, millis, resident, row};
use yadori_e2e::reader::Reader;
use yadori_e2e::source::Source;
use yadori_e2e::{Browser, Display, Owner, Service, many, until, until_within};

fn main() -> Result<()> {
    header();
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    let mut display = Display::start();
    let service = Service::on(&display.name());
    match std::env::args().nth(1).as_deref() {
        Some("bursts") => {
            bursts(&mut display, &service);
            return Ok(());
        }
        Some("copies") => return runtime.block_on(copies(&mut display, &service)),
        _ => {}
    }
    // Of whole processes first: what is written after large copies takes its time.
    for n in 0..20 {
        service.add(&[&format!("Kestrel Hut, booking {n}")]);
    }
    takes(&service);
    runtime.block_on(copies(&mut display, &service))?;
    bursts(&mut display, &service);
    beside_a_large_one(&mut display, &service)?;
    drop((service, display));
    starts_and_memory()?;
    runtime.block_on(console())?;
    Ok(())
}

async fn copies(display: &mut Display, service: &Service) -> Result<()> {
    let user = String::from_utf8(Command::new("id").arg("-un").output()?.stdout)?;
    let options =
        MySqlConnectOptions::new().socket(service.home().join("run/records.sock")).username(user.trim());
    let pool = MySqlPool::connect_with(options).await?;
    sqlx::query("CREATE DATABASE IF NOT EXISTS rival").execute(&pool).await?;
    sqlx::query("CREATE TABLE IF NOT EXISTS rival.bare (n INT PRIMARY KEY, t LONGBLOB)")
        .execute(&pool)
        .await?;
    let mut listener = Listener::on(service)?;
    let source = Source::on(display)?;
    let (mut bare, mut whole) = (Vec::new(), Vec::new());
    for n in 0..300 {
        // Turn by turn, so that both meet the same machine.
        let began = Instant::now();
        sqlx::query("REPLACE INTO rival.bare VALUES (?, 'Kestrel Hut: 14 bunks')")
            .bind(n)
            .execute(&pool)
            .await?;
        bare.push(millis(began.elapsed()));
        let text = format!("Kestrel Hut, bunk {n} of the season");
        let began = source.copy(&text, Duration::from_secs(2), true)?;
        let came = listener.await_text(&format!("\"head\":\"{text}\""))?;
        whole.push(millis(came - began));
    }
    sqlx::query("DROP DATABASE rival").execute(&pool).await?;
    pool.close().await;
    // What no program that reads it could save: the owner's two answers to another that asks for nothing else.
    let alone = Display::start();
    let (source, reader) = (Source::on(&alone)?, Reader::on(&alone));
    let mut answers = Vec::new();
    for n in 0..300 {
        let text = format!("Kestrel Hut, bunk {n} of the season");
        std::thread::scope(|scope| {
            scope.spawn(|| source.copy(&text, Duration::from_secs(2), true));
            let ask = |target| loop {
                if let (Some(_), took) = reader.ask("CLIPBOARD", target) {
                    break took;
                }
            };
            answers.push(millis(ask("TARGETS") + ask("UTF8_STRING")));
        });
    }
    let answers = at(&mut answers, 0.5);
    let (bare50, whole50, whole99) = (at(&mut bare, 0.5), at(&mut whole, 0.5), at(&mut whole, 0.99));
    row(
        "short text: copied to committed and announced, p50 (300 copies)",
        "a bare durable commit + 3 ms; < 2.5 × that commit",
        &format!("{whole50:.2} ms, {:+.2} ms, {:.1} ×", whole50 - bare50, whole50 / bare50),
        &format!(
            "bare durable commit {bare50:.2} ms; its program's two answers, to one that does nothing else, {answers:.2} ms"
        ),
    );
    row(
        "the same, p99",
        "< 60 ms",
        &format!("{whole99:.1} ms"),
        &format!("bare durable commit {:.1} ms", at(&mut bare, 0.99)),
    );

    let mut large = b"\x89PNG\r\n\x1a\n".to_vec();
    let mut state = 1u64;
    while large.len() < 10_000_000 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
        large.extend_from_slice(&state.to_le_bytes());
    }
    // Beside a display where nobody follows, and xclip reads what xclip copies. Both from the start of the copying program.
    let mut elsewhere = Display::start();
    let (mut kept, mut plain) = (Vec::new(), Vec::new());
    for n in 0..9u8 {
        large[100] = n;
        let began = Instant::now();
        display.copy("image/png", &large);
        while !service.list(1).iter().any(|row| row.kind == Kind::Image && row.saved) {
            anyhow::ensure!(began.elapsed() < Duration::from_secs(30), "the picture was not saved");
        }
        kept.push(millis(began.elapsed()));
        let began = Instant::now();
        elsewhere.copy("image/png", &large);
        while elsewhere.paste("image/png").is_none_or(|bytes| bytes != large) {
            anyhow::ensure!(began.elapsed() < Duration::from_secs(30), "the picture was not read");
        }
        plain.push(millis(began.elapsed()));
        display.copy_text(&format!("between pictures {n}"));
        service.await_clip(&format!("between pictures {n}"));
        elsewhere.copy_text("between pictures");
    }
    let (kept, plain) = (at(&mut kept, 0.5), at(&mut plain, 0.5));
    row(
        "10 MB image: xclip started to committed and listed, median of 9",
        "< 2 × reading it alone",
        &format!("{kept:.0} ms, {:.1} ×", kept / plain),
        &format!("another xclip reads it, kept by nobody: {plain:.0} ms"),
    );
    Ok(())
}

/// A small copy made while a large one is being read and saved, against one made alone.
fn beside_a_large_one(display: &mut Display, service: &Service) -> Result<()> {
    let source = Source::on(display)?;
    let mut listener = Listener::on(service)?;
    let mut large = vec![0u8; 60 << 20];
    let (mut alone, mut beside) = (Vec::new(), Vec::new());
    let small = |text: String, listener: &mut Listener| -> Result<f64> {
        let began = source.copy(&text, Duration::from_secs(5), true)?;
        Ok(millis(listener.await_text(&format!("\"head\":\"{text}\""))? - began))
    };
    for n in 0..5u8 {
        alone.push(small(format!("alone {n}"), &mut listener)?);
        listener.await_text("event: status")?;
        listener.forget();
        large[0] = n + 1;
        display.copy("image/png", &large);
        listener.await_text("\"live\":{\"state\":\"unknown\"")?;
        // Well into the transfer, which takes over a tenth of a second.
        std::thread::sleep(Duration::from_millis(40));
        let reported = service.status().map_or(0, |status| status.refusals.len());
        beside.push(small(format!("beside {n}"), &mut listener)?);
        // xclip gives a transfer up when another program copies: then its loss is reported.
        until_within("the large copy or word of its loss", Duration::from_secs(60), || {
            let there = service.list(5).iter().any(|row| row.size == 60 << 20 && row.saved);
            (there || service.status()?.refusals.len() > reported).then_some(())
        });
    }
    let (worst, alone) = (at(&mut beside, 1.0), at(&mut alone, 0.5));
    row(
        "a small copy while one of 60 MiB is being read, worst of 5",
        "at most 100 ms later",
        &format!("{worst:.1} ms, {:+.1} ms", worst - alone),
        &format!("alone, median: {alone:.1} ms"),
    );
    Ok(())
}

/// What a burst of copies came to.
struct Burst {
    kept: usize,
    bare: usize,
    twice: usize,
    stalls: usize,
}

/// Two hundred copies in turn by these programs, which serve their newest; read by the service and, beside it, by a reader
/// that asks for nothing but the text.
fn burst(display: &Display, service: &Service, programs: &[Owner], gap: u64, name: &str) -> Burst {
    let stop = Arc::new(AtomicBool::new(false));
    let bare = Reader::on(display).read_all(stop.clone());
    let gap = Duration::from_millis(gap);
    let mut stalls = 0;
    for n in 0..200 {
        let began = Instant::now();
        programs[n % programs.len()].copy_text(&format!("{name} {n}"));
        std::thread::sleep(gap.saturating_sub(began.elapsed()));
        stalls += usize::from(began.elapsed() > gap + Duration::from_millis(3));
    }
    let last = format!("after {name}");
    programs[0].copy_text(&last);
    service.await_clip(&last);
    stop.store(true, Ordering::SeqCst);
    let heads = |text: &String| text.starts_with(&format!("{name} "));
    let bare = bare.join().map_or(0, |came| came.into_iter().filter(heads).collect::<HashSet<_>>().len());
    let rows: Vec<_> = service.list(600).into_iter().filter(|row| heads(&row.head)).collect();
    let twice = rows.iter().filter(|row| row.copies > 1).count();
    Burst { kept: rows.len(), bare, twice, stalls }
}

fn bursts(display: &mut Display, service: &Service) {
    let programs = [Owner::on(display), Owner::on(display)];
    let line = |what: &str, budget: &str, burst: &Burst| {
        row(
            &format!("200 copies {what}"),
            budget,
            &format!("{} kept, {} counted twice", burst.kept, burst.twice),
            &format!("a bare reader: {}; the source itself late: {} times", burst.bare, burst.stalls),
        );
    };
    for (gap, budget) in [(20, "200 kept"), (10, "at least 198"), (5, "at least 190")] {
        let one = burst(display, service, &programs[..1], gap, &format!("burst of one at {gap}"));
        line(&format!("{gap} ms apart, one program"), budget, &one);
        let two = burst(display, service, &programs, gap, &format!("burst of two at {gap}"));
        line(&format!("{gap} ms apart, two programs in turn"), budget, &two);
    }
    let large = Owner::on(display);
    large.copy(&[("image/png", &vec![5; 60 << 20])]);
    let beside = burst(display, service, &programs, 20, "burst beside a transfer");
    line("20 ms apart, two programs in turn, while 60 MiB are read", "200 kept", &beside);
}

fn takes(service: &Service) {
    let run = |program: &mut Command| {
        let began = Instant::now();
        let done = program.output().expect("a program");
        assert!(done.status.success());
        millis(began.elapsed())
    };
    let (mut take, mut list, mut japanese, mut bare) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    for n in 0..200 {
        take.push(run(&mut service.client_command(&["take", if n % 2 == 0 { "1" } else { "2" }])));
        list.push(run(&mut service.client_command(&["list"])));
        japanese.push(run(&mut service.client_command(&["--lang", "ja", "list"])));
        bare.push(run(&mut Command::new("true")));
    }
    let beside = format!("`true`: {:.1} / {:.1} ms", at(&mut bare, 0.5), at(&mut bare, 0.99));
    for (what, budget, all) in [
        ("`yadori take 1`, whole process, p50 / p99 of 200", "< 15 ms (goal 5); < 3 x `true`", &mut take),
        ("`yadori list`, likewise", "< 3 x `true`", &mut list),
        ("`yadori --lang ja list`, likewise", "as in English", &mut japanese),
    ] {
        let times = at(all, 0.5) / at(&mut bare, 0.5);
        row(what, budget, &format!("{:.1} / {:.1} ms, {times:.1} x", at(all, 0.5), at(all, 0.99)), &beside);
    }
}

fn starts_and_memory() -> Result<()> {
    let display = Display::start();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    many::write_backup(&file, 10_000)?;
    let mut service = Service::on(&display.name());
    service.yadori(&["restore", file.to_str().unwrap_or_default()]);
    let (mut capturing, mut loaded, mut server) = (Vec::new(), Vec::new(), Vec::new());
    for _ in 0..5 {
        service.stop();
        let began = Instant::now();
        service.start_again();
        until("watching", || service.status()?.capture.display.map(|_| ()));
        capturing.push(millis(began.elapsed()));
        until("the records", || UnixStream::connect(service.home().join("run/records.sock")).ok());
        server.push(millis(began.elapsed()));
        until("the history", || service.status().filter(|status| status.loaded && status.clips == 10_000));
        loaded.push(millis(began.elapsed()));
    }
    row(
        "capturing, from process start, 10,000 clips, median of 5",
        "< 500 ms",
        &format!("{:.0} ms", at(&mut capturing, 0.5)),
        "",
    );
    row(
        "history loaded, from process start, 10,000 clips",
        "< 1,500 ms",
        &format!("{:.0} ms", at(&mut loaded, 0.5)),
        &format!("mariadbd alone answers after {:.0} ms", at(&mut server, 0.5)),
    );
    service.list(500);
    row(
        "memory, 10,000 short clips",
        "< 60 MB (goal 40)",
        &format!("{:.1} MB resident", resident(service.pid())),
        &format!("its mariadbd {:.0} MB", resident(service.database_pid())),
    );
    let before = cpu(service.pid());
    let time = Duration::from_secs(40);
    std::thread::sleep(time);
    let spent = cpu(service.pid()) - before;
    row(
        "idle, 40 s, in ticks of 10 ms",
        "< 0.1 % of a core",
        &format!("{:.3} %", 100.0 * spent / time.as_secs_f64()),
        "",
    );
    Ok(())
}

async fn console() -> Result<()> {
    let service = Service::without_desk();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    many::write_backup(&file, 100_000)?;
    service.yadori(&["restore", file.to_str().unwrap_or_default()]);
    let browser = Browser::start(None).await?;
    let began = Instant::now();
    browser.driver.goto(service.sign_in_link()).await?;
    browser.until("return document.querySelector('[data-summary]')").await?;
    let first = millis(began.elapsed());
    let began = Instant::now();
    browser.driver.goto("about:blank").await?;
    browser.driver.goto(format!("{}/healthz", service.address())).await?;
    let blank = millis(began.elapsed());
    row(
        "console: first list, 100,000 clips",
        "< 1,000 ms",
        &format!("{first:.0} ms"),
        &format!("two bare pages of the same service: {blank:.0} ms"),
    );
    browser.driver.goto(service.address()).await?;
    browser.until("return document.querySelector('[data-summary]')").await?;
    let frames = browser
        .driver
        .execute_async(
            "const done = arguments[0]; const box = document.getElementById('list'); const times = []; let last = performance.now(); let n = 0;\
             const step = (now) => { times.push(now - last); last = now; box.scrollTop += 700; if (++n < 240) requestAnimationFrame(step); \
             else { times.sort((a, b) => a - b); done([times[120], times[228]]); } }; requestAnimationFrame(step);",
            Vec::new(),
        )
        .await?;
    let times: Vec<f64> = serde_json::from_value(frames.json().clone())?;
    row(
        "console: a frame while scrolling 100,000 clips by 700 px a frame, p50 / p95",
        "smooth",
        &format!("{:.1} / {:.1} ms", times[0], times[1]),
        "a frame at 60 Hz: 16.7 ms",
    );
    let mut script = 0;
    for entry in std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/../../console/dist/assets"))? {
        let entry = entry?;
        if entry.file_name().to_string_lossy().ends_with(".js.br") {
            script += entry.metadata()?.len();
        }
    }
    row("console: script, compressed", "< 150 kB", &format!("{:.1} kB", script as f64 / 1e3), "");
    Ok(())
}
