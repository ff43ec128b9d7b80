//! The scan: blocks of documents, newest first, taken in turn by two threads, until enough was found. Of blocks with a seal only
//! those places are looked at that the seal leaves.

use std::ops::Range;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use memchr::memmem::Finder;

use crate::history::drawers::Drawers;
use crate::search::checks::{Check, Checks};
use crate::search::doc::{DEAD, Doc};
use crate::search::index::{Found, GoOn};
use crate::search::query::{Query, Term, Test};
use crate::search::seal::{BLOCKS, FEW_BLOCKS, Left, Needle, Place, Seal};
use crate::search::summary::Summary;
use crate::search::texts::{Block, Run, Texts};
use crate::text::stack::overwrite_stack_of_scan;

/// Effort of one thread before it is worth starting a second, in places below seals that are looked at: as much as some ten
/// beginnings of a thread take.
const ALONE: usize = if cfg!(test) { 80 } else { 2_500 };
/// The effort of a look at a block, and of asking a seal.
const OF_BLOCK: usize = 80;
const OF_SEAL: usize = 60;
/// Documents of a block that are looked at first.
const FIRST_DOCS: usize = 64;
/// Bytes at a place that are fetched before it is looked at, and how many bytes memory gives at once.
const FETCHED: usize = 256;
const LINE: usize = 64;

/// What is looked at in one go.
#[derive(Clone, Copy)]
enum Piece<'t> {
    Block(&'t Block),
    Sealed(&'t [Arc<Block>], &'t Seal),
}

/// A word by which a document can be found.
type Way<'q> = (Needle, Finder<'q>);

/// Words of which every match has one, if there are such: those that are likely to be the rarest.
fn ways(terms: &[Term]) -> Option<Vec<&[u8]>> {
    fn of(term: &Term) -> Option<Vec<&[u8]>> {
        match &term.test {
            _ if term.not => None,
            Test::Words(words) => Some(vec![words.as_bytes()]),
            Test::Pattern(pattern) => Some(vec![pattern.required().as_bytes()]),
            Test::Any(any) => Some(any.iter().map(|terms| ways(terms)).collect::<Option<Vec<_>>>()?.concat()),
            _ => None,
        }
    }
    let all = terms.iter().filter_map(of).filter(|words| words.iter().all(|word| !word.is_empty()));
    // Long words are rare words; of several the shortest counts.
    all.max_by_key(|words| (words.iter().map(|word| word.len()).min(), std::cmp::Reverse(words.len())))
}

/// A query bound to a corpus: names resolved to numbers, words prepared for finding.
pub(super) struct Bound<'q> {
    /// The longest word that must be there, when nothing cheaper tells documents apart.
    anchor: Option<Box<Finder<'q>>>,
    anchor_length: usize,
    checks: Checks<'q>,
    /// The anchor is the one way: what has that has it.
    is_way: bool,
    /// What is sealed has one of these, or does not match; `None`: nothing is known of that.
    ways: Option<Vec<Way<'q>>>,
}

impl<'q> Bound<'q> {
    pub(super) fn new(query: &'q Query, corpus: &'q Texts, drawers: &'q Drawers) -> Self {
        let mut checks = Checks::new(&query.terms, corpus, drawers);
        let mut anchor = None;
        if matches!(checks.0.first(), Some((false, Check::Words(_))))
            && let (_, Check::Words(finder)) = checks.0.remove(0)
        {
            anchor = Some(finder);
        }
        let anchor_length = anchor.as_ref().map_or(0, |finder| finder.needle().len());
        let ways: Option<Vec<Way<'_>>> = ways(&query.terms).map(|words| {
            words.into_iter().filter_map(|word| Some((Needle::new(word)?, Finder::new(word)))).collect()
        });
        let is_way = match (&anchor, ways.as_deref()) {
            (Some(anchor), Some([(_, way)])) => anchor.needle() == way.needle(),
            _ => false,
        };
        Self { anchor, anchor_length, checks, is_way, ways }
    }

    /// A document that has the anchor.
    fn holds(&self, block: &Block, n: usize) -> bool {
        !block.docs[n].is(DEAD) && self.checks.hold(block, n)
    }

    /// A document that was not found by the anchor.
    fn matches(&self, block: &Block, n: usize) -> bool {
        let has = |anchor: &Finder<'_>| anchor.find(block.text_of(n)).is_some();
        !block.docs[n].is(DEAD) && self.anchor.as_deref().is_none_or(has) && self.checks.hold(block, n)
    }
}

