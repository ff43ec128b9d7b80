//! Reading one copy by the selection protocol (ICCCM section 2.4), without IO: answers go in, the next request comes
//! out. Once its copy has been replaced, a job asks for nothing more and believes no answer, since it may be the other
//! program's: what was complete before stays, and a transfer that had begun before goes on.

use yadori_core::clip::mime;
use yadori_core::intake::asking::{Ask, Asking};
use yadori_core::text::compound::{from_compound, from_latin1};
use yadori_core::{COPY_CAP, Micros, Offer, REPRESENTATIONS, Representation, Source};

use crate::release::release;

/// How long an owner may take for an answer or a chunk, in milliseconds, unless it is seen to work on it.
pub(crate) const PATIENCE_MS: u64 = 2_000;
/// How long an owner that works on it may take to tell what its copy is, in milliseconds.
const MOST_PATIENCE_MS: u64 = 60_000;
/// How long everything beside that may take together, in milliseconds: some programs stand still meanwhile.
const BESIDE_MS: u64 = 3_000;

/// Small chunks are gathered in pieces of this size, in bytes.
const PIECE: usize = 64 << 10;

/// What to do next.
#[derive(Debug, PartialEq)]
pub(crate) enum Next {
    /// Ask for this target.
    Convert(String),
    /// Wait for the answer or the next chunk.
    Wait,
    /// The job has ended.
    Done(Outcome),
}

/// How a job ended.
#[derive(Debug, PartialEq)]
pub(crate) enum Outcome {
    /// Read.
    Copied { offer: Offer, at_start: bool },
    /// The program asked not to record it, or may have.
    DoNotRecord,
    /// Larger than the cap.
    TooLarge(u64),
    /// A rule of the person's refuses it.
    Ruled(usize),
    /// The program did not answer, or ended.
    Unreadable,
    /// Nothing in it, or replaced before anything was known of it.
    Nothing,
}

/// An answer to a request.
#[derive(Debug)]
pub(crate) enum Answer {
    /// The owner has no such target.
    Refused,
    /// For TARGETS: their names.
    Targets(Vec<String>),
    /// A value, its type's name, and its bytes.
    Value(String, Vec<u8>),
    /// It will come in chunks (INCR, ICCCM section 2.7.2).
    Chunks(String),
}

#[derive(Debug)]
enum Asked {
    Targets,
    Hint,
    Content(Ask),
}

#[derive(Debug)]
struct Chunks {
    kind: String,
    /// As they came: a buffer that grew would be copied, and what it grew out of overwritten, again and again.
    pieces: Vec<Vec<u8>>,
    /// Bytes that came, also those not kept.
    came: u64,
}

/// The reading of one copy.
#[derive(Debug)]
pub(crate) struct Job {
    at: Micros,
    at_start: bool,
    source: Source,
    asked: Asked,
    asking: Asking,
    got: Vec<Representation>,
    size: u64,
    /// Bytes of it at most.
    cap: u64,
    chunks: Option<Chunks>,
    superseded: bool,
    deadline_ms: u64,
    /// When what was asked for last was asked for.
    asked_ms: u64,
    /// When everything beside its identity is to be there.
    beside_until_ms: Option<u64>,
}

impl Job {
    /// A job for a copy made `at`; its first request is always TARGETS.
    pub(crate) fn new(at: Micros, at_start: bool, source: Source, now_ms: u64) -> Self {
        Self {
            at,
            at_start,
            source,
            asked: Asked::Targets,
            asking: Asking::default(),
            got: Vec::new(),
            size: 0,
            cap: COPY_CAP,
            chunks: None,
            superseded: false,
            deadline_ms: now_ms + PATIENCE_MS,
            asked_ms: now_ms,
            beside_until_ms: None,
        }
    }

    /// The same for a copy of so many bytes at most.
    pub(crate) fn at_most(self, cap: u64) -> Self {
        Self { cap: cap.min(COPY_CAP), ..self }
    }

    pub(crate) fn at(&self) -> Micros {
        self.at
    }

    pub(crate) fn source(&self) -> &Source {
        &self.source
    }

    pub(crate) fn deadline_ms(&self) -> u64 {
        self.deadline_ms
    }

    /// Bytes of it in memory, about.
    pub(crate) fn held(&self) -> u64 {
        self.size + self.chunks.as_ref().map_or(0, |chunks| chunks.came)
    }

    pub(crate) fn is_superseded(&self) -> bool {
        self.superseded
    }

