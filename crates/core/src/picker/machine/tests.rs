use proptest::prelude::*;

use super::*;

fn ids(prefix: &str, count: usize) -> Vec<String> {
    (0..count).map(|n| format!("{prefix}{n}")).collect()
}

fn number(asked: &[Do]) -> u64 {
    match asked.last() {
        Some(Do::List(wanted)) => wanted.number,
        other => panic!("no question: {other:?}"),
    }
}

fn opened(count: usize) -> Picker {
    let (mut picker, first) = Picker::open(false);
    picker.listed(number(&[first]), ids("a", count), false);
    picker
}

#[test]
fn enter_waits_for_the_answer_to_what_stands_in_the_field() {
    let mut picker = opened(5);
    let first = picker.ask(Ask::Type("o".into()));
    let second = picker.ask(Ask::Type("a".into()));
    assert_eq!(picker.ask(Ask::Take), []);
    assert_eq!(picker.listed(number(&first), ids("old", 3), false), []);
    let done = picker.listed(number(&second), ids("new", 3), false);
    assert_eq!(
        done,
        [Do::Take { id: "new0".into(), paste: true, plain: false, tidy: Vec::new(), close: true }]
    );
}

#[test]
fn a_move_that_is_made_before_the_list_is_there_is_made_in_it() {
    let mut picker = opened(5);
    let asked = picker.ask(Ask::Type("x".into()));
    picker.ask(Ask::Move(1));
    picker.ask(Ask::Move(1));
    assert_eq!(picker.marked(), Some("a0"));
    picker.ask(Ask::Take);
    // After the choice nothing is moved any more.
    picker.ask(Ask::Move(1));
    let done = picker.listed(number(&asked), ids("x", 5), false);
    assert_eq!(
        done,
        [Do::Take { id: "x2".into(), paste: true, plain: false, tidy: Vec::new(), close: true }]
    );
}

#[test]
fn what_is_pressed_before_the_list_is_there_is_done_in_it_in_its_order() {
    let mut picker = opened(5);
    let asked = picker.ask(Ask::Type("x".into()));
    for ask in [Ask::Move(1), Ask::Pin, Ask::Remove, Ask::Type("y".into()), Ask::Take] {
        assert_eq!(picker.ask(ask), []);
    }
    let done = picker.listed(number(&asked), ids("x", 5), false);
    assert!(
        matches!(&done[..], [Do::Pin(a), Do::Remove(b), Do::List(_)] if a == "x1" && b == "x1"),
        "{done:?}"
    );
    let done = picker.listed(number(&done), ids("xy", 2), false);
    assert!(matches!(&done[..], [Do::Take { id, .. }] if id == "xy0"), "{done:?}");
    // What is listed again, after an act, is what it was: nothing waits for that.
    let again = picker.changed();
    assert_eq!(picker.ask(Ask::Pin), [Do::Pin("xy0".into())]);
    picker.listed(number(&[again]), ids("xy", 2), false);
    // A pointer means what it points at, also while something else is being looked for.
    picker.ask(Ask::Type("z".into()));
    assert!(matches!(&picker.ask(Ask::TakeClip("xy1".into()))[..], [Do::Take { id, .. }] if id == "xy1"));
}

#[test]
fn escape_closes_what_was_opened_last() {
    let mut picker = opened(3);
    picker.ask(Ask::Favorites);
    let asked = picker.ask(Ask::Type("x".into()));
    picker.listed(number(&asked), ids("x", 2), false);
    picker.ask(Ask::Whole);
    assert_eq!(picker.whole.as_deref(), Some("x0"));
    assert_eq!(picker.ask(Ask::Leave), []);
    assert!(matches!(picker.ask(Ask::Leave)[..], [Do::List(Wanted { view: View::Favorites, .. })]));
    assert!(matches!(picker.ask(Ask::Leave)[..], [Do::List(Wanted { view: View::History, .. })]));
    assert_eq!(picker.ask(Ask::Leave), [Do::Close]);
}

#[test]
fn the_two_ways_to_take_can_be_swapped_and_it_can_stay_open() {
    let take = |paste, close| [Do::Take { id: "a0".into(), paste, plain: false, tidy: Vec::new(), close }];
    let mut picker = opened(2);
    assert_eq!(picker.ask(Ask::TakeOtherwise), take(false, true));
    picker.swapped = true;
    picker.ask(Ask::Stay);
    assert_eq!(picker.ask(Ask::Take), take(false, false));
    assert_eq!(picker.ask(Ask::TakeOtherwise), take(true, false));
}

#[test]
fn a_list_goes_on_as_the_mark_comes_near_its_end() {
    let (mut picker, first) = Picker::open(false);
    picker.listed(number(&[first]), ids("a", FIRST), true);
    let asked = picker.ask(Ask::Move(40));
    picker.listed(number(&asked), ids("a", 2 * FIRST), true);
    assert_eq!((picker.marked(), picker.ids.len()), (Some("a40"), 2 * FIRST));
    // Something came above meanwhile: the mark stays on its clip.
    let asked = picker.ask(Ask::Last);
    let mut more = vec!["new".to_owned()];
    more.extend(ids("a", 4 * FIRST - 1));
    let marked = picker.marked().map(str::to_owned);
    picker.listed(number(&asked), more, false);
    assert_eq!(picker.marked().map(str::to_owned), marked);
}

