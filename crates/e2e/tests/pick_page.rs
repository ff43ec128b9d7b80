//! The picker as a page of the console: opened by its chord in a browser's window without a frame, or by hand. Real keys on
//! a real display, a real pointer, and the rules of accessibility.

use std::time::Duration;

use anyhow::Result;
use serde_json::json;
use yadori_api::CaptureState;
use yadori_e2e::form::Form;
use yadori_e2e::journey::call;
use yadori_e2e::pointer::Pointer;
use yadori_e2e::{Browser, Display, Owner, Service, until};

const DOWN: &str = "\u{e015}";
const ENTER: &str = "\u{e007}";
const ESCAPE: &str = "\u{e00c}";
const DELETE: &str = "\u{e017}";
const CONTROL_ENTER: &str = "\u{e009}\u{e007}\u{e000}";

/// One at a time: each has a display, a browser and a service.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

#[tokio::test]
async fn a_chord_opens_the_page_and_a_few_letters_and_enter_paste_where_the_cursor_was() -> Result<()> {
    let _turn = TURN.lock().await;
    let (form, _profile) = Form::with_picker_page().await?;
    form.service.add(&["the kestrel hut", "oats and honey", "bunks for twelve", "ridge path closed"]);
    for (letters, keys, wanted) in [
        ("", &["Return"][..], "ridge path closed"),
        ("oats and", &["Return"], "oats and honey"),
        ("", &["Down", "Down", "Return"], "oats and honey"),
        ("", &["alt+3"], "oats and honey"),
        ("hut", &["Return"], "the kestrel hut"),
    ] {
        form.picks(letters, keys, wanted).await?;
    }
    form.picks_often(6).await?;
    // One sign-in for all of them.
    let socket = form.service.home().join("run/yadori.sock");
    let browsers = call(&socket, "GET", "/sign-ins", None).expect("an answer");
    assert_eq!(browsers["browsers"].as_array().map(Vec::len), Some(1));
    assert_eq!(form.values().await?, [""]);
    Ok(())
}

/// A letter with Alt.
fn alt(letter: char) -> String {
    format!("\u{e00a}{letter}\u{e000}")
}

/// The page, opened by hand in a browser that is signed in.
async fn by_hand(service: &Service, display: Option<&str>, rows: usize) -> Result<Browser> {
    let browser = Browser::console_on(service, display).await?;
    browser.script("location.hash = '#/pick'").await?;
    browser
        .until(&format!("return document.activeElement.id === 'search' && document.querySelectorAll('[data-pick-row] [data-words]').length === {rows}"))
        .await?;
    Ok(browser)
}

/// Waits until this is marked.
async fn marked(browser: &Browser, words: &str) -> Result<()> {
    let script = format!(
        "return document.querySelector('[data-pick-row][aria-selected=true] [data-words]')?.textContent.trim() === {words:?}"
    );
    browser.until(&script).await?;
    // A screen reader is told the same.
    browser
        .until("return document.getElementById(document.activeElement.getAttribute('aria-activedescendant') ?? 'none')?.ariaSelected === 'true' || document.activeElement.id !== 'search'")
        .await?;
    Ok(())
}

fn newest_act(service: &Service, wanted: &str) {
    until(wanted, || service.acts().first().is_some_and(|act| act.0 == wanted).then_some(()));
}