    /// Another copy was made. A transfer that had begun may still end; nothing else is believed or asked for.
    pub(crate) fn supersede(&mut self) -> Next {
        if self.superseded {
            return Next::Wait;
        }
        self.superseded = true;
        if self.in_chunks() { Next::Wait } else { Next::Done(self.complete()) }
    }

    /// The owner is gone: what is complete is kept.
    pub(crate) fn owner_gone(&mut self) -> Outcome {
        self.drop_chunks();
        match self.asked {
            // Nobody knows what it was, nor whether it was to be recorded.
            Asked::Targets => Outcome::Nothing,
            Asked::Hint => Outcome::DoNotRecord,
            Asked::Content(_) if self.got.is_empty() || self.asking.expects_picture() => Outcome::Unreadable,
            Asked::Content(_) => self.complete(),
        }
    }

    /// The deadline has passed. `works` tells whether the owner is seen to work; then there is more time for what tells
    /// what the copy is. An owner that stalls is not asked again. What had begun to come and was never finished is a copy
    /// that is lost, and is reported, even when another has replaced it.
    pub(crate) fn expired(&mut self, works: bool, now_ms: u64) -> Next {
        let identity = !matches!(self.asked, Asked::Content(Ask::Beside(_)));
        if works && identity && !self.superseded && now_ms < self.asked_ms + MOST_PATIENCE_MS {
            self.deadline_ms = now_ms + PATIENCE_MS;
            return Next::Wait;
        }
        let in_chunks = self.in_chunks();
        self.drop_chunks();
        Next::Done(match self.asked {
            Asked::Hint => Outcome::DoNotRecord,
            _ if self.got.is_empty() || self.asking.expects_picture() => {
                if self.superseded && !in_chunks {
                    Outcome::Nothing
                } else {
                    Outcome::Unreadable
                }
            }
            _ => self.complete(),
        })
    }

    /// Nothing of it is to be kept.
    pub(crate) fn forget(&mut self) {
        self.drop_chunks();
        self.got.clear();
        self.size = 0;
        self.asking = Asking::default();
    }

    fn drop_chunks(&mut self) {
        let held = self.held();
        release(self.chunks.take(), held);
    }

    /// An answer came.
    pub(crate) fn answer(&mut self, answer: Answer, now_ms: u64) -> Next {
        if self.superseded {
            return Next::Wait;
        }
        match (&self.asked, answer) {
            (Asked::Targets, Answer::Targets(names)) => {
                self.asking = Asking::of(&names);
                if self.asking.is_marked() {
                    self.asked = Asked::Hint;
                    return self.ask(mime::DO_NOT_RECORD, now_ms);
                }
                self.next(now_ms)
            }
            // Owners that answer no TARGETS at all may still have text (ICCCM section 2.6.2 makes TARGETS required).
            (Asked::Targets, _) => {
                self.asking = Asking::for_text();
                self.next(now_ms)
            }
            // A wish that can't be read may be the wish.
            (Asked::Hint, Answer::Value(_, value))
                if value.trim_ascii() != b"secret" && !value.is_empty() =>
            {
                self.next(now_ms)
            }
            (Asked::Hint, _) => Next::Done(Outcome::DoNotRecord),
            (Asked::Content(_), Answer::Value(kind, bytes)) => {
                let length = bytes.len() as u64;
                self.take(&kind, bytes, length, now_ms)
            }
            (Asked::Content(_), Answer::Chunks(kind)) => {
                self.chunks = Some(Chunks { kind, pieces: Vec::new(), came: 0 });
                Next::Wait
            }
            (Asked::Content(_), Answer::Refused | Answer::Targets(_)) => self.next(now_ms),
        }
    }

    /// A chunk came; an empty one ends the transfer. However slowly they come, there is an end to it.
    pub(crate) fn chunk(&mut self, bytes: Vec<u8>, now_ms: u64) -> Next {
        let last = match (&self.asked, self.beside_until_ms) {
            (Asked::Content(Ask::Beside(_)), Some(until)) => until,
            _ => self.asked_ms + MOST_PATIENCE_MS,
        };
        self.deadline_ms = last.min(now_ms + PATIENCE_MS);
        let room = self.cap.saturating_sub(self.size);
        let Some(chunks) = &mut self.chunks else { return Next::Wait };
        if !bytes.is_empty() {
            chunks.came += bytes.len() as u64;
            if chunks.came <= room {
                match chunks.pieces.last_mut() {
                    // Each of many small ones would take more room than it holds.
                    Some(last) if last.len() + bytes.len() <= PIECE => last.extend_from_slice(&bytes),
                    _ => chunks.pieces.push(bytes),
                }
            } else {
                release(std::mem::take(&mut chunks.pieces), chunks.came); // only its size is still of interest
            }
            return Next::Wait;
        }
        let Some(Chunks { kind, mut pieces, came }) = self.chunks.take() else { return Next::Wait };
        let bytes = if pieces.len() == 1 { pieces.swap_remove(0) } else { pieces.concat() };
        release(pieces, came);
        self.take(&kind, bytes, came, now_ms)
    }

