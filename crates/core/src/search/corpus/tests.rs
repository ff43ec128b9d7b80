//! The scan against a naive reference, under any sequence of changes.

use jiff::tz::TimeZone;
use proptest::prelude::*;
use std::collections::HashMap;

use super::*;
use crate::clip::color::Color;
use crate::clip::content::Digest;
use crate::clip::device::DeviceId;
use crate::clip::facts::Facts;
use crate::clip::id::Class;
use crate::clip::offer::Source;
use crate::history::all::History;
use crate::history::stored::Held;
use crate::merge::clip::ClipState;
use crate::merge::clip::{Kept, OfferRecord, RepresentationRecord};
use crate::merge::drawer::{Drawer, DrawerState};
use crate::merge::register::Written;
use crate::merge::stamp::Stamp;
use crate::search::query::{Is, Term, Test};
use crate::search::seal::{BLOCKS, FEW_BLOCKS};
use crate::search::texts::seal_of;
use crate::search::when::Here;
use crate::text::fold::fold;

const DEVICE: DeviceId = DeviceId([7; 16]);

fn stamp(wall_ms: u64) -> Stamp {
    Stamp { wall_ms, counter: 0, device: DEVICE }
}

pub(super) fn here() -> Here {
    Here { now: 1_000_000_000, zone: TimeZone::UTC }
}

pub(super) fn clip(n: u64, text: &str, at: i64) -> Clip {
    let mut state = ClipState::default();
    let representation = RepresentationRecord { mime: "text/plain".into(), size: 1, digest: Digest([0; 32]) };
    let source = Source {
        program: Some(["Writer", "Browser"][n as usize % 2].into()),
        window: Some(format!("window {}", n % 5)),
        page: None,
    };
    state.capture(
        OfferRecord { representations: vec![representation], source, ..OfferRecord::default() },
        at,
        stamp(n + 1),
    );
    Clip {
        id: ClipId::of(Class::Text, &[&n.to_le_bytes()]),
        facts: Facts::of_text(text, text.len() as u64, false),
        state,
        ordered_at: at,
        held: Held::Recorded,
    }
}

fn drawers() -> Drawers {
    let mut drawers = Drawers::default();
    let name = Some(Written { at: stamp(1), value: "Réplies".to_owned() });
    let group = Some(Written { at: stamp(1), value: Some("Office".to_owned()) });
    drawers.put(Drawer { id: "d1".into(), state: DrawerState { name, group, ..DrawerState::default() } });
    drawers
}

/// What a query means, written as plainly as possible.
fn matches(clip: &Clip, query: &Query, drawers: &Drawers, read: Option<&String>) -> bool {
    let source = &clip.state.offer().unwrap().source;
    let drawer = clip.state.kept().drawer().and_then(|id| drawers.get(id));
    let texts: Vec<String> = [
        Some(clip.facts.head.as_str()),
        clip.state.title(),
        source.program.as_deref(),
        source.window.as_deref(),
        drawer.and_then(|one| one.name()),
        read.map(String::as_str),
    ]
    .into_iter()
    .flatten()
    .map(fold)
    .collect();
    hold(&query.terms, clip, drawers, &texts)
}

