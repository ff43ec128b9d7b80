//! The client's manners: exit codes, one shape of JSON, following, tables, completions, manual pages, standard streams.

use std::collections::BTreeMap;
use std::io::{BufRead, BufReader, Read};
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

use serde_json::Value;
use unicode_width::UnicodeWidthStr;
use yadori_e2e::{Service, until, until_within};

/// The table of exit codes in the document.
fn documented() -> BTreeMap<i32, String> {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/client.md");
    let text = std::fs::read_to_string(path).unwrap();
    let rows = text.lines().filter_map(|line| line.strip_prefix("| ")?.strip_suffix(" |")?.split_once(" | "));
    rows.filter_map(|(code, words)| Some((code.parse().ok()?, words.replace('`', "")))).collect()
}

fn code(service: &Service, arguments: &[&str]) -> i32 {
    let mut client = service.client_command(arguments);
    client.env("EDITOR", "false").env_remove("VISUAL").stdin(Stdio::null());
    client.output().unwrap().status.code().unwrap_or(-1)
}

#[test]
fn exit_codes_are_those_of_the_document_and_of_the_manual_page() {
    let mut service = Service::without_desk();
    service.add(&["oats"]);
    let cases: [(i32, &[&str]); 9] = [
        (0, &["list"]),
        (1, &["take"]),
        (2, &["list", "kind:song"]),
        (4, &["list", "zzzz"]),
        (4, &["drawer", "remove", "Nowhere"]),
        (4, &["show", "9"]),
        (6, &["redo"]),
        (6, &["unpin", "1"]),
        (8, &["edit", "1"]),
    ];
    for (wanted, arguments) in cases {
        assert_eq!(code(&service, arguments), wanted, "{arguments:?}");
    }
    // 7, a person who says no, is asked in the test of taking; 5 in those of status.
    let all = documented();
    assert_eq!(all.keys().copied().collect::<Vec<_>>(), (0..=8).collect::<Vec<_>>());
    let page = service.yadori(&["manual"]);
    let page =
        page.split(".SH \"EXIT STATUS\"").nth(1).expect("exit codes").replace("\\fB", "").replace("\\fR", "");
    for (code, words) in &all {
        assert!(page.contains(&format!(".TP\n{code}\n{words}\n")), "{code} {words}: {page}");
    }
    // It returns when the service has ended, and not before.
    let process = service.pid();
    service.yadori(&["stop"]);
    let state = std::fs::read_to_string(format!("/proc/{process}/stat")).unwrap_or_default();
    assert!(state.is_empty() || state.contains(") Z "), "it still runs: {state}");
    assert_eq!(code(&service, &["list"]), 3);
    service.stop();
}

#[test]
fn every_answer_for_programs_has_one_shape() {
    let service = Service::without_desk();
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).display().to_string();
    let ids = service.add(&["oats", "Gas 11 kg", "https://example.org/huts"]);
    service.yadori(&["drawer", "new", "Replies"]);
    service.yadori(&["drawer", "put", "Replies", &ids[1]]);
    service.yadori(&["drawer", "divider", "Replies", "Numbers", "--before", &ids[1]]);
    service.yadori(&["pin", &ids[0]]);
    let (zip, tar, drawer) = (at("all.zip"), at("all.tar"), at("drawer.json"));
    let asked: [&[&str]; 28] = [
        &["status"],
        &["list"],
        &["list", "gas"],
        &["list", "-f"],
        &["list", "-d", "Replies"],
        &["show", "1"],
        &["add", "more"],
        &["title", "1", "A title"],
        &["color", "red", "1"],
        &["undo", "--list"],
        &["undo"],
        &["redo"],
        &["drawer", "list"],
        &["drawer", "out", &ids[1]],
        &["export", &zip],
        &["import", &zip],
        &["backup", &tar],
        &["drawer", "export", "Replies", &drawer],
        &["check"],
        &["chords"],
        &["rules"],
        &["orders"],
        &["settings"],
        &["limits"],
        &["devices"],
        &["batch", "new", "1"],
        &["batch", "list"],
        &["reread"],
    ];
    for arguments in asked {
        let said = service.yadori(&[arguments, &["--json"]].concat());
        let answer: Value =
            serde_json::from_str(&said).unwrap_or_else(|why| panic!("{arguments:?}: {why}: {said}"));
        assert_eq!(answer["format"], 1, "{arguments:?}: {said}");
        moments(&answer, &mut |name, value| {
            let text = value.as_str().unwrap_or_else(|| panic!("{arguments:?}: {name} is {value}"));
            assert!(text.ends_with('Z') && text.parse::<jiff::Timestamp>().is_ok(), "{arguments:?}: {text}");
        });
    }
    // Wherever it stands, a clip is the same object.
    let rows = |arguments: &[&str]| service.listed(arguments);
    let plain = rows(&[]).into_iter().find(|row| row["id"] == *ids[0]).unwrap();
    let favorite = rows(&["-f"]).into_iter().find(|row| row["id"] == *ids[0]).unwrap();
    assert_eq!(plain, favorite);
    let mut found = rows(&["oats"]).remove(0);
    let excerpts = found.as_object_mut().unwrap().remove("excerpts").unwrap();
    assert_eq!((found, &excerpts[0]["marks"]), (plain, &serde_json::json!([[0, 4]])));
    assert_eq!(rows(&["-d", "Replies"])[0]["divider"]["name"], "Numbers");
    // Nothing found is an empty list, and 4.
    let done = service.client(&["list", "zzzz", "--json"]);
    assert_eq!(done.status.code(), Some(4));
    assert_eq!(serde_json::from_slice::<Value>(&done.stdout).unwrap()["clips"], serde_json::json!([]));
    // Several acts are an object a line.
    let said = service.yadori(&["undo", "3", "--json"]);
    assert_eq!(
        said.lines().filter(|line| serde_json::from_str::<Value>(line).unwrap()["format"] == 1).count(),
        3
    );
    let before = service.acts().iter().filter(|(act, _)| act != "remove").count();
    let done = service.client(&["undo", &(before + 9).to_string()]);
    assert_eq!(done.status.code(), Some(6));
    assert!(String::from_utf8_lossy(&done.stderr).contains("there was nothing more"));
}

