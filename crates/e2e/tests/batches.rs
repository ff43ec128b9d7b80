//! Batches: gathered by real copies, split from one, and handed out by one chord into a browser's form; dropped from, put in
//! order, taken back; and going on at the same item after the service was killed.

use anyhow::Result;
use serde_json::Value;
use yadori_e2e::form::Form;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::{Display, Service, until};

/// One at a time: each has a display, a browser and a service.
static TURN: tokio::sync::Mutex<()> = tokio::sync::Mutex::const_new(());

fn shown(service: &Service) -> Value {
    serde_json::from_str(&service.yadori(&["batch", "--json"])).unwrap_or_default()
}

fn heads(service: &Service) -> Vec<String> {
    let all = shown(service);
    let items = all["items"].as_array().cloned().unwrap_or_default();
    items.iter().map(|item| item["head"].as_str().unwrap_or_default().to_owned()).collect()
}

fn handed(service: &Service) -> u64 {
    shown(service)["batch"]["handed"].as_u64().unwrap_or(u64::MAX)
}

/// What is said when something can't be done.
fn refused(service: &Service, arguments: &[&str]) -> String {
    let done = service.client(arguments);
    assert!(!done.status.success(), "{arguments:?} was done");
    String::from_utf8_lossy(&done.stderr).into_owned()
}

fn until_heard(service: &Service) {
    until("the chords", || (!service.yadori(&["chords"]).contains("not heard")).then_some(()));
}

#[tokio::test]
async fn twenty_fields_are_filled_by_twenty_presses_of_one_chord() -> Result<()> {
    let _turn = TURN.lock().await;
    let form = Form::open(20).await?;
    until_heard(&form.service);
    form.fill_by_chord(20, 3).await
}

#[tokio::test]
async fn records_are_told_apart_and_empty_fields_stay_empty() -> Result<()> {
    let _turn = TURN.lock().await;
    let form = Form::open(10).await?;
    until_heard(&form.service);
    let rows = "Hanna Quist\t14 May\t2\t\tKestrel Hut\nOle Brandt\t16 May\t3\tdog\tTern Hut\n";
    form.service.yadori(&["batch", "new", "--text", rows, "--split", "cells", "--after", "tab"]);
    let words = form.service.yadori(&["batch"]);
    assert!(words.contains("record 2") && words.contains("(record 1 of 2, field 1 of 5)"), "{words}");
    for _ in 0..10 {
        form.keyboard.press("ctrl+alt+n")?;
    }
    until("all of it", || (handed(&form.service) == 10).then_some(()));
    form.browser.until("return document.getElementById('f9').value === 'Tern Hut'").await?;
    let wanted: Vec<&str> = rows.trim_end().split(['\t', '\n']).collect();
    assert_eq!(form.values().await?, wanted);
    // Once more, the first record passed over.
    form.service.yadori(&["batch", "again"]);
    let words = form.service.yadori(&["batch", "skip", "--record"]);
    assert!(words.contains("Next is 6 of 10 (record 2 of 2, field 1 of 5): Ole Brandt"), "{words}");
    form.keyboard.press("ctrl+alt+n")?;
    until("the sixth", || (handed(&form.service) == 6).then_some(()));
    // At its end a press says so, and does nothing.
    form.service.yadori(&["batch", "from", "10"]);
    form.service.yadori(&["batch", "skip"]);
    let before = form.values().await?;
    form.keyboard.press("ctrl+alt+n")?;
    until("the word", || form.service.status()?.hitch.filter(|hitch| hitch.words.contains("at its end")));
    assert_eq!(form.values().await?, before);
    Ok(())
}

