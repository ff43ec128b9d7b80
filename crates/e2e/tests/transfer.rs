//! Exports and imports: everything there and back, twice, cut off in the middle; and search while copies arrive.

use std::io::Read;
use std::process::{Command, Stdio};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

use serde_json::{Value, json};
use yadori_e2e::{Service, many, until};

fn add(service: &Service, text: &str) -> String {
    let added: Value = serde_json::from_str(&service.yadori(&["add", "--json", "--", text])).expect("JSON");
    added["row"]["id"].as_str().expect("an id").to_owned()
}

/// Everything that an export carries, in words.
fn picture(service: &Service) -> Value {
    let rows = Value::Array(service.listed(&["-n", "500"]));
    let rows: Vec<Value> = rows
        .as_array()
        .expect("rows")
        .iter()
        .map(|row| {
            json!([
                row["id"],
                row["title"],
                row["color"],
                row["kept"]["drawer_name"],
                row["copies"],
                row["copied_at"],
                row["source"],
                row["size"]
            ])
        })
        .collect();
    let list = |arguments: &[&str]| -> Vec<Value> {
        let name = |item: &Value| item.get("divider").map_or(item["id"].clone(), |one| one["name"].clone());
        service.listed(arguments).iter().map(name).collect()
    };
    let drawers: Value = serde_json::from_str(&service.yadori(&["drawer", "list", "--json"])).expect("JSON");
    let drawers: Vec<Value> = drawers["drawers"]
        .as_array()
        .expect("drawers")
        .iter()
        .map(|one| {
            let name = one["name"].as_str().unwrap_or_default();
            json!([name, one["color"], one["group"], list(&["-d", name])])
        })
        .collect();
    json!([rows, list(&["-f"]), drawers])
}

/// A home with something of everything.
fn furnished() -> Service {
    let service = Service::without_desk();
    let ids: Vec<String> = (0..8).map(|n| add(&service, &format!("clip {n}, é 山"))).collect();
    add(&service, "clip 3, é 山");
    add(&service, &"a long text\n".repeat(3_000));
    let png: Vec<u8> = {
        let mut bytes = std::io::Cursor::new(Vec::new());
        image::RgbImage::new(40, 30).write_to(&mut bytes, image::ImageFormat::Png).unwrap();
        bytes.into_inner()
    };
    let file = service.home().join("picture.png");
    std::fs::write(&file, png).unwrap();
    service.yadori(&["add", "--file", file.to_str().unwrap()]);
    service.yadori(&[
        "add",
        "--program",
        "Mail",
        "--window",
        "Re: Bunks",
        "--type",
        "text/html",
        "--",
        "<b>Dear</b> group",
    ]);
    service.yadori(&["pin", &ids[4], &ids[1], &ids[0]]);
    service.yadori(&["title", &ids[1], "A name"]);
    service.yadori(&["color", "red", &ids[1], &ids[5]]);
    service.yadori(&["drawer", "new", "Réplies", "--color", "green", "--group", "Office"]);
    service.yadori(&["drawer", "put", "replies", &ids[6], &ids[5], &ids[2]]);
    service.yadori(&["drawer", "divider", "replies", "Numbers", "--before", &ids[5]]);
    service.yadori(&["drawer", "divider", "replies", "At the end"]);
    service.yadori(&["drawer", "new", "Empty"]);
    service
}

#[test]
fn an_export_brings_everything_back_and_a_second_import_changes_nothing() {
    let service = furnished();
    let file = service.home().join("all.zip");
    let file = file.to_str().unwrap();
    service.yadori(&["export", file]);
    let other = Service::without_desk();
    let said = other.yadori(&["import", file]);
    assert!(said.contains("Brought in 11 of 11"), "{said}");
    let (there, here) = (picture(&service), picture(&other));
    // Files and drawers have ids of their own; everything else is the same.
    assert_eq!(there, here);
    let said = other.yadori(&["import", file]);
    assert!(said.contains("Brought in 0 of"), "{said}");
    assert_eq!(picture(&other), here);
    // Into the home it came from: nothing changes either.
    service.yadori(&["import", file]);
    assert_eq!(picture(&service), there);
    // Contents are byte for byte what they were.
    let raw = |service: &Service, address: &str| service.client(&["show", address, "--raw"]).stdout;
    for place in ["1", "2", "3", "4"] {
        assert_eq!(raw(&service, place), raw(&other, place), "{place}");
    }
    assert_eq!(other.all_acts().iter().map(|(act, _)| act.as_str()).collect::<Vec<_>>(), ["import"]);
}

