//! The index that scans. Position is recency: what is new is appended, what has changed is appended and its old text
//! overwritten. What arrives out of order (an old clip brought in, a new title) goes to a side run that is always
//! searched whole; now and then both are woven into one.

use std::sync::Arc;

use zeroize::Zeroize;

use super::doc::{DRAWER, Doc, EDITED, PINNED, READ, REPEATED, TITLED, WHOLE, held_size};
use super::places::Places;
use super::weaving::{UnderWay, Unravelled, Weaving, Woven};
use crate::clip::device::DeviceId;
use crate::clip::facts::path_of;
use crate::clip::id::ClipId;
use crate::clip::mime;
use crate::history::drawers::Drawers;
use crate::history::stored::Clip;
use crate::merge::clip::Kept;
use crate::search::index::{Found, GoOn, Index, SEARCHED_BYTES, Text, facts_are_whole};
use crate::search::query::Query;
use crate::search::scan;
use crate::search::texts::{Replaced, Run, Sealable, Sealed, Sealing, Texts};
use crate::text::fold::{PART, fold, fold_into};

/// Documents in the side run at least before the runs are woven into one.
const SIDE: usize = 2_048;
/// Documents at most that are woven at once.
const LITTLE: usize = 8_192;
/// Bytes of texts that are gone, in a run, before both are woven into one.
const GAPS: usize = 4 << 20;

/// An [`Index`] that scans.
#[derive(Default)]
pub struct Corpus {
    texts: Texts,
    latest: Places,
    under_way: Option<UnderWay>,
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
        Arc::make_mut(&mut self.texts.device_names).insert(device, fold(name));
    }

    /// Everything as it is now. Later changes do not reach it, and do not wait for it.
    pub fn texts(&self) -> Texts {
        self.texts.clone()
    }

    /// Blocks that are to be sealed next, if there are any that may not wait: whoever makes their seal holds nobody up, and gives
    /// it back.
    pub fn unsealed(&self, may_wait: &dyn Fn(Sealable) -> bool) -> Option<Sealing> {
        self.texts.main.unsealed(may_wait)
    }

    /// Puts a seal on; gives those whose place it takes. `None`: what is below it has changed, and it is of no use.
    pub fn put_seal(&mut self, sealed: Sealed) -> Option<Replaced> {
        self.texts.main.put_seal(sealed)
    }

    /// How many clips can be found.
    pub fn len(&self) -> usize {
        self.latest.len()
    }

    /// True when nothing can be found.
    pub fn is_empty(&self) -> bool {
        self.latest.len() == 0
    }

    /// The folded text of a clip as it is held, its own part alone.
    fn own_text(&self, id: ClipId) -> Option<(&[u8], bool)> {
        let spot = self.latest.get(id, &self.texts)?;
        let text = self.texts.text(spot);
        let end = memchr::memchr(PART, text).unwrap_or(text.len());
        Some((&text[..end], self.texts.doc(spot).is(WHOLE)))
    }

    /// The folded words that were read from a clip's picture: the last part.
    fn read_text(&self, id: ClipId) -> &[u8] {
        let Some(spot) = self.latest.get(id, &self.texts) else { return &[] };
        let text = self.texts.text(spot);
        memchr::memrchr(PART, text).map_or(&[], |at| &text[at + 1..])
    }

    fn doc_of(&mut self, clip: &Clip, whole: bool) -> Doc {
        let state = &clip.state;
        let offer = state.offer();
        let mut forms: Vec<String> = offer
            .map(|offer| offer.representations.iter().map(|one| form_of(&one.mime)).collect())
            .unwrap_or_default();
        forms.sort_unstable();
        forms.dedup();
        let devices: Vec<DeviceId> = state.copies.devices().collect();
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
            at: clip.ordered_at,
            copied_at: clip.copied_at(),
            size: held_size(clip.facts.size),
            program: Arc::make_mut(&mut self.texts.programs).hold(&program),
            forms: Arc::make_mut(&mut self.texts.forms).hold(&forms),
            drawer: Arc::make_mut(&mut self.texts.drawers).hold(&drawer),
            devices: Arc::make_mut(&mut self.texts.devices).hold(&devices),
            kind: clip.facts.kind(),
            color: state.color().map_or(u8::MAX, |color| color as u8),
            flags,
        }
    }

    /// Both runs, if they are to be woven into one: whoever does that holds nobody up, and gives it back. While much comes late
    /// (`still` is false) that is rarely, so that all weavings together take no more than some times the last one.
    pub fn weaving(&mut self, still: bool) -> Option<Weaving> {
        if self.under_way.is_some() || !self.is_frayed(still) {
            return None;
        }
        Some(self.begin_weaving())
    }

    fn begin_weaving(&mut self) -> Weaving {
        let (under_way, weaving) = UnderWay::begin(&self.texts);
        self.under_way = Some(under_way);
        weaving
    }

    /// Puts in place what was woven; nothing where it was called off, or is not of this corpus.
    pub fn put_woven(&mut self, woven: Option<Woven>) -> Option<Unravelled> {
        let under_way = self.under_way.take()?;
        let woven = woven.filter(|woven| under_way.is_of(woven))?;
        Some(woven.put(&mut self.texts, &mut self.latest))
    }

    /// These clips are gone for good: nothing of their texts stays with whoever weaves.
    pub fn forgotten(&self, gone: impl IntoIterator<Item = ClipId>) {
        if let Some(under_way) = &self.under_way {
            under_way.forgotten(gone);
        }
    }

    /// Much has come late, or is gone.
    fn is_frayed(&self, still: bool) -> bool {
        let (main, side) = (&self.texts.main, &self.texts.side);
        let many = side.docs > if still { SIDE } else { SIDE.max(main.docs / 2) };
        let holey = |run: &Run| run.dead_bytes > GAPS.max(run.bytes / 2);
        many || main.dead > SIDE.max(main.docs / 2) || holey(main) || holey(side)
    }

    /// What is little is woven at once.
    fn weave_little(&mut self) {
        let (main, side) = (&self.texts.main, &self.texts.side);
        if main.docs + side.docs <= LITTLE && main.bytes + side.bytes <= 2 * GAPS {
            let woven = self.weaving(false).map(Weaving::weave);
            woven.map(|woven| self.put_woven(woven));
        }
    }
}

