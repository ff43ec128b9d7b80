//! `yadori-demo`: a private X display, a service with a home of its own, the demo's history brought in through the client,
//! a few real copies by ordinary programs, and a sign-in link. Runs until Ctrl-C and leaves nothing behind.
#![expect(clippy::print_stdout, reason = "the demo speaks to the person who started it")]

mod form;
mod scenario;
mod second;

use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};
use clap::Parser;
use jiff::{SignedDuration, Timestamp};
use yadori_demo::draw;

use scenario::{Clip, What};

/// Shows Yadori with the sample data of a warden's office
#[derive(Debug, Parser)]
struct Arguments {
    /// Keep the demo's home here instead of a temporary directory
    #[arg(long)]
    home: Option<PathBuf>,
    /// Where to serve the console
    #[arg(long, default_value = "127.0.0.1:0")]
    listen: String,
    /// Watch this display, e.g. your own with `--display $DISPLAY`, instead of a private one: chords work there
    #[arg(long)]
    display: Option<String>,
    /// Show one computer alone, without a second one and a hub
    #[arg(long)]
    alone: bool,
}

/// A program of the demo, ended with it.
struct Program(Child);

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

struct Stage {
    home: PathBuf,
    office: PathBuf,
    display: String,
}

#[tokio::main(flavor = "current_thread")]
async fn main() -> Result<()> {
    let arguments = Arguments::parse();
    let scratch = tempfile::Builder::new().prefix("yadori-demo-").tempdir()?;
    let home = arguments.home.clone().unwrap_or_else(|| scratch.path().join("home"));
    let (_private, display) = match &arguments.display {
        Some(display) => (None, display.clone()),
        None => {
            let (server, display) = start_display()?;
            let windows = quiet("openbox").env("DISPLAY", &display).spawn().context("openbox")?;
            (Some((server, Program(windows))), display)
        }
    };
    let stage = Stage { home, office: scratch.path().join("permits/2031"), display };
    let config = stage.home.join("config.toml");
    if !config.exists() {
        std::fs::create_dir_all(&stage.home)?;
        // Phones are let in, from this computer alone: a look at their page.
        std::fs::write(&config, "[phone]\nlisten = \"127.0.0.1:0\"\n")?;
    }
    let mut service = Program(
        Command::new(beside("yadorid")?)
            .args(["--listen", &arguments.listen, "--display", &stage.display, "--home"])
            .arg(&stage.home)
            // Its lamp is not put up on the desktop of whoever looks at it.
            .env("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nonexistent/bus")
            .spawn()
            .context("yadorid")?,
    );
    await_ready(&stage).await?;
    draw_office(&stage.office)?;
    println!("Bringing three weeks of the warden's office in …");
    bring_in(&stage)?;
    arrange(&stage)?;
    // What is copied at the upper hut has no business on a person's own clipboard.
    let second = if arguments.alone || arguments.display.is_some() {
        None
    } else {
        println!("Starting a second computer and a hub, and pairing the two …\n");
        let second = second::begin(&stage, scratch.path()).await?;
        second.tell(&stage).await?;
        Some(second)
    };
    let mut programs = play(&stage)?;
    if let Some(second) = &second {
        second.hear(&stage).await?;
    }
    let form = form::serve().await?;
    begin_batch(&stage)?;
    println!("{}", yadori(&stage, &["status"])?);
    println!("Open this in a browser within a minute:\n\n    {}\n", yadori(&stage, &["console"])?.trim());
    println!("To try the client, in another terminal:\n");
    println!(
        "    export YADORI_HOME={}\n    {} console\n    {} list\n",
        stage.home.display(),
        beside("yadori")?.display(),
        beside("yadori")?.display()
    );
    if let Some(second) = &second {
        println!(
            "The second computer, at the upper hut (display {}), and the hub between them, at {}:\n\n    {} --home {} list\n",
            second.stage.display,
            second.hub,
            beside("yadori")?.display(),
            second.stage.home.display()
        );
    }
    println!(
        "The phones' door, which is open to this computer alone in the demo: `yadori phone add` shows a code.\n"
    );
    println!("A batch is in hand: two guests, to be moved into the form at\n\n    {form}\n");
    match &arguments.display {
        Some(_) => println!(
            "Open it, put the cursor into its first field, and press Ctrl+Alt+N once for each field.\n"
        ),
        None => println!(
            "`yadori batch` shows it, `yadori batch next` hands it out. On your own display, one press of Ctrl+Alt+N fills a\n\
             field: end this, and start {} --display $DISPLAY\n",
            std::env::current_exe()?.display()
        ),
    }
    println!(
        "The demo's display is {}. Enter gives a fresh link to sign in, Ctrl-C ends it all.",
        stage.display
    );
    std::io::stdout().flush()?;
    let mut terminate = tokio::signal::unix::signal(tokio::signal::unix::SignalKind::terminate())?;
    let mut presses = presses_of_enter();
    loop {
        tokio::select! {
            done = tokio::signal::ctrl_c() => break done?,
            _ = terminate.recv() => break,
            Some(()) = presses.recv() => {
                println!("    {}\n", yadori(&stage, &["console"])?.trim());
                std::io::stdout().flush()?;
            }
        }
    }
    println!("\nEnding.");
    if let Some(second) = &second {
        second.stop();
    }
    let _ = yadori(&stage, &["stop"]);
    let until = Instant::now() + Duration::from_secs(10);
    while service.0.try_wait()?.is_none() && Instant::now() < until {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    programs.clear();
    Ok(())
}

/// Each press of Enter at the terminal, on a thread of its own: a read of it can't be given up.
fn presses_of_enter() -> tokio::sync::mpsc::Receiver<()> {
    let (told, presses) = tokio::sync::mpsc::channel(1);
    std::thread::spawn(move || {
        let lines = std::io::stdin().lines();
        // At its end nobody is there to press anything.
        for _ in lines.map_while(Result::ok) {
            if told.blocking_send(()).is_err() {
                return;
            }
        }
    });
    presses
}

/// A program that was built beside this one.
fn beside(name: &str) -> Result<PathBuf> {
    let path = std::env::current_exe()?.with_file_name(name);
    if path.exists() { Ok(path) } else { bail!("{} is not built; run `make demo`", path.display()) }
}

fn quiet(program: &str) -> Command {
    let mut command = Command::new(program);
    command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    command
}

/// A private X display; the server chooses its number.
fn start_display() -> Result<(Program, String)> {
    let mut server = Command::new("Xvfb")
        .args(["-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-noreset"])
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .context("Xvfb (Debian package xvfb)")?;
    let mut number = String::new();
    let out = server.stdout.take().context("no output of Xvfb")?;
    BufReader::new(out).read_line(&mut number)?;
    let server = Program(server);
    if number.trim().is_empty() {
        bail!("Xvfb did not start");
    }
    Ok((server, format!(":{}", number.trim())))
}

fn yadori(stage: &Stage, arguments: &[&str]) -> Result<String> {
    let done = Command::new(beside("yadori")?).arg("--home").arg(&stage.home).args(arguments).output()?;
    if !done.status.success() {
        bail!("yadori {}: {}", arguments.join(" "), String::from_utf8_lossy(&done.stderr));
    }
    Ok(String::from_utf8_lossy(&done.stdout).into_owned())
}

async fn await_ready(stage: &Stage) -> Result<()> {
    let until = Instant::now() + Duration::from_secs(60);
    loop {
        let ready = yadori(stage, &["status", "--json"]).ok().and_then(|text| {
            let status: serde_json::Value = serde_json::from_str(&text).ok()?;
            Some(status["capture"]["state"] == "keeping")
        });
        if ready == Some(true) {
            return Ok(());
        }
        if Instant::now() > until {
            bail!("the service did not get ready: {}", yadori(stage, &["status"]).unwrap_or_default());
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
}

/// The files that copied file references point to.
fn draw_office(office: &Path) -> Result<()> {
    std::fs::create_dir_all(office)?;
    for (name, seed) in [("route-map-south.png", 71), ("season-poster.png", 72)] {
        std::fs::write(office.join(name), draw::sketch(seed, 1_200, 800))?;
    }
    for name in ["permit-form.pdf", "bunk-list.ods", "water-sample.txt", "ridge-path.gpx"] {
        std::fs::write(office.join(name), format!("{name}: a sample of the demo\n"))?;
    }
    Ok(())
}

fn bring_in(stage: &Stage) -> Result<()> {
    let now = Timestamp::now();
    let here = now.to_zoned(jiff::tz::TimeZone::system());
    let minute = i64::from(here.hour()) * 60 + i64::from(here.minute());
    let picture = stage.office.join("picture.png");
    let html = stage.office.join("formatted.html");
    let folder = stage.office.display().to_string();
    for Clip { what, program, window, minutes_ago } in scenario::clips(&folder, minute) {
        let at = (now - SignedDuration::from_mins(minutes_ago)).to_string();
        let mut arguments: Vec<String> =
            ["add", "--json", "--at", &at, "--program", program, "--window", &window]
                .map(str::to_owned)
                .into();
        match what {
            What::Text(text) => arguments.extend(["--".into(), text]),
            What::Formatted(text, formatted) => {
                std::fs::write(&html, formatted)?;
                arguments.extend([format!("--also=text/html={}", html.display()), "--".into(), text]);
            }
            What::Picture(seed) => {
                std::fs::write(&picture, draw::sketch(seed, 1_480, 620))?;
                arguments.extend(["--file".into(), picture.display().to_string()]);
            }
            What::Files(files) => {
                arguments.push("--reference".into());
                arguments.extend(files);
            }
        }
        let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
        yadori(stage, &arguments)?;
    }
    Ok(())
}

/// What the office keeps: drawers, dividers, titles, colors, an edit.
fn arrange(stage: &Stage) -> Result<()> {
    for (name, color, group) in scenario::DRAWERS {
        let mut arguments = vec!["drawer", "new", name, "--color", color];
        arguments.extend(group.map(|group| ["--group", group]).into_iter().flatten());
        yadori(stage, &arguments)?;
    }
    let now = Timestamp::now();
    let mut ids = std::collections::HashMap::new();
    for (n, (title, text, drawer, color)) in (0..).zip(scenario::KEPT) {
        let at = (now - SignedDuration::from_mins(60 * 24 * 22 + n)).to_string();
        let added = yadori(
            stage,
            &["add", "--json", "--at", &at, "--program", "Writer", "--window", "Office notes", "--", text],
        )?;
        let added: serde_json::Value = serde_json::from_str(&added)?;
        let id = added["row"]["id"].as_str().context("an id")?.to_owned();
        yadori(stage, &["title", &id, title])?;
        match drawer {
            Some(drawer) => yadori(stage, &["drawer", "put", drawer, &id])?,
            None => yadori(stage, &["pin", &id])?,
        };
        if let Some(color) = color {
            yadori(stage, &["color", color, &id])?;
        }
        ids.insert(title, id);
    }
    for (drawer, words, before) in scenario::DIVIDERS {
        let before = ids.get(before).context("a kept clip")?;
        yadori(stage, &["drawer", "divider", drawer, words, "--before", before])?;
    }
    let rules = ids.get("Arrival rules").context("the rules")?;
    let text = "Arrive before 18:00, boots off at the door, sheet sleeping bags only. The drying room closes at 21:30.";
    yadori(stage, &["edit", rules, "--text", text])?;
    Ok(())
}

/// The first two guests of the list as a batch of two records.
fn begin_batch(stage: &Stage) -> Result<()> {
    let list = form::guest_list();
    let at = (Timestamp::now() - SignedDuration::from_mins(60 * 24 * 21)).to_string();
    let add =
        ["add", "--json", "--at", &at, "--program", "Calc", "--window", "Guests of the week", "--", &list];
    yadori(stage, &add)?;
    let two: Vec<&str> = list.lines().take(3).collect();
    let text = two.join("\n");
    let split = ["--split", "cells", "--header", "--after", "tab", "--name", "Permits"];
    yadori(stage, &[&["batch", "new", "--text", &text], &split[..]].concat())?;
    Ok(())
}

/// Real copies, by ordinary programs, on the demo's display.
fn play(stage: &Stage) -> Result<Vec<Program>> {
    let files = format!(
        "file://{}/permit-form.pdf\r\nfile://{}/route-map-south.png\r\n",
        stage.office.display(),
        stage.office.display()
    );
    let reply = scenario_reply();
    let copies: [(&str, Vec<u8>); 7] = [
        ("UTF8_STRING", "山小屋の予約は三名、六月十四日、夕食付きでお願いします。".into()),
        ("UTF8_STRING", "https://weather.example.org/ridge/hourly?hut=kestrel".into()),
        ("text/uri-list", files.into()),
        ("UTF8_STRING", reply.into()),
        ("image/png", draw::sketch(7, 1_480, 620)),
        ("image/png", draw::notice(&scenario::NOTICE)?),
        ("UTF8_STRING", "Kestrel Hut: 14 bunks, drying room, no card payments before 1 June".into()),
    ];
    let mut programs = Vec::new();
    for (target, bytes) in copies {
        let before = newest(stage)?;
        let mut program = Command::new("xclip")
            .args(["-quiet", "-selection", "clipboard", "-t", target])
            .env("DISPLAY", &stage.display)
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .context("xclip (Debian package xclip)")?;
        program.stdin.take().context("no input of xclip")?.write_all(&bytes)?;
        programs.push(Program(program));
        let until = Instant::now() + Duration::from_secs(60);
        while newest(stage)? == before {
            if Instant::now() > until {
                bail!("a copy as {target} did not arrive");
            }
            std::thread::sleep(Duration::from_millis(20));
        }
    }
    Ok(programs)
}

fn scenario_reply() -> &'static str {
    "Dear group,\n\nyour booking for the night of 14 June is confirmed: eight bunks in the east room, half board, arrival \
     before 18:00. Water is boiled at the hut; please bring sheet sleeping bags.\n\nThe path from the lower car park is \
     clear of snow above 1,900 m since Tuesday."
}

fn newest(stage: &Stage) -> Result<String> {
    let text = yadori(stage, &["list", "-n", "1", "--json"])?;
    let listed: serde_json::Value = serde_json::from_str(&text)?;
    let newest = listed["clips"].get(0).context("no clip")?;
    Ok(format!("{}@{}", newest["id"], newest["copied_at"]))
}
