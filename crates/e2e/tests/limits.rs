//! Limits and standing orders: seen beforehand, obeyed by themselves, taken back; and settings that are changed while the
//! service runs.

use std::time::Duration;

use serde_json::Value;
use yadori_e2e::hub::{Hub, pair};
use yadori_e2e::{Display, Owner, Service, many, until, until_within};

fn json(service: &Service, arguments: &[&str]) -> Value {
    serde_json::from_str(&service.yadori(&[arguments, &["--json"]].concat())).expect("JSON")
}

fn refused(service: &Service, arguments: &[&str]) -> String {
    let done = service.client(arguments);
    assert!(!done.status.success(), "{arguments:?} was done");
    String::from_utf8_lossy(&done.stderr).into_owned()
}

fn heads(service: &Service) -> Vec<String> {
    service.list(200).into_iter().map(|row| row.head).collect()
}

fn count(service: &Service) -> u64 {
    service.status().expect("a status").clips
}

fn restored(service: &Service, clips: usize) {
    let file = service.home().join("many.tar");
    many::write_backup(&file, clips).expect("a backup");
    service.yadori(&["restore", &file.display().to_string()]);
    std::fs::remove_file(file).expect("it is there");
}

#[test]
fn limits_are_seen_beforehand_obeyed_on_arrival_and_spare_favorites() {
    let service = Service::without_desk();
    let ids = service.add(&["first", "second", "third", "fourth", "fifth"]);
    service.yadori(&["pin", &ids[0]]);
    let plan = json(&service, &["limits", "set", "clips=2", "--dry-run"]);
    assert_eq!(
        (&plan["goes"]["clips"], &plan["kept"]["clips"]),
        (&Value::from(2), &Value::from(1)),
        "{plan}"
    );
    assert_eq!(count(&service), 5);
    assert!(refused(&service, &["limits", "set", "clips=2"]).contains("--yes"));
    assert_eq!(count(&service), 5);
    assert_eq!(json(&service, &["limits", "set", "clips=2", "--yes"])["clips"], 2);
    assert_eq!(heads(&service), ["fifth", "fourth", "first"]);
    assert!(service.yadori(&["limits", "why", "2"]).contains("after 1 more copies"));
    assert!(service.yadori(&["limits", "why", "f1"]).contains("beyond all limits"));
    service.add(&["sixth", "seventh"]);
    until("the oldest to have gone", || (heads(&service) == ["seventh", "sixth", "first"]).then_some(()));
    // Of one kind.
    service.add(&["https://huts.example/1", "https://huts.example/2"]);
    service.yadori(&["limits", "set", "clips=10", "kinds.link.clips=1", "--yes"]);
    until("one link to be left", || {
        (heads(&service).iter().filter(|head| head.starts_with("https")).count() == 1).then_some(())
    });
    service.yadori(&["limits", "set", "kinds.link=off", "--yes"]);
    assert_eq!(json(&service, &["settings", "get", "limits.kinds"])["value"], serde_json::json!({}));
    // What makes no sense leaves everything as it was.
    let before = json(&service, &["limits"])["limits"].clone();
    for (value, words) in [
        ("clips=0", "between 1 and"),
        ("clips=-5", "number of clips"),
        ("clips=99999999999999999999999", "number of clips"),
        ("days=nan", "number of days"),
        ("bytes=1mb", "more than limits.bytes"),
        ("one=99gb", "64 MiB"),
        ("kinds.film.clips=1", "the kinds are"),
        ("kinds.text.clips=11", "limits.clips, which is 10"),
        ("colour=red", "did you mean"),
        ("clips", "no NAME=VALUE"),
    ] {
        let said = refused(&service, &["limits", "set", value, "--yes"]);
        assert!(said.contains(words), "{value}: {said}");
    }
    assert_eq!(json(&service, &["limits"])["limits"], before);
}

#[test]
fn many_that_go_by_a_changed_limit_are_brought_back_and_stay_until_limits_are_changed() {
    let mut service = Service::without_desk();
    restored(&service, 1_000);
    assert_eq!(json(&service, &["limits", "set", "days=off", "clips=100", "--yes"])["clips"], 900);
    assert!(service.yadori(&["undo", "--list"]).contains("900 clips: by the limits"));
    service.yadori(&["undo"]);
    assert_eq!(count(&service), 1_000);
    service.add(&["one more"]);
    until_within("the sweep to wait", Duration::from_secs(30), || {
        service.status()?.waits.filter(|waits| waits.clips == 901)
    });
    service.stop();
    service.start_again();
    service.await_records();
    until("the sweep to wait", || service.status()?.waits);
    assert_eq!(count(&service), 1_001);
    assert!(service.yadori(&["status"]).contains("yadori limits obey"));
    service.yadori(&["limits", "obey", "--yes"]);
    assert_eq!(count(&service), 100);
}

