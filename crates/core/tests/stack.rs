//! What is hashed leaves nothing of itself on the stack: looked for in the memory of the thread that did it.

use std::collections::HashSet;
use std::fs::File;
use std::os::unix::fs::FileExt;

use yadori_core::clip::id::Class;
use yadori_core::{ClipId, Digest};

/// Bytes below a frame that are looked through.
const DEPTH: usize = 256 << 10;

/// The part of this thread's stack below the caller's frame, after some work.
#[inline(never)]
fn below(work: impl FnOnce()) -> Vec<u8> {
    let mut found = vec![0; DEPTH];
    let memory = File::open("/proc/self/mem").expect("this process's memory");
    work();
    let here = std::ptr::from_ref(&found).addr();
    memory.read_exact_at(&mut found, (here - DEPTH) as u64).expect("the stack");
    found
}

/// Whether a text is on the stack of a thread that has worked on it.
fn stays(text: &str, work: impl FnOnce(&str) + Send) -> bool {
    let stack = std::thread::scope(|scope| {
        let worker = std::thread::Builder::new().stack_size(4 << 20);
        worker.spawn_scoped(scope, || below(|| work(text))).expect("a thread").join().expect("no panic")
    });
    let parts: HashSet<&[u8]> = text.as_bytes().windows(12).collect();
    stack.windows(12).any(|window| parts.contains(window))
}

#[test]
fn nothing_that_was_hashed_stays_on_the_stack() {
    let kept = |text: &str| {
        std::hint::black_box(<[u8; 21]>::try_from(text.as_bytes()).ok());
    };
    assert!(stays("zephyr over the ridge", kept), "a look at the stack finds what is there");
    for (n, length) in
        [16, 40, 63, 64, 65, 200, 1_024, 1_025, 5_000, 70_000, 1_000_000].into_iter().enumerate()
    {
        let letters = (0..).flat_map(|k| [k * 31 + n, k * 7]);
        let text: String = letters.map(|k| format!("{k:x}quill")).take(length).collect();
        let text = &text[..length];
        let digest = |text: &str| {
            std::hint::black_box(Digest::of(text.as_bytes()));
        };
        assert!(!stays(text, digest), "a digest of {length}");
        let id = |text: &str| {
            let (first, rest) = text.as_bytes().split_at(5);
            std::hint::black_box(ClipId::of(Class::Text, &[first, rest]));
        };
        assert!(!stays(text, id), "an id of {length}");
    }
}
