//! Registers full of text are spilled to the stack while it is searched and folded, and stay there after the work has
//! ended. Whoever has worked on texts overwrites that part of the stack.

/// Bytes that are overwritten: more than any of this crate's work on texts reaches down.
const DEPTH: usize = 64 << 10;

/// The same for a thread that does nothing but scan: its calls are few and flat, and each page that is touched costs it
/// as much as a block of texts.
const SCAN_DEPTH: usize = 16 << 10;

/// Overwrites what earlier calls left on the stack of this thread, below the caller.
pub fn overwrite_stack() {
    overwrite::<DEPTH>();
}

/// [`overwrite_stack`] for a thread that has only scanned.
pub(crate) fn overwrite_stack_of_scan() {
    overwrite::<SCAN_DEPTH>();
}

#[inline(never)]
fn overwrite<const BYTES: usize>() {
    let mut below = [0_u8; BYTES];
    // Looked at, so that it is not left out as useless.
    std::hint::black_box(&mut below);
}
