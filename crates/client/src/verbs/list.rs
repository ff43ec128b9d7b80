//! `yadori list`: the history, newest first, or what a query finds in it; the favorites; a drawer.

use std::ffi::OsString;
use std::io::Write;

use anstyle::Style;
use clap::Args;
use jiff::tz::TimeZone;
use yadori_api::{Excerpt, ExcerptOf, FoundOutline, Hit, Item, Items, Page, Row};

use super::json;
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;

/// What a page of the interface holds at most.
const PAGE: usize = 500;

/// List the history, or what a query finds in it
///
/// A QUERY is words and filters, all of which must hold: word, "two words", -word, kind:link, from:editor,
/// in:replies, is:pinned, has:html, color:red, since:2d, before:2026-11-01, hour:14, over:1mb, /pattern/. OR between two
/// asks for either, (parentheses) hold several together. Case and accents do not matter. Words that the shell was given as
/// one are found as they stand.
#[derive(Debug, Args)]
pub(crate) struct List {
    /// Words and filters
    #[arg(value_name = "QUERY")]
    query: Vec<String>,
    /// How many: 20 if not given, of favorites and drawers all
    #[arg(short = 'n', long, value_name = "COUNT", value_parser = clap::value_parser!(u32).range(1..))]
    number: Option<u32>,
    /// The oldest, and those first
    #[arg(long)]
    oldest_first: bool,
    /// The favorites, in their own order; with a query what it finds among them
    #[arg(short, long, conflicts_with = "drawer")]
    favorites: bool,
    /// What is in a drawer, in its own order; with a query what it finds there
    #[arg(short, long, value_name = "DRAWER")]
    drawer: Option<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl List {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let query = written(&self.query);
        if !query.trim().is_empty() {
            return self.found(service, out, &query);
        }
        let path = match &self.drawer {
            None if !self.favorites => return self.newest(service, out),
            None => "/favorites".to_owned(),
            Some(drawer) => format!("/drawers/{}", escaped(drawer)),
        };
        if self.oldest_first {
            return Err(Failure::Use(
                "favorites and drawers are in their own order; --oldest-first goes with a query, or the history".into(),
            ));
        }
        kept(service, out, &path, (self.number, self.json))
    }

    /// How many are wanted of the history, or of what is found.
    fn wanted(&self) -> usize {
        usize::try_from(self.number.unwrap_or(20)).unwrap_or(usize::MAX)
    }

    fn newest(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let wanted = self.wanted();
        let mut clips: Vec<Row> = Vec::new();
        let mut path = format!("/clips?limit={}", wanted.min(PAGE));
        if self.oldest_first {
            // From the place on at which as many are left.
            let all: Page = service.get("/clips?limit=1")?;
            let place = all.total.saturating_sub(wanted as u64) + 1;
            path.push_str(&format!("&place={place}"));
        }
        let total = loop {
            let page: Page = service.get(&path)?;
            clips.extend(page.clips);
            match page.next {
                Some(next) if clips.len() < wanted => {
                    path = format!("/clips?limit={}&after={next}", (wanted - clips.len()).min(PAGE));
                }
                _ => break page.total,
            }
        };
        if self.oldest_first {
            clips.reverse();
        }
        if self.json {
            return json(out, &clips);
        }
        if clips.is_empty() {
            writeln!(
                out,
                "Nothing was copied yet. Copy something, or bring something in with `yadori add`."
            )?;
            return Ok(());
        }
        print(out, &clips)?;
        self.rest(out, total, clips.len())
    }

    fn rest(&self, out: &mut dyn Write, total: u64, shown: usize) -> Result<(), Failure> {
        let more = total.saturating_sub(shown as u64);
        if more > 0 {
            writeln!(out, "… and {more} more (-n {total} shows all)")?;
        }
        Ok(())
    }

