//! The texts that are searched, in memory: folded, one after another, ended by NUL. Position is recency: what is new
//! is appended, what has changed is appended and its old text overwritten. What arrives out of order (an old clip
//! brought in, a new title) goes to a side run that is always searched whole; now and then both are woven into one.

use std::collections::HashMap;
use std::sync::atomic::AtomicBool;

use zeroize::Zeroize;

use super::scan::{Bound, scan};
use super::{Found, Index, Query, SEARCHED_BYTES, Text, facts_are_whole};
use crate::drawer::Drawers;
use crate::facts::path_of;
use crate::fold::{PART, fold_into};
use crate::state::Kept;
use crate::{Clip, ClipId, DeviceId, Micros};

/// Bytes of a segment: it is never moved, so that no copy of a text stays behind in freed memory.
const SEGMENT: usize = 4 << 20;
const FIRST_SEGMENT: usize = 64 << 10;
/// Documents in the side run at least before the runs are woven into one.
const SIDE: usize = 2_048;

pub(super) const PINNED: u8 = 1;
pub(super) const DRAWER: u8 = 2;
pub(super) const TITLED: u8 = 4;
pub(super) const EDITED: u8 = 8;
pub(super) const REPEATED: u8 = 16;
pub(super) const WHOLE: u8 = 32;
pub(super) const DEAD: u8 = 128;

/// What is known of a clip without looking at its text.
#[derive(Clone, Debug)]
pub(super) struct Doc {
    pub(super) id: ClipId,
    pub(super) at: Micros,
    pub(super) size: u64,
    pub(super) segment: u32,
    pub(super) start: u32,
    pub(super) end: u32,
    pub(super) program: u32,
    pub(super) forms: u32,
    pub(super) drawer: u32,
    pub(super) devices: u32,
    pub(super) kind: u8,
    pub(super) color: u8,
    pub(super) flags: u8,
}

impl Doc {
    pub(super) fn key(&self) -> (Micros, ClipId) {
        (self.at, self.id)
    }

    pub(super) fn is(&self, flag: u8) -> bool {
        self.flags & flag != 0
    }
}

pub(super) struct Segment {
    pub(super) text: Vec<u8>,
    pub(super) first_doc: usize,
}

impl Drop for Segment {
    fn drop(&mut self) {
        self.text.zeroize();
    }
}

/// Documents in the order of their texts.
#[derive(Default)]
pub(super) struct Run {
    pub(super) segments: Vec<Segment>,
    pub(super) docs: Vec<Doc>,
    dead: usize,
}

impl Run {
    pub(super) fn text(&self, doc: &Doc) -> &[u8] {
        &self.segments[doc.segment as usize].text[doc.start as usize..doc.end as usize]
    }

    fn push(&mut self, mut doc: Doc, text: &[u8]) -> usize {
        let needed = text.len() + 1;
        let fits = self.segments.last().is_some_and(|last| last.text.capacity() - last.text.len() >= needed);
        if !fits {
            let size =
                self.segments.last().map_or(FIRST_SEGMENT, |last| (last.text.capacity() * 2).min(SEGMENT));
            self.segments
                .push(Segment { text: Vec::with_capacity(size.max(needed)), first_doc: self.docs.len() });
        }
        let number = self.segments.len() - 1;
        let segment = &mut self.segments[number].text;
        doc.segment = u32::try_from(number).unwrap_or(u32::MAX);
        doc.start = u32::try_from(segment.len()).unwrap_or(u32::MAX);
        segment.extend_from_slice(text);
        doc.end = u32::try_from(segment.len()).unwrap_or(u32::MAX);
        segment.push(0);
        self.docs.push(doc);
        self.docs.len() - 1
    }

    fn kill(&mut self, n: usize) {
        let doc = &mut self.docs[n];
        doc.flags |= DEAD;
        self.dead += 1;
        let range = doc.start as usize..doc.end as usize;
        self.segments[doc.segment as usize].text[range].zeroize();
    }
}

/// Values that many clips share, as numbers.
#[derive(Default)]
pub(super) struct Shared<T> {
    pub(super) values: Vec<T>,
    numbers: HashMap<T, u32>,
}

