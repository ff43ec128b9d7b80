//! The desktop as a person uses it all day: status says what a paste would insert whatever happens, secrets that race with
//! ordinary copies are nowhere, and a copy is credited to who made it.

use std::collections::HashSet;
use std::path::PathBuf;
use std::process::Stdio;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use yadori_api::LiveState;
use yadori_core::clip::mime;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::measure::Listener;
use yadori_e2e::reader::Reader;
use yadori_e2e::traces::{in_files, in_memory};
use yadori_e2e::{Display, Owner, Reply, Service, until};

/// What happens to the clipboard.
const EVENTS: [&str; 12] = [
    "a copy",
    "another program's copy",
    "the owner empties it",
    "another program empties it",
    "the owner closes",
    "an empty copy",
    "a marked copy",
    "a copy that can't be read",
    "a take",
    "a take as plain text",
    "a removal",
    "a copy again",
];

#[test]
fn status_says_what_a_paste_would_insert_after_every_kind_of_event() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let mut state = 0x9e37_79b9_7f4a_7c15_u64;
    let mut owner = Owner::on(&display);
    let mut happened = Vec::new();
    // Each after each other one at least once, and then at random.
    let pairs = EVENTS.len() * 2;
    for n in 0..pairs + 40 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let event = if n < pairs {
            EVENTS[n * 5 % EVENTS.len()]
        } else {
            EVENTS[(state >> 33) as usize % EVENTS.len()]
        };
        happened.push(event);
        match event {
            "a copy" => owner.copy_text(&format!("hut notice {n}")),
            "a copy again" => owner.copy_text("hut notice, again"),
            "another program's copy" => drop(display.copy_text(&format!("permit {n}"))),
            "the owner empties it" => owner.let_go(),
            "another program empties it" => {
                assert!(display.command("xsel").arg("-bc").status().unwrap().success());
            }
            "the owner closes" => std::mem::replace(&mut owner, Owner::on(&display)).close(),
            "an empty copy" => owner.copy(&[("UTF8_STRING", b"")]),
            "a marked copy" => owner.copy(&[("UTF8_STRING", b"a secret"), (mime::DO_NOT_RECORD, b"secret")]),
            "a copy that can't be read" => owner.copies(&["UTF8_STRING"], |_| Reply::Refusal),
            "a take" => drop(service.client(&["take", "1"])),
            "a take as plain text" => drop(service.client(&["take", "2", "--plain"])),
            _ => drop(service.client(&["remove", "3"])),
        }
        let said = || {
            let live = service.status()?.live;
            let shown = live.clip.map(|clip| clip.head);
            let pasted = display.paste_text().filter(|text| !text.is_empty());
            let agrees = match (live.state, &shown, &pasted) {
                (LiveState::Empty, None, None) => true,
                (LiveState::Clip, Some(shown), Some(pasted)) => shown == pasted,
                // It is there, and is not kept, or not any more.
                (LiveState::Unkept, None, Some(_)) => true,
                _ => false,
            };
            agrees.then_some(())
        };
        until(&format!("the same as a paste, after {happened:?}"), said);
    }
}

/// A word that every secret holds and nothing else, also not the files of the service.
fn marker() -> String {
    format!("quartz{}heron", 104_729 * 7)
}

