//! The texts that are searched, in memory: folded, in blocks of documents, each text ended by NUL. Blocks are shared with
//! the searches that read them: whoever changes a block while a search reads it changes a copy, and the old one is
//! overwritten when the last search lets go of it. So no writer waits for a search, and no search for a writer.

use std::collections::HashMap;
use std::hash::Hash;
use std::ops::Range;
use std::sync::Arc;

use zeroize::Zeroize;

use super::doc::{DEAD, Doc};
use super::seal::{BLOCKS, FEW_BLOCKS, Seal};
use super::summary::Summary;
use crate::clip::device::DeviceId;
use crate::clip::id::ClipId;
use crate::history::insight::Glance;
use crate::text::stack::overwrite_stack;

/// Documents in a block at most.
pub(super) const BLOCK_DOCS: usize = if cfg!(test) { 8 } else { 512 };
/// Bytes of text in a block, unless a single text is longer.
const BLOCK_BYTES: usize = 256 << 10;
const FIRST_BYTES: usize = 4 << 10;

/// Some documents and their texts.
#[derive(Clone, Debug, Default)]
pub(super) struct Block {
    pub(super) docs: Vec<Doc>,
    /// Where the text of each ends. It begins behind the NUL of the one before.
    ends: Vec<u32>,
    pub(super) text: Vec<u8>,
    pub(super) summary: Summary,
}

impl Drop for Block {
    fn drop(&mut self) {
        self.text.zeroize();
    }
}

impl Block {
    pub(super) fn text_of(&self, n: usize) -> &[u8] {
        &self.text[self.texts_of(n..n + 1)]
    }

    /// Where the texts of some documents are, of one at least.
    pub(super) fn texts_of(&self, docs: Range<usize>) -> Range<usize> {
        let end = self.ends[docs.end - 1] as usize;
        let start = docs.start.checked_sub(1).map_or(0, |before| self.ends[before] as usize + 1);
        // Those of which nothing is left end at the beginning.
        start.min(end)..end
    }

    /// Where the text of a document ends.
    pub(super) fn end_of(&self, n: usize) -> usize {
        self.ends[n] as usize
    }

    /// The first of these documents that ends at a place of the text or behind it; none: the end of these.
    pub(super) fn ending_at(&self, docs: Range<usize>, place: usize) -> usize {
        docs.start + self.ends[docs].partition_point(|end| (*end as usize) < place)
    }

    /// The same, of documents of which the first are the most likely.
    pub(super) fn ending_soon_at(&self, docs: Range<usize>, place: usize) -> usize {
        let mut step = 1;
        while docs.start + step < docs.end && self.end_of(docs.start + step) < place {
            step *= 2;
        }
        self.ending_at(docs.start..docs.end.min(docs.start + step + 1), place)
    }

    fn takes(&self, bytes: usize) -> bool {
        self.docs.is_empty() || (self.docs.len() < BLOCK_DOCS && self.text.len() + bytes <= BLOCK_BYTES)
    }

    /// Text moves only by hand, so that no copy of it stays behind.
    fn resize(&mut self, capacity: usize) {
        let mut larger = Vec::with_capacity(capacity.max(self.text.len()));
        larger.extend_from_slice(&self.text);
        self.text.zeroize();
        self.text = larger;
    }

    fn push(&mut self, doc: Doc, text: &[u8]) {
        let needed = self.text.len() + text.len() + 2;
        if needed > self.text.capacity() {
            self.resize(needed.max(self.text.capacity() * 2).max(FIRST_BYTES));
        }
        if self.text.is_empty() && !self.docs.is_empty() {
            self.text.push(0);
        }
        self.text.extend_from_slice(text);
        self.ends.push(u32::try_from(self.text.len()).unwrap_or(u32::MAX));
        self.text.push(0);
        self.summary.add(&doc);
        self.docs.push(doc);
    }
}

/// Where a document is.
///
/// The number of its block times [`BLOCK_DOCS`] and its number there, with [`ASIDE`] where the block is of the side run: texts
/// for more blocks than that can count are in no memory.
#[derive(Clone, Copy, Debug)]
pub(super) struct Spot(u32);

const ASIDE: u32 = 1 << 31;

impl Spot {
    fn new(side: bool, block: usize, n: usize) -> Self {
        let number = u32::try_from(block * BLOCK_DOCS + n).unwrap_or(u32::MAX);
        assert!(number < ASIDE, "more blocks of texts than can be counted");
        Self(number | if side { ASIDE } else { 0 })
    }

