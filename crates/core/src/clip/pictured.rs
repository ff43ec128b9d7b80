//! Words that were read from a picture, and where in it they stand.

use std::ops::Range;

use serde::{Deserialize, Serialize};

use crate::search::Query;
use crate::search::marks::marks;

/// How sure whoever reads must be of a word, of 100.
const SURE: f64 = 50.0;
/// Letters and digits that a line must have.
const TELLING: usize = 2;
/// Words, and bytes of them, that are kept of one picture.
const WORDS: usize = 20_000;
const BYTES: usize = 256 << 10;

/// A rectangle in a picture, in its pixels, from its upper left corner.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[expect(missing_docs, reason = "the names say it")]
pub struct Area {
    pub x: u32,
    pub y: u32,
    pub width: u32,
    pub height: u32,
}

/// A word, and where it stands.
#[derive(Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Word {
    /// Its letters.
    pub text: String,
    /// Where it stands.
    pub area: Area,
    /// It is the first of its line.
    pub begins: bool,
}

/// What was read from a picture. `Debug` shows how many words alone.
#[derive(Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct Pictured {
    /// Pixels of the picture: width and height.
    pub size: (u32, u32),
    /// Its words, in the order of reading.
    pub words: Vec<Word>,
    /// The languages that it was read in, as whoever read it names them.
    #[serde(default)]
    pub by: String,
}

impl std::fmt::Debug for Pictured {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Pictured({} words)", self.words.len())
    }
}

impl Pictured {
    /// Understands a table of words, as `tesseract … tsv` writes it: a line each, columns divided by tabs. `size` are the
    /// pixels of the picture, `seen` those of what was looked at, which may have been larger or smaller.
    pub fn from_table(table: &str, size: (u32, u32), seen: (u32, u32)) -> Self {
        let scaled = |at: u32, of: u32, seen: u32| {
            let at = u64::from(at) * u64::from(of) / u64::from(seen.max(1));
            u32::try_from(at).unwrap_or(u32::MAX).min(of)
        };
        let mut words: Vec<Word> = Vec::new();
        let (mut last_line, mut bytes) = (None, 0);
        for row in table.lines() {
            let columns: Vec<&str> = row.splitn(12, '\t').collect();
            // level, page, block, paragraph, line, word, left, top, width, height, confidence, text
            let [level, page, block, paragraph, line, _, left, top, width, height, sure, text] = columns[..]
            else {
                continue;
            };
            let text = text.trim();
            let sure = sure.parse::<f64>().is_ok_and(|sure| sure >= SURE);
            if level != "5" || !sure || !text.chars().any(char::is_alphanumeric) {
                continue;
            }
            let (Ok(left), Ok(top), Ok(width), Ok(height)) =
                (left.parse(), top.parse(), width.parse::<u32>(), height.parse::<u32>())
            else {
                continue;
            };
            bytes += text.len() + 1;
            if words.len() == WORDS || bytes > BYTES {
                break;
            }
            let (x, y) = (scaled(left, size.0, seen.0), scaled(top, size.1, seen.1));
            let area = Area {
                x,
                y,
                width: scaled(left.saturating_add(width), size.0, seen.0) - x,
                height: scaled(top.saturating_add(height), size.1, seen.1) - y,
            };
            let of = Some([page, block, paragraph, line]);
            words.push(Word { text: text.to_owned(), area, begins: of != last_line });
            last_line = of;
        }
        Self { size, words, by: String::new() }.without_strokes()
    }

    /// Without lines that are nothing but what strokes and edges are taken for: a letter alone, and signs that say nothing by
    /// themselves.
    fn without_strokes(mut self) -> Self {
        let telling =
            |word: &Word| word.text.chars().filter(|c| c.is_alphanumeric() && !is_stroke(*c)).count();
        let words = std::mem::take(&mut self.words);
        let lines = words.chunk_by(|_, next| !next.begins);
        self.words = lines
            .filter(|line| line.iter().map(telling).sum::<usize>() >= TELLING)
            .flatten()
            .cloned()
            .collect();
        self
    }

    /// Its words as a text, a line each as in the picture, and which bytes of it each word is.
    fn laid_out(&self) -> (String, Vec<Range<usize>>) {
        let mut text = String::new();
        let mut places = Vec::with_capacity(self.words.len());
        for word in &self.words {
            let before = text.chars().next_back();
            match before {
                None => {}
                Some(_) if word.begins => text.push('\n'),
                // Between signs that are written without spaces there are none, though they were read one by one.
                Some(before) if is_unspaced(before) && word.text.starts_with(is_unspaced) => {}
                Some(_) => text.push(' '),
            }
            let from = text.len();
            text.push_str(&word.text);
            places.push(from..text.len());
        }
        (text, places)
    }