/// Everything of a clip: its row without its place and prefix, every representation and every earlier one byte for byte.
fn whole(service: &Service, row: &Value) -> Value {
    let id = row["id"].as_str().unwrap();
    let mut detail: Value = serde_json::from_str(&service.yadori(&["show", "--json", id])).unwrap();
    for name in ["place", "prefix"] {
        detail["row"].as_object_mut().unwrap().remove(name);
    }
    // The words of a picture are read on each device by itself, when there is time.
    detail.as_object_mut().unwrap().remove("pictured");
    if let Some(kept) = detail["row"].get_mut("kept").and_then(Value::as_object_mut) {
        // Drawers have ids of their own, and places are compared as lists.
        kept.remove("drawer");
        kept.remove("rank");
    }
    for earlier in detail["earlier"].as_array_mut().unwrap() {
        earlier.as_object_mut().unwrap().remove("at");
    }
    let mut bytes = Vec::new();
    for one in detail["representations"].as_array().unwrap() {
        let mime = one["mime"].as_str().unwrap();
        bytes.push(service.client(&["show", "--raw", "--type", mime, id]).stdout);
    }
    json!([detail, bytes])
}

fn all_of(service: &Service) -> Vec<Value> {
    let mut all: Vec<Value> = service.listed(&["-n", "500"]).iter().map(|row| whole(service, row)).collect();
    // Clips of one moment have no order of their own.
    all.sort_by_key(|one| one[0]["row"]["id"].as_str().unwrap().to_owned());
    all
}

#[test]
fn what_is_exported_comes_back_clip_by_clip_with_earlier_copies_and_originals() {
    let service = furnished();
    let at = |name: &str| service.home().join(name).display().to_string();
    std::fs::write(at("letter.html"), "<b>Dear</b> guest").unwrap();
    // The same words copied plainly, then formatted, then otherwise formatted.
    service.yadori(&["add", "Dear guest", "--program", "Notes"]);
    service.yadori(&[
        "add",
        "Dear guest",
        "--also",
        &format!("text/html={}", at("letter.html")),
        "--program",
        "Mail",
    ]);
    std::fs::write(at("letter.html"), "<i>Dear</i> guest").unwrap();
    service.yadori(&["add", "Dear guest", "--also", &format!("text/html={}", at("letter.html"))]);
    let earlier: Value = serde_json::from_str(&service.yadori(&["show", "--json", "1"])).unwrap();
    assert_eq!(earlier["earlier"].as_array().unwrap().len(), 2);
    // Edited: the original stays, and is known as such.
    service.yadori(&["edit", "f1", "--text", "Dear guests of the Kestrel Hut", "--plain"]);
    assert!(service.yadori(&["edit", "f1", "--compare"]).contains("«"));
    service.yadori(&["export", &at("all.zip")]);
    let other = Service::without_desk();
    other.yadori(&["import", &at("all.zip")]);
    assert_eq!(all_of(&other), all_of(&service));
    assert_eq!(other.yadori(&["edit", "f1", "--compare"]), service.yadori(&["edit", "f1", "--compare"]));
    assert!(other.yadori(&["import", &at("all.zip")]).contains("Brought in 0 of"));
    // A drawer's file holds them as well.
    service.yadori(&["drawer", "put", "replies", "1"]);
    service.yadori(&["drawer", "export", "replies", &at("replies.json")]);
    let third = Service::without_desk();
    third.yadori(&["drawer", "import", &at("replies.json")]);
    let in_drawer = |service: &Service| -> Vec<Value> {
        let rows = service.listed(&["-d", "replies"]).into_iter().filter(|row| row.get("id").is_some());
        rows.map(|row| whole(service, &row)).collect()
    };
    assert_eq!(in_drawer(&third), in_drawer(&service));
    // Onto the same words without formatting, the formatting is not lost, and what was there is not either.
    let fourth = Service::without_desk();
    fourth.yadori(&["add", "Dear guest"]);
    fourth.yadori(&["import", &at("all.zip")]);
    let row = fourth.listed(&["\"Dear guest\""]).remove(0);
    let detail: Value =
        serde_json::from_str(&fourth.yadori(&["show", "--json", row["id"].as_str().unwrap()])).unwrap();
    let mimes: Vec<&str> = detail["representations"]
        .as_array()
        .unwrap()
        .iter()
        .map(|one| one["mime"].as_str().unwrap())
        .collect();
    assert!(mimes.contains(&"text/html") && detail["row"]["formatted"] == true, "{detail}");
    assert!(detail["earlier"].as_array().unwrap().len() >= 2, "{detail}");
    assert!(fourth.yadori(&["import", &at("all.zip")]).contains("Brought in 0 of"));
}

