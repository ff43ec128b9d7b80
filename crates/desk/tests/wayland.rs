//! The desk on a real compositor without a screen, with real programs on it; where a protocol is not there, that is said.

mod events;

use std::collections::HashMap;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use events::{next_copy, next_refusal, text_of, until, until_lost, until_watching};
use yadori_core::clip::mime;
use yadori_core::take::chord::{Chord, Held};
use yadori_core::{Offer, Representation};
use yadori_desk::displays::{Displays, start};
use yadori_desk::{
    Desk, DeskEvent, DeskEvents, DeskState, Intake, Keys, Live, Paste, PasteError, PasteInto, RefusedBecause,
};
use yadori_e2e::typist::Typist;
use yadori_e2e::{Compositor, Display, Owner};

/// The key that ends a line (X11 protocol, appendix A).
const RETURN: Chord =
    Chord { held: Held { control: false, shift: false, alt: false, super_: false }, key: 0xff0d };

async fn desk_on(compositor: &Compositor, keys: Keys) -> (Desk, DeskEvents) {
    let displays = Displays { x: None, wayland: Some(compositor.socket()) };
    let (desk, mut events) = start(displays, keys, false).unwrap();
    until_watching(&mut events).await;
    (desk, events)
}

fn text(words: &str) -> Arc<Offer> {
    let representations = vec![Representation::new(mime::PLAIN, words.as_bytes().to_vec())];
    Arc::new(Offer { representations, at: 1, ..Offer::default() })
}

/// A terminal whose lines go into a file, in front.
fn terminal(compositor: &mut Compositor, dir: &Path, title: &str) -> std::path::PathBuf {
    let file = dir.join(title);
    let script = format!("while read -r line; do printf '%s\\n' \"$line\" >> {}; done", file.display());
    let title_flag = format!("--title={title}");
    compositor.run("foot", &["--config=/dev/null", &title_flag, "sh", "-c", &script]);
    compositor.await_front("foot", title);
    file
}

fn lines(file: &Path) -> Vec<String> {
    std::fs::read_to_string(file).unwrap_or_default().lines().map(str::to_owned).collect()
}

/// Waits until these lines were typed.
fn written(file: &Path, wanted: &[String]) {
    yadori_e2e::until(&format!("{wanted:?}, {:?}", lines(file)), || (lines(file) == wanted).then_some(()));
}

async fn live(events: &mut DeskEvents, wanted: impl Fn(Live) -> bool) {
    until(events, |event| matches!(event, DeskEvent::Live(live) if wanted(*live))).await;
}

#[tokio::test]
async fn what_is_there_at_the_start_and_what_comes_later_is_read_once_with_its_window() {
    let mut compositor = Compositor::start();
    compositor.copy_text("before");
    yadori_e2e::until("the copy", || compositor.paste_text().filter(|text| text == "before"));
    let (_desk, mut events) = desk_on(&compositor, Keys::default()).await;
    match until(&mut events, |event| matches!(event, DeskEvent::Copied { .. })).await {
        DeskEvent::Copied { offer, at_start, .. } => {
            assert_eq!((text_of(&offer).as_str(), at_start), ("before", true));
        }
        _ => unreachable!(),
    }
    let dir = tempfile::tempdir().unwrap();
    terminal(&mut compositor, dir.path(), "ledger");
    for n in 0..20 {
        compositor.copy_text(&format!("bunk {n}"));
        let offer = next_copy(&mut events).await;
        assert_eq!(text_of(&offer), format!("bunk {n}"));
        // What has the keyboard is where a copy most likely comes from.
        assert_eq!(offer.source.program.as_deref(), Some("foot"));
        assert_eq!(offer.source.window.as_deref(), Some("ledger"));
    }
}

#[tokio::test]
async fn a_program_that_does_not_answer_holds_nothing_up_and_is_read_once_it_does() {
    let mut compositor = Compositor::start();
    let pid = compositor.copy_text("late, and whole");
    yadori_e2e::until("the copy", || compositor.paste_text());
    let signal = |signal: &str| {
        let done = std::process::Command::new("kill").args([signal, &pid.to_string()]).status();
        assert!(done.unwrap().success());
    };
    signal("-STOP");
    let (_desk, mut events) = desk_on(&compositor, Keys::default()).await;
    live(&mut events, |live| matches!(live, Live::Theirs(_))).await;
    // It has been asked; another program's copy is read at once.
    compositor.copy_text("at once");
    assert_eq!(text_of(&next_copy(&mut events).await), "at once");
    signal("-CONT");
    assert_eq!(text_of(&next_copy(&mut events).await), "late, and whole");
    compositor.copy_text("and after");
    assert_eq!(text_of(&next_copy(&mut events).await), "and after");
}

