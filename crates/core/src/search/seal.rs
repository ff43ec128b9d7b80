//! Seals: what parts of texts can't hold, so that a search looks only where it may find. A run of whole blocks that are no longer
//! written to gets one seal; what is new is scanned until it has one.
//!
//! A seal has a row of bits for each hash of a gram and a column for each piece of text (a Bloom filter for each piece, laid out by
//! bits): what holds all grams of a word are the columns in which all its rows have a bit. Words of four bytes and more are looked
//! for in small pieces by their grams of four bytes, shorter ones in large pieces as they are. Grams with a byte that ends a text
//! or a part of one are left out, since no word has it.
//!
//! A seal tells something of the texts below it. When one of these is removed the whole seal is thrown away and overwritten, and
//! made anew of what is left.

use zeroize::Zeroize;

use crate::text::fold::PART;

/// Blocks below one seal: a few where blocks are new, and many at last. The fewer seals there are, the less is jumped about in
/// memory; the fewer blocks a seal needs, the less is scanned that has none yet.
pub(super) const FEW_BLOCKS: usize = if cfg!(test) { 2 } else { 8 };
pub(super) const BLOCKS: usize = FEW_BLOCKS * FEWS;
const FEWS: usize = if cfg!(test) { 2 } else { 8 };
/// Columns that are looked at rather than asked about any further.
const FEW: u32 = 6;
/// Words of 64 bits that memory gives at once.
const LINE: usize = 8;
/// Rows that are read before it is looked how many columns are left.
const ROWS: usize = 4;
/// Grams of a long word that are asked about in large pieces first.
const BEFORE: usize = 6;

/// How pieces are cut, and how large their filters are.
#[derive(Debug, PartialEq, Eq)]
struct Shape {
    /// A piece begins every so many bytes.
    stride: usize,
    /// Grams that begin so many bytes behind the next beginning belong to a piece as well, so that it has all of a word that
    /// begins in it.
    beyond: usize,
    /// Bytes of its grams.
    grams: std::ops::RangeInclusive<usize>,
    /// Rows.
    rows: usize,
    /// Rows that a gram has a bit in.
    hashes: u32,
}

const SMALL: Shape = Shape { stride: 224, beyond: 32, grams: 4..=4, rows: 3_072, hashes: 2 };
const LARGE: Shape = Shape { stride: 16 << 10, beyond: 64, grams: 1..=3, rows: LARGE_ROWS, hashes: 4 };
const LARGE_ROWS: usize = if cfg!(test) { 1 << 9 } else { 1 << 16 };

/// The rows of a gram: so many of these, by two numbers (double hashing).
#[derive(Clone, Copy, Debug)]
struct Gram {
    first: u32,
    step: u32,
}