impl<T: Clone + Eq + std::hash::Hash> Shared<T> {
    fn number(&mut self, value: &T) -> u32 {
        if let Some(number) = self.numbers.get(value) {
            return *number;
        }
        let number = u32::try_from(self.values.len()).unwrap_or(u32::MAX);
        self.values.push(value.clone());
        self.numbers.insert(value.clone(), number);
        number
    }
}

/// An [`Index`] that scans.
#[derive(Default)]
pub struct Corpus {
    pub(super) main: Run,
    pub(super) side: Run,
    latest: HashMap<ClipId, (bool, usize)>,
    pub(super) programs: Shared<String>,
    pub(super) forms: Shared<Vec<String>>,
    pub(super) drawers: Shared<String>,
    pub(super) devices: Shared<Vec<DeviceId>>,
    pub(super) device_names: HashMap<DeviceId, String>,
    scratch: Vec<u8>,
}

impl std::fmt::Debug for Corpus {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Corpus({} clips)", self.latest.len())
    }
}

impl Corpus {
    /// How a device is called, for `on:`.
    pub fn name_device(&mut self, device: DeviceId, name: &str) {
        self.device_names.insert(device, crate::fold::fold(name));
    }

    /// Names of programs that clips came from, as they were given; those of the newest clips first.
    pub fn programs(&self) -> Vec<&str> {
        let mut seen = vec![false; self.programs.values.len()];
        let docs = self.main.docs.iter().rev().chain(self.side.docs.iter().rev());
        docs.filter(|doc| !doc.is(DEAD) && !std::mem::replace(&mut seen[doc.program as usize], true))
            .map(|doc| self.programs.values[doc.program as usize].as_str())
            .collect()
    }

    /// How many clips can be found.
    pub fn len(&self) -> usize {
        self.latest.len()
    }

    /// True when nothing can be found.
    pub fn is_empty(&self) -> bool {
        self.latest.is_empty()
    }

    /// Bytes of text held.
    pub fn bytes(&self) -> usize {
        [&self.main, &self.side].iter().flat_map(|run| &run.segments).map(|one| one.text.capacity()).sum()
    }

    pub(super) fn run(&self, side: bool) -> &Run {
        if side { &self.side } else { &self.main }
    }

    fn run_mut(&mut self, side: bool) -> &mut Run {
        if side { &mut self.side } else { &mut self.main }
    }

    /// The folded text of a clip as it is held, its own part alone.
    fn own_text(&self, id: ClipId) -> Option<(&[u8], bool)> {
        let (side, n) = *self.latest.get(&id)?;
        let run = self.run(side);
        let doc = &run.docs[n];
        let text = run.text(doc);
        let end = memchr::memchr(PART, text).unwrap_or(text.len());
        Some((&text[..end], doc.is(WHOLE)))
    }

    fn doc_of(&mut self, clip: &Clip, whole: bool) -> Doc {
        let state = &clip.state;
        let offer = state.offer();
        let mut forms: Vec<String> = offer
            .map(|offer| offer.representations.iter().map(|one| crate::mime::base(&one.mime)).collect())
            .unwrap_or_default();
        forms.sort_unstable();
        forms.dedup();
        let devices: Vec<DeviceId> = state.copies.keys().copied().collect();
        let program = offer.and_then(|offer| offer.source.program.clone()).unwrap_or_default();
        let drawer = state.kept().drawer().unwrap_or_default().to_owned();
        let mut flags = 0;
        let mut set = |flag: u8, on: bool| flags |= if on { flag } else { 0 };
        set(PINNED, state.is_pinned());
        set(DRAWER, matches!(state.kept(), Kept::Drawer { .. }));
        set(TITLED, state.title().is_some());
        set(EDITED, state.made_from().is_some());
        set(REPEATED, state.times_copied() > 1);
        set(WHOLE, whole);
        Doc {
            id: clip.id,
            at: clip.ordered_at(),
            size: clip.facts.size,
            segment: 0,
            start: 0,
            end: 0,
            program: self.programs.number(&program),
            forms: self.forms.number(&forms),
            drawer: self.drawers.number(&drawer),
            devices: self.devices.number(&devices),
            kind: clip.facts.kind() as u8,
            color: state.color().map_or(u8::MAX, |color| color as u8),
            flags,
        }
    }

