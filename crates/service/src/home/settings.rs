//! Settings in two stages: raw (file, environment, flags), then resolved and valid. Flags win over the environment,
//! which wins over the file.

use std::net::{IpAddr, Ipv6Addr, SocketAddr};
use std::path::{Path, PathBuf};
use std::time::Duration;

use clap::Parser;
use serde::Deserialize;
use yadori_api::Look;
use yadori_core::exchange::TravelsError;
use yadori_core::intake::rule::Rule;
use yadori_core::limits::Order;
use yadori_core::take::chord::{Chord, ChordError, PasteTable, Purpose};
use yadori_core::take::standing::Standing;
use yadori_core::take::tidy::NoStep;
use yadori_desk::displays::Displays;

use crate::home::place::{BaseDirectories, Home, HomeError};

pub mod change;
mod exchanged;
pub mod kept;
mod known;
pub mod look;
pub mod phone;
mod pictures;
mod sections;
mod selection;
mod signs;

use self::exchanged::{ExchangeSection, Exchanged};
use self::kept::{Keeping, KeepingError, LimitsSection, SecretsSection};
use self::look::{LookError, LookSection};
use self::phone::{PhoneDoor, PhoneError, PhoneSection};
use self::pictures::PicturesSection;
use self::sections::{
    ActsSection, ChordsSection, DatabaseSection, HubSection, LogSection, PasteSection, PickerSection,
    SearchSection,
};
use self::selection::SelectionSection;
use self::signs::{Signs, SignsSection};

/// The commented example, also the documentation of every setting.
pub const EXAMPLE: &str = include_str!("../../config.example.toml");

/// Yadori's service: keeps what is copied on this computer and hands it back.
#[derive(Debug, Default, Parser)]
#[command(name = "yadorid", version)]
pub struct Flags {
    /// Put everything of this device under one directory instead of the XDG base directories
    #[arg(long, env = "YADORI_HOME", value_name = "DIR")]
    pub home: Option<PathBuf>,
    /// Read this configuration file instead of the home's own
    #[arg(long, env = "YADORI_CONFIG", value_name = "FILE")]
    pub config: Option<PathBuf>,
    /// Serve the console here: a loopback address; port 0 chooses a free one
    #[arg(long, env = "YADORI_LISTEN", value_name = "ADDR")]
    pub listen: Option<String>,
    /// Watch this display instead of the environment's: an X display (:0), a Wayland display (wayland-1), or both
    #[arg(long, env = "YADORI_DISPLAY", value_name = "NAME")]
    pub display: Option<String>,
    /// Run without watching a clipboard
    #[arg(long)]
    pub no_capture: bool,
}

/// The configuration file.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
struct File {
    listen: Option<String>,
    display: Option<String>,
    capture: Option<bool>,
    database: DatabaseSection,
    log: LogSection,
    acts: ActsSection,
    chords: ChordsSection,
    paste: PasteSection,
    picker: PickerSection,
    limits: LimitsSection,
    secrets: SecretsSection,
    rules: Vec<Rule>,
    orders: Vec<Order>,
    exchange: ExchangeSection,
    signs: SignsSection,
    pictures: PicturesSection,
    search: SearchSection,
    selection: SelectionSection,
    look: LookSection,
    hub: HubSection,
    phone: PhoneSection,
}

/// The two forms of the picker.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PickerForm {
    /// `yadori pick` in a terminal.
    Terminal,
    /// The console's page in a browser's window.
    Console,
}

/// Settings that can be changed while the service runs.
#[derive(Debug, Clone, PartialEq)]
pub struct Changeable {
    /// What is listened for, and what for.
    pub chords: Vec<(Purpose, Chord)>,
    /// What pastes in which program.
    pub paste: PasteTable,
    /// How what is pasted into a program is cleaned up.
    pub tidy: Standing,
    /// After a paste, what was on the live clipboard before is put back.
    pub put_back: bool,
    /// Which form of the picker its chord opens.
    pub picker_form: PickerForm,
    /// What the picker's chord starts; empty: found by itself.
    pub picker: Vec<String>,
    /// What is kept, and how.
    pub keeping: Keeping,
    /// What is exchanged with other devices.
    pub exchange: Exchanged,
    /// How it shows that it is there.
    pub signs: Signs,
    /// Words in pictures are read.
    pub read_pictures: bool,
    /// Where nothing matches a search, what comes nearest is shown.
    pub nearest: bool,
    /// What is selected and not copied is recorded as well.
    pub keep_selected: bool,
    /// How the console looks.
    pub look: Look,
}

