//! `yadori doctor`: what Yadori needs of this computer, whether it is there, and how to mend what is not. Nothing that was
//! copied, no title and no address is in its answer: it may be pasted into a report.

use std::io::Write;
use std::os::unix::fs::MetadataExt as _;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use clap::Args;
use serde::Serialize;
use yadori_api::{AllDevices, CaptureState, DatabaseState, Status};

use super::autostart::{Places, Way, service_program};
use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::table::{count_of, size};
use yadori_words::{said, word};

/// Below this there is soon no room, and below that there is none, in bytes.
const LITTLE: u64 = 2 << 30;
const NONE: u64 = 256 << 20;
/// A clock that is this far ahead is wrong, in microseconds.
const AHEAD: i64 = 5 * 60 * 1_000_000;
/// Nobody had this program before, in microseconds since the Unix epoch: 2026-01-01.
const BEFORE: i64 = 1_767_225_600_000_000;
/// Terminals that the picker can be shown in, as the service tries them.
const TERMINALS: [&str; 5] = ["foot", "xterm", "x-terminal-emulator", "konsole", "gnome-terminal"];

/// Look at what Yadori needs of this computer, and say how to mend what is wrong
///
/// The answer holds nothing that was copied, no title and no address, so that it can be pasted into a report.
#[derive(Debug, Args)]
pub(crate) struct Doctor {
    /// For programs
    #[arg(long)]
    json: bool,
}

/// How it stands with one thing.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
enum Stands {
    Well,
    Note,
    Wrong,
}

/// One thing, and what is to be done about it.
#[derive(Debug, PartialEq, Eq, Serialize)]
struct Finding {
    about: &'static str,
    stands: Stands,
    words: String,
    #[serde(skip_serializing_if = "Option::is_none")]
    mend: Option<String>,
}

fn well(about: &'static str, words: impl Into<String>) -> Finding {
    Finding { about, stands: Stands::Well, words: words.into(), mend: None }
}

fn note(about: &'static str, words: impl Into<String>, mend: impl Into<String>) -> Finding {
    Finding { about, stands: Stands::Note, words: words.into(), mend: Some(mend.into()) }
}

fn wrong(about: &'static str, words: impl Into<String>, mend: impl Into<String>) -> Finding {
    Finding { about, stands: Stands::Wrong, words: words.into(), mend: Some(mend.into()) }
}

/// What is looked at beside the service's own word.
pub(crate) struct Around {
    pub(crate) places: Places,
    /// Its directories: records, configuration, run-time.
    pub(crate) folders: Vec<PathBuf>,
    /// Values of the environment by name.
    pub(crate) environment: fn(&str) -> Option<String>,
}

impl Doctor {
    pub(crate) fn run(
        &self,
        service: &Connection,
        around: &Around,
        out: &mut dyn Write,
    ) -> Result<(), Failure> {
        let status: Result<Status, Failure> = service.get("/status");
        let devices: Option<AllDevices> = status.as_ref().ok().and_then(|_| service.get("/devices").ok());
        let now = jiff::Timestamp::now().as_microsecond();
        let mut all = programs(status.as_ref().ok());
        match &status {
            Ok(status) => {
                all.push(well("service", word!("it runs")));
                all.push(capture(status));
                all.extend(chords(status));
                all.push(database(status));
                all.push(clock(status, now));
                all.extend(hub(devices.as_ref()));
            }
            Err(Failure::NotRunning(_)) => {
                all.push(wrong("service", word!("it does not run"), word!("start it with `yadorid &`")));
                all.push(display(around.environment));
                all.push(server());
            }
            Err(_) => all.push(wrong(
                "service",
                word!("it does not answer as it should"),
                word!("`yadori stop`, then start it again; its log says more (`yadori.log` under its state directory)"),
            )),
        }
        all.push(start(&around.places));
        let open: Vec<Finding> = around.folders.iter().filter_map(|folder| permissions(folder)).collect();
        if open.is_empty() {
            all.push(well("permissions", word!("its folders are closed to everybody else")));
        }
        all.extend(open);
        all.extend(around.folders.first().and_then(|folder| disk(folder)));
        all.push(terminal());
        all.push(reader());
        all.push(letters(around.environment));
        all.push(fonts());
        let count = |stands| all.iter().filter(|one| one.stands == stands).count();
        let bad = count(Stands::Wrong);
        if self.json {
            json(out, &serde_json::json!({ "findings": all, "wrong": bad }))?;
        } else {
            for one in &all {
                let stands = match one.stands {
                    Stands::Well => word!("well"),
                    Stands::Note => word!("note"),
                    Stands::Wrong => word!("WRONG"),
                };
                writeln!(out, "{}{:13}{}", crate::table::padded(stands, 6), one.about, one.words)?;
                if let Some(mend) = &one.mend {
                    writeln!(out, "{:19}→ {mend}", "")?;
                }
            }
        }
        out.flush()?;
        if bad > 0 { Err(Failure::Unwell(bad)) } else { Ok(()) }
    }
}

