//! Bad input: a clear error with the next step, the right status or exit code, nothing lost.

use std::process::{Command, Stdio};

use serde_json::Value;
use yadori_e2e::{Display, Service, programs, until};

/// What the client says, and its exit code.
fn says(service: &Service, arguments: &[&str]) -> (i32, String) {
    let done = service.client(arguments);
    (done.status.code().unwrap_or(-1), String::from_utf8_lossy(&done.stderr).into_owned())
}

/// A call over the Unix socket.
fn call(service: &Service, path: &str, more: &[&str]) -> (u16, Value) {
    let socket = service.home().join("run/yadori.sock");
    let url = format!("http://y{path}");
    let mut arguments = vec!["--unix-socket", socket.to_str().unwrap(), &url];
    arguments.extend(more);
    Service::curl(&arguments)
}

#[test]
fn the_client_names_what_is_wrong_and_what_to_do_and_exits_by_the_book() {
    let service = Service::without_desk();
    assert_eq!(
        service.yadori(&["list"]).trim(),
        "Nothing was copied yet. Copy something, or bring something in with `yadori add`."
    );
    for n in 0..40 {
        service.yadori(&["add", &format!("clip {n}")]);
    }
    for (arguments, code, word) in [
        (&["show", "41"][..], 4, "the history has 40"),
        (&["show", "zzzzzzzz"], 4, "yadori list"),
        (&["show", "0"], 2, "places count from 1"),
        (&["show", "u!"], 2, "beginning of an id"),
        (&["remove", "1", "99"], 4, "no such clip"),
        (&["take", "f1"], 4, "no such clip"),
        (&["take", "1"], 1, "--no-capture"),
        (&["show", "1", "--raw", "--type", "image/png"], 2, "there is: text/plain"),
        (&["add", "--file", "/nowhere/at/all"], 1, "/nowhere/at/all"),
        (&["add", "--at", "yesterday", "x"], 2, "2026-11-02T09:41"),
        (&["add", "--at", "2999-01-01T00:00", "x"], 2, "in the future"),
        (&["add", ""], 6, "nothing in it"),
        (&["add", "--reference", "/nowhere/at/all"], 1, "/nowhere/at/all"),
        (&["list", "-n", "0"], 2, "at least 1"),
        (&["restore", "/nowhere.tar"], 1, "/nowhere.tar"),
        (&["redo"], 6, "nothing to make again"),
        (&["frobnicate"], 2, "no verb `frobnicate`"),
    ] {
        let (got, said) = says(&service, arguments);
        assert!(
            got == code && said.to_lowercase().contains(&word.to_lowercase()),
            "{arguments:?}: {got}, {said}"
        );
    }
    // A prefix that several ids share names beginnings that would do.
    let letters: Vec<char> = service.list(40).iter().filter_map(|row| row.id.chars().next()).collect();
    let shared = letters
        .iter()
        .find(|c| !c.is_ascii_digit() && **c != 'f' && letters.iter().filter(|other| other == c).count() > 1)
        .unwrap();
    let (code, said) = says(&service, &["show", &shared.to_string()]);
    assert!(
        code == 2 && said.contains("Several clips begin so") && said.contains("one character more"),
        "{said}"
    );
    assert_eq!(service.list(100).len(), 40, "nothing was lost");

    let nobody =
        Command::new(programs().join("yadori")).args(["--home", "/nowhere", "list"]).output().unwrap();
    assert_eq!(nobody.status.code(), Some(3));
    assert!(String::from_utf8_lossy(&nobody.stderr).contains("Start it with `yadorid`"));
}

