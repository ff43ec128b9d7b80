//! The second computer: at the upper hut, with a display, a service and a home of its own, paired with the office through a hub.

use std::io::{BufRead, BufReader, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};

use crate::{Program, Stage, await_ready, beside, quiet, start_display, yadori};

/// What is copied at the upper hut.
const NOTE: &str = "Upper hut, 17:40: spring runs clear, 14 of 18 bunks taken, gas for two days";
/// How long something may take to come from one to the other.
const PATIENCE: Duration = Duration::from_secs(20);

/// The second computer and the hub. They end with this.
pub(crate) struct Second {
    pub(crate) stage: Stage,
    pub(crate) hub: String,
    _programs: Vec<Program>,
}

/// Starts a hub and the second computer, and pairs it with the office.
pub(crate) async fn begin(office: &Stage, scratch: &Path) -> Result<Second> {
    let home = scratch.join("hub");
    std::fs::create_dir_all(&home)?;
    std::fs::write(home.join("config.toml"), "open = true\n")?;
    let mut hub = Command::new(beside("yadori-hub")?)
        .arg("--home")
        .arg(&home)
        .args(["--listen", "127.0.0.1:0"])
        .stdout(Stdio::piped())
        .spawn()
        .context("yadori-hub")?;
    let mut said = String::new();
    BufReader::new(hub.stdout.take().context("no output of the hub")?).read_line(&mut said)?;
    let hub = Program(hub);
    let address = said.trim().rsplit(' ').next().unwrap_or_default().to_owned();
    if !address.starts_with("http") {
        bail!("the hub did not start");
    }
    let (server, display) = start_display()?;
    let stage = Stage { home: scratch.join("upper-hut"), office: office.office.clone(), display };
    let service = Program(
        Command::new(beside("yadorid")?)
            .args(["--listen", "127.0.0.1:0", "--display", &stage.display, "--home"])
            .arg(&stage.home)
            // Its lamp is not put up on the desktop of whoever looks at it.
            .env("DBUS_SESSION_BUS_ADDRESS", "unix:path=/nonexistent/bus")
            .spawn()
            .context("yadorid")?,
    );
    await_ready(&stage).await?;
    let mut showing = Command::new(beside("yadori")?)
        .arg("--home")
        .arg(&office.home)
        .args(["pair", "--hub", &address, "--name", "Office", "--yes"])
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .spawn()?;
    let mut lines = BufReader::new(showing.stdout.take().context("no output of yadori")?).lines();
    let code = lines
        .find_map(|line| Some(line.ok()?.trim().strip_prefix("yadori pair ")?.split(' ').next()?.to_owned()));
    let code = code.context("no code was shown")?;
    yadori(&stage, &["pair", &code, "--hub", &address, "--name", "Upper hut"])?;
    lines.for_each(drop);
    showing.wait()?;
    // The service ends before its display and its hub.
    Ok(Second { stage, hub: address, _programs: vec![service, server, hub] })
}

fn pasted(display: &str) -> String {
    let out = Command::new("timeout")
        .args(["5", "xclip", "-o", "-selection", "clipboard"])
        .env("DISPLAY", display)
        .stderr(Stdio::null())
        .output();
    out.map_or_else(|_| String::new(), |out| String::from_utf8_lossy(&out.stdout).into_owned())
}

async fn until_pasted(display: &str, text: &str) -> Result<Duration> {
    let began = Instant::now();
    while pasted(display) != text {
        if began.elapsed() > PATIENCE {
            bail!("what was copied on one computer did not come to the other");
        }
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    Ok(began.elapsed())
}

impl Second {
    /// Something is copied at the upper hut, and pasted in the office.
    pub(crate) async fn tell(&self, office: &Stage) -> Result<()> {
        let mut copying = quiet("xclip")
            .args(["-selection", "clipboard"])
            .env("DISPLAY", &self.stage.display)
            .stdin(Stdio::piped())
            .spawn()
            .context("xclip (Debian package xclip)")?;
        copying.stdin.take().context("no input of xclip")?.write_all(NOTE.as_bytes())?;
        copying.wait()?;
        let took = until_pasted(&office.display, NOTE).await?;
        println!(
            "Copied at the upper hut, pasted in the office {} ms later:\n\n    {NOTE}\n",
            took.as_millis()
        );
        Ok(())
    }

    /// What was copied last in the office is pasted at the upper hut.
    pub(crate) async fn hear(&self, office: &Stage) -> Result<()> {
        let text = pasted(&office.display);
        until_pasted(&self.stage.display, &text).await?;
        let shown: String = text.chars().take(60).collect();
        println!("Copied in the office, pasted at the upper hut:\n\n    {}\n", shown.replace('\n', " "));
        println!("{}", yadori(office, &["devices"])?);
        Ok(())
    }

    /// Ends its service in good order.
    pub(crate) fn stop(&self) {
        let _ = yadori(&self.stage, &["stop"]);
    }
}