fn programs(status: Option<&Status>) -> Vec<Finding> {
    let own = env!("CARGO_PKG_VERSION");
    let mut found = Vec::new();
    match service_program() {
        Some(_) => found.push(well("programs", said!("yadori {own}, and yadorid with it", own = own))),
        None => found.push(wrong(
            "programs",
            word!("yadorid is neither beside this program nor on the PATH"),
            word!("install both: `make install`, or the package"),
        )),
    }
    if let Some(status) = status.filter(|status| status.version != own) {
        let words = said!(
            "the service that runs is version {version}, this program is {own}",
            version = status.version,
            own = own
        );
        found.push(wrong("versions", words, word!("`yadori stop`, and start the service again")));
    }
    found
}

fn capture(status: &Status) -> Finding {
    let display = status.capture.display.clone().unwrap_or_else(|| "none".to_owned());
    match status.capture.state {
        CaptureState::Keeping if status.capture.reason.is_some() => note(
            "capture",
            said!("copies of X programs alone are kept (display {display})", display = display),
            word!(
                "the compositor lets no program follow its clipboard: use one that has ext-data-control or wlr-data-control"
            ),
        ),
        CaptureState::Keeping => {
            well("capture", said!("copies are kept (display {display})", display = display))
        }
        CaptureState::Paused => note("capture", "paused", word!("`yadori resume`")),
        CaptureState::Off => {
            note("capture", word!("switched off"), word!("set `capture = true`, and start the service again"))
        }
        CaptureState::Starting => note("capture", "starting", word!("look again in a moment")),
        CaptureState::Waiting => {
            wrong("capture", word!("copies wait in memory"), word!("see `database` and `disk` below"))
        }
        CaptureState::Broken => wrong(
            "capture",
            word!("copies are not being kept"),
            word!("`yadori status` says why, and what to do"),
        ),
    }
}

fn chords(status: &Status) -> Option<Finding> {
    let all = status.chords.len();
    let unheard = status.chords.iter().filter(|one| one.problem.is_some()).count();
    match (all, unheard) {
        (0, _) => None,
        (all, 0) => Some(well("chords", said!("all {all} are heard", all = all))),
        (all, unheard) => Some(note(
            "chords",
            said!("{unheard} of {all} are not heard", unheard = unheard, all = all),
            word!("`yadori chords` shows which, and what to bind instead"),
        )),
    }
}

fn database(status: &Status) -> Finding {
    match status.database.state {
        DatabaseState::Ready if status.damaged > 0 => wrong(
            "database",
            word!("some contents are damaged"),
            word!("`yadori check` names them and mends what can be mended"),
        ),
        DatabaseState::Ready => well("database", word!("it answers")),
        DatabaseState::Starting => note("database", "starting", word!("look again in a moment")),
        DatabaseState::Away => wrong(
            "database",
            word!("it does not answer"),
            word!("wait a little: it is started again by itself"),
        ),
        DatabaseState::Full => {
            wrong("database", word!("the disk is full"), word!("make room; it goes on by itself"))
        }
        DatabaseState::Damaged => wrong(
            "database",
            word!("a file of it is damaged"),
            word!("`yadori status` says what to do; keep a copy of its folder first"),
        ),
        DatabaseState::Refused => {
            wrong("database", word!("it can't be used"), word!("`yadori status` says why, and what to do"))
        }
    }
}