/// Every field that is a moment by its name.
fn moments(value: &Value, tell: &mut impl FnMut(&str, &Value)) {
    const NAMES: [&str; 9] = [
        "copied_at",
        "made_at",
        "seen_at",
        "started_at",
        "last_copy_at",
        "until",
        "paused_until",
        "upto",
        "at",
    ];
    match value {
        Value::Object(fields) => {
            for (name, value) in fields {
                // Where an excerpt matches is no moment.
                if NAMES.contains(&name.as_str()) && !value.is_array() {
                    tell(name, value);
                }
                moments(value, tell);
            }
        }
        Value::Array(all) => all.iter().for_each(|one| moments(one, tell)),
        _ => {}
    }
}

#[test]
fn what_is_copied_is_followed_as_it_comes() {
    let mut service = Service::without_desk();
    service.add(&["first", "second"]);
    let mut client = service.client_command(&["list", "--follow", "-n", "1", "--json"]);
    let mut following = client.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let mut lines = BufReader::new(following.stdout.take().unwrap()).lines();
    let mut next = || serde_json::from_str::<Value>(&lines.next().unwrap().unwrap()).unwrap();
    assert_eq!(next()["head"], "second");
    service.add(&["third"]);
    assert_eq!(next()["head"], "third");
    // What changes is no arrival; what is copied again is one.
    service.yadori(&["title", "1", "A title"]);
    service.add(&["first"]);
    let row = next();
    assert_eq!((&row["head"], &row["copies"], &row["format"]), (&"first".into(), &2.into(), &1.into()));
    // One that fell behind is told all the same, each clip once and in order.
    let stand_still = |how: &str| {
        let pid = following.id().to_string();
        assert!(std::process::Command::new("kill").args([how, &pid]).status().unwrap().success());
    };
    stand_still("-STOP");
    let lines_file = service.home().join("many.txt");
    let many: Vec<String> =
        (0..3_000).map(|n| format!("line {n} of many, long enough to fill what lies between")).collect();
    std::fs::write(&lines_file, many.join("\n")).unwrap();
    service.yadori(&["import", &lines_file.display().to_string(), "--split", "lines"]);
    stand_still("-CONT");
    let told: Vec<String> = (0..3_000).map(|_| next()["head"].as_str().unwrap().to_owned()).collect();
    let distinct: std::collections::HashSet<&String> = told.iter().collect();
    assert_eq!(distinct.len(), 3_000);
    service.stop();
    let done = following.wait_with_output().unwrap();
    assert_eq!(done.status.code(), Some(3));
    assert!(String::from_utf8_lossy(&done.stderr).contains("yadorid"));
}

