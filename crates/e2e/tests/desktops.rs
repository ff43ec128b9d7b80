//! One scenario, on X11 and on Wayland: copies by programs, a take, the picker by its keys, a batch dealt out by keys, a
//! pause. Real programs, real keys.

use std::path::{Path, PathBuf};

use anyhow::Result;
use yadori_api::CaptureState;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::typist::Typist;
use yadori_e2e::{Compositor, Display, Service, programs, until};

/// What the scenario needs of a desktop.
trait Desktop {
    /// Its name for the service.
    fn name(&self) -> String;
    fn copy(&mut self, text: &str);
    fn paste(&self) -> Option<String>;
    /// A terminal in front whose lines go into a file.
    fn terminal(&mut self, file: &Path) -> Result<()>;
    /// The keys of chords lead to the service, or to its client.
    fn bind(&self, service: &Service);
    fn press(&mut self, keys: &str) -> Result<()>;
    fn type_text(&mut self, text: &str) -> Result<()>;
    fn await_picker(&self, open: bool);
    fn await_terminal(&self);
}

struct OnX {
    display: Display,
    keyboard: Keyboard,
}

impl OnX {
    fn start() -> Result<Self> {
        let mut display = Display::start();
        let keyboard = Keyboard::managed(&mut display)?;
        Ok(Self { display, keyboard })
    }
}

impl Desktop for OnX {
    fn name(&self) -> String {
        self.display.name()
    }

    fn copy(&mut self, text: &str) {
        self.display.copy_text(text);
    }

    fn paste(&self) -> Option<String> {
        self.display.paste_text()
    }

    fn terminal(&mut self, file: &Path) -> Result<()> {
        let shell = format!("cat > {}", file.display());
        self.display.run("xterm", &["-T", "ledger", "-e", "sh", "-c", &shell]);
        self.await_terminal();
        Ok(())
    }

    fn bind(&self, _: &Service) {}

    fn press(&mut self, keys: &str) -> Result<()> {
        self.keyboard.press(keys)
    }

    fn type_text(&mut self, text: &str) -> Result<()> {
        self.keyboard.type_text(text)
    }

    fn await_picker(&self, open: bool) {
        let is_open = || self.keyboard.windows().is_ok_and(|all| all.iter().any(|one| one.title == "Yadori"));
        until("the picker", || (is_open() == open).then_some(()));
    }

    fn await_terminal(&self) {
        self.keyboard.focus("the ledger", |window| window.title == "ledger").expect("the ledger in front");
    }
}

struct OnWayland {
    compositor: Compositor,
    typist: Typist,
}

impl OnWayland {
    fn start() -> Result<Self> {
        let compositor = Compositor::start();
        let typist = Typist::at(&compositor)?;
        Ok(Self { compositor, typist })
    }
}

impl Desktop for OnWayland {
    fn name(&self) -> String {
        self.compositor.socket().display().to_string()
    }

    fn copy(&mut self, text: &str) {
        self.compositor.copy_text(text);
    }

    fn paste(&self) -> Option<String> {
        self.compositor.paste_text()
    }

    fn terminal(&mut self, file: &Path) -> Result<()> {
        let shell = format!("cat > {}", file.display());
        self.compositor.run("foot", &["--config=/dev/null", "--title=ledger", "sh", "-c", &shell]);
        self.await_terminal();
        Ok(())
    }

    /// As `yadori chords` says.
    fn bind(&self, service: &Service) {
        let said = service.yadori(&["chords"]);
        let (_, lines) =
            said.split_once("For the desktop's own key settings").expect("lines for the compositor");
        for (keys, command) in [
            ("Ctrl+Alt+Y", "pick --open"),
            ("Ctrl+Alt+N", "batch next --paste"),
            ("Ctrl+Alt+1", "take 1 --paste"),
        ] {
            let line = lines
                .lines()
                .find(|line| line.starts_with(keys))
                .unwrap_or_else(|| panic!("{keys}: {lines}"));
            assert!(line.ends_with(&format!("yadori {command}")), "{line}");
            let keys =
                keys.replace("Ctrl", "Ctrl+Mod1").replace("+Alt", "").to_lowercase().replace("mod1", "Mod1");
            let yadori = programs().join("yadori");
            let home = service.home().display();
            let bound = format!("bindsym {keys} exec env YADORI_HOME={home} {} {command}", yadori.display());
            self.compositor.message(&[&bound]).expect("a binding");
        }
    }

