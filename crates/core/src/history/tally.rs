//! How many clips there are that limits count, and their bytes: all of them, by kind, and by program.

use std::collections::HashMap;

use crate::clip::facts::Kind;
use crate::history::stored::Clip;
use crate::text::fold::fold;

/// A number of clips and their bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Tally {
    /// How many.
    pub clips: u64,
    /// Bytes of all their representations.
    pub bytes: u64,
}

impl Tally {
    /// One more clip of so many bytes.
    pub fn add(&mut self, bytes: u64) {
        self.clips += 1;
        self.bytes = self.bytes.saturating_add(bytes);
    }

    /// One less.
    pub fn take(&mut self, bytes: u64) {
        self.clips = self.clips.saturating_sub(1);
        self.bytes = self.bytes.saturating_sub(bytes);
    }
}

/// What is counted of a history. Kept clips are counted apart.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Tallies {
    /// Everything that is not kept.
    pub all: Tally,
    /// By kind.
    pub kinds: HashMap<Kind, Tally>,
    /// By the folded name of the program.
    pub programs: HashMap<String, Tally>,
    /// What is kept.
    pub kept: Tally,
}

/// The folded name of the program that a clip came from; empty when that is not known.
pub fn program_of(clip: &Clip) -> String {
    let source = clip.state.offer().and_then(|offer| offer.source.program.as_deref());
    source.map(fold).unwrap_or_default()
}

impl Tallies {
    /// A clip comes.
    pub fn add(&mut self, clip: &Clip) {
        let bytes = clip.facts.size;
        if clip.state.is_pinned() {
            return self.kept.add(bytes);
        }
        self.all.add(bytes);
        self.kinds.entry(clip.facts.kind()).or_default().add(bytes);
        self.programs.entry(program_of(clip)).or_default().add(bytes);
    }

    /// A clip goes.
    pub fn take(&mut self, clip: &Clip) {
        let bytes = clip.facts.size;
        if clip.state.is_pinned() {
            return self.kept.take(bytes);
        }
        self.all.take(bytes);
        if let Some(kind) = self.kinds.get_mut(&clip.facts.kind()) {
            kind.take(bytes);
        }
        let program = program_of(clip);
        if let Some(one) = self.programs.get_mut(&program) {
            one.take(bytes);
            // No name of a program outlives its clips here.
            if one.clips == 0 {
                self.programs.remove(&program);
            }
        }
    }
}