/// What a person calls a form: plain text has many names.
fn form_of(name: &str) -> String {
    mime::base(if mime::text_rank(name).is_some() { mime::PLAIN } else { name })
}

/// The first MiB of a text, cut on a character.
fn searched(text: &str) -> &str {
    let mut end = text.len().min(SEARCHED_BYTES);
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    &text[..end]
}

impl Corpus {
    /// Puts a clip with what was read from its picture; `None`: what is known of that stays.
    fn put_with(&mut self, clip: &Clip, drawers: &Drawers, text: Text<'_>, read: Option<&str>) {
        let mut folded = std::mem::take(&mut self.scratch);
        folded.clear();
        let mut whole = true;
        match text {
            // No search tells what a masked clip holds.
            _ if clip.is_secret() => {}
            Text::Whole(text) => fold_into(searched(text), &mut folded),
            Text::Known => match self.own_text(clip.id).filter(|(_, whole)| *whole) {
                Some((known, _)) => folded.extend_from_slice(known),
                None => whole = fold_facts(clip, &mut folded),
            },
        }
        fold_parts(clip, drawers, &mut folded);
        let was_read = !clip.is_secret() && (read.is_some() || self.is_read(clip.id));
        match read.filter(|_| was_read) {
            Some(read) => fold_into(searched(read), &mut folded),
            None if was_read => folded.extend_from_slice(self.read_text(clip.id)),
            None => {}
        }
        self.remove(clip.id);
        self.push(clip, &folded, whole, was_read);
        folded.zeroize();
        self.scratch = folded;
        self.weave_little();
    }
}

/// Folds what a clip's facts hold of its text. True when that is all of it.
fn fold_facts(clip: &Clip, folded: &mut Vec<u8>) -> bool {
    fold_into(&clip.facts.head, folded);
    for uri in &clip.facts.files {
        folded.push(b'\n');
        fold_into(path_of(uri).as_deref().unwrap_or(uri), folded);
    }
    facts_are_whole(clip)
}