fn hold(terms: &[Term], clip: &Clip, drawers: &Drawers, texts: &[String]) -> bool {
    let source = &clip.state.offer().unwrap().source;
    let drawer = clip.state.kept().drawer().and_then(|id| drawers.get(id));
    terms.iter().all(|term| {
        let holds = match &term.test {
            Test::Any(any) => any.iter().any(|terms| hold(terms, clip, drawers, texts)),
            Test::Words(words) => texts.iter().any(|text| text.contains(words.as_str())),
            Test::Pattern(pattern) => texts.iter().any(|text| pattern.matches(text.as_bytes())),
            Test::Kind(kind) => clip.facts.kind() == *kind,
            Test::From(name) => fold(source.program.as_deref().unwrap()).contains(name.as_str()),
            Test::In(name) => drawer.is_some_and(|one| {
                fold(one.name().unwrap()).starts_with(name.as_str())
                    || fold(one.group().unwrap()).starts_with(name.as_str())
            }),
            Test::Is(Is::Pinned) => clip.state.is_pinned(),
            Test::Is(Is::Favorite) => clip.state.is_pinned() && drawer.is_none(),
            Test::Is(Is::Drawer) => drawer.is_some(),
            Test::Is(Is::Titled) => clip.state.title().is_some(),
            Test::Color(color) => clip.state.color() == Some(*color),
            Test::Since(at) => clip.copied_at() >= *at,
            Test::Before(at) => clip.copied_at() < *at,
            Test::Under(size) => clip.facts.size < *size,
            Test::Over(size) => clip.facts.size > *size,
            Test::Has(form) => "text/plain".contains(form.as_str()),
            other => panic!("not in this test: {other:?}"),
        };
        holds != term.not
    })
}

#[derive(Clone, Debug)]
enum Step {
    Put(u64, String, i64),
    Again(u64, i64),
    Remove(u64),
    Title(u64, String),
    Pin(u64, bool),
    Read(u64, String),
    Seal,
    /// A weaving begins.
    Weave,
    /// What was woven is put in place.
    Woven,
}

fn text() -> impl Strategy<Value = String> {
    prop_oneof![
        "[ab ßéか゛ﬁ1\n]{0,12}",
        Just("https://a.example/x".to_owned()),
        "(gas|Oats|bunk|Mäkinen| |\\.){0,6}",
    ]
}

fn steps() -> impl Strategy<Value = Vec<Step>> {
    let step = prop_oneof![
        4 => (0u64..40, text(), 0i64..1_000).prop_map(|(n, text, at)| Step::Put(n, text, at)),
        1 => (0u64..40, 0i64..1_000).prop_map(|(n, at)| Step::Again(n, at)),
        1 => (0u64..40).prop_map(Step::Remove),
        1 => (0u64..40, text()).prop_map(|(n, title)| Step::Title(n, title)),
        1 => (0u64..40, any::<bool>()).prop_map(|(n, drawer)| Step::Pin(n, drawer)),
        1 => (0u64..40, text()).prop_map(|(n, words)| Step::Read(n, words)),
        1 => Just(Step::Seal),
        1 => Just(Step::Weave),
        1 => Just(Step::Woven),
    ];
    proptest::collection::vec(step, 0..120)
}

fn query_text() -> impl Strategy<Value = String> {
    let term = prop_oneof![
        4 => "[abséか1ﬁ]{1,2}",
        2 => prop_oneof![Just("gas"), Just("oa"), Just("BUNK"), Just("makinen"), Just("writer"), Just("window"), Just("repl")]
            .prop_map(str::to_owned),
        1 => prop_oneof![
            Just("kind:link"), Just("kind:text"), Just("from:writ"), Just("in:replies"), Just("in:off"), Just("is:pinned"),
            Just("is:favorite"), Just("is:drawer"), Just("is:titled"), Just("color:red"), Just("over:5"), Just("has:plain"),
            Just("has:html"), Just("/a+b/"), Just("/^gas/"), Just("\"as O\""),
        ].prop_map(str::to_owned),
    ];
    fn joined(parts: Vec<(bool, String)>) -> String {
        let mut text = String::new();
        for (n, (either, part)) in parts.into_iter().enumerate() {
            text.push_str(if n == 0 {
                ""
            } else if either {
                " OR "
            } else {
                " "
            });
            text.push_str(&part);
        }
        text
    }
    let turned = |(not, text): (bool, String)| format!("{}{text}", if not { "-" } else { "" });
    let part = (any::<bool>(), term).prop_map(turned).prop_recursive(2, 8, 3, move |part| {
        let group = proptest::collection::vec((any::<bool>(), part), 1..4);
        (any::<bool>(), group.prop_map(|parts| format!("({})", joined(parts)))).prop_map(turned)
    });
    proptest::collection::vec((any::<bool>(), part), 1..4).prop_map(joined)
}

