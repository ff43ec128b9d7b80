//! What was removed, once its grace period has ended: in no table, no memory, no event, no file.

use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use serde_json::Value;
use yadori_e2e::traces::{in_files, in_memory};
use yadori_e2e::{Display, Service, until, until_within};

fn id_of(added: &str) -> String {
    let added: Value = serde_json::from_str(added).expect("JSON");
    added["row"]["id"].as_str().expect("an id").to_owned()
}

fn add(service: &Service, text: &str) -> String {
    id_of(&service.yadori(&["add", "--json", "--", text]))
}

fn acts(service: &Service) -> Vec<Value> {
    let acts: Value = serde_json::from_str(&service.yadori(&["undo", "--list", "--json"])).expect("JSON");
    acts["acts"].as_array().expect("acts").clone()
}

/// Three seconds.
const SHORT_GRACE: &str = "[acts]\ngrace_minutes = 0.05\n";

#[test]
fn what_was_removed_is_in_no_memory_no_event_and_no_file_once_its_time_has_ended() {
    let service = Service::configured(SHORT_GRACE);
    let key = service.key();
    let address = service.address();
    let auth = format!("authorization: Bearer {key}");
    let call = |path: &str| Service::curl(&["-H", &auth, &format!("{address}/api/v1{path}")]);
    // Words that are nowhere else, also not in this test's own arguments once they are split.
    let word = |n: u32| format!("zephyr{}quill", n * 7_919);
    let long = format!("{} at the end", "many words ".repeat(400));
    let mut ids =
        vec![add(&service, &format!("{} as it was", word(1))), add(&service, &format!("{long} {}", word(2)))];
    service.yadori(&["title", &ids[0], &format!("title {}", word(3))]);
    service.yadori(&["pin", &ids[0]]);
    service.yadori(&["edit", &ids[1], "--text", &format!("changed {}", word(4))]);
    ids.push(service.list(1)[0].id.clone());
    let draft = serde_json::json!({ "text": format!("draft {}", word(5)) }).to_string();
    let url = format!("{address}/api/v1/clips/{}/draft", ids[2]);
    Service::curl(&["-d", &draft, "-H", "content-type: application/json", "-H", &auth, &url]);
    // All of it is looked at in every way there is.
    for n in 1..=4 {
        call(&format!("/search?q={}", word(n)));
        service.yadori(&["list", &word(n)]);
    }
    for id in &ids {
        service.yadori(&["show", id]);
    }
    service.yadori(&["export", "--force", "/dev/null"]);
    assert!(!in_memory(service.pid(), &word(1)).is_empty(), "a look into memory finds what is there");
    let all: Vec<&str> = ids.iter().map(String::as_str).collect();
    service.yadori(&[vec!["remove"], all].concat());
    until_within("the end of the removal", Duration::from_secs(30), || {
        acts(&service).is_empty().then_some(())
    });
    // Events of the past are asked for once more.
    let events = Command::new("curl")
        .args(["-s", "-m", "2", "-H", &auth, "-H"])
        .arg(format!("last-event-id: {}-0", epoch(&call("/outline").1)))
        .arg(format!("{address}/api/v1/events"))
        .output()
        .expect("curl");
    let events = String::from_utf8_lossy(&events.stdout).into_owned();
    assert!(events.contains("event: gone"), "{events}");
    // Other work passes through the same buffers.
    for n in 0..40 {
        add(&service, &format!("clip {n} {}", "oats ".repeat(900)));
        call("/status");
        service.yadori(&["list"]);
    }
    for n in 1..=5 {
        assert!(!events.contains(&word(n)), "events tell {}", word(n));
        nowhere(&service, &word(n));
    }
}

