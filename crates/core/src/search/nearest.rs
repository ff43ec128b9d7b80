//! What comes nearest to the words of a query that nothing matches: letters left out, changed or in another order, among the
//! newest clips. Everything else that the query asks must hold as it is. The matching of letters is that of `nucleo-matcher`.

use nucleo_matcher::{Config, Matcher, Utf32Str, Utf32String};

use crate::clip::id::ClipId;
use crate::history::drawers::Drawers;
use crate::search::checks::Checks;
use crate::search::doc::{DEAD, Doc};
use crate::search::index::GoOn;
use crate::search::query::{Query, Term, Test};
use crate::search::texts::{Block, Texts};
use crate::text::fold::PART;
use crate::text::stack::overwrite_stack_of_scan;

/// The newest clips that are looked at.
pub const LOOKED_AT: usize = 20_000;
/// Bytes of each of their texts that are.
const BYTES: usize = 256;
/// Characters that a word must have: of fewer nearly everything has some.
const SHORTEST: usize = 3;
/// Characters that a word must have for one of them to be left out.
const LONG: usize = 4;
/// How good a match must be, in hundredths of the best there can be.
const GOOD: u32 = 60;
/// Clips between two questions whether to go on.
const PIECE: usize = 256;

/// A word in the ways in which it is looked for.
struct Loose(Vec<Way>);

struct Way {
    letters: Utf32String,
    /// The score that it needs.
    needed: u16,
    /// Which bytes it has: a text without one of them need not be looked at.
    bytes: u64,
}

/// A bit for each letter from a to z; digits, other signs and what is beyond ASCII share the other half.
fn bytes_of(text: &str) -> u64 {
    let bit = |byte: u8| if byte.is_ascii_lowercase() { byte % 32 } else { 32 + byte % 32 };
    text.bytes().fold(0, |all, byte| all | 1 << bit(byte))
}

impl Loose {
    /// As it stands; and, `leaving_out`, with each of its letters left out in turn.
    fn new(word: &str, leaving_out: bool, matcher: &mut Matcher) -> Self {
        let letters: Vec<char> = word.chars().collect();
        let mut ways = vec![word.to_owned()];
        if leaving_out && letters.len() >= LONG {
            let without =
                |out: usize| letters.iter().enumerate().filter(move |(n, _)| *n != out).map(|(_, c)| *c);
            ways.extend((0..letters.len()).map(|out| without(out).collect::<String>()));
        }
        let ways = ways.into_iter().map(|way| {
            let bytes = bytes_of(&way);
            let letters = Utf32String::from(way);
            let best = matcher.fuzzy_match(letters.slice(..), letters.slice(..)).unwrap_or(0);
            let needed = u16::try_from(u32::from(best) * GOOD / 100).unwrap_or(u16::MAX);
            Way { letters, needed, bytes }
        });
        Self(ways.collect())
    }

    /// `bytes`: those that the text has.
    fn score(&self, text: Utf32Str<'_>, bytes: u64, matcher: &mut Matcher) -> Option<u32> {
        let may = self.0.iter().filter(|way| way.bytes & !bytes == 0);
        let scores = may.filter_map(|way| {
            let letters = way.letters.slice(..);
            let score = matcher.fuzzy_match(text, letters).filter(|score| *score >= way.needed)?;
            is_close(text, letters, matcher).then_some(score)
        });
        scores.max().map(u32::from)
    }
}

/// The letters stand together, with little between them: first letters of many words are no word.
fn is_close(text: Utf32Str<'_>, way: Utf32Str<'_>, matcher: &mut Matcher) -> bool {
    let mut places = Vec::new();
    matcher.fuzzy_indices(text, way, &mut places);
    let span = places.last().zip(places.first()).map_or(0, |(last, first)| last - first + 1) as usize;
    span <= way.len() + (way.len() / 3).max(2)
}