impl Gram {
    /// Of at most four bytes.
    fn of(bytes: &[u8]) -> Self {
        let mut key = bytes.len() as u64;
        for byte in bytes {
            key = key << 8 | u64::from(*byte);
        }
        // The finalizer of splitmix64.
        let mut hash = key.wrapping_add(0x9e37_79b9_7f4a_7c15);
        hash = (hash ^ (hash >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        hash = (hash ^ (hash >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        hash ^= hash >> 31;
        #[allow(clippy::cast_possible_truncation, reason = "its halves")]
        Self { first: hash as u32, step: (hash >> 32) as u32 | 1 }
    }

    fn row(self, number: u32, rows: usize) -> usize {
        let hash = self.first.wrapping_add(self.step.wrapping_mul(number));
        // As far into the rows as it is into all numbers.
        (hash as usize * rows) >> 32
    }
}

/// A word that is looked for, as its grams.
#[derive(Debug)]
pub(super) struct Needle {
    /// In large pieces.
    large: Vec<Gram>,
    /// In small ones, where it is long enough.
    small: Vec<Gram>,
    length: usize,
}

impl Needle {
    /// `None` for nothing.
    pub(super) fn new(word: &[u8]) -> Option<Self> {
        let of = |length: usize, most| word.windows(length).take(most).map(Gram::of).collect();
        let large = of(word.len().min(*LARGE.grams.end()).max(1), BEFORE);
        let small = of(*SMALL.grams.start(), SMALL.beyond);
        (!word.is_empty()).then_some(Self { large, small, length: word.len() })
    }
}

/// The filters of all pieces of one size.
#[derive(Debug, PartialEq, Eq)]
struct Rows {
    shape: &'static Shape,
    /// The first column of each block, and the end.
    firsts: Vec<u32>,
    /// Words of 64 bits in a row.
    width: usize,
    bits: Vec<u64>,
}

impl Drop for Rows {
    fn drop(&mut self) {
        self.bits.zeroize();
    }
}

impl Rows {
    fn of(shape: &'static Shape, blocks: &[&[u8]]) -> Self {
        let mut firsts = vec![0];
        let mut columns = 0u32;
        for block in blocks {
            columns += u32::try_from(block.len().div_ceil(shape.stride)).unwrap_or(u32::MAX);
            firsts.push(columns);
        }
        let width = (columns as usize).div_ceil(64);
        let mut rows = Self { shape, firsts, width, bits: vec![0; shape.rows * width] };
        for (number, block) in blocks.iter().enumerate() {
            rows.fill(rows.firsts[number] as usize, block);
        }
        rows
    }

    fn fill(&mut self, first: usize, text: &[u8]) {
        let shape = self.shape;
        // Up to where there is neither end of a text nor of a part.
        for (piece, start) in (0..text.len()).step_by(shape.stride).enumerate() {
            let end = (start + shape.stride + shape.beyond).min(text.len());
            let (word, bit) = ((first + piece) / 64, 1u64 << ((first + piece) % 64));
            let mut free = start;
            for at in start..end {
                if free <= at {
                    let rest = &text[at..];
                    free = at + memchr::memchr2(0, PART, rest).unwrap_or(rest.len());
                }
                for length in shape.grams.clone() {
                    if at + length > free {
                        break;
                    }
                    let gram = Gram::of(&text[at..at + length]);
                    for number in 0..shape.hashes {
                        self.bits[gram.row(number, shape.rows) * self.width + word] |= bit;
                    }
                }
            }
        }
    }

    /// Leaves those of the columns in `may` that may hold all of these grams. False: there are none.
    fn ask(&self, grams: &[Gram], hashes: u32, may: &mut Vec<u64>) -> bool {
        may.clear();
        may.resize(self.width, u64::MAX);
        // One row of each gram, before the next rows are read.
        let rows = (0..hashes).flat_map(|number| grams.iter().map(move |gram| (gram, number)));
        let mut left = u32::MAX;
        for (count, (gram, number)) in rows.enumerate() {
            if count % grams.len() == 0 {
                self.fetch(grams, number);
            }
            let row = gram.row(number, self.shape.rows) * self.width;
            for (may, row) in may.iter_mut().zip(&self.bits[row..row + self.width]) {
                *may &= row;
            }
            if (count + 1) % ROWS.min(grams.len()) == 0 {
                left = may.iter().map(|word| word.count_ones()).sum();
                if left <= FEW {
                    break;
                }
            }
        }
        left > 0
    }

    /// Has the memory fetch what is asked about next all at once: rows lie far apart, and each would be waited for by itself.
    fn fetch(&self, grams: &[Gram], number: u32) {
        let first = |gram: &Gram| gram.row(number, self.shape.rows) * self.width;
        let some = |row: usize| (row..row + self.width).step_by(LINE * 4).map(|at| self.bits[at]);
        std::hint::black_box(grams.iter().flat_map(|gram| some(first(gram))).fold(0, |all, one| all ^ one));
    }

    /// The column of a piece.
    fn column(&self, block: usize, at: usize) -> usize {
        self.firsts[block] as usize + at / self.shape.stride
    }
}

fn has(may: &[u64], column: usize) -> bool {
    may.get(column / 64).is_some_and(|word| word >> (column % 64) & 1 == 1)
}

/// Columns that are left, for their use by one search after the other.
#[derive(Debug, Default)]
pub(super) struct Left {
    large: Vec<u64>,
    small: Vec<u64>,
}

/// What a run of blocks can't hold.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Seal {
    small: Rows,
    large: Rows,
}

/// Where a word may begin: a block of those below the seal, and bytes of its text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Place {
    pub(super) block: usize,
    pub(super) from: usize,
    /// Where the text ends that has all of a word that begins here.
    pub(super) to: usize,
}

impl Seal {
    /// Of the texts of blocks.
    pub(super) fn of(blocks: &[&[u8]]) -> Self {
        Self { small: Rows::of(&SMALL, blocks), large: Rows::of(&LARGE, blocks) }
    }

    /// Bytes that it takes.
    pub(super) fn bytes(&self) -> usize {
        (self.small.bits.len() + self.large.bits.len()) * 8
    }

    /// Gives the places where a word may begin, the last one first, until nobody wants more.
    pub(super) fn places(&self, needle: &Needle, left: &mut Left, mut each: impl FnMut(Place) -> bool) {
        // Whether it is there at all is known after the first row of each gram more often than not; the small pieces know more.
        let hashes = if needle.small.len() > 2 { 1 } else { LARGE.hashes };
        if !self.large.ask(&needle.large, hashes, &mut left.large) {
            return;
        }
        let (rows, may) = if needle.small.is_empty() {
            (&self.large, &left.large)
        } else if self.small.ask(&needle.small, SMALL.hashes, &mut left.small) {
            (&self.small, &left.small)
        } else {
            return;
        };
        let Rows { shape, firsts, .. } = rows;
        let mut block = firsts.len() - 1;
        for (at, word) in may.iter().enumerate().rev() {
            let mut bits = *word;
            while bits != 0 {
                let bit = 63 - bits.leading_zeros();
                bits &= !(1 << bit);
                let column = u32::try_from(at * 64).unwrap_or(u32::MAX) + bit;
                // Beyond the last column there is nothing.
                if column >= firsts[firsts.len() - 1] {
                    continue;
                }
                while firsts[block] > column {
                    block -= 1;
                }
                let from = (column - firsts[block]) as usize * shape.stride;
                // It begins in one of the large pieces that this one lies in.
                let large = |at: usize| has(&left.large, self.large.column(block, at));
                if !(large(from) || large(from + shape.stride - 1)) {
                    continue;
                }
                if !each(Place { block, from, to: from + shape.stride + needle.length - 1 }) {
                    return;
                }
            }
        }
    }
}