#[test]
fn what_a_batch_held_is_nowhere_once_it_was_removed_and_its_time_has_ended() {
    let display = Display::start();
    let service = Service::configured_on(&display.name(), SHORT_GRACE);
    let word = |n: u32| format!("zephyr{}quill", n * 6_577);
    // Of a text of its own, and of a clip; both handed out, and the labels and names read.
    let records = format!("Name: {}\nRoom: {}", word(1), word(2));
    service.yadori(&["batch", "new", "--text", &records, "--split", "pairs", "--name", &word(3)]);
    let id = add(&service, &format!("{} as a clip", word(4)));
    service.yadori(&["batch", "add", &id]);
    for _ in 0..3 {
        service.yadori(&["batch", "next"]);
    }
    service.yadori(&["batch", "list"]);
    service.yadori(&["batch", "drop", "2"]);
    assert!(!in_memory(service.pid(), &word(1)).is_empty(), "a look into memory finds what is there");
    service.yadori(&["batch", "remove"]);
    service.yadori(&["remove", &id]);
    // What is on the clipboard is the person's until something else is.
    service.yadori(&["add", "something else"]);
    service.yadori(&["take", "1"]);
    until_within("the end of the removal", Duration::from_secs(30), || {
        acts(&service).is_empty().then_some(())
    });
    for n in 0..40 {
        add(&service, &format!("clip {n} {}", "oats ".repeat(900)));
        service.yadori(&["list"]);
    }
    for n in 1..=4 {
        nowhere(&service, &word(n));
    }
}

#[test]
fn what_was_cleared_is_nowhere_once_its_time_has_ended_or_at_once_where_that_was_said() {
    let service = Service::configured(SHORT_GRACE);
    let word = |n: u32| format!("zephyr{}quill", n * 6_421);
    let long = format!("{} {}", "many words ".repeat(400), word(2));
    let ids = [add(&service, &word(1)), add(&service, &long), add(&service, "oats")];
    service.yadori(&["title", &ids[0], &word(3)]);
    service.yadori(&["color", "red", &ids[0]]);
    service.yadori(&["pin", &ids[2]]);
    service.yadori(&["list", &word(2)]);
    assert!(!in_memory(service.pid(), &word(1)).is_empty(), "a look into memory finds what is there");
    service.yadori(&["clear", "--yes"]);
    // Taken back and made again: the same words once more.
    service.yadori(&["undo"]);
    service.yadori(&["redo"]);
    add(&service, &word(4));
    service.yadori(&["clear", "--yes", "--now"]);
    until_within("the ends of both", Duration::from_secs(30), || {
        acts(&service).iter().all(|act| act["act"] != "clear").then_some(())
    });
    assert_eq!(service.list(5).len(), 1);
    for n in 0..40 {
        add(&service, &format!("clip {n} {}", "oats ".repeat(900)));
        service.yadori(&["list"]);
    }
    for n in 1..=4 {
        nowhere(&service, &word(n));
    }
}

#[test]
fn what_an_import_brought_is_nowhere_once_it_was_removed_also_where_the_import_was_cut_off() {
    let mut service = Service::configured(SHORT_GRACE);
    let word = |n: u32| format!("kestrel{}ridge", n * 7_213);
    let path = service.home().parent().expect("a folder").join("lines.txt");
    let lines: Vec<String> = (0..3_000)
        .map(|n| if n % 20 == 0 { format!("{} {n}", word(1 + n % 40 / 20)) } else { format!("line {n}") })
        .collect();
    std::fs::write(&path, lines.join("\n")).unwrap();
    let path = path.display().to_string();
    let mut import = service.client_command(&["import", &path, "--split", "lines"]);
    let mut import = import.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
    until("some clips", || service.status().filter(|status| status.clips > 100));
    service.kill();
    let _ = import.wait();
    service.start_again();
    service.await_records();
    let taken_up = || service.records("SELECT COUNT(*) FROM brought") == "0";
    until("it is an act", || taken_up().then_some(()));
    // One word is removed from what was cut off, the other from one that comes to its end.
    service.yadori(&["clear", "--query", &word(1), "--yes"]);
    service.yadori(&["import", &path, "--split", "lines"]);
    std::fs::remove_file(&path).unwrap();
    service.yadori(&["clear", "--query", &word(2), "--yes"]);
    service.yadori(&["clear", "--query", &word(1), "--yes"]);
    until_within("the ends of all", Duration::from_secs(60), || acts(&service).is_empty().then_some(()));
    assert!(service.status().unwrap().clips > 2_000);
    for n in 0..40 {
        add(&service, &format!("clip {n} {}", "oats ".repeat(900)));
        service.yadori(&["list"]);
    }
    for word in [word(1), word(2)] {
        in_no_memory(&service, &word);
        // Of thousands of rows some may stay in pages that the database has freed; docs/security.md says so. Those in which it is
        // noted what an import has done follow each other, and none is freed.
        let noted = |path: &std::path::PathBuf| path.ends_with("brought.ibd");
        assert!(!in_files(service.home(), &word).iter().any(noted), "{word}");
    }
}

