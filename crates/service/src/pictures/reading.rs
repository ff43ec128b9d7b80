//! Words of pictures are read in the background, of the newest first, one at a time, and found by the search from then on.
//! What was read is kept with the picture's content, and goes with it.

use std::collections::{HashMap, VecDeque};
use std::time::{Duration, Instant};

use tokio::sync::broadcast::Receiver;
use tokio::sync::broadcast::error::{RecvError, TryRecvError};
use yadori_core::clip::mime;
use yadori_core::clip::pictured::Pictured;
use yadori_core::history::stored::Held;
use yadori_core::{Clip, ClipId, Digest, Kind};

use super::reader::{Reader, ReaderError};
use crate::state::app::{App, Shared};
use crate::state::at_hand::ContentError;
use crate::state::events::{Happening, Numbered};
use crate::state::paced::Paced;
use crate::writer::{Lately, Queue};

/// Pictures that the records are asked about at once.
const ASKED: usize = 50;
/// How often a reader that is not installed is looked for, and a database that is away is asked again.
const AGAIN: Duration = Duration::from_secs(60);
const SOON: Duration = Duration::from_secs(2);

/// The content that is a clip's picture, if words may be read from it.
pub fn picture_of(clip: &Clip) -> Option<Digest> {
    let picture = clip.facts.picture.as_ref().filter(|_| clip.facts.kind() == Kind::Image)?;
    // What is not recorded yet is told of once it is.
    let open = !clip.is_secret() && clip.held == Held::Recorded;
    let pixels = mime::base(&picture.mime) != "image/svg+xml";
    let offer = clip.state.offer().filter(|_| open && pixels)?;
    Some(offer.representations.iter().find(|one| one.mime == picture.mime)?.digest)
}

/// What was read from a clip's picture, if that was looked at and the database answers.
pub async fn pictured(app: &App, clip: &Clip) -> Option<Pictured> {
    let digest = picture_of(clip)?;
    app.at_hand.store()?.pictured(&[digest]).await.ok()?.remove(&digest)
}

/// Why nothing more is done for now.
enum Pause {
    /// There is nothing to do, or it is not wanted.
    Idle,
    /// No reader is installed.
    NoReader,
    /// The database is away.
    Away,
}

struct Reading {
    app: Shared,
    queue: Queue,
    live: Receiver<Numbered>,
    /// Clips whose pictures may have been read before, the newest last.
    fresh: Vec<ClipId>,
    /// Those that were not, the newest first.
    unread: VecDeque<ClipId>,
    /// Those that were, by a reader that knew other languages.
    again: VecDeque<ClipId>,
    /// Those whose pictures another device has, by their contents.
    far: HashMap<Digest, ClipId>,
    coming: Receiver<Digest>,
    reader: Option<Reader>,
    /// Looking at all clips: where many come from another device, all are to be looked at anew with each page of theirs.
    all: Paced,
}

/// Reads what is wanted, until the service ends.
pub(crate) async fn run(app: Shared, queue: Queue) {
    let live = app.events.listen(None).live;
    let coming = app.at_hand.coming();
    let mut reading = Reading {
        app,
        queue,
        live,
        fresh: Vec::new(),
        unread: VecDeque::new(),
        again: VecDeque::new(),
        far: HashMap::new(),
        coming,
        reader: None,
        all: Paced::default(),
    };
    let shutdown = reading.app.shutdown.clone();
    tokio::select! {
        () = shutdown.cancelled() => {}
        () = reading.go_on() => {}
    }
}

impl Reading {
    async fn go_on(&mut self) {
        while !self.app.clips.until_loaded(AGAIN).await {}
        self.all.want();
        loop {
            self.hear();
            if self.all.wait(Instant::now()) == Some(Duration::ZERO) {
                self.look_at_all();
            }
            let app = self.app.clone();
            let changing = app.changing();
            let pause = if self.fresh.is_empty() {
                tokio::pin!(changing);
                tokio::select! {
                    // Whoever turns it off ends what is being read.
                    () = &mut changing => None,
                    pause = self.read_next() => pause,
                }
            } else {
                self.look_up().await
            };
            let most = match pause {
                None => continue,
                Some(Pause::Idle) => Duration::MAX,
                Some(Pause::NoReader) => AGAIN,
                Some(Pause::Away) => SOON,
            };
            let most = self.all.wait(Instant::now()).map_or(most, |wait| wait.min(most));
            let changing = app.changing();
            tokio::select! {
                heard = self.live.recv() => match heard {
                    Ok((_, happening)) => self.heard(&happening),
                    Err(RecvError::Lagged(_)) => self.all.want(),
                    Err(RecvError::Closed) => return,
                },
                came = self.coming.recv() => match came {
                    Ok(digest) => self.has_come(digest),
                    Err(RecvError::Lagged(_)) => self.fresh.extend(self.far.drain().map(|(_, id)| id)),
                    Err(RecvError::Closed) => return,
                },
                // It may know other languages by now.
                () = changing => self.reader = None,
                () = tokio::time::sleep(most) => {}
            }
        }
    }