#[test]
fn an_import_is_one_act_that_is_taken_back_and_made_again() {
    let service = furnished();
    let at = |name: &str| service.home().join(name).display().to_string();
    service.yadori(&["export", &at("all.zip")]);
    service.yadori(&["drawer", "export", "replies", &at("replies.json")]);
    for (file, verb) in [("all.zip", &["import"][..]), ("replies.json", &["drawer", "import"])] {
        let mut other = Service::without_desk();
        // Some of it is there already, bare; something else is kept.
        let own = add(&other, "clip 1, é 山");
        add(&other, "clip 5, é 山");
        add(&other, "its own");
        other.yadori(&["pin", "1"]);
        other.yadori(&["drawer", "new", "Its own"]);
        let acts = other.all_acts().len();
        let before = picture(&other);
        let said = other.yadori(&[verb, &[&at(file)]].concat());
        assert!(said.contains("`yadori undo` takes that back, for 10 minutes."), "{said}");
        let after = picture(&other);
        assert_ne!(before, after);
        assert_eq!((other.all_acts().len(), other.all_acts()[0].0.as_str()), (acts + 1, "import"));
        // Back, and again, across an end that nobody planned.
        other.yadori(&["undo"]);
        assert_eq!(picture(&other), before, "{file}");
        other.kill();
        other.start_again();
        other.await_records();
        assert_eq!(picture(&other), before, "{file}");
        other.yadori(&["redo"]);
        assert_eq!(picture(&other), after, "{file}");
        // What was done to it since stays.
        other.yadori(&["title", &own, "Mine"]);
        let import = other.yadori(&["undo", "--list", "--json"]);
        let import: Value = serde_json::from_str(&import).unwrap();
        let id = import["acts"].as_array().unwrap().iter().find(|act| act["act"] == "import").unwrap()["id"]
            .clone();
        let url = format!("{}/api/v1/undo?act={}", other.address(), id.as_str().unwrap());
        let key = format!("authorization: Bearer {}", other.key());
        assert_eq!(Service::curl(&["-X", "POST", "-H", &key, &url]).0, 200);
        assert_eq!(other.list(9).iter().find(|row| row.id == own).unwrap().title.as_deref(), Some("Mine"));
        assert_eq!(other.list(99).len(), 3, "{file}");
        // The same import a second time changes nothing, and is no act.
        other.yadori(&[verb, &[&at(file)]].concat());
        let acts = other.all_acts().len();
        let said = other.yadori(&[verb, &[&at(file)]].concat());
        assert!(!said.contains("undo") && other.all_acts().len() == acts, "{said}");
    }
}