/// When something is removed for good, whoever listens begins anew: that is no end.
#[test]
fn following_goes_on_when_something_is_removed_for_good() {
    let service = Service::configured("[acts]\ngrace_minutes = 0.05\n");
    service.add(&["first", "second"]);
    let mut client = service.client_command(&["list", "--follow", "--json"]);
    let mut following = client.stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    let lines = BufReader::new(following.stdout.take().unwrap()).lines();
    let (told, heard) = std::sync::mpsc::channel();
    std::thread::spawn(move || lines.map_while(Result::ok).try_for_each(|line| told.send(line)));
    let row = |line: String| serde_json::from_str::<Value>(&line).unwrap();
    // Once it follows: what was there before is not told.
    let first = until("the follower", || {
        service.add(&["third"]);
        heard.recv_timeout(Duration::from_secs(1)).ok().map(row)
    });
    assert_eq!(first["head"], "third");
    let next = || {
        let mut rows = std::iter::from_fn(|| heard.recv_timeout(yadori_e2e::PATIENCE).ok().map(row));
        rows.find(|row| row["head"] != "third").expect("a row")
    };
    service.yadori(&["remove", "2"]);
    until("the end of the act", || (!service.yadori(&["undo", "--list"]).contains("removed")).then_some(()));
    service.add(&["fourth"]);
    assert_eq!(next()["head"], "fourth");
    assert!(following.try_wait().unwrap().is_none());
    service.yadori(&["stop"]);
    assert_eq!(following.wait().unwrap().code(), Some(3));
}

#[test]
fn tables_fit_the_columns_and_are_whole_where_nobody_looks() {
    let service = Service::without_desk();
    let long = format!("{} end", "a rather long line with 漢字 in it ".repeat(12));
    let also = ["--program", "A program with a long name indeed", "--window", &"window ".repeat(20)];
    service.yadori(&[&["add", &long], &also[..]].concat());
    service.yadori(&["add", "short", "--at", "2024-03-03T14:05:00Z"]);
    service.yadori(&["title", "1", &"title ".repeat(30)]);
    service.yadori(&["pin", "1"]);
    service.yadori(&["color", "red", "1"]);
    service.yadori(&["drawer", "new", &"drawer ".repeat(10), "--color", "teal"]);
    for columns in [40_usize, 60, 80, 132] {
        for arguments in
            [&["list"][..], &["list", "-f"], &["list", "line"], &["drawer", "list"], &["undo", "--list"]]
        {
            let done =
                service.client_command(arguments).env("COLUMNS", columns.to_string()).output().unwrap();
            let text = String::from_utf8(done.stdout).unwrap();
            assert!(text.lines().all(|line| line.width() <= columns), "{columns} {arguments:?}:\n{text}");
            assert!(text.contains('…') || columns > 60, "{text}");
        }
    }
    let whole = service.yadori(&["list"]);
    assert!(whole.contains(long.trim_end()) && whole.contains("(red)") && !whole.contains('…'), "{whole}");
    // As the locale writes dates; colors where they are asked for.
    let shown = |variables: &[(&str, &str)]| {
        let mut client = service.client_command(&["list"]);
        client.envs(variables.iter().copied()).env("TZ", "UTC");
        String::from_utf8(client.output().unwrap().stdout).unwrap()
    };
    assert!(shown(&[("LC_ALL", "de_DE.UTF-8")]).contains("03.03.2024"));
    assert!(shown(&[("LC_TIME", "ja_JP.UTF-8"), ("LANG", "de_DE.UTF-8")]).contains("2024年03月03日"));
    assert!(shown(&[("LC_ALL", "C")]).contains("3 Mar 2024"));
    let colored = shown(&[("CLICOLOR_FORCE", "1")]);
    assert!(colored.contains("\u{1b}[31m●") && !colored.contains("(red)"), "{colored}");
    let details = service.yadori(&["show", "2", "--details"]);
    assert!(details.contains("5 characters, 1 line\n"), "{details}");
}

