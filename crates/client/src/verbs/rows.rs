//! Clips as rows: of a table for people, and as objects for programs.

use std::io::Write;

use anstyle::Style;
use serde::Serialize;
use yadori_api::{Divider, Excerpt, ExcerptOf, Hit, Row};

use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use crate::when::when;
use yadori_words::said;

/// One thing in a list.
#[derive(Debug, Serialize)]
#[serde(untagged)]
pub(crate) enum Listing<'l> {
    /// A clip, and where it matches.
    Clip {
        #[serde(flatten)]
        row: &'l Row,
        #[serde(skip_serializing_if = "<[Excerpt]>::is_empty")]
        excerpts: &'l [Excerpt],
    },
    /// A heading among what is kept.
    Divider { divider: &'l Divider },
}

impl<'l> Listing<'l> {
    pub(crate) fn of(row: &'l Row) -> Self {
        Self::Clip { row, excerpts: &[] }
    }
}

/// A clip as a line: what to show of it, and which characters of that to make bold.
pub(super) struct Line<'r> {
    row: &'r Row,
    what: String,
    marks: Vec<(u32, u32)>,
}

impl<'r> Line<'r> {
    pub(super) fn of_row(row: &'r Row) -> Self {
        Self { row, what: table::line(row), marks: Vec::new() }
    }

    pub(super) fn of_hit(hit: &'r Hit) -> Self {
        let Some(excerpt) = hit.excerpts.iter().find(|one| {
            matches!(one.of, ExcerptOf::Text | ExcerptOf::Title | ExcerptOf::File | ExcerptOf::Picture)
        }) else {
            return Self::of_row(&hit.row);
        };
        Self::of_excerpt(&hit.row, excerpt)
    }

    fn of_excerpt(row: &'r Row, excerpt: &Excerpt) -> Self {
        let title = match (&row.title, excerpt.of) {
            (Some(title), ExcerptOf::Text) => format!("{} — ", shown(title, false)),
            (_, ExcerptOf::Picture) => said!("{row}, read in it: ", row = table::line(row)),
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

pub(super) fn print_lines(
    out: &mut dyn Write,
    lines: &[Line<'_>],
    favorites_from: Option<usize>,
) -> Result<(), Failure> {
    let zone = crate::zone::here();
    let marked = table::styled();
    let has_room = table::width() >= WIDE;
    let from_most = if table::width() == table::WHOLE { table::WHOLE } else { FROM };
    let rows = lines.iter().enumerate().map(|(n, line)| {
        let row = line.row;
        let place = match favorites_from {
            Some(first) => format!("f{}", first + n),
            None => row.place.to_string(),
        };
        let what =
            if marked && !line.marks.is_empty() { bold(&line.what, &line.marks) } else { line.what.clone() };
        let what = format!("{}{what}", table::spot(row.color));
        let from = if has_room { table::cut(&table::from(&row.source), from_most) } else { String::new() };
        let when = when(row.copied_at, &zone);
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
    let color = row.color.filter(|_| !table::styled()).map(|color| format!("({})", color.word()));
    let kept = row.kept.as_ref().map(|kept| match &kept.drawer_name {
        Some(name) => format!("[{}]", table::cut(&shown(name, false), 16)),
        None => "[favorite]".into(),
    });
    let unsaved = (!row.saved).then(|| said!("(not saved yet)"));
    [copies, color, kept, unsaved].into_iter().flatten().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn matches_are_bold() {
        assert_eq!(bold("gas 11", &[(0, 3)]), "\u{1b}[1mgas\u{1b}[0m 11");
        assert_eq!(bold("gas", &[(1, 3)]), "g\u{1b}[1mas\u{1b}[0m");
    }
}
