//! Comparing an edited text with what it was made from.

use serde::{Deserialize, Serialize};
use similar::{Algorithm, ChangeTag, TextDiff};

/// What became of a part of a text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Part {
    /// In both.
    Same,
    /// Only in the original.
    Dropped,
    /// Only in the edited text.
    Added,
}

/// Bytes of both texts together that are compared word by word; longer ones are compared by lines.
const WORDS: usize = 40_000;

/// The two texts as one run of parts, by words (by lines where they are long).
pub fn compare(original: &str, edited: &str) -> Vec<(Part, String)> {
    let mut config = TextDiff::configure();
    config.algorithm(Algorithm::Patience).timeout(std::time::Duration::from_millis(500));
    let by_words = original.len() + edited.len() <= WORDS;
    let diff =
        if by_words { config.diff_words(original, edited) } else { config.diff_lines(original, edited) };
    let mut parts: Vec<(Part, String)> = Vec::new();
    for change in diff.iter_all_changes() {
        let part = match change.tag() {
            ChangeTag::Equal => Part::Same,
            ChangeTag::Delete => Part::Dropped,
            ChangeTag::Insert => Part::Added,
        };
        match parts.last_mut() {
            Some((last, text)) if *last == part => text.push_str(change.value()),
            _ => parts.push((part, change.value().to_owned())),
        }
    }
    parts
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_changed_word_is_told_from_what_stayed() {
        let parts = compare("arrival before 18:00, please", "arrival before 19:00, please");
        assert!(
            parts.contains(&(Part::Dropped, "18:00,".into()))
                && parts.contains(&(Part::Added, "19:00,".into()))
        );
    }

    proptest! {
        #[test]
        fn both_texts_can_be_read_off_a_comparison(a in "[ab \n]{0,40}", b in "[ab \n]{0,40}") {
            let parts = compare(&a, &b);
            let without = |skip: Part| -> String {
                parts.iter().filter(|(part, _)| *part != skip).map(|(_, text)| text.as_str()).collect()
            };
            prop_assert_eq!(without(Part::Added), a);
            prop_assert_eq!(without(Part::Dropped), b);
        }
    }
}
