//! Chords and pasting on a real display: real keys, real programs, nothing astray.

mod events;

use std::path::{Path, PathBuf};
use std::sync::Arc;

use events::until_watching;
use yadori_core::Offer;
use yadori_core::take::chord::{PasteTable, Purpose};
use yadori_desk::{ChordProblem, Desk, DeskEvent, DeskEvents, Keys, Paste, PasteError, PasteInto, Typed};
use yadori_e2e::Display;
use yadori_e2e::keyboard::Keyboard;

/// One at a time: they share the machine's two cores with programs that start.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

fn keys() -> Keys {
    let place = |n: u8| (Purpose::Place(n), format!("Ctrl+Alt+{}", n % 10).parse().unwrap());
    let picker = (Purpose::Picker, "Ctrl+Alt+Y".parse().unwrap());
    Keys {
        chords: (1..=10).map(place).chain([picker]).collect(),
        paste: PasteTable::default(),
        ..Keys::default()
    }
}

/// A display with a window manager, and a desk on it that hears chords.
async fn start() -> (Display, Desk, DeskEvents, Vec<yadori_desk::ChordHeard>) {
    let mut display = Display::start();
    Keyboard::managed(&mut display).unwrap();
    let (desk, mut events) = yadori_desk::x11::start_with(Some(display.name()), keys()).unwrap();
    until_watching(&mut events).await;
    let heard = loop {
        if let DeskEvent::Chords(heard) = next(&mut events).await {
            break heard;
        }
    };
    (display, desk, events, heard)
}

async fn next(events: &mut DeskEvents) -> DeskEvent {
    tokio::time::timeout(yadori_e2e::PATIENCE, events.recv()).await.expect("an event in time").unwrap()
}

async fn pressed(events: &mut DeskEvents) -> Purpose {
    loop {
        if let DeskEvent::Pressed(purpose) = next(events).await {
            return purpose;
        }
    }
}

/// Chords that were pressed and not told of yet.
fn more_pressed(events: &mut DeskEvents) -> Vec<Purpose> {
    let mut all = Vec::new();
    while let Ok(event) = events.try_recv() {
        if let DeskEvent::Pressed(purpose) = event {
            all.push(purpose);
        }
    }
    all
}

/// A terminal whose lines go into a file.
fn terminal(display: &mut Display, keyboard: &Keyboard, dir: &Path, name: &str) -> PathBuf {
    let file = dir.join(name);
    let shell = format!("cat > {}", file.display());
    display.run("xterm", &["-T", name, "-e", "sh", "-c", &shell]);
    keyboard.focus(name, |window| window.title == name).unwrap();
    yadori_e2e::until("the terminal to read", || file.exists().then_some(()));
    file
}

fn lines(file: &Path) -> Vec<String> {
    std::fs::read_to_string(file).unwrap_or_default().lines().map(str::to_owned).collect()
}

fn text(text: impl Into<String>) -> Arc<Offer> {
    Arc::new(Offer::text(text.into(), 1))
}

#[tokio::test]
async fn what_is_pasted_stands_where_the_cursor_was_each_in_its_turn() {
    let _turn = TURN.lock().await;
    let (mut display, desk, _events, heard) = start().await;
    assert!(heard.iter().all(|one| one.problem.is_none()), "{heard:?}");
    let keyboard = Keyboard::of(&display).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = terminal(&mut display, &keyboard, dir.path(), "form");
    // All at once: each waits for the one before, and none is lost or doubled.
    let pastes = (0..20).map(|n| desk.paste(Paste::of(text(format!("<{n}>")), PasteInto::Front)));
    for done in futures_util::future::join_all(pastes).await {
        done.unwrap();
    }
    keyboard.press("Return").unwrap();
    let wanted: String = (0..20).map(|n| format!("<{n}>")).collect();
    yadori_e2e::until("the line", || (lines(&file) == [wanted.clone()]).then_some(()));
    assert_eq!(keyboard.keys_down().unwrap(), 0);
}

#[tokio::test]
async fn chords_are_heard_once_each_and_type_nothing_also_while_their_keys_are_held() {
    let _turn = TURN.lock().await;
    let (mut display, desk, mut events, _) = start().await;
    let keyboard = Keyboard::of(&display).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = terminal(&mut display, &keyboard, dir.path(), "form");
    // The modifiers stay down through three chords, as a hurried person's do.
    keyboard.down("ctrl+alt").unwrap();
    for n in [3, 1, 2] {
        keyboard.down(&n.to_string()).unwrap();
        assert_eq!(pressed(&mut events).await, Purpose::Place(n));
        let paste = desk.paste(Paste::of(text(format!("<{n}>")), PasteInto::Front));
        // Nothing is pasted while the key is down: it would repeat itself into the program.
        let release = async {
            tokio::task::yield_now().await;
            keyboard.up(&n.to_string()).unwrap();
        };
        let (done, ()) = tokio::join!(paste, release);
        done.unwrap();
    }
    keyboard.up("ctrl+alt").unwrap();
    keyboard.press("Return").unwrap();
    yadori_e2e::until("the line", || (lines(&file) == ["<3><1><2>"]).then_some(()));
    assert_eq!(more_pressed(&mut events), []);
    assert_eq!(keyboard.keys_down().unwrap(), 0);
}