/// The newest `most` documents that match. `None` when `stop` was set.
pub(super) fn find(
    texts: &Texts,
    query: &Query,
    drawers: &Drawers,
    most: usize,
    go_on: GoOn<'_>,
) -> Option<Found> {
    let bound = Bound::new(query, texts, drawers);
    let mut side = scan(&texts.side, &bound, usize::MAX, go_on)?;
    let main = scan(&texts.main, &bound, most.saturating_add(1), go_on)?;
    side.sort_by_key(|doc| std::cmp::Reverse(doc.key()));
    let mut ids = Vec::with_capacity((main.len() + side.len()).min(most.saturating_add(1)));
    let mut main = main.into_iter().peekable();
    let mut side = side.into_iter().peekable();
    while ids.len() <= most {
        let next = match (main.peek(), side.peek()) {
            (Some(a), Some(b)) if a.key() < b.key() => side.next(),
            (None, _) => side.next(),
            _ => main.next(),
        };
        match next {
            Some(doc) => ids.push(doc.id),
            None => break,
        }
    }
    let more = ids.len() > most;
    ids.truncate(most);
    Some(Found { ids, more })
}

/// The newest matching documents, newest first; at least `wanted` of them, if there are so many. `None` when it was given
/// up.
fn scan<'t>(run: &'t Run, bound: &Bound<'_>, wanted: usize, go_on: GoOn<'_>) -> Option<Vec<&'t Doc>> {
    let mut found = Vec::new();
    let newest_first = pieces(run, bound);
    let mut rest = newest_first.as_slice();
    let (mut left, mut effort) = (Left::default(), 0);
    while let Some((piece, others)) = rest.split_first()
        && (effort < ALONE || others.is_empty())
    {
        if !go_on() {
            return None;
        }
        effort += look_at(*piece, bound, wanted, &mut found, &mut left);
        if found.len() >= wanted {
            return Some(found);
        }
        rest = others;
    }
    if rest.is_empty() {
        return Some(found);
    }
    let shared = Sharing {
        next: AtomicUsize::new(0),
        given_up: AtomicBool::new(false),
        done: Mutex::new(Done { whole: 0, found: found.len(), parts: vec![None; rest.len()] }),
    };
    std::thread::scope(|scope| {
        scope.spawn(|| {
            shared.work(bound, rest, wanted, go_on);
            overwrite_stack_of_scan();
        });
        shared.work(bound, rest, wanted, go_on);
    });
    if shared.given_up.into_inner() {
        return None;
    }
    let Done { whole, parts, .. } = shared.done.into_inner().unwrap_or_else(PoisonError::into_inner);
    for part in parts.into_iter().take(whole) {
        found.extend(part.unwrap_or_default());
    }
    Some(found)
}

/// A run in pieces, newest first.
fn pieces<'t>(run: &'t Run, bound: &Bound<'_>) -> Vec<Piece<'t>> {
    let mut pieces = Vec::with_capacity(run.blocks.len() / BLOCKS + BLOCKS);
    let mut end = run.blocks.len();
    while end > 0 {
        // The seal of most blocks that end here, if there is one.
        let sealed = [BLOCKS, FEW_BLOCKS].into_iter().find_map(|blocks| {
            let first =
                end.checked_sub(blocks).filter(|first| bound.ways.is_some() && first % blocks == 0)?;
            Some((first, run.seals.get(first, blocks)?))
        });
        end = match sealed {
            Some((first, seal)) => {
                pieces.push(Piece::Sealed(&run.blocks[first..end], seal));
                first
            }
            None => {
                let block: &Block = &run.blocks[end - 1];
                if bound.checks.may(&block.summary) {
                    pieces.push(Piece::Block(block));
                }
                end - 1
            }
        };
    }
    pieces
}

/// Blocks that two threads take in turn.
struct Sharing<'t> {
    next: AtomicUsize,
    given_up: AtomicBool,
    done: Mutex<Done<'t>>,
}

/// What was found so far.
struct Done<'t> {
    /// How many blocks from the first on are done.
    whole: usize,
    /// How many documents they hold, and what was looked at before.
    found: usize,
    /// What each block holds.
    parts: Vec<Option<Vec<&'t Doc>>>,
}

impl<'t> Sharing<'t> {
    fn work(&self, bound: &Bound<'_>, pieces: &[Piece<'t>], wanted: usize, go_on: GoOn<'_>) {
        let mut left = Left::default();
        loop {
            let n = self.next.fetch_add(1, Ordering::Relaxed);
            if n >= pieces.len() {
                return;
            }
            if !go_on() {
                self.given_up.store(true, Ordering::Relaxed);
                self.next.store(pieces.len(), Ordering::Relaxed);
                return;
            }
            let mut found = Vec::new();
            look_at(pieces[n], bound, wanted, &mut found, &mut left);
            let mut done = self.done.lock().unwrap_or_else(PoisonError::into_inner);
            done.parts[n] = Some(found);
            while let Some(Some(next)) = done.parts.get(done.whole) {
                done.found += next.len();
                done.whole += 1;
            }
            if done.found >= wanted {
                self.next.store(pieces.len(), Ordering::Relaxed);
                return;
            }
        }
    }
}

