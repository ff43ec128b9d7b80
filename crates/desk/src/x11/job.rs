//! Reading one copy by the selection protocol (ICCCM section 2.4), without IO: answers go in, the next request comes
//! out. Once its copy has been replaced, a job asks for nothing more and believes no answer, since it may be the other
//! program's: what was complete before stays, and a transfer that had begun before goes on.

use yadori_core::clip::mime;
use yadori_core::intake::asking::{Ask, Asking};
use yadori_core::text::compound::{from_compound, from_latin1};
use yadori_core::{COPY_CAP, Micros, Offer, REPRESENTATIONS, Representation, Source};

use super::release::release;

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
            chunks: None,
            superseded: false,
            deadline_ms: now_ms + PATIENCE_MS,
            asked_ms: now_ms,
            beside_until_ms: None,
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
            Asked::Content(_) if self.got.is_empty() || self.asking.awaits_picture() => Outcome::Unreadable,
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
            _ if self.got.is_empty() || self.asking.awaits_picture() => {
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
        self.take(&kind, bytes, came, now_ms)
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
        if length > COPY_CAP - self.size {
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
        if self.got.is_empty() || self.asking.awaits_picture() {
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

    fn copied(next: Next) -> Offer {
        match next {
            Next::Done(Outcome::Copied { offer, .. }) => offer,
            other => panic!("{other:?}"),
        }
    }

    fn forms(offer: &Offer) -> Vec<(&str, &[u8])> {
        offer.representations.iter().map(|one| (one.mime.as_str(), &one.content.expose()[..])).collect()
    }

    #[test]
    fn every_representation_is_asked_for_in_turn() {
        let mut job = job();
        assert_eq!(
            job.answer(targets(&["TARGETS", "text/html", "UTF8_STRING", "STRING"]), 1),
            convert("UTF8_STRING")
        );
        assert_eq!(job.answer(value(b"oats"), 2), convert("text/html"));
        let offer = copied(job.answer(value(b"<b>oats</b>"), 3));
        assert_eq!(offer.at, 7);
        assert_eq!(forms(&offer), [(mime::PLAIN, &b"oats"[..]), ("text/html", b"<b>oats</b>")]);
    }

    #[test]
    fn one_text_under_two_names_is_one_form_and_one_with_other_line_ends_another() {
        for (second, kept) in [
            ("oats\nrye", vec![(mime::PLAIN, "oats\nrye")]),
            ("oats\r\nrye", vec![("UTF8_STRING", "oats\nrye"), (mime::PLAIN, "oats\r\nrye")]),
        ] {
            let mut job = job();
            assert_eq!(job.answer(targets(&[mime::PLAIN, "UTF8_STRING"]), 1), convert("UTF8_STRING"));
            assert_eq!(job.answer(value(b"oats\nrye"), 1), convert(mime::PLAIN));
            let offer = copied(job.answer(value(second.as_bytes()), 2));
            let kept: Vec<_> = kept.iter().map(|(name, text)| (*name, text.as_bytes())).collect();
            assert_eq!(forms(&offer), kept);
        }
    }

    #[test]
    fn the_wish_not_to_be_recorded_is_obeyed_before_any_content_is_read() {
        // Also when it can't be read, or its owner is gone or silent: it may have been the wish.
        for answer in [value(b"secret"), value(b" secret\n"), value(b""), Answer::Refused] {
            let mut job = job();
            assert_eq!(
                job.answer(targets(&["UTF8_STRING", mime::DO_NOT_RECORD]), 1),
                convert(mime::DO_NOT_RECORD)
            );
            assert_eq!(job.answer(answer, 2), Next::Done(Outcome::DoNotRecord));
        }
        let marked = || {
            let mut job = job();
            job.answer(targets(&["UTF8_STRING", mime::DO_NOT_RECORD]), 1);
            job
        };
        assert_eq!(marked().owner_gone(), Outcome::DoNotRecord);
        assert_eq!(marked().expired(false, 9_000), Next::Done(Outcome::DoNotRecord));
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
        assert_eq!(forms(&copied(job.answer(value(b"caf\xe9"), 3))), [(mime::PLAIN, "café".as_bytes())]);
    }

    #[test]
    fn compound_text_is_read_where_it_is_all_there_is() {
        let mut job = job();
        assert_eq!(job.answer(targets(&["COMPOUND_TEXT"]), 1), convert("COMPOUND_TEXT"));
        let bytes = b"\x1b-B\xb3\xf3d\xbc".to_vec();
        let offer = copied(job.answer(Answer::Value("COMPOUND_TEXT".into(), bytes), 3));
        assert_eq!(forms(&offer), [(mime::PLAIN, "łódź".as_bytes())]);
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
        assert_eq!(copied(done).representations.len(), 1);
    }

    #[test]
    fn further_encodings_of_a_picture_do_not_count_towards_the_cap() {
        let mut job = job();
        job.answer(targets(&["image/bmp", "text/html", "image/png", "image/tiff"]), 0);
        assert_eq!(job.answer(Answer::Value("image/png".into(), vec![1; 300_000]), 1), convert("text/html"));
        let offer = copied(job.answer(value(b"<img>"), 1));
        assert_eq!(offer.size(), 300_005);
        assert_eq!(offer.also, ["image/tiff", "image/bmp"]);
    }

    #[test]
    fn what_comes_after_a_replacement_is_not_believed_and_what_was_complete_is_kept() {
        // In each state of a reading: replaced, and then the other program's answer comes.
        let steps: [&[u8]; 3] = [b"first", b"first, as rich text", b"<p>first"];
        for had in 0..=steps.len() {
            let mut job = job();
            job.answer(targets(&["UTF8_STRING", "text/html", "text/rtf", "image/png"]), 0);
            steps.iter().take(had).for_each(|step| drop(job.answer(value(step), 0)));
            let done = job.supersede();
            if had == 0 {
                assert_eq!(done, Next::Done(Outcome::Nothing));
            } else {
                assert_eq!(copied(done).representations.len(), had);
            }
            assert_eq!(job.answer(value(b"another's secret"), 1), Next::Wait);
            assert_eq!(job.answer(Answer::Chunks("UTF8_STRING".into()), 1), Next::Wait);
            assert!(!job.in_chunks() && job.held() < 60);
        }
    }

    #[test]
    fn a_copy_replaced_before_anything_is_known_is_nothing() {
        assert_eq!(job().supersede(), Next::Done(Outcome::Nothing));
        let mut marked = job();
        marked.answer(targets(&["UTF8_STRING", mime::DO_NOT_RECORD]), 1);
        assert_eq!(marked.supersede(), Next::Done(Outcome::Nothing));
        assert_eq!(job().owner_gone(), Outcome::Nothing);
    }

    #[test]
    fn a_transfer_begun_before_a_replacement_ends() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        job.chunk(b"first ".to_vec(), 1);
        assert_eq!(job.supersede(), Next::Wait);
        job.chunk(b"half".to_vec(), 2);
        assert_eq!(forms(&copied(job.chunk(Vec::new(), 3))), [("image/png", &b"first half"[..])]);
    }

    #[test]
    fn a_silent_owner_is_given_up() {
        let mut silent = job();
        assert_eq!(silent.deadline_ms(), PATIENCE_MS);
        assert_eq!(silent.expired(false, 2_001), Next::Done(Outcome::Unreadable));
        let mut stalled = job();
        stalled.answer(targets(&["UTF8_STRING", "text/html"]), 0);
        stalled.answer(value(b"text"), 0);
        copied(stalled.expired(true, 3_001));
    }

    #[test]
    fn an_owner_that_works_on_what_its_copy_is_has_more_time_but_not_for_ever() {
        let mut job = job();
        job.answer(targets(&["image/png", "text/html"]), 0);
        let mut now_ms = 0;
        while job.expired(true, now_ms) == Next::Wait {
            assert!(now_ms <= MOST_PATIENCE_MS);
            now_ms = job.deadline_ms() + 1;
        }
        assert!(now_ms >= MOST_PATIENCE_MS);
    }

    #[test]
    fn everything_beside_has_one_budget_of_time() {
        let mut job = job();
        let names: Vec<String> = (0..50).map(|n| format!("application/x-{n}")).collect();
        let mut offered = vec!["UTF8_STRING"];
        offered.extend(names.iter().map(String::as_str));
        job.answer(targets(&offered), 0);
        job.answer(value(b"text"), 0);
        let mut now_ms = 0;
        let offer = loop {
            now_ms += 200;
            assert!(job.deadline_ms() <= BESIDE_MS);
            if let Next::Done(Outcome::Copied { offer, .. }) = job.answer(value(b"more"), now_ms) {
                break offer;
            }
        };
        assert_eq!(now_ms, BESIDE_MS);
        assert_eq!(offer.representations.len(), 16);
    }

    #[test]
    fn a_picture_that_cant_be_had_is_said_to_be_lost() {
        let offered = ["text/html", "image/png"];
        let mut refused = job();
        refused.answer(targets(&offered), 0);
        assert_eq!(refused.answer(Answer::Refused, 1), Next::Done(Outcome::Unreadable));
        let mut silent = job();
        silent.answer(targets(&offered), 0);
        assert_eq!(silent.expired(false, 2_001), Next::Done(Outcome::Unreadable));
    }

    #[test]
    fn a_replaced_transfer_that_stalls_is_reported_as_lost() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        job.chunk(b"half".to_vec(), 1);
        assert_eq!(job.supersede(), Next::Wait);
        assert_eq!(job.expired(true, 3_000), Next::Done(Outcome::Unreadable));
    }

    #[test]
    fn an_owner_that_dies_in_mid_transfer_leaves_no_half_content() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        job.chunk(b"half".to_vec(), 1);
        assert_eq!(job.owner_gone(), Outcome::Unreadable);
    }

    #[test]
    fn a_transfer_that_never_ends_is_ended() {
        let mut job = job();
        job.answer(targets(&["image/png"]), 0);
        job.answer(Answer::Chunks("image/png".into()), 0);
        let mut now_ms = 0;
        while now_ms <= job.deadline_ms() {
            assert_eq!(job.chunk(b"x".to_vec(), now_ms), Next::Wait);
            now_ms += 1_000;
            assert!(now_ms <= MOST_PATIENCE_MS + 1_000);
        }
        assert_eq!(job.expired(true, now_ms), Next::Done(Outcome::Unreadable));
    }
}
