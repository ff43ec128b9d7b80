//! `yadori list`: the history, newest first, or what a query finds in it; the favorites; a drawer.

mod written;

use std::io::Write;

use clap::Args;
use clap_complete::engine::ArgValueCompleter;
use serde::Serialize;
use yadori_api::{AllDrawers, FoundOutline, Hit, Item, Items, Page, Row};

pub(crate) use super::rows::print;
use super::rows::{Line, Listing, print_lines};
use super::{follow, json};
use crate::completing::{drawers, words};
use crate::connection::{Connection, escaped, segment};
use crate::failure::Failure;
use crate::symbols::shown;
use yadori_words::said;

pub(crate) use written::{with_turned_words, written};

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
    #[arg(value_name = "QUERY", add = ArgValueCompleter::new(words))]
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
    #[arg(short, long, value_name = "DRAWER", add = ArgValueCompleter::new(drawers))]
    drawer: Option<String>,
    /// Go on with what is copied from now on, until Ctrl-C
    #[arg(long, conflicts_with_all = ["query", "favorites", "drawer", "oldest_first"])]
    follow: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

/// A list for programs. docs/client.md describes it.
#[derive(Debug, Serialize)]
pub(crate) struct Listed<'l> {
    clips: Vec<Listing<'l>>,
    /// How many there are in all.
    total: u64,
    /// Long texts that are still being read after the start: they may match as well.
    #[serde(skip_serializing_if = "Option::is_none")]
    unread: Option<u64>,
}

impl List {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.follow {
            return follow::run(service, out, self.number, self.json);
        }
        let query = written(&self.query);
        if !query.trim().is_empty() {
            return self.found(service, out, &query);
        }
        let path = match &self.drawer {
            None if !self.favorites => return self.newest(service, out),
            None => "/favorites".to_owned(),
            Some(drawer) => format!("/drawers/{}", segment(drawer)?),
        };
        if self.oldest_first {
            return Err(Failure::Use(said!(
                "favorites and drawers are in their own order; --oldest-first goes with a query, or the history"
            )));
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
            let mut all: Page = service.get("/clips?limit=1")?;
            if all.reading {
                // This is answered when all of it has been read.
                let _: AllDrawers = service.get("/drawers")?;
                all = service.get("/clips?limit=1")?;
            }
            let place = all.total.saturating_sub(wanted as u64) + 1;
            path.push_str(&format!("&place={place}"));
        }
        let mut reading;
        let total = loop {
            let page: Page = service.get(&path)?;
            reading = page.reading;
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
            let clips = clips.iter().map(Listing::of).collect();
            return json(out, &Listed { clips, total, unread: None });
        }
        if clips.is_empty() {
            writeln!(
                out,
                "{}",
                said!("Nothing was copied yet. Copy something, or bring something in with `yadori add`.")
            )?;
            return Ok(());
        }
        print(out, &clips)?;
        if reading {
            return Ok(writeln!(
                out,
                "{}",
                said!("… and more: the rest of the history is still being read")
            )?);
        }
        self.rest(out, total, clips.len())
    }

    fn rest(&self, out: &mut dyn Write, total: u64, shown: usize) -> Result<(), Failure> {
        let more = total.saturating_sub(shown as u64);
        if more > 0 {
            writeln!(
                out,
                "{}",
                said!("… and {more} more (-n {total} shows all)", more = more, total = total)
            )?;
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
            .found(&format!("/search?{what}&limit={}&nearest=true", wanted.min(PAGE)))
            .map_err(|why| pointed(why, query))?;
        // What comes near is no match: whoever asks for matches gets none.
        let (mut hits, near) =
            if found.nearest { (Vec::new(), found.hits) } else { (found.hits, Vec::new()) };
        let mut total = hits.len() as u64;
        if found.more {
            // All of them where the oldest are wanted, else as many as are.
            let most = if self.oldest_first { usize::MAX } else { wanted };
            let outline = outlined(service, &what, most)?;
            total = outline.count;
            let all = ids_of(&outline);
            let known = if self.oldest_first { all.len().saturating_sub(wanted) } else { hits.len() };
            hits.truncate(if self.oldest_first { 0 } else { known });
            let rest = all.into_iter().skip(known).take(wanted - hits.len().min(wanted));
            let ids: Vec<String> = rest.collect();
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
            let clips =
                hits.iter().map(|hit| Listing::Clip { row: &hit.row, excerpts: &hit.excerpts }).collect();
            json(out, &Listed { clips, total, unread: Some(found.unread) })?;
        }
        if hits.is_empty() {
            return Err(Failure::Nothing(match found.unread {
                0 if !near.is_empty() => {
                    said!("nothing matches; nearest come {clips}", clips = in_a_word(&near))
                }
                0 => said!("nothing matches"),
                unread => said!(
                    "nothing matches; {unread} long texts are still being read, and may",
                    unread = unread
                ),
            }));
        }
        if self.json {
            return Ok(());
        }
        let lines: Vec<Line<'_>> = hits.iter().map(Line::of_hit).collect();
        print_lines(out, &lines, None)?;
        if found.unread > 0 {
            writeln!(
                out,
                "{}",
                said!(
                    "{unread} long texts are still being read; they may match as well.",
                    unread = found.unread
                )
            )?;
        }
        self.rest(out, total, hits.len())
    }
}