#[test]
fn a_csv_carries_what_it_can_and_says_what_it_can_not() {
    let service = furnished();
    let at = |name: &str| service.home().join(name).display().to_string();
    std::fs::write(at("plan é.txt"), "x").unwrap();
    service.yadori(&["add", "--reference", &at("plan é.txt"), &at("picture.png")]);
    service.yadori(&["add", "with a page", "--page", "https://example.org/huts", "--program", "Browser"]);
    let done = service.client(&["export", &at("all.csv")]);
    let said = String::from_utf8_lossy(&done.stderr).into_owned();
    assert!(done.status.success() && said.contains("1 picture left out"), "{said}");
    let other = Service::without_desk();
    other.yadori(&["import", &at("all.csv")]);
    let lines = |service: &Service| -> Vec<Value> {
        let rows = service.listed(&["-n", "500"]);
        let all = rows.iter().filter(|row| row["kind"] != "image");
        let mut all: Vec<Value> = all
            .map(|row| {
                json!([
                    row["head"],
                    row["files"],
                    row["kind"],
                    row["title"],
                    row["color"],
                    row["copies"],
                    row["copied_at"],
                    row["source"],
                    row["kept"]["drawer_name"]
                ])
            })
            .collect();
        all.sort_by_key(ToString::to_string);
        all
    };
    assert_eq!(lines(&other), lines(&service));
    let order = |service: &Service, arguments: &[&str]| -> Vec<Value> {
        let rows = service.listed(arguments).into_iter().filter(|row| row.get("id").is_some());
        rows.map(|row| row["head"].clone()).collect()
    };
    for arguments in [&["-f"][..], &["-d", "replies"]] {
        assert_eq!(order(&other, arguments), order(&service, arguments), "{arguments:?}");
    }
}

#[test]
fn a_drawer_travels_as_one_file_and_texts_as_csv_and_lines() {
    let service = furnished();
    let at = |name: &str| service.home().join(name).to_str().unwrap().to_owned();
    service.yadori(&["drawer", "export", "replies", &at("drawer.json")]);
    let other = Service::without_desk();
    add(&other, "clip 5, é 山");
    other.yadori(&["drawer", "import", &at("drawer.json")]);
    let list = |service: &Service| -> Vec<String> {
        let words = |item: Value| match item.get("divider") {
            Some(divider) => format!("── {}", divider["name"]),
            None => item["head"].to_string(),
        };
        service.listed(&["-d", "Réplies"]).into_iter().map(words).collect()
    };
    assert_eq!(list(&service).len(), 5);
    assert_eq!(list(&other), list(&service));
    other.yadori(&["drawer", "import", &at("drawer.json")]);
    assert_eq!(list(&other), list(&service));
    service.yadori(&["export", &at("texts.csv"), "--query", "clip"]);
    let csv = std::fs::read_to_string(at("texts.csv")).unwrap();
    assert!(
        csv.starts_with("copied_at,kind,title,color,drawer,place,copies,program,window,page,text\n")
            && csv.lines().count() == 9,
        "{csv}"
    );
    std::fs::write(at("lines.txt"), "first line\n\nsecond line\n").unwrap();
    let third = Service::without_desk();
    third.yadori(&["import", &at("texts.csv")]);
    third.yadori(&["import", &at("lines.txt"), "--split", "lines"]);
    let heads: Vec<String> = third.list(2).into_iter().map(|row| row.head).collect();
    assert_eq!(heads, ["first line", "second line"]);
    assert_eq!(third.list(50).len(), 10);
    assert!(third.yadori(&["list", "A name"]).contains("clip 1"));
    // Passing one on.
    let folder = service.home().join("out");
    std::fs::create_dir(&folder).unwrap();
    service.yadori(&["show", "f2", "--save", folder.to_str().unwrap()]);
    assert_eq!(std::fs::read_to_string(folder.join("A name.txt")).unwrap(), "clip 1, é 山");
    assert!(
        service
            .yadori(&["show", "f2", "--mail", "--print"])
            .starts_with("mailto:?subject=A%20name&body=clip%201")
    );
}

