//! `yadori autostart`: whether Yadori starts with the desktop, and by what: a unit of the systemd user manager where one
//! runs that knows of graphical sessions, an entry of the desktop's own autostart folder elsewhere.

use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use clap::{Args, ValueEnum};
use serde::Serialize;

use super::json;
use crate::failure::Failure;
use crate::files::write::Target;
use yadori_words::{said, word};

/// What tells our own files from others' of the same name.
const MARK: &str = "# Written by `yadori autostart`, and removed by it.";
const UNIT: &str = "yadorid.service";
const ENTRY: &str = "yadorid.desktop";
/// Desktops that do not read the autostart folder (XDG_CURRENT_DESKTOP), and their line for it.
const OWN_WAY: [(&str, &str); 5] = [
    ("sway", "exec"),
    ("river", "riverctl spawn"),
    ("labwc", "in ~/.config/labwc/autostart:"),
    ("i3", "exec --no-startup-id"),
    ("wayfire", "in its [autostart]: yadori ="),
];

/// Start Yadori with the desktop, or no longer
#[derive(Debug, Args)]
pub(crate) struct Autostart {
    /// What to do; says how it stands, if nothing is said
    what: Option<What>,
    /// By what, where both would do
    #[arg(long, value_name = "WAY")]
    by: Option<Way>,
    /// For programs
    #[arg(long)]
    json: bool,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum What {
    /// From the next session on
    On,
    /// No longer
    Off,
    /// How it stands
    Status,
}

/// By what it is started.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum, Serialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum Way {
    /// A unit of the systemd user manager
    Unit,
    /// An entry in the desktop's autostart folder
    Entry,
}

/// Where things of this person are.
pub(crate) struct Places {
    config: PathBuf,
    /// The one directory of this device, where it has one.
    home: Option<PathBuf>,
    run: Option<PathBuf>,
    desktop: Option<String>,
}

impl Places {
    pub(crate) fn new(
        home: Option<PathBuf>,
        environment: impl Fn(&str) -> Option<PathBuf>,
    ) -> Result<Self, Failure> {
        let absolute = |name: &str| environment(name).filter(|path| path.is_absolute());
        let config = absolute("XDG_CONFIG_HOME").or_else(|| Some(absolute("HOME")?.join(".config")));
        let config = config.ok_or_else(|| Failure::Use(said!("no home directory is known: set HOME")))?;
        let desktop = environment("XDG_CURRENT_DESKTOP").map(|name| name.to_string_lossy().into_owned());
        let home = home.map(|home| std::path::absolute(&home).unwrap_or(home));
        Ok(Self { config, home, run: absolute("XDG_RUNTIME_DIR"), desktop })
    }

    fn unit(&self) -> PathBuf {
        self.config.join("systemd/user").join(UNIT)
    }

    fn wanted(&self) -> PathBuf {
        self.config.join("systemd/user/graphical-session.target.wants").join(UNIT)
    }

    fn entry(&self) -> PathBuf {
        self.config.join("autostart").join(ENTRY)
    }

    /// By what it starts now, if it does.
    pub(crate) fn way(&self) -> Option<Way> {
        // A link also counts that leads to a unit which is not there any more: it is to be seen and removed.
        let unit = self.wanted().symlink_metadata().is_ok();
        let entry = self.entry().exists();
        unit.then_some(Way::Unit).or(entry.then_some(Way::Entry))
    }

    fn file(&self, way: Way) -> PathBuf {
        match way {
            Way::Unit => self.wanted(),
            Way::Entry => self.entry(),
        }
    }

    /// The systemd user manager runs, and knows of graphical sessions.
    fn has_manager(&self) -> bool {
        let socket = self.run.as_ref().map(|run| run.join("systemd/private"));
        socket.is_some_and(|socket| socket.exists())
            && systemctl(&["is-active", "--quiet", "graphical-session.target"])
    }

    /// What the desktop wants instead of an entry.
    fn own_line(&self, program: &Path) -> Option<String> {
        let desktop = self.desktop.as_ref()?.to_lowercase();
        let named = |one: &&(&str, &str)| desktop.split(':').any(|part| part == one.0);
        let (name, how) = OWN_WAY.iter().find(named)?;
        Some(said!(
            "{name} does not read that folder: add `{how} {program}` to its configuration",
            name = name,
            how = how,
            program = program.display()
        ))
    }
}

fn systemctl(words: &[&str]) -> bool {
    let mut command = Command::new("systemctl");
    command.arg("--user").args(words).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
    command.status().is_ok_and(|status| status.success())
}