    fn found(&self, service: &Connection, out: &mut dyn Write, query: &str) -> Result<(), Failure> {
        let wanted = self.wanted();
        let within = match (&self.drawer, self.favorites) {
            (Some(drawer), _) => format!("&within={}", escaped(drawer)),
            (None, true) => "&within=favorites".to_owned(),
            (None, false) => String::new(),
        };
        let what = format!("q={}{within}{}", escaped(query), crate::zone::parameter());
        let found = service
            .found(&format!("/search?{what}&limit={}", wanted.min(PAGE)))
            .map_err(|why| pointed(why, query))?;
        let mut hits = found.hits;
        let mut total = hits.len() as u64;
        if found.more {
            let outline: FoundOutline = service.get(&format!("/search/outline?{what}"))?;
            total = outline.count;
            let all: Vec<&[u8]> = outline.ids.as_bytes().chunks(26).collect();
            let known = if self.oldest_first { all.len().saturating_sub(wanted) } else { hits.len() };
            hits.truncate(if self.oldest_first { 0 } else { known });
            let rest = all.iter().skip(known).take(wanted - hits.len().min(wanted));
            let ids: Vec<String> = rest.map(|id| String::from_utf8_lossy(id).into_owned()).collect();
            for some in ids.chunks(PAGE) {
                let rows: yadori_api::RowsById =
                    service.post("/rows", &yadori_api::RowsRequest { ids: some.to_vec() })?;
                hits.extend(rows.clips.into_iter().map(|row| Hit { row, excerpts: Vec::new() }));
            }
        }
        if self.oldest_first {
            hits.reverse();
        }
        if self.json {
            return json(out, &hits);
        }
        if hits.is_empty() {
            writeln!(out, "Nothing matches.")?;
        }
        let lines: Vec<Line<'_>> = hits.iter().map(Line::of_hit).collect();
        print_lines(out, &lines, None)?;
        if found.unread > 0 {
            writeln!(out, "{} long texts are still being read; they may match as well.", found.unread)?;
        }
        self.rest(out, total, hits.len())
    }
}

/// What stands before a word of a query that begins with `-` like an option. No text has it.
const TURNED: char = '\u{1}';

/// The program's arguments, with words of `list` that are turned round (`-draft`) told from its options (`-d`, `-n5`).
pub(crate) fn with_turned_words(arguments: impl Iterator<Item = OsString>) -> Vec<OsString> {
    let mut all: Vec<OsString> = arguments.collect();
    let Some(verb) = verb_of(&all).filter(|verb| all[*verb] == "list") else { return all };
    let mut value = false;
    for one in all.iter_mut().skip(verb + 1) {
        let Some(text) = one.to_str() else { continue };
        if text == "--" {
            break;
        }
        let option = text.strip_prefix('-').filter(|rest| !rest.starts_with('-'));
        let letters = option.is_some_and(|rest| {
            let count = rest.strip_prefix('n').is_some_and(|n| n.bytes().all(|byte| byte.is_ascii_digit()));
            rest.chars().count() > 1 && !count
        });
        let is_value =
            std::mem::replace(&mut value, matches!(text, "-n" | "-d" | "--number" | "--drawer" | "--home"));
        if letters && !is_value {
            *one = format!("{TURNED}{text}").into();
        }
    }
    all
}

/// Where the verb stands: first, or after the home.
fn verb_of(all: &[OsString]) -> Option<usize> {
    let mut at = 1;
    while let Some(text) = all.get(at)?.to_str().filter(|text| text.starts_with("--home")) {
        at += if text == "--home" { 2 } else { 1 };
    }
    Some(at)
}

/// Whether a text is words and nothing else: no filter, no pattern, nothing quoted, turned round, or held together.
fn is_phrase(text: &str) -> bool {
    let filter = |word: &str| {
        word.split_once(':').is_some_and(|(name, _)| name.bytes().all(|byte| byte.is_ascii_lowercase()))
    };
    let plain = |word: &str| !(word.starts_with(['-', '(', '/']) || word == "OR" || filter(word));
    !text.contains('"') && text.trim().contains(char::is_whitespace) && text.split_whitespace().all(plain)
}

/// A query as it was typed in a shell: an argument with spaces was quoted there.
pub(crate) fn written(arguments: &[String]) -> String {
    let arguments: Vec<String> =
        arguments.iter().map(|one| one.strip_prefix(TURNED).unwrap_or(one).to_owned()).collect();
    if let [one] = &arguments[..] {
        return if is_phrase(one) { format!("\"{}\"", one.trim()) } else { one.clone() };
    }
    let quoted = |one: &String| {
        if one.contains(char::is_whitespace) && !one.contains(['"', '(']) {
            if let Some(turned) = one.strip_prefix('-') {
                return format!("-\"{turned}\"");
            }
            match one.split_once(':').filter(|(name, _)| name.bytes().all(|byte| byte.is_ascii_lowercase())) {
                Some((name, value)) => format!("{name}:\"{value}\""),
                None => format!("\"{one}\""),
            }
        } else {
            one.clone()
        }
    };
    arguments.iter().map(quoted).collect::<Vec<_>>().join(" ")
}

