//! Acts through the real client and the real records: undo and redo in order and across restarts, orders made by two
//! at once, ends of the service in the middle, and what leaves when the grace period ends.

use std::collections::HashSet;
use std::process::{Command, Stdio};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use serde_json::{Value, json};
use yadori_e2e::{Service, until, until_within};

fn add(service: &Service, text: &str) -> String {
    let added: Value = serde_json::from_str(&service.yadori(&["add", "--json", "--", text])).expect("JSON");
    added["row"]["id"].as_str().expect("an id").to_owned()
}

fn titles(service: &Service, arguments: &[&str]) -> Vec<String> {
    let name = |item: &Value| match item.get("divider") {
        Some(divider) => format!("-- {}", divider["name"].as_str().unwrap_or_default()),
        None => item["head"].as_str().unwrap_or_default().to_owned(),
    };
    service.listed(arguments).iter().map(name).collect()
}

/// What the database says, asked by its own client.
fn records(home: &std::path::Path, sql: &str) -> String {
    let done = Command::new("mariadb")
        .args(["--batch", "--raw", "yadori", "-e", sql, "-S"])
        .arg(home.join("run/records.sock"))
        .output()
        .expect("mariadb (Debian package mariadb-client-core)");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8_lossy(&done.stdout).into_owned()
}

/// Everything that acts change, in words.
fn picture(service: &Service) -> Value {
    let rows: Vec<Value> = service
        .listed(&["-n", "400"])
        .iter()
        .map(|row| json!([row["id"], row["title"], row["color"], row["kept"], row["copies"]]))
        .collect();
    let drawers: Value = serde_json::from_str(&service.yadori(&["drawer", "list", "--json"])).expect("JSON");
    json!([rows, titles(service, &["-f"]), drawers])
}

/// Many at once are each an act of their own, and undo takes back the one that its answer names and no other.
#[test]
fn what_is_added_is_an_act_of_its_own_however_many_are_added_at_once() {
    let service = Service::without_desk();
    let (auth, address) = (format!("Authorization: Bearer {}", service.key()), service.address());
    let post = |path: &str, body: &Value| -> Value {
        let url = format!("{address}/api/v1/{path}");
        let told = ["-H", &auth, "-H", "Content-Type: application/json", "-d", &body.to_string(), &url];
        Service::curl(&told).1
    };
    let text =
        |n: usize| json!({ "representations": [{ "mime": "text/plain", "text": format!("hut {n}") }] });
    let acts: Vec<String> = std::thread::scope(|scope| {
        let (post, text) = (&post, &text);
        let calls: Vec<_> = (0..40).map(|n| scope.spawn(move || post("clips", &text(n)))).collect();
        calls
            .into_iter()
            .map(|call| call.join().unwrap()["act_id"].as_str().expect("an act").to_owned())
            .collect()
    });
    assert_eq!(acts.iter().collect::<HashSet<_>>().len(), 40);
    for (n, act) in acts.iter().enumerate().step_by(3) {
        post(&format!("undo?act={act}"), &json!({}));
        assert!(!titles(&service, &["-n", "100"]).contains(&format!("hut {n}")), "{act} was hut {n}");
    }
    assert_eq!(titles(&service, &["-n", "100"]).len(), 26);
    // Nothing changes by what is there already, of a time that is past: there is no act.
    let old = json!({ "at": 1_000_000, "representations": [{ "mime": "text/plain", "text": "old" }] });
    assert!(post("clips", &old)["act_id"].is_string());
}

