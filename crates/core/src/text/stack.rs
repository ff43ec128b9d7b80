//! Registers full of text are spilled to the stack while it is searched and folded, and stay there after the work has
//! ended. Whoever has worked on texts overwrites that part of the stack.

/// Bytes that are overwritten: more than any of this crate's work on texts reaches down.
const DEPTH: usize = 64 << 10;

/// The same for a thread that does nothing but scan: its calls are few and flat, and each page that is touched costs it
/// as much as a block of texts.
const SCAN_DEPTH: usize = 16 << 10;

/// Bytes that are hashed without many chunks at once: one chunk of BLAKE3.
const SHORT: usize = 1_024;

/// Overwrites what earlier calls left on the stack of this thread, below the caller.
pub fn overwrite_stack() {
    overwrite::<DEPTH>();
}

/// [`overwrite_stack`] for a thread that has only scanned.
pub(crate) fn overwrite_stack_of_scan() {
    overwrite::<SCAN_DEPTH>();
}

/// BLAKE3 of some bytes, given in parts, which leaves nothing of them on the stack.
pub fn hash(parts: &[&[u8]]) -> [u8; 32] {
    let hash = hash_parts(parts);
    // A short text lies in one block, in a state of two kilobytes; of a long one, many chunks are worked on at once.
    if parts.iter().map(|part| part.len()).sum::<usize>() <= SHORT {
        overwrite::<SCAN_DEPTH>();
    } else {
        overwrite::<DEPTH>();
    }
    hash
}

#[inline(never)]
fn hash_parts(parts: &[&[u8]]) -> [u8; 32] {
    let mut hasher = blake3::Hasher::new();
    for part in parts {
        hasher.update(part);
    }
    *hasher.finalize().as_bytes()
}

#[inline(never)]
fn overwrite<const BYTES: usize>() {
    let mut below = [0_u8; BYTES];
    // Looked at, so that it is not left out as useless.
    std::hint::black_box(&mut below);
}
