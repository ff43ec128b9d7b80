//! Completion of a query: names of filters, and their values, for the word that is being written.

use super::query::IS;
use super::tokens::{FILTERS, tokens};
use crate::clip::color::Color;
use crate::text::fold::fold;

/// Values that only the history knows.
#[derive(Clone, Debug, Default)]
pub struct Vocabulary<'a> {
    /// Programs that copies came from.
    pub programs: Vec<&'a str>,
    /// Drawers and groups.
    pub drawers: Vec<&'a str>,
    /// Devices.
    pub devices: Vec<&'a str>,
}

/// What could stand there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Completion {
    /// Replaces the bytes from here …
    pub from: usize,
    /// … to here.
    pub to: usize,
    /// What to insert.
    pub insert: String,
    /// What it means, for a filter's name.
    pub meaning: Option<&'static str>,
}

/// Completions for a query with the cursor at byte `cursor`; filters first, at most `most`.
pub fn complete(text: &str, cursor: usize, words: &Vocabulary<'_>, most: usize) -> Vec<Completion> {
    let cursor = (0..=cursor.min(text.len())).rev().find(|at| text.is_char_boundary(*at)).unwrap_or(0);
    let before = &text[..cursor];
    let Some(token) = tokens(before).pop().filter(|token| token.at.end == cursor && token.mark.is_none())
    else {
        return Vec::new();
    };
    let (from, to) = (token.value_at.start, cursor);
    let typed = fold(token.value);
    let Some(filter) = token.filter else {
        if token.quoted || typed.is_empty() {
            return Vec::new();
        }
        let names = FILTERS.iter().filter(|(name, _)| name.starts_with(typed.as_str()));
        return names
            .map(|(name, meaning)| Completion {
                from,
                to,
                insert: format!("{name}:"),
                meaning: Some(meaning),
            })
            .take(most)
            .collect();
    };
    let fixed: Vec<&str> = match filter {
        "kind" => vec!["text", "link", "image", "files"],
        "is" => IS.iter().map(|(name, _)| *name).collect(),
        "color" => Color::ALL.iter().map(|one| one.word()).collect(),
        "has" => vec!["html", "png", "jpeg", "svg", "rtf", "uri-list"],
        "since" | "before" => vec!["today", "yesterday", "2d", "1w", "1mo"],
        "over" | "under" => vec!["10kb", "100kb", "1mb", "10mb"],
        "from" => words.programs.clone(),
        "in" => words.drawers.clone(),
        "on" => words.devices.clone(),
        _ => Vec::new(),
    };
    let start = if token.quoted { from - 1 } else { from };
    let mut fitting: Vec<&str> =
        fixed.into_iter().filter(|one| !one.is_empty() && fold(one).contains(&typed)).collect();
    fitting.sort_by_key(|one| !fold(one).starts_with(&typed));
    fitting
        .into_iter()
        .filter(|one| fold(one) != typed)
        .map(|one| {
            let quoted = one.contains(char::is_whitespace);
            let insert = if quoted { format!("\"{}\" ", one.replace('"', "")) } else { format!("{one} ") };
            Completion { from: start, to, insert, meaning: None }
        })
        .take(most)
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn inserts(text: &str) -> Vec<String> {
        let words = Vocabulary {
            programs: vec!["Writer", "Web Browser"],
            drawers: vec!["Replies", "Long replies"],
            devices: vec!["office"],
        };
        complete(text, text.len(), &words, 8)
            .into_iter()
            .map(|one| format!("{}{}", &text[..one.from], one.insert))
            .collect()
    }

    #[test]
    fn filters_and_their_values_complete_where_one_types() {
        assert_eq!(inserts("gas k"), ["gas kind:"]);
        assert_eq!(inserts("-i"), ["-in:", "-is:"]);
        assert_eq!(inserts("kind:l"), ["kind:link ", "kind:files "]);
        assert_eq!(inserts("from:w"), ["from:Writer ", "from:\"Web Browser\" "]);
        assert_eq!(inserts("in:rep"), ["in:Replies ", "in:\"Long replies\" "]);
        assert_eq!(inserts("in:\"long r"), ["in:\"Long replies\" "]);
        assert_eq!(inserts("kind:link "), Vec::<String>::new());
        assert_eq!(inserts("\"k"), Vec::<String>::new());
        assert!(complete("kind:é", 6, &Vocabulary::default(), 8).iter().all(|one| one.to == 5));
    }
}