/// Bounds of times and sizes, whole blocks beyond them among these.
fn bounds() -> impl Strategy<Value = Vec<Term>> {
    let test = prop_oneof![
        (0i64..1_100).prop_map(Test::Since),
        (0i64..1_100).prop_map(Test::Before),
        (0u64..40).prop_map(Test::Over),
        (0u64..40).prop_map(Test::Under),
    ];
    proptest::collection::vec(
        (any::<bool>(), test).prop_map(|(not, test)| Term { not, test, at: 0..0 }),
        0..2,
    )
}

/// Seals whatever can be sealed.
fn seal(corpus: &mut Corpus) {
    while let Some(sealing) = corpus.unsealed(&|_| false) {
        assert!(corpus.put_seal(sealing.seal()).is_some());
    }
}

fn put(history: &mut History, corpus: &mut Corpus, clip: Clip) {
    corpus.put(&clip, history.drawers(), Text::Known);
    history.put(clip);
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(1_500))]

    #[test]
    fn search_finds_what_a_naive_reference_finds_in_the_same_order(
        steps in steps(), queries in proptest::collection::vec((query_text(), bounds()), 1..6), most in 1usize..20
    ) {
        let mut history = History::default();
        drawers().all().for_each(|drawer| history.drawers_mut().put(drawer));
        let mut corpus = Corpus::default();
        let mut read: HashMap<ClipId, String> = HashMap::new();
        let mut weaving: Option<Weaving> = None;
        for (n, step) in steps.into_iter().enumerate() {
            let at = stamp(1_000 + n as u64);
            let known = |n: u64| history.get(clip(n, "", 0).id).map(|clip| (*clip).clone());
            match step {
                Step::Put(n, text, time) if known(n).is_none() => put(&mut history, &mut corpus, clip(n, &text, time)),
                Step::Put(n, _, time) | Step::Again(n, time) => if let Some(mut clip) = known(n) {
                    clip.state.copied_at = Some(Written { at, value: time });
                    put(&mut history, &mut corpus, clip);
                },
                Step::Remove(n) => {
                    corpus.remove(clip(n, "", 0).id);
                    read.remove(&clip(n, "", 0).id);
                    history.remove(clip(n, "", 0).id);
                }
                Step::Title(n, title) => if let Some(mut clip) = known(n) {
                    clip.state.title = Some(Written { at, value: Some(title) });
                    clip.state.color = Some(Written { at, value: Some(Color::Red) });
                    put(&mut history, &mut corpus, clip);
                },
                Step::Pin(n, drawer) => if let Some(mut clip) = known(n) {
                    let kept = if drawer { Kept::Drawer { drawer: "d1".into(), rank: "a".into() } } else { Kept::Favorite("b".into()) };
                    clip.state.keep(kept, at);
                    put(&mut history, &mut corpus, clip);
                },
                Step::Seal => seal(&mut corpus),
                Step::Weave if weaving.is_none() => weaving = Some(corpus.begin_weaving()),
                Step::Weave => {}
                Step::Woven => if let Some(weaving) = weaving.take() {
                    prop_assert!(corpus.put_woven(weaving.weave()).is_some());
                    // In order, but for what has come late since.
                    prop_assert!(corpus.texts.main.blocks.iter().flat_map(|block| &block.docs).is_sorted_by_key(Doc::key));
                },
                Step::Read(n, words) => if let Some(clip) = known(n) {
                    corpus.put_read(&clip, history.drawers(), &words);
                    read.insert(clip.id, words);
                },
            }
        }
        for clip in history.from(1) {
            prop_assert_eq!(corpus.is_read(clip.id), read.contains_key(&clip.id));
        }
        for (text, bounds) in queries {
            let mut query = Query::parse(&text, &here()).unwrap();
            query.terms.extend(bounds);
            let expected: Vec<ClipId> =
                history.from(1).filter(|clip| matches(clip, &query, history.drawers(), read.get(&clip.id))).map(|clip| clip.id).collect();
            let found = corpus.find(&query, history.drawers(), most, &|| true).unwrap();
            prop_assert_eq!(found.more, expected.len() > most);
            prop_assert_eq!(&found.ids, &expected[..expected.len().min(most)], "{}", text);
        }
    }
}

