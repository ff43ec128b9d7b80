//! Taking: a source of our own is what is copied, and what it holds is written into the pipes of those who ask.

use std::collections::hash_map::RandomState;
use std::hash::{BuildHasher as _, Hasher as _};
use std::os::fd::OwnedFd;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

use bytes::Bytes;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use tokio::sync::oneshot;
use wayland_client::backend::ObjectId;
use yadori_core::Offer;
use yadori_core::take::handing::{Handed, handed};

use super::State;
use super::protocols::Source;
use crate::picture::encode;
use crate::release::release;
use crate::{DeskEvent, Live, TakeError};

/// What marks our own offers, with a number that nobody else knows.
const MARK: &str = "application/x-yadori-desk;run=";
/// How long a program may take to read the next piece.
const STALLED: Timespec = Timespec { tv_sec: 30, tv_nsec: 0 };
/// What a pipe takes without a wait once it has room (POSIX, `PIPE_BUF`), in bytes.
const PIECE: usize = 4_096;
/// How many may be served at once; more are refused.
const MOST: usize = 64;

/// What is served from one source.
#[derive(Debug)]
struct Served {
    source: Source,
    offer: Arc<Offer>,
    names: Vec<(String, Handed)>,
    /// What it is that was taken: told once the compositor has it.
    live: Live,
    done: Option<Done>,
}

/// Who waits for a take.
#[derive(Debug)]
pub(in crate::wayland) enum Done {
    /// A take.
    Take(oneshot::Sender<Result<(), TakeError>>),
    /// A paste, which goes on then.
    Paste,
    /// Nobody.
    Nobody,
}

/// Everything that is served.
#[derive(Debug)]
pub(in crate::wayland) struct Serving {
    mark: String,
    now: Option<Served>,
    primary: Option<Source>,
    threads: Arc<AtomicUsize>,
}

impl Default for Serving {
    fn default() -> Self {
        let run = RandomState::new().build_hasher().finish();
        Self { mark: format!("{MARK}{run:016x}"), now: None, primary: None, threads: Arc::default() }
    }
}

impl Serving {
    /// What is copied is ours.
    pub(in crate::wayland) fn holds(&self) -> bool {
        self.now.as_ref().is_some_and(|one| one.done.is_none())
    }

    /// These are the names of an offer of ours.
    pub(in crate::wayland) fn is_own(&self, names: &[String]) -> bool {
        names.contains(&self.mark)
    }

    /// Serves an offer from a source that was made for it; gives it its names.
    pub(in crate::wayland) fn begin(
        &mut self,
        source: Source,
        offer: Arc<Offer>,
        live: Live,
        done: Done,
    ) -> ObjectId {
        let names = handed(&offer);
        for (name, _) in &names {
            source.offer(name);
        }
        source.offer(&self.mark);
        let id = source.id();
        let before = self.now.replace(Served { source, offer, names, live, done: Some(done) });
        before.into_iter().for_each(give_up);
        id
    }

    /// What is selected is served as well, from this source, until it is let go of.
    pub(in crate::wayland) fn begin_primary(&mut self, source: Source) {
        if let Some(now) = &self.now {
            for (name, _) in &now.names {
                source.offer(name);
            }
            source.offer(&self.mark);
        }
        self.end_primary();
        self.primary = Some(source);
    }

    pub(in crate::wayland) fn has_primary(&self) -> bool {
        self.primary.is_some()
    }

    pub(in crate::wayland) fn end_primary(&mut self) {
        if let Some(source) = self.primary.take() {
            source.destroy();
        }
    }

    /// The offer that is served was made at this time.
    pub(in crate::wayland) fn is_of(&self, at: i64) -> bool {
        self.now.as_ref().is_some_and(|one| one.offer.at == at)
    }

    /// The connection is gone.
    pub(in crate::wayland) fn give_up(&mut self, why: &str) {
        if let Some(mut one) = self.now.take()
            && let Some(Done::Take(done)) = one.done.take()
        {
            let _ = done.send(Err(TakeError::NoDisplay(why.to_owned())));
        }
    }
}