/// The service's program: beside this one, or wherever programs are looked for.
pub(crate) fn service_program() -> Option<PathBuf> {
    let own = std::env::current_exe().ok()?;
    let beside = own.parent()?.join("yadorid");
    if beside.is_file() {
        return Some(beside);
    }
    let path = std::env::var_os("PATH")?;
    std::env::split_paths(&path).map(|dir| dir.join("yadorid")).find(|path| path.is_file())
}

/// A word of a command line in a unit (systemd.service(5), "Command lines").
fn unit_word(word: &str) -> String {
    let escaped = word.replace('\\', "\\\\").replace('"', "\\\"").replace('%', "%%").replace('$', "$$");
    format!("\"{escaped}\"")
}

/// A word of a command line in an entry (Desktop Entry Specification, "The Exec key": escaped as a string once more).
fn entry_word(word: &str) -> String {
    let quoted: String = word
        .chars()
        .map(|letter| match letter {
            '"' | '`' | '$' | '\\' => format!("\\{letter}"),
            '%' => "%%".to_owned(),
            letter => letter.to_string(),
        })
        .collect();
    format!("\"{}\"", quoted.replace('\\', "\\\\"))
}

fn unit_text(words: &[String]) -> String {
    let command: Vec<String> = words.iter().map(|word| unit_word(word)).collect();
    format!(
        "{MARK}\n[Unit]\nDescription=Yadori keeps what you copy\nPartOf=graphical-session.target\nAfter=graphical-session.target\n\n\
         [Service]\nType=notify\nExecStart={}\nRestart=on-failure\nTimeoutStopSec=30\n\n\
         [Install]\nWantedBy=graphical-session.target\n",
        command.join(" ")
    )
}

fn entry_text(words: &[String]) -> String {
    let command: Vec<String> = words.iter().map(|word| entry_word(word)).collect();
    format!(
        "{MARK}\n[Desktop Entry]\nType=Application\nVersion=1.5\nName=Yadori\nComment=Keeps what you copy\nExec={}\nTerminal=false\nNoDisplay=true\n",
        command.join(" ")
    )
}

impl Autostart {
    pub(crate) fn run(&self, places: &Places, out: &mut dyn Write) -> Result<(), Failure> {
        match self.what.unwrap_or(What::Status) {
            What::On => self.on(places, out),
            What::Off => self.off(places, out),
            What::Status => self.status(places, out),
        }
    }

    fn on(&self, places: &Places, out: &mut dyn Write) -> Result<(), Failure> {
        let program = service_program().ok_or_else(|| {
            Failure::Nothing(said!("yadorid is neither beside this program nor on the PATH; install both"))
        })?;
        let way = self.by.unwrap_or(if places.has_manager() { Way::Unit } else { Way::Entry });
        let mut words = vec![program.display().to_string()];
        if let Some(home) = &places.home {
            words.extend(["--home".to_owned(), home.display().to_string()]);
        }
        if words.iter().any(|word| word.contains(['\n', '\r'])) {
            return Err(Failure::Use(said!("a path with a line end in it can't be started by a desktop")));
        }
        let text = |way| if way == Way::Unit { unit_text(&words) } else { entry_text(&words) };
        let file = if way == Way::Unit { places.unit() } else { places.entry() };
        let stands = places.way() == Some(way) && fs::read_to_string(&file).is_ok_and(|is| is == text(way));
        if stands {
            return Err(Failure::Done(said!(
                "it starts with the desktop already, by {file}",
                file = file.display()
            )));
        }
        own(&file)?;
        // One of the two, never both: it would be started twice.
        let other = if way == Way::Unit { Way::Entry } else { Way::Unit };
        remove(places, other)?;
        write(&file, &text(way), out)?;
        if way == Way::Unit {
            let wanted = places.wanted();
            make_folder(&wanted)?;
            let _ = fs::remove_file(&wanted);
            std::os::unix::fs::symlink(&file, &wanted).map_err(|cause| Failure::file(&wanted, cause))?;
            systemctl(&["daemon-reload"]);
        }
        if self.json {
            return self.status(places, out);
        }
        let how = if way == Way::Unit {
            word!("a unit of your systemd")
        } else {
            word!("an entry of your desktop")
        };
        writeln!(
            out,
            "{}",
            said!("Yadori starts with your next session, by {how}: {file}", how = how, file = file.display())
        )?;
        match way {
            Way::Unit => {
                writeln!(out, "{}", said!("To start it now: systemctl --user start {unit}", unit = UNIT))?;
            }
            Way::Entry => {
                if let Some(line) = places.own_line(&program) {
                    writeln!(out, "{line}.")?;
                }
                writeln!(out, "{}", said!("To start it now: {what} &", what = words.join(" ")))?;
            }
        }
        Ok(())
    }