#[test]
fn every_act_is_taken_back_and_made_again_in_order_across_restarts() {
    let mut service = Service::without_desk();
    let ids: Vec<String> = (0..5).map(|n| add(&service, &format!("clip {n}"))).collect();
    let id = |n: usize| ids[n].as_str();
    let said = Command::new("date").args(["-u", "-d", "2 hours ago", "+%FT%TZ"]).output().expect("date");
    let earlier = String::from_utf8(said.stdout).unwrap();
    let acts: Vec<Vec<&str>> = vec![
        vec!["pin", id(0), id(1), id(2)],
        vec!["pin", id(2), "--before", "f1"],
        vec!["title", id(1), "A name"],
        vec!["color", "red", id(1), id(3)],
        vec!["drawer", "new", "Huts", "--color", "green", "--group", "Office"],
        vec!["drawer", "put", "Huts", id(1), id(3)],
        vec!["drawer", "divider", "Huts", "Numbers", "--before", id(3)],
        vec!["drawer", "put", "huts", id(3), "--before", id(1)],
        vec!["drawer", "rename", "Huts", "Cabins"],
        vec!["drawer", "new", "Other"],
        vec!["drawer", "move", "Other", "--before", "Cabins"],
        vec!["bring-up", id(0), id(2)],
        vec!["edit", id(1), "--text", "clip 1, changed"],
        vec!["edit", "--put-back", "a name"],
        vec!["unpin", id(2)],
        vec!["remove", id(4), id(3)],
        vec!["drawer", "remove", "Cabins"],
        vec!["add", "--", "brought in by hand"],
        vec!["add", "--at", earlier.trim(), "--", "brought in, of earlier"],
        vec!["add", "--", "clip 2"],
        vec!["title", id(0), "Last"],
    ];
    let mut pictures = vec![picture(&service)];
    for act in &acts {
        // The edited clip is found by its title.
        let act: Vec<String> = act
            .iter()
            .map(|word| match *word {
                "a name" => service.listed(&["A name"])[0]["id"].as_str().unwrap().to_owned(),
                word => word.to_owned(),
            })
            .collect();
        service.yadori(&act.iter().map(String::as_str).collect::<Vec<_>>());
        pictures.push(picture(&service));
    }
    let listed: Value = serde_json::from_str(&service.yadori(&["undo", "--list", "--json"])).unwrap();
    assert_eq!(
        listed["acts"].as_array().unwrap().len(),
        ids.len() + acts.len(),
        "each that was added is an act"
    );
    for n in (0..acts.len()).rev() {
        if n == 9 {
            service.stop();
            service.start_again();
            service.await_records();
        }
        service.yadori(&["undo"]);
        assert_eq!(picture(&service), pictures[n], "undo of {:?}", acts[n]);
    }
    for left in (0..ids.len()).rev() {
        service.yadori(&["undo"]);
        assert_eq!(titles(&service, &["-n", "400"]).len(), left, "what was added goes, the newest first");
    }
    assert_eq!(service.client(&["undo"]).status.code(), Some(6));
    for _ in &ids {
        service.yadori(&["redo"]);
    }
    assert_eq!(picture(&service), pictures[0]);
    for (n, act) in acts.iter().enumerate() {
        if n == 5 {
            service.kill();
            service.start_again();
            service.await_records();
        }
        service.yadori(&["redo"]);
        assert_eq!(picture(&service), pictures[n + 1], "redo of {act:?}");
    }
    assert_eq!(service.client(&["redo"]).status.code(), Some(6));
    // A new act leaves nothing to be made again.
    service.yadori(&["undo"]);
    service.yadori(&["color", "blue", id(0)]);
    assert_eq!(service.client(&["redo"]).status.code(), Some(6));
}

#[test]
fn a_removal_by_query_takes_pinned_clips_only_when_they_are_named() {
    let service = Service::without_desk();
    let ids = [add(&service, "oats 1"), add(&service, "oats 2"), add(&service, "oats 3")];
    service.yadori(&["pin", &ids[0]]);
    service.yadori(&["drawer", "new", "Long list"]);
    service.yadori(&["drawer", "put", "Long list", &ids[1]]);
    assert!(
        service
            .yadori(&["remove", "-q", "oats", "--dry-run"])
            .contains("1 clip would be removed. 2 clips would stay")
    );
    service.yadori(&["remove", "-q", "oats"]);
    assert_eq!(service.list(9).len(), 2);
    // Without them is not naming them.
    assert!(!service.client(&["remove", "-q", "oats -is:favorite -is:drawer"]).status.success());
    service.yadori(&["remove", "-q", "oats in:\"long list\""]);
    service.yadori(&["remove", "-q", "oats", "--pinned"]);
    assert_eq!(service.list(9).len(), 0);
}

