//! What is refused, and what was recognised as a secret, is nowhere: records, files, log lines, events, exports, searches.
//! Copies come from real programs.

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};
use std::sync::{Arc, Mutex};
use std::time::Duration;

use serde_json::Value;
use yadori_e2e::traces::{in_files, in_memory};
use yadori_e2e::{Display, Owner, Service, until, until_within};

/// Everything that is told to whoever listens.
struct Events {
    curl: Child,
    told: Arc<Mutex<String>>,
}

impl Events {
    fn of(service: &Service) -> Self {
        let (key, address) = (service.key(), service.address());
        let mut curl = Command::new("curl")
            .args(["-sN", "-H", &format!("authorization: Bearer {key}"), &format!("{address}/api/v1/events")])
            .stdout(Stdio::piped())
            .spawn()
            .expect("curl");
        let out = curl.stdout.take().expect("its output");
        let told = Arc::new(Mutex::new(String::new()));
        let all = told.clone();
        std::thread::spawn(move || {
            for line in BufReader::new(out).lines().map_while(Result::ok) {
                all.lock().expect("no panic").push_str(&(line + "\n"));
            }
        });
        Self { curl, told }
    }

    fn all(&self) -> String {
        self.told.lock().expect("no panic").clone()
    }
}

impl Drop for Events {
    fn drop(&mut self) {
        let _ = self.curl.kill();
        let _ = self.curl.wait();
    }
}

fn heads(service: &Service) -> Vec<String> {
    service.list(200).into_iter().map(|row| row.head).collect()
}

/// An invented token, not written anywhere in one piece.
fn token(n: u32) -> String {
    format!("AKI{}ZEPHYR{:010}", "A", n * 6_421)
}

fn json(service: &Service, arguments: &[&str]) -> Value {
    serde_json::from_str(&service.yadori(&[arguments, &["--json"]].concat())).expect("JSON")
}

#[test]
fn a_recognised_secret_is_held_in_memory_alone_masked_and_gone_after_its_time() {
    let mut display = Display::start();
    let service = Service::configured_on(&display.name(), "[secrets]\nminutes = 0.2\n");
    let events = Events::of(&service);
    display.copy_text("oats");
    service.await_clip("oats");
    let secret = token(1);
    let xclip = display.copy_text(&secret);
    until("it to be there", || {
        heads(&service).iter().any(|head| head.contains("access token")).then_some(())
    });
    let row = service.list(1)[0].clone();
    assert!(row.until.is_some() && row.chars == 0 && row.size == 0, "{row:?}");
    // Asked for in every way there is.
    let (key, address) = (service.key(), service.address());
    let auth = format!("authorization: Bearer {key}");
    let call = |path: &str| Service::curl(&["-H", &auth, &format!("{address}/api/v1{path}")]);
    let mut shown = String::new();
    for path in ["/clips", "/outline", "/status", "/search?q=AKIA", "/search?q=zephyr", "/insight", "/acts"] {
        shown += &call(path).1.to_string();
    }
    for path in ["", "/representations/0", "/picture", "/draft", "/fill", "/compare", "/outlook"] {
        shown += &call(&format!("/clips/{}{path}", row.id)).1.to_string();
    }
    for arguments in [&["show", "1"][..], &["list"], &["status"], &["list", &secret], &["clear", "--dry-run"]]
    {
        let done = service.client(arguments);
        shown += &String::from_utf8_lossy(&done.stdout);
        shown += &String::from_utf8_lossy(&done.stderr).replace(&secret, "what was asked");
    }
    let export = service.home().join("export.zip");
    service.yadori(&["export", "--force", &export.display().to_string()]);
    assert!(!shown.contains(&secret), "{shown}");
    assert!(shown.contains("access token"));
    // Nothing can be done with it that would record it.
    for arguments in [
        &["title", "1", "a title"][..],
        &["color", "red", "1"],
        &["edit", "1", "--text", "other"],
        &["bring-up", "1"],
        &["batch", "add", "1"],
        &["pin", "1"],
        &["take", "1", "--as", "file"],
    ] {
        let done = service.client(arguments);
        let words = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && !words.contains(&secret), "{arguments:?}: {words}");
    }
    // Taken, it is what it is.
    service.yadori(&["take", &row.id]);
    assert_eq!(display.paste_text().as_deref(), Some(secret.as_str()));
    display.kill(xclip);
    assert_eq!(display.paste_text().as_deref(), Some(secret.as_str()));
    assert!(!in_memory(service.pid(), &secret).is_empty(), "a look into memory finds what is there");
    until_within("its end", Duration::from_secs(30), || (heads(&service) == ["oats"]).then_some(()));
    until("the clipboard to be empty", || display.paste_text().is_none().then_some(()));
    service.add(&["something else"]);
    service.yadori(&["take", "1"]);
    until_within("memory to be without it", Duration::from_secs(20), || {
        in_memory(service.pid(), &secret).is_empty().then_some(())
    });
    assert!(in_memory(service.database_pid(), &secret).is_empty());
    assert_eq!(in_files(service.home(), &secret), Vec::<std::path::PathBuf>::new());
    until("word of its end", || events.all().contains("event: gone").then_some(()));
    assert!(events.all().contains("event: clip") && !events.all().contains(&secret));
    let acts = service.yadori(&["undo", "--list"]);
    assert!(acts.lines().all(|line| line.contains("brought in")), "no act knows of it: {acts}");
    assert!(!acts.contains("access token") && acts.lines().count() == 1, "{acts}");
}