    /// Of the side run.
    pub(super) fn side(self) -> bool {
        self.0 & ASIDE != 0
    }

    fn block(self) -> usize {
        (self.0 & !ASIDE) as usize / BLOCK_DOCS
    }

    /// The number of the document in its block.
    fn n(self) -> usize {
        (self.0 & !ASIDE) as usize % BLOCK_DOCS
    }
}

/// Documents in the order of their blocks.
#[derive(Clone, Debug, Default)]
pub(super) struct Run {
    pub(super) blocks: Vec<Arc<Block>>,
    pub(super) docs: usize,
    pub(super) dead: usize,
    /// Bytes of text in its blocks, and how many of them are of dead documents.
    pub(super) bytes: usize,
    pub(super) dead_bytes: usize,
    pub(super) seals: Seals,
}

/// The seals of a run.
#[derive(Clone, Debug, Default)]
pub(super) struct Seals {
    /// Of few blocks and of many, in the order of these, as far as they have one.
    few: Vec<Option<Arc<Seal>>>,
    many: Vec<Option<Arc<Seal>>>,
}

impl Seals {
    fn of(&mut self, blocks: usize) -> &mut Vec<Option<Arc<Seal>>> {
        if blocks == BLOCKS { &mut self.many } else { &mut self.few }
    }

    /// The seal of so many blocks from this one on.
    pub(super) fn get(&self, block: usize, blocks: usize) -> Option<&Seal> {
        let all = if blocks == BLOCKS { &self.many } else { &self.few };
        all.get(block / blocks)?.as_deref()
    }

    fn put(&mut self, block: usize, blocks: usize, seal: Seal) -> Replaced {
        let (all, number) = (self.of(blocks), block / blocks);
        all.resize(all.len().max(number + 1), None);
        all[number] = Some(Arc::new(seal));
        if blocks < BLOCKS {
            return Replaced(Vec::new());
        }
        let fews = self.few.iter_mut().skip(block / FEW_BLOCKS).take(BLOCKS / FEW_BLOCKS);
        Replaced(fews.filter_map(Option::take).collect())
    }

    /// Something below has changed.
    fn open(&mut self, block: usize) {
        for blocks in [FEW_BLOCKS, BLOCKS] {
            if let Some(seal) = self.of(blocks).get_mut(block / blocks) {
                *seal = None;
            }
        }
    }

    pub(super) fn all(&self) -> impl Iterator<Item = &Seal> {
        self.few.iter().chain(&self.many).flatten().map(|seal| &**seal)
    }
}

/// Blocks that are to be sealed, as they are.
#[derive(Clone, Debug)]
pub struct Sealing {
    first: usize,
    blocks: Vec<Arc<Block>>,
}

/// Blocks with their seal.
#[derive(Debug)]
pub struct Sealed(Sealing, Seal);