#[test]
fn a_representation_is_shown_and_a_clip_leaves_its_drawer() {
    let service = Service::without_desk();
    let folder = tempfile::tempdir().unwrap();
    let html = folder.path().join("letter.html");
    std::fs::write(&html, "<b>Dear guest</b>\u{1b}[31m").unwrap();
    let also = format!("text/html={}", html.display());
    service.yadori(&["add", "Dear guest", "--also", &also]);
    assert_eq!(service.yadori(&["show", "1", "--type", "text/html"]), "<b>Dear guest</b>␛[31m\n");
    service.yadori(&["drawer", "new", "Replies"]);
    service.yadori(&["drawer", "put", "Replies", "1"]);
    assert_eq!(service.list(1)[0].kept.as_ref().unwrap().drawer_name.as_deref(), Some("Replies"));
    service.yadori(&["drawer", "out", "1"]);
    assert_eq!(service.list(1)[0].kept.as_ref().unwrap().drawer_name, None);
    service.yadori(&["undo"]);
    assert_eq!(service.list(1)[0].kept.as_ref().unwrap().drawer_name.as_deref(), Some("Replies"));
    // A text in UTF-16 is the same text.
    let file = folder.path().join("sixteen.txt");
    std::fs::write(
        &file,
        [b"\xff\xfe".to_vec(), "Hütte".encode_utf16().flat_map(u16::to_le_bytes).collect()].concat(),
    )
    .unwrap();
    service.yadori(&["add", "--file", &file.display().to_string()]);
    assert_eq!(service.list(1)[0].head, "Hütte");
    service.yadori(&["remove", "1"]);
    service.yadori(&["import", &file.display().to_string()]);
    assert_eq!(service.list(1)[0].head, "Hütte");
}

#[test]
fn completions_offer_drawers_filters_and_clips_and_every_verb_has_a_page() {
    let service = Service::without_desk();
    let ids = service.add(&["oats", "Gas 11 kg"]);
    service.yadori(&["pin", &ids[0]]);
    service.yadori(&["drawer", "new", "Replies"]);
    service.yadori(&["drawer", "new", "Letters"]);
    let offered = |words: &[&str]| -> Vec<String> {
        let done = Command::new(service.client_command(&[]).get_program())
            .args([&["--", "yadori"], words].concat())
            .env("COMPLETE", "bash")
            .env("YADORI_HOME", service.home())
            .env("_CLAP_COMPLETE_INDEX", words.len().to_string())
            .env("_CLAP_COMPLETE_COMP_TYPE", "9")
            .env("_CLAP_COMPLETE_SPACE", "false")
            .env("_CLAP_IFS", "\n")
            .output()
            .unwrap();
        String::from_utf8(done.stdout).unwrap().lines().map(str::to_owned).collect()
    };
    assert_eq!(offered(&["list", "--drawer", "R"]), ["Replies"]);
    assert_eq!(offered(&["drawer", "put", "l"]), ["Letters"]);
    assert_eq!(offered(&["list", "ki"]), ["kind:"]);
    assert_eq!(offered(&["list", "kind:l"]), ["kind:link"]);
    assert_eq!(offered(&["take", "f"]), ["f1"]);
    let prefix = service.list(9).into_iter().find(|row| row.id == ids[0]).unwrap().prefix;
    assert!(offered(&["take", &prefix]).contains(&prefix));
    let places = offered(&["show", ""]);
    assert!(places.contains(&"1".to_owned()) && places.contains(&"2".to_owned()), "{places:?}");
    assert!(service.yadori(&["completions", "bash"]).contains("COMPLETE"));
    let folder = tempfile::tempdir().unwrap();
    service.yadori(&["manual", "--into", &folder.path().display().to_string()]);
    let help = service.yadori(&["--help"]);
    let verbs = help.split("Commands:").nth(1).unwrap().split("Options:").next().unwrap();
    let verb = |line: &str| line.strip_prefix("  ")?.split(' ').next().map(str::to_owned);
    for verb in verbs.lines().filter_map(verb).filter(|verb| !verb.is_empty() && verb != "help") {
        let page = std::fs::read_to_string(folder.path().join(format!("yadori-{verb}.1")))
            .unwrap_or_else(|why| panic!("{verb}: {why}"));
        assert!(page.contains(".SH NAME") && page.contains("EXIT STATUS"), "{verb}");
    }
}

