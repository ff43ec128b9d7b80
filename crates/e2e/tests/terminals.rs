//! Pictures in terminals: by sixels where one shows them, in half-blocks elsewhere, and not a byte of either where the output is
//! no terminal. Looked at on the screen.

use std::io::{Read, Write};
use std::path::Path;
use std::process::{Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use yadori_e2e::typist::Typist;
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

fn near(one: &image::Rgb<u8>, color: [u8; 3]) -> bool {
    one.0.iter().zip(color).all(|(is, wanted)| is.abs_diff(wanted) < 24)
}

/// How many points of the screen have about this color.
fn count(screen: &image::RgbImage, color: [u8; 3]) -> usize {
    screen.pixels().filter(|one| near(one, color)).count()
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

fn picker_in_own_terminal(service: &Service) -> Result<OwnTerminal> {
    let mut command = Command::new("script");
    command.args(["-qfc", &format!("{} pick", programs().join("yadori").display()), "/dev/null"]);
    command.env("YADORI_HOME", service.home()).env("TERM", "xterm").env("LC_ALL", "C.UTF-8");
    let terminal = OwnTerminal::of(command)?;
    terminal.wide(100)?;
    Ok(terminal)
}

#[test]
fn a_picker_ends_when_its_terminal_does_also_where_it_is_told_to_stay() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats 12 kg"]);
    // While it asks the terminal what it can, and while it listens.
    for wanted in ["\x1b[c", "oats 12 kg"] {
        let mut command = Command::new("script");
        // As under nohup(1): the end of the terminal ends nothing by itself.
        let line = format!("trap '' HUP; echo its $$; exec {} pick", programs().join("yadori").display());
        command.args(["-qfc", &line, "/dev/null"]);
        command.env("YADORI_HOME", service.home()).env("TERM", "xterm").env("LC_ALL", "C.UTF-8");
        let terminal = OwnTerminal::of(command)?;
        terminal.wide(100)?;
        let number = until("its number", || {
            let shown = String::from_utf8_lossy(&terminal.shown.lock().unwrap()).into_owned();
            Some(shown.split_once("its ")?.1.split_once(['\r', '\n'])?.0.to_owned())
        });
        until("the picker", || terminal.shows(wanted).then_some(()));
        drop(terminal);
        until("it gone", || (!Path::new("/proc").join(&number).exists()).then_some(()));
    }
    Ok(())
}

/// The terminal's attributes; graphics are none of them.
const ATTRIBUTES: &str = "\x1b[?62;22c";

#[test]
fn keys_that_come_among_the_answers_of_a_terminal_are_typed() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats 12 kg", "flour 4 kg"]);
    let mut terminal = picker_in_own_terminal(&service)?;
    until("the first question", || terminal.shows("\x1b[c").then_some(()));
    terminal.keys.write_all(format!("oq{ATTRIBUTES}\x7fa").as_bytes())?;
    until("the second question", || terminal.shows("a=q").then_some(()));
    terminal.keys.write_all(format!("t\x1b_Gi=31;OK\x1b\\s{ATTRIBUTES} \x1b[").as_bytes())?;
    // A key that is cut in the middle, and one that comes later.
    terminal.keys.write_all(b"B1")?;
    until("what was typed", || terminal.shows("oats 1").then_some(()));
    terminal.keys.write_all(b"2")?;
    until("what is typed now", || terminal.shows("1 found").then_some(()));
    Ok(())
}

#[test]
fn the_picker_puts_pictures_where_they_belong_and_takes_them_away() -> Result<()> {
    let (service, _dir) = with_picture();
    service.add(&["oats 12 kg"]);
    let mut terminal = picker_in_own_terminal(&service)?;
    until("the first question", || terminal.shows("\x1b[c").then_some(()));
    terminal.keys.write_all(ATTRIBUTES.as_bytes())?;
    until("the second question", || terminal.shows("a=q").then_some(()));
    terminal.keys.write_all(format!("\x1b_Gi=31;OK\x1b\\{ATTRIBUTES}").as_bytes())?;
    // Below the field, the line and the text, beside the sign of the row; the cursor stays in the field.
    until("the picture", || terminal.shows("\x1b7\x1b[4;12H\x1b_Ga=T,f=24,s=").then_some(()));
    until("all of it", || terminal.shows("m=0;").then_some(()));
    until("the cursor", || terminal.shows("\x1b\\\x1b8").then_some(()));
    // Nothing is drawn again while it stands.
    terminal.shown.lock().unwrap().clear();
    terminal.keys.write_all(b"\x1b[B")?;
    until("the mark", || terminal.shows("PNG").then_some(()));
    assert!(!terminal.shows("\x1b_G"));
    // It goes when something is looked for that it is not.
    terminal.keys.write_all(b"oats")?;
    until("it gone", || terminal.shows("\x1b_Ga=d").then_some(()));
    terminal.shown.lock().unwrap().clear();
    terminal.keys.write_all(b"\x7f\x7f\x7f\x7f")?;
    until("it again", || terminal.shows("a=T").then_some(()));
    Ok(())
}

#[test]
fn a_picker_with_sixels_shows_every_point_and_nothing_of_what_is_gone() -> Result<()> {
    let service = Service::without_desk();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("fence.png");
    // Posts so fine that cells can't tell them apart: each color is seen in a terminal that shows points alone.
    let orange = |x: u32| if (x / 2).is_multiple_of(2) { [255, 135, 0] } else { [0, 95, 215] };
    image::RgbImage::from_fn(80, 48, |x, _| image::Rgb(orange(x))).save(&file)?;
    service.yadori(&["add", "--file", &file.display().to_string()]);
    service.add(&["oats 12 kg"]);
    let mut compositor = Compositor::start();
    let mut typist = Typist::at(&compositor)?;
    let client = programs().join("yadori").display().to_string();
    let home = service.home().display().to_string();
    compositor.run("foot", &["--config=/dev/null", "--title=pick", &client, "--home", &home, "pick"]);
    compositor.await_front("foot", "pick");
    let points = || {
        let shot = dir.path().join("screen.png");
        compositor.picture(&shot);
        let screen = image::open(&shot).ok()?.into_rgb8();
        Some([[255, 135, 0], [0, 95, 215]].map(|color| count(&screen, color)))
    };
    let all = || points().filter(|both| both.iter().all(|count| (1_700..2_000).contains(count)));
    until("the picture", all);
    // Past it, to it, away by a search, and back.
    typist.press("Down")?;
    typist.type_text("oats")?;
    until("it gone", || points().filter(|both| *both == [0, 0]));
    typist.press("Escape")?;
    until("it again", all);
    // A window of another size: once, where it belongs.
    compositor.message(&["output HEADLESS-1 mode 900x500"]).expect("another mode");
    until("it once", all);
    // Looked at as a whole, and closed.
    let left = || {
        let screen = image::open(dir.path().join("screen.png")).ok()?.into_rgb8();
        screen.enumerate_pixels().filter(|one| near(one.2, [0, 95, 215])).map(|one| one.0).min()
    };
    typist.press("Down")?;
    typist.press("Ctrl+O")?;
    until("it as a whole", || all().and_then(|_| left()).filter(|left| *left < 10));
    typist.press("Escape")?;
    until("it among the rows", || all().and_then(|_| left()).filter(|left| *left > 50));
    Ok(())
}

#[test]
fn keys_that_come_while_the_terminal_changes_its_size_wait_for_no_other_key() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats 12 kg"]);
    let mut terminal = picker_in_own_terminal(&service)?;
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