impl Default for Changeable {
    fn default() -> Self {
        Self {
            chords: Vec::new(),
            paste: PasteTable::default(),
            tidy: Standing::default(),
            put_back: false,
            picker_form: PickerForm::Terminal,
            picker: Vec::new(),
            keeping: Keeping::default(),
            exchange: Exchanged::default(),
            signs: Signs::default(),
            read_pictures: true,
            nearest: true,
            keep_selected: false,
            look: Look::default(),
        }
    }
}

/// Settings that hold.
#[derive(Debug, Clone, PartialEq)]
pub struct Settings {
    /// Where the files are.
    pub home: Home,
    /// Where to serve the console; `None`: on the port of the last start, or a free one.
    pub listen: Option<SocketAddr>,
    /// What to watch.
    pub displays: Displays,
    /// Whether to watch at all.
    pub capture: bool,
    /// A database that was given; `None`: a private server.
    pub database_url: Option<String>,
    /// How much is logged.
    pub log_level: tracing::Level,
    /// How many days of logs are kept.
    pub log_days: usize,
    /// Where a hub is served for other devices.
    pub hub: Option<SocketAddr>,
    /// Where phones are let in.
    pub phone: Option<PhoneDoor>,
    /// How long an act can be taken back.
    pub grace: Duration,
    /// What can be read anew while the service runs.
    pub changeable: Changeable,
    /// The file they are from.
    pub config: PathBuf,
    /// The one directory of this device, where there is one.
    pub under: Option<PathBuf>,
}

