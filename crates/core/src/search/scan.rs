//! The scan: blocks of documents, newest first, taken in turn by two threads, until enough was found. Of blocks with a seal only
//! those places are looked at that the seal leaves.

use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Arc, Mutex, PoisonError};

use memchr::memmem::Finder;

use crate::history::drawers::Drawers;
use crate::search::checks::{Check, Checks};
use crate::search::doc::{DEAD, Doc};
use crate::search::index::{Found, GoOn};
use crate::search::query::{Query, Term, Test};
use crate::search::seal::{BLOCKS, FEW_BLOCKS, Left, Needle, Seal};
use crate::search::summary::Summary;
use crate::search::texts::{Block, Run, Texts};
use crate::text::stack::overwrite_stack_of_scan;

/// Blocks that one thread looks at before it is worth starting a second.
const ALONE: usize = 3;

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
        let ways = ways(&query.terms).map(|words| {
            words.into_iter().filter_map(|word| Some((Needle::new(word)?, Finder::new(word)))).collect()
        });
        Self { anchor, anchor_length, checks, ways }
    }

    fn holds(&self, block: &Block, doc: &Doc) -> bool {
        self.checks.hold(block, doc)
    }

    /// The same of a document that was not found by the anchor.
    fn matches(&self, block: &Block, doc: &Doc) -> bool {
        let has = |anchor: &Finder<'_>| anchor.find(block.text_of(doc)).is_some();
        !doc.is(DEAD) && self.anchor.as_deref().is_none_or(has) && self.holds(block, doc)
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
    let alone = worth_alone(&newest_first);
    let (first, rest) = newest_first.split_at(alone);
    let mut left = Left::default();
    for piece in first {
        if !go_on() {
            return None;
        }
        look_at(*piece, bound, wanted, &mut found, &mut left);
        if found.len() >= wanted {
            return Some(found);
        }
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

/// How many pieces one thread looks at before it is worth starting a second.
fn worth_alone(pieces: &[Piece<'_>]) -> usize {
    let blocks = pieces.iter().take(2 * ALONE).filter(|piece| matches!(piece, Piece::Block(_))).count();
    // Below a seal less is read.
    let alone = if blocks > ALONE { ALONE } else { 4 * ALONE };
    if pieces.len() > 2 * alone { alone } else { pieces.len() }
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

/// Adds what matches in a piece, newest first; at least up to as many as are wanted in all.
fn look_at<'t>(
    piece: Piece<'t>,
    bound: &Bound<'_>,
    wanted: usize,
    found: &mut Vec<&'t Doc>,
    left: &mut Left,
) {
    let may = |all: &Summary| bound.checks.may(all);
    match (piece, bound.ways.as_deref()) {
        (Piece::Block(block), _) => look(block, bound, found),
        (Piece::Sealed(blocks, _), None) => {
            blocks.iter().rev().for_each(|block| look(block, bound, found));
        }
        (Piece::Sealed(blocks, seal), Some([way])) => {
            look_by(blocks, seal, way, left, &may, |block, _, doc| {
                if bound.matches(block, doc) {
                    found.push(doc);
                }
                found.len() < wanted
            });
        }
        // By each way, and then in order.
        (Piece::Sealed(blocks, seal), Some(ways)) => {
            let mut hits: Vec<(usize, usize)> = Vec::new();
            for way in ways {
                look_by(blocks, seal, way, left, &may, |_, place, _| {
                    hits.push(place);
                    true
                });
            }
            hits.sort_unstable_by(|one, other| other.cmp(one));
            hits.dedup();
            let docs = hits.into_iter().map(|(block, n)| (&*blocks[block], &blocks[block].docs[n]));
            found.extend(docs.filter(|(block, doc)| bound.matches(block, doc)).map(|(_, doc)| doc));
        }
    }
}

/// Gives the documents below a seal that have a word, newest first, each with its block and its number there, until nobody wants
/// more.
fn look_by<'t>(
    blocks: &'t [Arc<Block>],
    seal: &Seal,
    (needle, finder): &Way<'_>,
    left: &mut Left,
    may: &dyn Fn(&Summary) -> bool,
    mut each: impl FnMut(&'t Block, (usize, usize), &'t Doc) -> bool,
) {
    let mut last = None;
    let mut here = Vec::new();
    seal.places(needle, left, |place| {
        let block: &Block = &blocks[place.block];
        if !may(&block.summary) {
            return true;
        }
        let end = place.to.min(block.text.len());
        let (mut at, mut from) = (place.from, 0);
        while at < end
            && let Some(hit) = finder.find(&block.text[at..end])
        {
            let behind = at + hit + finder.needle().len();
            let n = from + block.docs[from..].partition_point(|doc| (doc.end as usize) < behind);
            let Some(doc) = block.docs.get(n) else { break };
            here.push(n);
            (at, from) = (doc.end as usize, n);
        }
        // A text that goes on in the next piece was found there already.
        while let Some(n) = here.pop() {
            let at = (place.block, n);
            if last.is_none_or(|last| at < last) {
                last = Some(at);
                if !each(block, at, &block.docs[n]) {
                    return false;
                }
            }
        }
        true
    });
}

/// Adds what matches in a block, newest first.
fn look<'t>(block: &'t Block, bound: &Bound<'_>, found: &mut Vec<&'t Doc>) {
    let first = found.len();
    let docs = &block.docs;
    let Some(anchor) = &bound.anchor else {
        found.extend(docs.iter().rev().filter(|doc| !doc.is(DEAD) && bound.holds(block, doc)));
        return;
    };
    let mut at = 0;
    let mut from = 0;
    while let Some(hit) = anchor.find(&block.text[at..]) {
        let hit = at + hit;
        // Hits are dense or rare: gallop from the last one.
        let mut step = 1;
        while from + step < docs.len() && (docs[from + step].end as usize) < hit + bound.anchor_length {
            step *= 2;
        }
        let end = (from + step + 1).min(docs.len());
        let n = from + docs[from..end].partition_point(|doc| (doc.end as usize) < hit + bound.anchor_length);
        let Some(doc) = docs.get(n) else { break };
        if !doc.is(DEAD) && bound.holds(block, doc) {
            found.push(doc);
        }
        at = doc.end as usize;
        from = n;
    }
    found[first..].reverse();
}
