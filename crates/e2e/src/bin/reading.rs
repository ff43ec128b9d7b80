//! `make bench`: words of a hundred pictures are read while texts are copied. How much later a copy is there than with
//! nothing under way, in the same run; and how long a picture takes beside the program alone.

use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use yadori_demo::draw::notice;
use yadori_e2e::measure::{Listener, at, header, millis, row};
use yadori_e2e::source::Source;
use yadori_e2e::{Display, Service};

/// Pictures of the demo's kind.
const PICTURES: usize = 100;
/// Copies with nothing under way.
const COPIES: usize = 300;
/// Copies between two looks at how far the reading has come.
const AT_ONCE: usize = 20;
/// Between two copies.
const PAUSE: Duration = Duration::from_millis(30);

fn main() -> Result<()> {
    header();
    let display = Display::start();
    let service = Service::configured_on(&display.name(), "[pictures]\nread = false\n");
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("notice.png");
    for n in 0..PICTURES {
        let lines = [
            format!("Kestrel Hut, notice {n}"),
            format!("Spring water: boil it until {} June", n % 29 + 1),
            "Ridge path closed above the lower bridge".to_owned(),
            "Drying room: ask the warden".to_owned(),
        ];
        std::fs::write(&file, notice(&lines.each_ref().map(String::as_str))?)?;
        service.yadori(&["add", "--file", &file.to_string_lossy()]);
    }
    let source = Source::on(&display)?;
    let mut number = 0;
    // Whoever listens for long is asked to connect anew.
    let mut copies = || -> Result<Vec<f64>> {
        let mut listener = Listener::on(&service)?;
        let mut took = Vec::new();
        for _ in 0..AT_ONCE {
            number += 1;
            // Faster than any person, and not so fast that nothing else comes to its turn.
            std::thread::sleep(PAUSE);
            let text = format!("Kestrel Hut, bunk {number} of the season");
            let began = source.copy(&text, Duration::from_secs(5), true)?;
            took.push(millis(listener.await_text(&format!("\"head\":\"{text}\""))? - began));
        }
        Ok(took)
    };
    let mut quiet = Vec::new();
    while quiet.len() < COPIES {
        quiet.extend(copies()?);
    }
    let began = Instant::now();
    service.yadori(&["settings", "set", "pictures.read", "true"]);
    let mut beside = Vec::new();
    let mut left = PICTURES;
    while left > 0 {
        beside.extend(copies()?);
        left = PICTURES - service.listed(&["notice kind:image", "-n", "200"]).len();
        anyhow::ensure!(began.elapsed() < Duration::from_secs(600), "{left} pictures were not read");
    }
    let each = millis(began.elapsed()) / PICTURES as f64;
    let most = |all: &[f64]| all.iter().copied().fold(0.0, f64::max);
    row(
        "a copy while the words of 100 pictures are read, most",
        "50 ms above the same with nothing under way",
        &format!(
            "{:.1} ms of {} copies (p50 {:.1})",
            most(&beside),
            beside.len(),
            at(&mut beside.clone(), 0.5)
        ),
        &format!("nothing under way: {:.1} ms of {COPIES} (p50 {:.1})", most(&quiet), at(&mut quiet, 0.5)),
    );
    let began = Instant::now();
    let done = Command::new("tesseract")
        .args([file.as_os_str(), "-".as_ref(), "-l".as_ref(), "eng".as_ref(), "tsv".as_ref()])
        .env("OMP_THREAD_LIMIT", "1")
        .stderr(Stdio::null())
        .output()
        .context("tesseract (Debian package tesseract-ocr)")?;
    anyhow::ensure!(done.status.success(), "it read nothing");
    row(
        "a picture read, with copies going on beside",
        "(none)",
        &format!("{each:.0} ms"),
        &format!("the program alone {:.0} ms", millis(began.elapsed())),
    );
    Ok(())
}
