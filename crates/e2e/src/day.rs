//! A day of ordinary use in short: copies and takes, pauses, and restarts of display, database and service in between. What
//! was announced is there at the end, in its order, and nothing that was copied in a pause.

use std::time::Duration;

use anyhow::{Context, Result, ensure};

use crate::measure::{cpu, resident};
use crate::{Compositor, Display, Service, until};

/// Where it is spent.
#[derive(Debug)]
pub enum Desk {
    /// On X11.
    X(Display),
    /// On Wayland.
    Wayland(Compositor),
}

impl Desk {
    fn name(&self) -> String {
        match self {
            Self::X(display) => display.name(),
            Self::Wayland(compositor) => compositor.socket().display().to_string(),
        }
    }

    fn copy(&mut self, text: &str) {
        match self {
            Self::X(display) => display.copy_text(text),
            Self::Wayland(compositor) => compositor.copy_text(text),
        };
    }

    fn paste(&self) -> Option<String> {
        match self {
            Self::X(display) => display.paste_text(),
            Self::Wayland(compositor) => compositor.paste_text(),
        }
    }

    /// It goes away, its programs with it, and is there again.
    fn start_again(&mut self) {
        match self {
            Self::X(display) => {
                display.end_server();
                let number = display.name()[1..].parse().expect("a number");
                *display = Display::start_as(number);
            }
            Self::Wayland(compositor) => {
                compositor.end_server();
                compositor.start_again();
            }
        }
    }
}

/// How it went.
#[derive(Clone, Copy, Debug)]
pub struct Day {
    /// Copies that were announced, all of which are there.
    pub copies: usize,
    /// Takes, each of which was pasteable.
    pub takes: usize,
    /// What the service had in memory soon after its last start, in MB, and at the end of the day.
    pub early: f64,
    /// See there.
    pub late: f64,
}

/// What happens beside copying, and at which copies of a hundred.
const RESTARTS: [(usize, &str); 7] = [
    (14, "display"),
    (27, "database"),
    (38, "pause"),
    (49, "service"),
    (58, "database"),
    (71, "display"),
    (83, "pause"),
];

/// Spends it: so many copies, and a take after every `each`.
///
/// # Errors
/// Something that was announced is not there, or something is that should not be.
///
/// # Panics
/// What was to happen did not, in time.
pub fn spend(mut desk: Desk, copies: usize, each: usize) -> Result<(Day, Service)> {
    let mut service = Service::on(&desk.name());
    let mut announced: Vec<String> = Vec::new();
    let (mut takes, mut early) = (0, 0.0);
    for n in 0..copies {
        // Once each, whatever the count.
        let at = |percent: usize| n == copies * percent / 100;
        for (_, what) in RESTARTS.iter().filter(|(percent, _)| at(*percent)) {
            match *what {
                "display" => {
                    desk.start_again();
                    service.await_keeping();
                }
                "database" => {
                    let pid = rustix::process::Pid::from_raw(i32::try_from(service.database_pid())?);
                    rustix::process::kill_process(pid.context("a process")?, rustix::process::Signal::KILL)?;
                }
                "service" => {
                    service.stop();
                    service.start_again();
                    service.await_keeping();
                }
                _ => {
                    service.yadori(&["pause"]);
                    let secret = format!("in a pause {n}");
                    desk.copy(&secret);
                    until("the copy in the pause", || desk.paste().filter(|text| *text == secret));
                    service.yadori(&["resume"]);
                }
            }
        }
        let text = format!("entry {n} of the warden's book");
        desk.copy(&text);
        service.await_clip(&text);
        announced.push(text);
        if n % each == 0 {
            let place = 1 + n * 7 % announced.len().min(30);
            let wanted =
                service.listed(&["-n", "40"])[place - 1]["head"].as_str().unwrap_or_default().to_owned();
            service.yadori(&["take", &place.to_string()]);
            until("what was taken", || desk.paste().filter(|text| *text == wanted));
            takes += 1;
        }
        if at(60) {
            early = resident(service.pid());
        }
    }
    service.yadori(&["status", "--wait", "60"]);
    let late = resident(service.pid());
    // As it stands on disk.
    service.stop();
    service.start_again();
    service.await_keeping();
    let count = (copies + 50).to_string();
    let there: Vec<String> = service
        .listed(&["-n", &count, "--oldest-first"])
        .iter()
        .map(|row| row["head"].as_str().unwrap_or_default().to_owned())
        .collect();
    let lost: Vec<&String> = announced.iter().filter(|text| !there.contains(text)).collect();
    ensure!(lost.is_empty(), "announced, and not there: {lost:?}");
    ensure!(
        there.iter().all(|text| !text.starts_with("in a pause")),
        "copied in a pause, and there: {there:?}"
    );
    ensure!(there.len() == announced.len(), "{} were copied, and {} are there", announced.len(), there.len());
    Ok((Day { copies, takes, early, late }, service))
}

/// The part of a core that a service takes in so much time in which nothing happens.
pub fn idle(service: &Service, time: Duration) -> f64 {
    std::thread::sleep(Duration::from_secs(5)); // what has just happened comes to its end
    let before = cpu(service.pid());
    std::thread::sleep(time);
    (cpu(service.pid()) - before) / time.as_secs_f64()
}