#[test]
fn the_interface_answers_bad_requests_with_problem_details() {
    let service = Service::without_desk();
    service.yadori(&["add", "kept"]);
    let json = ["-H", "content-type: application/json", "-d"];
    let post = |path: &str, body: &str| call(&service, path, &[&json[..], &[body]].concat());
    for (answer, status, kind) in [
        (post("/api/v1/clips", "{"), 400, "invalid-body"),
        (post("/api/v1/clips", "{\"representations\":\"secret words\"}"), 422, "invalid-body"),
        (
            post("/api/v1/clips", "{\"representations\":[{\"mime\":\"text/plain\",\"base64\":\"%%\"}]}"),
            422,
            "invalid-request",
        ),
        (
            post("/api/v1/clips", "{\"representations\":[{\"mime\":\"\",\"text\":\"x\"}]}"),
            422,
            "invalid-request",
        ),
        (post("/api/v1/clips", "{\"representations\":[{\"mime\":\"a\"}]}"), 422, "invalid-request"),
        (
            post("/api/v1/clips", "{\"representations\":[{\"mime\":\"PIXMAP\",\"text\":\"7\"}]}"),
            422,
            "invalid-request",
        ),
        (post("/api/v1/remove", "{\"ids\":[\"1\"]}"), 422, "invalid-request"),
        (post("/api/v1/remove", "{\"ids\":[]}"), 422, "invalid-request"),
        (post("/api/v1/clips/1/take", "{\"form\":\"upside-down\"}"), 422, "invalid-body"),
        (call(&service, "/api/v1/clips", &["-d", "text"]), 415, "invalid-body"),
        (call(&service, "/api/v1/clips?limit=100000", &[]), 422, "invalid-request"),
        (call(&service, "/api/v1/clips?place=0", &[]), 422, "invalid-request"),
        (call(&service, "/api/v1/clips?after=nonsense", &[]), 422, "invalid-request"),
        (call(&service, "/api/v1/clips?color=blue", &[]), 422, "invalid-request"),
        (call(&service, "/api/v1/clips/99", &[]), 404, "no-such-clip"),
        (call(&service, "/api/v1/clips/1/representations/7", &[]), 404, "no-such-representation"),
        (call(&service, "/api/v1/clips/1/picture", &[]), 404, "no-picture"),
        (call(&service, "/api/v1/clips/1/picture?most=9", &[]), 422, "invalid-request"),
        (call(&service, "/api/v1/clips/1/frame", &["-X", "POST"]), 404, "no-html"),
        (call(&service, "/api/v1/nonsense", &[]), 404, "no-such-call"),
    ] {
        assert_eq!((answer.0, answer.1["type"].as_str()), (status, Some(kind)), "{}", answer.1);
        assert!(
            !answer.1.to_string().contains("secret words"),
            "a failure quotes what was sent: {}",
            answer.1
        );
    }
    assert_eq!(service.list(10).len(), 1);
}

#[test]
fn oversized_bodies_and_packed_bombs_are_refused_and_the_service_goes_on() {
    let service = Service::without_desk();
    let dir = tempfile::tempdir().unwrap();
    let large = dir.path().join("large");
    std::fs::write(&large, vec![b'x'; (64 << 20) + 1]).unwrap();
    let (code, said) = says(&service, &["add", "--file", large.to_str().unwrap()]);
    assert!(code == 1 && said.contains("64 MiB"), "{said}");
    std::fs::write(&large, vec![b'x'; 100 << 20]).unwrap();
    let (code, said) = says(&service, &["add", "--file", large.to_str().unwrap()]);
    assert!(code == 1 && said.contains("64 MiB"), "{said}");
    // Exactly the cap is kept.
    std::fs::write(&large, vec![b'x'; 64 << 20]).unwrap();
    service.yadori(&["add", "--file", large.to_str().unwrap()]);

    // A picture of 19,000 by 19,000 pixels in a few kilobytes: kept, never unpacked.
    let bomb = dir.path().join("bomb.png");
    std::fs::write(&bomb, bomb_png(19_000)).unwrap();
    service.yadori(&["add", "--file", bomb.to_str().unwrap()]);
    let before = resident(service.pid());
    let (status, problem) = call(&service, "/api/v1/clips/1/picture", &[]);
    assert_eq!((status, problem["type"].as_str()), (422, Some("no-preview")), "{problem}");
    assert!(problem["hint"].as_str().unwrap().contains("kept whole"));
    assert!(resident(service.pid()) < before + 200_000, "it was unpacked");
    assert_eq!(service.list(10).len(), 2);
}

fn bomb_png(side: u32) -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, side, side);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_depth(png::BitDepth::Eight);
    let mut writer = encoder.write_header().unwrap();
    // One chunk of packed zeros stands for all rows: the header promises them, and the header is what is believed.
    writer.write_chunk(png::chunk::IDAT, &[0x78, 0x9c, 0x63, 0, 1, 0, 0, 5, 0, 1]).unwrap();
    drop(writer);
    out
}

