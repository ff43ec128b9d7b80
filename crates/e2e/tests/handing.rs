//! Handing back over any program: chords paste by place, and open a picker in which a few letters and a key paste where the
//! cursor was. Real keys on a real display, into a real browser.

use std::time::{Duration, Instant};

use anyhow::Result;
use serde_json::json;
use x11rb::connection::Connection as _;
use x11rb::protocol::xproto::{ConnectionExt as _, ImageFormat};
use yadori_api::CaptureState;
use yadori_e2e::form::Form;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::{Browser, Display, Service, until};

/// One at a time: each has a display, a browser and a service.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

#[tokio::test]
async fn a_chord_and_a_digit_paste_the_clip_that_stands_at_that_place() -> Result<()> {
    let _turn = TURN.lock().await;
    let form = Form::open(1).await?;
    let texts: Vec<String> = (1..=10).map(|n| format!("clip number {n}")).collect();
    form.service.add(&texts.iter().rev().map(String::as_str).collect::<Vec<_>>());
    until("the chords", || (!form.service.yadori(&["chords"]).contains("not heard")).then_some(()));
    for n in 0..30 {
        let place = n * 7 % 10 + 1;
        form.keyboard.press(&format!("ctrl+alt+{}", place % 10))?;
        form.holds(&texts[place - 1]).await?;
    }
    // Three in a row, as fast as keys go.
    for place in [3, 1, 2] {
        form.keyboard.press(&format!("ctrl+alt+{place}"))?;
    }
    form.holds("clip number 3clip number 1clip number 2").await?;
    assert_eq!(form.keyboard.keys_down()?, 0);
    assert_eq!(form.display.paste_text().as_deref(), Some("clip number 2"));
    Ok(())
}

#[tokio::test]
async fn a_few_letters_and_enter_paste_where_the_cursor_was_and_no_key_goes_astray() -> Result<()> {
    let _turn = TURN.lock().await;
    let form = Form::open(1).await?;
    form.service.add(&["the kestrel hut", "oats and honey", "bunks for twelve", "ridge path closed"]);
    for (letters, wanted) in [
        ("kest", "the kestrel hut"),
        ("oats and", "oats and honey"),
        ("", "ridge path closed"),
        ("bunks", "bunks for twelve"),
        ("hut", "the kestrel hut"),
    ] {
        form.picks(letters, &["Return"], wanted).await?;
    }
    form.picks_often(9).await?;
    // Thought better of before the picker is there: what follows the key that closes it is nobody's.
    let before = form.display.paste_text();
    form.front()?;
    form.keyboard.press("ctrl+alt+y")?;
    form.keyboard.type_text("oats")?;
    for key in ["Escape", "Escape", "Return"] {
        form.keyboard.press(key)?;
    }
    // On a busy machine it may have come and gone between two looks.
    let end = Instant::now() + Duration::from_secs(8);
    while !form.picker_is_open() && Instant::now() < end {}
    until("the picker to close", || (!form.picker_is_open()).then_some(()));
    assert_eq!(form.display.paste_text(), before);
    assert_eq!(form.keyboard.keys_down()?, 0);
    assert_eq!(form.values().await?, [""]);
    Ok(())
}

#[tokio::test]
async fn what_is_copied_while_a_paste_waits_for_the_keys_is_kept_and_not_pasted() -> Result<()> {
    let _turn = TURN.lock().await;
    let form = Form::open(1).await?;
    let ids = form.service.add(&["what is meant"]);
    let owner = yadori_e2e::Owner::on(&form.display);
    for n in 0..9 {
        let (before, between) = (format!("copied before {n}"), format!("copied in between {n}"));
        form.service.yadori(&["bring-up", &ids[0]]);
        owner.copy_text(&before);
        form.service.await_clip(&before);
        // A key of the person's that stays down: it would be repeated into the program.
        form.keyboard.down("a")?;
        form.keyboard.press("BackSpace")?;
        form.keyboard.down("ctrl+alt+2")?;
        until("it is taken", || form.display.paste_text().filter(|text| text == "what is meant"));
        owner.copy_text(&between);
        form.service.await_clip(&between);
        form.keyboard.up("ctrl+alt+2")?;
        form.keyboard.up("a")?;
        form.browser.until("return document.getElementById('f0').value.includes('what is meant')").await?;
        let values = form.values().await?;
        assert!(!values[0].contains("between"), "{values:?}");
        form.browser.script("document.getElementById('f0').value = ''").await?;
    }
    // What a paste gives now, status says.
    let live = form.display.paste_text().unwrap_or_default();
    until("the status", || form.service.yadori(&["status"]).contains(&live).then_some(()));
    Ok(())
}

