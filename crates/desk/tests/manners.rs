//! What real programs offer and expect, held by a program of the tests' own that behaves as they do: nothing is asked for
//! that changes them, and what is handed back does what the copy would have done.

mod events;

use std::sync::Arc;
use std::time::Duration;

use events::{next_copy, next_refusal, text_of, until, until_watching};
use yadori_core::clip::mime;
use yadori_core::{Offer, Representation};
use yadori_desk::{Desk, DeskEvent, DeskEvents, Live, RefusedBecause};
use yadori_e2e::reader::Reader;
use yadori_e2e::{Display, Owner, Reply};

/// One at a time: whether a program works is told by its process, which is this one here.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

async fn desk_on(display: &Display) -> (Desk, DeskEvents) {
    let (desk, mut events) = yadori_desk::x11::start(Some(display.name())).unwrap();
    until_watching(&mut events).await;
    (desk, events)
}

fn forms(offer: &Arc<Offer>) -> Vec<(&str, &[u8])> {
    offer.representations.iter().map(|one| (one.mime.as_str(), &one.content.expose()[..])).collect()
}

fn targets(display: &Display) -> Vec<String> {
    String::from_utf8(display.paste("TARGETS").unwrap()).unwrap().lines().map(str::to_owned).collect()
}

fn png(width: u32, height: u32) -> Vec<u8> {
    let picture =
        image::RgbImage::from_fn(width, height, |x, y| image::Rgb([x as u8, y as u8, (x ^ y) as u8]));
    let mut out = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut out, image::ImageFormat::Png).unwrap();
    out.into_inner()
}

/// An office program: it pastes its own last copy where it finds its id on the clipboard, and marks a place in the document
/// when it is asked for a link.
#[tokio::test]
async fn an_office_program_is_not_asked_for_links_and_its_own_id_is_not_handed_back() {
    let display = Display::start();
    let (desk, mut events) = desk_on(&display).await;
    let office = Owner::on(&display);
    let names = [
        "application/x-openoffice-embed-source-xml;windows_formatname=\"Star Embed Source (XML)\"",
        "application/x-openoffice-link;windows_formatname=\"Link\"",
        "application/x-openoffice-emf;windows_formatname=\"Image EMF\"",
        "text/rtf",
        "UTF8_STRING",
        "application/x-libreoffice-internal-id-6363",
        "GTK_TEXT_BUFFER_CONTENTS",
        "PIXMAP",
        "CLIENT_WINDOW",
        "application/x-numbers",
    ];
    office.copies(&names, |target| match target {
        "GTK_TEXT_BUFFER_CONTENTS" | "PIXMAP" | "CLIENT_WINDOW" | "application/x-numbers" => {
            Reply::Numbers(vec![7])
        }
        target => Reply::text(target),
    });
    let first = next_copy(&mut events).await;
    let read: Vec<&str> = first.representations.iter().map(|one| one.mime.as_str()).collect();
    assert_eq!(read, [mime::PLAIN, names[0], "text/rtf"]);
    assert_eq!(office.asked(), ["TARGETS", "UTF8_STRING", names[0], "text/rtf", "application/x-numbers"]);
    office.copy_text("BBB");
    next_copy(&mut events).await;
    desk.take(first).await.unwrap();
    let served = targets(&display);
    assert!(served.iter().any(|name| name == names[0]), "{served:?}");
    for left in ["internal-id", "x-openoffice-link", "GTK_TEXT", "PIXMAP", "CLIENT_WINDOW", "numbers"] {
        assert!(!served.iter().any(|name| name.contains(left)), "{left} in {served:?}");
    }
}

#[tokio::test]
async fn an_editors_line_ends_come_back_as_they_were_also_after_it_was_closed() {
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let editor = Owner::on(&display);
    let offered: [(&str, &[u8]); 4] = [
        ("UTF8_STRING", b"one\ntwo\n"),
        ("STRING", b"one\ntwo\n"),
        ("text/plain;charset=utf-8", b"one\r\ntwo\r\n"),
        ("text/plain", b"one\r\ntwo\r\n"),
    ];
    editor.copy(&offered);
    assert_eq!(text_of(&next_copy(&mut events).await), "one\ntwo\n");
    editor.close();
    until(&mut events, |event| matches!(event, DeskEvent::Live(Live::TakenOver(_)))).await;
    for (name, bytes) in offered {
        assert_eq!(display.paste(name).as_deref(), Some(bytes), "{name}");
    }
}