/// Adds what matches in a piece, newest first; at least up to as many as are wanted in all. Gives the effort.
fn look_at<'t>(
    piece: Piece<'t>,
    bound: &Bound<'_>,
    wanted: usize,
    found: &mut Vec<&'t Doc>,
    left: &mut Left,
) -> usize {
    let may = |all: &Summary| bound.checks.may(all);
    let mut places = 0;
    match (piece, bound.ways.as_deref()) {
        (Piece::Block(block), _) => {
            look(block, bound, wanted, found);
            return OF_BLOCK;
        }
        (Piece::Sealed(blocks, _), None) => {
            blocks.iter().rev().for_each(|block| look(block, bound, wanted, found));
            return OF_BLOCK * blocks.len();
        }
        (Piece::Sealed(blocks, seal), Some([way])) => {
            places += look_by(blocks, seal, way, left, &may, |block, (_, n)| {
                let fits = if bound.is_way { bound.holds(block, n) } else { bound.matches(block, n) };
                if fits {
                    found.push(&block.docs[n]);
                }
                found.len() < wanted
            });
        }
        // By each way, and then in order.
        (Piece::Sealed(blocks, seal), Some(ways)) => {
            let mut hits: Vec<(usize, usize)> = Vec::new();
            for way in ways {
                places += look_by(blocks, seal, way, left, &may, |_, place| {
                    hits.push(place);
                    true
                });
            }
            hits.sort_unstable_by(|one, other| other.cmp(one));
            hits.dedup();
            let hits = hits.into_iter().filter(|(block, n)| bound.matches(&blocks[*block], *n));
            found.extend(hits.map(|(block, n)| &blocks[block].docs[n]));
        }
    }
    OF_SEAL + places
}

/// Gives the documents below a seal that have a word, newest first, each with its block and its number there, until nobody wants
/// more. Gives how many places were looked at.
fn look_by<'t>(
    blocks: &'t [Arc<Block>],
    seal: &Seal,
    (needle, finder): &Way<'_>,
    left: &mut Left,
    may: &dyn Fn(&Summary) -> bool,
    mut each: impl FnMut(&'t Block, (usize, usize)) -> bool,
) -> usize {
    let mut last = None;
    let mut here = Vec::new();
    let mut count = 0;
    seal.places(needle, left, |places| {
        count += places.len();
        fetch(blocks, places);
        places.iter().all(|place| {
            let block: &Block = &blocks[place.block];
            if !may(&block.summary) {
                return true;
            }
            let end = place.to.min(block.text.len());
            let (mut at, mut from) = (place.from, 0);
            while at < end
                && let Some(hit) = finder.find(&block.text[at..end])
            {
                let n = block.ending_at(from..block.docs.len(), at + hit + finder.needle().len());
                if n == block.docs.len() {
                    break;
                }
                here.push(n);
                (at, from) = (block.end_of(n), n);
            }
            // A text that goes on in the next piece was found there already.
            while let Some(n) = here.pop() {
                let at = (place.block, n);
                if last.is_none_or(|last| at < last) {
                    last = Some(at);
                    if !each(block, at) {
                        return false;
                    }
                }
            }
            true
        })
    });
    count
}

/// Has the memory fetch the texts at some places all at once: they lie far apart, and each would be waited for by itself.
fn fetch(blocks: &[Arc<Block>], places: &[Place]) {
    let lines = |place: &Place| {
        let text = blocks[place.block].text.as_slice();
        let lines = (place.from..place.to.min(place.from + FETCHED)).step_by(LINE);
        lines.fold(0, |all, at| all ^ text.get(at).copied().unwrap_or(0))
    };
    std::hint::black_box(places.iter().map(lines).fold(0, |all, one| all ^ one));
}

/// Adds what matches in a block, newest first; at least up to as many as are wanted in all.
fn look<'t>(block: &'t Block, bound: &Bound<'_>, wanted: usize, found: &mut Vec<&'t Doc>) {
    // From the newest on, by more and more documents.
    let (mut end, mut some) = (block.docs.len(), FIRST_DOCS);
    while end > 0 && found.len() < wanted {
        let from = end.saturating_sub(some);
        look_among(block, from..end, bound, found);
        (end, some) = (from, some * 2);
    }
}

fn look_among<'t>(block: &'t Block, docs: Range<usize>, bound: &Bound<'_>, found: &mut Vec<&'t Doc>) {
    let Some(anchor) = &bound.anchor else {
        found.extend(docs.rev().filter(|n| bound.holds(block, *n)).map(|n| &block.docs[n]));
        return;
    };
    let first = found.len();
    let texts = block.texts_of(docs.clone());
    let (mut at, mut from) = (texts.start, docs.start);
    while at < texts.end
        && let Some(hit) = anchor.find(&block.text[at..texts.end])
    {
        let n = block.ending_soon_at(from..docs.end, at + hit + bound.anchor_length);
        if n == docs.end {
            break;
        }
        if bound.holds(block, n) {
            found.push(&block.docs[n]);
        }
        (at, from) = (block.end_of(n), n);
    }
    found[first..].reverse();
}