    /// All pictures are looked for anew.
    fn look_at_all(&mut self) {
        let began = Instant::now();
        (self.fresh, self.unread) = (Vec::new(), VecDeque::new());
        self.again.clear();
        self.far.clear();
        let (app, fresh) = (self.app.clone(), &mut self.fresh);
        app.clips.each(|_, clip| {
            if picture_of(clip).is_some() {
                fresh.push(clip.id);
            }
            true
        });
        self.all.done(began, Instant::now());
    }

    /// What has happened meanwhile.
    fn hear(&mut self) {
        loop {
            match self.live.try_recv() {
                Ok((_, happening)) => self.heard(&happening),
                Err(TryRecvError::Lagged(_)) => self.all.want(),
                Err(TryRecvError::Empty | TryRecvError::Closed) => return,
            }
        }
    }

    /// A picture that another device had is here.
    fn has_come(&mut self, digest: Digest) {
        self.fresh.extend(self.far.remove(&digest));
    }

    fn heard(&mut self, happening: &Happening) {
        match happening {
            Happening::Clip { id, .. } if self.wanted(*id).is_some() => self.fresh.push(*id),
            Happening::Reset => self.all.want(),
            _ => {}
        }
    }

    /// The picture of a clip, if it was not looked at yet.
    fn wanted(&self, id: ClipId) -> Option<Digest> {
        let digest = picture_of(&*self.app.clips.get(id)?)?;
        (!self.app.clips.is_read(id)).then_some(digest)
    }

    /// What was read before is found again.
    async fn look_up(&mut self) -> Option<Pause> {
        let Some(store) = self.app.at_hand.store() else { return Some(Pause::Away) };
        let some = self.fresh.split_off(self.fresh.len().saturating_sub(ASKED));
        let wanted: Vec<(ClipId, Digest)> =
            some.iter().filter_map(|id| Some((*id, self.wanted(*id)?))).collect();
        let digests: Vec<Digest> = wanted.iter().map(|(_, digest)| *digest).collect();
        let known = match store.pictured(&digests).await {
            Ok(known) => known,
            Err(why) => {
                tracing::debug!("the words of pictures can't be read now: {why}");
                self.fresh.extend(some);
                return Some(Pause::Away);
            }
        };
        if !known.is_empty() && self.app.settings().read_pictures {
            self.find_reader().await;
        }
        let by_others = |by: &str| self.reader.as_ref().is_some_and(|reader| reader.languages() != by);
        let mut words = Vec::new();
        let mut unread = Vec::new();
        let mut again = Vec::new();
        for (id, digest) in wanted {
            match known.get(&digest) {
                Some(pictured) => {
                    words.push((id, pictured.text()));
                    again.extend(by_others(&pictured.by).then_some(id));
                }
                None => unread.push(id),
            }
        }
        self.queue.pictured(words, Lately::Earlier).await;
        self.unread.retain(|id| !unread.contains(id));
        // The newest come last.
        unread.into_iter().for_each(|id| self.unread.push_front(id));
        self.again.retain(|id| !again.contains(id));
        self.again.extend(again.into_iter().rev());
        None
    }

    async fn find_reader(&mut self) {
        if self.reader.is_none() {
            self.reader = Reader::find().await.ok();
        }
    }

    /// The newest picture that was not read is; then those that others read.
    async fn read_next(&mut self) -> Option<Pause> {
        let next = self.unread.front().or(self.again.front()).copied();
        let Some(id) = next.filter(|_| self.app.settings().read_pictures) else {
            return Some(Pause::Idle);
        };
        self.find_reader().await;
        let Some(reader) = self.reader.clone() else { return Some(Pause::NoReader) };
        let again = self.unread.is_empty();
        let digest =
            if again { self.app.clips.get(id).and_then(|clip| picture_of(&clip)) } else { self.wanted(id) };
        let Some(digest) = digest else {
            self.done_with(id);
            return None;
        };
        let content = match self.app.at_hand.here(digest).await {
            Ok(content) => content,
            Err(ContentError::Away) => return Some(Pause::Away),
            // Another device has it, and it is read once it has come; or it is damaged.
            Err(ContentError::Damaged) => {
                self.done_with(id);
                if !again {
                    self.far.insert(digest, id);
                }
                return None;
            }
        };
        let store = self.app.at_hand.store()?;
        let read = match reader.read(content).await {
            Ok(read) => read,
            Err(ReaderError::Absent) => {
                self.reader = None;
                return Some(Pause::NoReader);
            }
            Err(why) => {
                // Once is enough.
                tracing::info!("the words of a picture could not be read: {why}");
                // What was read before is still true.
                let before = store.pictured(&[digest]).await.ok().and_then(|mut known| known.remove(&digest));
                Pictured { by: reader.languages().to_owned(), ..before.unwrap_or_default() }
            }
        };
        match store.keep_pictured(digest, &read).await {
            Ok(true) => self.queue.pictured(vec![(id, read.text())], Lately::Now).await,
            // It has gone meanwhile.
            Ok(false) => {}
            Err(why) => {
                tracing::debug!("the words of a picture can't be kept now: {why}");
                return Some(Pause::Away);
            }
        }
        self.done_with(id);
        None
    }

    fn done_with(&mut self, id: ClipId) {
        self.unread.retain(|one| *one != id);
        self.again.retain(|one| *one != id);
    }
}
