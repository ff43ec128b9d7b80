//! Registers full of text are spilled to the stack while it is searched and folded, and stay there after the work has
//! ended. Whoever has worked on texts overwrites that part of the stack.

/// Bytes that are overwritten: more than any of this crate's work on texts reaches down.
const DEPTH: usize = 64 << 10;

/// Overwrites what earlier calls left on the stack of this thread, below the caller.
#[inline(never)]
pub fn overwrite_stack() {
    let mut below = [0_u8; DEPTH];
    // Looked at, so that it is not left out as useless.
    std::hint::black_box(&mut below);
}
