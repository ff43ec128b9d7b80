//! The laws of merging, by properties, and the meaning of floors, by example.

use super::*;
use proptest::prelude::*;

fn stamp(wall_ms: u64, device: u8) -> Stamp {
    Stamp { wall_ms, counter: 0, device: DeviceId([device; 16]) }
}

fn record(n: u8) -> OfferRecord {
    OfferRecord {
        representations: vec![RepresentationRecord {
            mime: "text/plain;charset=utf-8".into(),
            size: 1,
            digest: Digest([n; 32]),
        }],
        ..OfferRecord::default()
    }
}

fn copied(at: u64) -> ClipState {
    let mut state = ClipState::default();
    state.capture(record(1), at as i64, stamp(at, 1));
    state
}

fn pin(state: &mut ClipState, at: Stamp) {
    state.keep(Kept::Favorite("m".into()), at);
}

#[derive(Debug, Clone)]
enum Step {
    Capture(u8),
    Remove,
    Clear,
    Title(u8),
    Pin(bool),
}

/// What one step makes of a state.
fn step(state: &mut ClipState, step: &Step, at: u64, stamp: Stamp) {
    match step {
        Step::Capture(content) => state.capture(record(*content), at as i64, stamp),
        Step::Remove => state.remove(stamp),
        Step::Clear => state.clear(stamp),
        Step::Title(n) => state.title = Some(Written { at: stamp, value: Some(format!("t{n}")) }),
        Step::Pin(true) => pin(state, stamp),
        Step::Pin(false) => state.keep(Kept::No, stamp),
    }
}

fn steps() -> impl Strategy<Value = Step> {
    prop_oneof![
        (0u8..6).prop_map(Step::Capture),
        Just(Step::Remove),
        Just(Step::Clear),
        (0u8..3).prop_map(Step::Title),
        any::<bool>().prop_map(Step::Pin),
    ]
}

/// A state as one device may reach it: steps at growing times.
fn states() -> impl Strategy<Value = ClipState> {
    (1u8..4, proptest::collection::vec((1u64..40, steps()), 0..8)).prop_map(|(device, mut steps)| {
        steps.sort_by_key(|(at, _)| *at);
        let mut state = ClipState::default();
        for (n, (at, one)) in steps.into_iter().enumerate() {
            let stamp = Stamp { wall_ms: at, counter: n as u32, device: DeviceId([device; 16]) };
            step(&mut state, &one, at, stamp);
        }
        state
    })
}

fn merged(a: &ClipState, b: &ClipState) -> ClipState {
    let mut out = a.clone();
    out.merge(b);
    out
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(2_000))]

    #[test]
    fn merging_is_commutative(a in states(), b in states()) {
        prop_assert_eq!(merged(&a, &b), merged(&b, &a));
    }

    #[test]
    fn merging_is_associative(a in states(), b in states(), c in states()) {
        prop_assert_eq!(merged(&merged(&a, &b), &c), merged(&a, &merged(&b, &c)));
    }

    #[test]
    fn whatever_is_done_to_a_state_what_was_known_before_adds_nothing_to_it(
        a in states(), b in states(), all in proptest::collection::vec(steps(), 1..8),
    ) {
        // Otherwise two devices that have exchanged everything could differ.
        let mut state = merged(&a, &b);
        for (n, one) in all.iter().enumerate() {
            let before = state.clone();
            step(&mut state, one, 100 + n as u64, stamp(100 + n as u64, 3));
            prop_assert_eq!(&merged(&before, &state), &state, "{:?}", one);
            prop_assert_eq!(&merged(&state, &before), &state, "{:?}", one);
        }
    }

    #[test]
    fn merging_is_idempotent(a in states(), b in states()) {
        prop_assert_eq!(merged(&a, &a), a.clone());
        let both = merged(&a, &b);
        prop_assert_eq!(merged(&both, &b), both);
    }

    #[test]
    fn a_removal_hides_everything(mut state in states()) {
        state.remove(stamp(100, 1));
        prop_assert!(state.offer().is_none());
        prop_assert_eq!(state.times_copied(), 0);
        prop_assert_eq!((state.title(), state.is_pinned()), (None, false));
    }

    #[test]
    fn a_state_reads_back_from_json(state in states()) {
        let json = serde_json::to_string(&state).unwrap();
        prop_assert_eq!(serde_json::from_str::<ClipState>(&json).unwrap(), state);
    }

    #[test]
    fn merging_never_lowers_a_floor(a in states(), b in states()) {
        let both = merged(&a, &b);
        prop_assert!(both.removed >= a.removed && both.cleared >= b.cleared);
    }
}

