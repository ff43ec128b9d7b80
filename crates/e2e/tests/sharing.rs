//! What a person arranges on one device stands on the others: batches with their items and order, and the intake rules.

use std::time::Duration;

use serde_json::Value;
use yadori_e2e::hub::{Hub, pair, until_exchanged};
use yadori_e2e::traces::in_files;
use yadori_e2e::{Display, Service, until_within};

#[track_caller]
fn until<T>(what: &str, look: impl FnMut() -> Option<T>) -> T {
    until_within(what, Duration::from_secs(60), look)
}

fn two() -> (Hub, Service, Service) {
    let hub = Hub::open();
    let (host, guest) = (Service::without_desk(), Service::without_desk());
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    (hub, host, guest)
}

/// Name, items and how many were handed out of the batch that is called so.
fn batch(service: &Service, name: &str) -> Option<(Vec<String>, u64)> {
    let shown = service.client(&["batch", "--batch", name, "--json"]);
    let shown: Value = serde_json::from_slice(&shown.stdout).ok()?;
    let items = shown["items"].as_array()?.iter();
    let items = items.map(|item| item["head"].as_str().unwrap_or_default().to_owned()).collect();
    Some((items, shown["batch"]["handed"].as_u64()?))
}

fn rules(service: &Service) -> Vec<String> {
    let all: Value = serde_json::from_str(&service.yadori(&["rules", "--json"])).unwrap_or_default();
    let all = all["rules"].as_array().cloned().unwrap_or_default();
    all.iter().map(|one| one["rule"]["program"].as_str().unwrap_or_default().to_owned()).collect()
}

/// No byte of these is at the hub.
fn unknown(hub: &mut Hub, words: &[&str]) {
    hub.stop();
    for word in words {
        assert!(in_files(hub.home(), word.as_bytes()).is_empty(), "the hub knows {word}");
    }
}

#[test]
fn batches_come_and_go_with_what_both_add_to_them() {
    let (mut hub, host, mut guest) = two();
    host.yadori(&["batch", "new", "--text", "Ole\nTurid\nAksel", "--split", "lines"]);
    host.yadori(&["batch", "name", "Guests"]);
    let guests = |names: &[&str]| Some(names.iter().map(|name| (*name).to_owned()).collect::<Vec<_>>());
    until("the batch", || {
        (batch(&guest, "Guests").map(|one| one.0) == guests(&["Ole", "Turid", "Aksel"])).then_some(())
    });
    // Handed out there; here it stands where it stood.
    guest.yadori(&["batch", "--batch", "Guests", "skip"]);
    until_exchanged(&[&host, &guest]);
    assert_eq!(batch(&guest, "Guests").map(|one| one.1), Some(1));
    assert_eq!(batch(&host, "Guests").map(|one| one.1), Some(0));
    // Both add and arrange while neither hears of the other, and one is killed.
    for one in [&host, &guest] {
        one.yadori(&["sync", "pause"]);
    }
    host.yadori(&["batch", "--batch", "Guests", "add", "--text", "Signe"]);
    host.yadori(&["batch", "--batch", "Guests", "move", "3", "--before", "1"]);
    guest.yadori(&["batch", "--batch", "Guests", "add", "--text", "Tor"]);
    guest.yadori(&["batch", "--batch", "Guests", "drop", "2"]);
    guest.kill();
    guest.start_again();
    guest.await_records();
    for one in [&host, &guest] {
        one.yadori(&["sync", "resume"]);
    }
    let both = until("what both made of it", || {
        let (here, there) = (batch(&host, "Guests")?.0, batch(&guest, "Guests")?.0);
        (here == there && here.len() == 4).then_some(here)
    });
    let mut names = both.clone();
    names.sort();
    assert_eq!(names, ["Aksel", "Ole", "Signe", "Tor"], "{both:?}");
    // Removed there, it is gone here; taken back, it is there again, with everything in it.
    guest.yadori(&["batch", "--batch", "Guests", "remove"]);
    until("its end", || batch(&host, "Guests").is_none().then_some(()));
    guest.yadori(&["undo"]);
    until("its coming back", || (batch(&host, "Guests")?.0 == both).then_some(()));
    until_exchanged(&[&host, &guest]);
    unknown(&mut hub, &["Turid", "Guests"]);
}

