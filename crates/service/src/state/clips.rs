//! History and search in memory. Only the writer changes them; readers never wait for the database, and nobody waits
//! for a search.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

use parking_lot::{RwLock, RwLockReadGuard};
use tokio::sync::{Notify, watch};
use yadori_core::acts::far_ahead;
use yadori_core::history::packed::Outlined;
use yadori_core::history::stored::Held;
use yadori_core::search::corpus::Prepared;
use yadori_core::search::texts::{Sealable, Sealed, Sealing, Texts};
use yadori_core::search::weaving::{Weaving, Woven};
use yadori_core::search::{Corpus, Index, Text};
use yadori_core::text::stack::overwrite_stack;
use yadori_core::{
    Batch, BatchId, Clip, ClipId, DeviceId, Drawer, Drawers, History, Micros, Placed, Stamp, StoredClip,
};

/// Clips that are looked at before others may write.
const PIECE: usize = 2_000;

/// All clips, and their texts.
#[derive(Debug)]
pub struct Clips {
    history: RwLock<History>,
    corpus: RwLock<Corpus>,
    device: DeviceId,
    device_name: String,
    unread: AtomicU64,
    /// How many of the newest clips are there while the others are read.
    newest: watch::Sender<usize>,
    loaded: watch::Sender<bool>,
    grew: Notify,
    searched: Notify,
}

impl Clips {
    /// None yet.
    pub fn new(device: DeviceId, device_name: String) -> Self {
        Self {
            history: RwLock::default(),
            corpus: RwLock::new(named_corpus(device, &device_name)),
            device,
            device_name,
            unread: AtomicU64::new(0),
            newest: watch::Sender::new(0),
            loaded: watch::Sender::new(false),
            grew: Notify::new(),
            searched: Notify::new(),
        }
    }