#[tokio::test]
async fn of_a_picture_one_encoding_is_asked_for_and_the_others_are_made_again() {
    let display = Display::start();
    let (desk, mut events) = desk_on(&display).await;
    let viewer = Owner::on(&display);
    let picture = png(320, 200);
    let answer = picture.clone();
    let names = ["image/bmp", "image/tiff", "image/png", "image/x-icon", "text/html"];
    // Its other encodings would be above the cap.
    viewer.copies(&names, move |target| match target {
        "image/png" => Reply::Bytes(answer.clone()),
        "text/html" => Reply::text("<img src=map.png>"),
        _ => Reply::Chunks(vec![0; 70 << 20]),
    });
    let copied = next_copy(&mut events).await;
    assert_eq!(copied.size(), picture.len() as u64 + 17);
    assert_eq!(viewer.asked(), ["TARGETS", "image/png", "text/html"]);
    desk.take(copied).await.unwrap();
    let pixels = image::load_from_memory(&picture).unwrap().into_rgb8();
    for name in ["image/bmp", "image/tiff", "image/bmp"] {
        let made = display.paste(name).unwrap();
        assert!(image::load_from_memory(&made).unwrap().into_rgb8() == pixels, "{name}");
    }
    let served = targets(&display);
    assert!(!served.iter().any(|name| name == "image/x-icon" || name == "image/jpeg"), "{served:?}");
}

#[tokio::test]
async fn a_picture_that_takes_its_program_long_to_make_is_waited_for() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let picture = png(64, 64);
    let answer = picture.clone();
    let viewer = Owner::on(&display);
    viewer.copies(&["text/html", "image/png"], move |target| match target {
        "image/png" => Reply::After(Duration::from_millis(4_500), Box::new(Reply::Bytes(answer.clone()))),
        _ => Reply::text("<img>"),
    });
    let copied = next_copy(&mut events).await;
    assert!(copied.find("image/png").unwrap().content.expose()[..] == picture[..]);
}

#[tokio::test]
async fn a_picture_that_cant_be_had_is_said_to_be_lost_and_no_html_stands_for_it() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let viewer = Owner::on(&display);
    viewer.copies(&["text/html", "image/png"], |target| match target {
        "image/png" => Reply::Silence,
        _ => Reply::text("<img>"),
    });
    assert_eq!(next_refusal(&mut events).await.reason, RefusedBecause::Unreadable);
    assert!(!viewer.asked().iter().any(|name| name == "text/html"));
}

/// A file manager that drops its cut once its own list was read.
#[tokio::test]
async fn a_cut_stays_a_cut_and_is_handed_back_as_a_copy() {
    let display = Display::start();
    let (desk, mut events) = desk_on(&display).await;
    let manager = Owner::on(&display);
    manager.copy(&[
        ("text/uri-list", b"file:///office/permit.pdf\0"),
        (mime::FILE_MANAGER_LIST, b"cut\nfile:///office/permit.pdf"),
        (mime::CUT_MARK, b"1"),
    ]);
    let copied = next_copy(&mut events).await;
    assert_eq!(forms(&copied), [("text/uri-list", &b"file:///office/permit.pdf\0"[..])]);
    assert!(!manager.asked().iter().any(|name| name == mime::FILE_MANAGER_LIST));
    desk.take(copied).await.unwrap();
    let list = display.paste(mime::FILE_MANAGER_LIST).unwrap();
    assert_eq!(list, b"copy\nfile:///office/permit.pdf");
    assert_eq!(display.paste(mime::CUT_MARK), None);
}

#[tokio::test]
async fn a_clipboard_that_was_emptied_stays_empty_whoever_closes_then() {
    let mut display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let emptied = |event: &DeskEvent| matches!(event, DeskEvent::Live(Live::Empty));
    for by_another in [false, true] {
        let owner = Owner::on(&display);
        owner.copy_text("to be emptied");
        next_copy(&mut events).await;
        if by_another {
            assert!(display.command("xsel").arg("-bc").status().unwrap().success());
        } else {
            owner.let_go();
        }
        until(&mut events, emptied).await;
        owner.close();
        // What comes next comes after whatever the closing would have led to.
        assert_eq!(display.paste_text(), None);
        display.copy_text("the next copy");
        let event = until(&mut events, |event| matches!(event, DeskEvent::Live(_))).await;
        assert!(matches!(event, DeskEvent::Live(Live::Theirs(_))), "{event:?}");
        next_copy(&mut events).await;
    }
}

#[tokio::test]
async fn an_empty_copy_is_nothing_at_once() {
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let owner = Owner::on(&display);
    let empty: [&[(&str, &[u8])]; 3] = [&[], &[("UTF8_STRING", b"")], &[("application/x-flag", b"")]];
    for forms in empty {
        owner.copy(forms);
        until(&mut events, |event| matches!(event, DeskEvent::Live(Live::Theirs(_)))).await;
        until(&mut events, |event| matches!(event, DeskEvent::Live(Live::Empty))).await;
    }
}

#[tokio::test]
async fn five_hundred_forms_are_all_read_and_all_handed_back() {
    let display = Display::start();
    let (desk, mut events) = desk_on(&display).await;
    let owner = Owner::on(&display);
    let names: Vec<String> = (0..500).map(|n| format!("application/x-form-{n}")).collect();
    let mut offered = vec!["UTF8_STRING"];
    offered.extend(names.iter().map(String::as_str));
    owner.copies(&offered, Reply::text);
    let copied = next_copy(&mut events).await;
    assert_eq!(copied.representations.len(), 501);
    desk.take(copied).await.unwrap();
    assert_eq!(display.paste("application/x-form-499").unwrap(), b"application/x-form-499");
}