#[test]
fn what_cannot_be_listed_leaves_the_list_as_it_was_and_nothing_waits() {
    let mut picker = opened(3);
    let asked = picker.ask(Ask::Type("(".into()));
    picker.ask(Ask::Take);
    picker.failed(number(&asked));
    assert_eq!(picker.ids, ids("a", 3));
    let asked = picker.ask(Ask::EraseAll);
    assert_eq!(picker.listed(number(&asked), ids("b", 1), false), []);
}

/// What happens to a picker.
#[derive(Clone, Debug)]
enum Happens {
    Asks(Ask),
    /// The question asked so many before the newest one is answered.
    Answered(u64, usize),
    Failed,
    Gone(usize),
    Resized(usize),
}

fn happens() -> impl Strategy<Value = Happens> {
    let ask = prop_oneof![
        "[a-z é　漢]{1,3}".prop_map(Ask::Type),
        Just(Ask::EraseLetter),
        Just(Ask::EraseWord),
        Just(Ask::EraseAll),
        (-3isize..4).prop_map(Ask::Move),
        (-2isize..3).prop_map(Ask::Page),
        Just(Ask::First),
        Just(Ask::Last),
        Just(Ask::Take),
        Just(Ask::TakeOtherwise),
        Just(Ask::TakePlain),
        (1usize..10).prop_map(Ask::TakeRow),
        "[a-z ]{0,4}".prop_map(Ask::Write),
        "[a-z/]{1,9}".prop_map(Ask::MarkClip),
        (0usize..80).prop_map(Ask::Scroll),
        Just(Ask::Tidy),
        Just(Ask::Edit),
        Just(Ask::Pin),
        Just(Ask::Remove),
        Just(Ask::Favorites),
        Just(Ask::See(View::Drawers)),
        Just(Ask::Whole),
        Just(Ask::Stay),
        Just(Ask::Leave),
    ];
    prop_oneof![
        6 => ask.prop_map(Happens::Asks),
        4 => (0u64..3, 0usize..90).prop_map(|(before, count)| Happens::Answered(before, count)),
        1 => Just(Happens::Failed),
        1 => (0usize..20).prop_map(Happens::Gone),
        1 => (0usize..30).prop_map(Happens::Resized),
    ]
}

proptest! {
    /// Whatever is pressed and answered in whatever order: the mark is on the screen and on something that is listed; and
    /// what is taken, pinned or removed was listed for the very search that stands in the field.
    #[test]
    fn what_is_taken_belongs_to_what_stands_in_the_field(steps in prop::collection::vec(happens(), 1..80)) {
        let (mut picker, first) = Picker::open(false);
        let mut asked = vec![first];
        for step in steps {
            let before = picker.clone();
            let (done, from) = match step {
                Happens::Asks(ask) => (picker.ask(ask), None),
                Happens::Answered(back, count) => {
                    let lists: Vec<&Wanted> = asked.iter().filter_map(|one| match one { Do::List(wanted) => Some(wanted), _ => None }).collect();
                    let at = lists.len().saturating_sub(1).saturating_sub(usize::try_from(back).unwrap());
                    let wanted = lists[at].clone();
                    let list = ids(&format!("{:?}/{}/", wanted.view, wanted.query), count.min(wanted.rows));
                    (picker.listed(wanted.number, list, count > wanted.rows), Some(before.clone()))
                }
                Happens::Failed => { picker.failed(before.asked); (Vec::new(), None) }
                Happens::Gone(n) => {
                    let id = picker.ids.get(n).cloned().unwrap_or_default();
                    picker.gone(&id);
                    (Vec::new(), None)
                }
                Happens::Resized(page) => { picker.resize(page); (Vec::new(), None) }
            };
            prop_assert!(picker.ids.is_empty() && picker.mark == 0 || picker.mark < picker.ids.len());
            prop_assert!(picker.mark >= picker.top && picker.mark < picker.top + picker.page.max(1));
            for one in &done {
                let (Do::Take { id, .. } | Do::Pin(id) | Do::Remove(id) | Do::Edit(id) | Do::Preview { id, .. }) = one else { continue };
                // What is tidied was marked when that began, and says so on the screen until it is taken.
                if before.tidying.as_ref().is_some_and(|tidying| tidying.id == *id) {
                    continue;
                }
                prop_assert!(picker.ids.contains(id));
                // A failed question leaves the list of the one before it: what is marked on the screen is taken then.
                let of_the_field = format!("{:?}/{}/", picker.view, picker.query.trim());
                let unchanged = from.is_none() && before.ids == picker.ids;
                // What waited was about the search that stood there before what waited behind it.
                let of_the_field_before = format!("{:?}/{}/", before.view, before.query.trim());
                let unchanged = unchanged || id.starts_with(&of_the_field_before);
                prop_assert!(id.starts_with(&of_the_field) || unchanged, "{} for {}", id, of_the_field);
            }
            asked.extend(done);
        }
    }
}