#[test]
fn an_age_that_would_take_over_a_fifth_waits_for_a_person() {
    // The clips of this backup are years old: with the usual year, everything would go.
    let service = Service::without_desk();
    restored(&service, 300);
    let waits = until("the sweep to wait", || service.status()?.waits);
    assert_eq!(waits.clips, 300);
    assert_eq!(count(&service), 300);
    service.add(&["a new one"]);
    assert!(service.yadori(&["limits"]).contains("over a fifth"));
    assert_eq!(count(&service), 301);
    service.yadori(&["limits", "obey", "--yes"]);
    assert_eq!(heads(&service), ["a new one"]);
    until("nothing to wait", || service.status()?.waits.is_none().then_some(()));
}

#[test]
fn what_is_brought_in_beyond_the_limits_waits_whole_for_a_person() {
    const OLD: usize = 300;
    const NEW: usize = 3_000;
    let service = Service::configured("[limits]\nclips = 500\n");
    let file = service.home().join("lines.txt");
    let bring_in = |words: &str, lines: usize| {
        let lines: Vec<String> = (0..lines).map(|n| format!("{words} {n}")).collect();
        std::fs::write(&file, lines.join("\n")).expect("a file");
        service.yadori(&["import", "--split", "lines", &file.display().to_string()])
    };
    let said = bring_in("an old line", OLD);
    assert!(said.contains("Brought in 300 of 300.") && !said.contains("beyond"), "{said}");
    let said = bring_in("a new line", NEW);
    assert!(
        said.contains("Brought in 3000 of 3000.") && said.contains("beyond the limits now: 2800"),
        "{said}"
    );
    // Nothing went while they came, and what would go now is over a fifth of everything.
    assert_eq!(count(&service), OLD as u64 + NEW as u64);
    until("the sweep to wait", || service.status()?.waits.filter(|waits| waits.clips == 2_800));
    service.yadori(&["limits", "obey", "--yes"]);
    assert_eq!(count(&service), 500);
}

#[test]
fn of_a_history_that_comes_from_another_device_no_limit_takes_a_part() {
    const ALL: usize = 8_000;
    let hub = Hub::open();
    let (host, guest) =
        (Service::without_desk(), Service::configured("[limits]\nclips = 5000\ndays = \"off\"\n"));
    restored(&host, ALL);
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    // Seen bit by bit it would be less than a fifth each time.
    let mut most = 0;
    until_within("all of it", Duration::from_secs(120), || {
        let now = count(&guest);
        assert!(now >= most, "{now} of {most} are left");
        most = now;
        (now == ALL as u64).then_some(())
    });
    until_within("the sweep to wait", Duration::from_secs(60), || {
        guest.status()?.waits.filter(|waits| waits.clips == 3_000)
    });
    assert_eq!((count(&guest), count(&host)), (ALL as u64, ALL as u64));
    guest.yadori(&["limits", "obey", "--yes"]);
    assert_eq!((count(&guest), count(&host)), (5_000, ALL as u64));
}

#[test]
fn copies_that_are_larger_than_one_may_be_are_not_kept() {
    let display = Display::start();
    let service = Service::configured_on(&display.name(), "[limits]\none = \"1 kb\"\n");
    let owner = Owner::on(&display);
    owner.copy_text(&"large ".repeat(400));
    until("the refusal", || service.status()?.refusals.first().map(|_| ()));
    owner.copy_text("small");
    service.await_clip("small");
    service.yadori(&["settings", "unset", "limits.one"]);
    owner.copy_text(&"wide ".repeat(400));
    service.await_clip("wide ");
    assert_eq!(count(&service), 2);
}

#[test]
fn standing_orders_act_on_their_occasions_and_say_what_they_did() {
    let mut service = Service::configured("[acts]\ngrace_minutes = 5\n");
    let ids = service.add(&["note", "https://huts.example/1", "kept"]);
    service.yadori(&["pin", &ids[2]]);
    service.yadori(&["orders", "add", "--on", "stop", "--kind", "link", "--name", "links at the end"]);
    service.yadori(&["orders", "add", "--on", "start", "--query", "note"]);
    assert!(service.yadori(&["orders"]).contains("has not acted yet"));
    assert_eq!(count(&service), 3);
    service.stop();
    service.start_again();
    service.await_records();
    until("both orders to have acted", || (heads(&service) == ["kept"]).then_some(()));
    let all = until("what they did", || {
        let all = json(&service, &["orders"]);
        let did = |n: usize| all["orders"][n]["cleared"] == 1;
        (did(0) && did(1)).then_some(all.clone())
    });
    let last = |n: usize| all["orders"][n]["last"].as_str().and_then(|at| at.parse::<jiff::Timestamp>().ok());
    assert!(last(0).is_some() && last(0) < last(1), "{all}");
    service.yadori(&["undo"]);
    assert_eq!(heads(&service), ["kept", "note"], "an order is taken back like any clearing");
    // A time of day shows when it comes next; others are refused with what they may be.
    service.yadori(&["orders", "add", "--on", "daily 04:30"]);
    assert!(json(&service, &["orders"])["orders"][2]["next"].is_string());
    for on in ["daily 25:00", "after 0m", "noon", "after 99999999999999d"] {
        let said = refused(&service, &["orders", "add", "--on", on]);
        assert!(said.contains("order 4"), "{on}: {said}");
    }
    assert_eq!(json(&service, &["orders"])["orders"].as_array().map(Vec::len), Some(3));
    service.yadori(&["orders", "remove", "3"]);
}