/// Where the service does not run: whether it could have a server.
fn server() -> Finding {
    let there = on_path("mariadbd") || Path::new("/usr/sbin/mariadbd").exists();
    if there {
        well("database", word!("MariaDB's server is installed"))
    } else {
        wrong(
            "database",
            word!("MariaDB's server is not installed"),
            word!("apt install mariadb-server-core"),
        )
    }
}

fn display(environment: fn(&str) -> Option<String>) -> Finding {
    let named: Vec<String> =
        ["WAYLAND_DISPLAY", "DISPLAY"].iter().filter_map(|name| environment(name)).collect();
    if named.is_empty() {
        let mend = word!("start yadorid inside a desktop session, or name a display with --display");
        return wrong("display", word!("none is known here"), mend);
    }
    well("display", said!("{displays} is known here", displays = named.join(word!(" and "))))
}

fn clock(status: &Status, now: i64) -> Finding {
    let ahead = status.last_copy_at.is_some_and(|at| at > now + AHEAD) || status.started_at > now + AHEAD;
    if now < BEFORE || ahead {
        let mend = word!("set the clock of this computer; limits by age wait meanwhile, and nothing is lost");
        return wrong("clock", word!("it is behind what has happened here"), mend);
    }
    well("clock", word!("it agrees with what has happened here"))
}

fn hub(devices: Option<&AllDevices>) -> Option<Finding> {
    let devices = devices?;
    devices.hub.as_ref()?;
    let others = devices.devices.len().saturating_sub(1);
    Some(if devices.trouble.is_some() {
        wrong("hub", word!("the exchange is in trouble"), word!("`yadori sync` says why, and what to do"))
    } else if devices.paused {
        note("hub", word!("the exchange is paused"), word!("`yadori sync resume`"))
    } else {
        well("hub", said!("it answers; {device}", device = count_of(others as u64, "other device")))
    })
}

fn start(places: &Places) -> Finding {
    match places.way() {
        Some(Way::Unit) => well("start", word!("with the desktop, by a unit of systemd")),
        Some(Way::Entry) => well("start", word!("with the desktop, by its autostart folder")),
        None => note("start", word!("not with the desktop"), word!("`yadori autostart on`")),
    }
}

/// Nobody else may look into a folder of ours. One that is not there is made when it is needed.
fn permissions(folder: &Path) -> Option<Finding> {
    let about = folder.metadata().ok()?;
    let name = folder.file_name().map_or_else(String::new, |name| name.to_string_lossy().into_owned());
    let mend =
        |what: &str| said!("{what} on the folder `{name}` that Yadori keeps there", what = what, name = name);
    if about.uid() != rustix::process::getuid().as_raw() {
        return Some(wrong("permissions", word!("a folder belongs to another user"), mend("chown")));
    }
    if about.mode() & 0o077 != 0 {
        return Some(wrong("permissions", word!("others can look into a folder"), mend(word!("chmod 700"))));
    }
    None
}

fn disk(folder: &Path) -> Option<Finding> {
    let existing = folder.ancestors().find(|one| one.exists())?;
    let about = rustix::fs::statvfs(existing).ok()?;
    let free = about.f_bavail.saturating_mul(about.f_frsize);
    let words = said!("{free} free where the records are", free = size(free));
    Some(match free {
        free if free < NONE => wrong("disk", words, word!("make room: copies can't be saved soon")),
        free if free < LITTLE => note("disk", words, word!("make room, or lower a limit (`yadori limits`)")),
        _ => well("disk", words),
    })
}

