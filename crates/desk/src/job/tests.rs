//! A reading, answer by answer.

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
