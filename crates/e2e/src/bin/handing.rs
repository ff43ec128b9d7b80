//! How soon what is handed back is there, beside its floor: from a chord to the text in a browser's field, against the
//! same field pasted into by an ordinary key; the picker from its chord to the text; `yadori pick` until it takes keys, at
//! 100,000 clips. Ends with an error when anything was pasted wrongly.

use std::io::Read;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant, SystemTime, UNIX_EPOCH};

use anyhow::{Context, Result, ensure};
use yadori_e2e::form::Form;
use yadori_e2e::measure::{at, header, row};
use yadori_e2e::{Service, many, programs, until};

const PASTES: usize = 200;
const PICKS: usize = 40;
const STARTS: usize = 20;

fn now_ms() -> f64 {
    SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default().as_secs_f64() * 1e3
}

/// Notes when each text has come, on the machine's clock.
const WATCH: &str = "window.__came = null; document.getElementById('f0').addEventListener('input', () => (window.__came = performance.timeOrigin + performance.now()));";

/// Waits for a text in the field; gives when it came, in milliseconds since the epoch.
async fn came(form: &Form, wanted: &str) -> Result<f64> {
    form.holds(wanted).await?;
    let found = form.browser.script("const came = window.__came; window.__came = null; return came").await?;
    found.as_f64().context("a time")
}

/// Milliseconds until a program in a terminal of its own has written something.
fn until_output(command: &str, home: &std::path::Path) -> Result<f64> {
    let began = Instant::now();
    let command = format!("stty cols 100 rows 28; {command}");
    let mut child = Command::new("script")
        .args(["-qfc", &command, "/dev/null"])
        .env("YADORI_HOME", home)
        .env("TERM", "xterm")
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()?;
    let mut out = child.stdout.take().context("its output")?;
    let mut seen = Vec::new();
    let mut some = [0; 4_096];
    // The first line of the picker, or whatever the other program says.
    while !String::from_utf8_lossy(&seen).contains("search") {
        let count = out.read(&mut some)?;
        ensure!(count > 0, "it ended: {}", String::from_utf8_lossy(&seen));
        seen.extend_from_slice(&some[..count]);
    }
    let time = began.elapsed().as_secs_f64() * 1e3;
    child.kill()?;
    child.wait()?;
    Ok(time)
}

#[expect(clippy::print_stdout, reason = "its output is the result")]
#[tokio::main(flavor = "current_thread")]
async fn main() -> Result<()> {
    let form = Form::open(1).await?;
    let texts: Vec<String> = (1..=10).map(|n| format!("clip number {n}")).collect();
    form.service.add(&texts.iter().rev().map(String::as_str).collect::<Vec<_>>());
    form.browser.script(WATCH).await?;
    let (mut chords, mut keys, mut picks) = (Vec::new(), Vec::new(), Vec::new());
    let (mut items, mut opened) = (Vec::new(), Vec::new());
    for n in 0..PASTES {
        let place = n * 7 % 10 + 1;
        let pressed = now_ms();
        form.keyboard.press(&format!("ctrl+alt+{}", place % 10))?;
        chords.push(came(&form, &texts[place - 1]).await? - pressed);
        // What was just taken, by an ordinary key.
        let pressed = now_ms();
        form.keyboard.press("ctrl+v")?;
        keys.push(came(&form, &texts[place - 1]).await? - pressed);
    }
    let lines: Vec<String> = (1..=PASTES).map(|n| format!("item number {n}")).collect();
    form.service.yadori(&["batch", "new", "--text", &lines.join("\n"), "--split", "lines"]);
    for line in &lines {
        let pressed = now_ms();
        form.keyboard.press("ctrl+alt+n")?;
        items.push(came(&form, line).await? - pressed);
    }
    for _ in 0..STARTS {
        form.front()?;
        let pressed = now_ms();
        form.keyboard.press("ctrl+alt+y")?;
        let picker = until("the picker in front", || {
            let all = form.keyboard.windows().ok()?;
            let picker = all.into_iter().find(|window| window.title == "Yadori")?;
            (form.keyboard.active().ok()? == picker.id).then_some(picker)
        });
        opened.push(now_ms() - pressed);
        form.keyboard.press("Escape")?;
        until("the picker to close", || {
            form.keyboard.windows().ok()?.iter().all(|window| window.id != picker.id).then_some(())
        });
    }
    for n in 0..PICKS {
        let place = n % 9;
        form.front()?;
        let pressed = now_ms();
        form.keyboard.press("ctrl+alt+y")?;
        form.keyboard.type_text(&format!("number {}", place + 1))?;
        form.keyboard.press("Return")?;
        picks.push(came(&form, &texts[place]).await? - pressed);
        until("the picker to close", || {
            form.keyboard.windows().ok()?.iter().all(|window| window.title != "Yadori").then_some(())
        });
    }
    drop(form);
    let service = Service::without_desk();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    many::write_backup(&file, 100_000)?;
    service.yadori(&["restore", file.to_str().context("a path")?]);
    let (mut starts, mut floor) = (Vec::new(), Vec::new());
    let pick = format!("exec {} pick", programs().join("yadori").display());
    for _ in 0..STARTS {
        starts.push(until_output(&pick, service.home())?);
        floor.push(until_output("echo search; sleep 1", service.home())?);
        tokio::time::sleep(Duration::from_millis(20)).await;
    }
    let both = |values: &mut Vec<f64>| {
        format!("{:.0} / {:.0} ms ({} times, all right)", at(values, 0.5), at(values, 0.99), values.len())
    };
    header();
    row(
        "a chord and a digit to the text in the field, p50 / p99",
        "60 / 300 ms",
        &both(&mut chords),
        &format!("Ctrl+V alone: {}", both(&mut keys)),
    );
    row(
        "a chord to what is next in the batch in the field, p50 / p99",
        "60 / 300 ms",
        &both(&mut items),
        "Ctrl+V alone, as above",
    );
    row("the picker's chord to its window in front, in xterm, p50 / p99", "-", &both(&mut opened), "-");
    row(
        "the picker's chord, eight letters at once and Enter to the text, p50 / p99",
        "-",
        &both(&mut picks),
        "-",
    );
    row(
        "`yadori pick` until it takes keys, 100,000 clips, p50 / p99",
        "50 ms",
        &both(&mut starts),
        &format!("`echo` in the same terminal: {}", both(&mut floor)),
    );
    println!();
    Ok(())
}