#[tokio::test]
async fn what_is_too_large_is_not_read_to_its_end_and_what_is_paused_not_at_all() {
    let mut compositor = Compositor::start();
    let keys = Keys { intake: Intake { cap: 100_000, ..Intake::default() }, ..Keys::default() };
    let (desk, mut events) = desk_on(&compositor, keys).await;
    compositor.copy("image/png", &vec![7; 50_000_000]);
    match next_refusal(&mut events).await.reason {
        RefusedBecause::TooLarge(size) => assert!((100_001..5_000_000).contains(&size), "{size}"),
        other => panic!("{other:?}"),
    }
    desk.pause();
    compositor.copy_text("while paused");
    assert_eq!(next_refusal(&mut events).await.reason, RefusedBecause::Paused);
    desk.resume().await;
    compositor.copy_text("after");
    assert_eq!(text_of(&next_copy(&mut events).await), "after");
}

#[tokio::test]
async fn a_program_that_closes_leaves_its_copy_and_what_is_emptied_on_purpose_stays_empty() {
    let mut compositor = Compositor::start();
    let (_desk, mut events) = desk_on(&compositor, Keys::default()).await;
    let mut typist = Typist::at(&compositor).unwrap();
    // A terminal copies what a program in it asks it to (OSC 52, XTerm Control Sequences), once a key was pressed.
    let script = r"read -r line; printf '\033]52;c;S2VzdHJlbCBIdXQ=\a'; sleep 600";
    let pid = compositor.run("foot", &["--config=/dev/null", "--title=notes", "sh", "-c", script]);
    compositor.await_front("foot", "notes");
    typist.press("Return").unwrap();
    assert_eq!(text_of(&next_copy(&mut events).await), "Kestrel Hut");
    compositor.kill(pid);
    live(&mut events, |live| matches!(live, Live::TakenOver(_))).await;
    assert_eq!(compositor.paste_text().as_deref(), Some("Kestrel Hut"));
    compositor.copy_text("to be cleared");
    next_copy(&mut events).await;
    assert!(compositor.command("wl-copy").arg("--clear").status().unwrap().success());
    live(&mut events, |live| live == Live::Empty).await;
    assert_eq!(compositor.paste_text(), None);
}

#[tokio::test]
async fn a_compositor_that_is_there_again_is_followed_again() {
    let mut compositor = Compositor::start();
    let (desk, mut events) = desk_on(&compositor, Keys::default()).await;
    for round in 0..3 {
        compositor.copy_text(&format!("round {round}"));
        assert_eq!(text_of(&next_copy(&mut events).await), format!("round {round}"));
        compositor.end_server();
        assert!(until_lost(&mut events).await.contains("went away"));
        let refused = desk.take(text("nowhere")).await.unwrap_err().to_string();
        assert!(refused.contains("no clipboard"), "{refused}");
        compositor.start_again();
        until_watching(&mut events).await;
        desk.take(text("handed back")).await.unwrap();
        assert_eq!(compositor.paste_text().as_deref(), Some("handed back"));
    }
    desk.stop();
}

#[tokio::test]
async fn a_compositor_that_lets_nobody_follow_says_so_in_plain_words() {
    let compositor = Compositor::without_control();
    let displays = Displays { x: None, wayland: Some(compositor.socket()) };
    let (desk, mut events) = start(displays, Keys::default(), false).unwrap();
    let reason = match until(&mut events, |event| matches!(event, DeskEvent::State(_))).await {
        DeskEvent::State(DeskState::Absent { reason }) => reason,
        other => panic!("{other:?}"),
    };
    assert!(reason.contains("lets no program follow the clipboard") && reason.contains("X11"), "{reason}");
    let refused = desk.take(text("nowhere")).await.unwrap_err().to_string();
    assert!(refused.contains("lets no program follow"), "{refused}");
    desk.stop();
}

#[tokio::test]
async fn a_clip_is_pasted_where_the_keyboard_is_and_behind_a_picker_and_goes_on_to_the_next_field() {
    let mut compositor = Compositor::start();
    let (desk, _events) = desk_on(&compositor, Keys::default()).await;
    let dir = tempfile::tempdir().unwrap();
    let form = terminal(&mut compositor, dir.path(), "form");
    let mut typist = Typist::at(&compositor).unwrap();
    let mut wanted = Vec::new();
    for n in 0..30 {
        let words = format!("Hütte №{n} “half board”");
        desk.paste(Paste { then: Some(RETURN), ..Paste::of(text(&words), PasteInto::Front) }).await.unwrap();
        wanted.push(words);
        written(&form, &wanted);
    }
    // A picker: a window that has just been opened.
    for n in 0..5 {
        desk.expect_picker();
        let pid = compositor.run("foot", &["--config=/dev/null", "--title=picker", "sleep", "600"]);
        compositor.await_front("foot", "picker");
        assert_eq!(desk.hand_over().await, Some(Vec::new()));
        assert_eq!(desk.target(PasteInto::Behind).await.as_deref(), Some("foot"));
        let words = format!("behind {n}");
        let (into, title) =
            if n % 2 == 0 { (PasteInto::Behind, "form") } else { (PasteInto::BehindAndBack, "picker") };
        desk.paste(Paste::of(text(&words), into)).await.unwrap();
        compositor.await_front("foot", title);
        compositor.kill(pid);
        compositor.await_front("foot", "form");
        typist.press("Return").unwrap();
        wanted.push(words);
        written(&form, &wanted);
    }
    // Nobody has the keyboard.
    let empty = Compositor::start();
    let (desk, _events) = desk_on(&empty, Keys::default()).await;
    let refused = desk.paste(Paste::of(text("nowhere"), PasteInto::Front)).await.unwrap_err();
    assert_eq!(refused, PasteError::NoWindow);
    assert_eq!(empty.paste_text().as_deref(), Some("nowhere"));
}