/// Seals that another one has taken the place of. To let go of them takes a while, for which nobody has to wait.
#[derive(Debug)]
pub struct Replaced(#[expect(dead_code, reason = "held to be let go of")] Vec<Arc<Seal>>);

pub(super) fn seal_of(blocks: &[Arc<Block>]) -> Seal {
    Seal::of(&blocks.iter().map(|block| block.text.as_slice()).collect::<Vec<_>>())
}

/// Which blocks: the number of the first, and how many.
pub type Sealable = (usize, usize);

impl Sealing {
    /// Which blocks they are.
    pub fn which(&self) -> Sealable {
        (self.first, self.blocks.len())
    }

    /// Makes the seal; some tens of milliseconds, for which nobody has to wait.
    pub fn seal(self) -> Sealed {
        let seal = seal_of(&self.blocks);
        overwrite_stack();
        Sealed(self, seal)
    }
}

impl Run {
    pub(super) fn last(&self) -> Option<&Doc> {
        self.blocks.last()?.docs.last()
    }

    pub(super) fn doc(&self, spot: Spot) -> &Doc {
        &self.blocks[spot.block()].docs[spot.n()]
    }

    pub(super) fn text(&self, spot: Spot) -> &[u8] {
        self.blocks[spot.block()].text_of(spot.n())
    }

    pub(super) fn push(&mut self, doc: Doc, text: &[u8], side: bool) -> Spot {
        if !self.blocks.last().is_some_and(|last| last.takes(text.len() + 1)) {
            if let Some(full) = self.blocks.last_mut() {
                let full = Arc::make_mut(full);
                full.resize(0);
                full.docs.shrink_to_fit();
                full.ends.shrink_to_fit();
            }
            self.blocks.push(Arc::default());
        }
        let number = self.blocks.len() - 1;
        let block = Arc::make_mut(&mut self.blocks[number]);
        block.push(doc, text);
        self.docs += 1;
        self.bytes += text.len();
        Spot::new(side, number, block.docs.len() - 1)
    }

    /// The newest blocks that are whole and have no seal: few that are not yet many, then many. Not those that may wait.
    pub(super) fn unsealed(&self, may_wait: &dyn Fn(Sealable) -> bool) -> Option<Sealing> {
        // The last one is still written to.
        let whole = self.blocks.len().saturating_sub(1);
        let many = whole / BLOCKS * BLOCKS;
        let open = |blocks: usize, from: usize, to: usize| {
            let firsts = (from..to).step_by(blocks).filter(|first| first + blocks <= to).rev();
            let mut open = firsts.filter(|first| self.seals.get(*first, blocks).is_none());
            open.find(|first| !may_wait((*first, blocks))).map(|first| (first, blocks))
        };
        let (first, blocks) = open(FEW_BLOCKS, many, whole).or_else(|| open(BLOCKS, 0, many))?;
        Some(Sealing { first, blocks: self.blocks[first..first + blocks].to_vec() })
    }

    /// Puts a seal on blocks that are as they were when it was begun. `None`: they are not.
    pub(super) fn put_seal(&mut self, Sealed(of, seal): Sealed) -> Option<Replaced> {
        let blocks = of.blocks.len();
        let same = self
            .blocks
            .get(of.first..of.first + blocks)
            .is_some_and(|now| now.iter().zip(&of.blocks).all(|(now, then)| Arc::ptr_eq(now, then)));
        same.then(|| self.seals.put(of.first, blocks, seal))
    }

    pub(super) fn kill(&mut self, spot: Spot) -> Doc {
        // It would tell of what is gone.
        self.seals.open(spot.block());
        let block = Arc::make_mut(&mut self.blocks[spot.block()]);
        let at = block.texts_of(spot.n()..spot.n() + 1);
        let doc = &mut block.docs[spot.n()];
        doc.flags |= DEAD;
        let killed = doc.clone();
        self.dead += 1;
        self.dead_bytes += at.len();
        block.text[at].zeroize();
        if block.docs.iter().all(|doc| doc.is(DEAD)) {
            // Nothing in it is looked for any more: a long text has a block of its own.
            let held: usize = (0..block.docs.len()).map(|n| block.texts_of(n..n + 1).len()).sum();
            self.bytes -= held;
            self.dead_bytes -= held;
            block.text = Vec::new();
            block.ends.fill(0);
        }
        killed
    }
}

/// Values that many clips share, as numbers. One that no clip has any more is forgotten.
#[derive(Clone, Debug)]
pub(super) struct Shared<T> {
    values: Vec<(Option<T>, u32)>,
    numbers: HashMap<T, u32>,
    free: Vec<u32>,
}

impl<T> Default for Shared<T> {
    fn default() -> Self {
        Self { values: Vec::new(), numbers: HashMap::new(), free: Vec::new() }
    }
}

impl<T: Clone + Eq + Hash> Shared<T> {
    /// The number of a value, which one clip more has from now on.
    pub(super) fn hold(&mut self, value: &T) -> u32 {
        if let Some(number) = self.numbers.get(value) {
            self.values[*number as usize].1 += 1;
            return *number;
        }
        let number = self.free.pop().unwrap_or_else(|| {
            self.values.push((None, 0));
            u32::try_from(self.values.len() - 1).unwrap_or(u32::MAX)
        });
        self.values[number as usize] = (Some(value.clone()), 1);
        self.numbers.insert(value.clone(), number);
        number
    }

    /// One clip less has this value.
    pub(super) fn release(&mut self, number: u32) {
        let (value, holders) = &mut self.values[number as usize];
        *holders = holders.saturating_sub(1);
        if *holders == 0
            && let Some(value) = value.take()
        {
            self.numbers.remove(&value);
            self.free.push(number);
        }
    }

    pub(super) fn get(&self, number: u32) -> Option<&T> {
        self.values.get(number as usize)?.0.as_ref()
    }

    /// Which numbers stand for values that fit.
    pub(super) fn which(&self, fits: impl Fn(&T) -> bool) -> Vec<bool> {
        self.values.iter().map(|(value, _)| value.as_ref().is_some_and(&fits)).collect()
    }
}

/// Everything that can be searched, as of one moment. Cheap to clone.
#[derive(Clone, Default)]
pub struct Texts {
    pub(super) main: Run,
    pub(super) side: Run,
    pub(super) programs: Arc<Shared<String>>,
    pub(super) forms: Arc<Shared<Vec<String>>>,
    pub(super) drawers: Arc<Shared<String>>,
    pub(super) devices: Arc<Shared<Vec<DeviceId>>>,
    pub(super) device_names: Arc<HashMap<DeviceId, String>>,
}

impl std::fmt::Debug for Texts {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Texts({} documents)", self.main.docs + self.side.docs)
    }
}