/// A home with three thousand clips, forty of them favorites and some in a drawer, and the file to which they were exported.
fn three_thousand() -> (Service, String) {
    let source = Service::without_desk();
    let lines: String = (0..3_000).map(|n| format!("line {n}: {}\n", "x".repeat(n % 700))).collect();
    let path = source.home().join("lines.txt");
    std::fs::write(&path, lines).unwrap();
    source.yadori(&["import", path.to_str().unwrap(), "--split", "lines"]);
    let favorites: Vec<String> = source.list(40).into_iter().map(|row| row.id).collect();
    source.yadori(&[vec!["pin"], favorites.iter().map(String::as_str).collect()].concat());
    source.yadori(&["drawer", "new", "Lines"]);
    source.yadori(&["drawer", "put", "Lines", &favorites[0], &favorites[1]]);
    let zip = source.home().join("all.zip").to_str().unwrap().to_owned();
    source.yadori(&["export", &zip]);
    (source, zip)
}

#[test]
fn what_an_import_had_brought_that_was_cut_off_with_the_service_can_be_taken_back() {
    let (_source, zip) = three_thousand();
    let mut other = Service::without_desk();
    // Some of it is there already.
    let own = add(&other, &format!("line 9: {}", "x".repeat(9)));
    other.yadori(&["title", &own, "Mine"]);
    add(&other, &format!("line 2999: {}", "x".repeat(199)));
    let (before, acts) = (picture(&other), other.all_acts().len());
    let noted = |service: &Service| service.records("SELECT COUNT(*) FROM brought");
    for cut in [1, 200, 1_000] {
        let mut import = other.client_command(&["import", &zip]);
        let mut import = import.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        until("some clips", || other.status().filter(|status| status.clips >= 2 + cut));
        other.kill();
        let _ = import.wait();
        other.start_again();
        other.await_records();
        until("it is an act", || (other.all_acts().len() > acts).then_some(()));
        let there = other.status().unwrap().clips;
        assert!(there >= 2 + cut && there < 2_999, "{there}");
        assert_eq!((other.all_acts().len(), other.all_acts()[0].0.as_str()), (acts + 1, "import"));
        other.yadori(&["undo"]);
        assert_eq!((picture(&other), other.status().unwrap().clips), (before.clone(), 2), "{cut}");
        other.yadori(&["redo"]);
        assert_eq!(other.status().unwrap().clips, there);
        other.yadori(&["undo"]);
        assert_eq!((picture(&other), noted(&other).as_str()), (before.clone(), "0"));
    }
    // One that comes to its end is one act, and nothing else is left of it.
    other.yadori(&["import", &zip]);
    assert_eq!((other.status().unwrap().clips, noted(&other).as_str()), (3_000, "0"));
    other.yadori(&["undo"]);
    assert_eq!(picture(&other), before);
    // A very large one is several, each to be taken back on its own.
    other.yadori(&["limits", "set", "clips=off", "--yes"]);
    let many: String = (0..10_100).map(|n| format!("one of many: {n}\n")).collect();
    let path = other.home().join("many.txt");
    std::fs::write(&path, many).unwrap();
    let said = other.yadori(&["import", path.to_str().unwrap(), "--split", "lines"]);
    assert!(said.contains("`yadori undo 2` takes that back"), "{said}");
    other.yadori(&["undo"]);
    assert_eq!(other.status().unwrap().clips, 10_002);
    other.yadori(&["undo"]);
    assert_eq!((picture(&other), noted(&other).as_str()), (before, "0"));
}

#[test]
fn an_import_that_is_killed_leaves_whole_clips_and_goes_on() {
    let (source, zip) = three_thousand();
    let mut other = Service::without_desk();
    for _ in 0..2 {
        let before = other.status().unwrap().clips;
        let mut import = other.client_command(&["import", &zip]);
        let mut import = import.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        until("some clips", || other.status().filter(|status| status.clips > before + 200));
        other.kill();
        let _ = import.wait();
        other.start_again();
        other.await_records();
        let count = other.status().unwrap().clips;
        assert!(count >= before + 200 && count < 3_000, "{count}");
        // Each that is there is whole.
        for row in other.list(50) {
            let text = other.yadori(&["show", &row.id]);
            assert_eq!(text.trim_end_matches('\n').len() as u64, row.size);
        }
    }
    let said = other.yadori(&["import", &zip]);
    assert!(said.contains("of 3000"), "{said}");
    assert_eq!(picture(&other), picture(&source));
}