#[test]
fn files_go_through_standard_streams_and_what_is_interrupted_leaves_nothing_and_says_how_to_go_on() {
    let service = Service::without_desk();
    let folder = tempfile::tempdir().unwrap();
    let texts: Vec<String> = (0..40).map(|n| format!("clip {n}")).collect();
    service.add(&texts.iter().map(String::as_str).collect::<Vec<_>>());
    let sh = |line: &str, home: &Path| {
        let done = Command::new("sh")
            .args(["-c", line])
            .env("Y", service.client_command(&[]).get_program())
            .env("YADORI_HOME", home)
            .current_dir(folder.path())
            .output()
            .unwrap();
        assert!(done.status.success(), "{line}: {}", String::from_utf8_lossy(&done.stderr));
        String::from_utf8(done.stdout).unwrap()
    };
    let (other, third) = (Service::without_desk(), Service::without_desk());
    sh(
        "$Y export - > all.zip && $Y export - --format csv > all.csv && $Y backup - > all.tar",
        service.home(),
    );
    assert!(sh("cat all.zip | $Y import -", other.home()).starts_with("Brought in 40 of 40."));
    assert!(sh("cat all.tar | $Y restore -", third.home()).starts_with("Restored 40 clips"));
    let heads = |service: &Service| service.list(99).into_iter().map(|row| row.head).collect::<Vec<_>>();
    assert_eq!((heads(&other), heads(&third)), (heads(&service), heads(&service)));

    // An import whose input does not end is interrupted.
    let mut client = service.client_command(&["import", "-", "--text"]);
    let mut importing =
        client.stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
    listens(importing.id());
    let interrupt = |id: u32| Command::new("kill").args(["-INT", &id.to_string()]).status().unwrap();
    interrupt(importing.id());
    assert_eq!(importing.wait().unwrap().code(), Some(130));
    let mut said = String::new();
    importing.stderr.take().unwrap().read_to_string(&mut said).unwrap();
    assert!(said.contains("import the same again, and it goes on"), "{said}");

    // An export that nobody lets go on: its half is gone, and what was there is there.
    std::fs::write(folder.path().join("kept.zip"), "what was there").unwrap();
    let stopped = Command::new("kill").args(["-STOP", &service.pid().to_string()]).status();
    assert!(stopped.unwrap().success());
    let mut client = service.client_command(&["backup", "--force", "kept.zip"]);
    let mut exporting = client.current_dir(folder.path()).stderr(Stdio::null()).spawn().unwrap();
    until("it to have begun", || exporting.try_wait().unwrap().is_none().then_some(()));
    // Before it has begun to write nothing listens, and where whoever runs this ignores SIGINT, so does the client.
    let ended = Command::new("kill").args(["-TERM", &exporting.id().to_string()]).status();
    assert!(ended.unwrap().success());
    exporting.wait().unwrap();
    assert!(Command::new("kill").args(["-CONT", &service.pid().to_string()]).status().unwrap().success());
    assert_eq!(std::fs::read_to_string(folder.path().join("kept.zip")).unwrap(), "what was there");
    let left = std::fs::read_dir(folder.path()).unwrap().filter_map(Result::ok);
    assert!(!left.map(|one| one.file_name()).any(|name| name.to_string_lossy().starts_with(".yadori-")));
}

/// Waits until a process has a handler for SIGINT (proc(5), SigCgt).
fn listens(process: u32) {
    until_within("it to listen", Duration::from_secs(20), || {
        let status = std::fs::read_to_string(format!("/proc/{process}/status")).ok()?;
        let caught = status.lines().find_map(|line| line.strip_prefix("SigCgt:"))?;
        let caught = u64::from_str_radix(caught.trim(), 16).ok()?;
        (caught & (1 << 1) != 0).then_some(())
    });
}

#[test]
fn an_import_names_all_that_could_not_be_read() {
    let service = Service::without_desk();
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("all.json");
    let item = |n: usize| {
        let broken = serde_json::json!({ "clip": { "representations": [] } });
        let whole = serde_json::json!({ "clip": { "representations": [{ "mime": "text/plain", "text": format!("clip {n}") }] } });
        if n.is_multiple_of(2) { broken } else { whole }
    };
    let items: Vec<Value> = (0..240).map(item).collect();
    std::fs::write(
        &file,
        serde_json::json!({ "yadori_drawer": 1, "name": "Mixed", "items": items }).to_string(),
    )
    .unwrap();
    let done = service.client(&["drawer", "import", &file.display().to_string()]);
    let said = String::from_utf8_lossy(&done.stderr);
    assert_eq!(done.status.code(), Some(1), "{said}");
    assert_eq!(said.lines().filter(|line| line.contains("between 1 and")).count(), 120, "{said}");
    assert!(said.contains("120 of 240 could not be read"), "{said}");
    assert!(String::from_utf8_lossy(&done.stdout).contains("Brought in 120 of 240, 120 could not be read."));
    let items: Vec<Value> = (0..4).map(|_| item(0)).collect();
    std::fs::write(
        &file,
        serde_json::json!({ "yadori_drawer": 1, "name": "None", "items": items }).to_string(),
    )
    .unwrap();
    assert_eq!(service.client(&["drawer", "import", &file.display().to_string()]).status.code(), Some(1));
}
