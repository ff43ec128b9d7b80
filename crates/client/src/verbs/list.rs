//! `yadori list`: the history, newest first, or what a query finds in it; the favorites; a drawer.

use std::io::Write;

use anstyle::Style;
use clap::Args;
use jiff::tz::TimeZone;
use yadori_api::{Excerpt, ExcerptOf, Found, FoundOutline, Hit, Item, Items, Page, Row};

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
/// in:replies, is:pinned, has:html, color:red, since:2d, before:2026-11-01, hour:14, over:1mb, /pattern/. Case and
/// accents do not matter. A query that begins with `-` comes after `--`.
#[derive(Debug, Args)]
pub(crate) struct List {
    /// Words and filters
    #[arg(value_name = "QUERY")]
    query: Vec<String>,
    /// How many
    #[arg(short = 'n', long, default_value_t = 20, value_name = "COUNT", value_parser = clap::value_parser!(u32).range(1..))]
    number: u32,
    /// The oldest of them first
    #[arg(long)]
    oldest_first: bool,
    /// The favorites, in their own order
    #[arg(short, long, conflicts_with_all = ["query", "drawer"])]
    favorites: bool,
    /// What is in a drawer, in its own order
    #[arg(short, long, value_name = "DRAWER", conflicts_with = "query")]
    drawer: Option<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl List {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.favorites {
            return kept(service, out, "/favorites", self.json);
        }
        if let Some(drawer) = &self.drawer {
            return kept(service, out, &format!("/drawers/{}", escaped(drawer)), self.json);
        }
        let query = written(&self.query);
        if query.trim().is_empty() { self.newest(service, out) } else { self.found(service, out, &query) }
    }

    fn newest(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let wanted = usize::try_from(self.number).unwrap_or(usize::MAX);
        let mut clips: Vec<Row> = Vec::new();
        let mut path = format!("/clips?limit={}", wanted.min(PAGE));
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
        let wanted = usize::try_from(self.number).unwrap_or(usize::MAX);
        let path = format!("/search?q={}&limit={}", escaped(query), wanted.min(PAGE));
        let found: Found = service.get(&path).map_err(|why| pointed(why, query))?;
        let mut hits = found.hits;
        let mut total = hits.len() as u64;
        if found.more {
            let outline: FoundOutline = service.get(&format!("/search/outline?q={}", escaped(query)))?;
            total = outline.count;
            let ids: Vec<String> = outline
                .ids
                .as_bytes()
                .chunks(26)
                .take(wanted)
                .skip(hits.len())
                .map(|id| String::from_utf8_lossy(id).into_owned())
                .collect();
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

/// A query as it was typed in a shell: an argument with spaces was quoted there.
pub(crate) fn written(arguments: &[String]) -> String {
    if let [one] = arguments {
        return one.clone();
    }
    let quoted = |one: &String| {
        if one.contains(char::is_whitespace) && !one.contains('"') {
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

fn kept(service: &Connection, out: &mut dyn Write, path: &str, as_json: bool) -> Result<(), Failure> {
    let mut items: Vec<Item> = Vec::new();
    let total = loop {
        let page: Items = service.get(&format!("{path}?skip={}&limit={PAGE}", items.len()))?;
        let read = page.items.len();
        items.extend(page.items);
        if read == 0 || items.len() as u64 >= page.total {
            break page.total;
        }
    };
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
    }

    #[test]
    fn matches_are_bold() {
        assert_eq!(bold("gas 11", &[(0, 3)]), "\u{1b}[1mgas\u{1b}[0m 11");
        assert_eq!(bold("gas", &[(1, 3)]), "g\u{1b}[1mas\u{1b}[0m");
    }
}