#[test]
fn pinning_a_secret_asks_first_and_keeps_it_masked() {
    let mut display = Display::start();
    let mut service = Service::on(&display.name());
    let secret = token(2);
    display.copy_text(&secret);
    until("it to be there", || {
        heads(&service).iter().any(|head| head.contains("access token")).then_some(())
    });
    let refused = service.client(&["pin", "1"]);
    let words = String::from_utf8_lossy(&refused.stderr).into_owned();
    assert!(!refused.status.success() && words.contains("--secret"), "{words}");
    assert_eq!(in_files(service.home(), &secret), Vec::<std::path::PathBuf>::new());
    service.yadori(&["pin", "1", "--secret"]);
    service.stop();
    service.start_again();
    service.await_records();
    let row = service.list(1)[0].clone();
    assert!(row.kept.is_some() && row.until.is_none() && row.secret.is_some(), "{row:?}");
    assert!(!service.yadori(&["show", "1"]).contains(&secret));
    let found = service.client(&["list", &secret]).stdout;
    assert!(!String::from_utf8_lossy(&found).contains("access token"), "no search finds it");
    service.yadori(&["take", "1"]);
    assert_eq!(display.paste_text().as_deref(), Some(secret.as_str()));
    // Copied once more it is the same clip.
    display.copy_text("between");
    service.await_clip("between");
    display.copy_text(&secret);
    until("its next copy", || {
        service.list(5).iter().find(|row| row.secret.is_some() && row.copies == 2).map(|_| ())
    });
    // Cleared with the secrets, when it is named.
    service.yadori(&["clear", "--secrets", "--favorites", "--yes"]);
    assert_eq!(heads(&service), ["between"]);
}

