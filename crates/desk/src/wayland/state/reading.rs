//! Reading a copy: each form comes through a pipe of its own, and nobody is waited for.

use std::os::fd::OwnedFd;
use std::sync::Arc;
use std::time::Instant;

use rustix::event::{PollFd, PollFlags};
use rustix::fs::OFlags;
use rustix::io::Errno;
use rustix::pipe::{PipeFlags, pipe_with};
use yadori_core::Source;
use yadori_core::clip::{mime, reading};

use super::protocols::Offered;
use super::{Held, State};
use crate::job::{Answer, Job, Next, Outcome};
use crate::release::release;
use crate::{DeskEvent, Live, Refused, RefusedBecause};

/// Bytes read at once, and how often before others have their turn.
const PIECE: usize = 64 << 10;
const PIECES: usize = 32;
/// What a wish may take, in bytes.
const WISH: usize = 1_024;
/// How long a program is waited for that does not answer, in milliseconds: which one it is, and whether it works on it, is
/// not told here.
const MOST_PATIENCE_MS: u64 = 10_000;

/// A copy that is being read.
#[derive(Debug)]
pub(in crate::wayland) struct Reading {
    offer: Offered,
    job: Job,
    /// It was selected, and not copied.
    selected: bool,
    /// The window that had the keyboard when it was made.
    window: Option<u64>,
    pipe: Option<OwnedFd>,
    /// What has come of a wish; `None` while it is content that comes.
    wish: Option<Vec<u8>>,
    /// When what comes now was asked for.
    asked_ms: u64,
    began: Instant,
}

impl Reading {
    pub(in crate::wayland) fn new(offer: Offered, job: Job, window: Option<u64>) -> Self {
        let began = Instant::now();
        Self { offer, job, selected: false, window, pipe: None, wish: None, asked_ms: 0, began }
    }

    /// Of what was selected.
    pub(in crate::wayland) fn selected(offer: Offered, job: Job, window: Option<u64>) -> Self {
        Self { selected: true, ..Self::new(offer, job, window) }
    }

    pub(in crate::wayland) fn deadline_ms(&self) -> u64 {
        self.job.deadline_ms()
    }

    /// What is to be polled.
    pub(in crate::wayland) fn poll(&self) -> Option<PollFd<'_>> {
        self.pipe.as_ref().map(|pipe| PollFd::new(pipe, PollFlags::IN))
    }
}

impl State {
    pub(in crate::wayland) fn begin_reading(&mut self, n: usize, names: Vec<String>) {
        let now_ms = self.now_ms();
        let next = self.readings[n].job.answer(Answer::Targets(names), now_ms);
        self.step(n, next);
    }

    /// Asks for one form; its end closes the pipe.
    fn ask(&mut self, n: usize, name: &str) {
        let now_ms = self.now_ms();
        let reading = &mut self.readings[n];
        reading.asked_ms = now_ms;
        let pipe = pipe_with(PipeFlags::CLOEXEC).and_then(|(read, write)| {
            // The other end is the program's, and blocks as it expects.
            rustix::fs::fcntl_setfl(&read, OFlags::NONBLOCK)?;
            Ok((read, write))
        });
        match pipe {
            Ok((read, write)) => {
                reading.offer.receive(name, &write);
                reading.pipe = Some(read);
                reading.wish = (name == mime::DO_NOT_RECORD).then(Vec::new);
                if reading.wish.is_none() {
                    let _ = reading.job.answer(Answer::Chunks(name.to_owned()), now_ms);
                }
            }
            Err(why) => {
                tracing::warn!("a copy can't be read: {why}");
                self.end(n, Outcome::Unreadable);
            }
        }
    }

    fn step(&mut self, n: usize, next: Next) {
        match next {
            Next::Wait => {}
            Next::Convert(name) => self.ask(n, &name),
            Next::Done(outcome) => self.end(n, outcome),
        }
    }

    /// Reads what has come, of all of them.
    pub(in crate::wayland) fn read_pipes(&mut self) {
        for n in (0..self.readings.len()).rev() {
            self.read_pipe(n);
        }
    }

