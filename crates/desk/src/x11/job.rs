//! Reading one copy by the selection protocol (ICCCM section 2.4), without IO: answers go in, the next request comes
//! out. A job never asks on once its copy has been replaced, since the answer would be another program's.

use std::collections::VecDeque;

use yadori_core::clip::mime;
use yadori_core::{COPY_CAP, Micros, Offer, Representation, Source};

use super::release::release;

/// How long an owner may take for an answer or a chunk, in milliseconds.
pub(crate) const PATIENCE_MS: u64 = 2_000;

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
    /// Read. `doubtful` when its identifying content may be another program's: it was replaced while being asked for.
    Copied { offer: Offer, at_start: bool, doubtful: bool },
    /// The program asked not to record it.
    DoNotRecord,
    /// Larger than the cap.
    TooLarge(u64),
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
    Content(String),
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
    queue: VecDeque<String>,
    got: Vec<Representation>,
    size: u64,
    chunks: Option<Chunks>,
    superseded: bool,
    deadline_ms: u64,
}

impl Job {
    /// A job for a copy made `at`; its first request is always TARGETS.
    pub(crate) fn new(at: Micros, at_start: bool, source: Source, now_ms: u64) -> Self {
        Self {
            at,
            at_start,
            source,
            asked: Asked::Targets,
            queue: VecDeque::new(),
            got: Vec::new(),
            size: 0,
            chunks: None,
            superseded: false,
            deadline_ms: now_ms + PATIENCE_MS,
        }
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

    /// Another copy was made. What is on its way may still come; nothing more is asked for.
    pub(crate) fn supersede(&mut self) -> Next {
        self.superseded = true;
        match self.asked {
            Asked::Content(_) => Next::Wait,
            Asked::Targets | Asked::Hint => Next::Done(Outcome::Nothing),
        }
    }

    /// The owner is gone: what is complete is kept.
    pub(crate) fn owner_gone(&mut self) -> Outcome {
        let held = self.held();
        release(self.chunks.take(), held);
        if self.got.is_empty() { Outcome::Unreadable } else { self.finish(false) }
    }

    /// The deadline has passed. An owner that stalls once is not asked again. What had begun to come and was never
    /// finished is a copy that is lost, and is reported, even when another has replaced it.
    pub(crate) fn expired(&mut self) -> Outcome {
        match (self.superseded && !self.in_chunks(), self.got.is_empty()) {
            (true, true) => Outcome::Nothing,
            (false, true) => Outcome::Unreadable,
            (_, false) => self.finish(false),
        }
    }

    /// An answer came.
    pub(crate) fn answer(&mut self, answer: Answer, now_ms: u64) -> Next {
        self.deadline_ms = now_ms + PATIENCE_MS;
        match (&self.asked, answer) {
            (Asked::Targets, Answer::Targets(names)) => {
                self.queue = mime::fetch_order(&names).into();
                if names.iter().any(|name| name == mime::DO_NOT_RECORD) {
                    self.asked = Asked::Hint;
                    return Next::Convert(mime::DO_NOT_RECORD.to_owned());
                }
                self.next()
            }
            // Owners that answer no TARGETS at all may still have text (ICCCM section 2.6.2 makes TARGETS required).
            (Asked::Targets, _) => {
                self.queue = ["UTF8_STRING", "STRING"].map(str::to_owned).into();
                self.next()
            }
            (Asked::Hint, Answer::Value(_, value)) if value.trim_ascii() == b"secret" => {
                Next::Done(Outcome::DoNotRecord)
            }
            (Asked::Hint, _) => self.next(),
            (Asked::Content(_), Answer::Value(kind, bytes)) => {
                let length = bytes.len() as u64;
                self.take(&kind, bytes, length)
            }
            (Asked::Content(_), Answer::Chunks(kind)) => {
                self.chunks = Some(Chunks { kind, pieces: Vec::new(), came: 0 });
                Next::Wait
            }
            (Asked::Content(_), Answer::Refused | Answer::Targets(_)) => self.next(),
        }
    }

    /// A chunk came; an empty one ends the transfer.
    pub(crate) fn chunk(&mut self, bytes: Vec<u8>, now_ms: u64) -> Next {
        self.deadline_ms = now_ms + PATIENCE_MS;
        let room = COPY_CAP - self.size;
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
        self.take(&kind, bytes, came)
    }

    /// True while chunks are expected.
    pub(crate) fn in_chunks(&self) -> bool {
        self.chunks.is_some()
    }

    fn take(&mut self, kind: &str, bytes: Vec<u8>, length: u64) -> Next {
        let Asked::Content(target) = &self.asked else { return Next::Wait };
        if length > COPY_CAP - self.size {
            let has_text = self.got.iter().any(|one| mime::text_rank(&one.mime).is_some());
            let identifies = self.got.is_empty() || (mime::is_image(target) && !has_text);
            return if identifies { Next::Done(Outcome::TooLarge(self.size + length)) } else { self.next() };
        }
        if !bytes.is_empty() {
            self.size += length;
            let one = if mime::text_rank(target).is_some() {
                let bytes = if kind == "STRING" || target == "STRING" { from_latin1(bytes) } else { bytes };
                // The same text under its many names is one representation; other parameters stay apart.
                Representation::new(mime::PLAIN, bytes)
            } else {
                Representation::new(target.clone(), bytes)
            };
            self.got.push(one);
        }
        self.next()
    }

    fn next(&mut self) -> Next {
        if self.superseded {
            // The answer that just came may have been the new owner's, unless it came in chunks begun before.
            let doubtful = self.got.len() == 1;
            return Next::Done(if self.got.is_empty() { Outcome::Nothing } else { self.finish(doubtful) });
        }
        match self.queue.pop_front() {
            Some(target) => {
                self.asked = Asked::Content(target.clone());
                Next::Convert(target)
            }
            None if self.got.is_empty() => Next::Done(Outcome::Nothing),
            None => Next::Done(self.finish(false)),
        }
    }

    fn finish(&mut self, doubtful: bool) -> Outcome {
        let offer = Offer {
            representations: std::mem::take(&mut self.got),
            source: std::mem::take(&mut self.source),
            at: self.at,
        };
        Outcome::Copied { offer, at_start: self.at_start, doubtful }
    }
}

/// ISO 8859-1 to UTF-8: the type STRING (ICCCM section 2.6.2). Some programs put UTF-8 into it; that is kept.
fn from_latin1(bytes: Vec<u8>) -> Vec<u8> {
    match String::from_utf8(bytes) {
        Ok(text) => text.into_bytes(),
        Err(why) => why.as_bytes().iter().map(|byte| char::from(*byte)).collect::<String>().into_bytes(),
    }
}

/// UTF-8 to ISO 8859-1, for those who ask for STRING; characters it lacks become `?`.
pub(crate) fn to_latin1(text: &[u8]) -> Vec<u8> {
    String::from_utf8_lossy(text).chars().map(|c| u8::try_from(u32::from(c)).unwrap_or(b'?')).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn job() -> Job {
        Job::new(7, false, Source::default(), 0)
    }

    fn targets(names: &[&str]) -> Answer {
        Answer::Targets(names.iter().map(|name| (*name).to_owned()).collect())
    }

    fn value(bytes: &[u8]) -> Answer {
        Answer::Value("UTF8_STRING".into(), bytes.to_vec())
    }

    fn convert(name: &str) -> Next {
        Next::Convert(name.to_owned())
    }

    #[test]
    fn every_representation_is_asked_for_in_turn() {
        let mut job = job();
        assert_eq!(
            job.answer(targets(&["TARGETS", "text/html", "UTF8_STRING", "STRING"]), 1),
            convert("UTF8_STRING")
        );
        assert_eq!(job.answer(value(b"oats"), 2), convert("text/html"));
        let Next::Done(Outcome::Copied { offer, doubtful, .. }) = job.answer(value(b"<b>oats</b>"), 3) else {
            panic!()
        };
        assert!(!doubtful);
        assert_eq!(offer.at, 7);
        let names: Vec<&str> = offer.representations.iter().map(|one| one.mime.as_str()).collect();
        assert_eq!(names, [mime::PLAIN, "text/html"]);
    }

    #[test]
    fn the_wish_not_to_be_recorded_is_obeyed_before_any_content_is_read() {
        let mut job = job();
        assert_eq!(
            job.answer(targets(&["UTF8_STRING", mime::DO_NOT_RECORD]), 1),
            convert(mime::DO_NOT_RECORD)
        );
        assert_eq!(job.answer(value(b"secret"), 2), Next::Done(Outcome::DoNotRecord));
    }

    #[test]
    fn a_hint_of_another_value_is_no_wish() {
        let mut job = job();
        job.answer(targets(&["UTF8_STRING", mime::DO_NOT_RECORD]), 1);
        assert_eq!(job.answer(value(b"public"), 2), convert("UTF8_STRING"));
    }

    #[test]
    fn an_owner_without_targets_is_asked_for_text() {
        let mut job = job();
        assert_eq!(job.answer(Answer::Refused, 1), convert("UTF8_STRING"));
        assert_eq!(job.answer(Answer::Refused, 2), convert("STRING"));
        let Next::Done(Outcome::Copied { offer, .. }) = job.answer(value(b"caf\xe9"), 3) else { panic!() };
        assert_eq!(offer.representations[0].content.expose().as_ref(), "café".as_bytes());
    }

    #[test]
    fn a_copy_above_the_cap_is_measured_and_not_kept() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        let chunk = vec![1; 8 << 20];
        for _ in 0..10 {
            assert_eq!(job.chunk(chunk.clone(), 1), Next::Wait);
        }
        assert_eq!(job.chunk(Vec::new(), 1), Next::Done(Outcome::TooLarge(80 << 20)));
    }