/// In no memory; what work is still under way lets go of it when it ends.
fn in_no_memory(service: &Service, word: &str) {
    let mut found = Vec::new();
    let end = Instant::now() + Duration::from_secs(10);
    while Instant::now() < end {
        found = in_memory(service.pid(), word);
        if found.is_empty() {
            break;
        }
    }
    assert!(found.is_empty(), "{word} is in memory: {found:#?}");
}

/// In no memory and in no file.
fn nowhere(service: &Service, word: &str) {
    in_no_memory(service, word);
    let files: Vec<_> = in_files(service.home(), word)
        .into_iter()
        // The server's redo log is a ring of 32 MB that is overwritten as it goes round; docs/security.md says so.
        .filter(|path| !path.ends_with("ib_logfile0"))
        .collect();
    assert!(files.is_empty(), "{word} is in {files:?}");
}

#[test]
fn the_words_of_a_removed_picture_are_nowhere_once_its_time_has_ended() {
    let service = Service::configured(SHORT_GRACE);
    let dir = tempfile::tempdir().expect("a directory");
    let file = dir.path().join("notice.png");
    std::fs::write(&file, yadori_demo::draw::notice(&["Zephyr quillstone"]).expect("a picture"))
        .expect("a file");
    let id = id_of(&service.yadori(&["add", "--json", "--file", &file.to_string_lossy()]));
    // Whoever reads them makes way for everything else.
    until_within("its words", Duration::from_secs(600), || {
        service.yadori(&["show", &id]).contains("quillstone").then_some(())
    });
    // Recorded first, and then found.
    until("the search to know them", || {
        service.client(&["list", "quillstone"]).status.success().then_some(())
    });
    assert!(!in_memory(service.pid(), "quillstone").is_empty(), "a look into memory finds what is there");
    service.yadori(&["remove", &id]);
    until_within("the end of the removal", Duration::from_secs(30), || {
        acts(&service).is_empty().then_some(())
    });
    for n in 0..40 {
        add(&service, &format!("clip {n} {}", "oats ".repeat(900)));
        service.yadori(&["list"]);
    }
    nowhere(&service, "quillstone");
}

fn epoch(outline: &Value) -> String {
    outline["epoch"].as_str().expect("an epoch").to_owned()
}

#[test]
fn a_removal_ends_also_when_the_database_was_away_at_that_moment() {
    let service = Service::configured(SHORT_GRACE);
    let id = add(&service, "gone soon");
    service.yadori(&["remove", &id]);
    let pid = service.database_pid().to_string();
    assert!(Command::new("kill").args(["-STOP", &pid]).status().unwrap().success());
    // Its time comes while nothing can be written.
    let until_end = Instant::now() + Duration::from_secs(6);
    until_within("the end of the time", Duration::from_secs(10), || {
        (Instant::now() > until_end).then_some(())
    });
    assert!(Command::new("kill").args(["-CONT", &pid]).status().unwrap().success());
    until_within("the end of the removal", Duration::from_secs(40), || {
        acts_now(&service)?.is_empty().then_some(())
    });
    assert_eq!(service.client(&["undo"]).status.code(), Some(6));
}

fn acts_now(service: &Service) -> Option<Vec<Value>> {
    let done = service.client(&["undo", "--list", "--json"]);
    let acts: Value = serde_json::from_slice(&done.stdout).ok()?;
    acts["acts"].as_array().cloned()
}

#[test]
fn an_act_made_with_a_clock_far_ahead_keeps_no_later_removal() {
    let mut service = Service::configured(SHORT_GRACE);
    let (first, second) = (add(&service, "made ahead"), add(&service, "made now"));
    service.yadori(&["remove", &first]);
    // As if the clock had been a year ahead when it was removed.
    service.records("UPDATE acts SET at = at + 365 * 86400 * 1000000");
    service.kill();
    service.start_again();
    service.await_records();
    service.yadori(&["remove", &second]);
    until_within("the end of both", Duration::from_secs(30), || acts(&service).is_empty().then_some(()));
}