#[test]
fn what_was_written_since_is_not_undone() {
    let service = Service::without_desk();
    let id = add(&service, "oats");
    service.yadori(&["title", &id, "First"]);
    // Removed and copied again: the undo of the removal gives it its title back and keeps the new copy.
    service.yadori(&["remove", &id]);
    add(&service, "oats");
    service.take_back("remove");
    let row: Value = serde_json::from_str(&service.yadori(&["show", "--json", &id])).unwrap();
    assert_eq!((row["row"]["title"].clone(), row["row"]["copies"].clone()), (json!("First"), json!(2)));
    // An edit whose clip was copied since stays when the edit is taken back, unpinned.
    service.yadori(&["pin", &id]);
    service.yadori(&["edit", &id, "--text", "oats 25 kg"]);
    add(&service, "oats 25 kg");
    service.take_back("edit");
    assert_eq!(titles(&service, &["-f"]), ["oats"]);
    assert!(service.list(5).iter().any(|row| row.head == "oats 25 kg" && row.kept.is_none()));
}

#[test]
fn an_edit_takes_over_the_place_and_says_first_that_formatting_would_go() {
    let service = Service::without_desk();
    add(&service, "below");
    let html = service.home().join("letter.html");
    std::fs::write(&html, "<b>Dear</b> group").unwrap();
    let also = format!("--also=text/html={}", html.display());
    let added: Value =
        serde_json::from_str(&service.yadori(&["add", "--json", &also, "--", "Dear group"])).unwrap();
    let id = added["row"]["id"].as_str().unwrap().to_owned();
    add(&service, "above");
    service.yadori(&["title", &id, "Letter"]);
    service.yadori(&["drawer", "new", "Replies"]);
    service.yadori(&["drawer", "put", "Replies", &id]);
    let refused = service.client(&["edit", &id, "--text", "Dear all"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("formatting"));
    service.yadori(&["edit", &id, "--text", "Dear all", "--plain"]);
    let heads: Vec<String> = service.list(9).into_iter().map(|row| row.head).collect();
    assert_eq!(heads, ["above", "Dear all", "Dear group", "below"]);
    assert_eq!(titles(&service, &["-d", "replies"]), ["Dear all"]);
    let rows = service.list(9);
    assert_eq!((rows[1].title.as_deref(), rows[2].title.as_deref()), (Some("Letter"), None));
    assert_eq!(rows[1].made_from.as_deref(), Some(id.as_str()));
    assert!(rows[2].formatted && rows[2].kept.is_none());
    let editor = service.home().join("editor.sh");
    std::fs::write(&editor, "#!/bin/sh\nsed -i s/all/everybody/ \"$1\"\n").unwrap();
    Command::new("chmod").arg("+x").arg(&editor).status().unwrap();
    let mut edit = service.client_command(&["edit", "2"]);
    assert!(edit.env("EDITOR", &editor).env_remove("VISUAL").status().unwrap().success());
    assert_eq!(service.list(2)[1].head, "Dear everybody");
    assert!(service.yadori(&["edit", "2", "--compare"]).contains("«everybody»"));
    for bad in
        [vec!["edit", "2", "--text", "Dear everybody"], vec!["edit", "2", "--text", ""], vec!["edit", "99"]]
    {
        assert!(!service.client(&bad).status.success(), "{bad:?}");
    }
}

#[test]
fn two_orders_made_at_once_end_in_the_same_order_for_both() {
    let mut service = Service::without_desk();
    let ids: Vec<String> = (0..30).map(|n| add(&service, &format!("clip {n}"))).collect();
    let all: Vec<&str> = [vec!["pin"], ids.iter().map(String::as_str).collect()].concat();
    service.yadori(&all);
    let (key, address) = (service.key(), service.address());
    let order = |seed: usize| {
        for n in 0..25 {
            let moving = &ids[(n * 7 + seed * 3) % 30];
            let before = &ids[(n * 11 + seed * 5 + 1) % 30];
            let body =
                json!({ "ids": [moving], "to": { "place": "favorites" }, "before": before }).to_string();
            let auth = format!("authorization: Bearer {key}");
            let (status, answer) = Service::curl(&[
                "-d",
                &body,
                "-H",
                "content-type: application/json",
                "-H",
                &auth,
                &format!("{address}/api/v1/keep"),
            ]);
            assert!(status == 200 || moving == before, "{status}: {answer}");
        }
    };
    std::thread::scope(|scope| {
        scope.spawn(|| order(0));
        scope.spawn(|| order(1));
    });
    let auth = format!("authorization: Bearer {key}");
    let read = || Service::curl(&["-H", &auth, &format!("{address}/api/v1/favorites")]).1;
    let heads = |list: &Value| -> Vec<String> {
        let items = list["items"].as_array().expect("a list");
        items.iter().map(|item| item["clip"]["head"].as_str().unwrap_or_default().to_owned()).collect()
    };
    let told = heads(&read());
    let listed = titles(&service, &["-f"]);
    assert_eq!(listed.iter().collect::<HashSet<_>>().len(), 30);
    assert_eq!(told, listed);
    // What both were told is what the records hold.
    service.stop();
    service.start_again();
    service.await_records();
    assert_eq!(titles(&service, &["-f"]), told);
}

#[test]
fn a_service_that_is_killed_in_the_middle_of_acts_leaves_each_done_or_not_done() {
    let mut service = Service::without_desk();
    let ids: Vec<String> = (0..40).map(|n| add(&service, &format!("clip {n}"))).collect();
    let all: Vec<&str> = [vec!["pin"], ids.iter().map(String::as_str).collect()].concat();
    service.yadori(&all);
    for round in 0..4 {
        let before = titles(&service, &["-f"]);
        let stop = AtomicBool::new(false);
        let (pid, home) = (service.pid(), service.home().to_owned());
        std::thread::scope(|scope| {
            // All forty are removed, or all forty are there; an order is the old one or the new one.
            scope.spawn(|| {
                while !stop.load(Ordering::SeqCst) {
                    for act in [
                        vec!["pin", "f40", "--before", "f1"],
                        vec!["remove", "--query", "is:favorite"],
                        vec!["undo"],
                    ] {
                        let mut client = Command::new(yadori_e2e::programs().join("yadori"));
                        client.arg("--home").arg(&home).args(act).stdin(Stdio::null());
                        let _ = client.stdout(Stdio::null()).stderr(Stdio::null()).status();
                    }
                }
            });
            let mut seen = 0;
            until("some acts", || {
                seen += usize::from(service.client(&["status"]).status.success());
                (seen > 3 + 2 * round).then_some(())
            });
            let _ = Command::new("kill").arg("-KILL").arg(pid.to_string()).status();
            stop.store(true, Ordering::SeqCst);
        });
        service.kill();
        service.start_again();
        service.await_records();
        let mut after = titles(&service, &["-f"]);
        // The last one moved to the front, any number of times; never half of that.
        let is_turned = |after: &[String]| {
            (0..40).any(|by| {
                let mut turned = before.clone();
                turned.rotate_right(by);
                turned == after
            })
        };
        assert!(after.is_empty() || is_turned(&after), "{} of 40", after.len());
        if after.is_empty() {
            service.yadori(&["undo"]);
            after = titles(&service, &["-f"]);
        }
        assert!(is_turned(&after));
        // Nothing but whole acts is listed, and the next one works.
        service.yadori(&["pin", "f40", "--before", "f1"]);
        assert_eq!(titles(&service, &["-f"])[0], after[39]);
    }
}

#[test]
fn what_was_removed_leaves_the_records_of_other_acts_too() {
    let scratch = tempfile::tempdir().unwrap();
    let home = scratch.path().join("home");
    let mut service = Service::start_in(&home, &["--no-capture"]);
    service.await_records();
    let id = add(&service, "the key is under the third stone");
    service.yadori(&["title", &id, "Key, whereabouts"]);
    service.yadori(&["pin", &id]);
    service.yadori(&["edit", &id, "--text", "the key is under the fourth stone"]);
    let key = service.key();
    let edited = service.list(1)[0].id.clone();
    let draft = json!({ "text": "the key is under the fifth stone" }).to_string();
    let auth = format!("authorization: Bearer {key}");
    let url = format!("{}/api/v1/clips/{edited}/draft", service.address());
    Service::curl(&["-d", &draft, "-H", "content-type: application/json", "-H", &auth, &url]);
    service.yadori(&["remove", &id, &edited]);
    // As if the acts had been made an hour ago.
    records(&home, "UPDATE acts SET at = at - 3600000000");
    service.stop();
    let service = Service::start_in(&home, &["--no-capture"]);
    service.await_records();
    until_within("the sweep", Duration::from_secs(20), || {
        let acts: Value = serde_json::from_str(&service.yadori(&["undo", "--list", "--json"])).ok()?;
        acts["acts"].as_array()?.is_empty().then_some(())
    });
    let text: String =
        ["service", "contents", "chunks", "uses", "clips", "acts", "refusals", "drawers", "drafts"]
            .iter()
            .map(|table| records(&home, &format!("SELECT * FROM {table}")))
            .collect();
    assert!(text.contains("ordered_at"), "{text}");
    for word in ["stone", "whereabouts"] {
        assert!(!text.contains(word), "{word} is still in a table");
    }
}

#[test]
fn what_makes_no_sense_is_refused_with_the_next_step_and_nothing_is_lost() {
    let service = Service::without_desk();
    let id = add(&service, "oats");
    service.yadori(&["drawer", "new", "Huts"]);
    let (key, address) = (service.key(), service.address());
    let auth = format!("authorization: Bearer {key}");
    let long = service.home().join("long.json");
    std::fs::write(&long, json!({ "id": id, "title": "x".repeat(10_000_000) }).to_string()).unwrap();
    let send = |path: &str, body: &str| {
        Service::curl(&[
            "-d",
            body,
            "-H",
            "content-type: application/json",
            "-H",
            &auth,
            &format!("{address}/api/v1{path}"),
        ])
    };
    let (status, problem) = send("/title", &format!("@{}", long.display()));
    assert_eq!(status, 422);
    assert!(problem["detail"].as_str().unwrap().contains("at most 200"), "{problem}");
    for (path, body) in [
        ("/keep", json!({ "ids": [id], "to": { "place": "drawer", "drawer": "Nowhere" } })),
        ("/keep", json!({ "ids": [id], "to": { "place": "favorites" }, "before": "nonsense" })),
        ("/keep", json!({ "ids": [], "to": { "place": "favorites" } })),
        ("/keep", json!({ "ids": ["1"], "to": { "place": "favorites" } })),
        ("/title", json!({ "id": id, "title": "two\nlines" })),
        ("/drawers", json!({ "name": "  " })),
        ("/drawers", json!({ "name": "huts" })),
        ("/drawers/Huts/change", json!({ "color": "pink" })),
        ("/drawers/Huts/dividers/0123456789abcdef0123456789abcdef/remove", json!({})),
        ("/drawers/None/remove", json!({})),
        ("/color", json!({ "ids": [id], "color": "pink" })),
        ("/clips/1/put-back", json!({})),
        ("/fill-ins", json!({ "text": "{=dat}" })),
        ("/fill-ins", json!({ "text": "{=date}", "zone": "Nowhere/Town" })),
    ] {
        let (status, problem) = send(path, &body.to_string());
        assert!((400..500).contains(&status), "{path} {body}: {status} {problem}");
        assert!(problem["detail"].as_str().is_some_and(|words| words.len() > 8), "{path} {body}: {problem}");
    }
    // A fill-in that refers to itself says so, and the text can be taken as it is written.
    let own = add(&service, "a {=clip \"Round\"}");
    service.yadori(&["title", &own, "Round"]);
    service.yadori(&["pin", &own]);
    let (status, problem) = send("/fill-ins", &json!({ "clip": own }).to_string());
    assert!(status == 422 && problem["detail"].as_str().unwrap().contains("never end"), "{problem}");
    assert_eq!(problem["at"], json!([2, 17]));
    for query in ["in:nowhere", "/(a{1000}){1000}/", "kind:song", "since:soon"] {
        let url = format!("{address}/api/v1/search/outline");
        let (status, problem) =
            Service::curl(&["-G", "--data-urlencode", &format!("q={query}"), "-H", &auth, &url]);
        assert_eq!(status, 422, "{query}: {problem}");
        assert!(problem["at"].is_array(), "{query}: {problem}");
    }
    assert_eq!(service.list(9).len(), 2);
}