/// An error in a query, with the query and a mark under the place.
pub(crate) fn pointed(why: Failure, query: &str) -> Failure {
    match why {
        Failure::Answered(problem) if problem.at.is_some() => {
            let (from, to) = problem.at.unwrap_or_default();
            let mark = "^".repeat(to.saturating_sub(from).max(1) as usize);
            let query = shown(query, false);
            Failure::Use(format!(
                "the query can't be read: {}\n        {query}\n        {}{mark}",
                problem.detail,
                " ".repeat(from as usize)
            ))
        }
        why => why,
    }
}

fn kept(
    service: &Connection,
    out: &mut dyn Write,
    path: &str,
    (number, as_json): (Option<u32>, bool),
) -> Result<(), Failure> {
    let mut items: Vec<Item> = Vec::new();
    let total = loop {
        let page: Items = service.get(&format!("{path}?skip={}&limit={PAGE}", items.len()))?;
        let read = page.items.len();
        items.extend(page.items);
        if read == 0 || items.len() as u64 >= page.total {
            break page.total;
        }
    };
    let mut left = number.map_or(usize::MAX, |number| usize::try_from(number).unwrap_or(usize::MAX));
    items.retain(|item| {
        let goes = left > 0;
        left -= usize::from(goes && matches!(item, Item::Clip(_)));
        goes
    });
    if as_json {
        return json(out, &items);
    }
    if total == 0 {
        writeln!(
            out,
            "Nothing is kept here yet. `yadori pin CLIP` keeps a clip; `yadori drawer put DRAWER CLIP` puts one into a drawer."
        )?;
    }
    let favorites = path == "/favorites";
    let mut number = 0;
    let mut block: Vec<&Row> = Vec::new();
    let mut flush = |block: &mut Vec<&Row>, out: &mut dyn Write| {
        let lines: Vec<Line<'_>> = block.iter().map(|row| Line::of_row(row)).collect();
        let first = number + 1;
        number += block.len();
        block.clear();
        print_lines(out, &lines, favorites.then_some(first))
    };
    for item in &items {
        match item {
            Item::Clip(row) => block.push(row),
            Item::Divider(divider) => {
                flush(&mut block, out)?;
                writeln!(out, "── {}", shown(&divider.name, false))?;
            }
        }
    }
    flush(&mut block, out)
}

/// A clip as a line: what to show of it, and which characters of that to make bold.
struct Line<'r> {
    row: &'r Row,
    what: String,
    marks: Vec<(u32, u32)>,
}

impl<'r> Line<'r> {
    fn of_row(row: &'r Row) -> Self {
        Self { row, what: table::line(row), marks: Vec::new() }
    }

    fn of_hit(hit: &'r Hit) -> Self {
        let Some(excerpt) = hit
            .excerpts
            .iter()
            .find(|one| matches!(one.of, ExcerptOf::Text | ExcerptOf::Title | ExcerptOf::File))
        else {
            return Self::of_row(&hit.row);
        };
        Self::of_excerpt(&hit.row, excerpt)
    }

    fn of_excerpt(row: &'r Row, excerpt: &Excerpt) -> Self {
        let title = match (&row.title, excerpt.of) {
            (Some(title), ExcerptOf::Text) => format!("{} — ", shown(title, false)),
            _ => String::new(),
        };
        let before = format!("{title}{}", if excerpt.cut { "…" } else { "" });
        let by = u32::try_from(before.chars().count()).unwrap_or(0);
        let after = if excerpt.of == ExcerptOf::Title {
            format!(" — {}", table::untitled(row))
        } else {
            String::new()
        };
        let what = format!("{before}{}{after}", shown(excerpt.text.trim_end(), false));
        Self { row, what, marks: excerpt.marks.iter().map(|(from, to)| (from + by, to + by)).collect() }
    }
}

/// Makes the marked characters of a line bold.
fn bold(text: &str, marks: &[(u32, u32)]) -> String {
    let style = Style::new().bold();
    let mut out = String::with_capacity(text.len() + marks.len() * 8);
    for (n, c) in (0u32..).zip(text.chars()) {
        if marks.iter().any(|(from, _)| *from == n) {
            out.push_str(&style.render().to_string());
        }
        if marks.iter().any(|(_, to)| *to == n) {
            out.push_str(&style.render_reset().to_string());
        }
        out.push(c);
    }
    if marks.iter().any(|(_, to)| *to as usize >= text.chars().count()) {
        out.push_str(&style.render_reset().to_string());
    }
    out
}