    #[test]
    fn many_small_chunks_become_one_content_and_take_little_more_room_than_it() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        let whole: Vec<u8> = (0..700_000_u32).map(|n| (n % 251) as u8).collect();
        for chunk in whole.chunks(7) {
            assert_eq!(job.chunk(chunk.to_vec(), 1), Next::Wait);
        }
        assert!(job.chunks.as_ref().unwrap().pieces.len() <= whole.len() / (PIECE - 7) + 1);
        let Next::Done(Outcome::Copied { offer, .. }) = job.chunk(Vec::new(), 1) else { panic!() };
        assert!(offer.representations[0].content.expose() == &whole);
    }

    #[test]
    fn exactly_the_cap_is_kept() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        let whole = vec![1; COPY_CAP as usize];
        let done = job.answer(Answer::Value("image/png".into(), whole), 1);
        assert!(matches!(done, Next::Done(Outcome::Copied { .. })));
    }

    #[test]
    fn a_large_extra_is_left_out_and_the_text_kept() {
        let mut job = job();
        job.answer(targets(&["UTF8_STRING", "image/png"]), 0);
        job.answer(value(b"a table"), 0);
        let done = job.answer(Answer::Value("image/png".into(), vec![1; COPY_CAP as usize]), 1);
        let Next::Done(Outcome::Copied { offer, .. }) = done else { panic!("{done:?}") };
        assert_eq!(offer.representations.len(), 1);
    }

    #[test]
    fn a_replaced_copy_asks_for_nothing_more_and_keeps_what_is_complete() {
        let mut job = job();
        job.answer(targets(&["UTF8_STRING", "text/html", "image/png"]), 0);
        job.answer(value(b"first"), 0);
        assert_eq!(job.supersede(), Next::Wait);
        let Next::Done(Outcome::Copied { doubtful, .. }) = job.answer(value(b"<p>"), 1) else { panic!() };
        assert!(!doubtful, "its text had come before it was replaced");
    }

    #[test]
    fn a_copy_replaced_before_anything_is_known_is_nothing() {
        assert_eq!(job().supersede(), Next::Done(Outcome::Nothing));
    }

    #[test]
    fn what_comes_after_a_replacement_is_doubtful() {
        let mut job = job();
        job.answer(targets(&["UTF8_STRING"]), 0);
        job.supersede();
        let Next::Done(Outcome::Copied { doubtful, .. }) = job.answer(value(b"whose?"), 1) else { panic!() };
        assert!(doubtful);
    }

    #[test]
    fn a_silent_owner_is_given_up() {
        let mut silent = job();
        assert_eq!(silent.deadline_ms(), PATIENCE_MS);
        assert_eq!(silent.expired(), Outcome::Unreadable);
        let mut stalled = job();
        stalled.answer(targets(&["UTF8_STRING", "text/html"]), 0);
        stalled.answer(value(b"text"), 0);
        assert!(matches!(stalled.expired(), Outcome::Copied { .. }));
    }

    #[test]
    fn a_replaced_transfer_that_stalls_is_reported_as_lost() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        job.chunk(b"half".to_vec(), 1);
        assert_eq!(job.supersede(), Next::Wait);
        assert_eq!(job.expired(), Outcome::Unreadable);
    }

    #[test]
    fn an_owner_that_dies_in_mid_transfer_leaves_no_half_content() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        job.chunk(b"half".to_vec(), 1);
        assert_eq!(job.owner_gone(), Outcome::Unreadable);
    }
}
