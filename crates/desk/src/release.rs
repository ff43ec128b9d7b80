//! Letting go of what was copied. Memory that is given back is overwritten first, which takes a while for a large copy:
//! the next copy does not wait for it.

/// What is smaller is let go of on the spot, in bytes.
const LARGE: u64 = 1 << 20;

/// Lets go of something that holds about so many bytes; of what is large on a thread of its own.
pub(crate) fn release<T: Send + 'static>(held: T, bytes: u64) {
    if bytes < LARGE {
        return;
    }
    // Where no thread can be had, it is dropped with the closure, here.
    let _ = std::thread::Builder::new().name("release".into()).spawn(move || drop(held));
}
