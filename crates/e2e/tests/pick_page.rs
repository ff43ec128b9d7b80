//! The picker as a page of the console: opened by its chord in a browser's window without a frame, or by hand. Real keys on
//! a real display, a real pointer, and the rules of accessibility.

use std::time::{Duration, Instant};

use anyhow::Result;
use yadori_e2e::form::Form;
use yadori_e2e::journey::call;
use yadori_e2e::until;

/// One at a time: each has a display, a browser and a service.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

/// A form, and the browser of a person at work, which runs already and shows the picker's page in a window of its own.
async fn opened() -> Result<(Form, tempfile::TempDir)> {
    let profile = tempfile::Builder::new().prefix("yadori-browser-").tempdir()?;
    let data = format!("--user-data-dir={}", profile.path().display());
    let words = format!("'chromium', '--no-sandbox', '{data}', '--app={{page}}', '--window-size=760,620'");
    let mut form = Form::with_settings(1, &format!("[picker]\ncommand = [{words}]\n")).await?;
    let usual = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-dev-shm-usage", &data];
    form.display.run("chromium", &[&usual[..], &["data:text/html,<title>at work</title>"]].concat());
    form.keyboard.focus("the browser", |window| window.title.starts_with("at work"))?;
    form.front()?;
    Ok((form, profile))
}

fn picker_is_open(form: &Form) -> bool {
    form.keyboard.windows().is_ok_and(|all| all.iter().any(|window| window.title.contains("Picker")))
}

#[tokio::test]
async fn a_chord_opens_the_page_and_a_few_letters_and_enter_paste_where_the_cursor_was() -> Result<()> {
    let _turn = TURN.lock().await;
    let (form, _profile) = opened().await?;
    form.service.add(&["the kestrel hut", "oats and honey", "bunks for twelve", "ridge path closed"]);
    for (letters, keys, wanted) in [
        ("kest", &["Return"][..], "the kestrel hut"),
        ("oats and", &["Return"], "oats and honey"),
        ("", &["Return"], "ridge path closed"),
        ("", &["Down", "Down", "Return"], "oats and honey"),
        ("hut", &["Return"], "the kestrel hut"),
        ("", &["alt+3"], "oats and honey"),
    ] {
        form.front()?;
        let began = Instant::now();
        form.keyboard.press("ctrl+alt+y")?;
        for (n, letter) in (0u32..).zip(letters.chars()) {
            let at = Duration::from_secs(1) * n / 15;
            until("the next key", || (began.elapsed() >= at).then_some(()));
            form.keyboard.press(&if letter == ' ' { "space".to_owned() } else { letter.to_string() })?;
        }
        for key in keys {
            form.keyboard.press(key)?;
        }
        form.holds(wanted).await?;
        until("the picker to close", || (!picker_is_open(&form)).then_some(()));
    }
    // One sign-in for all of them.
    let socket = form.service.home().join("run/yadori.sock");
    let browsers = call(&socket, "GET", "/sign-ins", None).expect("an answer");
    assert_eq!(browsers["browsers"].as_array().map(Vec::len), Some(1));
    assert_eq!(form.keyboard.keys_down()?, 0);
    assert_eq!(form.values().await?, [""]);
    Ok(())
}