    /// The history, to read. Not to be held over an await.
    pub fn history(&self) -> RwLockReadGuard<'_, History> {
        self.history.read()
    }

    /// Looks at all clips, oldest first, in pieces: whoever writes comes in between, and waits for a piece at most. What
    /// comes meanwhile is not looked at. Ends when `look` has seen enough (false).
    pub fn each(&self, look: impl FnMut(&History, &Arc<Clip>) -> bool) {
        // Tasks that were to run on this thread go on elsewhere meanwhile, and so may all that come after: what they left on
        // its stack would stay there.
        overwrite_stack();
        tokio::task::block_in_place(|| self.each_of_them(look));
        overwrite_stack();
    }

    fn each_of_them(&self, mut look: impl FnMut(&History, &Arc<Clip>) -> bool) {
        let newest = self.history().newest();
        let mut seen = None;
        loop {
            let history = self.history();
            let mut count = 0;
            for clip in history.oldest_first_after(seen).take(PIECE) {
                if Some(clip.ordered_at) > newest || !look(&history, &clip) {
                    return;
                }
                seen = Some((clip.ordered_at, clip.id));
                count += 1;
            }
            // Whoever waits to write is next, however soon the next piece would be.
            RwLockReadGuard::unlock_fair(history);
            if count < PIECE {
                return;
            }
        }
    }

    /// Those of the clips that a clock far ahead has stamped above a floor, each with its newest stamp. In pieces, as
    /// [`Clips::each`].
    pub fn ahead(&self, ids: &[ClipId], floor: Stamp, now: Micros) -> HashMap<ClipId, Stamp> {
        let mut ahead = HashMap::new();
        for some in ids.chunks(PIECE) {
            let history = self.history();
            ahead.extend(
                some.iter().filter_map(|id| Some((*id, far_ahead(&*history.get(*id)?, floor, now)?))),
            );
            RwLockReadGuard::unlock_fair(history);
        }
        ahead
    }

    /// Gives these in outline, those of them that are there. In pieces, as [`Clips::each`].
    pub fn outlined(&self, ids: &[ClipId], mut give: impl FnMut(Outlined)) {
        for some in ids.chunks(PIECE) {
            let history = self.history();
            some.iter().filter_map(|id| history.outlined(*id)).for_each(&mut give);
            RwLockReadGuard::unlock_fair(history);
        }
    }

    /// A clip, if it is in the history.
    pub fn get(&self, id: ClipId) -> Option<Arc<Clip>> {
        self.history().get(id)
    }

    /// The drawers as they are now.
    pub fn drawers(&self) -> Arc<Drawers> {
        self.history().drawers_now()
    }

    /// The texts as they are now.
    pub fn texts(&self) -> Texts {
        self.corpus.read().texts()
    }

    /// What is searched has changed since this was asked last.
    pub async fn searched_changes(&self) {
        self.searched.notified().await;
    }

    /// Texts that are to be sealed next, if there are any that may not wait.
    pub fn unsealed(&self, may_wait: &dyn Fn(Sealable) -> bool) -> Option<Sealing> {
        self.corpus.read().unsealed(may_wait)
    }

    /// Puts a seal on texts, if they are as they were. What it replaces is let go of here, while nobody waits.
    pub fn put_seal(&self, sealed: Sealed) {
        let replaced = self.corpus.write().put_seal(sealed);
        drop(replaced);
    }

    /// Everything that is searched, where it is to be woven anew; sooner where nothing comes late just now.
    pub fn weaving(&self, still: bool) -> Option<Weaving> {
        self.corpus.write().weaving(still)
    }

    /// Puts in place what was woven. What it replaces is let go of here, while nobody waits.
    pub fn put_woven(&self, woven: Option<Woven>) {
        let unravelled = self.corpus.write().put_woven(woven);
        drop(unravelled);
    }

    /// These clips are gone for good.
    pub(crate) fn forgotten(&self, gone: &HashSet<ClipId>) {
        self.corpus.read().forgotten(gone.iter().copied());
    }

    /// True when all that is searched of this clip's text is known to the search.
    pub fn has_whole_text(&self, id: ClipId) -> bool {
        self.corpus.read().has_whole(id)
    }

    /// True when this clip's picture was looked at for words.
    pub fn is_read(&self, id: ClipId) -> bool {
        self.corpus.read().is_read(id)
    }

    /// This device.
    pub fn device(&self) -> DeviceId {
        self.device
    }

    /// How this device is called.
    pub fn device_name(&self) -> &str {
        &self.device_name
    }

    /// True once the records have been read.
    pub fn are_loaded(&self) -> bool {
        *self.loaded.borrow()
    }

    /// Waits until the records have been read, for so long at most.
    pub async fn until_loaded(&self, most: Duration) -> bool {
        let mut loaded = self.loaded.subscribe();
        matches!(tokio::time::timeout(most, loaded.wait_for(|loaded| *loaded)).await, Ok(Ok(_)))
    }

    /// Waits until a clip has come.
    pub async fn grew(&self) {
        self.grew.notified().await;
    }

    /// Whoever waits for clips to come looks at them now.
    pub fn look_again(&self) {
        self.grew.notify_one();
    }

    /// Long texts that are still to be read after the start.
    pub fn unread(&self) -> u64 {
        self.unread.load(Ordering::Relaxed)
    }

    pub(crate) fn set_unread(&self, count: u64) {
        self.unread.store(count, Ordering::Relaxed);
    }

    /// An empty history and search, to be filled and put in place by [`Clips::replace`].
    pub(crate) fn blank(&self) -> (History, Corpus) {
        (History::default(), named_corpus(self.device, &self.device_name))
    }

    /// What was read of the records takes the place of what was known.
    pub(crate) fn replace(&self, history: History, corpus: Corpus) {
        *self.corpus.write() = corpus;
        *self.history.write() = history;
        self.grew.notify_one();
        self.searched.notify_one();
    }

    pub(crate) fn set_loaded(&self) {
        self.loaded.send_replace(true);
    }

    /// The newest clips are there before the others, to be seen while these are read. What was copied meanwhile stays.
    pub(crate) fn begin(&self, newest: Vec<StoredClip>) {
        if self.are_loaded() || newest.is_empty() {
            return;
        }
        let mut history = self.history.write();
        history.load_newest(newest);
        self.newest.send_replace(history.len());
    }

    /// How many of the newest clips are known, from the first place on.
    pub fn newest_known(&self) -> usize {
        if self.are_loaded() { usize::MAX } else { *self.newest.borrow() }
    }

    /// Waits until so many of the newest clips are known, or all of them are, for so long at most.
    pub async fn until_known(&self, count: usize, most: Duration) -> bool {
        let mut newest = self.newest.subscribe();
        let known = async {
            if newest.wait_for(|known| *known >= count).await.is_err() {
                std::future::pending::<()>().await;
            }
        };
        tokio::select! {
            () = known => true,
            loaded = self.until_loaded(most) => loaded,
        }
    }

    /// What is now known of a clip. The search follows first, so that whoever is told finds it.
    pub(crate) fn settle(&self, stored: StoredClip, saved: bool, text: Option<&str>) -> (Placed, u64) {
        let id = stored.id;
        let clip = stored.clone().into_clip();
        let drawers = self.drawers();
        // The search is locked before the history wherever both are, and the history no longer than it takes to put a
        // clip in its place.
        let mut corpus = self.corpus.write();
        match &clip {
            Some(clip) => corpus.put(clip, &drawers, text.map_or(Text::Known, Text::Whole)),
            None => corpus.remove(id),
        }
        self.searched.notify_one();
        let mut history = self.history.write();
        let placed = match clip {
            Some(clip) => {
                history.put(Clip { held: if saved { Held::Recorded } else { Held::Waiting }, ..clip })
            }
            None => history.settle(stored),
        };
        if placed.before.is_none() {
            self.grew.notify_one();
        }
        (placed, history.revision())
    }

    /// What is now known of many clips; nothing is left of those in `forgotten`.
    pub(crate) fn settle_many(
        &self,
        many: Vec<StoredClip>,
        forgotten: &[ClipId],
        texts: &HashMap<ClipId, String>,
    ) {
        let drawers = self.drawers();
        {
            let mut corpus = self.corpus.write();
            for stored in &many {
                match stored.clone().into_clip() {
                    Some(clip) => {
                        let text = texts.get(&clip.id).map_or(Text::Known, |text| Text::Whole(text));
                        corpus.put(&clip, &drawers, text);
                    }
                    None => corpus.remove(stored.id),
                }
            }
            forgotten.iter().for_each(|id| corpus.remove(*id));
            corpus.forgotten(forgotten.iter().copied());
        }
        self.searched.notify_one();
        let mut history = self.history.write();
        history.settle_many(many, forgotten);
    }

    /// A clip that lives in memory alone: it is in the history, and no search finds it.
    pub(crate) fn put_fleeting(&self, clip: Clip) -> (Placed, u64) {
        let mut history = self.history.write();
        let placed = history.put(clip);
        (placed, history.revision())
    }

    /// Nothing is left of a clip, not even that it was there.
    pub(crate) fn forget(&self, id: ClipId) -> (Placed, u64) {
        {
            let mut corpus = self.corpus.write();
            corpus.remove(id);
            corpus.forgotten([id]);
        }
        self.searched.notify_one();
        let mut history = self.history.write();
        let placed = history.forget(id);
        (placed, history.revision())
    }

    /// The whole of a clip's text has been read. It may have been removed or changed meanwhile.
    pub(crate) fn whole_text(&self, id: ClipId, text: &str) {
        self.search_anew(id, |corpus, clip, drawers| corpus.put(clip, drawers, Text::Whole(text)));
    }

    /// More is known of what is searched of a clip; nothing happens where it is not there any more.
    fn search_anew(&self, id: ClipId, put: impl FnOnce(&mut Corpus, &Clip, &Drawers)) {
        let mut corpus = self.corpus.write();
        let (clip, drawers) = {
            let history = self.history();
            (history.get(id), history.drawers_now())
        };
        if let Some(clip) = clip {
            put(&mut corpus, &clip, &drawers);
            self.searched.notify_one();
        }
    }

    /// The words of a clip's picture are found from now on; nothing happens where it is not there any more.
    pub(crate) fn put_read(&self, id: ClipId, words: &str) {
        self.search_anew(id, |corpus, clip, drawers| corpus.put_read(clip, drawers, words));
    }

    /// What is told of a clip has changed, though nothing of the clip itself has. `None`: it is not there any more.
    pub(crate) fn renew(&self, id: ClipId) -> Option<(Placed, u64)> {
        let mut history = self.history.write();
        let clip = history.get(id)?;
        let placed = history.put(Arc::unwrap_or_clone(clip));
        Some((placed, history.revision()))
    }

    /// What is now known of a batch; `None`: it is gone.
    pub(crate) fn settle_batch(&self, id: BatchId, batch: Option<Batch>) {
        let mut history = self.history.write();
        history.batches_mut().put(id, batch);
    }

    /// What is now known of a drawer; gives the clips in it when its name has changed.
    pub(crate) fn settle_drawer(&self, drawer: Drawer) -> Vec<Arc<Clip>> {
        let mut history = self.history.write();
        let id = drawer.id.clone();
        let told =
            |history: &History| history.drawers().get(&id).and_then(|one| one.name().map(str::to_owned));
        let before = told(&history);
        history.drawers_mut().put(drawer);
        if before == told(&history) { Vec::new() } else { history.in_drawer(&id).collect() }
    }
}

fn named_corpus(device: DeviceId, name: &str) -> Corpus {
    let mut corpus = Corpus::default();
    corpus.name_device(device, name);
    corpus
}

/// Fills a search from a history. Gives the ids of clips whose facts do not hold all of their text. One thread folds, another
/// puts in place.
pub(crate) fn fill_search(history: &History, corpus: &mut Corpus) -> Vec<ClipId> {
    let mut long = Vec::new();
    corpus.reserve(history.len());
    let (give, folded) = std::sync::mpsc::sync_channel::<Vec<Prepared>>(4);
    std::thread::scope(|scope| {
        scope.spawn(move || {
            let mut clips = history.oldest_first().map(|clip| Prepared::of(clip, history.drawers()));
            loop {
                let some: Vec<Prepared> = clips.by_ref().take(PIECE).collect();
                if some.is_empty() || give.send(some).is_err() {
                    break;
                }
            }
            overwrite_stack();
        });
        for some in folded {
            long.extend(some.iter().filter_map(Prepared::wants_text));
            some.iter().for_each(|one| corpus.put_prepared(one));
        }
    });
    long
}
