//! Ten minutes of a day's work: copies of every kind, takes, searches, pictures looked at, removals. What was made is
//! announced and kept, and the service's memory stays as it is.

use std::collections::HashSet;
use std::time::{Duration, Instant};

use anyhow::{Result, ensure};

use crate::measure::{Listener, at, resident};
use crate::{Display, Owner, Service, until_within};

/// What it came to.
#[derive(Clone, Copy, Debug, Default)]
pub struct Done {
    /// Copies that were made.
    pub made: usize,
    /// Copies that were announced as saved.
    pub announced: usize,
    /// Clips that are there at the end, or were removed: as many as there were different copies.
    pub kept: usize,
    /// Megabytes in the second tenth of the time, as a median.
    pub early: f64,
    /// The most megabytes in any tenth after that, as a median.
    pub most: f64,
}

/// How often something is copied.
const PACE: Duration = Duration::from_millis(100);

fn picture(n: usize, width: u32, height: u32) -> Vec<u8> {
    let seed = u32::try_from(n).unwrap_or(0).wrapping_mul(2_654_435_761);
    let shade = |x: u32, y: u32| (x.wrapping_mul(31) ^ y.wrapping_mul(17) ^ seed).to_le_bytes();
    let pixels = image::RgbImage::from_fn(width, height, |x, y| {
        let [r, g, b, _] = shade(x / 3, y / 3);
        image::Rgb([r, g, b])
    });
    let mut out = std::io::Cursor::new(Vec::new());
    let quick = image::codecs::png::CompressionType::Fast;
    let filter = image::codecs::png::FilterType::NoFilter;
    let encoder = image::codecs::png::PngEncoder::new_with_quality(&mut out, quick, filter);
    let _ = pixels.write_with_encoder(encoder);
    out.into_inner()
}

/// Works for this long; `say` hears how it stands, ten times.
///
/// # Errors
/// When something is not announced, or the service does not answer.
pub fn work(time: Duration, mut say: impl FnMut(f64, &Done)) -> Result<Done> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let owners = [Owner::on(&display), Owner::on(&display)];
    let mut events = Listener::on(&service)?;
    let key = service.key();
    let (began, mut done, mut removed) = (Instant::now(), Done::default(), 0);
    let (mut memory, mut told) = (Vec::new(), 0.0);
    let mut distinct = HashSet::new();
    let mut n = 0;
    while began.elapsed() < time {
        n += 1;
        let turn = Instant::now() + PACE;
        let owner = &owners[n % 2];
        // All words are held for searching: long texts come again, as they do in a day.
        let text = match n % 12 {
            0 | 3 => format!("Kestrel Hut, stores {} of the season", n % 96),
            _ => format!("Kestrel Hut, line {n} of the day"),
        };
        let html = format!("<p>Kestrel Hut, line <b>{n}</b> of the day</p>");
        let mut is_picture = false;
        match n % 12 {
            0 => owner.copy(&[("UTF8_STRING", text.as_bytes()), ("text/html", html.repeat(400).as_bytes())]),
            1 | 2 => owner.copy(&[("UTF8_STRING", text.as_bytes()), ("text/html", html.as_bytes())]),
            3 => owner.copy_text(&format!("{text}\n{}", "oats, rice, lentils\n".repeat(20_000))),
            4 => {
                is_picture = true;
                let (width, height) = if n % 60 == 4 { (4_000, 3_000) } else { (900, 600) };
                owner.copy(&[("image/png", &picture(n, width, height)), ("image/bmp", b"")]);
            }
            _ => owner.copy_text(&text),
        }
        done.made += 1;
        distinct.insert(if is_picture { format!("picture {n}") } else { text.clone() });
        // Not the one that was announced when it was still to be saved.
        let wanted = if is_picture { "\"kind\":\"image\"".to_owned() } else { format!("\"head\":\"{text}") };
        events.await_text(&wanted)?;
        events.await_text("event:")?;
        done.announced += 1;
        match n % 25 {
            0 => drop(service.yadori(&["take", "3"])),
            5 => drop(service.listed(&["kestrel line"])),
            10 => {
                let row = service.list(12).into_iter().find(|row| row.picture.is_some());
                if let Some(row) = row {
                    let address = format!("{}/api/v1/clips/{}/picture", service.address(), row.id);
                    let (status, _) = Service::curl(&[
                        "-o",
                        "/dev/null",
                        "-H",
                        &format!("authorization: Bearer {key}"),
                        &address,
                    ]);
                    ensure!(status == 200, "a picture of {} was answered with {status}", row.size);
                }
            }
            15 if n % 100 == 15 => {
                let line =
                    service.list(12).into_iter().find(|row| row.head.contains("line") && row.copies == 1);
                if let Some(line) = line {
                    drop(service.yadori(&["remove", &line.prefix]));
                    removed += 1;
                }
            }
            _ => {}
        }
        std::thread::sleep(turn.saturating_duration_since(Instant::now()));
        let part = (began.elapsed().as_secs_f64() * 10.0 / time.as_secs_f64()).floor();
        memory.push(resident(service.pid()));
        if part > told {
            let median = at(&mut memory, 0.5);
            if told < 2.0 {
                (done.early, done.most) = (median, median);
            }
            done.most = done.most.max(median);
            told = part;
            memory.clear();
            say(median, &done);
        }
    }
    until_within("the count of what is kept", Duration::from_secs(30), || {
        done.kept = usize::try_from(service.status()?.clips).unwrap_or(0) + removed;
        (done.kept == distinct.len()).then_some(())
    });
    ensure!(done.kept == distinct.len(), "{} of {} clips are there", done.kept, distinct.len());
    Ok(done)
}
