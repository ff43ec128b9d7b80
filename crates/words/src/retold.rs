//! Details of answers and reasons of states in another language. They are made where something goes wrong, far from whoever
//! reads them, and stand there in English with what was put into them; here they are recognised by the words around that.

use crate::{Language, fill};

/// Details by their English words, with holes, sorted.
static JAPANESE: &[(&str, &str)] = include!(concat!(env!("OUT_DIR"), "/ja_details.rs"));

/// How deep a detail may stand in another.
const DEPTH: usize = 4;

impl Language {
    /// What was said in English, in this language: a message as it stands in a catalogue, or one in which something was put
    /// into the holes. That stays as it is, unless it is a detail itself; what stands in quotes is a person's. English, where
    /// nothing is known of it.
    pub fn retell(self, english: &str) -> String {
        match self {
            Self::English => english.to_owned(),
            Self::Japanese => retold(english, DEPTH).unwrap_or_else(|| english.to_owned()),
        }
    }
}

fn retold(english: &str, depth: usize) -> Option<String> {
    let known = Language::Japanese.say(english);
    if known != english {
        return Some(known.to_owned());
    }
    if let Ok(at) = JAPANESE.binary_search_by_key(&english, |(known, _)| known) {
        return Some(JAPANESE[at].1.to_owned());
    }
    if let Some(scope) = scope(english) {
        return Some(scope);
    }
    let depth = depth.checked_sub(1)?;
    // Of several that fit, the one that says most by itself.
    let all = JAPANESE.iter().filter(|(template, _)| !is_of_scope(template));
    let fits = all.filter_map(|(template, said)| Some((Fit::of(template, english)?, *said)));
    let (fit, said) = fits.max_by_key(|(fit, _)| fit.said)?;
    let mut out = String::with_capacity(said.len() + english.len());
    let mut unnamed = 0;
    for part in parts(said) {
        match part {
            Part::Words(words) => out.push_str(words),
            Part::Hole(name) => {
                let at = fit.of_hole(name, unnamed);
                unnamed += usize::from(name.is_empty());
                let (_, value, quoted) = fit.holes.get(at?)?;
                let inner = if *quoted || !value.contains(' ') { None } else { retold(value, depth) };
                out.push_str(inner.as_deref().unwrap_or(value));
            }
        }
    }
    Some(out)
}

/// A part of what a clearing takes: anything could be that.
fn is_of_scope(template: &str) -> bool {
    template.starts_with("{what}")
}

/// What a clearing takes, as the core says it: parts that are added at the end of what is said so far.
fn scope(english: &str) -> Option<String> {
    const FAVORITES: [&str; 2] = ["{what}, favorites too", "{what} but favorites"];
    const PARTS: [&str; 2] = ["{what} that a search finds", "{what} copied since then"];
    let say = |message: &str| {
        JAPANESE.binary_search_by_key(&message, |(known, _)| known).ok().map(|at| JAPANESE[at].1)
    };
    let end = |message: &'static str| message.trim_start_matches("{what}");
    let (mut rest, mut said) = (english, Vec::new());
    let last = FAVORITES.into_iter().find(|message| rest.ends_with(end(message)))?;
    for message in std::iter::once(last).chain(PARTS) {
        if let Some(shorter) = rest.strip_suffix(end(message)) {
            rest = shorter;
            said.push(say(message)?);
        }
    }
    let mut out = match rest.split_once(" from ") {
        Some((what, program)) => {
            fill(say("{what} from {program}")?, &[("what", &say(what)?), ("program", &program)])
        }
        None => say(rest)?.to_owned(),
    };
    for message in said.into_iter().rev() {
        out = fill(message, &[("what", &out)]);
    }
    Some(out)
}

#[derive(Clone, Copy, Debug, PartialEq)]
enum Part<'t> {
    Words(&'t str),
    /// `{name}`, `{0}` or `{}`.
    Hole(&'t str),
}

/// The parts of a template.
fn parts(template: &str) -> Vec<Part<'_>> {
    let mut all = Vec::new();
    let (mut from, mut at) = (0, 0);
    while let Some(open) = template[at..].find('{').map(|n| at + n) {
        let name = template[open + 1..].split_once('}').map(|(name, _)| name);
        match name.filter(|name| name.bytes().all(|byte| byte.is_ascii_alphanumeric() || byte == b'_')) {
            Some(name) => {
                if open > from {
                    all.push(Part::Words(&template[from..open]));
                }
                all.push(Part::Hole(name));
                at = open + name.len() + 2;
                from = at;
            }
            None => at = open + 1,
        }
    }
    if from < template.len() {
        all.push(Part::Words(&template[from..]));
    }
    all
}

/// How a text fits a template.
struct Fit<'t> {
    /// Each hole: its name, what stands in it, whether that is in quotes.
    holes: Vec<(&'t str, &'t str, bool)>,
    /// Bytes of the template's own words.
    said: usize,
}