#[test]
fn what_rules_refuse_and_what_programs_mark_is_nowhere() {
    let display = Display::start();
    let rules = r#"
[[rules]]
content = "meadow"
then = "keep"
[[rules]]
program = "owner*"
window = "^nothing"
then = "keep"
[[rules]]
content = "quill"
then = "refuse"
[[rules]]
content = "walnut"
then = "mask"
minutes = 10.0
[[rules]]
kind = "link"
then = "here"
"#;
    let service = Service::configured_on(&display.name(), rules);
    let events = Events::of(&service);
    let owner = Owner::on(&display);
    let word = |n: u32| format!("zephyr{}quill", n * 5_437);
    owner.copy_text("oats");
    service.await_clip("oats");
    owner.copy_text(&word(1));
    until("it to be refused", || (json(&service, &["rules"])["rules"][2]["decided"] == 1).then_some(()));
    owner.copy(&[("UTF8_STRING", word(2).as_bytes()), ("x-kde-passwordManagerHint", b"secret")]);
    owner.copy_text(&format!("{} in the meadow", word(3)));
    service.await_clip(&word(3));
    let mut walnut = String::from("wal");
    walnut.push_str("nut of the valley 77");
    owner.copy_text(&walnut);
    until("the masked one", || heads(&service).iter().any(|head| head.contains("by a rule")).then_some(()));
    owner.copy_text("https://huts.example/permit");
    service.await_clip("https://huts.example/permit");
    assert_eq!(heads(&service).len(), 4, "{:?}", heads(&service));
    assert_eq!(display.paste_text().as_deref(), Some("https://huts.example/permit"));
    for gone in [word(1), word(2)] {
        until_within("memory to be without it", Duration::from_secs(20), || {
            in_memory(service.pid(), &gone).is_empty().then_some(())
        });
        assert_eq!(in_files(service.home(), &gone), Vec::<std::path::PathBuf>::new());
        assert!(!events.all().contains(&gone));
    }
    assert_eq!(in_files(service.home(), &walnut), Vec::<std::path::PathBuf>::new());
    assert!(!events.all().contains(&walnut));
    assert!(service.status().is_some_and(|status| status.refusals.is_empty()));
    let all = json(&service, &["rules"]);
    let decided: Vec<u64> =
        all["rules"].as_array().unwrap().iter().map(|one| one["decided"].as_u64().unwrap()).collect();
    assert_eq!(decided, [1, 0, 1, 1, 1], "{all}");
}

#[test]
fn rules_by_program_are_made_from_a_clip_in_two_steps_and_hold_at_once() {
    let display = Display::start();
    let service = Service::on(&display.name());
    let owner = Owner::on(&display);
    owner.copy_text("of this program");
    let row = service.await_clip("of this program");
    let program = row.source.program.clone().expect("its program");
    let tried = json(&service, &["rules", "try", "anything", "--from", &program]);
    assert_eq!(tried["verdict"], "keep");
    service.yadori(&["rules", "from", "1"]);
    let tried = json(&service, &["rules", "try", "anything", "--from", &program]);
    assert_eq!((&tried["verdict"], &tried["rule"]), (&Value::from("refuse"), &Value::from(1)), "{tried}");
    owner.asked();
    owner.copy_text("not to be kept");
    until("it to be seen", || (json(&service, &["rules"])["rules"][0]["decided"] == 1).then_some(()));
    let targets = owner.asked();
    assert!(targets.iter().all(|target| target == "TARGETS"), "nothing of it was read: {targets:?}");
    assert_eq!(heads(&service), ["of this program"]);
    // Changed in its place: what is not said stays as it was, and what would be no rule is refused.
    service.yadori(&["rules", "add", "--content", "second"]);
    service.yadori(&["rules", "change", "1", "--name", "The desk", "--content", "never"]);
    let first = || json(&service, &["rules"])["rules"][0]["rule"].clone();
    assert_eq!(
        (&first()["program"], &first()["content"], &first()["name"], &first()["then"]),
        (&Value::from(program.as_str()), &"never".into(), &"The desk".into(), &"refuse".into())
    );
    owner.copy_text("kept, since it does not say that word");
    service.await_clip("kept, since it does not");
    service.yadori(&[
        "rules",
        "change",
        "1",
        "--content",
        "",
        "--name",
        "",
        "--then",
        "mask",
        "--minutes",
        "5",
    ]);
    assert_eq!(
        (&first()["content"], &first()["name"], &first()["then"]),
        (&Value::Null, &Value::Null, &"mask".into())
    );
    service.yadori(&["rules", "remove", "2"]);
    service.yadori(&["rules", "remove", "1"]);
    owner.copy_text("kept again");
    service.await_clip("kept again");
    for (arguments, words) in [
        (&["rules", "add", "--content", "("][..], "no pattern"),
        (&["rules", "add"], "says nothing"),
        (&["rules", "remove", "9"], "there is no rule 9"),
        (&["rules", "change", "9", "--content", "a"], "there is no rule 9"),
        (&["rules", "from", "1", "--page"], "not known which page"),
    ] {
        let done = service.client(arguments);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && said.contains(words), "{arguments:?}: {said}");
    }
    assert_eq!(json(&service, &["rules"])["rules"].as_array().map(Vec::len), Some(0));
}
