//! What X11 and its programs do beyond the contract: bursts, large copies, owners that die or stall, servers that go.

mod events;

use std::collections::HashSet;
use std::process::Stdio;
use std::sync::Arc;
use std::time::{Duration, Instant};

use events::{next_copy, next_refusal, text_of, until, until_lost, until_watching};
use x11rb::COPY_FROM_PARENT;
use x11rb::connection::Connection;
use x11rb::protocol::Event;
use x11rb::protocol::xproto::{ConnectionExt, CreateWindowAux, WindowClass};
use yadori_core::clip::mime;
use yadori_core::{Offer, Representation};
use yadori_desk::{Desk, DeskEvent, DeskEvents, DeskState, Live, RefusedBecause, TakeError};
use yadori_e2e::{Display, Owner, Reply};

/// One at a time: some of these are about milliseconds, and others move hundreds of megabytes.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

async fn desk_on(display: &Display) -> (Desk, DeskEvents) {
    let (desk, mut events) = yadori_desk::x11::start(Some(display.name())).unwrap();
    until_watching(&mut events).await;
    (desk, events)
}

fn offer(parts: &[(&str, &[u8])]) -> Arc<Offer> {
    let representations =
        parts.iter().map(|(mime, bytes)| Representation::new(*mime, bytes.to_vec())).collect();
    Arc::new(Offer { representations, at: 1, ..Offer::default() })
}

#[tokio::test]
async fn two_hundred_copies_twenty_milliseconds_apart_are_all_seen_once() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let owner = Owner::on(&display);
    owner.copy_text("first");
    assert_eq!(text_of(&next_copy(&mut events).await), "first");
    let sender = tokio::task::spawn_blocking(move || {
        let mut last = Instant::now();
        for n in 0..200 {
            yadori_e2e::until("twenty milliseconds", || {
                (last.elapsed() >= Duration::from_millis(20)).then_some(())
            });
            // A machine that stands still for longer than the gap is not what this is about (the benchmark counts
            // that): a copy gets its chance to be asked for.
            yadori_e2e::until("the copy before to be asked for", || {
                owner.asked().iter().any(|name| name == "UTF8_STRING").then_some(())
            });
            owner.copy_text(&format!("copy {n}"));
            last = Instant::now();
        }
        owner
    });
    let mut seen = Vec::new();
    while seen.len() < 200 {
        seen.push(text_of(&next_copy(&mut events).await));
    }
    let _owner = sender.await.unwrap();
    assert_eq!(seen.iter().collect::<HashSet<_>>().len(), 200);
    assert_eq!(seen.last().map(String::as_str), Some("copy 199"));
}

#[tokio::test]
async fn sixty_mebibytes_come_and_go_byte_for_byte_and_more_is_refused_with_its_size() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let (desk, mut events) = desk_on(&display).await;
    let large: Vec<u8> = (0..60u32 << 20).map(|n| (n.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
    display.copy("image/png", &large);
    let copied = next_copy(&mut events).await;
    assert!(copied.find("image/png").unwrap().content.expose().as_ref() == &large[..]);
    desk.take(copied).await.unwrap();
    assert!(display.paste("image/png").unwrap() == large);

    let larger = vec![7; 70 << 20];
    display.copy("image/png", &larger);
    assert_eq!(next_refusal(&mut events).await.reason, RefusedBecause::TooLarge(70 << 20));
    display.copy_text("after it");
    assert_eq!(text_of(&next_copy(&mut events).await), "after it");
}

/// Bytes that a process has written, to its display above all.
fn written_by(pid: u32) -> u64 {
    let io = std::fs::read_to_string(format!("/proc/{pid}/io")).unwrap_or_default();
    let written = io.lines().find_map(|line| line.strip_prefix("wchar: "));
    written.and_then(|bytes| bytes.parse().ok()).unwrap_or(0)
}

#[tokio::test]
async fn a_small_copy_does_not_wait_for_a_large_one() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let large = display.copy("image/png", &vec![3; 60 << 20]);
    until(&mut events, |event| matches!(event, DeskEvent::Live(Live::Theirs(_)))).await;
    // Of what is replaced before anything was read of it, there is nothing to report.
    yadori_e2e::until("the beginning of the transfer", || (written_by(large) > 10_000).then_some(()));
    display.copy_text("small");
    assert_eq!(text_of(&next_copy(&mut events).await), "small", "the large one came first");
    // xclip gives up a transfer when another program copies: then the loss is reported; else the whole of it arrives.
    match until(&mut events, |event| matches!(event, DeskEvent::Refused(_) | DeskEvent::Copied { .. })).await
    {
        DeskEvent::Refused(refused) => assert_eq!(refused.reason, RefusedBecause::Unreadable),
        DeskEvent::Copied { offer, .. } => assert_eq!(offer.size(), 60 << 20),
        _ => unreachable!(),
    }
}