impl Texts {
    /// The clips that come nearest to the words of a query, the nearest first; of equal ones the newer. None where it asks for no
    /// words, or for such as are too short. `None` when it was given up.
    pub fn nearest(
        &self,
        query: &Query,
        drawers: &Drawers,
        most: usize,
        go_on: GoOn<'_>,
    ) -> Option<Vec<ClipId>> {
        let is_word = |term: &&Term| !term.not && matches!(term.test, Test::Words(_));
        let (words, rest): (Vec<&Term>, Vec<&Term>) = query.terms.iter().partition(is_word);
        let words: Vec<&str> = words
            .into_iter()
            .filter_map(|term| match &term.test {
                Test::Words(words) => Some(words.as_str()),
                _ => None,
            })
            .collect();
        if words.is_empty() || words.iter().any(|word| word.chars().count() < SHORTEST) {
            return Some(Vec::new());
        }
        let checks = Checks::new(rest, self, drawers);
        let mut config = Config::DEFAULT;
        // Everything is folded already.
        (config.normalize, config.ignore_case) = (false, false);
        let mut matcher = Matcher::new(config);
        let newest = self.newest(LOOKED_AT);
        let mut found = Vec::new();
        for leaving_out in [false, true] {
            let words: Vec<Loose> =
                words.iter().map(|word| Loose::new(word, leaving_out, &mut matcher)).collect();
            let mut letters = Vec::new();
            for some in newest.chunks(PIECE) {
                if !go_on() {
                    return None;
                }
                for (doc, block, n) in some {
                    if !checks.hold(block, *n) {
                        continue;
                    }
                    let text = beginning(block.text_of(*n));
                    let bytes = bytes_of(text);
                    let may = |word: &Loose| word.0.iter().any(|way| way.bytes & !bytes == 0);
                    if !words.iter().all(may) {
                        continue;
                    }
                    let text = Utf32Str::new(text, &mut letters);
                    let scores = words.iter().map(|word| word.score(text, bytes, &mut matcher));
                    if let Some(score) = scores.sum::<Option<u32>>() {
                        found.push((score, doc.key()));
                    }
                }
            }
            if !found.is_empty() {
                break;
            }
        }
        overwrite_stack_of_scan();
        found.sort_unstable_by(|one, other| other.cmp(one));
        Some(found.into_iter().take(most).map(|(_, (_, id))| id).collect())
    }

    /// The newest documents, newest first.
    fn newest(&self, most: usize) -> Vec<(&Doc, &Block, usize)> {
        let docs = |block: &'_ Block| block.docs.len();
        let mut newest = Vec::new();
        let mut enough = 0;
        let main = self.main.blocks.iter().rev().take_while(|block| {
            let wanted = enough < most;
            enough += docs(block);
            wanted
        });
        for block in main.chain(&self.side.blocks) {
            let docs = block.docs.iter().enumerate().filter(|(_, doc)| !doc.is(DEAD));
            newest.extend(docs.map(|(n, doc)| (doc, &**block, n)));
        }
        newest.sort_unstable_by_key(|(doc, ..)| std::cmp::Reverse(doc.key()));
        newest.truncate(most);
        newest
    }
}

