//! Both runs are woven into one in the background: what arrived out of order comes to its place, and what is gone leaves no gaps.
//! Whoever weaves holds nobody up: it works on the runs as they were, and what has changed meanwhile, which is little, follows when
//! the new run is put in their place.

use std::collections::HashSet;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use super::doc::{DEAD, Doc};
use super::places::Places;
use super::texts::{Block, Run, Texts};
use crate::clip::id::ClipId;
use crate::text::stack::overwrite_stack;

/// Documents between two questions whether it is still wanted.
const PIECE: usize = 512;

/// Both runs as they were, to be woven into one.
#[derive(Debug)]
pub struct Weaving {
    before: Texts,
    off: Arc<AtomicBool>,
}

/// Both runs, woven into one.
pub struct Woven {
    before: Texts,
    texts: Texts,
    places: Places,
    off: Arc<AtomicBool>,
}

/// What the woven run has taken the place of. To let go of it takes a while, for which nobody has to wait.
pub struct Unravelled(#[expect(dead_code, reason = "held to be let go of")] (Run, Run, Places, Texts));

/// They hold texts, so debug output leaves them out.
impl std::fmt::Debug for Woven {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Woven({:?})", self.texts)
    }
}

impl std::fmt::Debug for Unravelled {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Unravelled(..)")
    }
}

/// A weaving that is under way: the text of what is removed meanwhile is still in it.
#[derive(Debug)]
pub(super) struct UnderWay {
    off: Arc<AtomicBool>,
    removed: HashSet<ClipId>,
}

impl UnderWay {
    /// Of these runs, and its beginning.
    pub(super) fn begin(texts: &Texts) -> (Self, Weaving) {
        let off = Arc::new(AtomicBool::new(false));
        let under_way = Self { off: off.clone(), removed: HashSet::new() };
        (under_way, Weaving { before: texts.clone(), off })
    }

    pub(super) fn is_of(&self, woven: &Woven) -> bool {
        Arc::ptr_eq(&self.off, &woven.off)
    }

    pub(super) fn removed(&mut self, id: ClipId) {
        self.removed.insert(id);
    }

    /// These are gone for good. Where their texts are still in what is woven, it is called off.
    pub(super) fn forgotten(&self, gone: impl IntoIterator<Item = ClipId>) {
        if gone.into_iter().any(|id| self.removed.contains(&id)) {
            self.off.store(true, Ordering::Relaxed);
        }
    }
}

impl Weaving {
    /// Weaves, and seals what can be sealed; seconds, for which nobody has to wait. `None`: it was called off.
    pub fn weave(self) -> Option<Woven> {
        let Self { before, off } = self;
        let woven = weave(&before, &off);
        overwrite_stack();
        let (texts, places) = woven?;
        Some(Woven { before, texts, places, off })
    }
}

fn weave(before: &Texts, off: &AtomicBool) -> Option<(Texts, Places)> {
    let is_off = || off.load(Ordering::Relaxed);
    let mut all: Vec<(&Doc, &Block, usize)> = [&before.main, &before.side]
        .into_iter()
        .flat_map(|run: &Run| &run.blocks)
        .flat_map(|block| block.docs.iter().enumerate().map(move |(n, doc)| (doc, &**block, n)))
        .filter(|(doc, ..)| !doc.is(DEAD))
        .collect();
    all.sort_by_key(|(doc, ..)| doc.key());
    let (mut texts, mut places) = (Texts::default(), Places::default());
    places.reserve(all.len(), &texts);
    for (count, (doc, block, n)) in all.into_iter().enumerate() {
        if count % PIECE == 0 && is_off() {
            return None;
        }
        let spot = texts.main.push(doc.clone(), block.text_of(n), false);
        places.put(doc.id, spot, &texts);
    }
    while let Some(sealing) = texts.main.unsealed(&|_| false) {
        if is_off() {
            return None;
        }
        drop(texts.main.put_seal(sealing.seal()));
    }
    Some((texts, places))
}

impl Woven {
    /// Puts the woven run in the place of both, and what has changed since with it. What is in their place now is given back.
    pub(super) fn put(self, now: &mut Texts, latest: &mut Places) -> Unravelled {
        let Self { before, texts: mut woven, mut places, off } = self;
        if off.load(Ordering::Relaxed) {
            return Unravelled((woven.main, Run::default(), places, before));
        }
        let (mut removed, mut new) = (Vec::new(), Vec::new());
        for (then, now) in [(&before.main, &now.main), (&before.side, &now.side)] {
            for (n, block) in now.blocks.iter().enumerate() {
                let known = then.blocks.get(n);
                // Whoever changes a block while it is held here changes a copy.
                if known.is_some_and(|known| Arc::ptr_eq(known, block)) {
                    continue;
                }
                for (at, doc) in block.docs.iter().enumerate() {
                    match known.and_then(|known| known.docs.get(at)) {
                        Some(was) if doc.is(DEAD) && !was.is(DEAD) => removed.push(doc.id),
                        None if !doc.is(DEAD) => new.push((doc, block, at)),
                        _ => {}
                    }
                }
            }
        }
        for id in removed {
            if let Some(spot) = places.take(id, &woven) {
                woven.main.kill(spot);
            }
        }
        for (doc, block, at) in new {
            let spot = woven.push(doc.clone(), block.text_of(at));
            places.put(doc.id, spot, &woven);
        }
        let main = std::mem::replace(&mut now.main, woven.main);
        let side = std::mem::replace(&mut now.side, woven.side);
        let latest = std::mem::replace(latest, places);
        Unravelled((main, side, latest, before))
    }
}
