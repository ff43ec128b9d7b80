//! Searches, copies, removals, seals and weavings at once, each on threads of its own, as in the service: every search gives what a
//! naive look at the texts of its moment gives.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, MutexGuard};

use super::tests::{clip, here};
use super::*;
use crate::search::when::Here;
use crate::text::fold::fold;

const COPIES: usize = 1_500;
const SEARCHERS: usize = 2;
const ROUNDS: u64 = 4;
/// Searches that each of them makes.
const SEARCHES: usize = 60;

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

/// How far everybody has come: nobody runs far ahead of the others.
#[derive(Default)]
struct Pace {
    copies: AtomicUsize,
    searches: [AtomicUsize; SEARCHERS],
}

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

fn copies_and_removals(both: &Mutex<Both>, pace: &Pace, round: u64) {
    let mut dice = Dice(0x9e37_79b9 * round);
    let fewest = || pace.searches.iter().map(|made| made.load(Ordering::Relaxed)).min().unwrap_or(0);
    for n in 0..COPIES {
        while fewest() * 3 * COPIES < n * SEARCHES {
            std::thread::yield_now();
        }
        let words: Vec<&str> = (0..1 + dice.below(12)).map(|_| WORDS[dice.below(WORDS.len())]).collect();
        let text = format!("{} {n}", words.join(" "));
        // Some come late.
        let at = i64::try_from(n).unwrap_or(0) * 10 - if dice.below(5) == 0 { 95 } else { 0 };
        let new = clip(n as u64, &text, at);
        let mut both = held(both);
        both.corpus.put(&new, &Drawers::default(), Text::Whole(&text));
        // Its program and its window are found as well.
        let parts =
            new.state.offer().map(|offer| (offer.source.program.clone(), offer.source.window.clone()));
        let (program, window) = parts.unwrap_or_default();
        let all = [text, program.unwrap_or_default(), window.unwrap_or_default()];
        both.plain.push((at, new.id, fold(&all.join("\n"))));
        if dice.below(3) == 0 {
            // New ones above all: it is those that searches look for.
            let newest = both.plain.len().min(if dice.below(4) == 0 { COPIES } else { 40 });
            let gone = both.plain.len() - 1 - dice.below(newest);
            let (_, id, _) = both.plain.remove(gone);
            both.corpus.remove(id);
        }
        pace.copies.store(n + 1, Ordering::Relaxed);
    }
}

fn seals(both: &Mutex<Both>, over: &AtomicBool) {
    while !over.load(Ordering::Relaxed) {
        let sealing = held(both).corpus.unsealed(&|_| false);
        if let Some(sealed) = sealing.map(Sealing::seal) {
            drop(held(both).corpus.put_seal(sealed));
        }
        std::thread::yield_now();
    }
}

fn weavings(both: &Mutex<Both>, over: &AtomicBool, pace: &Pace) {
    while !over.load(Ordering::Relaxed) {
        // Whatever the runs are like.
        let weaving = held(both).corpus.begin_weaving();
        let woven = weaving.weave();
        // Some copies later.
        let now = pace.copies.load(Ordering::Relaxed);
        while pace.copies.load(Ordering::Relaxed) < (now + 5).min(COPIES) {
            std::thread::yield_now();
        }
        drop(held(both).corpus.put_woven(woven));
        std::thread::yield_now();
    }
}

fn searches(both: &Mutex<Both>, pace: &Pace, number: usize) {
    let mut dice = Dice(number as u64 + 0x51ed);
    let Here { now, zone } = here();
    for n in 0..SEARCHES {
        while pace.copies.load(Ordering::Relaxed) * SEARCHES < n * COPIES {
            std::thread::yield_now();
        }
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
        pace.searches[number].store(n + 1, Ordering::Relaxed);
    }
}

#[test]
fn while_copies_come_and_go_every_search_gives_what_was_there_at_its_moment() {
    (1..=ROUNDS).for_each(all_at_once);
}

fn all_at_once(round: u64) {
    let (both, over) = (&Mutex::new(Both::default()), &AtomicBool::new(false));
    let pace = &Pace::default();
    std::thread::scope(|scope| {
        let searchers: Vec<_> = (0..SEARCHERS)
            .map(|number| {
                scope.spawn(move || {
                    // Whoever waits for a search that failed waits no longer.
                    let done = std::panic::catch_unwind(|| searches(both, pace, number));
                    pace.searches[number].store(SEARCHES, Ordering::Relaxed);
                    done
                })
            })
            .collect();
        let others = [scope.spawn(|| seals(both, over)), scope.spawn(|| weavings(both, over, pace))];
        copies_and_removals(both, pace, round);
        let all = searchers.into_iter().map(|one| one.join().expect("it was caught"));
        let failed: Vec<_> = all.filter_map(Result::err).collect();
        over.store(true, Ordering::Relaxed);
        others.into_iter().for_each(|one| one.join().expect("it ends well"));
        assert!(failed.is_empty(), "{} searches gave something else", failed.len());
    });
}