#[tokio::test]
async fn copies_join_a_batch_and_a_mistake_is_dropped_without_starting_over() -> Result<()> {
    let _turn = TURN.lock().await;
    let mut form = Form::open(1).await?;
    until_heard(&form.service);
    let copy = |form: &mut Form, text: &str, items: usize| {
        form.display.copy_text(text);
        form.service.await_clip(text);
        until("the item", || (heads(&form.service).len() == items).then_some(()));
    };
    form.display.copy_text("before");
    form.service.await_clip("before");
    form.keyboard.press("ctrl+alt+g")?;
    until("a batch", || form.service.status()?.batch.filter(|batch| batch.gathering));
    copy(&mut form, "Hanna Quist", 1);
    copy(&mut form, "a mistake", 2);
    form.service.yadori(&["batch", "drop", "--last"]);
    copy(&mut form, "14 May", 2);
    // The same once more: both are in it, and one in the history.
    copy(&mut form, "two nights", 3);
    copy(&mut form, "Hanna Quist", 4);
    form.keyboard.press("ctrl+alt+g")?;
    until("its end", || form.service.status()?.batch.filter(|batch| !batch.gathering));
    form.display.copy_text("after");
    form.service.await_clip("after");
    let wanted = ["Hanna Quist", "14 May", "two nights", "Hanna Quist"];
    assert_eq!(heads(&form.service), wanted);
    // Acts are taken back and made again.
    form.service.yadori(&["batch", "move", "4", "--before", "1"]);
    form.service.yadori(&["batch", "reverse"]);
    assert_eq!(heads(&form.service), ["two nights", "14 May", "Hanna Quist", "Hanna Quist"]);
    form.service.yadori(&["batch", "drop", "1"]);
    for _ in 0..3 {
        form.service.yadori(&["undo"]);
    }
    assert_eq!(heads(&form.service), wanted);
    // An item is its own: the clip it came from can go.
    form.service.yadori(&["remove", "1", "2", "3"]);
    form.service.yadori(&["undo"]);
    form.service.yadori(&["redo"]);
    let words = form.service.yadori(&["batch", "next"]);
    assert!(words.contains("A paste now gives 1 of 4: Hanna Quist"), "{words}");
    assert_eq!(form.display.paste_text().as_deref(), Some("Hanna Quist"));
    form.service.yadori(&["batch", "next"]);
    form.service.yadori(&["batch", "next"]);
    assert_eq!(form.display.paste_text().as_deref(), Some("two nights"));
    let words = form.service.yadori(&["status"]);
    assert!(words.contains("an item of a batch") || words.contains("two nights"), "{words}");
    assert!(words.contains("Next is 4 of 4: Hanna Quist"), "{words}");
    Ok(())
}

#[test]
fn a_service_that_is_killed_in_the_middle_goes_on_at_the_same_item() -> Result<()> {
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display)?;
    let mut service = Service::on(&display.name());
    // What is pasted into the terminal goes into a file, letter by letter.
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("pasted");
    let shell = format!("stty -icanon; cat > {}", file.display());
    display.run("xterm", &["-T", "notes", "-e", "sh", "-c", &shell]);
    keyboard.focus("the terminal", |window| window.title == "notes")?;
    let pasted = || std::fs::read_to_string(&file).unwrap_or_default();
    until("the terminal to read", || file.exists().then_some(()));
    let lines: Vec<String> = (1..=40).map(|n| format!("<{n}>")).collect();
    service.yadori(&["batch", "new", "--text", &lines.join("\n"), "--split", "lines"]);
    for n in 0..12 {
        until_heard(&service);
        keyboard.press("ctrl+alt+n")?;
        let wanted: String = lines[..=n].concat();
        until("the text", || (pasted() == wanted).then_some(()));
        if n % 3 == 0 {
            // The text stands there, so it is recorded that it was handed out.
            service.kill();
            service.start_again();
            service.await_records();
            assert_eq!(handed(&service), n as u64 + 1);
        }
    }
    // Killed in any moment of a paste: what was pasted is never handed out again, and one at most is passed over, which is
    // the one that the terminal had asked for.
    let mut passed_over = 0;
    for n in 0..20 {
        until_heard(&service);
        let before = usize::try_from(handed(&service))?;
        keyboard.press("ctrl+alt+n")?;
        let moment = std::time::Instant::now();
        until("the moment", || (moment.elapsed().as_millis() >= n * 2).then_some(()));
        service.kill();
        service.start_again();
        service.await_records();
        let after = usize::try_from(handed(&service))?;
        let there = pasted().matches(&lines[before]).count();
        assert!(after == before || after == before + 1, "{before} and then {after}");
        assert!(
            there == 0 || (there == 1 && after == before + 1),
            "{} is there {there} times, at {after}",
            lines[before]
        );
        passed_over += usize::from(there == 0 && after > before);
    }
    assert!(passed_over <= 5, "{passed_over} of 20 were passed over");
    Ok(())
}

