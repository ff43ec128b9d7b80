//! Rows for people: what a clip is in one line, cut to the terminal, with nothing in it that a terminal would obey.

use std::io::Write;

use anstream::{AutoStream, ColorChoice};
use anstyle::AnsiColor;
use tabled::Table;
use tabled::builder::Builder;
use tabled::settings::object::Columns;
use tabled::settings::peaker::PriorityMax;
use tabled::settings::{Alignment, Padding, Style, Width};
use unicode_width::{UnicodeWidthChar, UnicodeWidthStr};
use yadori_api::{Color, Kind, Row, Source};

use crate::symbols::shown;
use yadori_words::{counted, said};

/// Columns where nobody looks: lines are whole.
pub(crate) const WHOLE: usize = usize::MAX;
/// Columns that a table has at least.
const LEAST: usize = 40;

/// Columns that a line may have: what COLUMNS says, or as many as the terminal has. Where output goes elsewhere, lines are
/// whole.
pub(crate) fn width() -> usize {
    let said = std::env::var("COLUMNS").ok().and_then(|said| said.trim().parse::<usize>().ok());
    let of_terminal =
        || terminal_size::terminal_size_of(std::io::stdout()).map(|(width, _)| usize::from(width.0));
    said.or_else(of_terminal).map_or(WHOLE, |width| width.max(LEAST))
}

/// The word for a kind.
pub(crate) fn kind(kind: Kind) -> &'static str {
    match kind {
        Kind::Text => "text",
        Kind::Link => "link",
        Kind::Image => "image",
        Kind::Files => "files",
    }
}

/// What a clip is, in one line.
pub(crate) fn line(row: &Row) -> String {
    let what = untitled(row);
    match &row.title {
        Some(title) => format!("{} — {what}", shown(title, false)),
        None => what,
    }
}

/// What a clip is, in one line, its title left out.
pub(crate) fn untitled(row: &Row) -> String {
    match row.kind {
        Kind::Text | Kind::Link => shown(row.head.trim(), false),
        Kind::Image => row.picture.as_ref().map_or_else(
            || "picture".to_owned(),
            |one| {
                let name = one.mime.trim_start_matches("image/").to_uppercase();
                let sides = if one.width > 0 {
                    format!(" · {} × {}", one.width, one.height)
                } else {
                    String::new()
                };
                shown(&format!("{name}{sides} · {}", size(row.size)), false)
            },
        ),
        Kind::Files => {
            let name =
                |path: &String| path.rsplit('/').find(|part| !part.is_empty()).unwrap_or(path).to_owned();
            let names: Vec<String> = row.files.iter().take(4).map(name).collect();
            let more = row.file_count.saturating_sub(names.len() as u64);
            let more = if more > 0 { said!(" and {more} more", more = more) } else { String::new() };
            shown(&format!("{}{more}", names.join(" · ")), false)
        }
    }
}

/// Where it came from.
pub(crate) fn from(source: &Source) -> String {
    let parts: Vec<&str> =
        [&source.program, &source.window].into_iter().flatten().map(String::as_str).collect();
    shown(&parts.join(" · "), false)
}

/// Bytes, for people.
#[expect(clippy::cast_precision_loss, reason = "one digit after the point is shown")]
pub(crate) fn size(bytes: u64) -> String {
    match bytes {
        0..=999 => format!("{bytes} B"),
        1_000..=999_999 => format!("{:.1} kB", bytes as f64 / 1e3),
        1_000_000..=999_999_999 => format!("{:.1} MB", bytes as f64 / 1e6),
        _ => format!("{:.1} GB", bytes as f64 / 1e9),
    }
}

/// `text` with blanks up to `columns` columns of a terminal.
pub(crate) fn padded(text: &str, columns: usize) -> String {
    format!("{text}{}", " ".repeat(columns.saturating_sub(text.width())))
}

/// A number of things, in words.
pub(crate) fn count_of(count: u64, one: &str) -> String {
    counted(count, &format!("{{n}} {one}"), &format!("{{n}} {one}s"))
}

