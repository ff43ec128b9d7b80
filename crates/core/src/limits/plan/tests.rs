//! Whatever limits there are, and whatever clips: no plan touches a favorite, every limit holds afterwards, and a second
//! plan finds nothing.

use std::collections::BTreeMap;

use proptest::prelude::*;

use super::*;
use crate::clip::device::DeviceId;
use crate::clip::facts::Facts;
use crate::clip::id::Class;
use crate::clip::offer::Source;
use crate::history::stored::Held;
use crate::limits::limit::DAY;
use crate::merge::clip::{ClipState, Kept, OfferRecord};
use crate::merge::stamp::Stamp;

const DEVICE: DeviceId = DeviceId([1; 16]);
const NOW: Micros = 1_000 * DAY;

#[derive(Clone, Debug)]
struct Made {
    days: u64,
    size: u64,
    link: bool,
    program: u8,
    pinned: bool,
    fleeting: bool,
}

fn clip(n: u64, made: &Made) -> Clip {
    let text = if made.link { format!("https://huts.example/{n}") } else { format!("note {n}") };
    let id = ClipId::of(Class::Text, &[text.as_bytes()]);
    let at = NOW - i64::try_from(made.days).unwrap() * DAY - i64::try_from(n).unwrap();
    let stamp = Stamp { wall_ms: n + 1, counter: 0, device: DEVICE };
    let source = Source { program: Some(format!("Program {}", made.program)), ..Source::default() };
    let mut state = ClipState::default();
    state.capture(OfferRecord { source, ..OfferRecord::default() }, at, stamp);
    if made.pinned {
        state.keep(Kept::Favorite("m".into()), Stamp { counter: 1, ..stamp });
    }
    let held = if made.fleeting && !made.pinned { Held::Fleeting { until: NOW + 1 } } else { Held::Recorded };
    Clip { id, state, facts: Facts::of_text(&text, made.size, false), ordered_at: at, held }
}

fn any_made() -> impl Strategy<Value = Made> {
    (
        0u64..40,
        1u64..3_000,
        any::<bool>(),
        0u8..3,
        proptest::bool::weighted(0.2),
        proptest::bool::weighted(0.1),
    )
        .prop_map(|(days, size, link, program, pinned, fleeting)| Made {
            days,
            size,
            link,
            program,
            pinned,
            fleeting,
        })
}

fn any_limit() -> impl Strategy<Value = Limit> {
    let days = proptest::option::of((1u32..40).prop_map(f64::from));
    (proptest::option::of(1u64..30), days, proptest::option::of(1u64..20_000))
        .prop_map(|(clips, days, bytes)| Limit { clips, days, bytes })
}

fn any_limits() -> impl Strategy<Value = Limits> {
    let kind = prop_oneof![Just(Kind::Text), Just(Kind::Link)];
    let kinds = proptest::collection::btree_map(kind, any_limit(), 0..2);
    let programs =
        proptest::collection::btree_map((0u8..3).prop_map(|n| format!("program {n}")), any_limit(), 0..2);
    (any_limit(), 1u64..4_000, kinds, programs).prop_map(|(all, one, kinds, programs)| Limits {
        clips: all.clips,
        days: all.days,
        bytes: all.bytes,
        one,
        kinds,
        programs,
    })
}

fn holds(history: &History, limits: &Limits) -> Result<(), TestCaseError> {
    let counted: Vec<_> =
        history.from(1).filter(|clip| !clip.state.is_pinned() && !clip.is_fleeting()).collect();
    let check = |limit: &Limit, of: &dyn Fn(&Clip) -> bool| {
        let those: Vec<_> = counted.iter().filter(|clip| of(clip)).collect();
        prop_assert!(limit.clips.is_none_or(|most| those.len() as u64 <= most));
        let bytes: u64 = those.iter().map(|clip| clip.facts.size).sum();
        prop_assert!(limit.bytes.is_none_or(|most| bytes <= most));
        prop_assert!(
            limit.oldest(NOW).is_none_or(|oldest| those.iter().all(|clip| clip.ordered_at >= oldest))
        );
        Ok(())
    };
    check(&limits.everything(), &|_| true)?;
    prop_assert!(counted.iter().all(|clip| clip.facts.size <= limits.one));
    for (kind, limit) in &limits.kinds {
        check(limit, &|clip| clip.facts.kind() == *kind)?;
    }
    for (name, limit) in &limits.programs {
        check(limit, &|clip| program_of(clip) == fold(name))?;
    }
    Ok(())
}