#[test]
fn of_a_thousand_marked_copies_that_race_with_ordinary_ones_not_a_byte_is_anywhere() {
    let display = Display::start();
    let service = Service::on(&display.name());
    let mut events = Listener::on(&service).unwrap();
    let (first, second) = (Owner::on(&display), Owner::on(&display));
    let secret = |n: u32| format!("{} {n}", marker());
    let large = |n: u32| secret(n).repeat(20_000);
    let marked = |owner: &Owner, n: u32| {
        // Some so large that they come in chunks, some with formatting beside.
        let text = if n % 50 == 7 { large(n) } else { secret(n) };
        let forms: [(&str, &[u8]); 3] = [
            ("UTF8_STRING", text.as_bytes()),
            ("text/html", text.as_bytes()),
            (mime::DO_NOT_RECORD, b"secret"),
        ];
        owner.copy(if n.is_multiple_of(3) { &forms[1..] } else { &forms });
    };
    let mut state = 1_u64;
    for n in 0..1_000 {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        let draw = state >> 40;
        // The same program or the other one; before or after the ordinary copy; at once, or a moment later.
        let (ordinary, hinting) = if draw & 1 == 0 { (&first, &second) } else { (&first, &first) };
        let plain = format!("bunk list {n}");
        let forms: [(&str, &[u8]); 2] = [("UTF8_STRING", plain.as_bytes()), ("text/html", plain.as_bytes())];
        let pause = || {
            let end = Instant::now() + Duration::from_micros((draw >> 2) % 4_000);
            while Instant::now() < end {
                std::hint::spin_loop();
            }
        };
        if draw & 2 == 0 {
            ordinary.copy(&forms);
            pause();
            marked(hinting, n);
        } else {
            marked(hinting, n);
            pause();
            ordinary.copy(&forms);
        }
        pause();
    }
    second.copy_text("after all of them");
    service.await_clip("after all of them");
    events.await_text("after all of them").unwrap();
    let status = service.status().unwrap();
    assert!(status.refusals.is_empty(), "they are not spoken of: {:?}", status.refusals);
    let word = marker();
    assert!(!events.heard().contains(&word), "in the events");
    assert_eq!(in_files(service.home(), &word), Vec::<PathBuf>::new());
    assert_eq!(in_memory(service.pid(), &word), Vec::<String>::new());
    assert_eq!(in_memory(service.database_pid(), &word), Vec::<String>::new());
    let rows = service.list(2_000);
    assert!(rows.len() > 100, "the ordinary ones are kept: {}", rows.len());
    assert!(rows.iter().all(|row| row.head.starts_with("bunk list") || row.head == "after all of them"));
    assert!(!in_memory(service.pid(), "after all of them").is_empty());
}

#[test]
fn in_a_burst_of_two_programs_no_copy_is_counted_twice_and_none_is_made_up() {
    let display = Display::start();
    let service = Service::on(&display.name());
    let stop = Arc::new(AtomicBool::new(false));
    let bare = Reader::on(&display).read_all(stop.clone());
    let programs = [Owner::on(&display), Owner::on(&display)];
    for n in 0..400 {
        programs[n % 2].copy_text(&format!("bunk {n} of the season"));
        let end = Instant::now() + Duration::from_millis(5);
        until("five milliseconds", || (Instant::now() >= end).then_some(()));
    }
    programs[0].copy_text("the last one");
    service.await_clip("the last one");
    stop.store(true, Ordering::SeqCst);
    let bare = bare.join().unwrap();
    let rows = service.list(1_000);
    assert!(rows.iter().all(|row| row.copies == 1), "counted twice");
    // How many of them is a matter of the machine: `make bench` counts them beside a bare reader.
    let made: HashSet<String> = (0..400).map(|n| format!("bunk {n} of the season")).collect();
    let made_up: Vec<_> =
        rows.iter().filter(|row| row.head != "the last one" && !made.contains(&row.head)).collect();
    assert!(made_up.is_empty(), "{made_up:?}");
    assert!(rows.len() > 40, "{} of {} that a bare reader got", rows.len(), bare.len());
}

#[test]
fn a_copy_is_credited_to_the_program_that_made_it_and_never_to_what_had_the_focus() {
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display).unwrap();
    display.run("xterm", &["-T", "route notes"]);
    let service = Service::on(&display.name());
    keyboard.focus("the terminal", |window| window.class == "XTerm").unwrap();
    for n in 0..12 {
        let text = format!("from a command {n}");
        // In the background, as scripts leave it, and in the foreground.
        let mut command = display.command("sh");
        command.args(["-c", &format!("printf '{text}' | xclip -selection clipboard -i")]);
        let done = command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null()).status();
        assert!(done.unwrap().success());
        let source = service.await_clip(&text).source;
        assert!(matches!(source.program.as_deref(), None | Some("xclip")), "{:?}", source.program);
        assert_eq!(source.window, None);
    }
    display.copy_text("from one that stays");
    assert_eq!(service.await_clip("from one that stays").source.program.as_deref(), Some("xclip"));
    let owner = Owner::on(&display);
    owner.copy_text("from one without a window");
    let source = service.await_clip("from one without a window").source;
    assert!(source.program.as_deref().is_some_and(|name| name.starts_with("desk-")), "{:?}", source.program);
}
