//! What is selected and not copied, recorded where that is wished: once, when it has been left alone, and as a copy is.

use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::Result;
use yadori_api::Kind;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::pointer::Pointer;
use yadori_e2e::{Browser, Compositor, Display, Service, until};

const PAGE: &str = "data:text/html,<body style='font:20px monospace'><p id=all><span id=from>Kestrel</span> Hut has 14 \
                    bunks, <span id=middle>three</span> of them kept for the <span id=to>wardens</span></p>";

fn heads(service: &Service) -> Vec<String> {
    service.list(100).into_iter().map(|row| row.head).collect()
}

/// Selects words; the program stays until others are selected.
fn select(mut command: Command, arguments: &[&str], text: &str) {
    use std::io::Write as _;
    command.args(arguments).stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::null());
    let mut child = command.spawn().expect("a program");
    child.stdin.take().expect("its input").write_all(text.as_bytes()).expect("its input");
    // It goes on by itself.
    assert!(child.wait().expect("its end").success());
}

fn for_a_while(time: Duration) {
    let began = Instant::now();
    until("a while", || (began.elapsed() > time).then_some(()));
}

#[tokio::test]
async fn one_movement_of_the_mouse_is_one_clip_and_the_clipboard_stays_as_it_is() -> Result<()> {
    let mut display = Display::start();
    Keyboard::managed(&mut display)?;
    let service = Service::on(&display.name());
    let browser = Browser::start(Some(&display.name())).await?;
    browser.driver.goto(PAGE).await?;
    let pointer = Pointer::of(&display)?;
    let drag = async || -> Result<()> {
        pointer.move_to(browser.place_of("body").await?)?;
        pointer.click(1)?;
        pointer.move_to(browser.place_of("#from").await?)?;
        pointer.press()?;
        pointer.move_to(browser.place_of("#middle").await?)?;
        browser.until("return getSelection().toString().includes('14 bunks')").await?;
        // The hand rests: the button is held, and it goes on.
        for_a_while(Duration::from_millis(900));
        pointer.move_to(browser.place_of("#to").await?)?;
        browser.until("return getSelection().toString().includes('kept for the w')").await?;
        pointer.release()
    };
    // Nothing of it is wished.
    drag().await?;
    display.copy_text("copied");
    service.await_clip("copied");
    assert_eq!(heads(&service), ["copied"]);
    service.yadori(&["settings", "set", "selection.keep", "true"]);
    drag().await?;
    until("what was selected", || heads(&service).iter().any(|head| head.contains("14 bunks")).then_some(()));
    let row = service.list(1).remove(0);
    assert!(row.head.contains("14 bunks") && row.head.contains("kept for the w"), "{row:?}");
    assert_eq!((row.kind, row.source.program.is_some()), (Kind::Text, true), "{row:?}");
    // A paste still gives what was copied.
    assert_eq!(display.paste_text().as_deref(), Some("copied"));
    assert!(service.status_words().contains("copied"), "{}", service.status_words());
    display.copy_text("after");
    service.await_clip("after");
    assert_eq!(heads(&service).len(), 3, "{:?}", heads(&service));
    service.yadori(&["settings", "set", "selection.keep", "false"]);
    drag().await?;
    display.copy_text("last");
    service.await_clip("last");
    assert_eq!(heads(&service).len(), 4, "{:?}", heads(&service));
    Ok(())
}

/// The same wishes hold as for what is copied.
fn what_is_wished_holds(service: &Service, select: impl Fn(&str), copy: impl Fn(&str)) {
    select("before it was wished");
    service.yadori(&["settings", "set", "selection.keep", "true"]);
    for n in 0..40 {
        select(&format!("Kestrel Hut, bunk {n}"));
    }
    service.await_clip("Kestrel Hut, bunk 39");
    let known = heads(service);
    assert!(known.len() < 40, "what was replaced at once is not recorded: {known:?}");
    assert!(!known.iter().any(|head| head.starts_with("before")), "{known:?}");
    // Neither while it is paused,
    service.yadori(&["pause"]);
    select("while it is paused");
    service.yadori(&["resume"]);
    for_a_while(Duration::from_millis(700));
    // nor what a rule refuses, nor a secret.
    service.yadori(&["rules", "add", "--content", "^door code"]);
    select("door code 4711");
    for_a_while(Duration::from_millis(700));
    copy("the end");
    service.await_clip("the end");
    let now = heads(service);
    assert_eq!(now.len(), known.len() + 1, "{now:?}");
}

#[test]
fn wishes_hold_for_what_is_selected_on_x11() {
    let display = Display::start();
    let service = Service::on(&display.name());
    let xclip = |which: &str, text: &str| {
        select(display.command("xclip"), &["-selection", which, "-in"], text);
    };
    what_is_wished_holds(&service, |text| xclip("primary", text), |text| xclip("clipboard", text));
}

#[test]
fn wishes_hold_for_what_is_selected_on_wayland() {
    let compositor = Compositor::start();
    let service = Service::on(&compositor.socket().display().to_string());
    let run = |arguments: &[&str], text: &str| select(compositor.command("wl-copy"), arguments, text);
    what_is_wished_holds(&service, |text| run(&["--primary"], text), |text| run(&[], text));
}

/// The compositor and its X server tell of the same selection.
#[test]
fn what_is_selected_on_a_desktop_that_has_both_is_recorded_once() {
    let compositor = Compositor::with_x();
    let both = format!("{} {}", compositor.socket().display(), compositor.x_display());
    let service = Service::on(&both);
    service.yadori(&["settings", "set", "selection.keep", "true"]);
    let by_x = |text: &str| {
        let mut command = Command::new("xclip");
        command.env("DISPLAY", compositor.x_display());
        select(command, &["-selection", "primary", "-in"], text);
    };
    for n in 0..6 {
        let text = format!("selected {n}");
        if n % 2 == 0 {
            by_x(&text);
        } else {
            select(compositor.command("wl-copy"), &["--primary"], &text);
        }
        service.await_clip(&text);
    }
    let rows = service.list(100);
    assert_eq!(rows.len(), 6, "{rows:?}");
    assert!(rows.iter().all(|row| row.copies == 1), "{rows:?}");
}