#[test]
fn imports_that_are_broken_say_so_and_change_nothing() {
    let service = Service::without_desk();
    add(&service, "here before");
    let path = service.home().join("bad");
    let export = service.home().join("good.zip");
    service.yadori(&["export", export.to_str().unwrap()]);
    let good = std::fs::read(&export).unwrap();
    let cases: Vec<(&str, Vec<u8>, &str)> = vec![
        ("cut off", good[..good.len() - 30].to_vec(), "zip"),
        ("a drawer that is none", b"{\"yadori_drawer\":1}".to_vec(), "drawer"),
        ("a drawer from later", b"{\"yadori_drawer\":7,\"name\":\"x\",\"items\":[]}".to_vec(), "newer"),
        ("no text", vec![0xe9, 0xfe, 0x00, 0x80], "UTF-8"),
        ("nothing", Vec::new(), "nothing"),
    ];
    for (name, bytes, words) in cases {
        let path = service.home().join(if name == "no text" { "import.txt" } else { "import" });
        std::fs::write(&path, bytes).unwrap();
        let done = service.client(&["import", path.to_str().unwrap()]);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && said.contains(words), "{name}: {said}");
    }
    // A clip that is broken is named; the others come in.
    let long = json!({ "title": "x".repeat(10_000), "representations": [{ "mime": "text/plain", "text": "long title" }] });
    let fine = json!({ "representations": [{ "mime": "text/plain", "text": "fine" }] });
    let outside = json!({ "representations": [{ "mime": "text/plain", "file": "/etc/passwd" }] });
    let drawer = json!({ "yadori_drawer": 1, "name": "Mixed", "items": [{ "clip": long }, { "clip": fine }, { "clip": outside }] });
    std::fs::write(&path, drawer.to_string()).unwrap();
    let done = service.client(&["drawer", "import", path.to_str().unwrap()]);
    let said = format!("{}{}", String::from_utf8_lossy(&done.stdout), String::from_utf8_lossy(&done.stderr));
    assert!(said.contains("Brought in 1 of 3") && said.contains("clip 1: its title"), "{said}");
    assert_eq!(done.status.code(), Some(1));
    assert_eq!(service.list(9).len(), 2);
}

/// Listens to events, and gives each `clip` and `gone` as it comes.
fn listen(service: &Service, key: &str, tell: impl Fn(&str, Value) + Send + 'static) -> std::process::Child {
    let mut child = Command::new("curl")
        .args([
            "-s",
            "-N",
            "-H",
            &format!("authorization: Bearer {key}"),
            &format!("{}/api/v1/events", service.address()),
        ])
        .stdout(Stdio::piped())
        .spawn()
        .expect("curl");
    let mut out = child.stdout.take().expect("its output");
    std::thread::spawn(move || {
        let mut text = String::new();
        let mut bytes = [0; 65_536];
        while let Ok(read) = out.read(&mut bytes) {
            if read == 0 {
                return;
            }
            text.push_str(&String::from_utf8_lossy(&bytes[..read]));
            while let Some(end) = text.find("\n\n") {
                let block: String = text.drain(..end + 2).collect();
                let field = |name: &str| {
                    block
                        .lines()
                        .find_map(|line| line.strip_prefix(name))
                        .unwrap_or_default()
                        .trim()
                        .to_owned()
                };
                if let Ok(data) = serde_json::from_str(&field("data:")) {
                    tell(&field("event:"), data);
                }
            }
        }
    });
    child
}