#[test]
fn settings_are_changed_live_or_not_at_all() {
    let service = Service::without_desk();
    let file = service.home().join("config.toml");
    std::fs::write(&file, "# mine\n[limits]\nclips = 50 # enough\n").expect("a file");
    service.yadori(&["reread"]);
    assert_eq!(json(&service, &["limits"])["limits"]["clips"], 50);
    service.yadori(&["settings", "set", "limits.clips", "60"]);
    service.yadori(&["settings", "set", "secrets.off", "[\"iban\"]"]);
    let text = std::fs::read_to_string(&file).expect("it is there");
    assert!(text.contains("# mine") && text.contains("clips = 60 # enough"), "{text}");
    let tried = json(&service, &["rules", "try", "DE89 3704 0044 0532 0130 00"]);
    assert_eq!(tried["verdict"], "keep", "{tried}");
    let shown = json(&service, &["settings"]);
    let one = |name: &str| {
        shown["settings"].as_array().unwrap().iter().find(|one| one["name"] == name).cloned().unwrap()
    };
    assert_eq!(
        (&one("limits.clips")["from"], &one("limits.days")["from"]),
        (&"file".into(), &"usual".into())
    );
    // Out and in again, in another home.
    let out = service.home().join("settings.json");
    service.yadori(&["settings", "export", &out.display().to_string()]);
    let other = Service::without_desk();
    other.yadori(&["settings", "import", &out.display().to_string()]);
    assert_eq!(json(&other, &["limits"])["limits"]["clips"], 60);
    // A mistake in the file: what held goes on to hold, and is said.
    std::fs::write(&file, "[limits]\nclips = \"lots\"\n").expect("a file");
    assert!(refused(&service, &["reread"]).contains("lots"));
    assert_eq!(json(&service, &["limits"])["limits"]["clips"], 60);
    assert!(service.yadori(&["settings"]).contains("has a mistake"));
    assert!(refused(&service, &["settings", "set", "limits.days", "9"]).contains("lots"));
    // What starts programs is not set by a page.
    let (key, address) = (service.key(), service.address());
    let body = r#"{"changes":{"picker.command":["touch","/tmp/never"]}}"#;
    let auth = format!("authorization: Bearer {key}");
    let url = format!("{address}/api/v1/settings");
    let answer = Service::curl(&[
        "-X",
        "PATCH",
        "-d",
        body,
        "-H",
        "content-type: application/json",
        "-H",
        &auth,
        &url,
    ]);
    assert_eq!(answer.0, 403, "{answer:?}");
}

#[test]
fn a_service_killed_in_the_middle_of_a_sweep_ends_it_at_the_start() {
    let mut service = Service::configured("[limits]\ndays = \"off\"\n");
    restored(&service, 6_000);
    let client =
        service.client_command(&["limits", "set", "clips=100", "--yes"]).spawn().expect("the client");
    until("some to be gone", || (count(&service) < 5_500).then_some(()));
    service.kill();
    drop(client);
    service.start_again();
    service.await_records();
    until_within("the rest to go", Duration::from_secs(60), || (count(&service) == 100).then_some(()));
    service.yadori(&["undo"]);
    assert_eq!(count(&service), 6_000);
}

#[test]
fn the_room_of_what_has_gone_is_given_back_to_the_disk() {
    let mut service = Service::without_desk();
    let file = service.home().join("large.bin");
    for n in 0..9_u8 {
        // Nothing that could be packed or stored once.
        let mut dice = 0x9e37_79b9_7f4a_7c15_u64 ^ u64::from(n);
        let bytes: Vec<u8> = (0..(40 << 20) / 8)
            .flat_map(|_| {
                dice ^= dice << 13;
                dice ^= dice >> 7;
                dice ^= dice << 17;
                dice.to_le_bytes()
            })
            .collect();
        std::fs::write(&file, bytes).expect("a file");
        service.yadori(&["add", "--type", "application/octet-stream", "-f", &file.display().to_string()]);
    }
    std::fs::remove_file(&file).expect("it is there");
    // It is looked at soon after a start, and now and then.
    service.stop();
    service.start_again();
    service.await_records();
    let space = || service.status().and_then(|status| status.space);
    until_within("it to be seen", Duration::from_secs(30), || {
        space().filter(|space| space.contents > 300 << 20)
    });
    service.yadori(&["clear", "--yes", "--now"]);
    let promised = |contents: u64| contents + contents / 2 + (200 << 20);
    until_within("the room to be given back", Duration::from_secs(120), || {
        space().filter(|space| space.contents < 1 << 20 && space.disk < promised(space.contents))
    });
    assert!(service.yadori(&["status"]).contains("on the disk for"));
}