    fn read_pipe(&mut self, n: usize) {
        let mut buffer = vec![0; PIECE];
        for _ in 0..PIECES {
            let now_ms = self.now_ms();
            let reading = &mut self.readings[n];
            let Some(pipe) = &reading.pipe else { return };
            let length = match rustix::io::read(pipe, &mut buffer) {
                Ok(length) => length,
                Err(Errno::INTR) => continue,
                Err(Errno::AGAIN) => return,
                Err(_) => 0,
            };
            let next = match (&mut reading.wish, length) {
                (Some(wish), 0) => {
                    let (kind, wish) = (mime::DO_NOT_RECORD.to_owned(), std::mem::take(wish));
                    reading.pipe = None;
                    reading.job.answer(Answer::Value(kind, wish), now_ms)
                }
                (Some(wish), length) => {
                    wish.extend_from_slice(&buffer[..length]);
                    wish.truncate(WISH);
                    Next::Wait
                }
                (None, 0) => {
                    reading.pipe = None;
                    reading.job.chunk(Vec::new(), now_ms)
                }
                (None, length) => {
                    let next = reading.job.chunk(buffer[..length].to_vec(), now_ms);
                    if reading.job.is_over() {
                        // Nobody needs the rest; the program is told so by the closed pipe.
                        reading.pipe = None;
                        reading.job.chunk(Vec::new(), now_ms)
                    } else {
                        next
                    }
                }
            };
            let ended = length == 0 || self.readings[n].pipe.is_none();
            self.step(n, next);
            if ended {
                return;
            }
        }
    }

    /// The clipboard has changed hands.
    pub(in crate::wayland) fn supersede_readings(&mut self) {
        for n in (0..self.readings.len()).rev() {
            if self.readings[n].selected {
                continue;
            }
            let next = self.readings[n].job.supersede();
            self.step(n, next);
        }
    }

    pub(in crate::wayland) fn give_up_reading(&mut self, n: usize) {
        let outcome = self.readings[n].job.owner_gone();
        self.end(n, outcome);
    }

    /// Copies whose time is over.
    pub(in crate::wayland) fn expire_readings(&mut self) {
        let now_ms = self.now_ms();
        for n in (0..self.readings.len()).rev() {
            if self.readings[n].job.deadline_ms() < now_ms {
                let works = now_ms < self.readings[n].asked_ms + MOST_PATIENCE_MS;
                let next = self.readings[n].job.expired(works, now_ms);
                self.step(n, next);
            }
        }
    }

    fn end(&mut self, n: usize, outcome: Outcome) {
        let Reading { offer, job, selected, window, began, .. } = self.readings.remove(n);
        offer.destroy();
        let refused = |reason, source| DeskEvent::Refused(Refused { at: job.at(), reason, source });
        match outcome {
            Outcome::Copied { mut offer, at_start } => {
                reading::soften_cut(&mut offer);
                let same = if selected { None } else { self.lately.same(&offer, began) };
                offer.at = same.unwrap_or(offer.at);
                let offer = Arc::new(offer);
                if !selected && !job.is_superseded() {
                    self.held = Some(Held { offer: offer.clone(), window });
                    if let Some(at) = same {
                        self.say(DeskEvent::Live(Live::Theirs(at)));
                    }
                }
                if same.is_none() {
                    self.say(DeskEvent::Copied { offer, at_start, executable: None, selected });
                }
            }
            // Nobody has copied it: what becomes of it is no news.
            _ if selected => {}
            // Not even where it came from.
            Outcome::DoNotRecord => self.say(refused(RefusedBecause::DoNotRecord, Source::default())),
            Outcome::Ruled(rule) => self.say(refused(RefusedBecause::Ruled(rule), Source::default())),
            Outcome::TooLarge(size) => {
                self.say(refused(RefusedBecause::TooLarge(size), job.source().clone()));
            }
            Outcome::Unreadable => self.say(refused(RefusedBecause::Unreadable, job.source().clone())),
            Outcome::Nothing if !job.is_superseded() => self.say(DeskEvent::Live(Live::Empty)),
            Outcome::Nothing => {}
        }
        let size = job.held();
        release(job, size);
    }
}