fn on_path(program: &str) -> bool {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path).any(|dir| dir.join(program).is_file())
}

fn terminal() -> Finding {
    match TERMINALS.iter().find(|one| on_path(one)) {
        Some(name) => well("picker", said!("{name} shows it", name = name)),
        None => note(
            "picker",
            word!("no terminal is known that could show it"),
            word!(
                "apt install xterm (or foot), name one as `picker.command`, or set `picker.form` to console"
            ),
        ),
    }
}

fn reader() -> Finding {
    if on_path("tesseract") {
        well("pictures", word!("tesseract reads them"))
    } else {
        note(
            "pictures",
            word!("no program is installed that reads the words in them"),
            word!("apt install tesseract-ocr, and tesseract-ocr-jpn or others for more languages"),
        )
    }
}

fn letters(environment: fn(&str) -> Option<String>) -> Finding {
    let named = ["LC_ALL", "LC_CTYPE", "LANG"].iter().find_map(|name| environment(name));
    let codeset = named.unwrap_or_default().to_lowercase().replace('-', "");
    if codeset.contains("utf8") {
        well("letters", word!("this terminal is told to show all (UTF-8)"))
    } else {
        note(
            "letters",
            word!("this terminal is not told to show all letters"),
            word!("set LANG to a locale with UTF-8, such as C.UTF-8"),
        )
    }
}

/// Fonts for terminals: one of even width, and one for letters of East Asia.
fn fonts() -> Finding {
    let lists = |what: &str| {
        let mut list = Command::new("fc-list");
        list.args([what, "family"]).stdin(Stdio::null()).stderr(Stdio::null());
        list.output().ok().map(|done| !done.stdout.is_empty())
    };
    match (lists(":spacing=mono"), lists(":lang=ja")) {
        (None, _) | (_, None) => note(
            "fonts",
            word!("which there are is not known"),
            word!("apt install fontconfig, to have it looked at"),
        ),
        (Some(false), _) => {
            note("fonts", word!("there is none of even width"), word!("apt install fonts-dejavu-core"))
        }
        (_, Some(false)) => note(
            "fonts",
            word!("there is none for letters of East Asia"),
            word!("apt install fonts-noto-cjk, if you have such texts"),
        ),
        _ => well("fonts", word!("of even width, and for letters of East Asia")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_clock_that_is_behind_is_told_of_and_one_that_agrees_is_not() {
        let status = |last: i64, started: i64| -> Status {
            serde_json::from_value(serde_json::json!({
                "version": "1", "capture": {"state": "keeping"}, "database": {"state": "ready"},
                "live": {"state": "empty"}, "loaded": true, "clips": 0, "unsaved": 0, "last_copy_at": last,
                "refusals": [], "chords": [], "started_at": started,
            }))
            .unwrap()
        };
        let now = BEFORE + 10 * AHEAD;
        assert_eq!(clock(&status(now, now), now).stands, Stands::Well);
        assert_eq!(clock(&status(now + 2 * AHEAD, now), now).stands, Stands::Wrong);
        assert_eq!(clock(&status(0, now + 2 * AHEAD), now).stands, Stands::Wrong);
        assert_eq!(clock(&status(0, 0), 5).stands, Stands::Wrong);
    }

    #[test]
    fn a_folder_that_others_can_look_into_is_told_of_without_its_path() {
        use std::os::unix::fs::PermissionsExt as _;
        let dir = tempfile::tempdir().unwrap();
        let folder = dir.path().join("yadori");
        std::fs::create_dir(&folder).unwrap();
        for (mode, bad) in [(0o700, false), (0o750, true), (0o701, true)] {
            std::fs::set_permissions(&folder, std::fs::Permissions::from_mode(mode)).unwrap();
            let found = permissions(&folder);
            assert_eq!(found.is_some(), bad, "{mode:o}");
            let path = dir.path().display().to_string();
            assert!(found.is_none_or(|one| !format!("{one:?}").contains(&path)));
        }
    }
}