proptest! {
    #[test]
    fn after_a_sweep_every_limit_holds_and_nothing_else_has_gone(
        made in proptest::collection::vec(any_made(), 0..60), limits in any_limits(),
    ) {
        let mut history = History::default();
        for (n, one) in made.iter().enumerate() {
            history.put(clip(n as u64, one));
        }
        let plan = super::plan(&history, &limits, NOW, true);
        let before: BTreeMap<ClipId, bool> =
            history.from(1).map(|clip| (clip.id, clip.state.is_pinned() || clip.is_fleeting())).collect();
        let times: Vec<Micros> = plan.going.iter().map(|one| history.get(one.id).unwrap().ordered_at).collect();
        prop_assert!(times.windows(2).all(|two| two[0] <= two[1]), "oldest first");
        for one in &plan.going {
            prop_assert!(!before[&one.id], "a favorite was touched");
        }
        prop_assert_eq!(plan.frees, plan.going.iter().map(|one| one.bytes).sum::<u64>());
        prop_assert_eq!(&plan, &super::plan(&history, &limits, NOW, true), "the same once more");
        for one in plan.going.iter().take(1) {
            prop_assert_eq!(outlook(&history, &limits, one.id, NOW).unwrap().goes, Some(one.why.clone()));
        }
        let tallied = history.tallies().all.clips - plan.going.len() as u64;
        let going: Vec<ClipId> = plan.going.iter().map(|one| one.id).collect();
        // What goes by a quick look is a beginning of what goes by a thorough one, or differs by sizes alone.
        let large = Limits { one: u64::MAX, ..limits.clone() };
        let thorough: Vec<ClipId> = super::plan(&history, &large, NOW, true).going.iter().map(|one| one.id).collect();
        let quick: Vec<ClipId> = super::plan(&history, &large, NOW, false).going.iter().map(|one| one.id).collect();
        prop_assert_eq!(thorough, quick);
        history.settle_many(Vec::new(), &going);
        prop_assert_eq!(history.tallies().all.clips, tallied);
        holds(&history, &limits)?;
        prop_assert_eq!(super::plan(&history, &limits, NOW, true), Plan::default(), "a second sweep finds nothing");
        // What is counted on the way is what is there.
        let mut anew = crate::history::tally::Tallies::default();
        history.from(1).for_each(|clip| anew.add(&clip));
        anew.kinds.retain(|_, tally| tally.clips > 0);
        let mut kept = history.tallies().clone();
        kept.kinds.retain(|_, tally| tally.clips > 0);
        prop_assert_eq!(kept, anew);
    }

    /// Settling many at once is settling them one by one.
    #[test]
    fn many_at_once_are_as_one_by_one(
        made in proptest::collection::vec(any_made(), 0..40), later in proptest::collection::vec((any_made(), any::<bool>()), 0..40),
    ) {
        let (mut one, mut many) = (History::default(), History::default());
        for (n, made) in made.iter().enumerate() {
            one.put(clip(n as u64, made));
            many.put(clip(n as u64, made));
        }
        let mut stored = Vec::new();
        for (n, (made, gone)) in later.iter().enumerate() {
            let made = Made { fleeting: false, ..made.clone() };
            let mut now = crate::history::stored::StoredClip::from(&clip(n as u64, &made));
            if *gone {
                now.state.remove(Stamp { wall_ms: 1_000_000, counter: 0, device: DEVICE });
                now.facts = None;
            }
            stored.push(now);
        }
        // Each occurs once.
        let mut seen = std::collections::HashSet::new();
        stored.retain(|one| seen.insert(one.id));
        for clip in stored.clone() {
            one.settle(clip);
        }
        many.settle_many(stored, &[]);
        let seen = |history: &History| history.from(1).map(|clip| (clip.id, clip.ordered_at, clip.state.clone())).collect::<Vec<_>>();
        prop_assert_eq!(seen(&one), seen(&many));
        prop_assert_eq!(one.tallies(), many.tallies());
        let kept = |history: &History| history.kept_clips().map(|clip| clip.id).collect::<Vec<_>>();
        prop_assert_eq!(kept(&one), kept(&many));
    }
}

#[test]
fn what_takes_over_a_fifth_waits_and_what_takes_less_does_not() {
    let mut history = History::default();
    for n in 0..100 {
        let made = Made { days: n, size: 10, link: false, program: 0, pinned: false, fleeting: false };
        history.put(clip(n, &made));
    }
    let waits = |history: &History, limits: &Limits, at| {
        let mut sweeper = Sweeper::new(limits, history.len(), history.tallies(), at, true);
        assert!(history.oldest_first().all(|clip| sweeper.look(&clip)));
        let sweep = sweeper.end();
        (sweep.goes.going.len(), sweep.waits.map(|plan| plan.going.len()))
    };
    let days = |days| Limits { days: Some(days), ..Limits::none() };
    assert_eq!(waits(&history, &days(80.5), NOW), (19, None));
    assert_eq!(waits(&history, &days(70.5), NOW), (0, Some(29)));
    // A year later than it is: nothing goes unasked. A year earlier: nothing goes at all.
    assert_eq!(waits(&history, &days(200.0), NOW + 365 * DAY), (0, Some(100)));
    assert_eq!(waits(&history, &days(1.0), NOW - 365 * DAY), (0, None));
    // Other limits wait where many would go; what does not hang on the clock does not wait for what does.
    let most = |clips| Limits { clips: Some(clips), ..Limits::none() };
    assert_eq!(waits(&history, &most(50), NOW), (50, None));
    assert_eq!(waits(&history, &most(49), NOW), (0, Some(51)));
    assert_eq!(waits(&history, &Limits { days: Some(60.5), ..most(90) }, NOW), (10, Some(39)));
    // Also in a history of few clips.
    let mut few = History::default();
    for n in 0..5 {
        let made = Made { days: n * 100, size: 10, link: false, program: 0, pinned: false, fleeting: false };
        few.put(clip(n, &made));
    }
    assert_eq!(waits(&few, &days(350.0), NOW), (1, None));
    assert_eq!(waits(&few, &days(350.0), NOW + 365 * DAY), (0, Some(5)));
}
