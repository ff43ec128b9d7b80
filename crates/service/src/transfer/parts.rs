//! Lines of JSON in portions: a list of any length is written and read without having all of it in memory.

use std::io;

use serde::Serialize;

/// Bytes of a portion, unless one line is longer.
const PORTION: usize = 1 << 20;
/// Lines of a portion.
const LINES: usize = 4_096;

/// Lines that are gathered into portions.
#[derive(Debug, Default)]
pub(super) struct Portions {
    lines: Vec<u8>,
    count: usize,
    number: u32,
}

impl Portions {
    /// Adds a line; writes a portion when there is one.
    pub(super) fn add(
        &mut self,
        line: &impl Serialize,
        write: impl FnMut(u32, &[u8]) -> io::Result<()>,
    ) -> io::Result<()> {
        serde_json::to_writer(&mut self.lines, line)?;
        self.lines.push(b'\n');
        self.count += 1;
        if self.lines.len() >= PORTION || self.count >= LINES { self.flush(write) } else { Ok(()) }
    }

    /// Writes what is left.
    pub(super) fn flush(&mut self, mut write: impl FnMut(u32, &[u8]) -> io::Result<()>) -> io::Result<()> {
        if self.count > 0 {
            self.number += 1;
            write(self.number, &self.lines)?;
            self.lines.clear();
            self.count = 0;
        }
        Ok(())
    }
}

/// The name of a portion.
pub(super) fn portion_name(number: u32) -> String {
    format!("clips/{number:06}.jsonl")
}

/// True for the name of a portion.
pub(super) fn is_portion(name: &str) -> bool {
    let number = name.strip_prefix("clips/").and_then(|rest| rest.strip_suffix(".jsonl"));
    number.is_some_and(|number| number.len() >= 6 && number.bytes().all(|byte| byte.is_ascii_digit()))
}
