//! Where a text matches a query, for showing it.

use memchr::memmem;

use super::query::{Query, Term, Test};
use crate::text::fold::fold_with_sources;

/// Characters shown before the first match of an excerpt that does not begin at the beginning.
const BEFORE: usize = 36;

/// A part of a text around its first match.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Excerpt {
    /// The part.
    pub text: String,
    /// It does not begin where the text begins.
    pub cut: bool,
    /// Matches in it: characters (Unicode scalar values) from and to.
    pub marks: Vec<(u32, u32)>,
}

/// Byte ranges of a text that match words or patterns of a query, in order, not overlapping.
pub fn marks(text: &str, query: &Query) -> Vec<(usize, usize)> {
    let (folded, sources) = fold_with_sources(text);
    let mut found: Vec<(usize, usize)> = Vec::new();
    find_in(&folded, &query.terms, &mut found);
    // A ligature is marked whole: a match covers every character that it came from.
    let mut ranges: Vec<(usize, usize)> = found
        .into_iter()
        .filter_map(|(from, to)| {
            Some((sources.get(from)?.0 as usize, sources.get(to.checked_sub(1)?)?.1 as usize))
        })
        .collect();
    ranges.sort_unstable();
    let mut merged: Vec<(usize, usize)> = Vec::with_capacity(ranges.len());
    for (from, to) in ranges {
        match merged.last_mut() {
            Some(last) if from <= last.1 => last.1 = last.1.max(to),
            _ => merged.push((from, to)),
        }
    }
    merged
}

fn find_in(folded: &str, terms: &[Term], found: &mut Vec<(usize, usize)>) {
    for term in terms.iter().filter(|term| !term.not) {
        match &term.test {
            Test::Words(words) => {
                let hits = memmem::find_iter(folded.as_bytes(), words.as_bytes());
                found.extend(hits.map(|hit| (hit, hit + words.len())));
            }
            Test::Pattern(pattern) => found.extend(pattern.find(folded)),
            Test::Any(any) => any.iter().for_each(|terms| find_in(folded, terms, found)),
            _ => {}
        }
    }
}

/// At most `most` characters of a text around its first match; `None` when nothing of it matches.
pub fn excerpt(text: &str, query: &Query, most: usize) -> Option<Excerpt> {
    let marks = marks(text, query);
    let first = marks.first()?.0;
    let before = text[..first].chars().count();
    let cut = before + 20 > most;
    let start =
        if cut { text[..first].char_indices().rev().nth(BEFORE - 1).map_or(0, |(at, _)| at) } else { 0 };
    let part = &text[start..];
    let end = part.char_indices().nth(most).map_or(part.len(), |(at, _)| at);
    let part = &part[..end];
    let chars = |byte: usize| {
        let byte = byte.saturating_sub(start).min(part.len());
        u32::try_from(part[..byte].chars().count()).unwrap_or(u32::MAX)
    };
    let shown = marks.iter().take_while(|(from, _)| *from < start + end);
    let marks = shown.map(|(from, to)| (chars(*from), chars(*to))).collect();
    Some(Excerpt { text: part.to_owned(), cut, marks })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::search::when::Here;
    use jiff::tz::TimeZone;
    use proptest::prelude::*;

    fn query(text: &str) -> Query {
        Query::parse(text, &Here { now: 0, zone: TimeZone::UTC }).unwrap()
    }

    fn marked<'t>(text: &'t str, wanted: &str) -> Vec<&'t str> {
        marks(text, &query(wanted)).into_iter().map(|(from, to)| &text[from..to]).collect()
    }

    #[test]
    fn matches_are_marked_in_the_text_as_it_was_copied() {
        assert_eq!(marked("Mäkinen, MÄKI", "maki"), ["Mäki", "MÄKI"]);
        assert_eq!(marked("Lange Straße 3", "strasse"), ["Straße"]);
        assert_eq!(marked("the ﬁne hut", "fi hut"), ["ﬁ", "hut"]);
        assert_eq!(marked("aab abb", "aab ab"), ["aab", "ab"]);
        assert_eq!(marked("山小屋の予約", "小屋"), ["小屋"]);
        assert_eq!(marked("bunks 12 and 14", r"/\d+/ -and"), ["12", "14"]);
        assert_eq!(marked("gas and oil", "(gas OR -and) OR oil"), ["gas", "oil"]);
        assert_eq!(marked("nothing", "kind:text"), Vec::<&str>::new());
    }

    #[test]
    fn an_excerpt_shows_the_first_match_wherever_it_is() {
        let text = format!("{}gas bottle{}", "é ".repeat(500), " z".repeat(500));
        let excerpt = excerpt(&text, &query("GAS"), 120).unwrap();
        assert!(excerpt.cut && excerpt.text.chars().count() == 120);
        let (from, to) = excerpt.marks[0];
        let shown: String = excerpt.text.chars().skip(from as usize).take((to - from) as usize).collect();
        assert_eq!(shown, "gas");
        assert_eq!(super::excerpt("none", &query("gas"), 50), None);
    }

    proptest! {
        #[test]
        fn marks_lie_on_characters_and_in_order(text in "[aäßﬁ か゛が\\-]{0,40}", wanted in "[aäsfi か゛が]{1,3}") {
            let found = marks(&text, &query(&format!("\"{wanted}\"")));
            let mut last = 0;
            for (from, to) in found {
                prop_assert!(from >= last && from < to && text.get(from..to).is_some());
                last = to;
            }
        }
    }
}