    fn press(&mut self, keys: &str) -> Result<()> {
        self.typist.press(keys)
    }

    fn type_text(&mut self, text: &str) -> Result<()> {
        self.typist.type_text(text)
    }

    fn await_picker(&self, open: bool) {
        let is_open = || self.compositor.windows().iter().any(|one| one.0 == "yadori-picker" && one.2);
        until("the picker", || (is_open() == open).then_some(()));
    }

    fn await_terminal(&self) {
        self.compositor.await_front("foot", "ledger");
    }
}

fn lines(file: &Path) -> Vec<String> {
    std::fs::read_to_string(file).unwrap_or_default().lines().map(str::to_owned).collect()
}

/// Waits until these lines were typed.
fn written(file: &Path, wanted: &[String]) {
    until(&format!("{wanted:?}, {:?}", lines(file)), || (lines(file) == wanted).then_some(()));
}

fn holds(desktop: &mut dyn Desktop) -> Result<()> {
    let service = Service::on(&desktop.name());
    desktop.bind(&service);
    let dir = tempfile::tempdir()?;
    let file: PathBuf = dir.path().join("ledger");
    let copied = ["Kestrel Hut 14 bunks", "oats 12 kg", "ridge path closed", "gas bottle 11 kg"];
    for text in copied {
        desktop.copy(text);
        service.await_clip(text);
    }
    assert_eq!(service.list(9).iter().rev().map(|row| row.head.as_str()).collect::<Vec<_>>(), copied);
    service.yadori(&["take", "4"]);
    assert_eq!(desktop.paste().as_deref(), Some(copied[0]));

    desktop.terminal(&file)?;
    let mut wanted: Vec<String> = Vec::new();
    for (letters, found) in
        [("oats", "oats 12 kg"), ("ridge", "ridge path closed"), ("bunks", "Kestrel Hut 14 bunks")]
    {
        desktop.press("ctrl+alt+y")?;
        desktop.await_picker(true);
        desktop.type_text(letters)?;
        desktop.press("Return")?;
        desktop.await_picker(false);
        desktop.await_terminal();
        desktop.press("Return")?;
        wanted.push(found.to_owned());
        written(&file, &wanted);
    }
    service.yadori(&["take", "2", "--paste"]);
    let second = service.list(2)[1].head.clone();
    desktop.press("Return")?;
    wanted.push(second);
    written(&file, &wanted);
    service.yadori(&[
        "batch",
        "new",
        "--text",
        "Ida Moser\nbunk 4\nhalf board",
        "--split",
        "lines",
        "--after",
        "enter",
    ]);
    for item in ["Ida Moser", "bunk 4", "half board"] {
        desktop.press("ctrl+alt+n")?;
        wanted.push(item.to_owned());
        written(&file, &wanted);
    }
    service.yadori(&["pause"]);
    desktop.copy("not to be kept");
    until("the copy", || desktop.paste().filter(|text| text == "not to be kept"));
    service.yadori(&["resume"]);
    assert_eq!(service.status().map(|status| status.capture.state), Some(CaptureState::Keeping));
    desktop.copy("kept again");
    service.await_clip("kept again");
    assert!(service.list(20).iter().all(|row| row.head != "not to be kept"));
    Ok(())
}

#[test]
fn the_scenario_holds_on_x11() -> Result<()> {
    holds(&mut OnX::start()?)
}

#[test]
fn the_scenario_holds_on_wayland() -> Result<()> {
    holds(&mut OnWayland::start()?)
}