impl Texts {
    pub(super) fn run(&self, side: bool) -> &Run {
        if side { &self.side } else { &self.main }
    }

    pub(super) fn doc(&self, spot: Spot) -> &Doc {
        self.run(spot.side()).doc(spot)
    }

    /// The text of the document at a spot.
    pub(super) fn text(&self, spot: Spot) -> &[u8] {
        self.run(spot.side()).text(spot)
    }

    /// Behind the last one, or among those that came late.
    pub(super) fn push(&mut self, doc: Doc, text: &[u8]) -> Spot {
        let late = self.main.last().is_some_and(|last| last.key() > doc.key());
        self.run_mut(late).push(doc, text, late)
    }

    pub(super) fn id_at(&self, spot: Spot) -> ClipId {
        self.doc(spot).id
    }

    pub(super) fn run_mut(&mut self, side: bool) -> &mut Run {
        if side { &mut self.side } else { &mut self.main }
    }

    /// Names of programs that clips came from, as they were given; those of the newest clips first.
    pub fn programs(&self) -> Vec<&str> {
        let mut seen = std::collections::HashSet::new();
        let blocks = self.main.blocks.iter().rev().chain(self.side.blocks.iter().rev());
        blocks
            .flat_map(|block| block.docs.iter().rev())
            .filter(|doc| !doc.is(DEAD) && seen.insert(doc.program))
            .filter_map(|doc| self.programs.get(doc.program).map(String::as_str))
            .collect()
    }

    /// What can be told of every clip without its words, newest first but for what came late.
    pub fn glances(&self) -> impl Iterator<Item = Glance> {
        let blocks = self.main.blocks.iter().rev().chain(self.side.blocks.iter().rev());
        blocks.flat_map(|block| block.docs.iter().rev()).filter(|doc| !doc.is(DEAD)).map(|doc| Glance {
            copied_at: doc.copied_at,
            size: doc.size(),
            kind: doc.kind,
            program: doc.program,
        })
    }

    /// The name of a program by the number that a [`Glance`] tells; none for clips whose program is not known.
    pub fn program(&self, number: u32) -> Option<&str> {
        self.programs.get(number).map(String::as_str).filter(|name| !name.is_empty())
    }

    /// Clips that came late, and are not in their place yet.
    pub fn late(&self) -> usize {
        self.side.docs
    }

    /// Bytes of text held.
    pub fn bytes(&self) -> usize {
        [&self.main, &self.side].iter().flat_map(|run| &run.blocks).map(|one| one.text.capacity()).sum()
    }

    /// Bytes of seals.
    pub fn seal_bytes(&self) -> usize {
        self.main.seals.all().map(Seal::bytes).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_value_that_no_clip_has_any_more_is_forgotten_and_its_number_given_out_again() {
        let mut shared = Shared::default();
        let (a, b) = (shared.hold(&"Writer".to_owned()), shared.hold(&"Mail".to_owned()));
        assert_eq!(shared.hold(&"Writer".to_owned()), a);
        shared.release(a);
        assert_eq!(shared.get(a).map(String::as_str), Some("Writer"));
        shared.release(a);
        assert_eq!(shared.get(a), None);
        assert!(!format!("{shared:?}").contains("Writer"));
        assert_eq!(shared.hold(&"Browser".to_owned()), a);
        assert_eq!(shared.which(|name| name.contains('a')), [false, true]);
        assert_eq!(shared.get(b).map(String::as_str), Some("Mail"));
    }
}