    /// Weaves both runs into one, in order, without what is gone.
    fn weave(&mut self) {
        let main = std::mem::take(&mut self.main);
        let side = std::mem::take(&mut self.side);
        let mut all: Vec<(&Run, &Doc)> = [&main, &side]
            .into_iter()
            .flat_map(|run| run.docs.iter().map(move |doc| (run, doc)))
            .filter(|(_, doc)| !doc.is(DEAD))
            .collect();
        all.sort_by_key(|(_, doc)| doc.key());
        self.latest.clear();
        for (run, doc) in all {
            let n = self.main.push(doc.clone(), run.text(doc));
            self.latest.insert(doc.id, (false, n));
        }
    }
}

/// The first MiB of a text, cut on a character.
fn searched(text: &str) -> &str {
    let mut end = text.len().min(SEARCHED_BYTES);
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    &text[..end]
}

impl Index for Corpus {
    fn put(&mut self, clip: &Clip, drawers: &Drawers, text: Text<'_>) {
        let mut folded = std::mem::take(&mut self.scratch);
        folded.clear();
        let mut whole = true;
        match text {
            Text::Whole(text) => fold_into(searched(text), &mut folded),
            Text::Known => match self.own_text(clip.id).filter(|(_, whole)| *whole) {
                Some((known, _)) => folded.extend_from_slice(known),
                None => {
                    whole = facts_are_whole(clip);
                    fold_into(&clip.facts.head, &mut folded);
                    for uri in &clip.facts.files {
                        folded.push(b'\n');
                        fold_into(path_of(uri).as_deref().unwrap_or(uri), &mut folded);
                    }
                }
            },
        }
        let source = clip.state.offer().map(|offer| &offer.source);
        let drawer = clip.state.kept().drawer().and_then(|id| drawers.get(id)).and_then(|one| one.name());
        let parts = [
            clip.state.title(),
            source.and_then(|source| source.program.as_deref()),
            source.and_then(|source| source.window.as_deref()),
            source.and_then(|source| source.page.as_deref()),
            drawer,
        ];
        for part in parts {
            folded.push(PART);
            fold_into(part.unwrap_or_default(), &mut folded);
        }
        self.remove(clip.id);
        let doc = self.doc_of(clip, whole);
        let late = self.main.docs.last().is_some_and(|last| last.key() > doc.key());
        let n = self.run_mut(late).push(doc, &folded);
        self.latest.insert(clip.id, (late, n));
        folded.zeroize();
        self.scratch = folded;
        let many = self.side.docs.len() > SIDE.max(self.main.docs.len() / 8);
        let gaps = self.main.dead > SIDE.max(self.main.docs.len() / 2);
        if many || gaps {
            self.weave();
        }
    }

    fn remove(&mut self, id: ClipId) {
        if let Some((side, n)) = self.latest.remove(&id) {
            self.run_mut(side).kill(n);
        }
    }

    fn find(&self, query: &Query, drawers: &Drawers, most: usize, stop: &AtomicBool) -> Option<Found> {
        let bound = Bound::new(query, self, drawers);
        let mut side = scan(&self.side, &bound, usize::MAX, stop)?;
        let main = scan(&self.main, &bound, most.saturating_add(1), stop)?;
        side.sort_by_key(|n| std::cmp::Reverse(self.side.docs[*n].key()));
        let mut ids = Vec::with_capacity((main.len() + side.len()).min(most.saturating_add(1)));
        let mut main = main.into_iter().map(|n| &self.main.docs[n]).peekable();
        let mut side = side.into_iter().map(|n| &self.side.docs[n]).peekable();
        while ids.len() <= most {
            let next = match (main.peek(), side.peek()) {
                (Some(a), Some(b)) if a.key() < b.key() => side.next(),
                (None, _) => side.next(),
                _ => main.next(),
            };
            match next {
                Some(doc) => ids.push(doc.id),
                None => break,
            }
        }
        let more = ids.len() > most;
        ids.truncate(most);
        Some(Found { ids, more })
    }

    fn has_whole(&self, id: ClipId) -> bool {
        self.latest.get(&id).is_some_and(|(side, n)| self.run(*side).docs[*n].is(WHOLE))
    }
}
