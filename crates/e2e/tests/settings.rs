//! What the configuration says of pasting, and that it can be read again: real keys on a real display, into a real browser.

use std::time::{Duration, Instant};

use anyhow::Result;
use yadori_e2e::form::Form;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::{Owner, until};

/// One at a time: each has a display, a browser and a service.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

#[tokio::test]
async fn what_is_pasted_is_cleaned_up_for_its_program_and_what_was_there_is_put_back() -> Result<()> {
    let _turn = TURN.lock().await;
    let form =
        Form::with_settings(1, "[paste]\nput_back = true\ntidy = { chromium = 'one-line,upper' }\n").await?;
    form.service.add(&["  oats\nand honey "]);
    let owner = Owner::on(&form.display);
    owner.copy_text("copied before");
    form.service.await_clip("copied before");
    form.keyboard.press("ctrl+alt+2")?;
    form.holds("OATS AND HONEY").await?;
    until("what was there before", || form.display.paste_text().filter(|text| text == "copied before"));
    // What was taken before is put back as it was taken.
    form.service.yadori(&["take", "1", "--tidy", "title"]);
    form.keyboard.press("ctrl+alt+2")?;
    form.holds("OATS AND HONEY").await?;
    until("what was taken before", || form.display.paste_text().filter(|text| text == "Copied Before"));
    // A batch's items go into the same program; what is said for one take, or taken as it was copied, is left alone.
    form.service.yadori(&["batch", "new", "--text", "  kestrel ", "--text", "ford"]);
    form.keyboard.press("ctrl+alt+n")?;
    form.holds("KESTREL").await?;
    form.service.yadori(&["take", "2", "--paste", "--tidy", "trim,one-line"]);
    form.holds("oats and honey").await?;
    form.service.yadori(&["take", "1", "--paste", "--as-copied"]);
    form.holds("copied before").await?;
    // Nothing of it was a new copy.
    assert_eq!(form.service.status().map(|status| status.clips), Some(2));
    Ok(())
}

#[tokio::test]
async fn the_configuration_is_read_again_and_a_mistake_leaves_everything_as_it_was() -> Result<()> {
    let _turn = TURN.lock().await;
    let form = Form::open(1).await?;
    form.service.add(&["one", "two"]);
    let file = form.service.home().join("config.toml");
    let chords = || form.service.yadori(&["chords"]);
    std::fs::write(&file, "[chords]\nplace = 'Super'\npicker = 'off'\n")?;
    let said = form.service.yadori(&["reread"]);
    assert!(said.contains("yadori chords"), "{said}");
    until("the new chords", || {
        Some(chords()).filter(|all| all.contains("Super+1") && !all.contains("Ctrl+Alt+1"))
    });
    form.keyboard.press("super+2")?;
    form.holds("one").await?;
    for (text, words) in [
        ("[chords]\nplace = 'Shift'\n", "lost for typing"),
        ("[chords]\npicker = 'Ctrl+Hyper'\n", "Hyper"),
        ("[paste]\ntidy = { Chromium = 'tirm' }\n", "did you mean `trim`"),
        ("[picker]\nform = 'window'\n", "terminal or console"),
        ("this is no TOML", "has a mistake"),
    ] {
        std::fs::write(&file, text)?;
        let done = form.service.client(&["reread"]);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(
            !done.status.success() && said.contains(words) && said.contains("as they were"),
            "{text}: {said}"
        );
    }
    form.keyboard.press("super+1")?;
    form.holds("two").await?;
    // A picker that can't be started is told of by its name, and at the next reading it can.
    std::fs::write(&file, "[picker]\ncommand = ['no-such-terminal']\n")?;
    form.service.yadori(&["reread"]);
    until("the old chords", || Some(chords()).filter(|all| all.contains("Ctrl+Alt+Y")));
    form.keyboard.press("ctrl+alt+y")?;
    until("the hitch", || {
        Some(form.service.yadori(&["status"])).filter(|words| words.contains("no-such-terminal"))
    });
    std::fs::remove_file(&file)?;
    form.service.yadori(&["reread"]);
    press_for_the_picker(&form.keyboard);
    Ok(())
}

#[tokio::test]
async fn chords_are_heard_where_their_keys_are_after_the_keyboard_was_changed() -> Result<()> {
    let _turn = TURN.lock().await;
    let mut form = Form::open(1).await?;
    form.service.add(&["one"]);
    form.keyboard.press("ctrl+alt+1")?;
    form.holds("one").await?;
    // Y and Z change places, and digits need Shift.
    form.display.run("setxkbmap", &["de"]);
    let keyboard = Keyboard::of(&form.display)?;
    // Its letters are where the new layout has them; what is pressed before it holds opens nothing.
    press_for_the_picker(&keyboard);
    keyboard.press("Escape")?;
    until("the picker to close", || {
        keyboard.windows().ok()?.iter().all(|window| window.title != "Yadori").then_some(())
    });
    form.front()?;
    form.keyboard.press("ctrl+alt+1")?;
    form.holds("one").await?;
    Ok(())
}

/// Presses the picker's chord until the picker is there. A press that was heard is given the time to show it: the next would
/// open another one.
fn press_for_the_picker(keyboard: &Keyboard) {
    const PRESS: Duration = Duration::from_secs(4);
    let mut pressed = None;
    until("the picker", || {
        if pressed.is_none_or(|at: Instant| at.elapsed() > PRESS) {
            keyboard.press("ctrl+alt+y").ok()?;
            pressed = Some(Instant::now());
        }
        keyboard.windows().ok()?.into_iter().find(|window| window.title == "Yadori")
    });
}