#[tokio::test]
async fn what_a_program_copied_is_pasteable_after_it_was_closed() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let program = display.copy_text("left behind");
    next_copy(&mut events).await;
    display.kill(program);
    until(&mut events, |event| matches!(event, DeskEvent::Live(Live::TakenOver(_)))).await;
    assert_eq!(display.paste_text().as_deref(), Some("left behind"));
}

#[tokio::test]
async fn taking_over_from_a_closed_program_never_takes_from_the_next_copy() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let owner = Owner::on(&display);
    for n in 0..10 {
        let program = display.copy_text(&format!("closing {n}"));
        assert_eq!(text_of(&next_copy(&mut events).await), format!("closing {n}"));
        display.kill(program);
        owner.copy_text(&format!("next {n}"));
        assert_eq!(text_of(&next_copy(&mut events).await), format!("next {n}"));
    }
}

#[tokio::test]
async fn a_silent_owner_is_reported_and_the_next_copy_is_kept() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let owner = Owner::on(&display);
    owner.copies(&["UTF8_STRING"], |_| Reply::Silence);
    assert_eq!(next_refusal(&mut events).await.reason, RefusedBecause::Unreadable);
    display.copy_text("said");
    assert_eq!(text_of(&next_copy(&mut events).await), "said");
}

#[tokio::test]
async fn an_owner_that_dies_in_mid_transfer_leaves_no_half_copy() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let owner = Owner::on(&display);
    owner.copies(&["image/png"], |_| Reply::Half);
    assert_eq!(next_refusal(&mut events).await.reason, RefusedBecause::Unreadable);
    display.copy_text("life goes on");
    assert_eq!(text_of(&next_copy(&mut events).await), "life goes on");
}

#[tokio::test]
async fn a_display_that_restarts_is_watched_again() {
    let _turn = TURN.lock().await;
    let mut display = Display::start_apart();
    let number = display.name()[1..].parse().expect("a number");
    let (desk, mut events) = desk_on(&display).await;
    display.end_server();
    assert!(until_lost(&mut events).await.contains("went away"));
    let refused = desk.take(offer(&[(mime::PLAIN, b"x")])).await;
    assert!(matches!(refused, Err(TakeError::NoDisplay(_))), "{refused:?}");
    let mut again = Display::start_as(number);
    until_watching(&mut events).await;
    again.copy_text("after the restart");
    assert_eq!(text_of(&next_copy(&mut events).await), "after the restart");
    desk.take(offer(&[(mime::PLAIN, b"taken")])).await.unwrap();
    assert_eq!(again.paste_text().as_deref(), Some("taken"));
}

#[tokio::test]
async fn without_a_display_the_desk_says_what_to_do() {
    let _turn = TURN.lock().await;
    for (name, word) in [(None, "--display"), (Some("nonsense"), "such as :0")] {
        let (desk, mut events) = yadori_desk::x11::start(name.map(str::to_owned)).unwrap();
        let event =
            until(&mut events, |event| matches!(event, DeskEvent::State(DeskState::Absent { .. }))).await;
        let DeskEvent::State(DeskState::Absent { reason }) = event else { unreachable!() };
        assert!(reason.contains(word), "{reason}");
        assert!(matches!(desk.take(offer(&[(mime::PLAIN, b"x")])).await, Err(TakeError::NoDisplay(_))));
        desk.stop();
    }
}

