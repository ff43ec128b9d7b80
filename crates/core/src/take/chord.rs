//! Chords: keys pressed together, as a person writes them (`Ctrl+Alt+3`), and what they are for.

use std::fmt;

/// The keys that are held while the last one is pressed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Held {
    /// Control.
    pub control: bool,
    /// Shift.
    pub shift: bool,
    /// Alt.
    pub alt: bool,
    /// The key with the desktop's sign on it.
    pub super_: bool,
}

/// Keys pressed together.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Chord {
    /// What is held.
    pub held: Held,
    /// The last key, as a keysym (X11 protocol, appendix A).
    pub key: u32,
}

/// Why a text is no chord.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ChordError {
    /// Nothing but keys that are held.
    #[error("`{0}` names no key to press; write for instance Ctrl+Alt+Y")]
    NoKey(String),
    /// No such key.
    #[error(
        "`{0}` is no key; write a letter, a digit, F1 to F35, or a name such as Insert, Space, Page_Up or Left"
    )]
    Unknown(String),
    /// A key that would be lost for typing.
    #[error("`{0}` alone would be lost for typing; hold Ctrl, Alt or Super with it")]
    Bare(String),
    /// More than one key that is not held.
    #[error("`{0}` has two keys to press; only Ctrl, Alt, Shift and Super can be held")]
    TwoKeys(String),
}

/// Keys by name. The names are those of the X11 protocol.
const NAMED: [(&str, u32); 23] = [
    ("Space", 0x0020),
    ("Plus", 0x002b),
    ("Backspace", 0xff08),
    ("Tab", 0xff09),
    ("Return", 0xff0d),
    ("Enter", 0xff0d),
    ("Pause", 0xff13),
    ("Scroll_Lock", 0xff14),
    ("Escape", 0xff1b),
    ("Esc", 0xff1b),
    ("Home", 0xff50),
    ("Left", 0xff51),
    ("Up", 0xff52),
    ("Right", 0xff53),
    ("Down", 0xff54),
    ("Page_Up", 0xff55),
    ("Page_Down", 0xff56),
    ("End", 0xff57),
    ("Print", 0xff61),
    ("Insert", 0xff63),
    ("Menu", 0xff67),
    ("KP_Enter", 0xff8d),
    ("Delete", 0xffff),
];
/// The keysym of F1; the others follow.
const F1: u32 = 0xffbe;

fn keysym(name: &str) -> Option<u32> {
    let mut letters = name.chars();
    if let (Some(letter), None) = (letters.next(), letters.next()) {
        return keysym_of(letter);
    }
    let function = name.strip_prefix(['F', 'f']).and_then(|number| number.parse::<u32>().ok());
    if let Some(number) = function.filter(|number| (1..=35).contains(number)) {
        return Some(F1 + number - 1);
    }
    NAMED.iter().find(|(known, _)| known.eq_ignore_ascii_case(name)).map(|(_, sym)| *sym)
}

/// The keysym of the key that types a letter: Latin-1 as it is, others by their code point (X11 protocol, appendix A).
/// `None` for what no key types.
pub fn keysym_of(letter: char) -> Option<u32> {
    if letter.is_control() {
        return None;
    }
    let lower = letter.to_lowercase().next().unwrap_or(letter);
    let code = u32::from(lower);
    Some(if code <= 0xff { code } else { 0x0100_0000 | code })
}

impl std::str::FromStr for Chord {
    type Err = ChordError;

