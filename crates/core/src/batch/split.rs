//! Splitting: one text becomes several parts, each a thing to hand out.

use regex::RegexBuilder;

use crate::batch::table;
use crate::search::pattern::PATTERN_CHARS;
use crate::take::tidy::marker;
use crate::text::near::nearest;

/// Bytes of a compiled pattern at most.
const COMPILED_BYTES: usize = 1 << 20;
/// Characters of a field's name at most.
const LABEL_CHARS: usize = 60;

/// How a text is split.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Way {
    /// Each line that is not empty.
    Lines,
    /// What empty lines part.
    Paragraphs,
    /// The entries of a list, without their numbers and bullets.
    Entries,
    /// The cells of a copied range: each row is a record.
    Cells,
    /// The fields of separated values: each row is a record.
    Csv,
    /// Lines of a name and a value; what empty lines part, or a name that comes again begins, is a record.
    Pairs,
    /// By a regular expression: what its groups find, or, where it has none, what it parts.
    Pattern,
}

/// All ways, by the names that people write, with what they are for.
pub const WAYS: [(&str, Way, &str); 7] = [
    ("lines", Way::Lines, "each line"),
    ("paragraphs", Way::Paragraphs, "what empty lines part"),
    ("entries", Way::Entries, "the entries of a list"),
    ("cells", Way::Cells, "the cells of a copied range"),
    ("csv", Way::Csv, "the fields of separated values"),
    ("pairs", Way::Pairs, "names and values, line by line"),
    ("pattern", Way::Pattern, "by a regular expression"),
];

/// How a text is to be split.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Cut {
    /// The way.
    pub way: Way,
    /// For the way by pattern: a regular expression, as the `regex` crate reads it.
    pub pattern: Option<String>,
    /// For tables: the first row holds the names of the fields.
    pub header: bool,
}

/// A part of a text.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Part {
    /// Which record it belongs to, from 0.
    pub record: u32,
    /// The name of the field.
    pub label: Option<String>,
    /// Its text.
    pub text: String,
}

/// Why a text can't be split so.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SplitError {
    /// No such way.
    #[error("there is no way to split called `{name}`{}; there are {}", near.map(|near| format!(" (did you mean `{near}`?)")).unwrap_or_default(), WAYS.map(|(name, ..)| name).join(", "))]
    NoWay {
        /// What was written.
        name: String,
        /// The name that is most like it.
        near: Option<&'static str>,
    },
    /// There is no pattern to split by.
    #[error("say by which pattern, for instance `;` or `(\\w+)=(\\w+)`")]
    NoPattern,
    /// It is no pattern.
    #[error("the pattern can't be read: {0}")]
    Pattern(String),
    /// It matches nowhere.
    #[error("the pattern matches nothing in this text, so there is nothing to split; nothing was changed")]
    NeverMatches,
    /// Nothing is left to be a part.
    #[error("there is nothing in this text to split that way; nothing was changed")]
    Nothing,
}

impl std::str::FromStr for Way {
    type Err = SplitError;

    fn from_str(name: &str) -> Result<Self, SplitError> {
        let wanted = name.trim().to_lowercase();
        if let Some((_, way, _)) = WAYS.iter().find(|(known, ..)| *known == wanted) {
            return Ok(*way);
        }
        let near = nearest(&wanted, WAYS.iter().map(|(known, ..)| *known));
        Err(SplitError::NoWay { name: name.trim().to_owned(), near })
    }
}

impl Way {
    /// The word for it.
    pub fn word(self) -> &'static str {
        WAYS.iter().find(|(_, way, _)| *way == self).map_or("", |(name, ..)| name)
    }
}

/// A text in parts. `html` is its html form, if it was copied with one: tables are read from that.
///
/// # Errors
/// Says why there are none. There is at least one part otherwise.
pub fn split(text: &str, html: Option<&str>, cut: &Cut) -> Result<Vec<Part>, SplitError> {
    let parts = match cut.way {
        Way::Lines => alone(text.lines()),
        Way::Paragraphs => paragraphs(text),
        Way::Entries => entries(text),
        Way::Cells => {
            let of_html = html.map(table::of_html).filter(|rows| !rows.is_empty());
            rows(of_html.unwrap_or_else(|| table::of_separated(text, b'\t')), cut.header)
        }
        Way::Csv => rows(table::of_separated(text, table::separator_of(text)), cut.header),
        Way::Pairs => pairs(text),
        Way::Pattern => by_pattern(text, cut.pattern.as_deref())?,
    };
    if parts.is_empty() { Err(SplitError::Nothing) } else { Ok(parts) }
}

fn alone<'t>(texts: impl Iterator<Item = &'t str>) -> Vec<Part> {
    let texts = texts.map(str::trim).filter(|text| !text.is_empty());
    texts.map(|text| Part { record: 0, label: None, text: text.to_owned() }).collect()
}

fn paragraphs(text: &str) -> Vec<Part> {
    let mut out: Vec<String> = Vec::new();
    let mut open = false;
    for line in text.lines() {
        if line.trim().is_empty() {
            open = false;
            continue;
        }
        match out.last_mut().filter(|_| open) {
            Some(last) => {
                last.push('\n');
                last.push_str(line.trim_end());
            }
            None => out.push(line.trim_end().to_owned()),
        }
        open = true;
    }
    out.into_iter().map(|text| Part { record: 0, label: None, text: text.trim().to_owned() }).collect()
}