#[tokio::test]
async fn two_desks_do_not_share_a_display() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (first, _events) = desk_on(&display).await;
    let (_second, mut events) = yadori_desk::x11::start(Some(display.name())).unwrap();
    assert!(until_lost(&mut events).await.contains("another Yadori"));
    first.stop();
    until_watching(&mut events).await;
}

#[tokio::test]
async fn what_stood_on_the_clipboard_before_is_known_to_have_stood_there() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    display.copy_text("before the service");
    yadori_e2e::until("xclip to serve", || display.paste_text());
    let (_desk, mut events) = desk_on(&display).await;
    let event = until(&mut events, |event| matches!(event, DeskEvent::Copied { .. })).await;
    let DeskEvent::Copied { at_start, .. } = event else { unreachable!() };
    assert!(at_start);
}

#[tokio::test]
async fn texts_are_served_under_all_their_names_and_odd_types_as_they_came() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (desk, _events) = desk_on(&display).await;
    desk.take(offer(&[(mime::PLAIN, "Hütte".as_bytes()), ("application/x-odd;a=\"b c\"", b"\0\x01odd")]))
        .await
        .unwrap();
    for name in ["UTF8_STRING", "text/plain", "text/plain;charset=utf-8", "TEXT"] {
        assert_eq!(display.paste(name).as_deref(), Some("Hütte".as_bytes()), "{name}");
    }
    assert_eq!(display.paste("STRING").as_deref(), Some(&b"H\xfctte"[..]));
    assert_eq!(display.paste("application/x-odd;a=\"b c\"").as_deref(), Some(&b"\0\x01odd"[..]));
    let targets = String::from_utf8(display.paste("TARGETS").unwrap()).unwrap();
    assert!(
        targets.lines().any(|line| line == "MULTIPLE") && targets.lines().any(|line| line == "TIMESTAMP"),
        "{targets}"
    );
}

#[tokio::test]
async fn a_closing_program_is_told_at_once_that_its_content_is_safe() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (_desk, _events) = desk_on(&display).await;
    let (conn, screen) = x11rb::connect(Some(&display.name())).unwrap();
    let root = conn.setup().roots[screen].root;
    let atom = |name: &str| conn.intern_atom(false, name.as_bytes()).unwrap().reply().unwrap().atom;
    let window = conn.generate_id().unwrap();
    conn.create_window(
        0,
        window,
        root,
        0,
        0,
        1,
        1,
        0,
        WindowClass::INPUT_ONLY,
        COPY_FROM_PARENT,
        &CreateWindowAux::new(),
    )
    .unwrap();
    conn.convert_selection(window, atom("CLIPBOARD_MANAGER"), atom("SAVE_TARGETS"), atom("_SAVED"), 0u32)
        .unwrap();
    conn.flush().unwrap();
    let until = Instant::now() + Duration::from_secs(5);
    let answer = loop {
        match conn.poll_for_event().unwrap() {
            Some(Event::SelectionNotify(event)) => break event,
            _ => assert!(Instant::now() < until, "no answer"),
        }
    };
    assert_ne!(answer.property, 0);
}

#[tokio::test]
async fn xsel_copies_and_pastes_too() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (desk, mut events) = desk_on(&display).await;
    let mut program = display.command("xsel").args(["-b", "-i"]).stdin(Stdio::piped()).spawn().unwrap();
    std::io::Write::write_all(&mut program.stdin.take().unwrap(), b"by xsel").unwrap();
    program.wait().unwrap();
    assert_eq!(text_of(&next_copy(&mut events).await), "by xsel");
    desk.take(offer(&[(mime::PLAIN, b"for xsel")])).await.unwrap();
    let pasted = display.command("xsel").args(["-b", "-o"]).output().unwrap();
    assert_eq!(pasted.stdout, b"for xsel");
}