/// Folds everything else by which a clip is found, up to where what was read from its picture follows.
fn fold_parts(clip: &Clip, drawers: &Drawers, folded: &mut Vec<u8>) {
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
        fold_into(part.unwrap_or_default(), folded);
    }
    folded.push(PART);
}

/// A clip folded as its facts tell it, to be put where nothing is known of it yet: folding is most of the work, and needs no
/// corpus.
pub struct Prepared {
    clip: Arc<Clip>,
    folded: Vec<u8>,
    whole: bool,
}

impl Drop for Prepared {
    fn drop(&mut self) {
        self.folded.zeroize();
    }
}

impl std::fmt::Debug for Prepared {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Prepared({} bytes)", self.folded.len())
    }
}

impl Prepared {
    /// Folds a clip.
    pub fn of(clip: Arc<Clip>, drawers: &Drawers) -> Self {
        let mut folded = Vec::with_capacity(clip.facts.head.len() + 64);
        let whole = clip.is_secret() || fold_facts(&clip, &mut folded);
        fold_parts(&clip, drawers, &mut folded);
        Self { clip, folded, whole }
    }

    /// The clip, where its facts do not hold all of its text.
    pub fn wants_text(&self) -> Option<ClipId> {
        (!facts_are_whole(&self.clip)).then_some(self.clip.id)
    }
}

impl Corpus {
    /// Makes room for so many clips.
    pub fn reserve(&mut self, clips: usize) {
        self.latest.reserve(clips, &self.texts);
    }

    /// Puts a clip of which nothing is known here.
    pub fn put_prepared(&mut self, prepared: &Prepared) {
        let Prepared { clip, folded, whole } = prepared;
        self.push(clip, folded, *whole, false);
    }

    fn push(&mut self, clip: &Clip, folded: &[u8], whole: bool, was_read: bool) {
        let mut doc = self.doc_of(clip, whole);
        doc.flags |= if was_read { READ } else { 0 };
        let spot = self.texts.push(doc, folded);
        self.latest.put(clip.id, spot, &self.texts);
    }
}

impl Index for Corpus {
    fn put(&mut self, clip: &Clip, drawers: &Drawers, text: Text<'_>) {
        self.put_with(clip, drawers, text, None);
    }

    fn put_read(&mut self, clip: &Clip, drawers: &Drawers, read: &str) {
        self.put_with(clip, drawers, Text::Known, Some(read));
    }

    fn is_read(&self, id: ClipId) -> bool {
        self.latest.get(id, &self.texts).is_some_and(|spot| self.texts.doc(spot).is(READ))
    }

    fn remove(&mut self, id: ClipId) {
        if let Some(spot) = self.latest.take(id, &self.texts) {
            self.under_way.iter_mut().for_each(|under_way| under_way.removed(id));
            let doc = self.texts.run_mut(spot.side()).kill(spot);
            Arc::make_mut(&mut self.texts.programs).release(doc.program);
            Arc::make_mut(&mut self.texts.forms).release(doc.forms);
            Arc::make_mut(&mut self.texts.drawers).release(doc.drawer);
            Arc::make_mut(&mut self.texts.devices).release(doc.devices);
        }
    }

    fn find(&self, query: &Query, drawers: &Drawers, most: usize, go_on: GoOn<'_>) -> Option<Found> {
        scan::find(&self.texts, query, drawers, most, go_on)
    }

    fn has_whole(&self, id: ClipId) -> bool {
        self.latest.get(id, &self.texts).is_some_and(|spot| self.texts.doc(spot).is(WHOLE))
    }
}

impl Texts {
    /// The newest `most` clips that match. `None` when it was given up.
    pub fn find(&self, query: &Query, drawers: &Drawers, most: usize, go_on: GoOn<'_>) -> Option<Found> {
        scan::find(self, query, drawers, most, go_on)
    }
}

#[cfg(test)]
mod at_once;
#[cfg(test)]
mod tests;
