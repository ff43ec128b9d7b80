//! Starting the picker: in a terminal, or as the console's page in a window of its own.

use std::path::PathBuf;
use std::process::Stdio;

use tokio::process::Command;
use yadori_core::clip::facts::uri_of;
use yadori_desk::displays::Displays;

use super::hitch::{ChordError, watch};
use crate::home::place::{client_program, write_private};
use crate::home::random::NoRandomness;
use crate::home::settings::{Changeable, PickerForm};
use crate::state::app::Shared;
use crate::state::sign_in::{Door, LINK_LIFE, MARK};

/// What stands for the address of the picker's page in a command.
pub const PAGE: &str = "{page}";
/// Terminals that a picker can be shown in, and what stands before the program in them.
const TERMINALS: [(&str, &[&str]); 4] = [
    ("xterm", &["-T", "Yadori", "-geometry", "100x28", "-e"]),
    ("x-terminal-emulator", &["-e"]),
    ("konsole", &["-e"]),
    ("gnome-terminal", &["--"]),
];
/// The first of them on a Wayland desktop.
const WAYLAND_TERMINAL: (&str, &[&str]) =
    ("foot", &["--app-id=yadori-picker", "--title=Yadori", "--window-size-chars=100x28"]);
/// Browsers that its page can be shown in; the first ones without their frame.
const BROWSERS: [(&str, &[&str]); 4] = [
    ("chromium", &["--app={page}", "--window-size=760,620"]),
    ("chromium-browser", &["--app={page}", "--window-size=760,620"]),
    ("firefox", &["--new-window", "{page}"]),
    ("firefox-esr", &["--new-window", "{page}"]),
];

/// How the picker is started.
#[derive(Clone, Debug)]
pub struct Picker {
    /// The displays that are watched.
    pub displays: Displays,
    /// The one directory of this device.
    pub under: Option<PathBuf>,
    /// Where a page that leads into the console can be put for this user alone.
    pub run: PathBuf,
}

type Words = (String, Vec<String>);

fn owned((program, arguments): (&str, &[&str])) -> Words {
    (program.to_owned(), arguments.iter().map(|one| (*one).to_owned()).collect())
}

/// True when its page is shown.
fn is_page(settings: &Changeable) -> bool {
    match settings.picker.as_slice() {
        [] => settings.picker_form == PickerForm::Console,
        words => words.iter().any(|word| word.contains(PAGE)),
    }
}

/// What may be started, the best first.
fn commands(settings: &Changeable, wayland: bool) -> Vec<Words> {
    if let Some((program, arguments)) = settings.picker.split_first() {
        return vec![(program.clone(), arguments.to_vec())];
    }
    if settings.picker_form == PickerForm::Console {
        return BROWSERS.map(owned).into();
    }
    let client = client_program();
    let client = client.to_string_lossy();
    let first = wayland.then_some(WAYLAND_TERMINAL);
    first
        .into_iter()
        .chain(TERMINALS)
        .map(|one| {
            let (program, mut arguments) = owned(one);
            arguments.extend([client.clone().into_owned(), "pick".to_owned()]);
            (program, arguments)
        })
        .collect()
}

impl Picker {
    /// Puts a page that leads to the picker, signed in, where this user alone can read it: on a command line everybody could.
    fn page(&self, app: &Shared, to: &str) -> Result<String, ChordError> {
        let console = app.health.now().console.map_err(ChordError::NoConsole)?;
        let no_page = |why: std::io::Error| ChordError::NotStarted(format!("its page: {why}"));
        let secret = app.entries.new_link(Door::Here).map_err(|_: NoRandomness| ChordError::NoRandomness)?;
        let path = self.run.join(format!("{to}.html"));
        let page = format!(
            "<!doctype html><meta charset=\"utf-8\"><title>Yadori</title>\
             <script>location.replace(\"{console}/{MARK}{secret}&to={to}\")</script>\n"
        );
        write_private(&path, page.as_bytes()).map_err(no_page)?;
        let (gone, own) = (path.clone(), page);
        app.parts.start("the picker's page", async move {
            tokio::time::sleep(LINK_LIFE).await;
            // A newer one stays.
            if std::fs::read_to_string(&gone).is_ok_and(|text| text == own) {
                let _ = std::fs::remove_file(&gone);
            }
        });
        Ok(uri_of(&path.to_string_lossy()))
    }

    /// Opens the console in the person's browser.
    ///
    /// # Errors
    /// It is not served, or nothing opens it.
    pub(super) fn console(&self, app: &Shared) -> Result<(), ChordError> {
        let page = self.page(app, "history")?;
        let mut command = Command::new("xdg-open");
        command.arg(page).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        self.on_display(&mut command);
        let child = command.spawn().map_err(|why| ChordError::NoBrowser(why.to_string()))?;
        app.parts.start("opening the console", async move {
            let mut child = child;
            let _ = child.wait().await;
        });
        Ok(())
    }

    fn on_display(&self, command: &mut Command) {
        if let Some(display) = &self.displays.x {
            command.env("DISPLAY", display);
        }
        if let Some(socket) = &self.displays.wayland {
            command.env("WAYLAND_DISPLAY", socket);
        }
    }

    /// Starts it.
    ///
    /// # Errors
    /// Nothing that was tried can be started.
    pub(super) fn start(&self, app: &Shared) -> Result<(), ChordError> {
        let settings = app.settings();
        let page = if is_page(&settings) { self.page(app, "pick")? } else { String::new() };
        let mut tried = Vec::new();
        for (program, arguments) in commands(&settings, self.displays.wayland.is_some()) {
            let mut command = Command::new(&program);
            command.args(arguments.into_iter().map(|one| one.replace(PAGE, &page)));
            command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
            self.on_display(&mut command);
            if let Some(under) = &self.under {
                command.env("YADORI_HOME", under);
            }
            match command.spawn() {
                Ok(child) => {
                    app.parts.start("the picker", watch(app.clone(), program, child));
                    return Ok(());
                }
                Err(why) => tried.push(format!("{program}: {why}")),
            }
        }
        Err(ChordError::NotStarted(tried.join(", ")))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn settings(picker_form: PickerForm, command: &[&str]) -> Changeable {
        let picker = command.iter().map(|one| (*one).to_owned()).collect();
        Changeable { picker_form, picker, ..Changeable::default() }
    }

    #[test]
    fn a_terminal_runs_the_client_and_a_browser_shows_the_page() {
        let words = |form, command: &[&str]| commands(&settings(form, command), false)[0].clone();
        let (program, arguments) = words(PickerForm::Terminal, &[]);
        assert_eq!((program.as_str(), arguments.last().map(String::as_str)), ("xterm", Some("pick")));
        assert!(words(PickerForm::Console, &[]).1.iter().any(|one| one.contains(PAGE)));
        // A command of one's own says by its words which of the two it shows.
        assert!(!is_page(&settings(PickerForm::Console, &["kitty", "yadori", "pick"])));
        assert!(is_page(&settings(PickerForm::Terminal, &["chromium", "--app={page}"])));
    }
}