/// Kilobytes of memory a process has.
fn resident(pid: u32) -> u64 {
    let text = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap();
    let line = text.lines().find(|line| line.starts_with("VmRSS")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse().unwrap()
}

/// Starts a service that must not start; what it says, and its exit code.
fn does_not_start(mut command: Command) -> (Option<i32>, String) {
    let child = command.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
    let done = child.wait_with_output().unwrap();
    (done.status.code(), String::from_utf8_lossy(&done.stderr).into_owned())
}

#[test]
fn a_service_that_cannot_start_says_why() {
    let display = Display::start();
    let service = Service::on(&display.name());
    // The same home.
    let (code, said) = does_not_start(service.command());
    assert!(
        code == Some(1)
            && said.contains(&format!("process {}", service.pid()))
            && said.contains("yadori stop"),
        "{said}"
    );
    // The same port.
    let dir = tempfile::tempdir().unwrap();
    let start = |arguments: &[&str]| {
        let mut command = Command::new(programs().join("yadorid"));
        command.arg("--home").arg(dir.path().join("home")).args(arguments).env_remove("DISPLAY");
        does_not_start(command)
    };
    let address = service.address();
    let (code, said) = start(&["--no-capture", "--listen", address.strip_prefix("http://").unwrap()]);
    assert!(
        code == Some(1) && said.contains("taken by another program") && said.contains("--listen"),
        "{said}"
    );
    // Not on loopback; a mistake in the configuration.
    let (code, said) = start(&["--listen", "0.0.0.0:0"]);
    assert!(code == Some(1) && said.contains("loopback"), "{said}");
    let config = dir.path().join("config.toml");
    std::fs::write(&config, "[log]\nlevle = \"info\"\n").unwrap();
    let (code, said) = start(&["--config", config.to_str().unwrap()]);
    assert!(code == Some(1) && said.contains("levle") && said.contains("config.example.toml"), "{said}");
    // The same display: the second one runs, keeps nothing, and says why.
    let second = Service::start(&["--display", &display.name()]);
    let reason = until("word of the taken display", || {
        second.status()?.capture.reason.filter(|why| why.contains("another Yadori"))
    });
    assert!(reason.contains("stop it first"), "{reason}");
    display_still_serves(&service, display);
}

fn display_still_serves(service: &Service, mut display: Display) {
    display.copy_text("kept by the first");
    service.await_clip("kept by the first");
}

#[test]
fn a_database_that_cannot_start_or_is_newer_is_reported_and_left_alone() {
    let mut service = Service::without_desk();
    service.yadori(&["add", "kept"]);
    service.stop();
    // Its configuration can't be written any more: a directory stands in its place.
    let settings = service.home().join("data/records/yadori.cnf");
    std::fs::remove_file(&settings).unwrap();
    std::fs::create_dir(&settings).unwrap();
    service.start_again();
    let reason = until("word of the database", || {
        service.status()?.database.reason.filter(|why| why.contains("can't be written"))
    });
    assert!(reason.contains("free space"), "{reason}");
    let (code, said) = says(&service, &["add", "more"]);
    assert!(code == 1 && said.contains("yadori status"), "{said}");
    std::fs::remove_dir(&settings).unwrap();
    service.await_records();
    assert_eq!(service.list(5).len(), 1, "it came back by itself");

    // A schema from the future.
    let socket = service.home().join("run/records.sock");
    let sql = "INSERT INTO yadori._sqlx_migrations (version, description, success, checksum, execution_time) VALUES (20990101000000, 'later', 1, 'x', 1)";
    let done = Command::new("mariadb")
        .arg(format!("--socket={}", socket.display()))
        .args(["-e", sql])
        .status()
        .unwrap();
    assert!(done.success());
    service.stop();
    service.start_again();
    let reason = until("word of the newer schema", || {
        service.status()?.database.reason.filter(|why| why.contains("newer Yadori"))
    });
    assert!(reason.contains("Nothing was changed"), "{reason}");
}