#[tokio::test]
async fn the_picker_only_puts_on_the_clipboard_with_tab_and_stays_open_for_several() -> Result<()> {
    let _turn = TURN.lock().await;
    let form = Form::open(1).await?;
    form.service.add(&["one", "two", "three"]);
    form.keyboard.press("ctrl+alt+y")?;
    form.keyboard.press("Down")?;
    form.keyboard.press("Tab")?;
    until("the clipboard", || form.display.paste_text().filter(|text| text == "two"));
    assert_eq!(form.values().await?, [""]);
    form.front()?;
    form.keyboard.press("ctrl+alt+y")?;
    form.keyboard.press("ctrl+s")?;
    form.keyboard.press("Return")?;
    form.browser.until("return document.getElementById('f0').value === 'three'").await?;
    let is_picker = |window: &yadori_e2e::keyboard::Window| window.title == "Yadori";
    let picker = form.keyboard.windows()?.into_iter().find(is_picker).expect("the picker is still open");
    until("the picker in front", || (form.keyboard.active().ok()? == picker.id).then_some(()));
    // What arrives changes nothing of what the next key takes.
    form.service.add(&["a newer one"]);
    form.keyboard.press("Down")?;
    form.keyboard.press("Return")?;
    form.browser.until("return document.getElementById('f0').value === 'threetwo'").await?;
    until("the picker in front", || (form.keyboard.active().ok()? == picker.id).then_some(()));
    form.keyboard.press("Escape")?;
    until("the picker to close", || {
        form.keyboard.windows().ok()?.iter().all(|window| !is_picker(window)).then_some(())
    });
    assert_eq!(form.values().await?, ["threetwo"]);
    Ok(())
}

#[tokio::test]
async fn a_clip_is_taken_in_another_shape_and_files_that_are_gone_are_named() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.await_keeping();
    let dir = tempfile::tempdir()?;
    let (there, gone) = (dir.path().join("permit.pdf"), dir.path().join("gone.txt"));
    std::fs::write(&there, "a permit")?;
    std::fs::write(&gone, "a note")?;
    let names = [there.to_string_lossy(), gone.to_string_lossy()];
    service.yadori(&["add", "--reference", &names[0], &names[1]]);
    std::fs::remove_file(&gone)?;
    let words = service.yadori(&["take", "1", "--as", "names"]);
    assert!(words.contains(&format!("Not there any more: {}", names[1])), "{words}");
    assert!(!words.contains("any more: permit"), "{words}");
    assert_eq!(display.paste_text().as_deref(), Some("permit.pdf\ngone.txt"));
    service.yadori(&["take", "1", "--as", "paths"]);
    assert_eq!(display.paste_text(), Some(names.join("\n")));
    // A picture in another encoding, and smaller.
    let picture = dir.path().join("map.png");
    image::RgbImage::from_fn(200, 100, |x, y| {
        image::Rgb([u8::try_from(x).unwrap_or(0), u8::try_from(y).unwrap_or(0), 90])
    })
    .save(&picture)?;
    service.yadori(&["add", "--file", &picture.to_string_lossy()]);
    service.yadori(&["take", "1", "--as", "jpeg", "--most", "50"]);
    let jpeg = display.paste("image/jpeg").unwrap_or_default();
    let made = image::load_from_memory_with_format(&jpeg, image::ImageFormat::Jpeg)?;
    assert_eq!((made.width(), made.height()), (50, 25));
    // As a file, for a file manager: there for as long as the clip is.
    service.yadori(&["title", "1", "Route map"]);
    service.yadori(&["take", "1", "--as", "file"]);
    let list = String::from_utf8(display.paste("text/uri-list").unwrap_or_default())?;
    let path = list.trim().strip_prefix("file://").unwrap_or_default().replace("%20", " ");
    assert!(path.ends_with("/Route map.png"), "{list}");
    assert_eq!(std::fs::read(&path)?, std::fs::read(&picture)?);
    assert_eq!(
        display.paste("x-special/gnome-copied-files"),
        Some(format!("copy\n{}", list.trim()).into_bytes())
    );
    service.yadori(&["remove", "1"]);
    until("the file to go", || (!std::path::Path::new(&path).exists()).then_some(()));
    service.yadori(&["undo"]);
    // Formatted words and a titled link as Markdown.
    let html = dir.path().join("a.html");
    let (first, second) = ("<h1>Huts</h1><ul><li><b>Kestrel</b></li></ul>", "<p>Huts<br>Kestrel</p>");
    std::fs::write(&html, first)?;
    let also = format!("--also=text/html={}", html.display());
    service.yadori(&["add", &also, "--", "Huts\nKestrel"]);
    service.yadori(&["take", "1", "--as", "markdown"]);
    let text = display.paste_text().unwrap_or_default();
    assert!(text.starts_with("# Huts") && text.contains("**Kestrel**"), "{text}");
    // What an earlier copy of the same words offered.
    std::fs::write(&html, second)?;
    service.yadori(&["add", &also, "--", "Huts\nKestrel"]);
    service.yadori(&["take", "1", "--as-copied"]);
    assert_eq!(display.paste("text/html").as_deref(), Some(second.as_bytes()));
    service.yadori(&["take", "1", "--as-copied", "--earlier", "1"]);
    assert_eq!(display.paste("text/html").as_deref(), Some(first.as_bytes()));
    let words = service.yadori(&["take", "1", "--tidy", "upper,one-line", "--preview"]);
    assert_eq!(words.trim(), "HUTS KESTREL");
    service.yadori(&["add", "https://example.org/map"]);
    service.yadori(&["title", "1", "The map"]);
    service.yadori(&["take", "1", "--as", "markdown"]);
    assert_eq!(display.paste_text().as_deref(), Some("[The map](<https://example.org/map>)"));
    // What has no such shape says so, and the clipboard is as it was.
    for (arguments, words) in [
        (&["take", "1", "--as", "png"][..], "holds no picture"),
        (&["take", "1", "--as", "file"], "holds no picture"),
        (&["take", "1", "--as", "paths"], "holds no files"),
        (&["take", "1", "--earlier", "7"], "no earlier copy 7"),
        (&["take", "1", "--tidy", "tirm", "--preview"], "did you mean `trim`"),
        (&["take", "1", "--most", "9"], "--as"),
    ] {
        let done = service.client(arguments);
        let said = String::from_utf8_lossy(&done.stderr);
        assert!(!done.status.success() && said.contains(words), "{arguments:?}: {said}");
    }
    assert_eq!(display.paste_text().as_deref(), Some("[The map](<https://example.org/map>)"));
    Ok(())
}

