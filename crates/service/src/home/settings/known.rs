//! Every setting there is.

/// A setting: its name, what it is, what holds without it, and whether it holds at once.
#[derive(Debug, Clone, Copy)]
pub struct Known {
    /// Its name, with dots.
    pub name: &'static str,
    /// What it is for.
    pub about: &'static str,
    /// What its value looks like.
    pub expected: &'static str,
    /// What holds without it, as JSON.
    pub usual: &'static str,
    /// It holds as soon as it is set; otherwise from the next start on.
    pub live: bool,
}

const fn known(
    name: &'static str,
    usual: &'static str,
    live: bool,
    expected: &'static str,
    about: &'static str,
) -> Known {
    Known { name, about, expected, usual, live }
}

impl Known {
    /// It may be set in the console. What starts programs, or says where things are, may not.
    pub fn in_console(&self) -> bool {
        !["picker.command", "capture", "display", "listen", "database.url"].contains(&self.name)
    }
}

/// Every setting, in the order in which a person reads them.
pub const KNOWN: [Known; 45] = [
    known(
        "limits.clips",
        "10000",
        true,
        "a number of clips, or off",
        "How many clips are kept; favorites are not counted",
    ),
    known("limits.days", "365", true, "a number of days, or off", "How old clips may be"),
    known(
        "limits.bytes",
        "\"2 GiB\"",
        true,
        "a size such as 500 MB, or off",
        "How large all clips may be together",
    ),
    known("limits.one", "\"64 MiB\"", true, "a size up to 64 MiB", "How large one copy may be"),
    known("limits.kinds", "{}", true, "such as {\"image\": {\"days\": 30}}", "Limits of single kinds"),
    known(
        "limits.programs",
        "{}",
        true,
        "such as {\"Mail\": {\"clips\": 100}}",
        "Limits of what comes from single programs",
    ),
    known(
        "rules",
        "[]",
        true,
        "a list of rules",
        "What is recorded at all: the first rule that holds decides",
    ),
    known("secrets.off", "[]", true, "names of recognisers", "Secrets that are not recognised"),
    known(
        "secrets.minutes",
        "2",
        true,
        "minutes from 0.05 to 1440",
        "How long a recognised secret is held, in memory alone",
    ),
    known("orders", "[]", true, "a list of orders", "Clearings that happen by themselves"),
    known(
        "acts.grace_minutes",
        "10",
        false,
        "minutes from 0.05 to 10080",
        "How long a removal can be taken back",
    ),
    known("chords.picker", "\"Ctrl+Alt+Y\"", true, "keys, or off", "Opens the picker over any program"),
    known("chords.place", "\"Ctrl+Alt\"", true, "keys, or off", "With a digit: pastes the nth newest"),
    known("chords.next", "\"Ctrl+Alt+N\"", true, "keys, or off", "Pastes what is next in the batch"),
    known("chords.gather", "\"Ctrl+Alt+G\"", true, "keys, or off", "Lets copies join a batch, and no longer"),
    known("chords.pause", "\"off\"", true, "keys, or off", "Pauses capture until it is pressed again"),
    known(
        "paste.keys",
        "{}",
        true,
        "such as {\"Emacs\": \"Ctrl+Y\"}",
        "What pastes in a program, by the class of its window",
    ),
    known(
        "paste.tidy",
        "{}",
        true,
        "such as {\"Thunderbird\": \"trim,quotes\"}",
        "How what is pasted into a program is cleaned up",
    ),
    known(
        "paste.put_back",
        "false",
        true,
        "true or false",
        "After a paste, what was on the clipboard before is put back",
    ),
    known(
        "picker.form",
        "\"terminal\"",
        true,
        "terminal or console",
        "Which form of the picker its chord opens",
    ),
    known(
        "picker.command",
        "[]",
        true,
        "a program and its arguments",
        "What the picker's chord starts; empty: found by itself",
    ),
    known(
        "exchange.travels",
        "\"everything\"",
        true,
        "everything, favorites, nothing, or kinds such as text,link",
        "What is sent to your other devices; secrets never are",
    ),
    known(
        "exchange.follow",
        "true",
        true,
        "true or false",
        "What was just copied on another device goes to this clipboard",
    ),
    known(
        "exchange.wipe",
        "false",
        true,
        "true or false",
        "When another device strikes this one off, its whole history goes for good",
    ),
    known(
        "signs.indicator",
        "true",
        true,
        "true or false",
        "A lamp among the desktop's indicators, where it has a place for them",
    ),
    known(
        "signs.lamp",
        "false",
        true,
        "true or false",
        "A lamp as a small window of its own; it can be dragged anywhere",
    ),
    known(
        "signs.trouble",
        "true",
        true,
        "true or false",
        "A notification when copies are not kept any more, once, with what to do",
    ),
    known(
        "signs.copies",
        "false",
        true,
        "true or false",
        "A notification at each copy; never with its words",
    ),
    known("signs.sound", "false", true, "true or false", "A soft sound at each copy"),
    known(
        "look.theme",
        "\"system\"",
        true,
        "system, light or dark",
        "Light or dark, in the console; or as the desktop says",
    ),
    known("look.hours", "24", true, "24 or 12", "How the console counts the hours of a day"),
    known(
        "look.language",
        "\"system\"",
        true,
        "system, en or ja",
        "The language of everything: English, Japanese, or that of the desktop",
    ),
    known(
        "look.density",
        "\"normal\"",
        true,
        "normal or dense",
        "Two lines for each clip in the console, or one",
    ),
    known(
        "look.previews",
        "\"medium\"",
        true,
        "small, medium or large",
        "How tall pictures are in the console's lists",
    ),
    known(
        "look.order",
        "\"newest\"",
        true,
        "newest or oldest",
        "Which end of the history the console begins with; a window can turn it round",
    ),
    known(
        "look.shown",
        "\"all\"",
        true,
        "all or a number of clips",
        "How many clips of the history the console shows; a window can show others",
    ),
    known(
        "pictures.read",
        "true",
        true,
        "true or false",
        "Words in pictures are read and found, where tesseract is installed (Debian's tesseract-ocr)",
    ),
    known(
        "search.nearest",
        "true",
        true,
        "true or false",
        "Where nothing matches a search, the console and `yadori list` show what comes nearest to its words",
    ),
    known(
        "selection.keep",
        "false",
        true,
        "true or false",
        "What is selected with the mouse is recorded as well, once it has been left alone for a moment",
    ),
    known("capture", "true", false, "true or false", "Whether copies are watched at all"),
    known(
        "display",
        "null",
        false,
        "a display such as :0 or wayland-1, or both",
        "Which display is watched; without it, that of the environment",
    ),
    known(
        "listen",
        "null",
        false,
        "an address such as 127.0.0.1:4180",
        "Where the console is served; without it, a free port",
    ),
    known("database.url", "null", false, "mysql://…", "A database of your own; without it, a private server"),
    known(
        "log.level",
        "\"info\"",
        false,
        "error, warn, info, debug or trace",
        "How much is logged; never contents",
    ),
    known("log.days", "7", false, "a number of days", "How many days of logs are kept"),
];