#[test]
fn a_large_text_in_a_batch_is_handed_out_elsewhere_and_what_does_not_travel_stays() {
    let hub = Hub::open();
    let valley = Display::start();
    let (host, guest) = (Service::without_desk(), Service::on(&valley.name()));
    host.yadori(&["settings", "set", "exchange.travels", "favorites"]);
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    // Larger than what stands in a record, and than a part of a blob.
    let long = "A guest list of the upper hut. ".repeat(60_000);
    let scratch = tempfile::tempdir().unwrap();
    let file = scratch.path().join("list.txt");
    std::fs::write(&file, &long).unwrap();
    host.yadori(&["add", "--file", &file.display().to_string()]);
    host.yadori(&["batch", "new", "1"]);
    host.yadori(&["batch", "name", "Lists"]);
    host.yadori(&["batch", "new", "--text", "without a name"]);
    until("the batch with a name", || (batch(&guest, "Lists")?.0.len() == 1).then_some(()));
    until_exchanged(&[&host, &guest]);
    assert!(guest.list(9).is_empty(), "the clip itself is no favorite");
    let all = guest.yadori(&["batch", "list"]);
    assert!(!all.contains("without"), "{all}");
    guest.yadori(&["batch", "--batch", "Lists", "next"]);
    until("its words", || (valley.paste_text().as_deref() == Some(long.as_str())).then_some(()));
}

#[test]
fn a_rule_that_is_made_on_one_device_holds_on_all() {
    let mut hub = Hub::open();
    let (host, mut guest) = (Service::without_desk(), Service::without_desk());
    guest.yadori(&["rules", "add", "--program", "Guest's own"]);
    host.yadori(&["rules", "add", "--program", "Office's own"]);
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    let same = |count: usize| {
        until("the same rules", || {
            let (here, there) = (rules(&host), rules(&guest));
            (here == there && here.len() == count).then_some(here)
        })
    };
    let first = same(2);
    assert!(first.contains(&"Guest's own".to_owned()) && first.contains(&"Office's own".to_owned()));
    // It stands in the file there, and decides what is recorded.
    assert!(std::fs::read_to_string(guest.home().join("config.toml")).unwrap().contains("Office's own"));
    // Both at the same time, by hand in the file as well, while neither hears of the other.
    for one in [&host, &guest] {
        one.yadori(&["sync", "pause"]);
    }
    host.yadori(&["rules", "add", "--program", "Kvarsteinspasset"]);
    host.yadori(&["rules", "remove", "1"]);
    let gone = first[0].clone();
    let config = guest.home().join("config.toml");
    let text = std::fs::read_to_string(&config).unwrap();
    let by_hand = "rules = [{ program = \"By hand\", then = \"refuse\" }, ";
    assert!(text.contains("rules = ["), "{text}");
    std::fs::write(&config, text.replace("rules = [", by_hand)).unwrap();
    guest.kill();
    guest.start_again();
    guest.await_records();
    for one in [&host, &guest] {
        one.yadori(&["sync", "resume"]);
    }
    let all = until("the same rules", || {
        let (here, there) = (rules(&host), rules(&guest));
        (here == there && here.len() == 3).then_some(here)
    });
    assert!(!all.contains(&gone), "{all:?}");
    for one in ["Kvarsteinspasset", "By hand"] {
        assert!(all.contains(&one.to_owned()), "{all:?}");
    }
    until_exchanged(&[&host, &guest]);
    unknown(&mut hub, &["Kvarsteinspasset", "By hand"]);
}

#[test]
fn what_was_held_back_goes_once_it_may() {
    let (_hub, host, guest) = two();
    host.yadori(&["settings", "set", "exchange.travels", "favorites"]);
    host.add(&["Gas: 3 bottles", "Bread: 12 loaves"]);
    host.yadori(&["pin", "1"]);
    until("the favorite", || (guest.list(9).len() == 1).then_some(()));
    until_exchanged(&[&host, &guest]);
    assert_eq!(guest.list(9).len(), 1);
    host.yadori(&["settings", "set", "exchange.travels", "everything"]);
    until("the other", || (guest.list(9).len() == 2).then_some(()));
}
