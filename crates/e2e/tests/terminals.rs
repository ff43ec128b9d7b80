//! Pictures in terminals: by sixels where one shows them, in half-blocks elsewhere, and not a byte of either where the output is
//! no terminal. Looked at on the screen.

use std::io::{Read, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use yadori_e2e::{Compositor, Display, Service, programs, until};

/// A picture that is easily recognised, in colors that every terminal has: orange above, blue below.
fn picture() -> Vec<u8> {
    let picture = image::RgbImage::from_fn(300, 200, |_, y| {
        if y < 100 { image::Rgb([255, 135, 0]) } else { image::Rgb([0, 95, 215]) }
    });
    let mut out = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut out, image::ImageFormat::Png).expect("a picture");
    out.into_inner()
}

/// How many points of the screen have about this color.
fn count(screen: &image::RgbImage, color: [u8; 3]) -> usize {
    let near = |one: &image::Rgb<u8>| one.0.iter().zip(color).all(|(is, wanted)| is.abs_diff(wanted) < 24);
    screen.pixels().filter(|one| near(one)).count()
}

fn shows(screen: impl Fn(&Path) -> Option<image::RgbImage>, least: usize) {
    let dir = tempfile::tempdir().expect("a directory");
    let file = dir.path().join("screen");
    until("the picture on the screen", || {
        let screen = screen(&file)?;
        let both = [[255, 135, 0], [0, 95, 215]].map(|color| count(&screen, color));
        both.iter().all(|count| *count > least).then_some(())
    });
}

fn with_picture() -> (Service, tempfile::TempDir) {
    let service = Service::without_desk();
    let dir = tempfile::tempdir().expect("a directory");
    let file = dir.path().join("ridge.png");
    std::fs::write(&file, picture()).expect("a file");
    service.yadori(&["add", "--file", &file.display().to_string()]);
    (service, dir)
}

fn command(service: &Service) -> Vec<String> {
    let client = yadori_e2e::programs().join("yadori").display().to_string();
    let line = format!("{client} --home {} show 1; read -r line", service.home().display());
    ["sh", "-c", &line].map(str::to_owned).into()
}

#[test]
fn a_terminal_with_sixels_shows_every_point() -> Result<()> {
    let (service, _dir) = with_picture();
    let mut compositor = Compositor::start();
    let words = command(&service);
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    compositor.run("foot", &[&["--config=/dev/null"], &words[..]].concat());
    // 300 points by 100 of each.
    shows(
        |file| {
            compositor.picture(file);
            Some(image::ImageReader::open(file).ok()?.with_guessed_format().ok()?.decode().ok()?.into_rgb8())
        },
        25_000,
    );
    Ok(())
}

#[test]
fn a_terminal_without_graphics_shows_blocks_and_no_terminal_nothing() -> Result<()> {
    let (service, _dir) = with_picture();
    let mut display = Display::start();
    let words = command(&service);
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    display.run("xterm", &[&["-geometry", "100x40", "-e"], &words[..]].concat());
    let name = display.name();
    shows(|_| yadori_e2e::display::screen(&name), 2_000);
    let plain = service.yadori(&["show", "1"]);
    assert!(!plain.contains('\u{1b}') && !plain.contains('▀') && plain.contains("image/png"), "{plain}");
    Ok(())
}

/// A picker in a terminal of the tests' own (script(1)): what is written to it is typed, what comes from it is shown.
struct OwnTerminal {
    child: std::process::Child,
    keys: std::process::ChildStdin,
    shown: Arc<Mutex<Vec<u8>>>,
    tty: std::path::PathBuf,
}

impl OwnTerminal {
    fn of(mut command: Command) -> Result<Self> {
        let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::null()).spawn()?;
        let keys = child.stdin.take().context("its input")?;
        let mut out = child.stdout.take().context("its output")?;
        let shown = Arc::new(Mutex::new(Vec::new()));
        let into = shown.clone();
        std::thread::spawn(move || {
            let mut piece = [0; 65_536];
            while let Ok(count @ 1..) = out.read(&mut piece) {
                into.lock().unwrap().extend_from_slice(&piece[..count]);
            }
        });
        let children = format!("/proc/{0}/task/{0}/children", child.id());
        let tty = until("its program", || {
            let inner = std::fs::read_to_string(&children).ok()?;
            let tty = std::fs::read_link(format!("/proc/{}/fd/0", inner.split_whitespace().next()?)).ok()?;
            tty.starts_with("/dev/pts").then_some(tty)
        });
        Ok(Self { child, keys, shown, tty })
    }

    fn shows(&self, words: &str) -> bool {
        String::from_utf8_lossy(&self.shown.lock().unwrap()).contains(words)
    }

    fn wide(&self, columns: u32) -> Result<()> {
        let done = Command::new("stty")
            .arg("-F")
            .arg(&self.tty)
            .args(["rows", "30", "columns"])
            .arg(columns.to_string())
            .status()?;
        anyhow::ensure!(done.success(), "stty");
        Ok(())
    }
}

impl Drop for OwnTerminal {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

#[test]
fn keys_that_come_while_the_terminal_changes_its_size_wait_for_no_other_key() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats 12 kg"]);
    let mut command = Command::new("script");
    command.args(["-qfc", &format!("{} pick", programs().join("yadori").display()), "/dev/null"]);
    command.env("YADORI_HOME", service.home()).env("TERM", "xterm").env("LC_ALL", "C.UTF-8");
    let mut terminal = OwnTerminal::of(command)?;
    terminal.wide(100)?;
    until("the picker", || terminal.shows("oats 12 kg").then_some(()));
    // A letter comes into the field, and goes again.
    for n in 0..160u64 {
        terminal.shown.lock().unwrap().clear();
        let letter = if n % 2 == 0 { "q" } else { "\x7f" };
        let wanted = if n % 2 == 0 { "q" } else { "search" };
        std::thread::scope(|scope| -> Result<()> {
            let terminal = &mut terminal;
            let OwnTerminal { keys, tty, .. } = terminal;
            let tty = tty.clone();
            let resize = scope.spawn(move || {
                Command::new("stty")
                    .arg("-F")
                    .arg(tty)
                    .args(["rows", "30", "columns"])
                    .arg((80 + n % 40).to_string())
                    .status()
            });
            let begun = Instant::now();
            while begun.elapsed() < Duration::from_micros(600 + n * 37 % 1_500) {}
            keys.write_all(letter.as_bytes())?;
            keys.flush()?;
            resize.join().unwrap()?;
            Ok(())
        })?;
        until(&format!("what key {n} does"), || terminal.shows(wanted).then_some(()));
    }
    Ok(())
}