#[tokio::test]
async fn a_chord_that_another_program_holds_is_named() {
    let _turn = TURN.lock().await;
    let (display, desk, _events, heard) = start().await;
    assert!(heard.iter().all(|one| one.problem.is_none()));
    drop(desk);
    let holder = yadori_e2e::keyboard::hold(&display, "ctrl+alt+3").unwrap();
    let (_desk, mut events) = yadori_desk::x11::start_with(Some(display.name()), keys()).unwrap();
    let heard = loop {
        if let DeskEvent::Chords(heard) = next(&mut events).await {
            break heard;
        }
    };
    let taken: Vec<_> = heard.iter().filter(|one| one.problem == Some(ChordProblem::Taken)).collect();
    assert_eq!(taken.iter().map(|one| one.chord.to_string()).collect::<Vec<_>>(), ["Ctrl+Alt+3"]);
    drop(holder);
}

#[tokio::test]
async fn what_is_typed_before_the_picker_is_there_is_its_own_and_nobody_elses() {
    let _turn = TURN.lock().await;
    let (mut display, desk, mut events, _) = start().await;
    let keyboard = Keyboard::of(&display).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let behind = terminal(&mut display, &keyboard, dir.path(), "behind");
    keyboard.press("ctrl+alt+y").unwrap();
    keyboard.type_text("oats and").unwrap();
    keyboard.press("BackSpace").unwrap();
    assert_eq!(pressed(&mut events).await, Purpose::Picker);
    let picker = dir.path().join("picker");
    let shell = format!("cat > {}", picker.display());
    display.run("xterm", &["-T", "picker", "-e", "sh", "-c", &shell]);
    let typing = tokio::task::spawn_blocking(move || {
        for letter in "0123456789".chars() {
            keyboard.press(&letter.to_string()).unwrap();
        }
        keyboard
    });
    let typed = desk.hand_over().await.unwrap();
    let keyboard = typing.await.unwrap();
    keyboard.press("Return").unwrap();
    let rest = yadori_e2e::until("the rest in the picker", || lines(&picker).first().cloned());
    let mut all = String::new();
    for one in &typed {
        match one {
            Typed::Text(text) => all.push_str(text),
            Typed::Key(chord) => assert_eq!(chord.to_string(), "Backspace"),
        }
    }
    assert_eq!(format!("{all}{rest}"), "oats and0123456789");
    assert_eq!(typed.iter().position(|one| matches!(one, Typed::Key(_))), Some(8));
    keyboard.focus("the window behind", |window| window.title == "behind").unwrap();
    keyboard.press("Return").unwrap();
    yadori_e2e::until("the line behind", || (lines(&behind) == [""]).then_some(()));
}

#[tokio::test]
async fn a_picker_that_does_not_come_up_gives_the_keyboard_back_and_that_is_said() {
    let _turn = TURN.lock().await;
    let (mut display, desk, mut events, _) = start().await;
    let keyboard = Keyboard::of(&display).unwrap();
    let dir = tempfile::tempdir().unwrap();
    let file = terminal(&mut display, &keyboard, dir.path(), "form");
    let mut wanted = Vec::new();
    // At last by itself; at once where it is known.
    for known in [false, true] {
        let began = std::time::Instant::now();
        keyboard.press("ctrl+alt+y").unwrap();
        keyboard.type_text("lost").unwrap();
        if known {
            desk.picker_failed();
        }
        while !matches!(next(&mut events).await, DeskEvent::NoPicker) {}
        assert_eq!(began.elapsed() < std::time::Duration::from_secs(9), known);
        let word = format!("kept {known}");
        keyboard.type_text(&word).unwrap();
        keyboard.press("Return").unwrap();
        wanted.push(word);
        yadori_e2e::until("the line", || (lines(&file) == wanted).then_some(()));
    }
}

#[tokio::test]
async fn what_cannot_be_pasted_says_why_and_is_ready_for_an_ordinary_paste() {
    let _turn = TURN.lock().await;
    let (mut display, desk, _events, _) = start().await;
    // No window at all.
    assert_eq!(desk.paste(Paste::of(text("one"), PasteInto::Front)).await, Err(PasteError::NoWindow));
    assert_eq!(display.paste_text().as_deref(), Some("one"));
    // One that does not ask.
    let keyboard = Keyboard::of(&display).unwrap();
    display.run("xterm", &["-class", "Deaf"]);
    keyboard.focus("a terminal that nobody knows", |window| window.class == "Deaf").unwrap();
    let done = desk.paste(Paste::of(text("two"), PasteInto::Front)).await;
    assert_eq!(done, Err(PasteError::NobodyAsked("Deaf".into())));
    assert_eq!(display.paste_text().as_deref(), Some("two"));
}