#[test]
fn many_blocks_out_of_order_and_on_two_threads_give_the_same() {
    let mut history = History::default();
    let mut corpus = Corpus::default();
    for n in 0..9_000u64 {
        // Every third one is brought in with an old time.
        let at = if n % 3 == 0 { (n * 7_919 % 9_000) as i64 } else { n as i64 + 10_000 };
        put(
            &mut history,
            &mut corpus,
            clip(n, &format!("clip {n} {}", ["gas", "oats"][(n % 100 == 0) as usize]), at),
        );
    }
    for n in (0..9_000u64).step_by(5) {
        let id = clip(n, "", 0).id;
        corpus.remove(id);
        history.remove(id);
    }
    for (text, most) in
        [("gas", 50), ("oats", 100_000), ("clip", 100_000), ("zz", 50), ("kind:text", 7_000), ("-gas", 20)]
    {
        let query = Query::parse(text, &here()).unwrap();
        let expected: Vec<ClipId> = history
            .from(1)
            .filter(|clip| matches(clip, &query, history.drawers(), None))
            .map(|clip| clip.id)
            .take(most)
            .collect();
        assert_eq!(corpus.find(&query, history.drawers(), most, &|| true).unwrap().ids, expected, "{text}");
    }
    let stopped = corpus.find(&Query::default(), history.drawers(), 10, &|| false);
    assert_eq!(stopped, None);
}

#[test]
fn a_long_text_is_found_once_it_has_been_read_and_its_title_can_change_then() {
    let mut corpus = Corpus::default();
    let drawers = Drawers::default();
    let long = format!("{} the very end", "word ".repeat(200));
    let mut clip = clip(1, &long, 5);
    let found = |corpus: &Corpus, text: &str| {
        let query = Query::parse(text, &here()).unwrap();
        corpus.find(&query, &drawers, 9, &|| true).unwrap().ids.len()
    };
    corpus.put(&clip, &drawers, Text::Known);
    assert!(!corpus.has_whole(clip.id));
    assert_eq!((found(&corpus, "word"), found(&corpus, "\"very end\"")), (1, 0));
    corpus.put(&clip, &drawers, Text::Whole(&long));
    assert!(corpus.has_whole(clip.id));
    assert_eq!(found(&corpus, "\"very end\""), 1);
    clip.state.title = Some(Written { at: stamp(9), value: Some("Kept".into()) });
    corpus.put(&clip, &drawers, Text::Known);
    assert_eq!((found(&corpus, "\"very end\" kept"), corpus.len()), (1, 1));
    corpus.remove(clip.id);
    assert_eq!(found(&corpus, "word"), 0);
}