/// A line without a mark of its own goes on with the entry before it, unless no line has one.
fn entries(text: &str) -> Vec<Part> {
    let marked = |line: &str| marker(line, true).filter(|at| *at > 0 && !line[*at..].trim().is_empty());
    if !text.lines().any(|line| marked(line).is_some()) {
        return alone(text.lines());
    }
    let mut out: Vec<String> = Vec::new();
    let mut open = false;
    for line in text.lines() {
        let words = line.trim();
        if words.is_empty() {
            open = false;
            continue;
        }
        match (marked(line), out.last_mut().filter(|_| open)) {
            (Some(at), _) => out.push(line[at..].trim().to_owned()),
            (None, Some(last)) => {
                last.push('\n');
                last.push_str(words);
            }
            (None, None) => out.push(words.to_owned()),
        }
        open = true;
    }
    out.into_iter().map(|text| Part { record: 0, label: None, text }).collect()
}

/// Rows of cells, each a record. An empty cell is a part all the same: its field stays empty, and the next one is right. A
/// row of nothing but empty cells is none.
fn rows(mut rows: Vec<Vec<String>>, header: bool) -> Vec<Part> {
    rows.retain(|row| row.iter().any(|cell| !cell.trim().is_empty()));
    let names = if header && rows.len() > 1 { rows.remove(0) } else { Vec::new() };
    let name = |at: usize| {
        let name = names.get(at).map(|name| name.split_whitespace().collect::<Vec<_>>().join(" "));
        name.filter(|name| !name.is_empty()).map(|name| name.chars().take(LABEL_CHARS).collect())
    };
    let records = rows.into_iter().zip(0u32..);
    records
        .flat_map(|(row, record)| row.into_iter().enumerate().map(move |(at, text)| (record, at, text)))
        .map(|(record, at, text)| Part { record, label: name(at), text })
        .collect()
}

/// The name and the value of a line that has both.
fn pair(line: &str) -> Option<(&str, &str)> {
    let word = |name: &str| {
        let count = name.chars().count();
        count > 0 && count <= LABEL_CHARS && name.chars().any(char::is_alphanumeric)
    };
    let (name, value) = line.split_once('\t').filter(|(_, value)| !value.contains('\t')).or_else(|| {
        let at = line.find([':', '：', '='])?;
        let sign = line[at..].chars().next()?;
        let (name, value) = (&line[..at], &line[at + sign.len_utf8()..]);
        // `https://` and `12:30` are no names; `key=value` is.
        let parted = value.is_empty() || value.starts_with(char::is_whitespace) || sign != ':';
        (parted && (sign != '=' || !value.starts_with('='))).then_some((name, value))
    })?;
    let (name, value) = (name.trim(), value.trim());
    word(name).then_some((name, value))
}

fn pairs(text: &str) -> Vec<Part> {
    let mut out: Vec<Part> = Vec::new();
    let mut record = 0;
    let mut names: std::collections::HashSet<String> = std::collections::HashSet::new();
    let mut begun = false;
    for line in text.lines() {
        if line.trim().is_empty() {
            if begun {
                record += 1;
                names.clear();
                begun = false;
            }
            continue;
        }
        let indented = line.starts_with([' ', '\t']) && begun;
        match pair(line).filter(|_| !indented) {
            Some((name, value)) => {
                if !names.insert(name.to_lowercase()) {
                    record += 1;
                    names = std::collections::HashSet::from([name.to_lowercase()]);
                }
                out.push(Part { record, label: Some(name.to_owned()), text: value.to_owned() });
            }
            // A line without a name goes on with the value before it.
            None => match out.last_mut().filter(|_| begun) {
                Some(last) => {
                    if !last.text.is_empty() {
                        last.text.push('\n');
                    }
                    last.text.push_str(line.trim());
                }
                None => out.push(Part { record, label: None, text: line.trim().to_owned() }),
            },
        }
        begun = true;
    }
    if out.iter().any(|part| part.label.is_some()) { out } else { Vec::new() }
}

fn by_pattern(text: &str, pattern: Option<&str>) -> Result<Vec<Part>, SplitError> {
    let pattern = pattern.filter(|pattern| !pattern.is_empty()).ok_or(SplitError::NoPattern)?;
    if pattern.chars().count() > PATTERN_CHARS {
        return Err(SplitError::Pattern(format!("it may have {PATTERN_CHARS} characters")));
    }
    let pattern = RegexBuilder::new(pattern)
        .multi_line(true)
        .size_limit(COMPILED_BYTES)
        .dfa_size_limit(COMPILED_BYTES)
        .build()
        .map_err(|why| {
            let words = why.to_string();
            let last = words.lines().last().unwrap_or_default().trim();
            SplitError::Pattern(last.strip_prefix("error: ").unwrap_or(last).to_owned())
        })?;
    if pattern.find(text).is_none() {
        return Err(SplitError::NeverMatches);
    }
    if pattern.captures_len() == 1 {
        return Ok(alone(pattern.split(text)));
    }
    let names: Vec<Option<String>> =
        pattern.capture_names().map(|name| name.map(|name| name.replace('_', " "))).collect();
    let mut out = Vec::new();
    for (found, record) in pattern.captures_iter(text).zip(0u32..) {
        let groups = found.iter().enumerate().skip(1);
        out.extend(groups.filter_map(|(n, group)| {
            let text = group?.as_str().trim().to_owned();
            Some(Part { record, label: names.get(n).cloned().flatten(), text })
        }));
    }
    // One group alone finds a list, not records.
    if pattern.captures_len() == 2 {
        out.iter_mut().for_each(|part: &mut Part| part.record = 0);
        out.retain(|part| !part.text.is_empty());
    }
    Ok(out)
}

#[cfg(test)]
mod tests;