    fn from_str(text: &str) -> Result<Self, ChordError> {
        let text = text.trim();
        let mut held = Held::default();
        let mut key = None;
        // `Ctrl++` is Ctrl and the plus.
        let parts = text.strip_suffix("++").map_or_else(
            || text.split('+').map(str::trim).collect::<Vec<_>>(),
            |rest| rest.split('+').map(str::trim).chain(["Plus"]).collect(),
        );
        for part in parts {
            match part.to_ascii_lowercase().as_str() {
                "ctrl" | "control" => held.control = true,
                "shift" => held.shift = true,
                "alt" => held.alt = true,
                "super" | "meta" | "win" => held.super_ = true,
                _ if key.is_some() => return Err(ChordError::TwoKeys(text.to_owned())),
                _ => key = Some((keysym(part).ok_or_else(|| ChordError::Unknown(part.to_owned()))?, part)),
            }
        }
        let Some((key, name)) = key else { return Err(ChordError::NoKey(text.to_owned())) };
        let is_typed = key < 0xff00
            || matches!(
                name.to_ascii_lowercase().as_str(),
                "tab" | "return" | "enter" | "backspace" | "delete"
            );
        if is_typed && !(held.control || held.alt || held.super_) {
            return Err(ChordError::Bare(text.to_owned()));
        }
        Ok(Self { held, key })
    }
}

impl fmt::Display for Chord {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Held { control, shift, alt, super_ } = self.held;
        for (is_held, name) in [(super_, "Super+"), (control, "Ctrl+"), (alt, "Alt+"), (shift, "Shift+")] {
            if is_held {
                f.write_str(name)?;
            }
        }
        let named = NAMED.iter().find(|(_, sym)| *sym == self.key).map(|(name, _)| *name);
        match (named, self.key) {
            (Some(name), _) => f.write_str(name),
            (None, key) if (F1..F1 + 35).contains(&key) => write!(f, "F{}", key - F1 + 1),
            (None, key) => {
                let letter = char::from_u32(key & 0x00ff_ffff).unwrap_or('?');
                write!(f, "{}", letter.to_uppercase())
            }
        }
    }
}

/// What a chord is for.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Purpose {
    /// Opens the picker.
    Picker,
    /// Pastes the clip at this place.
    Place(u8),
    /// Pastes what is next in the batch in hand.
    Next,
    /// Copies join a batch from now on, or no longer.
    Gather,
    /// Capture is paused, or goes on.
    Pause,
}

/// The keys that paste in a program: what is pressed, and whether that inserts the primary selection.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PasteKeys {
    /// What is pressed.
    pub chord: Chord,
    /// It inserts what is selected (PRIMARY), as terminals of old do, not what was copied.
    pub primary: bool,
}

impl std::str::FromStr for PasteKeys {
    type Err = ChordError;

    fn from_str(text: &str) -> Result<Self, ChordError> {
        let (chord, primary) = match text.trim().strip_suffix("primary") {
            Some(chord) => (chord, true),
            None => (text, false),
        };
        Ok(Self { chord: chord.parse()?, primary })
    }
}

/// Programs that paste by other keys than Ctrl+V, by their window's class: terminals, mostly.
const OTHERWISE: [(&str, &str); 24] = [
    ("XTerm", "Shift+Insert primary"),
    ("UXTerm", "Shift+Insert primary"),
    ("URxvt", "Shift+Insert primary"),
    ("Rxvt", "Shift+Insert primary"),
    ("st-256color", "Shift+Insert primary"),
    ("Gnome-terminal", "Ctrl+Shift+V"),
    ("Org.gnome.Terminal", "Ctrl+Shift+V"),
    ("Org.gnome.Console", "Ctrl+Shift+V"),
    ("konsole", "Ctrl+Shift+V"),
    ("Xfce4-terminal", "Ctrl+Shift+V"),
    ("Mate-terminal", "Ctrl+Shift+V"),
    ("Lxterminal", "Ctrl+Shift+V"),
    ("qterminal", "Ctrl+Shift+V"),
    ("Terminator", "Ctrl+Shift+V"),
    ("Tilix", "Ctrl+Shift+V"),
    ("Sakura", "Ctrl+Shift+V"),
    ("Terminology", "Ctrl+Shift+V"),
    ("kitty", "Ctrl+Shift+V"),
    ("Alacritty", "Ctrl+Shift+V"),
    ("foot", "Ctrl+Shift+V"),
    ("org.wezfurlong.wezterm", "Ctrl+Shift+V"),
    ("Roxterm", "Ctrl+Shift+V"),
    ("Guake", "Ctrl+Shift+V"),
    ("Emacs", "Ctrl+Y"),
];

