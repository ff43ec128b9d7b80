//! A desktop of real programs: what each copies, and what each makes of a paste, by keys and pointer alone.

mod cutting;
mod page;
pub mod programs;

pub use page::Pages;

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::Result;
use tempfile::TempDir;

use crate::keyboard::{Keyboard, Window};
use crate::pointer::Pointer;
use crate::{Display, until_within};

/// How long a program may take to start.
const START: Duration = Duration::from_secs(60);

/// A display with a window manager, and a directory for the programs on it.
#[derive(Debug)]
pub struct Desktop {
    /// The display.
    pub display: Display,
    /// Its keyboard.
    pub keyboard: Keyboard,
    /// Its pointer.
    pub pointer: Pointer,
    /// Pages for browsers.
    pub pages: Pages,
    scratch: TempDir,
    children: Vec<Child>,
}

impl Desktop {
    /// An empty desktop.
    ///
    /// # Errors
    /// When the display can't be spoken to.
    pub fn start() -> Result<Self> {
        let mut display = Display::start();
        let keyboard = Keyboard::managed(&mut display)?;
        let pointer = Pointer::of(&display)?;
        let scratch = tempfile::Builder::new().prefix("yadori-desktop-").tempdir()?;
        std::fs::create_dir(scratch.path().join("home"))?;
        Ok(Self { display, keyboard, pointer, pages: Pages::serve()?, scratch, children: Vec::new() })
    }

    /// A place for a file or a directory.
    pub fn path(&self, name: &str) -> PathBuf {
        self.scratch.path().join(name)
    }

    /// A program in a home of its own. Whatever it starts is in its process group.
    pub fn command(&self, program: &str) -> Command {
        let mut command = self.display.command(program);
        command
            .env("HOME", self.path("home"))
            .env_remove("XDG_RUNTIME_DIR")
            .env("DBUS_SESSION_BUS_ADDRESS", "disabled:")
            .env("NO_AT_BRIDGE", "1")
            .env("SAL_USE_VCLPLUGIN", "gtk3")
            .current_dir(self.scratch.path())
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null());
        std::os::unix::process::CommandExt::process_group(&mut command, 0);
        command
    }

    /// Starts a program and waits for a window of it, which has the keyboard then.
    ///
    /// # Errors
    /// When it can't be started.
    pub fn open(&mut self, mut command: Command, wanted: impl Fn(&Window) -> bool) -> Result<Window> {
        let name = format!("{:?}", command.get_program());
        self.children.push(command.spawn()?);
        until_within(&format!("a window of {name}"), START, || {
            self.keyboard.windows().ok()?.into_iter().find(&wanted)
        });
        self.keyboard.focus(&name, wanted)
    }

    /// The process that was started last.
    pub fn last_pid(&self) -> u32 {
        self.children.last().map_or(0, Child::id)
    }

    /// Waits until a process that was started here has ended.
    ///
    /// # Panics
    /// When it goes on.
    pub fn await_end(&mut self, pid: u32) {
        let child = self.children.iter_mut().find(|child| child.id() == pid).expect("a program started here");
        let end = Instant::now() + START;
        while !matches!(child.try_wait(), Ok(Some(_))) {
            assert!(Instant::now() < end, "the program {pid} goes on");
            std::thread::sleep(Duration::from_millis(1));
        }
    }

    /// Presses chords one after the other.
    ///
    /// # Errors
    /// When there is no such key.
    pub fn press(&self, chords: &[&str]) -> Result<()> {
        for chord in chords {
            self.keyboard.press(chord)?;
            // A person takes longer.
            std::thread::sleep(Duration::from_millis(60));
        }
        Ok(())
    }

    /// Presses a chord, and Return in every window that opens because of it within `time`.
    ///
    /// # Errors
    /// When the display can't be spoken to.
    pub fn press_through(&self, chord: &str, time: Duration) -> Result<()> {
        let before = self.keyboard.windows()?;
        self.press(&[chord])?;
        let mut end = Instant::now() + time;
        while Instant::now() < end {
            std::thread::sleep(Duration::from_millis(50));
            let active = self.keyboard.active()?;
            let is_new = before.iter().all(|one| one.id != active);
            if active != 0 && is_new && self.keyboard.windows()?.iter().any(|one| one.id == active) {
                std::thread::sleep(Duration::from_millis(300));
                self.press(&["Return"])?;
                std::thread::sleep(Duration::from_millis(300));
                end = Instant::now() + time;
            }
        }
        Ok(())
    }

    /// A file, once it has changed from what it was; `None` when it does not within some seconds.
    pub fn changed(&self, path: &Path, before: &[u8]) -> Option<Vec<u8>> {
        let end = Instant::now() + Duration::from_secs(8);
        while Instant::now() < end {
            match std::fs::read(path) {
                Ok(bytes) if bytes != before && !bytes.is_empty() => return Some(bytes),
                _ => std::thread::sleep(Duration::from_millis(50)),
            }
        }
        None
    }
}

impl Drop for Desktop {
    fn drop(&mut self) {
        for child in &mut self.children {
            // The whole group: office programs and browsers are several processes.
            let group = format!("-{}", child.id());
            let _ = Command::new("kill").args(["-KILL", "--", &group]).stderr(Stdio::null()).status();
            let _ = child.wait();
        }
    }
}