/// A table of clips.
pub(crate) fn print(out: &mut dyn Write, clips: &[Row]) -> Result<(), Failure> {
    let lines: Vec<Line<'_>> = clips.iter().map(Line::of_row).collect();
    print_lines(out, &lines, None)
}

fn print_lines(
    out: &mut dyn Write,
    lines: &[Line<'_>],
    favorites_from: Option<usize>,
) -> Result<(), Failure> {
    let zone = TimeZone::system();
    let marked = table::styled();
    let has_room = table::width() >= WIDE;
    let rows = lines.iter().enumerate().map(|(n, line)| {
        let row = line.row;
        let place = match favorites_from {
            Some(first) => format!("f{}", first + n),
            None => row.place.to_string(),
        };
        let what =
            if marked && !line.marks.is_empty() { bold(&line.what, &line.marks) } else { line.what.clone() };
        let from = if has_room { table::cut(&table::from(&row.source), FROM) } else { String::new() };
        let when = table::when(row.copied_at, &zone);
        vec![place, row.prefix.clone(), when, table::kind(row.kind).to_owned(), what, notes(row), from]
    });
    Ok(table::write(out, rows, &[0, 2])?)
}

/// Columns of a terminal from which on sources are shown, and columns that a source gets at most.
const WIDE: usize = 90;
const FROM: usize = 22;

/// How often it was copied, where it is kept, that it is not saved yet.
fn notes(row: &Row) -> String {
    let copies = (row.copies > 1).then(|| format!("×{}", row.copies));
    let kept = row.kept.as_ref().map(|kept| match &kept.drawer_name {
        Some(name) => format!("[{}]", table::cut(&shown(name, false), 16)),
        None => "[favorite]".into(),
    });
    let unsaved = (!row.saved).then(|| "(not saved yet)".into());
    [copies, kept, unsaved].into_iter().flatten().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_query_reads_as_it_was_typed() {
        let told =
            |arguments: &[&str]| written(&arguments.iter().map(|one| (*one).to_owned()).collect::<Vec<_>>());
        assert_eq!(told(&["gas", "kind:text"]), "gas kind:text");
        assert_eq!(told(&["two words", "-x"]), "\"two words\" -x");
        assert_eq!(told(&["in:long replies", "x"]), "in:\"long replies\" x");
        assert_eq!(told(&["gas \"11 kg\""]), "gas \"11 kg\"");
        assert_eq!(told(&["half board"]), "\"half board\"");
        assert_eq!(told(&["gas kind:text"]), "gas kind:text");
        assert_eq!(told(&["gas -oil"]), "gas -oil");
        assert_eq!(told(&["gas OR oil"]), "gas OR oil");
        assert_eq!(told(&["(gas", "OR", "oil)", "-half board"]), "(gas OR oil) -\"half board\"");
        assert_eq!(told(&["gas"]), "gas");
    }

    #[test]
    fn words_that_are_turned_round_are_no_options() {
        let told = |line: &str| {
            let all = with_turned_words(line.split(' ').map(OsString::from)).into_iter();
            all.map(|one| one.to_string_lossy().replace(TURNED, "!")).collect::<Vec<_>>().join(" ")
        };
        for (line, read) in [
            ("yadori list bunks -confirmed", "yadori list bunks !-confirmed"),
            ("yadori list -draft", "yadori list !-draft"),
            ("yadori list -n5 -f -d Replies", "yadori list -n5 -f -d Replies"),
            ("yadori list -n 5 -d -odd --json", "yadori list -n 5 -d -odd --json"),
            ("yadori list -- -draft", "yadori list -- -draft"),
            ("yadori --home x list -(a", "yadori --home x list !-(a"),
            ("yadori take -draft", "yadori take -draft"),
            ("yadori drawer list -draft", "yadori drawer list -draft"),
            ("yadori --home=list take -draft", "yadori --home=list take -draft"),
        ] {
            assert_eq!(told(line), read);
        }
    }

    #[test]
    fn matches_are_bold() {
        assert_eq!(bold("gas 11", &[(0, 3)]), "\u{1b}[1mgas\u{1b}[0m 11");
        assert_eq!(bold("gas", &[(1, 3)]), "g\u{1b}[1mas\u{1b}[0m");
    }
}