#[test]
fn a_clip_copied_again_after_removal_comes_back_fresh() {
    let mut state = copied(10);
    state.capture(record(1), 11, stamp(11, 1));
    state.title = Some(Written { at: stamp(12, 1), value: Some("stove".into()) });
    state.remove(stamp(13, 1));
    state.capture(record(1), 20, stamp(20, 1));
    assert_eq!(state.times_copied(), 1);
    assert_eq!(state.title(), None);
    assert!(state.offer().is_some());
}

#[test]
fn a_clear_spares_what_is_pinned_even_if_the_pin_arrives_later() {
    let mut here = copied(10);
    let mut there = here.clone();
    here.clear(stamp(30, 1));
    assert!(here.offer().is_none());
    pin(&mut there, stamp(20, 2));
    here.merge(&there);
    assert!(here.offer().is_some());
    assert_eq!(here.times_copied(), 1);
    here.remove(stamp(40, 1));
    assert!(here.offer().is_none(), "a removal that names it takes a pinned clip");
}

#[test]
fn the_newest_offer_wins_whole_and_three_earlier_stay_reachable() {
    let mut state = ClipState::default();
    for n in 1..=6 {
        state.capture(record(n), i64::from(n), stamp(u64::from(n), 1));
    }
    state.capture(record(5), 7, stamp(7, 1));
    let kept: Vec<u8> =
        state.shown_offers().iter().map(|one| one.value.representations[0].digest.0[0]).collect();
    assert_eq!(kept, [5, 6, 4, 3]);
    assert_eq!(state.times_copied(), 7);
}

#[test]
fn a_pinned_clip_keeps_the_offer_it_was_pinned_with() {
    let mut state = copied(10);
    pin(&mut state, stamp(11, 1));
    state.capture(record(2), 12, stamp(12, 1));
    assert_eq!(state.offer(), Some(&record(1)));
    assert_eq!(state.copied_at(), Some(12));
    assert_eq!(state.times_copied(), 2);
}

#[test]
fn a_tombstone_holds_no_words() {
    let mut state = copied(10);
    state.title = Some(Written { at: stamp(11, 1), value: Some("hut line".into()) });
    state.remove(stamp(20, 1));
    let tombstone = state.tombstone();
    assert!(tombstone.offers.is_empty() && tombstone.title.is_none());
    let mut again = tombstone.clone();
    again.merge(&copied(10));
    assert!(again.offer().is_none(), "what was removed does not come back by an old record");
}

#[test]
fn a_pin_protects_its_offer_in_merging_too_and_moving_the_clip_changes_nothing_about_that() {
    let mut here = copied(10);
    pin(&mut here, stamp(20, 1));
    // Another device that does not know of the pin is offered something else.
    let mut there = copied(10);
    there.capture(record(2), 30, stamp(30, 2));
    here.merge(&there);
    assert_eq!(here.offer(), Some(&record(1)));
    here.keep(Kept::Favorite("z".into()), stamp(40, 1));
    assert_eq!(here.offer(), Some(&record(1)));
    assert_eq!(here.shown_offers().len(), 2, "the other one stays reachable");
    there.merge(&here);
    assert_eq!(there, here);
    // Nor does it go when more has been offered elsewhere than is kept.
    for n in 3..9 {
        there = merged(&there, &copied(10));
        let mut other = ClipState::default();
        other.capture(record(n), 30 + i64::from(n), stamp(30 + u64::from(n), 2));
        there.merge(&other);
    }
    assert_eq!((there.offer(), there.offers.len()), (Some(&record(1)), OFFERS_KEPT + 1));
    here.keep(Kept::No, stamp(50, 1));
    assert_eq!(here.offer(), Some(&record(2)));
    here.keep(Kept::Favorite("a".into()), stamp(60, 1));
    assert_eq!(here.offer(), Some(&record(2)), "what it is pinned with now");
}

#[test]
fn a_count_becomes_what_it_was_on_every_device() {
    let mut state = copied(10);
    state.capture(record(1), 11, stamp(11, 2));
    let elsewhere = state.clone();
    state.count_as(5, DeviceId([1; 16]));
    assert_eq!(state.times_copied(), 5);
    state.count_as(1, DeviceId([1; 16]));
    state.merge(&elsewhere);
    assert_eq!(state.times_copied(), 1);
}
