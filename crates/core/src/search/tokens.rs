//! A query in pieces: words, filters with their values, `OR`, and parentheses.

use std::ops::Range;

use super::when;

/// The names of filters, with what each expects.
pub(super) const FILTERS: [(&str, &str); 12] = [
    ("kind", "text, link, image or files"),
    ("from", "a program"),
    ("on", "a device"),
    ("in", "a drawer or a group"),
    ("is", "pinned, favorite, drawer, titled, edited or repeated"),
    ("has", "a form such as html or png"),
    ("color", "blue, green, amber, red, violet or teal"),
    ("since", when::EXPECTED),
    ("before", when::EXPECTED),
    ("hour", "an hour from 0 to 23"),
    ("over", "a size such as 10kb or 1mb"),
    ("under", "a size such as 10kb or 1mb"),
];

/// What a piece is beside a word or a filter.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Mark {
    /// `OR`: what stands on either side of it is enough.
    Or,
    /// `(` at the beginning of a word.
    Open,
    /// `)` that closes it.
    Close,
}

/// A word of a query as it was written.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Token<'a> {
    /// Where it stands.
    pub(super) at: Range<usize>,
    /// `-` stood before it.
    pub(super) not: bool,
    /// It is no word.
    pub(super) mark: Option<Mark>,
    /// The filter's name, if it is one.
    pub(super) filter: Option<&'static str>,
    /// The word, or the filter's value, without quotes.
    pub(super) value: &'a str,
    /// Where that stands.
    pub(super) value_at: Range<usize>,
    /// It was quoted.
    pub(super) quoted: bool,
}

/// Where a word ends that stands inside parentheses: before those that close them, and after its own.
fn without_closing(word: &str) -> usize {
    let (mut open, mut end) = (0_usize, word.len());
    for (at, c) in word.char_indices() {
        match c {
            '(' => open += 1,
            ')' if open > 0 => open -= 1,
            // From here on nothing but parentheses that close.
            ')' if word[at..].bytes().all(|byte| byte == b')') => {
                end = at;
                break;
            }
            _ => {}
        }
    }
    end
}

/// Parts a query into its words. A quote that is not closed runs to the end.
pub(super) fn tokens(text: &str) -> Vec<Token<'_>> {
    let mut found = Vec::new();
    let (mut at, mut open) = (0, 0_usize);
    while let Some(c) = text[at..].chars().next() {
        if c.is_whitespace() {
            at += c.len_utf8();
            continue;
        }
        let start = at;
        let rest = &text[at..];
        let not = rest.len() > 1 && rest.starts_with('-') && !rest[1..].starts_with(char::is_whitespace);
        if not {
            at += 1;
        }
        let mark = match text[at..].chars().next() {
            Some('(') => Some(Mark::Open),
            Some(')') if open > 0 && !not => Some(Mark::Close),
            _ => None,
        };
        if let Some(mark) = mark {
            open = if mark == Mark::Open { open + 1 } else { open - 1 };
            at += 1;
            let (value, value_at) = ("", at..at);
            found.push(Token {
                at: start..at,
                not,
                mark: Some(mark),
                filter: None,
                value,
                value_at,
                quoted: false,
            });
            continue;
        }
        let filter = FILTERS.iter().map(|(name, _)| *name).find(|name| {
            text[at..].get(..name.len()).is_some_and(|head| head.eq_ignore_ascii_case(name))
                && text[at + name.len()..].starts_with(':')
        });
        at += filter.map_or(0, |name| name.len() + 1);
        let quoted = text[at..].starts_with('"');
        let value_at = if quoted {
            let from = at + 1;
            let to = text[from..].find('"').map_or(text.len(), |end| from + end);
            at = (to + 1).min(text.len());
            from..to
        } else {
            let pattern = pattern_end(&text[at..], open > 0);
            let to =
                pattern.or_else(|| text[at..].find(char::is_whitespace)).map_or(text.len(), |end| at + end);
            let to = if open > 0 && pattern.is_none() { at + without_closing(&text[at..to]) } else { to };
            let from = at;
            at = to;
            from..to
        };
        let value = &text[value_at.clone()];
        let or = !quoted && !not && filter.is_none() && value == "OR";
        let mark = or.then_some(Mark::Or);
        found.push(Token { at: start..at, not, mark, filter, value, value_at, quoted });
    }
    found
}

/// Where a `/pattern/` at the beginning ends: at a `/` that ends a word. `inside`: parentheses may close after it.
pub(super) fn pattern_end(text: &str, inside: bool) -> Option<usize> {
    let pattern = text.strip_prefix('/')?;
    let mut escaped = false;
    for (at, c) in pattern.char_indices() {
        let ends = pattern[at + c.len_utf8()..]
            .chars()
            .next()
            .is_none_or(|next| next.is_whitespace() || (inside && next == ')'));
        if c == '/' && !escaped && at > 0 && ends {
            return Some(at + 2);
        }
        escaped = c == '\\' && !escaped;
    }
    None
}