/// Another has taken its place.
fn give_up(mut one: Served) {
    if let Some(Done::Take(done)) = one.done.take() {
        let _ = done.send(Err(TakeError::Lost));
    }
    one.source.destroy();
    let size = one.offer.size();
    release(one.offer, size);
}

impl State {
    /// The compositor has done what was asked before: what is served is what is copied, unless it was told otherwise.
    pub(in crate::wayland) fn taken(&mut self, source: &ObjectId) {
        let Some(one) = self.serving.now.as_mut().filter(|one| one.source.id() == *source) else { return };
        let live = one.live;
        let done = one.done.take();
        self.say(DeskEvent::Live(live));
        match done {
            Some(Done::Take(done)) => drop(done.send(Ok(()))),
            Some(Done::Paste) => self.taken_for_paste(true),
            Some(Done::Nobody) | None => {}
        }
    }

    /// Another program has copied.
    pub(in crate::wayland) fn cancelled(&mut self, source: &ObjectId) {
        if self.serving.primary.as_ref().is_some_and(|one| one.id() == *source) {
            return self.serving.end_primary();
        }
        let Some(mut one) = self.serving.now.take_if(|one| one.source.id() == *source) else { return };
        let waits_for_paste = matches!(one.done, Some(Done::Paste));
        if waits_for_paste {
            one.done = None;
        }
        give_up(one);
        if waits_for_paste {
            self.taken_for_paste(false);
        } else {
            self.clipboard_lost();
        }
    }

    /// A program asks for what is served.
    pub(in crate::wayland) fn asked(&mut self, source: &ObjectId, name: &str, into: OwnedFd) {
        let primary = self.serving.primary.as_ref().is_some_and(|one| one.id() == *source);
        let Some(one) = self.serving.now.as_ref().filter(|one| primary || one.source.id() == *source) else {
            return;
        };
        let Some((_, handed)) = one.names.iter().find(|(known, _)| known == name) else { return };
        let (offer, handed, threads) = (one.offer.clone(), *handed, self.serving.threads.clone());
        self.asked_for();
        if threads.fetch_add(1, Ordering::SeqCst) >= MOST {
            threads.fetch_sub(1, Ordering::SeqCst);
            tracing::warn!("more programs ask for the clipboard at once than are served");
            return;
        }
        let counted = threads.clone();
        let spawned = std::thread::Builder::new().name("hand out".into()).spawn(move || {
            // An encoder that fails fails here alone; the closed pipe tells the program.
            let bytes = std::panic::catch_unwind(|| bytes_of(&offer, handed)).ok().flatten();
            if let Some(bytes) = bytes {
                write_out(&into, &bytes);
            }
            drop(into);
            counted.fetch_sub(1, Ordering::SeqCst);
        });
        if spawned.is_err() {
            threads.fetch_sub(1, Ordering::SeqCst);
        }
    }

    /// Nothing that is served is on its way.
    pub(in crate::wayland) fn is_quiet(&self) -> bool {
        self.serving.threads.load(Ordering::SeqCst) == 0
    }
}

fn bytes_of(offer: &Offer, handed: Handed) -> Option<Bytes> {
    match handed {
        Handed::Made(picture, encoding) => {
            encode(&Handed::AsIs(picture).bytes(offer)?, encoding).map(Bytes::from)
        }
        handed => handed.bytes(offer),
    }
}

/// Writes all of it, as fast as it is read. A program that reads no more is given up.
fn write_out(into: &OwnedFd, bytes: &[u8]) {
    let began = Instant::now();
    let mut rest = bytes;
    while !rest.is_empty() {
        let mut fds = [PollFd::new(into, PollFlags::OUT)];
        if !matches!(poll(&mut fds, Some(&STALLED)), Ok(1)) {
            return tracing::info!("a program has not read what it asked for");
        }
        match rustix::io::write(into, &rest[..rest.len().min(PIECE)]) {
            Ok(length) => rest = &rest[length..],
            Err(rustix::io::Errno::INTR | rustix::io::Errno::AGAIN) => {}
            Err(_) => return, // it has read enough
        }
    }
    if began.elapsed() > Duration::from_secs(5) {
        tracing::info!("a program took long to read what it asked for");
    }
}
