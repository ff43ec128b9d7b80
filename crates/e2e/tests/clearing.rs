//! Clearing by the client: what it takes is what it said, it is undone exactly, and no violent end leaves half of it.

use std::time::Duration;

use serde_json::Value;
use yadori_e2e::{Service, many, until, until_within};

/// A service with so many clips, restored from a backup.
fn with_many(count: usize) -> Service {
    let service = Service::without_desk();
    let file = service.home().join("many.tar");
    many::write_backup(&file, count).expect("a backup");
    service.yadori(&["restore", &file.display().to_string()]);
    std::fs::remove_file(file).expect("it is there");
    service
}

fn json(service: &Service, arguments: &[&str]) -> Value {
    serde_json::from_str(&service.yadori(&[arguments, &["--json"]].concat())).expect("JSON")
}

/// Every clip as a person sees it, in the order of the history.
fn everything(service: &Service) -> Vec<Value> {
    let mut clips = service.listed(&["-n", "100000"]);
    for clip in &mut clips {
        clip.as_object_mut().expect("a clip").remove("prefix");
    }
    clips
}

/// The exit code and the words of what was not done.
fn refused(service: &Service, arguments: &[&str]) -> (i32, String) {
    let output = service.client(arguments);
    (output.status.code().unwrap_or(-1), String::from_utf8_lossy(&output.stderr).into_owned())
}

fn count(service: &Service) -> u64 {
    service.status().expect("a status").clips
}

#[test]
fn a_clearing_takes_what_it_said_and_is_taken_back_exactly() {
    let service = Service::without_desk();
    let ids = service.add(&[
        "Rope and lamps",
        "https://huts.example/permit",
        "Oats",
        "https://huts.example/map",
        "Key",
    ]);
    service.yadori(&["pin", &ids[2]]);
    service.yadori(&["title", &ids[0], "What is in the shed"]);
    let before = everything(&service);
    let plan = json(&service, &["clear", "--kind", "link", "--dry-run"]);
    assert_eq!((&plan["clips"], &plan["spared"]), (&Value::from(2), &Value::from(0)), "{plan}");
    assert_eq!(everything(&service), before, "a dry run does nothing");
    let (code, words) = refused(&service, &["clear", "--kind", "link"]);
    assert!(code != 0 && words.contains("--yes"), "nobody can be asked: {words}");
    assert_eq!(everything(&service), before);
    let cleared = json(&service, &["clear", "--kind", "link", "--yes"]);
    assert_eq!(cleared["clips"], 2);
    assert_eq!(count(&service), 3);
    let said = service.yadori(&["clear", "--yes"]);
    assert!(said.contains("Cleared 2 clips"), "the favorite stays: {said}");
    assert_eq!(service.list(10).iter().map(|row| row.head.as_str()).collect::<Vec<_>>(), ["Oats"]);
    let (code, words) = refused(&service, &["clear", "--yes"]);
    assert!(code != 0 && words.contains("1 favorite would be meant"), "{words}");
    let named = json(&service, &["clear", "--favorites", "--yes"]);
    assert_eq!((named["clips"].as_u64(), count(&service)), (Some(1), 0));
    let acts = service.yadori(&["undo", "--list"]);
    for what in
        ["2 clips: links but favorites", "2 clips: everything but favorites", "everything, favorites too"]
    {
        assert!(acts.contains(what), "{acts}");
    }
    for _ in 0..3 {
        service.yadori(&["undo"]);
    }
    assert_eq!(everything(&service), before);
    service.yadori(&["redo"]);
    assert_eq!(count(&service), 3);
    service.yadori(&["undo"]);
    assert_eq!(everything(&service), before);
    // By a search, by a time, by a program.
    assert_eq!(json(&service, &["clear", "-q", "rope", "--yes"])["clips"], 1);
    assert_eq!(json(&service, &["clear", "--last", "1h", "--yes"])["clips"], 3);
    service.yadori(&["undo"]);
    service.yadori(&["undo"]);
    assert_eq!(everything(&service), before);
    assert!(refused(&service, &["clear", "-q", "since:never"]).1.contains("expected"), "the place is shown");
    assert!(refused(&service, &["clear", "--from", "Nobody", "--yes"]).1.contains("nothing to clear"));
    assert!(refused(&service, &["clear", "--last", "soon"]).1.contains("15m"));
}

#[test]
fn what_is_copied_after_the_question_stays() {
    let service = Service::without_desk();
    service.add(&["before"]);
    let address = service.address();
    let auth = format!("authorization: Bearer {}", service.key());
    let post = |path: &str, body: &Value| -> Value {
        let url = format!("{address}/api/v1{path}");
        let body = body.to_string();
        Service::curl(&["-d", &body, "-H", "content-type: application/json", "-H", &auth, &url]).1
    };
    let plan = post("/clear/plan", &serde_json::json!({}));
    service.add(&["after"]);
    let cleared = post("/clear", &serde_json::json!({ "upto": plan["upto"] }));
    assert_eq!(cleared["clips"], 1, "{plan} {cleared}");
    assert_eq!(service.list(5)[0].head, "after");
}

#[test]
fn killed_in_the_middle_of_a_clearing_it_is_finished_at_the_start_and_taken_back_as_ever() {
    let mut service = with_many(6_000);
    let kept = service.list(1)[0].id.clone();
    service.yadori(&["pin", &kept]);
    let before = everything(&service);
    let client = service.client_command(&["clear", "--yes"]).spawn().expect("the client");
    until("some to be gone", || (count(&service) < 5_500).then_some(()));
    service.kill();
    drop(client);
    service.start_again();
    service.await_records();
    until_within("the rest to be gone", Duration::from_secs(60), || (count(&service) == 1).then_some(()));
    assert_eq!(service.list(5)[0].id, kept);
    let client = service.client_command(&["undo"]).spawn().expect("the client");
    until("some to be back", || (count(&service) > 500).then_some(()));
    service.kill();
    drop(client);
    service.start_again();
    service.await_records();
    until_within("all to be back", Duration::from_secs(60), || (count(&service) == 6_000).then_some(()));
    assert_eq!(everything(&service), before);
    // Taken back while it is under way.
    let mut client = service.client_command(&["clear", "--yes"]).spawn().expect("the client");
    until("some to be gone", || (count(&service) < 5_500).then_some(()));
    service.yadori(&["undo"]);
    client.wait().expect("an end");
    assert_eq!(everything(&service), before);
}
