//! The language of what the service and the client say. The English words stand in the sources and are the keys of the
//! others' catalogues (GNU gettext's PO files under `locales`), which the build turns into sorted tables.

mod retold;

use std::sync::atomic::{AtomicU8, Ordering};

/// Messages by their English words, sorted.
static JAPANESE: &[(&str, &str)] = include!(concat!(env!("OUT_DIR"), "/ja.rs"));

/// A language that everything can be said in.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Language {
    /// As the sources have it.
    #[default]
    English,
    /// By its catalogue.
    Japanese,
}

impl Language {
    /// The language of a name: BCP 47 (`ja-JP`) or that of a locale (`ja_JP.UTF-8`). `None` for one that is not known here.
    pub fn named(name: &str) -> Option<Self> {
        let letters = name.split(['-', '_', '.', '@', ';']).next().unwrap_or_default().trim();
        match letters.to_ascii_lowercase().as_str() {
            "ja" => Some(Self::Japanese),
            "en" | "c" | "posix" => Some(Self::English),
            _ => None,
        }
    }

    /// The first of these that is known here, or else English.
    pub fn first<'n>(names: impl IntoIterator<Item = &'n str>) -> Self {
        names.into_iter().find_map(Self::named).unwrap_or_default()
    }

    /// What an `Accept-Language` field asks for (RFC 9110, section 12.5.4), in the order of its weights.
    pub fn accepted(field: &str) -> Self {
        let mut ranges: Vec<(u32, &str)> = field
            .split(',')
            .filter_map(|range| {
                let (name, weight) = range.split_once(";q=").unwrap_or((range, "1"));
                let weight: f32 = weight.trim().parse().ok()?;
                (weight > 0.0).then_some(((weight * 1_000.0) as u32, name.trim()))
            })
            .collect();
        ranges.sort_by_key(|(weight, _)| std::cmp::Reverse(*weight));
        Self::first(ranges.into_iter().map(|(_, name)| name))
    }

    /// The language of the desktop, as POSIX has it: `LANGUAGE` (a list, of GNU gettext), `LC_ALL`, `LC_MESSAGES`, `LANG`.
    pub fn of_desktop(variable: impl Fn(&str) -> Option<String>) -> Self {
        let set = |name: &str| variable(name).filter(|value| !value.is_empty());
        let Some(locale) = ["LC_ALL", "LC_MESSAGES", "LANG"].into_iter().find_map(set) else {
            return Self::English;
        };
        // As GNU gettext has it: in the C locale nothing is translated, whatever LANGUAGE says.
        if matches!(locale.split('.').next(), Some("C" | "POSIX")) {
            return Self::English;
        }
        let list = set("LANGUAGE").unwrap_or_default();
        Self::first(list.split(':').filter(|one| !one.is_empty()).chain([locale.as_str()]))
    }

    /// Its name, as BCP 47 has it.
    pub fn name(self) -> &'static str {
        match self {
            Self::English => "en",
            Self::Japanese => "ja",
        }
    }

    /// A message in this language; the English words where its catalogue does not have them.
    pub fn say(self, english: &str) -> &str {
        match self {
            Self::English => english,
            Self::Japanese => JAPANESE
                .binary_search_by_key(&english, |(known, _)| known)
                .ok()
                .and_then(|at| JAPANESE.get(at))
                .map_or(english, |(_, said)| said),
        }
    }
}

/// The language that this program speaks.
static SPOKEN: AtomicU8 = AtomicU8::new(0);

/// From now on this program speaks so.
pub fn speak(language: Language) {
    SPOKEN.store(u8::from(language == Language::Japanese), Ordering::Relaxed);
}

/// What this program speaks.
pub fn spoken() -> Language {
    if SPOKEN.load(Ordering::Relaxed) == 1 { Language::Japanese } else { Language::English }
}

