//! The scan: blocks of documents, newest first, taken in turn by two threads, until enough was found.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

use memchr::memmem::Finder;

use super::corpus::{Corpus, DEAD, DRAWER, Doc, EDITED, PINNED, REPEATED, Run, TITLED};
use super::pattern::Pattern;
use super::query::{Is, Query, Test};
use super::when;
use crate::drawer::Drawers;
use crate::fold::{PART, fold};

/// Documents in a block at most.
const BLOCK: usize = 512;
/// Blocks that one thread looks at before it is worth starting a second.
const ALONE: usize = 3;

/// A word, a pattern, or a look at what is known without the text.
enum Check<'q> {
    Words(Box<Finder<'q>>),
    Pattern(&'q Pattern),
    Fact(Box<dyn Fn(&Doc) -> bool + Send + Sync + 'q>),
}

/// A query bound to a corpus: names resolved to numbers, words prepared for finding.
pub(super) struct Bound<'q> {
    /// The longest word that must be there, when nothing cheaper tells documents apart.
    anchor: Option<Box<Finder<'q>>>,
    anchor_length: usize,
    /// The cheap ones first.
    checks: Vec<(bool, Check<'q>)>,
}

impl<'q> Bound<'q> {
    pub(super) fn new(query: &'q Query, corpus: &Corpus, drawers: &Drawers) -> Self {
        let mut checks: Vec<(bool, Check<'q>)> = query
            .terms
            .iter()
            .map(|term| {
                let check = match &term.test {
                    Test::Words(words) => Check::Words(Box::new(Finder::new(words.as_bytes()))),
                    Test::Pattern(pattern) => Check::Pattern(pattern),
                    other => Check::Fact(fact(other, corpus, drawers)),
                };
                (term.not, check)
            })
            .collect();
        checks.sort_by_key(|(not, check)| match check {
            Check::Fact(_) => (0, 0),
            // Long words are rare words.
            Check::Words(finder) => (1 + u8::from(*not), usize::MAX - finder.needle().len()),
            Check::Pattern(_) => (3, 0),
        });
        let mut anchor = None;
        if matches!(checks.first(), Some((false, Check::Words(_))))
            && let (_, Check::Words(finder)) = checks.remove(0)
        {
            anchor = Some(finder);
        }
        let anchor_length = anchor.as_ref().map_or(0, |finder| finder.needle().len());
        Self { anchor, anchor_length, checks }
    }

    fn holds(&self, run: &Run, doc: &Doc) -> bool {
        self.checks.iter().all(|(not, check)| {
            let found = match check {
                Check::Fact(fact) => fact(doc),
                Check::Words(finder) => finder.find(run.text(doc)).is_some(),
                Check::Pattern(pattern) => {
                    run.text(doc).split(|byte| *byte == PART).any(|part| pattern.matches(part))
                }
            };
            found != *not
        })
    }
}

fn fact<'q>(
    test: &'q Test,
    corpus: &Corpus,
    drawers: &Drawers,
) -> Box<dyn Fn(&Doc) -> bool + Send + Sync + 'q> {
    fn among(set: Vec<bool>) -> impl Fn(u32) -> bool {
        move |number| set.get(number as usize).copied().unwrap_or(false)
    }
    match test {
        Test::Kind(kind) => {
            let kind = *kind as u8;
            Box::new(move |doc| doc.kind == kind)
        }
        Test::From(name) => {
            let set = among(corpus.programs.values.iter().map(|one| fold(one).contains(name)).collect());
            Box::new(move |doc| set(doc.program))
        }
        Test::On(name) => {
            let called = |device| corpus.device_names.get(device).is_some_and(|own| own.starts_with(name));
            let set = among(corpus.devices.values.iter().map(|all| all.iter().any(called)).collect());
            Box::new(move |doc| set(doc.devices))
        }
        Test::In(name) => {
            let meant = drawers_called(name, drawers);
            let set =
                among(corpus.drawers.values.iter().map(|id| meant.iter().any(|one| one == id)).collect());
            Box::new(move |doc| set(doc.drawer))
        }
        Test::Has(form) => {
            let has = |mime: &String| mime.contains(form.as_str());
            let set = among(corpus.forms.values.iter().map(|all| all.iter().any(has)).collect());
            Box::new(move |doc| set(doc.forms))
        }
        Test::Is(Is::Favorite) => {
            let there = among(corpus.drawers.values.iter().map(|id| drawers.get(id).is_some()).collect());
            Box::new(move |doc| doc.is(PINNED) && !(doc.is(DRAWER) && there(doc.drawer)))
        }
        Test::Is(Is::Drawer) => {
            let there = among(corpus.drawers.values.iter().map(|id| drawers.get(id).is_some()).collect());
            Box::new(move |doc| doc.is(DRAWER) && there(doc.drawer))
        }
        Test::Is(is) => {
            let flag = match is {
                Is::Titled => TITLED,
                Is::Edited => EDITED,
                Is::Repeated => REPEATED,
                _ => PINNED,
            };
            Box::new(move |doc| doc.is(flag))
        }
        Test::Color(color) => {
            let color = *color as u8;
            Box::new(move |doc| doc.color == color)
        }
        Test::Since(at) => Box::new(move |doc| doc.at >= *at),
        Test::Before(at) => Box::new(move |doc| doc.at < *at),
        Test::Hour(hour, zone) => Box::new(move |doc| when::at(doc.at, zone).hour() == *hour),
        Test::Over(size) => Box::new(move |doc| doc.size > *size),
        Test::Under(size) => Box::new(move |doc| doc.size < *size),
        Test::Words(_) | Test::Pattern(_) => Box::new(|_| true),
    }
}

/// The drawers a folded name means: called so, or in a group called so; failing that, whose names begin so.
pub(super) fn drawers_called(name: &str, drawers: &Drawers) -> Vec<String> {
    let shown = drawers.shown();
    let pick = |fits: &dyn Fn(&str) -> bool| -> Vec<String> {
        shown
            .iter()
            .filter(|(_, state)| {
                [state.name(), state.group()].into_iter().flatten().any(|one| fits(&fold(one)))
            })
            .map(|(id, _)| (*id).to_owned())
            .collect()
    };
    let exact = pick(&|one| one == name);
    if exact.is_empty() { pick(&|one| one.starts_with(name)) } else { exact }
}

/// Numbers of the newest matching documents, newest first; at least `wanted` of them, if there are so many. `None`
/// when `stop` was set.
pub(super) fn scan(run: &Run, bound: &Bound<'_>, wanted: usize, stop: &AtomicBool) -> Option<Vec<usize>> {
    let blocks = blocks_of(run);
    let mut found = Vec::new();
    let alone = blocks.len().min(ALONE);
    for block in &blocks[..alone] {
        if stop.load(Ordering::Relaxed) {
            return None;
        }
        look(run, bound, *block, &mut found);
        if found.len() >= wanted {
            return Some(found);
        }
    }
    let rest = &blocks[alone..];
    if rest.is_empty() {
        return Some(found);
    }
    let shared = Turn {
        next: AtomicUsize::new(0),
        done: Mutex::new(Done { whole: 0, found: found.len(), parts: vec![None; rest.len()] }),
    };
    std::thread::scope(|scope| {
        scope.spawn(|| shared.work(run, bound, rest, wanted, stop));
        shared.work(run, bound, rest, wanted, stop);
    });
    if stop.load(Ordering::Relaxed) {
        return None;
    }
    let Done { whole, parts, .. } = shared.done.into_inner().unwrap_or_else(PoisonError::into_inner);
    for part in parts.into_iter().take(whole) {
        found.extend(part.unwrap_or_default());
    }
    Some(found)
}

struct Turn {
    next: AtomicUsize,
    done: Mutex<Done>,
}

/// What was found so far.
struct Done {
    /// How many blocks from the first on are done.
    whole: usize,
    /// How many documents they hold, and what was looked at before.
    found: usize,
    /// What each block holds.
    parts: Vec<Option<Vec<usize>>>,
}

impl Turn {
    fn work(
        &self,
        run: &Run,
        bound: &Bound<'_>,
        blocks: &[(usize, usize)],
        wanted: usize,
        stop: &AtomicBool,
    ) {
        loop {
            let n = self.next.fetch_add(1, Ordering::Relaxed);
            if n >= blocks.len() || stop.load(Ordering::Relaxed) {
                return;
            }
            let mut found = Vec::new();
            look(run, bound, blocks[n], &mut found);
            let mut done = self.done.lock().unwrap_or_else(PoisonError::into_inner);
            done.parts[n] = Some(found);
            while let Some(Some(next)) = done.parts.get(done.whole) {
                done.found += next.len();
                done.whole += 1;
            }
            if done.found >= wanted {
                self.next.store(blocks.len(), Ordering::Relaxed);
                return;
            }
        }
    }
}

/// Ranges of documents within one segment, newest first.
fn blocks_of(run: &Run) -> Vec<(usize, usize)> {
    let mut blocks = Vec::with_capacity(run.docs.len() / BLOCK + run.segments.len());
    let mut high = run.docs.len();
    for segment in run.segments.iter().rev() {
        while high > segment.first_doc {
            let low = high.saturating_sub(BLOCK).max(segment.first_doc);
            blocks.push((low, high));
            high = low;
        }
    }
    blocks
}

/// Adds what matches in a block, newest first.
fn look(run: &Run, bound: &Bound<'_>, (low, high): (usize, usize), found: &mut Vec<usize>) {
    let first = found.len();
    let docs = &run.docs[low..high];
    let Some(anchor) = &bound.anchor else {
        let matching =
            docs.iter().enumerate().rev().filter(|(_, doc)| !doc.is(DEAD) && bound.holds(run, doc));
        found.extend(matching.map(|(n, _)| low + n));
        return;
    };
    let (Some(oldest), Some(newest)) = (docs.first(), docs.last()) else { return };
    let text = &run.segments[oldest.segment as usize].text[..newest.end as usize];
    let mut at = oldest.start as usize;
    let mut from = 0;
    while let Some(hit) = anchor.find(&text[at..]) {
        let hit = at + hit;
        // Hits are dense or rare: gallop from the last one.
        let mut step = 1;
        while from + step < docs.len() && (docs[from + step].end as usize) < hit + bound.anchor_length {
            step *= 2;
        }
        let end = (from + step + 1).min(docs.len());
        let n = from + docs[from..end].partition_point(|doc| (doc.end as usize) < hit + bound.anchor_length);
        let Some(doc) = docs.get(n) else { break };
        if !doc.is(DEAD) && bound.holds(run, doc) {
            found.push(low + n);
        }
        at = doc.end as usize;
        from = n;
    }
    found[first..].reverse();
}