/// `text` cut to `columns` columns of a terminal.
pub(crate) fn cut(text: &str, columns: usize) -> String {
    if text.width() <= columns {
        return text.to_owned();
    }
    let mut used = 0;
    let mut out = String::new();
    for c in text.chars() {
        let wide = c.width().unwrap_or(0);
        if used + wide + 1 > columns {
            break;
        }
        used += wide;
        out.push(c);
    }
    out.push('…');
    out
}

/// A color as a spot, where the terminal can show it.
pub(crate) fn spot(color: Option<Color>) -> String {
    let Some(color) = color.filter(|_| styled()) else { return String::new() };
    let style = match color {
        Color::Blue => AnsiColor::Blue,
        Color::Green => AnsiColor::Green,
        Color::Amber => AnsiColor::Yellow,
        Color::Red => AnsiColor::Red,
        Color::Violet => AnsiColor::Magenta,
        Color::Teal => AnsiColor::Cyan,
    };
    let style = style.on_default();
    format!("{style}●{style:#} ")
}

/// True when standard output is looked at by a person whose terminal shows styles (NO_COLOR and the like are obeyed).
pub(crate) fn styled() -> bool {
    AutoStream::choice(&std::io::stdout()) != ColorChoice::Never
}

/// Cells in columns, as wide as the terminal lets them be: the widest are cut first. `right`: columns that end alike.
pub(crate) fn write(
    out: &mut dyn Write,
    rows: impl IntoIterator<Item = Vec<String>>,
    right: &[usize],
) -> std::io::Result<()> {
    out.write_all(laid_out(rows, right, width()).as_bytes())
}

fn laid_out(rows: impl IntoIterator<Item = Vec<String>>, right: &[usize], width: usize) -> String {
    let mut builder = Builder::default();
    rows.into_iter().for_each(|row| builder.push_record(row));
    let mut table: Table = builder.build();
    table.with(Style::empty()).with(Padding::new(0, 2, 0, 0));
    for column in right {
        table.modify(Columns::one(*column), Alignment::right());
    }
    if width < WHOLE {
        // Blanks after the last column are trimmed.
        table.with(Width::truncate(width.saturating_add(2)).suffix("…").priority(PriorityMax::right()));
    }
    let mut out = String::new();
    for line in table.to_string().lines() {
        out.push_str(line.trim_end());
        out.push('\n');
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn sizes_are_for_people() {
        assert_eq!([size(12), size(1_500), size(212_345_678)], ["12 B", "1.5 kB", "212.3 MB"]);
    }

    #[test]
    fn a_table_fits_and_cuts_what_is_widest() {
        let rows = [
            vec!["9".into(), "text".into(), "a word ".repeat(40)],
            vec!["10".into(), "link".into(), "漢字".repeat(60)],
            vec!["11".into(), "text".into(), format!("{0}bold{0:#} and plain", anstyle::Style::new().bold())],
        ];
        for width in [40, 80, 101] {
            let text = laid_out(rows.clone(), &[0], width);
            let lines: Vec<&str> = text.lines().collect();
            assert!(lines[0].starts_with(" 9  text  a word") && lines[0].ends_with('…'), "{text}");
            assert!(lines[1].starts_with("10  link  漢字"), "{text}");
            assert!(
                lines[..2].iter().all(|line| (width - 3..=width).contains(&line.width())),
                "{width}: {text}"
            );
            assert!(lines[2].contains("\u{1b}[1mbold"), "{text}");
        }
        let whole = laid_out(rows, &[0], WHOLE);
        assert!(whole.contains(&"漢字".repeat(60)) && !whole.contains('…'), "{whole}");
    }

    proptest! {
        #[test]
        fn a_cut_text_fits(text in "\\PC{0,40}", columns in 1usize..30) {
            prop_assert!(cut(&text, columns).width() <= columns);
        }
    }
}