#[tokio::test]
async fn a_chord_that_is_not_heard_or_does_nothing_is_named_in_status_and_console() -> Result<()> {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display)?;
    let _holder = yadori_e2e::keyboard::hold(&display, "ctrl+alt+3")?;
    let service = Service::on(&display.name());
    until("the chords", || (!service.status()?.chords.is_empty()).then_some(()));
    let words = service.yadori(&["status"]);
    assert!(words.contains("Ctrl+Alt+3") && words.contains("another program holds it"), "{words}");
    let words = service.yadori(&["chords"]);
    assert!(words.contains("yadori take 3 --paste"), "{words}");
    let browser = Browser::console(&service).await?;
    browser
        .until("return document.querySelector('[data-unheard]')?.textContent.includes('Ctrl Alt 3')")
        .await?;
    keyboard.press("ctrl+alt+5")?;
    browser
        .until("return document.querySelector('[data-hitch]')?.textContent.includes('no clip at place 5')")
        .await?;
    browser
        .until("return document.querySelector('[data-said]').textContent.includes('no clip at place 5')")
        .await?;
    browser.press("?").await?;
    browser.until("return document.querySelector('[data-chords]')?.textContent.includes('another program holds it')").await?;
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_clip_is_pasted_by_the_client_and_what_cannot_be_is_said() -> Result<()> {
    let _turn = TURN.lock().await;
    let mut form = Form::open(1).await?;
    form.service.add(&["by the client"]);
    assert!(form.service.yadori(&["take", "1", "--paste"]).starts_with("Pasted: "));
    form.holds("by the client").await?;
    let taken: serde_json::Value =
        serde_json::from_str(&form.service.yadori(&["take", "1", "--paste", "--json"]))?;
    assert_eq!(taken["pasted"], json!(true));
    form.holds("by the client").await?;
    // Tidied on the way; a tidying that does not exist leaves the clipboard as it is.
    form.service.add(&["1. oats\n2. gas"]);
    form.service.yadori(&["take", "1", "--paste", "--tidy", "unlist,one-line"]);
    form.holds("oats gas").await?;
    let done = form.service.client(&["take", "1", "--tidy", "unlsit"]);
    let words = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(!done.status.success() && words.contains("did you mean `unlist`?"), "{words}");
    assert_eq!(form.display.paste_text().as_deref(), Some("oats gas"));
    // A program that pastes by other keys than anybody knows.
    form.display.run("xterm", &["-class", "Deaf"]);
    form.keyboard.focus("it", |window| window.class == "Deaf")?;
    let done = form.service.client(&["take", "1", "--paste"]);
    let (status, words) = (done.status.code(), String::from_utf8_lossy(&done.stderr).into_owned());
    assert_eq!(status, Some(1));
    assert!(words.contains("did not ask for it") && words.contains("paste it as you usually do"), "{words}");
    form.keyboard.press("ctrl+alt+5")?;
    until("the hitch", || form.service.yadori(&["status"]).contains("no clip at place 5").then_some(()));
    Ok(())
}