/// The beginning of the own part of a text.
fn beginning(text: &[u8]) -> &str {
    let end = memchr::memchr(PART, text).unwrap_or(text.len()).min(BYTES);
    match std::str::from_utf8(&text[..end]) {
        Ok(text) => text,
        // Cut within a character.
        Err(why) => std::str::from_utf8(&text[..why.valid_up_to()]).unwrap_or_default(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::device::DeviceId;
    use crate::clip::facts::Facts;
    use crate::clip::id::Class;
    use crate::history::stored::{Clip, Held};
    use crate::merge::clip::{ClipState, OfferRecord};
    use crate::merge::stamp::Stamp;
    use crate::search::when::Here;
    use crate::search::{Corpus, Index, Text};
    use jiff::tz::TimeZone;

    fn corpus(texts: &[&str]) -> Corpus {
        let mut corpus = Corpus::default();
        for (at, text) in (1..).zip(texts) {
            let mut state = ClipState::default();
            let stamp = Stamp { wall_ms: at as u64, counter: 0, device: DeviceId([1; 16]) };
            state.capture(OfferRecord::default(), at, stamp);
            let clip = Clip {
                id: ClipId::of(Class::Text, &[text.as_bytes()]),
                state,
                facts: Facts::of_text(text, text.len() as u64, false),
                ordered_at: at,
                held: Held::Recorded,
            };
            corpus.put(&clip, &Drawers::default(), Text::Whole(text));
        }
        corpus
    }

    fn nearest(corpus: &Corpus, texts: &[&'static str], query: &str) -> Vec<&'static str> {
        let query = Query::parse(query, &Here { now: 0, zone: TimeZone::UTC }).unwrap();
        let found = corpus.texts().nearest(&query, &Drawers::default(), 5, &|| true).unwrap();
        let text = |id: &ClipId| {
            *texts.iter().find(|text| ClipId::of(Class::Text, &[text.as_bytes()]) == *id).unwrap()
        };
        found.iter().map(text).collect()
    }

    #[test]
    fn letters_left_out_changed_or_exchanged_still_lead_to_what_was_meant() {
        let texts = [
            "Bunks at Kestrel Hut are confirmed",
            "order of lentils, oats and candles",
            "https://example.org/route-map-south",
            "Łódź: the ridge path is closed",
            "山小屋の予約を確認しました",
        ];
        let corpus = corpus(&texts);
        for (query, meant) in [
            ("kestrl", 0),
            ("kestral", 0),
            ("kestrle", 0),
            ("KESTRELL", 0),
            ("confrmed kestrl", 0),
            ("lentls", 1),
            ("candels", 1),
            ("routemap", 2),
            ("rige path", 3),
            ("山小の予約", 4),
        ] {
            assert_eq!(nearest(&corpus, &texts, query).first(), Some(&texts[meant]), "{query}");
        }
    }

    #[test]
    fn what_is_far_from_everything_leads_nowhere() {
        let texts =
            ["Bunks at Kestrel Hut are confirmed for the whole of next week", "lentils, oats and candles"];
        let corpus = corpus(&texts);
        // The letters are all there, far apart.
        for query in ["btlhfr", "zzzz", "ke", "xylophone", "-kestrl", "", "is:pinned"] {
            assert_eq!(nearest(&corpus, &texts, query), Vec::<&str>::new(), "{query}");
        }
    }

    #[test]
    fn what_else_is_asked_must_hold_as_it_is() {
        let texts = ["https://example.org/kestrel", "Kestrel Hut", "Kestrel Hut, upper floor"];
        let corpus = corpus(&texts);
        assert_eq!(nearest(&corpus, &texts, "kestrl kind:link"), [texts[0]]);
        assert_eq!(nearest(&corpus, &texts, "kestrl -upper kind:text"), [texts[1]]);
        assert_eq!(nearest(&corpus, &texts, "kestrl /flo+r/"), [texts[2]]);
        // Equally near: the newer first.
        assert_eq!(nearest(&corpus, &texts, "kestrl hut")[..2], [texts[2], texts[1]]);
    }

    #[test]
    fn what_was_removed_is_near_to_nothing_and_it_ends_when_nobody_waits() {
        let texts = ["Kestrel Hut", "Kestrel Hut, upper floor"];
        let mut corpus = corpus(&texts);
        corpus.remove(ClipId::of(Class::Text, &[texts[1].as_bytes()]));
        assert_eq!(nearest(&corpus, &texts, "kestrl"), [texts[0]]);
        let query = Query::parse("kestrl", &Here { now: 0, zone: TimeZone::UTC }).unwrap();
        assert_eq!(corpus.texts().nearest(&query, &Drawers::default(), 5, &|| false), None);
    }
}