    /// It is larger than it may be already.
    pub(crate) fn is_over(&self) -> bool {
        let room = self.cap.saturating_sub(self.size);
        self.chunks.as_ref().is_some_and(|chunks| chunks.came > room)
    }

    /// True while chunks are expected.
    pub(crate) fn in_chunks(&self) -> bool {
        self.chunks.is_some()
    }

    fn take(&mut self, kind: &str, bytes: Vec<u8>, length: u64, now_ms: u64) -> Next {
        let Asked::Content(ask) = &self.asked else { return Next::Wait };
        let target = match ask {
            Ask::Identity(target) | Ask::Beside(target) => target.clone(),
        };
        if length > self.cap.saturating_sub(self.size) {
            let identifies = matches!(ask, Ask::Identity(_));
            return if identifies {
                Next::Done(Outcome::TooLarge(self.size + length))
            } else {
                self.next(now_ms)
            };
        }
        let bytes = match (mime::text_rank(&target).is_some(), kind) {
            (true, "STRING") => from_latin1(bytes),
            (true, "COMPOUND_TEXT") => from_compound(&bytes),
            (true, _) if target == "STRING" => from_latin1(bytes),
            _ => bytes,
        };
        self.asking.had(&target, &bytes);
        if !bytes.is_empty() {
            self.keep(target, bytes);
        }
        self.next(now_ms)
    }

    /// The same text under its many names is one representation, a text that differs one of its own.
    fn keep(&mut self, target: String, bytes: Vec<u8>) {
        let is_text = mime::text_rank(&target).is_some();
        let first_text = self.got.iter().position(|one| mime::text_rank(&one.mime).is_some());
        let mime = match first_text.filter(|_| is_text) {
            None if is_text => mime::PLAIN.to_owned(),
            None => target,
            Some(_) if self.got.iter().any(|one| one.content.expose()[..] == bytes[..]) => return,
            Some(first) => {
                if self.got[first].mime == mime::PLAIN
                    && mime::text_rank(&target) == mime::text_rank(mime::PLAIN)
                {
                    // The first one came under the best name there is.
                    mime::TEXT_ALIASES[0].clone_into(&mut self.got[first].mime);
                }
                target
            }
        };
        self.size += bytes.len() as u64;
        self.got.push(Representation::new(mime, bytes));
    }

    fn next(&mut self, now_ms: u64) -> Next {
        if self.superseded {
            return Next::Done(self.complete());
        }
        match self.asking.wants() {
            Some(Ask::Beside(_)) if self.got.len() >= REPRESENTATIONS => Next::Done(self.complete()),
            Some(Ask::Beside(target)) => {
                let until = *self.beside_until_ms.get_or_insert(now_ms + BESIDE_MS);
                if now_ms >= until {
                    tracing::info!("a program takes long; its copy is kept without its further forms");
                    return Next::Done(self.complete());
                }
                self.asked = Asked::Content(Ask::Beside(target.clone()));
                self.asked_ms = now_ms;
                self.deadline_ms = until.min(now_ms + PATIENCE_MS);
                Next::Convert(target)
            }
            Some(Ask::Identity(target)) => {
                self.asked = Asked::Content(Ask::Identity(target.clone()));
                self.ask(&target, now_ms)
            }
            None if self.asking.lacks_picture() => Next::Done(Outcome::Unreadable),
            None => Next::Done(self.complete()),
        }
    }

    fn ask(&mut self, target: &str, now_ms: u64) -> Next {
        self.asked_ms = now_ms;
        self.deadline_ms = now_ms + PATIENCE_MS;
        Next::Convert(target.to_owned())
    }

    /// What is complete. What was not known for what it is when it was replaced is nothing.
    fn complete(&mut self) -> Outcome {
        if self.got.is_empty() || self.asking.expects_picture() {
            return Outcome::Nothing;
        }
        let offer = Offer {
            representations: std::mem::take(&mut self.got),
            also: self.asking.also(),
            source: std::mem::take(&mut self.source),
            at: self.at,
        };
        Outcome::Copied { offer, at_start: self.at_start }
    }
}

#[cfg(test)]
mod tests;