/// Pixels of this color on the screen.
fn colored(display: &Display, color: [u8; 3]) -> Result<usize> {
    let (conn, screen) = x11rb::connect(Some(&display.name()))?;
    let root = &conn.setup().roots[screen];
    let (width, height) = (root.width_in_pixels, root.height_in_pixels);
    let seen = conn.get_image(ImageFormat::Z_PIXMAP, root.root, 0, 0, width, height, u32::MAX)?.reply()?.data;
    let near = |one: u8, wanted: u8| one.abs_diff(wanted) < 6;
    let is = |pixel: &[u8]| near(pixel[2], color[0]) && near(pixel[1], color[1]) && near(pixel[0], color[2]);
    Ok(seen.chunks_exact(4).filter(|pixel| is(pixel)).count())
}

#[tokio::test]
async fn what_was_typed_into_a_terminal_before_its_picker_came_counts() -> Result<()> {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display)?;
    let service = Service::on(&display.name());
    service.add(&["oats and honey", "bunks for twelve", "ridge path closed"]);
    // The picker comes once the terminal has a whole line for it.
    let script = format!(
        "until read -t 0; do sleep 0.02; done; YADORI_HOME='{}' exec '{}/yadori' pick",
        service.home().display(),
        yadori_e2e::programs().display()
    );
    display.run("xterm", &["-T", "Picking", "-e", "bash", "-c", &script]);
    keyboard.focus("the terminal", |window| window.title == "Picking")?;
    keyboard.type_text("oats")?;
    keyboard.press("Return")?;
    until("the clip that was found", || display.paste_text().filter(|text| text == "oats and honey"));
    until("the picker to close", || {
        keyboard.windows().ok()?.iter().all(|window| window.title != "Picking").then_some(())
    });
    Ok(())
}