#[test]
fn hundreds_of_removals_that_end_together_hold_nothing_up() {
    let service = Service::configured("[acts]\ngrace_minutes = 0.2\n");
    let lines: String = (0..420).map(|n| format!("line {n}\n")).collect();
    let path = service.home().join("lines.txt");
    std::fs::write(&path, lines).unwrap();
    service.yadori(&["import", path.to_str().unwrap(), "--split", "lines"]);
    let key = service.key();
    let auth = format!("authorization: Bearer {key}");
    let url = format!("{}/api/v1/remove", service.address());
    let ids: Vec<String> = service.list(400).into_iter().map(|row| row.id).collect();
    for id in &ids {
        let body = serde_json::json!({ "ids": [id] }).to_string();
        let (status, _) =
            Service::curl(&["-d", &body, "-H", "content-type: application/json", "-H", &auth, &url]);
        assert_eq!(status, 200);
    }
    // While they end, copies go on being taken in.
    let mut slowest = Duration::ZERO;
    let mut n = 0;
    until_within("the end of all", Duration::from_secs(60), || {
        let began = Instant::now();
        add(&service, &format!("meanwhile {n}"));
        n += 1;
        slowest = slowest.max(began.elapsed());
        // What is added is an act as well.
        (!acts(&service).iter().any(|act| act["act"] == "remove")).then_some(())
    });
    assert!(slowest < Duration::from_secs(3), "an add took {slowest:?}");
    until("nothing but what was added since", || (service.status()?.clips == 20 + n).then_some(()));
}

#[test]
fn after_shredding_no_byte_of_it_is_in_the_whole_data_directory() {
    let mut service = Service::configured("[acts]\ngrace_minutes = 10\n");
    let word = |n: u32| format!("zephyr{}quill", n * 4_409);
    for n in 0..30 {
        add(&service, &format!("{} {n} {}", word(1), "many words ".repeat(500)));
    }
    let kept = add(&service, "oats and rope");
    service.yadori(&["title", &kept, "stays"]);
    service.yadori(&["pin", &kept]);
    service.yadori(&["drawer", "new", "Huts"]);
    service.yadori(&["drawer", "put", "Huts", &kept]);
    assert!(!in_files(service.home(), &word(1)).is_empty(), "a look into files finds what is there");
    let before = service.list(5);
    let said = service.yadori(&["clear", "--shred", "--yes"]);
    assert!(said.contains("30 clips") && said.contains("rebuilt"), "{said}");
    assert_eq!(in_files(service.home(), &word(1)), Vec::<std::path::PathBuf>::new());
    let after = service.list(5);
    assert_eq!((&after[0].title, &after[0].kept), (&before[0].title, &before[0].kept));
    assert_eq!(after.len(), 1);
    // What is there can be read, changed, taken back, and outlives a restart.
    assert!(service.yadori(&["show", "1"]).contains("oats and rope"));
    assert!(service.yadori(&["check"]).contains("whole"));
    service.yadori(&["title", "1", "another"]);
    service.yadori(&["undo"]);
    add(&service, "new");
    service.stop();
    service.start_again();
    service.await_records();
    assert_eq!(service.list(5).len(), 2);
    let left: Vec<_> = std::fs::read_dir(service.home().join("data"))
        .map(|entries| entries.filter_map(Result::ok).map(|one| one.file_name()).collect())
        .unwrap_or_default();
    assert!(left.iter().all(|name| !name.to_string_lossy().starts_with("records.")), "{left:?}");
}

#[test]
fn a_rebuilding_that_is_broken_off_anywhere_is_ended_at_the_next_start() {
    let mut service = Service::configured("[acts]\ngrace_minutes = 10\n");
    for n in 0..200 {
        add(&service, &format!("clip {n}"));
    }
    for (wait, asked) in
        [(0, false), (30, false), (100, true), (200, false), (700, true), (1_500, false), (2_500, false)]
    {
        let mut client = service
            .client_command(&["clear", "--kind", "image", "--live", "--shred", "--yes"])
            .spawn()
            .expect("the client");
        std::thread::sleep(Duration::from_millis(wait));
        if asked {
            service.stop();
        } else {
            service.kill();
        }
        let _ = client.kill();
        let _ = client.wait();
        service.start_again();
        service.await_records();
        assert_eq!(service.list(300).len(), 200, "after {wait} ms");
    }
}