/// An error in a query, with the query and a mark under the place.
pub(crate) fn pointed(why: Failure, query: &str) -> Failure {
    match why {
        Failure::Answered(problem) if problem.at.is_some() => {
            let (from, to) = problem.at.unwrap_or_default();
            let mark = "^".repeat(to.saturating_sub(from).max(1) as usize);
            let query = shown(query, false);
            Failure::Use(said!(
                "the query can't be read: {detail}\n        {query}\n        {blanks}{mark}",
                detail = problem.detail,
                query = query,
                blanks = " ".repeat(from as usize),
                mark = mark
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
        let clips = items.iter().map(|item| match item {
            Item::Clip(row) => Listing::of(row),
            Item::Divider(divider) => Listing::Divider { divider },
        });
        return json(out, &Listed { clips: clips.collect(), total, unread: None });
    }
    if total == 0 {
        writeln!(
            out,
            "{}",
            said!(
                "Nothing is kept here yet. `yadori pin CLIP` keeps a clip; `yadori drawer put DRAWER CLIP` puts one into a drawer."
            )
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

/// The first of some clips, in one line.
fn in_a_word(near: &[Hit]) -> String {
    const TOLD: usize = 3;
    const CHARS: usize = 40;
    let one = |hit: &Hit| {
        let words = shown(&hit.row.head, false);
        let cut: String = words.chars().take(CHARS).collect();
        let more = if cut.len() < words.len() { "…" } else { "" };
        format!("{} “{}{more}”", hit.row.prefix, cut.trim())
    };
    near.iter().take(TOLD).map(one).collect::<Vec<_>>().join(", ")
}

/// Ids of an outline at most that are asked for at once.
const OUTLINED: usize = 20_000;

/// What a query finds in outline, so many of them, part by part.
pub(super) fn outlined(service: &Connection, what: &str, most: usize) -> Result<FoundOutline, Failure> {
    let part = |after: &str, known: usize| {
        let limit = most.saturating_sub(known).clamp(1, OUTLINED);
        service.get::<FoundOutline>(&format!("/search/outline?{what}&limit={limit}{after}"))
    };
    let mut all = part("", 0)?;
    while let Some(next) = all.next.take().filter(|_| all.times.len() < most) {
        let more = part(&format!("&after={next}"), all.times.len())?;
        all.ids.push_str(&more.ids);
        all.times.extend(more.times);
        all.next = more.next;
    }
    Ok(all)
}

/// The ids of an outline.
pub(super) fn ids_of(outline: &FoundOutline) -> Vec<String> {
    outline.ids.as_bytes().chunks(26).map(|id| String::from_utf8_lossy(id).into_owned()).collect()
}