    /// Its words as a text, a line each as in the picture.
    pub fn text(&self) -> String {
        self.laid_out().0
    }

    /// Which of the words match a query, by their numbers from 0.
    pub fn found(&self, query: &Query) -> Vec<usize> {
        let (text, places) = self.laid_out();
        let marks = marks(&text, query);
        let touched = |place: &Range<usize>| {
            let next = marks.partition_point(|(_, to)| *to <= place.start);
            marks.get(next).is_some_and(|(from, _)| *from < place.end)
        };
        (0..).zip(&places).filter(|(_, place)| touched(place)).map(|(n, _)| n).collect()
    }
}

/// Letters that never stand alone in a word, and look like strokes: small kana, and the sign that draws them out.
fn is_stroke(c: char) -> bool {
    "ーッャュョァィゥェォヮっゃゅょぁぃぅぇぉゎ一｜".contains(c)
}

/// Kana and ideographs.
fn is_unspaced(c: char) -> bool {
    matches!(c, '\u{3000}'..='\u{30ff}' | '\u{3400}'..='\u{9fff}' | '\u{f900}'..='\u{faff}' | '\u{ff00}'..='\u{ffef}'
        | '\u{20000}'..='\u{3134f}')
}

#[cfg(test)]
mod tests {
    use jiff::tz::TimeZone;
    use proptest::prelude::*;

    use super::*;
    use crate::search::when::Here;

    const TABLE: &str =
        "level\tpage_num\tblock_num\tpar_num\tline_num\tword_num\tleft\ttop\twidth\theight\tconf\ttext
1\t1\t0\t0\t0\t0\t0\t0\t800\t400\t-1\t
5\t1\t1\t1\t1\t1\t40\t20\t200\t40\t96.1\tKestrel
5\t1\t1\t1\t1\t2\t260\t20\t80\t40\t95.0\tHut
5\t1\t1\t1\t1\t3\t360\t20\t80\t40\t12.0\tl|l
5\t1\t1\t1\t2\t1\t40\t80\t40\t40\t90\t山
5\t1\t1\t1\t2\t2\t80\t80\t80\t40\t91\t小屋
5\t1\t1\t1\t2\t3\t180\t80\t80\t40\t91\t—
5\t1\t1\t1\t3\t1\t40\t140\t80\t40\t88\tュー
5\t1\t1\t1\t4\t1\t40\t180\t80\t40\t92\tI
";

    fn query(text: &str) -> Query {
        Query::parse(text, &Here { now: 0, zone: TimeZone::UTC }).unwrap()
    }

    #[test]
    fn words_are_read_with_their_places_in_the_picture() {
        let read = Pictured::from_table(TABLE, (400, 200), (800, 400));
        assert_eq!(read.text(), "Kestrel Hut\n山小屋");
        assert_eq!(read.words[1].area, Area { x: 130, y: 10, width: 40, height: 20 });
        for (wanted, found) in
            [("hut", vec![1]), ("\"rel hu\"", vec![0, 1]), ("山小屋", vec![2, 3]), ("oats", vec![])]
        {
            assert_eq!(read.found(&query(wanted)), found, "{wanted}");
        }
        let bytes = serde_json::to_vec(&read).unwrap();
        assert_eq!(serde_json::from_slice::<Pictured>(&bytes).unwrap(), read);
    }

    proptest! {
        #[test]
        fn whatever_is_written_is_read_within_the_picture(
            table in "([0-9a-z\t\n.-]{0,40}|5\t1\t1\t1\t[1-3]\t1\t[0-9]{1,10}\t[0-9]{1,5}\t[0-9]{1,10}\t[0-9]{1,5}\t9[0-9]\t[a-z]{1,4}\n){0,12}",
            size in (1u32..5_000, 1u32..5_000), seen in (0u32..5_000, 0u32..5_000),
        ) {
            let read = Pictured::from_table(&table, size, seen);
            for word in &read.words {
                prop_assert!(word.area.x + word.area.width <= size.0 && word.area.y + word.area.height <= size.1);
                prop_assert!(read.text().contains(&word.text));
            }
        }
    }
}
