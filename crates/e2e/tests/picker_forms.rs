//! The picker in a terminal and the picker in the console are one: whatever is asked and answered, in whatever order, both
//! are in the same state after each step. The sequences are made by the machine in core and replayed by the console's.

use std::process::Command;

use proptest::prelude::*;
use proptest::strategy::ValueTree;
use proptest::test_runner::{Config, TestRunner};
use serde_json::{Value, json};
use yadori_core::picker::keys::Ask;
use yadori_core::picker::machine::{Do, Picker, View, Wanted};

const SEQUENCES: usize = 500;

#[derive(Clone, Debug)]
enum Happens {
    Asks(Ask),
    /// The question asked so many before the newest one is answered.
    Answered(usize, usize, bool),
    Failed(usize),
    Gone(usize),
    Resized(usize),
}

fn asks() -> impl Strategy<Value = Ask> {
    prop_oneof![
        3 => "[a-z é\u{3000}漢😀\t]{1,3}".prop_map(Ask::Type),
        2 => "[a-z \u{a0}漢]{0,4}".prop_map(Ask::Write),
        1 => Just(Ask::Type(" ".into())),
        1 => Just(Ask::EraseLetter),
        1 => Just(Ask::EraseWord),
        1 => Just(Ask::EraseAll),
        3 => (-3isize..4).prop_map(Ask::Move),
        1 => (-2isize..3).prop_map(Ask::Page),
        1 => Just(Ask::First),
        1 => Just(Ask::Last),
        1 => Just(Ask::Take),
        1 => Just(Ask::TakeOtherwise),
        1 => Just(Ask::TakePlain),
        1 => (0usize..12).prop_map(Ask::TakeRow),
        1 => "[0-3]-[0-9]{1,2}".prop_map(Ask::MarkClip),
        1 => "[0-3]-[0-9]{1,2}".prop_map(Ask::TakeClip),
        1 => (0usize..80).prop_map(Ask::Scroll),
        2 => Just(Ask::Tidy),
        1 => Just(Ask::Edit),
        1 => Just(Ask::Pin),
        1 => Just(Ask::Gather),
        1 => Just(Ask::HandOut),
        1 => Just(Ask::Remove),
        1 => Just(Ask::Clear),
        1 => Just(Ask::Pause),
        1 => Just(Ask::Undo),
        1 => Just(Ask::Favorites),
        1 => prop_oneof![Just(View::History), Just(View::Favorites), Just(View::Drawers)].prop_map(Ask::See),
        1 => Just(Ask::Whole),
        1 => Just(Ask::Stay),
        2 => Just(Ask::Leave),
        1 => Just(Ask::Close),
    ]
}

fn happens() -> impl Strategy<Value = Happens> {
    prop_oneof![
        8 => asks().prop_map(Happens::Asks),
        4 => (0usize..3, 0usize..130, any::<bool>()).prop_map(|(back, count, more)| Happens::Answered(back, count, more)),
        1 => (0usize..2).prop_map(Happens::Failed),
        1 => (0usize..20).prop_map(Happens::Gone),
        1 => (0usize..30).prop_map(Happens::Resized),
    ]
}

fn seen(picker: &Picker) -> Value {
    let mut state = serde_json::to_value(picker).expect("a state");
    let ids = &picker.ids;
    state["ids"] = json!([ids.len(), ids.first(), ids.last(), picker.marked()]);
    state
}

fn sequence(swapped: bool, all: Vec<Happens>) -> Value {
    let (mut picker, first) = Picker::open(swapped);
    let mut asked: Vec<Wanted> = Vec::new();
    let lists = |done: &[Do], asked: &mut Vec<Wanted>| {
        asked.extend(done.iter().filter_map(|one| match one {
            Do::List(wanted) => Some(wanted.clone()),
            _ => None,
        }));
    };
    lists(&[first], &mut asked);
    let mut steps = Vec::new();
    for happens in all {
        let (happened, done) = match happens {
            Happens::Asks(ask) => (json!({ "ask": ask }), picker.ask(ask)),
            Happens::Answered(back, count, more) => {
                let wanted = &asked[asked.len().saturating_sub(back + 1)];
                let prefix = format!("{}-", wanted.query.len());
                let count = count.min(wanted.rows);
                let ids = (0..count).map(|n| format!("{prefix}{n}")).collect();
                let number = wanted.number;
                let told =
                    json!({ "listed": { "number": number, "prefix": prefix, "count": count, "more": more } });
                (told, picker.listed(number, ids, more))
            }
            Happens::Failed(back) => {
                let number = asked[asked.len().saturating_sub(back + 1)].number;
                picker.failed(number);
                (json!({ "failed": number }), Vec::new())
            }
            Happens::Gone(n) => {
                let id = picker.ids.get(n).cloned().unwrap_or_default();
                picker.gone(&id);
                (json!({ "gone": id }), Vec::new())
            }
            Happens::Resized(page) => {
                picker.resize(page);
                (json!({ "resize": page }), Vec::new())
            }
        };
        lists(&done, &mut asked);
        steps.push(json!({ "happens": happened, "wishes": done, "state": seen(&picker) }));
    }
    json!({ "swapped": swapped, "steps": steps })
}

#[test]
fn both_forms_of_the_picker_do_the_same_whatever_is_asked_and_answered() {
    let mut runner = TestRunner::new(Config::default());
    let strategy = (any::<bool>(), prop::collection::vec(happens(), 1..60));
    let all: Vec<Value> = (0..SEQUENCES)
        .map(|_| {
            let (swapped, steps) = strategy.new_tree(&mut runner).expect("a sequence").current();
            sequence(swapped, steps)
        })
        .collect();
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("sequences.json");
    std::fs::write(&path, serde_json::to_vec(&all).expect("json")).expect("written");
    let console = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../console");
    let outcome = Command::new("npx")
        .args(["vitest", "run", "src/state/picking/replay.test.ts"])
        .current_dir(&console)
        .env("YADORI_SEQUENCES", &path)
        .output()
        .expect("vitest runs");
    let said =
        String::from_utf8_lossy(&outcome.stdout).into_owned() + &String::from_utf8_lossy(&outcome.stderr);
    assert!(outcome.status.success() && said.contains("2 passed"), "{said}");
}