    fn off(&self, places: &Places, out: &mut dyn Write) -> Result<(), Failure> {
        if places.way().is_none() {
            return Err(Failure::Done(said!("it does not start with the desktop")));
        }
        remove(places, Way::Unit)?;
        remove(places, Way::Entry)?;
        if self.json {
            return self.status(places, out);
        }
        Ok(writeln!(
            out,
            "{}",
            said!(
                "Yadori does not start with the desktop any more. What it keeps stays; it runs on until `yadori stop`."
            )
        )?)
    }

    fn status(&self, places: &Places, out: &mut dyn Write) -> Result<(), Failure> {
        let way = places.way();
        let file = way.map(|way| places.file(way));
        if self.json {
            return json(out, &serde_json::json!({ "on": way.is_some(), "by": way, "file": file }));
        }
        let Some((way, file)) = way.zip(file) else {
            return Ok(writeln!(
                out,
                "{}",
                said!("off: `yadori autostart on` lets Yadori start with your desktop")
            )?);
        };
        let how = if way == Way::Unit {
            word!("a unit of your systemd")
        } else {
            word!("an entry of your desktop")
        };
        writeln!(out, "{}", said!("on, by {how}: {file}", how = how, file = file.display()))?;
        let text = fs::read_to_string(&file);
        if text.is_err() {
            writeln!(
                out,
                "{}",
                said!("but what it leads to is gone; `yadori autostart on` writes it again")
            )?;
        }
        if let (Way::Entry, Some(line)) =
            (way, service_program().and_then(|program| places.own_line(&program)))
        {
            writeln!(out, "{line}.")?;
        }
        Ok(())
    }
}

/// What stands there is ours, or nothing does.
fn own(file: &Path) -> Result<(), Failure> {
    match fs::read_to_string(file) {
        Ok(text) if !text.starts_with(MARK) => Err(Failure::Use(said!(
            "{file} was not written by `yadori autostart`, so it is left as it is; remove it yourself, or keep it",
            file = file.display()
        ))),
        _ => Ok(()),
    }
}

fn remove(places: &Places, way: Way) -> Result<(), Failure> {
    let files = match way {
        // The link first: what it leads to is not wanted then, whatever happens.
        Way::Unit => vec![places.wanted(), places.unit()],
        Way::Entry => vec![places.entry()],
    };
    for file in &files {
        if file.symlink_metadata().is_ok() && !file.is_symlink() {
            own(file)?;
        }
    }
    for file in &files {
        match fs::remove_file(file) {
            Err(cause) if cause.kind() != io::ErrorKind::NotFound => return Err(Failure::file(file, cause)),
            _ => {}
        }
    }
    if way == Way::Unit && places.run.as_ref().is_some_and(|run| run.join("systemd/private").exists()) {
        systemctl(&["daemon-reload"]);
    }
    Ok(())
}

fn make_folder(file: &Path) -> Result<(), Failure> {
    let folder = file.parent().unwrap_or(Path::new("/"));
    fs::create_dir_all(folder).map_err(|cause| Failure::file(folder, cause))
}

fn write(file: &Path, text: &str, out: &mut dyn Write) -> Result<(), Failure> {
    make_folder(file)?;
    Target::at(file, true)?.write(out, |to| Ok(to.write_all(text.as_bytes())?))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn paths_with_signs_of_their_own_are_one_word_to_who_reads_them() {
        assert_eq!(unit_word(r#"/home/ida/50% "of" $it"#), r#""/home/ida/50%% \"of\" $$it""#);
        assert_eq!(entry_word("/home/ida/50% of $it"), r#""/home/ida/50%% of \\$it""#);
    }

    #[test]
    fn desktops_that_read_no_folder_are_told_of_with_their_own_line() {
        let places = |desktop: &str| Places {
            config: "/c".into(),
            home: None,
            run: None,
            desktop: Some(desktop.to_owned()),
        };
        let line = |desktop: &str| places(desktop).own_line(Path::new("/usr/bin/yadorid"));
        assert!(line("sway").unwrap().contains("`exec /usr/bin/yadorid`"));
        assert!(line("sway:wlroots").is_some());
        assert_eq!(line("GNOME"), None);
    }
}
