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
const FEW: usize = 12;
/// Rows that are read before it is looked how many columns are left.
const ROWS: usize = 4;
/// Places that are given at once.
const PLACES: usize = 8;
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
    /// Its rows are long enough for it to be worth asking the emptiest ones first.
    by_fill: bool,
}

const SMALL: Shape = Shape { stride: 224, beyond: 32, grams: 4..=4, rows: 3_072, hashes: 2, by_fill: true };
const LARGE: Shape =
    Shape { stride: 16 << 10, beyond: 64, grams: 1..=3, rows: LARGE_ROWS, hashes: 4, by_fill: false };
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
    /// How full each row is, of 255: those of a rare gram are emptier than others. Where rows are long, that is.
    fills: Vec<u8>,
}

impl Drop for Rows {
    fn drop(&mut self) {
        self.bits.zeroize();
        self.fills.zeroize();
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
        let mut rows = Self { shape, firsts, width, bits: vec![0; shape.rows * width], fills: Vec::new() };
        for (number, block) in blocks.iter().enumerate() {
            rows.fill(rows.firsts[number] as usize, block);
        }
        if shape.by_fill {
            let set = |row: &[u64]| row.iter().map(|word| word.count_ones() as usize).sum::<usize>();
            let part = |row| u8::try_from(set(row) * 255 / (columns as usize).max(1)).unwrap_or(u8::MAX);
            rows.fills = rows.bits.chunks(width.max(1)).map(part).collect();
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
    fn ask(&self, grams: &[Gram], hashes: u32, may: &mut Vec<u64>, rows: &mut Vec<(u8, usize)>) -> bool {
        rows.clear();
        // One row of each gram, before the next rows are read.
        for number in 0..hashes {
            let row = |gram: &Gram| gram.row(number, self.shape.rows);
            rows.extend(grams.iter().map(row).map(|row| (self.fills.get(row).copied().unwrap_or(0), row)));
        }
        if !self.shape.by_fill {
            // Short rows lie far apart: each would be waited for by itself.
            let first = |(_, row): &(u8, usize)| self.bits.get(row * self.width).copied().unwrap_or(0);
            std::hint::black_box(rows.iter().map(first).fold(0, |all, one| all ^ one));
        }
        may.clear();
        may.resize(self.width, u64::MAX);
        let mut rest = rows.as_mut_slice();
        while !rest.is_empty() {
            let count = ROWS.min(rest.len());
            // The emptiest ones leave the least.
            if self.shape.by_fill && count < rest.len() {
                rest.select_nth_unstable(count - 1);
            }
            let (some, others) = rest.split_at_mut(count);
            if self.narrow(may, some) <= FEW {
                break;
            }
            rest = others;
        }
        may.iter().any(|word| *word != 0)
    }

    /// Leaves those of the columns that have a bit in all of some rows. These lie far apart: they are read all at once, not one
    /// after the other. Gives how many words have any left.
    fn narrow(&self, may: &mut [u64], rows: &[(u8, usize)]) -> usize {
        let row = |n: usize| {
            let (_, row) = rows[n.min(rows.len() - 1)];
            &self.bits[row * self.width..(row + 1) * self.width]
        };
        let (a, b, c, d) = (row(0), row(1), row(2), row(3));
        let mut left = 0;
        for ((((may, a), b), c), d) in may.iter_mut().zip(a).zip(b).zip(c).zip(d) {
            *may &= a & b & c & d;
            left += usize::from(*may != 0);
        }
        left
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
    rows: Vec<(u8, usize)>,
    places: Vec<Place>,
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
        [&self.small, &self.large].iter().map(|rows| rows.bits.len() * 8 + rows.fills.len()).sum()
    }

    /// Gives the places where a word may begin, some at a time, the last one first, until nobody wants more.
    pub(super) fn places(&self, needle: &Needle, left: &mut Left, mut some: impl FnMut(&[Place]) -> bool) {
        let Left { large: may_large, small: may_small, rows: asked, places } = left;
        places.clear();
        // Whether it is there at all is known after the first row of each gram more often than not; the small pieces know more.
        let hashes = if needle.small.len() > 2 { 1 } else { LARGE.hashes };
        if !self.large.ask(&needle.large, hashes, may_large, asked) {
            return;
        }
        let (rows, may) = if needle.small.is_empty() {
            (&self.large, &*may_large)
        } else if self.small.ask(&needle.small, SMALL.hashes, may_small, asked) {
            (&self.small, &*may_small)
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
                let large = |at: usize| has(may_large, self.large.column(block, at));
                if !(large(from) || large(from + shape.stride - 1)) {
                    continue;
                }
                places.push(Place { block, from, to: from + shape.stride + needle.length - 1 });
                if places.len() == PLACES {
                    if !some(places) {
                        return;
                    }
                    places.clear();
                }
            }
        }
        if !places.is_empty() {
            some(places);
        }
    }
}