#[test]
fn removed_text_is_overwritten_at_once_and_only_the_first_mib_is_searched() {
    let mut corpus = Corpus::default();
    let drawers = Drawers::default();
    let text = format!("secret stone {}tail", "x".repeat(SEARCHED_BYTES));
    let clip = clip(1, &text, 5);
    corpus.put(&clip, &drawers, Text::Whole(&text));
    let query = Query::parse("tail", &here()).unwrap();
    assert!(corpus.find(&query, &drawers, 9, &|| true).unwrap().ids.is_empty());
    let held = |corpus: &Corpus| {
        let held = corpus.texts.main.blocks.iter().chain(&corpus.texts.side.blocks);
        held.map(|one| one.text.as_slice()).any(|text| memchr::memmem::find(text, b"secret stone").is_some())
    };
    assert!(held(&corpus));
    corpus.remove(clip.id);
    assert!(!held(&corpus));
    corpus.put_read(&clip, &drawers, "read: secret stone");
    corpus.put_read(&clip, &drawers, "read anew");
    assert!(corpus.is_read(clip.id) && held(&corpus), "its own text");
    corpus.put(&clip, &drawers, Text::Whole("short"));
    assert!(!held(&corpus));
    corpus.put_read(&clip, &drawers, "secret stone");
    corpus.remove(clip.id);
    assert!(!held(&corpus) && !corpus.is_read(clip.id));
}

#[test]
fn what_is_copied_again_and_again_takes_no_more_room_than_once() {
    let mut corpus = Corpus::default();
    let long = "oats, rice, lentils\n".repeat(20_000);
    let held = |corpus: &Corpus| -> usize {
        let runs = [&corpus.texts.main, &corpus.texts.side];
        runs.iter().flat_map(|run| &run.blocks).map(|block| block.text.capacity()).sum()
    };
    for n in 0..600_i64 {
        // Long ones that have a block of their own, and some that share one.
        for (id, length) in [(1, long.len()), (2, 90_000), (3, 20_000)] {
            let text = &long[..length];
            let clip = clip(id, text, n * 10 + id as i64);
            corpus.put(&clip, &drawers(), Text::Whole(text));
        }
        assert!(held(&corpus) < 3 * GAPS, "{n}: {}", held(&corpus));
    }
    let query = Query::parse("lentils", &here()).unwrap();
    assert_eq!(corpus.find(&query, &drawers(), 10, &|| true).unwrap().ids.len(), 3);
}

#[test]
fn a_search_sees_the_texts_as_they_were_and_no_writer_waits_for_it() {
    let mut corpus = Corpus::default();
    let drawers = Drawers::default();
    for n in 0..3_000u64 {
        corpus.put(&clip(n, &format!("oats {n}"), n as i64), &drawers, Text::Known);
    }
    let before = corpus.texts();
    // While a search holds these texts, everything changes: clips go, come, and get other words.
    for n in 0..3_000u64 {
        match n % 3 {
            0 => corpus.remove(clip(n, "", 0).id),
            1 => corpus.put(&clip(n, &format!("gas {n}"), 10_000 + n as i64), &drawers, Text::Whole("gas")),
            _ => {}
        }
    }
    let count = |texts: &Texts, words: &str| {
        let query = Query::parse(words, &here()).unwrap();
        texts.find(&query, &drawers, usize::MAX - 1, &|| true).unwrap().ids.len()
    };
    assert_eq!((count(&before, "oats"), count(&before, "gas")), (3_000, 0));
    assert_eq!((count(&corpus.texts(), "oats"), count(&corpus.texts(), "gas")), (1_000, 1_000));
}