#[tokio::test]
async fn everything_in_the_terminals_picker_is_done_by_keys_pointer_and_wheel() -> Result<()> {
    let _turn = TURN.lock().await;
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display)?;
    let service = Service::on(&display.name());
    let dir = tempfile::tempdir()?;
    let editor = dir.path().join("editor");
    std::fs::write(&editor, "#!/bin/sh\nprintf 'and edited' >> \"$1\"\n")?;
    std::fs::set_permissions(&editor, std::os::unix::fs::PermissionsExt::from_mode(0o755))?;
    let picture = dir.path().join("red.png");
    image::RgbImage::from_pixel(200, 100, image::Rgb([200, 30, 40])).save(&picture)?;
    service.add(&["last", "sixth", "fifth", "fourth", "third\nof all"]);
    service.yadori(&["add", "--file", &picture.to_string_lossy()]);
    service.add(&["first"]);
    let script = format!(
        "YADORI_HOME='{}' EDITOR='{}' exec '{}/yadori' pick",
        service.home().display(),
        editor.display(),
        yadori_e2e::programs().display()
    );
    let terminal = [
        "-T",
        "Picking",
        "-fa",
        "monospace",
        "-fs",
        "10",
        "-geometry",
        "90x30+0+0",
        "-e",
        "sh",
        "-c",
        &script,
    ];
    display.run("xterm", &terminal);
    keyboard.focus("the picker", |window| window.title == "Picking")?;
    // The picture is seen among the rows.
    until("the picture", || colored(&display, [200, 30, 40]).ok().filter(|count| *count > 3_000));
    let newest = |wanted: &str| {
        until(wanted, || (service.acts().first().map(|act| act.0.as_str()) == Some(wanted)).then_some(()));
    };
    // What is pressed before the picker has heard of the act takes nothing back.
    let undo = || {
        until("it to be taken back", || {
            keyboard.press("ctrl+z").ok()?;
            (0..200).any(|_| service.acts().is_empty()).then_some(())
        });
    };
    let pasted = |wanted: &str| until(wanted, || display.paste_text().filter(|text| text == wanted));
    keyboard.press("ctrl+s")?;
    keyboard.press("ctrl+p")?;
    newest("pin");
    undo();
    keyboard.press("Delete")?;
    newest("remove");
    undo();
    until("it is listed again", || service.list(1).first().filter(|row| row.head == "first").cloned());
    // A key with Alt is no letter: the second is the picture, the third is the one below it.
    // Pressed before the screen has followed, it takes another one: then it is pressed again.
    until("the third", || {
        keyboard.press("alt+3").ok()?;
        (0..40).find_map(|_| display.paste_text().filter(|text| text == "third\nof all"))
    });
    for key in ["Down", "Down", "ctrl+t"] {
        keyboard.press(key)?;
    }
    keyboard.type_text("upp")?;
    keyboard.press("space")?;
    keyboard.type_text("one")?;
    keyboard.press("space")?;
    keyboard.press("Return")?;
    pasted("THIRD OF ALL");
    keyboard.press("ctrl+g")?;
    newest("new-batch");
    keyboard.press("ctrl+n")?;
    pasted("third\nof all");
    // The wheel marks, a click takes: the fourth row stands below the picture's five lines.
    let pointer = yadori_e2e::pointer::Pointer::of(&display)?;
    pointer.move_to((300, 150))?;
    pointer.click(4)?;
    pointer.click(5)?;
    keyboard.press("Return")?;
    pasted("fourth");
    let lines =
        keyboard.windows()?.into_iter().find(|window| window.title == "Picking").map(|window| window.id);
    let (height, top) = size_of(&display, lines.unwrap_or_default())?;
    let line = |n: i32| top + (2 * n + 1) * height / 60;
    pointer.move_to((300, line(2 + 1 + 5 + 2)))?;
    pointer.click(1)?;
    pasted("fifth");
    // Letters and the editor.
    keyboard.type_text("sixth")?;
    keyboard.press("ctrl+e")?;
    service.await_clip("sixthand edited");
    keyboard.press("ctrl+o")?;
    keyboard.press("Escape")?;
    // What has been changed is listed, and marked for what comes next.
    until("the changed one", || {
        keyboard.press("Return").ok()?;
        display.paste_text().filter(|text| text == "sixthand edited")
    });
    // What is listed is cleared once that is confirmed; the answer that keeps everything is the one that is offered.
    keyboard.press("alt+3")?;
    let ink = || colored(&display, [0, 0, 0]).unwrap_or_default();
    // Looked at a few times: a busy machine draws in steps.
    let at_rest = || {
        let (mut before, mut same) = (ink(), 0);
        until("the screen at rest", || {
            let now = ink();
            same = if std::mem::replace(&mut before, now) == now { same + 1 } else { 0 };
            (same > 5).then_some(())
        });
    };
    at_rest();
    let asked = || -> Result<()> {
        let before = ink();
        keyboard.press("ctrl+l")?;
        until("the question", || (ink() != before).then_some(()));
        Ok(())
    };
    let acts = service.acts();
    asked()?;
    keyboard.press("Return")?;
    keyboard.press("ctrl+b")?;
    until("the pause", || (service.status()?.capture.state == CaptureState::Paused).then_some(()));
    assert_eq!(service.acts(), acts);
    keyboard.press("ctrl+b")?;
    until("the end of the pause", || {
        (service.status()?.capture.state == CaptureState::Keeping).then_some(())
    });
    let there = service.list(20).len();
    let cleared = || service.acts().first().is_some_and(|act| act.0 == "clear");
    // What is pressed before the question stands is nobody's.
    at_rest();
    asked()?;
    at_rest();
    keyboard.press("Down")?;
    keyboard.press("alt+2")?;
    until("what is listed to be cleared", || cleared().then_some(()));
    // The act is there before its clips have gone.
    until("fewer clips", || (service.list(20).len() < there).then_some(()));
    // While the question still stands on the screen, keys are its own; what was pressed and counted takes a moment, and is
    // not pressed again: it would take back what was done before.
    at_rest();
    until("the clearing to be taken back", || {
        keyboard.press("ctrl+z").ok()?;
        (0..400).any(|_| !cleared()).then_some(())
    });
    until("all of them again", || (service.list(20).len() == there).then_some(()));
    Ok(())
}

/// The height of a window and where it begins, in pixels.
fn size_of(display: &Display, window: u32) -> Result<(i32, i32)> {
    let (conn, screen) = x11rb::connect(Some(&display.name()))?;
    let root = conn.setup().roots[screen].root;
    let size = conn.get_geometry(window)?.reply()?;
    let at = conn.translate_coordinates(window, root, 0, 0)?.reply()?;
    Ok((size.height.into(), at.dst_y.into()))
}