#[tokio::test]
async fn everything_in_it_is_done_by_keys_alone() -> Result<()> {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["gas bottle", "  oats  \n  and honey", "kestrel hut", "bunks"]);
    let browser = by_hand(&service, None, 4).await?;
    marked(&browser, "bunks").await?;
    // Letters search; what is found is marked, and Esc empties the search.
    browser.press("kest").await?;
    marked(&browser, "kestrel hut").await?;
    browser.press(alt('p')).await?;
    newest_act(&service, "pin");
    browser.press(alt('z')).await?;
    until("it is taken back", || service.acts().is_empty().then_some(()));
    browser.press(alt('p')).await?;
    newest_act(&service, "pin");
    browser.press(DELETE).await?;
    newest_act(&service, "remove");
    browser.until("return document.querySelector('[data-empty]')").await?;
    browser.press(alt('z')).await?;
    marked(&browser, "kestrel hut").await?;
    // Del is about letters where there are some behind the caret.
    browser.press("\u{e012}\u{e012}").await?;
    browser.press(DELETE).await?;
    browser.until("return document.activeElement.value === 'ket'").await?;
    assert_eq!(service.acts().first().map(|act| act.0.clone()).as_deref(), Some("pin"));
    browser.press(ESCAPE).await?;
    marked(&browser, "bunks").await?;
    service.yadori(&["drawer", "new", "Huts"]);
    service.yadori(&["drawer", "put", "Huts", "4"]);
    for words in ["kestrel hut", "gas bottle", "bunks"] {
        browser.press(alt('f')).await?;
        marked(&browser, words).await?;
    }
    browser.press(alt('f').repeat(2)).await?;
    marked(&browser, "gas bottle").await?;
    browser.press(ESCAPE).await?;
    marked(&browser, "bunks").await?;
    // The whole of it, tidied, edited.
    browser.press(DOWN.repeat(2)).await?;
    browser.press(alt('o')).await?;
    browser.until("return document.querySelector('[data-whole]')?.textContent.includes('and honey')").await?;
    browser.press(ESCAPE).await?;
    browser.press(alt('t')).await?;
    browser.until("return document.querySelector('[data-tidying=plain]')").await?;
    browser.press("one").await?;
    browser.press(" ").await?;
    browser.press("upp").await?;
    browser.press(" ").await?;
    browser.until("return document.querySelector('[data-tidied]')?.textContent === 'OATS AND HONEY'").await?;
    browser.press(ENTER).await?;
    until("what was tidied", || display.paste_text().filter(|text| text == "OATS AND HONEY"));
    browser.press(alt('e')).await?;
    browser
        .until("return document.activeElement.tagName === 'TEXTAREA' && document.activeElement.value")
        .await?;
    browser.press(" pd").await?;
    browser.press(CONTROL_ENTER).await?;
    service.await_clip("  oats  \n  and honey pd");
    browser.until("return document.activeElement.id === 'search'").await?;
    // Into a batch, and out of it.
    browser.press(alt('g')).await?;
    newest_act(&service, "new-batch");
    browser.until("return document.querySelector('[data-batch]')?.textContent.includes('1 of 1')").await?;
    browser.press(alt('n')).await?;
    browser.until("return document.querySelector('[data-batch]')?.textContent.includes('end')").await?;
    // A digit takes what stands beside it.
    let second = browser
        .script("return document.querySelectorAll('[data-pick-row] [data-words]')[1].textContent.trim()")
        .await?;
    browser.press("\u{e00a}2\u{e000}").await?;
    until("the second", || display.paste_text().filter(|text| json!(text.trim()) == second));
    // What can't be asked says so, and nothing is let go of.
    browser.press("kind:song").await?;
    browser.until("return document.querySelector('[data-problem]')").await?;
    assert_eq!(browser.script("return document.activeElement.value").await?, json!("kind:song"));
    browser.press(format!("{ESCAPE}{ESCAPE}")).await?;
    browser
        .until("return location.hash === '#/history' && document.querySelector('#list[aria-busy=false]')")
        .await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn clearing_is_asked_about_with_the_safe_answer_first_and_pausing_is_one_key() -> Result<()> {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["gas bottle", "oats one", "oats two", "bunks"]);
    let browser = by_hand(&service, None, 4).await?;
    browser.press("oats").await?;
    marked(&browser, "oats two").await?;
    browser.press(alt('l')).await?;
    browser.until("return document.activeElement.matches('[data-question] [data-no]')").await?;
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    // The focus does not leave it, and Enter keeps everything.
    browser.press("\u{e004}\u{e004}").await?;
    browser.until("return document.activeElement.matches('[data-question] [data-no]')").await?;
    browser.press(ENTER).await?;
    browser
        .until("return document.activeElement.id === 'search' && document.activeElement.value === 'oats'")
        .await?;
    assert_eq!((service.list(9).len(), service.acts().len()), (4, 0));
    browser.press(alt('l')).await?;
    browser.until("return document.activeElement.matches('[data-question] [data-no]')").await?;
    browser.press(format!("\u{e004}{ENTER}")).await?;
    newest_act(&service, "clear");
    browser.until("return document.querySelector('[data-empty]')").await?;
    assert_eq!(service.list(9).len(), 2);
    browser.press(alt('z')).await?;
    marked(&browser, "oats two").await?;
    assert_eq!(service.list(9).len(), 4);
    let state = |wanted: CaptureState| {
        until("the pause", || (service.status()?.capture.state == wanted).then_some(()));
    };
    browser.press(alt('b')).await?;
    state(CaptureState::Paused);
    browser.until("return document.querySelector('[data-state]').textContent.includes('paused')").await?;
    browser.press(alt('b')).await?;
    state(CaptureState::Keeping);
    browser.until("return !document.querySelector('[data-state]').textContent.includes('paused')").await?;
    // Favorites are not cleared from here.
    browser.press(alt('f')).await?;
    browser.press(alt('l')).await?;
    browser.press(alt('f')).await?;
    browser.until("return !document.querySelector('[data-question]')").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn everything_in_it_is_done_by_a_pointer_alone() -> Result<()> {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let service = Service::on(&display.name());
    let ids = service.add(&["  gas bottle ", "oats", "kestrel hut"]);
    let browser = by_hand(&service, Some(&display.name()), 3).await?;
    let pointer = Pointer::of(&display)?;
    let click = async |selector: &str| -> Result<()> {
        browser.until(&format!("return document.querySelector({selector:?})")).await?;
        pointer.move_to(browser.place_of(selector).await?)?;
        pointer.click(1)
    };
    // A button by its label, found anew at each click.
    let press = async |label: &str| -> Result<()> {
        let mark = format!(
            "document.getElementById('meant')?.removeAttribute('id'); const one = [...document.querySelectorAll('[data-pick] button')].find((one) => (one.textContent.trim() + ' ').startsWith({label:?} + ' ') && !one.disabled); if (one) one.id = 'meant'; return Boolean(one)"
        );
        browser.until(&mark).await?;
        click("#meant").await
    };
    let row = |id: &str| format!("[data-pick-row='{id}']");
    // A click at a row takes it; its own button marks it, and what can be done is about that one.
    click(&format!("{} [data-words]", row(&ids[1]))).await?;
    until("the clipboard", || display.paste_text().filter(|text| text == "oats"));
    click(&format!("{} button", row(&ids[0]))).await?;
    browser
        .until(&format!("return document.querySelector(\"{}\").ariaSelected === 'true'", row(&ids[0])))
        .await?;
    press("Pin").await?;
    newest_act(&service, "pin");
    press("Tidy").await?;
    click("[data-clean-up=trim]").await?;
    press("To the clipboard").await?;
    until("what was tidied", || display.paste_text().filter(|text| text == "gas bottle"));
    press("Favorites").await?;
    browser.until("return document.querySelectorAll('[data-pick-row]').length === 1").await?;
    press("History").await?;
    browser.until("return document.querySelectorAll('[data-pick-row]').length === 3").await?;
    press("Whole").await?;
    browser
        .until("return document.querySelector('[data-whole]')?.textContent.includes('kestrel hut')")
        .await?;
    press("List").await?;
    press("Batch").await?;
    newest_act(&service, "new-batch");
    press("Next of it").await?;
    until("the batch's", || display.paste_text().filter(|text| text == "kestrel hut"));
    press("Remove").await?;
    newest_act(&service, "remove");
    press("Undo").await?;
    newest_act(&service, "new-batch");
    press("Clear").await?;
    click("[data-no]").await?;
    press("Pause").await?;
    press("Resume").await?;
    press("Plain").await?;
    press("Edit").await?;
    browser.until("return document.querySelector('[data-editor] textarea')?.value").await?;
    press("Discard").await?;
    press("Closes after").await?;
    press("Stays open").await?;
    press("Close").await?;
    browser.until("return location.hash === '#/history'").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn what_arrives_twenty_times_a_second_changes_nothing_of_what_a_key_takes() -> Result<()> {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let service = Service::on(&display.name());
    let texts: Vec<String> = (0..40).map(|n| format!("before {n:02}z")).collect();
    service.add(&texts.iter().map(String::as_str).collect::<Vec<_>>());
    let browser = by_hand(&service, None, 40).await?;
    let stop = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(false));
    let (own, owner) = (stop.clone(), Owner::on(&display));
    let copying = std::thread::spawn(move || {
        let mut n = 0;
        while !own.load(std::sync::atomic::Ordering::Relaxed) {
            n += 1;
            owner.copy_text(&format!("arrival {n}"));
            std::thread::sleep(Duration::from_millis(50));
        }
        n
    });
    for turn in 0..30 {
        browser.press(DOWN).await?;
        // Every third time it is looked for; the arrivals match as well.
        if turn % 3 == 2 {
            if turn > 2 {
                browser.press(ESCAPE).await?;
            }
            browser.press(format!("before {turn:02}z")).await?;
        }
        let words = browser
            .until("return document.querySelector('[data-pick-row][aria-selected=true] [data-words]')?.textContent.trim()")
            .await?;
        let words = if turn % 3 == 2 { json!(format!("before {turn:02}z")) } else { words };
        // A copy of the very same moment is told of, and the next press takes what is still marked.
        let said = format!(
            "const text = document.querySelector('[data-toast]')?.textContent ?? ''; return text.includes('same moment') ? 'again' : text.includes({words})"
        );
        for tries in 0.. {
            browser.press(ENTER).await?;
            let told = browser.until(&said).await;
            if told.as_ref().is_ok_and(|told| *told == json!("again")) && tries < 5 {
                continue;
            }
            if told.is_ok_and(|told| told == json!(true)) {
                break;
            }
            let there = "return [document.querySelector('[data-toast]')?.textContent, document.querySelector('[data-state]').textContent, document.activeElement.value, document.querySelector('[data-pick-row][aria-selected=true]')?.textContent]";
            anyhow::bail!("turn {turn}: {words} was marked; {:?}", browser.script(there).await?);
        }
    }
    stop.store(true, std::sync::atomic::Ordering::Relaxed);
    assert!(copying.join().expect("copies") > 60);
    Ok(())
}