impl<'t> Fit<'t> {
    fn of(template: &'t str, text: &'t str) -> Option<Self> {
        let parts = parts(template);
        if !parts.iter().any(|part| matches!(part, Part::Hole(_))) {
            return None;
        }
        let mut fit = Self { holes: Vec::new(), said: 0 };
        let mut rest = text;
        let mut quoted = false;
        let mut hole = None;
        for (n, part) in parts.iter().enumerate() {
            match part {
                Part::Hole(name) => {
                    // Nothing stands between it and the one before.
                    if let Some(before) = hole.replace(*name) {
                        fit.holes.push((before, "", quoted));
                    }
                }
                Part::Words(words) => {
                    fit.said += words.len();
                    let at = match hole {
                        None => rest.starts_with(words).then_some(0)?,
                        // The last words stand at the end, others as early as they can.
                        Some(_) if n + 1 == parts.len() => {
                            rest.ends_with(words).then(|| rest.len() - words.len())?
                        }
                        Some(_) => rest.find(words)?,
                    };
                    if let Some(name) = hole.take() {
                        fit.holes.push((name, &rest[..at], quoted));
                    }
                    rest = &rest[at + words.len()..];
                    quoted = words.ends_with(['`', '"']);
                }
            }
        }
        match hole {
            Some(name) => fit.holes.push((name, rest, quoted)),
            None if !rest.is_empty() => return None,
            None => {}
        }
        Some(fit)
    }

    /// Which of its holes is meant by a name, or by being the so-manieth without one.
    fn of_hole(&self, name: &str, unnamed: usize) -> Option<usize> {
        let mut same = self.holes.iter().enumerate().filter(|(_, (known, ..))| *known == name);
        let at = if name.is_empty() { same.nth(unnamed) } else { same.next() };
        at.map(|(at, _)| at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whatever_is_put_into_a_detail_is_told_of_in_the_other_language() {
        assert!(JAPANESE.is_sorted_by(|(a, _), (b, _)| a < b) && JAPANESE.len() > 300);
        for (template, said) in JAPANESE.iter().filter(|(template, _)| !is_of_scope(template)) {
            // Each hole filled with a word that no template has.
            let (mut english, mut japanese) = (String::new(), String::new());
            let mut names = Vec::new();
            for part in parts(template) {
                match part {
                    Part::Words(words) => english.push_str(words),
                    Part::Hole(name) => {
                        english.push_str(&format!("XQ{}", names.len()));
                        names.push(name);
                    }
                }
            }
            let mut unnamed = 0;
            for part in parts(said) {
                match part {
                    Part::Words(words) => japanese.push_str(words),
                    Part::Hole(name) => {
                        let mut same = names.iter().enumerate().filter(|(_, known)| **known == name);
                        let at = if name.is_empty() { same.nth(unnamed) } else { same.next() };
                        unnamed += usize::from(name.is_empty());
                        japanese.push_str(&format!("XQ{}", at.expect("the hole of the English words").0));
                    }
                }
            }
            assert_eq!(Language::Japanese.retell(&english), japanese, "{template}");
            assert_eq!(Language::English.retell(&english), english);
        }
    }

    #[test]
    fn whatever_a_clearing_takes_is_told_to_its_end() {
        let what = ["everything", "texts", "links", "pictures", "files", "recognised secrets"];
        for what in what {
            for parts in 0..16 {
                let mut english = what.to_owned();
                for (n, part) in
                    [" from the till", " copied since then", " that a search finds"].iter().enumerate()
                {
                    if parts & (1 << n) != 0 {
                        english += part;
                    }
                }
                english += if parts & 8 == 0 { " but favorites" } else { ", favorites too" };
                let said = Language::Japanese.retell(&english);
                let left = said.replace("the till", "");
                assert!(!left.contains(|one: char| one.is_ascii_alphabetic()), "{english}: {said}");
                assert_eq!(said.contains("the till"), parts & 1 != 0, "{english}: {said}");
                let order = Language::Japanese.retell(&format!("daily 18:30: clears {english}"));
                assert_eq!(order, format!("daily 18:30: {said}を消去"));
                assert_eq!(
                    Language::Japanese.retell(&format!("by lock: {english}")),
                    format!("lock による: {said}")
                );
            }
        }
        assert_eq!(Language::Japanese.retell("a letter from the hut"), "a letter from the hut");
    }

    #[test]
    fn a_detail_in_a_detail_is_told_and_what_a_person_wrote_stays() {
        let retell = |english: &str| Language::Japanese.retell(english);
        assert_eq!(
            retell(
                "`exchange.travels`: `cats` does not say what travels; it is everything, favorites, nothing, or kinds such as text,link"
            ),
            "`exchange.travels`: `cats` では何を送るか分かりません。everything、favorites、nothing、または text,link のような種類です"
        );
        assert_eq!(
            retell("this title can't be used: it has 4000 characters; at most 400 are allowed"),
            "このタイトルは使えません: 4000 文字あります。400 文字までです"
        );
        // In quotes it is theirs, even where it reads like a detail.
        assert_eq!(retell("`it is damaged` is no key; write a letter, a digit, F1 to F35, or a name such as Insert, Space, Page_Up or Left").matches("it is damaged").count(), 1);
        assert_eq!(retell("nobody ever said so"), "nobody ever said so");
        assert_eq!(retell(""), "");
    }
}