#[tokio::test]
async fn on_a_desktop_that_has_both_each_copy_is_kept_once_and_pasted_on_both() {
    let mut compositor = Compositor::with_x();
    let x = compositor.x_display();
    let displays = Displays { x: Some(x.clone()), wayland: Some(compositor.socket()) };
    let (desk, mut events) = start(displays, Keys::default(), false).unwrap();
    match until(&mut events, |event| matches!(event, DeskEvent::State(DeskState::Watching { .. }))).await {
        DeskEvent::State(DeskState::Watching { display, .. }) => {
            assert_eq!(display, format!("wayland-1 and {x}"));
        }
        _ => unreachable!(),
    }
    let mut x_programs = Display::at(&x);
    // X programs are let at the compositor's clipboard while one of them has the keyboard.
    x_programs.run("xterm", &["-T", "of X"]);
    compositor.await_front("XTerm", "of X");
    let mut seen = Vec::new();
    let mut wanted = Vec::new();
    for n in 0..12 {
        let words = format!("copy {n}");
        if n % 2 == 0 {
            compositor.copy_text(&words);
        } else {
            x_programs.copy_text(&words);
        }
        let offer = next_copy(&mut events).await;
        seen.push(text_of(&offer));
        wanted.push(words);
    }
    assert_eq!(seen, wanted);
    // Nothing else is told of: what comes after is the next copy.
    tokio::time::timeout(Duration::from_millis(1_500), async {
        loop {
            if let Some(DeskEvent::Copied { offer, .. }) = events.recv().await {
                panic!("told of twice: {}", text_of(&offer));
            }
        }
    })
    .await
    .unwrap_err();
    desk.take(text("for both")).await.unwrap();
    assert_eq!(compositor.paste_text().as_deref(), Some("for both"));
    yadori_e2e::until("it for X programs", || x_programs.paste_text().filter(|text| text == "for both"));
    desk.stop();
}

/// Bursts by two X programs and wl-copy in turn, without a pause between them.
#[tokio::test]
async fn of_a_burst_on_a_desktop_that_has_both_nothing_is_told_of_twice_and_the_last_is_always_told() {
    let mut compositor = Compositor::with_x();
    let x = compositor.x_display();
    let displays = Displays { x: Some(x.clone()), wayland: Some(compositor.socket()) };
    let (desk, mut events) = start(displays, Keys::default(), false).unwrap();
    until_watching(&mut events).await;
    let mut x_programs = Display::at(&x);
    x_programs.run("xterm", &["-T", "of X"]);
    compositor.await_front("XTerm", "of X");
    let owners = [Owner::on(&x_programs), Owner::on(&x_programs)];
    let begun = std::time::UNIX_EPOCH.elapsed().unwrap().subsec_nanos();
    let mut seed = begun;
    let mut next = move |below: u32| {
        seed = seed.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (seed >> 8) % below
    };
    let mut told: HashMap<String, u32> = HashMap::new();
    for burst in 0..24 {
        for n in 0..1 + next(9) {
            let words = format!("burst {burst}, copy {n}");
            match next(3) {
                2 => drop(compositor.copy_text(&words)),
                owner => owners[owner as usize].copy_text(&words),
            }
        }
        // Then one that is waited for. Of the burst's own copies one may come after it: then it is made once more.
        for attempt in 0.. {
            assert!(attempt < 20, "nothing is told of after burst {burst}");
            let rest = format!("after burst {burst}, {attempt}");
            match burst % 3 {
                2 => drop(compositor.copy_text(&rest)),
                owner => owners[owner].copy_text(&rest),
            }
            while let Ok(Some(event)) = tokio::time::timeout(Duration::from_secs(1), events.recv()).await {
                if let DeskEvent::Copied { offer, .. } = event {
                    *told.entry(text_of(&offer)).or_default() += 1;
                }
                if told.contains_key(&rest) {
                    break;
                }
            }
            if told.contains_key(&rest) {
                break;
            }
        }
    }
    // Whatever was told of late has come by now.
    let quiet = tokio::time::timeout(Duration::from_secs(4), async {
        loop {
            if let Some(DeskEvent::Copied { offer, .. }) = events.recv().await {
                *told.entry(text_of(&offer)).or_default() += 1;
            }
        }
    });
    quiet.await.unwrap_err();
    let twice: Vec<_> = told.iter().filter(|(_, times)| **times > 1).collect();
    assert!(twice.is_empty(), "{twice:?} of {}, seed {begun}", told.len());
    desk.stop();
}