/// The keys that paste, by window class; case aside.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PasteTable(Vec<(String, PasteKeys)>);

impl Default for PasteTable {
    fn default() -> Self {
        Self(
            OTHERWISE
                .iter()
                .filter_map(|(class, keys)| Some(((*class).to_owned(), keys.parse().ok()?)))
                .collect(),
        )
    }
}

impl PasteTable {
    /// Adds a person's own entry; it wins over what is known already.
    pub fn insert(&mut self, class: String, keys: PasteKeys) {
        self.0.retain(|(known, _)| !known.eq_ignore_ascii_case(&class));
        self.0.push((class, keys));
    }

    /// The keys for a window of this class: Ctrl+V where nothing else is known.
    pub fn keys(&self, class: &str) -> PasteKeys {
        let found = self.0.iter().find(|(known, _)| known.eq_ignore_ascii_case(class));
        let usual = Chord { held: Held { control: true, ..Held::default() }, key: 0x76 };
        found.map_or(PasteKeys { chord: usual, primary: false }, |(_, keys)| *keys)
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn chords_are_read_as_people_write_them() {
        let chord: Chord = "ctrl + alt+y".parse().unwrap();
        assert_eq!(chord, Chord { held: Held { control: true, alt: true, ..Held::default() }, key: 0x79 });
        assert_eq!(chord.to_string(), "Ctrl+Alt+Y");
        assert_eq!("Super+F12".parse::<Chord>().unwrap().key, 0xffc9);
        assert_eq!("Ctrl++".parse::<Chord>().unwrap().to_string(), "Ctrl+Plus");
        assert_eq!("Ctrl+й".parse::<Chord>().unwrap().key, 0x0100_0439);
        assert_eq!("Pause".parse::<Chord>().unwrap().to_string(), "Pause");
    }

    #[test]
    fn what_is_no_chord_says_why() {
        for (text, word) in [
            ("", "no key"),
            ("Ctrl+", "no key"),
            ("Ctrl+Alt", "Ctrl+Alt+Y"),
            ("Ctrl+Hyper", "Hyper"),
            ("Ctrl+A+B", "two keys"),
            ("a", "lost for typing"),
            ("Shift+A", "lost for typing"),
            ("Return", "lost for typing"),
            ("Ctrl+F36", "F36"),
        ] {
            let why = text.parse::<Chord>().unwrap_err().to_string();
            assert!(why.contains(word), "{text}: {why}");
        }
    }

    #[test]
    fn every_known_program_has_keys_and_a_persons_own_win() {
        let mut table = PasteTable::default();
        assert_eq!(table.0.len(), OTHERWISE.len());
        assert!(table.keys("xterm").primary);
        assert_eq!(table.keys("Chromium").chord.to_string(), "Ctrl+V");
        table.insert("XTERM".into(), "Ctrl+Shift+V".parse().unwrap());
        assert_eq!(table.keys("XTerm"), "Ctrl+Shift+V".parse().unwrap());
    }

    proptest! {
        #[test]
        fn a_chord_is_read_back_as_it_is_shown(control: bool, alt: bool, shift: bool, key in prop_oneof![
            Just('y'), Just('3'), Just('é'), Just('+'), Just(' '), Just('й'),
        ]) {
            let held = Held { control, alt, shift, super_: !(control || alt) };
            let chord = Chord { held, key: keysym_of(key).unwrap() };
            prop_assert_eq!(chord.to_string().parse::<Chord>().unwrap(), chord);
        }

        #[test]
        fn any_text_is_a_chord_or_says_why(text in ".{0,20}") {
            if let Ok(chord) = text.parse::<Chord>() {
                prop_assert_eq!(chord.to_string().parse::<Chord>().unwrap(), chord);
            }
        }
    }
}