/// Puts what they stand for into the holes of a message: `{name}`. A hole that nothing is known of stays.
pub fn fill(message: &str, holes: &[(&str, &dyn std::fmt::Display)]) -> String {
    let mut out = String::with_capacity(message.len() + 16);
    let mut rest = message;
    while let Some((before, after)) = rest.split_once('{') {
        out.push_str(before);
        let hole = after.split_once('}').and_then(|(name, then)| {
            let (_, what) = holes.iter().find(|(known, _)| *known == name)?;
            Some((what, then))
        });
        match hole {
            Some((what, then)) => {
                out.push_str(&what.to_string());
                rest = then;
            }
            None => {
                out.push('{');
                rest = after;
            }
        }
    }
    out.push_str(rest);
    out
}

/// A message in the language that this program speaks: `said!("there is no file {name}", name = path.display())`. Gives a
/// `String`.
#[macro_export]
macro_rules! said {
    ($message:literal) => { $crate::spoken().say($message).to_owned() };
    ($message:literal, $($hole:ident = $what:expr),+ $(,)?) => {
        $crate::fill($crate::spoken().say($message), &[$((stringify!($hole), &$what)),+])
    };
}

/// A message without holes in the language that this program speaks, as a `&'static str`.
#[macro_export]
macro_rules! word {
    ($message:literal) => {
        $crate::spoken().say($message)
    };
}

/// So many of something in the language that this program speaks: `counted(n, "{n} clip", "{n} clips")`.
pub fn counted(n: u64, one: &str, many: &str) -> String {
    let message = match spoken() {
        Language::English if n == 1 => one,
        Language::English => many,
        // One form for every number, by the words for one.
        Language::Japanese => spoken().say(one),
    };
    fill(message, &[("n", &n)])
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_catalogue_is_sorted_and_found_whole() {
        assert!(JAPANESE.is_sorted_by(|(a, _), (b, _)| a < b));
        for (english, japanese) in JAPANESE {
            assert_eq!(Language::Japanese.say(english), *japanese);
            assert_eq!(Language::English.say(english), *english);
        }
        assert_eq!(Language::Japanese.say("no such message"), "no such message");
    }

    #[test]
    fn the_language_is_that_of_the_desktop_as_gettext_has_it() {
        let of = |pairs: &[(&str, &str)]| {
            Language::of_desktop(|name| {
                pairs.iter().find(|(known, _)| *known == name).map(|(_, value)| (*value).to_owned())
            })
        };
        assert_eq!(of(&[("LANG", "ja_JP.UTF-8")]), Language::Japanese);
        assert_eq!(of(&[("LANG", "ja_JP.UTF-8"), ("LC_ALL", "C.UTF-8")]), Language::English);
        assert_eq!(of(&[("LANG", "en_GB.UTF-8"), ("LC_MESSAGES", "ja_JP")]), Language::Japanese);
        assert_eq!(of(&[("LANG", "de_DE.UTF-8"), ("LANGUAGE", "de:ja:en")]), Language::Japanese);
        assert_eq!(of(&[("LANG", "C"), ("LANGUAGE", "ja")]), Language::English);
        assert_eq!(of(&[("LANG", "de_DE.UTF-8")]), Language::English);
        assert_eq!(of(&[("LC_ALL", ""), ("LANG", "ja")]), Language::Japanese);
        assert_eq!(of(&[]), Language::English);
    }

    #[test]
    fn an_accepted_language_is_the_known_one_of_the_greatest_weight() {
        assert_eq!(Language::accepted("ja"), Language::Japanese);
        assert_eq!(Language::accepted("de, ja;q=0.8, en;q=0.9"), Language::English);
        assert_eq!(Language::accepted("de;q=1, en-GB;q=0.4, ja-JP;q=0.5"), Language::Japanese);
        assert_eq!(Language::accepted("ja;q=0"), Language::English);
        assert_eq!(Language::accepted("nonsense;q=x,,"), Language::English);
    }

    #[test]
    fn holes_are_filled_once_and_unknown_ones_stay() {
        assert_eq!(fill("{a} of {b}", &[("a", &"{b}"), ("b", &2)]), "{b} of 2");
        assert_eq!(fill("{=date} and {a", &[("a", &1)]), "{=date} and {a");
        assert_eq!(fill("{{a}}", &[("a", &1)]), "{1}");
        let path = "a.txt";
        assert_eq!(said!("no {name} here", name = path), "no a.txt here");
    }
}