#[tokio::test]
async fn what_old_programs_ask_for_is_answered() {
    let display = Display::start();
    let (desk, _events) = desk_on(&display).await;
    let offer = Offer {
        representations: vec![Representation::new(mime::PLAIN, "Hütte 山小屋".as_bytes().to_vec())],
        also: vec!["application/x-flag".into()],
        ..Offer::default()
    };
    desk.take(Arc::new(offer)).await.unwrap();
    let reader = Reader::on(&display);
    let text = |bytes: &[u8]| Some(bytes.to_vec());
    let several = reader.ask_several(&["UTF8_STRING", "image/png", "application/x-flag", "STRING"]);
    assert_eq!(several, [text("Hütte 山小屋".as_bytes()), None, text(b""), text(b"H\xfctte ???")]);
    let (compound, _) = reader.ask("CLIPBOARD", "COMPOUND_TEXT");
    assert_eq!(
        compound,
        text(
            "H\u{fc}tte "
                .chars()
                .map(|c| c as u8)
                .chain("\u{1b}%G山小屋\u{1b}%@".bytes())
                .collect::<Vec<u8>>()
                .as_slice()
        )
    );
    assert_eq!(reader.ask("CLIPBOARD", "application/x-flag").0, text(b""));
    assert_eq!(reader.ask("CLIPBOARD", "application/x-unknown").0, None);
}

#[tokio::test]
async fn a_program_that_closes_is_answered_at_once_whatever_another_is_being_asked() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let silent = Owner::on(&display);
    silent.copies(&["UTF8_STRING"], |_| Reply::Silence);
    until(&mut events, |event| matches!(event, DeskEvent::Live(Live::Theirs(_)))).await;
    let (answer, took) = Reader::on(&display).ask("CLIPBOARD_MANAGER", "SAVE_TARGETS");
    assert!(answer.is_some() && took < Duration::from_millis(500), "{took:?}");
}

#[tokio::test]
async fn the_wish_not_to_be_recorded_counts_behind_any_number_of_forms() {
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let owner = Owner::on(&display);
    let names: Vec<String> = (0..5_000).map(|n| format!("application/x-form-{n}")).collect();
    let mut offered: Vec<&str> = names.iter().map(String::as_str).collect();
    offered.extend(["UTF8_STRING", mime::DO_NOT_RECORD]);
    owner.copies(&offered, |_| Reply::text("secret"));
    assert_eq!(next_refusal(&mut events).await.reason, RefusedBecause::DoNotRecord);
    assert_eq!(owner.asked(), ["TARGETS", mime::DO_NOT_RECORD]);
}

/// A program that answers nothing while it waits to be told that its copy is safe.
#[tokio::test]
async fn a_program_that_closes_is_not_kept_waiting_for_its_own_copy_to_be_read() {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    for marks in [false, true] {
        let owner = Owner::on(&display);
        if marks {
            owner.copy(&[("UTF8_STRING", b"marmot-ridge-47"), (mime::DO_NOT_RECORD, b"secret")]);
            let marked = |event: &DeskEvent| matches!(event, DeskEvent::Refused(one) if one.reason == RefusedBecause::DoNotRecord);
            until(&mut events, marked).await;
        }
        owner.copies(&["UTF8_STRING"], |_| Reply::Silence);
        until(&mut events, |event| matches!(event, DeskEvent::Live(Live::Theirs(_)))).await;
        let took = owner.saves();
        let most = Duration::from_millis(if marks { 240 } else { 1_500 });
        assert!(took < most, "{took:?}");
    }
}

#[tokio::test]
async fn a_marked_copy_that_is_gone_before_it_is_read_is_not_spoken_of() {
    let display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let manager = Owner::on(&display);
    manager.copies(&["UTF8_STRING", mime::DO_NOT_RECORD], |_| Reply::Silence);
    yadori_e2e::until("a look at the hint", || {
        manager.asked().iter().any(|name| name == mime::DO_NOT_RECORD).then_some(())
    });
    manager.close();
    let refused = next_refusal(&mut events).await;
    assert_eq!((refused.reason, refused.source.program), (RefusedBecause::DoNotRecord, None));
}

/// A password manager that is closed: it empties the clipboard with a copy of nothing, and answers no more.
#[tokio::test]
async fn what_a_program_that_marks_its_copies_does_not_hand_over_is_not_spoken_of_either() {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let (_desk, mut events) = desk_on(&display).await;
    let manager = Owner::on(&display);
    manager.copy(&[("UTF8_STRING", b"marmot-ridge-47"), (mime::DO_NOT_RECORD, b"secret")]);
    next_refusal(&mut events).await;
    manager.copies(&["UTF8_STRING"], |_| Reply::Silence);
    let refused = next_refusal(&mut events).await;
    assert_eq!((refused.reason, refused.source.program), (RefusedBecause::DoNotRecord, None));
    // Another program's is spoken of.
    display.copy_text("between");
    next_copy(&mut events).await;
    let other = Owner::on(&display);
    other.copies(&["UTF8_STRING"], |_| Reply::Silence);
    assert_eq!(next_refusal(&mut events).await.reason, RefusedBecause::Unreadable);
}