#[test]
fn search_misses_nothing_that_was_announced_and_shows_nothing_that_was_removed_while_fifty_a_second_arrive() {
    let service = Service::without_desk();
    for n in 0..300 {
        add(&service, &format!("old needle {n}"));
    }
    let key = service.key();
    let announced = std::sync::Arc::new(Mutex::new((Vec::<String>::new(), Vec::<String>::new())));
    let told = announced.clone();
    let listening = std::sync::Arc::new(AtomicBool::new(false));
    let hears = listening.clone();
    let mut listener = listen(&service, &key, move |event, data| {
        let mut announced = told.lock().unwrap();
        match event {
            "status" => hears.store(true, Ordering::SeqCst),
            "clip" => announced.0.push(data["row"]["id"].as_str().unwrap_or_default().to_owned()),
            "gone" => announced.1.push(data["id"].as_str().unwrap_or_default().to_owned()),
            _ => {}
        }
    });
    until("listening", || listening.load(Ordering::SeqCst).then_some(()));
    add(&service, "needle first");
    until("its event", || (!announced.lock().unwrap().0.is_empty()).then_some(()));
    let stop = AtomicBool::new(false);
    let removing = Mutex::new(std::collections::HashSet::<String>::new());
    let searches = AtomicU64::new(0);
    let auth = format!("authorization: Bearer {key}");
    let url = format!("{}/api/v1/search/outline?q=needle", service.address());
    std::thread::scope(|scope| {
        scope.spawn(|| {
            while !stop.load(Ordering::SeqCst) {
                let (there, gone) = announced.lock().unwrap().clone();
                let (status, found) = Service::curl(&["-H", &auth, &url]);
                assert_eq!(status, 200);
                let ids = found["ids"].as_str().unwrap();
                let found: std::collections::HashSet<&str> =
                    ids.as_bytes().chunks(26).map(|id| std::str::from_utf8(id).unwrap()).collect();
                for id in &there {
                    let leaves = removing.lock().unwrap().contains(id);
                    assert!(found.contains(id.as_str()) || leaves, "an announced clip was missed");
                }
                for id in &gone {
                    assert!(!found.contains(id.as_str()), "a removed clip was shown");
                }
                searches.fetch_add(1, Ordering::SeqCst);
            }
        });
        // Far more than fifty a second arrive, and a third of the old ones go meanwhile.
        let lines: String = (0..2_000).map(|n| format!("new needle {n}\n")).collect();
        let path = service.home().join("lines.txt");
        std::fs::write(&path, lines).unwrap();
        let mut import = service.client_command(&["import", path.to_str().unwrap(), "--split", "lines"]);
        let mut import = import.stdout(Stdio::null()).spawn().expect("yadori");
        for id in service.list(300).into_iter().filter(|row| row.head.starts_with("old")).step_by(3) {
            removing.lock().unwrap().insert(id.id.clone());
            service.yadori(&["remove", &id.id]);
        }
        assert!(import.wait().expect("yadori").success());
        until("searches meanwhile", || (searches.load(Ordering::SeqCst) > 20).then_some(()));
        stop.store(true, Ordering::SeqCst);
    });
    let _ = listener.kill();
    let _ = listener.wait();
}

#[test]
fn a_backup_made_as_soon_as_a_restore_is_done_holds_all_of_it_and_so_does_a_service_killed_then() {
    let mut service = Service::without_desk();
    let path = |name: &str| service.home().join(name).display().to_string();
    let (first, second) = (path("first.tar"), path("second.tar"));
    many::write_backup(first.as_ref(), 9_000).expect("a backup");
    service.yadori(&["restore", &first]);
    service.yadori(&["backup", &second]);
    let other = Service::without_desk();
    other.yadori(&["restore", &second]);
    assert_eq!(other.status().expect("a status").clips, 9_000);
    drop(other);
    // Another home, killed in the middle of what follows a restore: what was removed stays removed.
    service.stop();
    let mut third = Service::without_desk();
    third.yadori(&["restore", &first]);
    for _ in 0..3 {
        third.yadori(&["remove", "1", "2", "3"]);
    }
    third.kill();
    third.start_again();
    third.await_records();
    assert_eq!(third.status().expect("a status").clips, 8_991);
}
