//! What was told of, without what it held: the same copy may be seen more than once.

use std::collections::VecDeque;
use std::hash::{BuildHasher as _, RandomState};
use std::time::{Duration, Instant};

use yadori_core::clip::mime;
use yadori_core::{Micros, Offer};

/// How long it is known what was told of. Nothing takes longer to be read.
const LONGEST: Duration = Duration::from_secs(120);
/// Copies of which that is known.
const MOST: usize = 1_024;

/// A word for what an offer holds: the same for the same. It is random to others, and tells nothing.
#[derive(Debug, Default)]
pub(crate) struct Fingerprints(RandomState);

impl Fingerprints {
    /// Of its text, or of the first of its forms.
    pub(crate) fn of(&self, offer: &Offer) -> u64 {
        let texts = offer.representations.iter().filter_map(|one| Some((mime::text_rank(&one.mime)?, one)));
        let text = texts.min_by_key(|(rank, _)| *rank).map(|(_, one)| one);
        let first = text.or(offer.representations.first());
        self.0.hash_one(first.map(|one| &one.content.expose()[..]))
    }
}

/// Copies that one desk has told of.
///
/// A program that copies twice at once serves its newest copy alone, so that both are read as the same; behind a
/// compositor's X server nobody tells which of them that is.
#[derive(Debug, Default)]
pub(crate) struct Lately {
    fingerprints: Fingerprints,
    told: VecDeque<(u64, Micros, Instant)>,
}

impl Lately {
    /// The copy that was told of since this one was begun to be read, and is the same. Otherwise this one is told of.
    pub(crate) fn same(&mut self, offer: &Offer, began: Instant) -> Option<Micros> {
        let fingerprint = self.fingerprints.of(offer);
        self.told.retain(|(.., at)| at.elapsed() < LONGEST);
        let same = |(print, _, told): &&(u64, Micros, Instant)| *print == fingerprint && *told >= began;
        if let Some((_, at, _)) = self.told.iter().rev().find(same) {
            return Some(*at);
        }
        if self.told.len() >= MOST {
            self.told.pop_front();
        }
        self.told.push_back((fingerprint, offer.at, Instant::now()));
        None
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use yadori_core::Representation;

    use super::*;

    fn offer(text: &str, at: Micros) -> Offer {
        let representations = vec![Representation::new(mime::PLAIN, text.as_bytes().to_vec())];
        Offer { representations, at, ..Offer::default() }
    }

    proptest! {
        #[test]
        fn what_overlaps_and_is_the_same_is_told_once_and_everything_else_each_time(
            copies in prop::collection::vec((0u8..4, 0usize..4), 1..60),
        ) {
            let mut lately = Lately::default();
            let mut told: Vec<(u8, usize, Micros)> = Vec::new();
            let mut moments = vec![Instant::now()];
            for (n, (text, back)) in copies.iter().enumerate() {
                let first = n.saturating_sub(*back);
                let wanted = told.iter().rev().find(|(known, when, _)| known == text && *when >= first).map(|one| one.2);
                let same = lately.same(&offer(&text.to_string(), n as Micros), moments[first]);
                prop_assert_eq!(same, wanted);
                if same.is_none() {
                    told.push((*text, n, n as Micros));
                }
                // Moments that are told apart.
                while Instant::now() <= moments[n] {}
                moments.push(Instant::now());
            }
        }
    }
}