/// Why settings do not hold.
#[derive(Debug, thiserror::Error)]
pub enum SettingsError {
    /// The directories.
    #[error(transparent)]
    Home(#[from] HomeError),
    /// The file can't be read.
    #[error("the configuration {path} can't be read: {cause}")]
    Unreadable {
        /// Which.
        path: PathBuf,
        /// Why.
        cause: std::io::Error,
    },
    /// The file is not what it should be.
    #[error("the configuration {path} has a mistake: {cause}\nconfig.example.toml shows every setting")]
    Malformed {
        /// Which.
        path: PathBuf,
        /// Where and why.
        cause: Box<toml::de::Error>,
    },
    /// Not an address.
    #[error(
        "`listen` is `{0}`; it must be 127.0.0.1 or [::1] (loopback) and a port, such as 127.0.0.1:4180 or 127.0.0.1:0"
    )]
    Listen(String),
    /// Not a level.
    #[error("`log.level` is `{0}`; it must be one of error, warn, info, debug, trace")]
    Level(String),
    /// Not a span.
    #[error("`acts.grace_minutes` is {0}; it must be between 0.05 (three seconds) and 10080 (a week)")]
    Grace(f64),
    /// Not a chord.
    #[error("`{0}`: {1}")]
    Chord(&'static str, ChordError),
    /// What pastes in a program.
    #[error("`paste.keys` for `{0}`: {1}")]
    PasteKeys(String, ChordError),
    /// How what is pasted into a program is cleaned up.
    #[error("`paste.tidy` for `{0}`: {1}")]
    Tidy(String, NoStep),
    /// Not a form of the picker.
    #[error("`picker.form` is `{0}`; it must be terminal or console")]
    PickerForm(String),
    /// What is kept, and how.
    #[error(transparent)]
    Keeping(#[from] KeepingError),
    /// How the console looks.
    #[error(transparent)]
    Look(#[from] LookError),
    /// Where phones come in.
    #[error(transparent)]
    Phone(#[from] PhoneError),
    /// Where a hub is served.
    #[error(
        "`hub.listen`: `{0}` is no address with a port; it looks like 127.0.0.1:8930, or 0.0.0.0:8930 for all"
    )]
    HubAddress(String),
    /// What travels.
    #[error("`exchange.travels`: {0}")]
    Travels(#[from] TravelsError),
    /// Not a number of days.
    #[error("`log.days` must be at least 1")]
    Days,
}

/// Reads the file that flags and base directories point to, and puts all together.
pub fn resolve(
    flags: Flags,
    base: &BaseDirectories,
    environment_display: Option<String>,
) -> Result<Settings, SettingsError> {
    let home = match &flags.home {
        Some(dir) => Home::under(&std::path::absolute(dir).unwrap_or_else(|_| dir.clone())),
        None => Home::by_xdg(base)?,
    };
    let path = flags.config.clone().unwrap_or_else(|| home.config.clone());
    let file = match std::fs::read_to_string(&path) {
        Ok(text) => parse(&text, &path)?,
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound && flags.config.is_none() => {
            File::default()
        }
        Err(cause) => return Err(SettingsError::Unreadable { path, cause }),
    };
    let display = flags.display.clone().or_else(|| file.display.clone()).or(environment_display);
    let displays = Displays::named(&display.unwrap_or_default(), base.run.as_deref());
    Ok(Settings { config: path, ..combine(flags, file, home, displays)? })
}

/// Reads what can be changed while the service runs from the configuration file; without one, what holds by itself.
///
/// # Errors
/// Says what is wrong in the file, anywhere in it.
pub fn read_again(settings: &Path) -> Result<Changeable, SettingsError> {
    match std::fs::read_to_string(settings) {
        Ok(text) => check_text(&text, settings),
        Err(cause) if cause.kind() == std::io::ErrorKind::NotFound => check_text("", settings),
        Err(cause) => Err(SettingsError::Unreadable { path: settings.to_owned(), cause }),
    }
}

/// What would hold while the service runs if the file were this text.
///
/// # Errors
/// Says what is wrong, anywhere in it.
pub fn check_text(text: &str, path: &Path) -> Result<Changeable, SettingsError> {
    let home = Home::under(path.parent().unwrap_or(path));
    Ok(combine(Flags::default(), parse(text, path)?, home, Displays::default())?.changeable)
}

fn parse(text: &str, path: &Path) -> Result<File, SettingsError> {
    toml::from_str(text)
        .map_err(|cause| SettingsError::Malformed { path: path.to_owned(), cause: Box::new(cause) })
}

fn combine(flags: Flags, file: File, home: Home, displays: Displays) -> Result<Settings, SettingsError> {
    let listen = flags.listen.or(file.listen).map(|text| match text.parse::<SocketAddr>() {
        // A page at another loopback address would be a stranger to the gate.
        Ok(address) if [IpAddr::from([127, 0, 0, 1]), Ipv6Addr::LOCALHOST.into()].contains(&address.ip()) => {
            Ok(address)
        }
        _ => Err(SettingsError::Listen(text)),
    });
    let level = file.log.level.unwrap_or_else(|| "info".into());
    let minutes = file.acts.grace_minutes.unwrap_or(10.0);
    if !(0.05..=10_080.0).contains(&minutes) {
        return Err(SettingsError::Grace(minutes));
    }
    let chords = chords(&file.chords)?;
    let mut paste = PasteTable::default();
    for (class, keys) in file.paste.keys {
        match keys.parse() {
            Ok(keys) => paste.insert(class, keys),
            Err(why) => return Err(SettingsError::PasteKeys(class, why)),
        }
    }
    let mut tidy = Standing::default();
    for (class, names) in file.paste.tidy {
        if let Err(why) = tidy.insert(class.clone(), &names) {
            return Err(SettingsError::Tidy(class, why));
        }
    }
    let picker_form = match file.picker.form.as_deref() {
        None | Some("terminal") => PickerForm::Terminal,
        Some("console") => PickerForm::Console,
        Some(other) => return Err(SettingsError::PickerForm(other.to_owned())),
    };
    let hub = match file.hub.listen.as_deref().unwrap_or("127.0.0.1:8930").parse() {
        Ok(address) => file.hub.serve.unwrap_or(false).then_some(address),
        Err(_) => return Err(SettingsError::HubAddress(file.hub.listen.unwrap_or_default())),
    };
    let phone = file.phone.door()?;
    let log_days = file.log.days.unwrap_or(7);
    if log_days == 0 {
        return Err(SettingsError::Days);
    }
    Ok(Settings {
        home,
        listen: listen.transpose()?,
        displays,
        capture: file.capture.unwrap_or(true) && !flags.no_capture,
        database_url: file.database.url.filter(|url| !url.is_empty()),
        log_level: level.parse().map_err(|_| SettingsError::Level(level))?,
        log_days,
        hub,
        phone,
        grace: Duration::from_secs_f64(minutes * 60.0),
        changeable: Changeable {
            chords,
            paste,
            tidy,
            put_back: file.paste.put_back.unwrap_or(false),
            picker_form,
            picker: file.picker.command,
            keeping: kept::keeping(&file.limits, &file.secrets, file.rules, file.orders)?,
            exchange: exchanged::exchanged(&file.exchange)?,
            signs: file.signs.signs(),
            read_pictures: file.pictures.read(),
            nearest: file.search.nearest(),
            keep_selected: file.selection.keep(),
            look: file.look.look()?,
        },
        config: PathBuf::new(),
        under: flags.home.map(|dir| std::path::absolute(&dir).unwrap_or(dir)),
    })
}

/// The chords of the file; `off` listens for none.
fn chords(section: &ChordsSection) -> Result<Vec<(Purpose, Chord)>, SettingsError> {
    let wanted = |value: &Option<String>, usual: &str| value.clone().unwrap_or_else(|| usual.to_owned());
    let mut all = Vec::new();
    let picker = wanted(&section.picker, "Ctrl+Alt+Y");
    if picker != "off" {
        let chord = picker.parse().map_err(|why| SettingsError::Chord("chords.picker", why))?;
        all.push((Purpose::Picker, chord));
    }
    let held = wanted(&section.place, "Ctrl+Alt");
    for n in (1..=10).filter(|_| held != "off") {
        let text = format!("{held}+{}", n % 10);
        let chord = text.parse().map_err(|why| SettingsError::Chord("chords.place", why))?;
        all.push((Purpose::Place(n), chord));
    }
    for (name, value, usual, purpose) in [
        ("chords.next", &section.next, "Ctrl+Alt+N", Purpose::Next),
        ("chords.gather", &section.gather, "Ctrl+Alt+G", Purpose::Gather),
        ("chords.pause", &section.pause, "off", Purpose::Pause),
    ] {
        let text = wanted(value, usual);
        if text != "off" {
            all.push((purpose, text.parse().map_err(|why| SettingsError::Chord(name, why))?));
        }
    }
    Ok(all)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn resolved(flags: Flags, text: &str) -> Result<Settings, SettingsError> {
        combine(
            flags,
            parse(text, Path::new("config.toml"))?,
            Home::under(Path::new("/h")),
            Displays { x: Some(":7".into()), wayland: None },
        )
    }

    /// The example with every commented setting switched on.
    fn switched_on() -> String {
        let setting =
            |line: &str| line.strip_prefix("# ").filter(|rest| rest.contains(" = ")).map(str::to_owned);
        EXAMPLE.lines().map(|line| setting(line).unwrap_or_else(|| line.to_owned()) + "\n").collect()
    }

    #[test]
    fn the_example_says_what_the_defaults_are() {
        let mut shown = resolved(Flags::default(), &switched_on()).unwrap();
        assert!(shown.database_url.take().is_some() && shown.listen.take().is_some());
        assert_eq!(shown, resolved(Flags::default(), "").unwrap());
        assert_eq!(resolved(Flags::default(), EXAMPLE).unwrap(), resolved(Flags::default(), "").unwrap());
    }

    #[test]
    fn flags_win_over_the_file_and_the_file_over_the_environment() {
        let dir = tempfile::tempdir().unwrap();
        let config = dir.path().join("config.toml");
        std::fs::write(&config, "display = ':2'").unwrap();
        let base = BaseDirectories { run: Some("/run/u".into()), ..BaseDirectories::default() };
        let watched = |display: Option<&str>, config: Option<&Path>, environment: &str| {
            let display = display.map(str::to_owned);
            let home = Some(dir.path().to_owned());
            let flags = Flags { display, home, config: config.map(Path::to_owned), ..Flags::default() };
            resolve(flags, &base, Some(environment.to_owned())).unwrap().displays
        };
        let x = |name: &str| Displays { x: Some(name.into()), wayland: None };
        assert_eq!(watched(Some(":1"), Some(&config), ":7"), x(":1"));
        assert_eq!(watched(None, Some(&config), ":7"), x(":2"));
        let nothing = dir.path().join("nothing.toml");
        std::fs::write(&nothing, "").unwrap();
        let both = Displays { wayland: Some("/run/u/wayland-1".into()), ..x(":7") };
        assert_eq!(watched(None, Some(&nothing), "wayland-1 :7"), both);
    }

    #[test]
    fn mistakes_are_named_with_the_next_step() {
        for (text, word) in [
            ("lisen = '127.0.0.1:0'", "lisen"),
            ("listen = '0.0.0.0:80'", "loopback"),
            ("listen = '127.0.0.2:80'", "127.0.0.1 or [::1]"),
            ("listen = 'here'", "127.0.0.1:0"),
            ("[log]\nlevel = 'loud'", "warn"),
            ("[acts]\ngrace_minutes = 0", "10080"),
            ("[log]\ndays = 0", "at least 1"),
            ("[chords]\npicker = 'Ctrl+Hyper'", "Hyper"),
            ("[chords]\nplace = 'Shift'", "lost for typing"),
            ("[paste]\nkeys = { Odd = 'V' }", "Odd"),
            ("[paste]\ntidy = { Mail = 'tirm' }", "did you mean `trim`"),
            ("[picker]\nform = 'window'", "terminal or console"),
        ] {
            let why = resolved(Flags::default(), text).unwrap_err().to_string();
            assert!(why.contains(word), "{text}: {why}");
        }
    }
}