#[tokio::test]
async fn what_can_t_be_done_with_a_batch_is_said_and_changes_nothing() -> Result<()> {
    let _turn = TURN.lock().await;
    let display = Display::start();
    let service = Service::on(&display.name());
    service.await_keeping();
    assert!(refused(&service, &["batch", "next"]).contains("yadori batch gather"));
    service.add(&["oats; gas; rope", "Name: Ole\nNights: 2"]);
    for (arguments, words) in [
        (&["batch", "new", "2", "--pattern", "/"][..], "matches nothing"),
        (&["batch", "new", "2", "--pattern", "("], "can't be read"),
        (&["batch", "new", "2", "--split", "lnies"], "did you mean `lines`"),
        (&["batch", "new", "2", "--split", "pairs"], "nothing in this text"),
        (&["batch", "new", "9"], "no clip answers"),
        (&["batch", "new"], "name clips"),
        (&["batch", "new", "1", "--after", "space"], "nothing, tab, enter"),
        (&["batch", "show"], "there is no batch"),
    ] {
        let said = refused(&service, arguments);
        assert!(said.contains(words), "{arguments:?}: {said}");
    }
    assert!(service.yadori(&["batch", "list"]).contains("There is no batch"));
    let many: String = (0..2_001).map(|n| format!("{n}\n")).collect();
    assert!(refused(&service, &["batch", "new", "--text", &many, "--split", "lines"]).contains("2000 items"));
    let words = service.yadori(&["batch", "new", "2", "--pattern", "; ", "--preview"]);
    assert!(words.contains("2  gas"), "{words}");
    service.yadori(&["batch", "new", "2", "--pattern", "; ", "--name", "Stores"]);
    service.yadori(&["batch", "new", "1", "--split", "pairs", "--name", "Permit"]);
    for (arguments, words) in [
        (&["batch", "drop", "3"][..], "no item 3"),
        (&["batch", "nth", "0"], "no item 0"),
        (&["batch", "back"], "at its beginning"),
        (&["batch", "move", "1", "--before", "9"], "no item 9"),
        (&["batch", "name", "stores"], "called stores already"),
        (&["batch", "tidy", "tirm"], "did you mean `trim`"),
        (&["batch", "next", "--batch", "x"], "there is: Permit, Stores"),
    ] {
        let said = refused(&service, arguments);
        assert!(said.contains(words), "{arguments:?}: {said}");
    }
    assert_eq!(heads(&service), ["Ole", "2"]);
    let words = service.yadori(&["batch", "take-up", "sto"]);
    assert!(words.contains("Next is 1 of 3: oats"), "{words}");
    service.yadori(&["batch", "tidy", "upper"]);
    service.yadori(&["batch", "next"]);
    assert!(service.yadori(&["batch"]).contains("tidied: upper"));
    service.yadori(&["batch", "remove", "--batch", "permit"]);
    assert!(service.yadori(&["undo"]).contains("batch removed"));
    assert!(service.yadori(&["batch", "list"]).contains("  Permit: 2 items, 2 left"));
    let words = service.yadori(&["join", "--batch", "-", "--list", "numbers"]);
    assert!(words.contains("1. oats\n2. gas\n3. rope"), "{words}");
    assert_eq!(service.list(1)[0].head, "1. oats\n2. gas\n3. rope");
    Ok(())
}

#[test]
fn a_backup_brings_batches_back_where_they_were() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["Name: Ole\nNights: 2\n\nName: Ida\nNights: 3"]);
    service.yadori(&["batch", "new", "1", "--split", "pairs", "--name", "Permits", "--after", "tab"]);
    service.yadori(&["batch", "skip"]);
    service.yadori(&["batch", "move", "4", "--before", "3"]);
    let file = service.home().join("all.tar");
    let file = file.to_str().unwrap_or_default();
    service.yadori(&["backup", file]);
    let mut other = Service::without_desk();
    other.await_records();
    other.yadori(&["restore", file]);
    assert_eq!(shown(&other), shown(&service));
    assert_eq!(handed(&other), 1);
    other.kill();
    other.start_again();
    other.await_records();
    assert_eq!(shown(&other), shown(&service));
    assert_eq!(
        other.yadori(&["join", "--batch", "Permits", "--with", "/", "--preview"]).trim(),
        "Ole/2/3/Ida"
    );
    Ok(())
}
