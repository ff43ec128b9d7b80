//! Searches, copies, removals, seals and weavings at once, each on threads of its own, as in the service: every search gives what a
//! naive look at the texts of its moment gives.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, MutexGuard};

use super::tests::{clip, here};
use super::*;
use crate::search::when::Here;
use crate::text::fold::fold;

/// Copies made by each run, and how many of the threads that search.
const COPIES: u64 = 1_500;
const SEARCHERS: u64 = 2;
const WORDS: [&str; 9] = ["hut", "ridge", "bunks", "Łódź", "山小屋", "lentils", "zephyr", "path", "kestrel"];
const QUERIES: [&str; 10] = [
    "hut",
    "ridge bunks",
    "-hut",
    "lodz",
    "山小",
    "hut OR zephyr",
    "e",
    "/le?nt/",
    "path -kestrel",
    "zephyr 1",
];

/// What is searched, and the same written as plainly as possible: times, ids and folded texts.
#[derive(Default)]
struct Both {
    corpus: Corpus,
    plain: Vec<(i64, ClipId, String)>,
}

/// A seeded source of numbers (xorshift).
struct Dice(u64);

impl Dice {
    fn below(&mut self, end: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 % end as u64).unwrap_or(0)
    }
}

fn held(both: &Mutex<Both>) -> MutexGuard<'_, Both> {
    both.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
}

fn holds(text: &str, query: &str) -> bool {
    match query {
        "hut OR zephyr" => text.contains("hut") || text.contains("zephyr"),
        "/le?nt/" => text.contains("lent") || text.contains("lnt"),
        _ => query.split(' ').all(|word| match word.strip_prefix('-') {
            Some(word) => !text.contains(word),
            None => text.contains(word),
        }),
    }
}

fn copies_and_removals(both: &Mutex<Both>) {
    let mut dice = Dice(0x9e37_79b9);
    for n in 0..COPIES {
        let words: Vec<&str> = (0..1 + dice.below(12)).map(|_| WORDS[dice.below(WORDS.len())]).collect();
        let text = format!("{} {n}", words.join(" "));
        // Some come late.
        let at = i64::try_from(n).unwrap_or(0) * 10 - if dice.below(5) == 0 { 95 } else { 0 };
        let new = clip(n, &text, at);
        let mut both = held(both);
        both.corpus.put(&new, &Drawers::default(), Text::Whole(&text));
        // Its program and its window are found as well.
        let parts =
            new.state.offer().map(|offer| (offer.source.program.clone(), offer.source.window.clone()));
        let (program, window) = parts.unwrap_or_default();
        let all = [text, program.unwrap_or_default(), window.unwrap_or_default()];
        both.plain.push((at, new.id, fold(&all.join("\n"))));
        if dice.below(3) == 0 {
            let gone = dice.below(both.plain.len());
            let (_, id, _) = both.plain.swap_remove(gone);
            both.corpus.remove(id);
        }
    }
}

fn seals_and_weavings(both: &Mutex<Both>, over: &AtomicBool) {
    while !over.load(Ordering::Relaxed) {
        let sealing = held(both).corpus.unsealed(&|_| false);
        if let Some(sealed) = sealing.map(Sealing::seal) {
            drop(held(both).corpus.put_seal(sealed));
        }
        // Whatever the runs are like.
        let weaving = held(both).corpus.begin_weaving();
        let woven = weaving.weave();
        drop(held(both).corpus.put_woven(woven));
        std::thread::yield_now();
    }
}

fn searches(both: &Mutex<Both>, over: &AtomicBool, seed: u64) -> usize {
    let (mut dice, mut count) = (Dice(seed), 0);
    let Here { now, zone } = here();
    while !over.load(Ordering::Relaxed) {
        let query = QUERIES[dice.below(QUERIES.len())];
        let (texts, mut plain) = {
            let both = held(both);
            (both.corpus.texts(), both.plain.clone())
        };
        let read = Query::parse(query, &Here { now, zone: zone.clone() }).expect("a query");
        let found = texts.find(&read, &Drawers::default(), 50, &|| true).expect("nobody gives up");
        plain.retain(|(_, _, text)| holds(text, query));
        plain.sort_by_key(|(at, id, _)| std::cmp::Reverse((*at, *id)));
        let more = plain.len() > 50;
        let ids: Vec<ClipId> = plain.into_iter().take(50).map(|(_, id, _)| id).collect();
        assert_eq!((found.ids, found.more), (ids, more), "{query}");
        count += 1;
    }
    count
}

#[test]
fn while_copies_come_and_go_every_search_gives_what_was_there_at_its_moment() {
    let (both, over) = (&Mutex::new(Both::default()), &AtomicBool::new(false));
    let counts: Vec<usize> = std::thread::scope(|scope| {
        let searchers: Vec<_> =
            (1..=SEARCHERS).map(|seed| scope.spawn(move || searches(both, over, seed * 0x51ed))).collect();
        let sealer = scope.spawn(|| seals_and_weavings(both, over));
        copies_and_removals(both);
        over.store(true, Ordering::Relaxed);
        sealer.join().expect("it ends well");
        searchers.into_iter().map(|one| one.join().expect("it ends well")).collect()
    });
    assert!(counts.iter().all(|count| *count > 20), "{counts:?} searches");
}
