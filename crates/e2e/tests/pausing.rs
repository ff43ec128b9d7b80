//! Capture is paused and goes on: nothing that was copied meanwhile is anywhere, and nothing of it afterwards.

use std::time::Duration;

use anyhow::Result;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::traces::{in_files, in_memory};
use yadori_e2e::{Browser, Display, Owner, Service, until, until_within};

fn heads(service: &Service) -> Vec<String> {
    service.list(200).into_iter().map(|row| row.head).collect()
}

/// Words that are nowhere else, also not in this test's own arguments.
fn word(n: u32) -> String {
    format!("zephyr{}quill", n * 5_431)
}

#[test]
fn what_is_copied_while_it_is_paused_is_nowhere_and_can_still_be_pasted() {
    let mut display = Display::start();
    let mut service = Service::on(&display.name());
    let owner = Owner::on(&display);
    owner.copy_text("before");
    service.await_clip("before");
    let said = service.yadori(&["pause"]);
    assert!(said.contains("yadori resume"), "{said}");
    assert!(service.yadori(&["status"]).contains("paused until `yadori resume`"));
    // A program that stays, one that is closed, a real one.
    owner.copy_text(&word(1));
    until("a paste", || display.paste_text().filter(|text| *text == word(1)));
    let xclip = display.copy("UTF8_STRING", word(2).as_bytes());
    until("a paste", || display.paste_text().filter(|text| *text == word(2)));
    display.kill(xclip);
    owner.copy_text(&word(3));
    until("a paste", || display.paste_text().filter(|text| *text == word(3)));
    // Over a restart it stays so, and what lies on the clipboard at the start is not read.
    service.stop();
    service.start_again();
    service.await_records();
    assert!(service.yadori(&["status"]).contains("paused until"));
    assert_eq!(heads(&service), ["before"]);
    // Nor when it goes on.
    service.yadori(&["resume"]);
    owner.copy_text("after");
    service.await_clip("after");
    assert_eq!(heads(&service), ["after", "before"]);
    for n in 1..=3 {
        assert!(in_memory(service.pid(), &word(n)).is_empty(), "{n} is in memory");
        assert_eq!(in_files(service.home(), &word(n)), Vec::<std::path::PathBuf>::new());
    }
    assert!(service.status().is_some_and(|status| status.refusals.is_empty()));
    // What makes no sense says so.
    for (arguments, words) in [
        (&["resume"][..], "not paused"),
        (&["pause", "0m"], "no time"),
        (&["pause", "soon"], "15m"),
        (&["pause", "4000d"], "a year"),
    ] {
        let done = service.client(arguments);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && said.contains(words), "{arguments:?}: {said}");
    }
}

#[test]
fn whatever_is_copied_paused_and_resumed_in_whatever_order_only_what_was_meant_is_kept() {
    let display = Display::start();
    let service = Service::on(&display.name());
    let owner = Owner::on(&display);
    // Numbers that look random, the same in each run (xorshift).
    let mut dice = 0x9e37_79b9_u64;
    let mut roll = |below: u64| {
        dice ^= dice << 13;
        dice ^= dice >> 7;
        dice ^= dice << 17;
        dice % below
    };
    let (mut paused, mut kept): (bool, Vec<String>) = (false, Vec::new());
    for n in 0..160 {
        match roll(4) {
            0 if paused => {
                service.yadori(&["resume"]);
                paused = false;
            }
            0 => {
                // What was copied right before is still read; this one is of what comes.
                if let Some(last) = kept.last() {
                    service.await_clip(last);
                }
                service.yadori(&["pause"]);
                paused = true;
            }
            _ => {
                let text = format!("copy {n:03}");
                owner.copy_text(&text);
                if !paused {
                    service.await_clip(&text);
                    kept.push(text);
                }
            }
        }
    }
    if paused {
        service.yadori(&["resume"]);
    }
    owner.copy_text("the last one");
    service.await_clip("the last one");
    kept.push("the last one".to_owned());
    kept.reverse();
    assert_eq!(heads(&service), kept);
}

#[test]
fn a_pause_ends_by_itself_when_its_time_has_come() {
    let display = Display::start();
    let service = Service::on(&display.name());
    let owner = Owner::on(&display);
    let said = service.yadori(&["pause", "2s"]);
    assert!(said.contains("Paused until"), "{said}");
    owner.copy_text("meanwhile");
    until_within("the end of the pause", Duration::from_secs(20), || {
        service.yadori(&["status"]).contains("keeping copies").then_some(())
    });
    owner.copy_text("afterwards");
    service.await_clip("afterwards");
    assert_eq!(heads(&service), ["afterwards"]);
}

#[tokio::test]
async fn it_is_paused_by_a_chord_and_resumed_in_the_console() -> Result<()> {
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display)?;
    let service = Service::configured_on(&display.name(), "[chords]\npause = 'Ctrl+Alt+P'\n");
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelector('[data-capture=keeping]')").await?;
    keyboard.press("ctrl+alt+p")?;
    browser
        .until("return document.querySelector('[data-capture=paused]')?.textContent.includes('Paused')")
        .await?;
    browser.until("return document.title.startsWith('Paused · ')").await?;
    let owner = Owner::on(&display);
    owner.copy_text("meanwhile");
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    let button = browser.driver.find(thirtyfour::By::Css("[data-resume]")).await?;
    button.click().await?;
    browser.until("return document.querySelector('[data-capture=keeping]')").await?;
    owner.copy_text("afterwards");
    service.await_clip("afterwards");
    // For a time, in the console; the chord ends that as well.
    let one =
        browser.driver.find(thirtyfour::By::XPath("//*[@aria-label='Pause capture']//button[1]")).await?;
    one.click().await?;
    browser
        .until("return document.querySelector('[data-capture=paused]')?.textContent.includes('Paused until')")
        .await?;
    keyboard.press("ctrl+alt+p")?;
    browser.until("return document.querySelector('[data-capture=keeping]')").await?;
    assert_eq!(heads(&service), ["afterwards"]);
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}