/// Texts long enough to go over pieces and blocks, of few letters, so that words are nearly there more often than not.
fn long_text() -> impl Strategy<Value = String> {
    prop_oneof![
        6 => "[abか ]{0,60}",
        2 => "[ab小 \n]{200,600}",
        1 => "[abc]{1500,2500}",
    ]
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    #[test]
    fn what_is_sealed_is_found_as_what_is_not(
        texts in proptest::collection::vec(long_text(), 30..120),
        gone in proptest::collection::vec(any::<proptest::sample::Index>(), 0..12),
        cuts in proptest::collection::vec((any::<proptest::sample::Index>(), any::<proptest::sample::Index>(), 1usize..60), 1..6),
        more in proptest::collection::vec(long_text(), 0..20),
        most in prop_oneof![Just(1usize), Just(3), Just(1_000)],
    ) {
        let (mut plain, mut sealed) = (Corpus::default(), Corpus::default());
        let drawers = Drawers::default();
        let mut number = 0u64;
        let mut add = |text: &str, both: [&mut Corpus; 2]| {
            number += 1;
            for corpus in both {
                corpus.put(&clip(number, text, number as i64), &drawers, Text::Whole(text));
            }
        };
        for text in &texts {
            add(text, [&mut plain, &mut sealed]);
        }
        let early = sealed.unsealed(&|_| false);
        for (n, one) in gone.iter().enumerate() {
            let id = clip(one.index(texts.len()) as u64 + 1, "", 0).id;
            plain.remove(id);
            sealed.remove(id);
            if n % 3 == 0 {
                seal(&mut sealed);
            }
        }
        // Made of what was there before: it is put on only where that is still as it was.
        if let Some(early) = early {
            sealed.put_seal(early.seal());
        }
        seal(&mut sealed);
        for text in &more {
            add(text, [&mut plain, &mut sealed]);
        }
        prop_assert!(sealed.texts.seal_bytes() > 0 || sealed.texts.main.blocks.len() < 3);
        for (which, from, length) in cuts {
            let text = fold(&texts[which.index(texts.len())]);
            let letters: Vec<char> = text.chars().collect();
            let from = from.index(letters.len().max(1));
            let word: String = letters.iter().skip(from).take(length).collect();
            for word in [word.clone(), format!("{word}b"), format!("x{word}")] {
                if word.trim().is_empty() || word.contains('"') {
                    continue;
                }
                let turned = word.chars().rev().collect::<String>();
                let pattern = word.replace(['\n', '/'], ".");
                for text in [
                    format!("\"{word}\""),
                    format!("\"{word}\" OR \"{turned}\""),
                    format!("(\"{turned}\" OR (\"{word}\" kind:text)) -\"bbb\""),
                    format!("/a?{pattern}/"),
                    format!("since:1970-01-01 \"{word}\""),
                ] {
                let query = Query::parse(&text, &here()).unwrap();
                let found = |corpus: &Corpus| corpus.find(&query, &drawers, most, &|| true).unwrap();
                prop_assert_eq!(found(&sealed), found(&plain), "{}", text);
                }
            }
        }
    }

    #[test]
    fn no_seal_tells_of_what_was_removed(
        texts in proptest::collection::vec("[a-f]{4,40}", 20..60),
        gone in proptest::collection::vec(any::<proptest::sample::Index>(), 1..6),
    ) {
        let mut corpus = Corpus::default();
        let drawers = Drawers::default();
        for (n, text) in texts.iter().enumerate() {
            corpus.put(&clip(n as u64, text, n as i64), &drawers, Text::Whole(text));
        }
        seal(&mut corpus);
        for one in &gone {
            corpus.remove(clip(one.index(texts.len()) as u64, "", 0).id);
            // At once: each seal that there is was made of what there is.
            let run = &corpus.texts.main;
            for blocks in [BLOCKS, FEW_BLOCKS] {
                for first in (0..run.blocks.len()).step_by(blocks) {
                    if let Some(own) = run.seals.get(first, blocks) {
                        prop_assert_eq!(own, &seal_of(&run.blocks[first..first + blocks]));
                    }
                }
            }
        }
        let of_sealed = corpus.texts.main.seals.all().count();
        seal(&mut corpus);
        prop_assert!(corpus.texts.main.seals.all().count() >= of_sealed);
    }
}

/// A corpus that was filled with what was folded before.
fn prepared(history: &History) -> Corpus {
    let mut corpus = Corpus::default();
    corpus.reserve(history.len());
    for clip in history.oldest_first() {
        corpus.put_prepared(&Prepared::of(clip, history.drawers()));
    }
    corpus
}

proptest! {
    #[test]
    fn what_was_folded_before_is_found_as_what_is_put(
        texts in proptest::collection::vec((text(), 0i64..1_000, 0u8..4), 0..40),
        queries in proptest::collection::vec(query_text(), 1..6),
    ) {
        let mut history = History::default();
        drawers().all().for_each(|drawer| history.drawers_mut().put(drawer));
        let mut corpus = Corpus::default();
        for (n, (text, at, more)) in (0..).zip(texts) {
            let mut clip = clip(n, &text, at);
            match more {
                1 => clip.facts.secret = Some(crate::clip::secret::SecretKind::Password),
                2 => clip.facts.files = vec!["file:///gas%20bottle.png".into()],
                3 => clip.facts.chars = 1_000,
                _ => {}
            }
            put(&mut history, &mut corpus, clip);
        }
        let before = prepared(&history);
        for text in queries {
            let Ok(query) = Query::parse(&text, &here()) else { continue };
            let found = |corpus: &Corpus| corpus.find(&query, history.drawers(), 100, &|| true).unwrap().ids;
            prop_assert_eq!(found(&before), found(&corpus), "{}", text);
        }
        for clip in history.from(1) {
            prop_assert_eq!(before.has_whole(clip.id), corpus.has_whole(clip.id));
        }
    }
}

#[test]
fn what_is_gone_for_good_while_it_is_woven_calls_that_off() {
    let mut corpus = Corpus::default();
    for n in 0..50u64 {
        corpus.put(&clip(n, &format!("oats {n}"), n as i64), &drawers(), Text::Known);
    }
    let (gone, other) = (clip(7, "", 0).id, clip(8, "", 0).id);
    // What was gone before is in none of it.
    corpus.remove(other);
    let weaving = corpus.begin_weaving();
    corpus.forgotten([other]);
    corpus.remove(gone);
    let woven = weaving.weave();
    assert!(woven.is_some());
    assert!(corpus.put_woven(woven).is_some());
    let weaving = corpus.begin_weaving();
    let third = clip(9, "", 0).id;
    corpus.remove(third);
    corpus.forgotten([third]);
    let woven = weaving.weave();
    assert!(woven.is_none(), "its text is still in what was to be woven");
    assert!(corpus.put_woven(woven).is_none());
    // Also where it had been woven by then.
    let woven = corpus.begin_weaving().weave();
    let fourth = clip(10, "", 0).id;
    corpus.remove(fourth);
    corpus.forgotten([fourth]);
    let unravelled = corpus.put_woven(woven);
    let query = Query::parse("oats", &here()).unwrap();
    let found = corpus.find(&query, &drawers(), 100, &|| true).unwrap().ids;
    assert_eq!(found.len(), 46);
    assert!([gone, other, third, fourth].iter().all(|id| !found.contains(id)));
    drop(unravelled);
    // What was woven of another corpus has no place here.
    let mut foreign = Corpus::default();
    let woven = foreign.begin_weaving().weave();
    assert!(corpus.put_woven(woven).is_none());
    assert_eq!(corpus.len(), 46);
}

/// All weavings of a history that comes from its newest to its oldest clip take no more than some times the last one.
#[test]
fn what_comes_late_is_woven_in_rarely_while_it_comes_and_soon_when_it_has_come() {
    let mut corpus = Corpus::default();
    let (mut woven, all) = (0, 30_000_u64);
    for n in 0..all {
        corpus.put(&clip(n, "oats", (all - n) as i64), &drawers(), Text::Known);
        if let Some(weaving) = corpus.weaving(false) {
            woven += n + 1;
            let done = weaving.weave();
            assert!(corpus.put_woven(done).is_some());
        }
    }
    assert!((all / 3..4 * all).contains(&woven), "{woven} clips woven to have {all} in order");
    assert!(corpus.texts().late() > SIDE, "{}", corpus.texts().late());
    let done = corpus.weaving(true).expect("now it is worth it").weave();
    assert!(corpus.put_woven(done).is_some());
    assert_eq!(corpus.texts().late(), 0);
    assert!(corpus.weaving(true).is_none());
}
