//! The HTTP interface as programs use it: paging that does not shift, events with resume and reset, its description.

use std::process::Command;

use serde_json::{Value, json};
use yadori_e2e::Service;

fn call(service: &Service, path: &str) -> Value {
    let socket = service.home().join("run/yadori.sock");
    let (status, body) =
        Service::curl(&["--unix-socket", socket.to_str().unwrap(), &format!("http://y{path}")]);
    assert_eq!(status, 200, "{path}: {body}");
    body
}

/// What listening yields until nothing more comes: event names and ids.
fn listen(service: &Service, last_seen: Option<&str>) -> Vec<(String, String)> {
    let socket = service.home().join("run/yadori.sock");
    let header = format!("last-event-id: {}", last_seen.unwrap_or_default());
    let mut command = Command::new("curl");
    command.args([
        "-s",
        "-N",
        "--unix-socket",
        socket.to_str().unwrap(),
        "http://y/api/v1/events",
        "--max-time",
        "1",
    ]);
    if last_seen.is_some() {
        command.args(["-H", &header]);
    }
    let text = String::from_utf8(command.output().unwrap().stdout).unwrap();
    let field = |block: &str, name: &str| {
        block
            .lines()
            .find_map(|line| line.strip_prefix(name).map(|rest| rest.trim().to_owned()))
            .unwrap_or_default()
    };
    text.split("\n\n")
        .filter(|block| block.contains("event:"))
        .map(|block| (field(block, "event:"), field(block, "id:")))
        .collect()
}

#[test]
fn pages_go_on_where_they_ended_whatever_arrives() {
    let service = Service::without_desk();
    for n in 0..7 {
        service.yadori(&["add", &format!("clip {n}")]);
    }
    let mut heads = Vec::new();
    let mut path = "/api/v1/clips?limit=3".to_owned();
    for round in 0.. {
        let page = call(&service, &path);
        heads.extend(
            page["clips"].as_array().unwrap().iter().map(|row| row["head"].as_str().unwrap().to_owned()),
        );
        let Some(next) = page["next"].as_str() else { break };
        path = format!("/api/v1/clips?limit=3&after={next}");
        service.yadori(&["add", &format!("arrival {round}")]);
    }
    assert_eq!(heads, (0..7).rev().map(|n| format!("clip {n}")).collect::<Vec<_>>());
    assert_eq!(call(&service, "/api/v1/clips?place=9&limit=1")["clips"][0]["head"], "clip 0");
    let outline = call(&service, "/api/v1/outline");
    assert_eq!(outline["kinds"], "ttttttttt");
    assert_eq!(outline["ids"].as_str().unwrap().len(), 9 * 26);
}

#[test]
fn a_listener_goes_on_after_the_last_event_it_saw_or_begins_anew() {
    let mut service = Service::without_desk();
    service.yadori(&["add", "first"]);
    let (_, seen) = listen(&service, None).pop().unwrap();
    service.yadori(&["add", "second"]);
    service.yadori(&["remove", "1"]);
    let missed = listen(&service, Some(&seen));
    let names: Vec<&str> = missed.iter().map(|(name, _)| name.as_str()).collect();
    assert!(names.contains(&"clip") && names.contains(&"gone") && !names.contains(&"reset"), "{names:?}");
    let (_, newest) = missed.last().unwrap();
    assert!(listen(&service, Some(newest)).iter().all(|(name, _)| name == "status"));
    for stranger in ["0000-3", "nonsense"] {
        assert_eq!(listen(&service, Some(stranger))[0].0, "reset");
    }
    // Another run of the service: what was seen of the last one counts no more.
    service.stop();
    service.start_again();
    service.await_records();
    assert_eq!(listen(&service, Some(newest))[0].0, "reset");
}

#[test]
fn the_interface_describes_itself() {
    let service = Service::without_desk();
    let description = call(&service, "/api/v1/openapi.json");
    for path in
        ["/api/v1/status", "/api/v1/clips", "/api/v1/clips/{address}/take", "/api/v1/events", "/api/v1/undo"]
    {
        assert!(description["paths"].get(path).is_some(), "{path}");
    }
}

/// A call with parameters: its status and its answer.
type Ask = Box<dyn Fn(&str, &[(&str, &str)]) -> (u16, Value)>;

/// A service with clips of several kinds, sources, hours and days, and a way to ask it.
fn furnished() -> (Service, Ask) {
    let service = Service::without_desk();
    let clips = [
        ("Gas 11 kg", "Writer", "2026-10-24T23:59:30Z"),
        ("https://example.org/ridge", "Web Browser", "2026-10-25T00:30:00Z"),
        ("Mäkinen, 8 bunks", "Writer", "2026-10-25T01:30:00Z"),
        ("oats", "Mail", "2026-10-25T22:59:59Z"),
        ("bunks and oats", "Mail", "2026-10-25T23:00:00Z"),
    ];
    for (text, program, at) in clips {
        service.yadori(&["add", "--at", at, "--program", program, "--window", "Ledger", "--", text]);
    }
    let auth = format!("authorization: Bearer {}", service.key());
    let address = service.address();
    let ask = move |path: &str, wanted: &[(&str, &str)]| {
        let mut arguments = vec!["-G".to_owned(), "-H".into(), auth.clone()];
        for (name, value) in wanted {
            arguments.extend(["--data-urlencode".to_owned(), format!("{name}={value}")]);
        }
        arguments.push(format!("{address}/api/v1{path}"));
        Service::curl(&arguments.iter().map(String::as_str).collect::<Vec<_>>())
    };
    (service, Box::new(ask))
}

#[test]
fn every_share_of_the_insight_is_found_by_its_own_query_in_the_viewers_zone() {
    let (_service, ask) = furnished();
    // On 25 October 2026 clocks go back in Berlin: that day has 25 hours.
    for zone in ["Europe/Berlin", "UTC", "Asia/Tokyo", "America/Santiago"] {
        let (status, insight) = ask("/insight", &[("zone", zone), ("limit", "400")]);
        assert_eq!(status, 200, "{insight}");
        let mut looked_at = 0;
        for part in ["days", "hours", "kinds", "sources"] {
            let shares = insight[part].as_array().expect("shares");
            for share in shares.iter().filter(|share| share["clips"] != json!(0)) {
                let query = share["query"].as_str().expect("a query");
                let (_, found) = ask("/search/outline", &[("q", query), ("zone", zone)]);
                assert_eq!(found["count"], share["clips"], "{zone}: {query}");
                looked_at += 1;
            }
            let sum: u64 = shares.iter().filter_map(|share| share["clips"].as_u64()).sum();
            assert_eq!(sum, 5, "{zone}: {part}");
        }
        assert!(looked_at >= 9, "{zone}: {looked_at}");
    }
    let (_, berlin) = ask("/insight", &[("zone", "Europe/Berlin"), ("limit", "400")]);
    let day =
        berlin["days"].as_array().unwrap().iter().find(|day| day["name"] == json!("2026-10-25")).unwrap();
    assert_eq!(day["clips"], json!(4));
}

#[test]
fn a_search_says_where_it_matches_and_how_a_query_can_go_on() {
    let (service, ask) = furnished();
    let excerpt = |query: &str| -> (String, String) {
        let (status, found) = ask("/search", &[("q", query), ("limit", "1")]);
        assert_eq!(status, 200, "{found}");
        let one = &found["hits"][0]["excerpts"][0];
        let text: Vec<char> = one["text"].as_str().unwrap_or_default().chars().collect();
        let mark = &one["marks"][0];
        let at = |n: usize| mark[n].as_u64().unwrap_or(0) as usize;
        (one["of"].as_str().unwrap_or_default().to_owned(), text[at(0)..at(1)].iter().collect())
    };
    assert_eq!(excerpt("makinen"), ("text".into(), "Mäkinen".into()));
    assert_eq!(excerpt("LEDGER"), ("window".into(), "Ledger".into()));
    assert_eq!(excerpt("browser"), ("program".into(), "Browser".into()));
    let long = format!("{}the very end", "word ".repeat(2_000));
    service.yadori(&["add", &long]);
    assert_eq!(excerpt("\"very end\""), ("text".into(), "very end".into()));
    service.yadori(&["title", "1", "Épilogue"]);
    assert_eq!(excerpt("epilogue"), ("title".into(), "Épilogue".into()));
    service.yadori(&["drawer", "new", "Réplies"]);
    service.yadori(&["drawer", "put", "replies", "1"]);
    assert_eq!(excerpt("replies"), ("drawer".into(), "Réplies".into()));
    assert_eq!(ask("/search/outline", &[("q", "in:replies \"very end\"")]).1["count"], json!(1));
    service.yadori(&["drawer", "rename", "Réplies", "Letters"]);
    assert_eq!(ask("/search/outline", &[("q", "replies")]).1["count"], json!(0));
    assert_eq!(excerpt("letters"), ("drawer".into(), "Letters".into()));
    let inserts = |query: &str| -> Vec<String> {
        let (_, found) = ask("/complete", &[("q", query)]);
        let all = found["completions"].as_array().cloned().unwrap_or_default();
        all.iter().map(|one| one["insert"].as_str().unwrap_or_default().to_owned()).collect()
    };
    assert_eq!(inserts("oats from:web"), ["\"Web Browser\" "]);
    assert_eq!(inserts("in:l"), ["Letters "]);
    assert_eq!(inserts("ki"), ["kind:"]);
    // As one types, nothing fails: what is expected is said, and where.
    for (query, at, words) in [
        ("é kind:song", [7, 11], "text, link"),
        ("kind:", [5, 5], "text, link"),
        ("(oats", [0, 5], ")"),
        ("oats since:", [11, 11], "2d"),
    ] {
        let (status, found) = ask("/search", &[("q", query)]);
        assert_eq!((status, &found["hits"]), (200, &json!([])), "{query}");
        assert_eq!(found["expected"]["at"], json!(at), "{query}");
        let said = found["expected"]["words"].as_str().unwrap();
        assert!(said.contains(words), "{query}: {said}");
        assert_eq!(ask("/search/outline", &[("q", query)]).0, 422, "what acts are planned from: {query}");
    }
    for wrong in [("limit", "0"), ("limit", "9999"), ("zone", "Nowhere")] {
        assert_eq!(ask("/search", &[("q", "oats"), wrong]).0, 422, "{wrong:?}");
    }
}

/// A page of the console with these headers: status, headers in lower case, body.
fn fetched(service: &Service, path: &str, headers: &[&str]) -> (u16, String, Vec<u8>) {
    let mut curl = Command::new("curl");
    curl.args(["-s", "-m", "20", "-i"]).arg(format!("{}{path}", service.address()));
    headers.iter().for_each(|header| {
        curl.args(["-H", header]);
    });
    let answer = curl.output().unwrap().stdout;
    let at = answer.windows(4).position(|part| part == b"\r\n\r\n").unwrap();
    let head = String::from_utf8_lossy(&answer[..at]).to_lowercase();
    let status = head.split(' ').nth(1).unwrap().parse().unwrap();
    (status, head, answer[at + 4..].to_vec())
}

#[test]
fn the_console_comes_in_the_coding_that_a_browser_takes_and_only_once() {
    let service = Service::without_desk();
    let (status, plain, page) = fetched(&service, "/", &[]);
    assert_eq!(status, 200);
    assert!(plain.contains("content-type: text/html") && !plain.contains("content-encoding"), "{plain}");
    assert!(page.starts_with(b"<!doctype html>") || page.starts_with(b"<!DOCTYPE html>"));
    let coding = |accepted: &str| {
        let (status, head, body) = fetched(&service, "/", &[&format!("accept-encoding: {accepted}")]);
        assert_eq!(status, 200);
        let coding = head.lines().find_map(|line| line.strip_prefix("content-encoding: ")).map(str::to_owned);
        assert_eq!(coding.is_none(), body == page, "{accepted}");
        coding
    };
    assert_eq!(coding("br, gzip").as_deref(), Some("br"));
    assert_eq!(coding("gzip, br;q=0.2").as_deref(), Some("gzip"));
    // What is refused is not sent, however it is spelled.
    assert_eq!(coding("br;q=0, gzip").as_deref(), Some("gzip"));
    assert_eq!(coding("br;q=0, gzip;q=0").as_deref(), None);
    assert_eq!(coding("identity").as_deref(), None);

    let tag = plain.lines().find_map(|line| line.strip_prefix("etag: ")).expect("a tag").to_owned();
    let (status, _, body) = fetched(&service, "/", &[&format!("if-none-match: {tag}")]);
    assert_eq!((status, body.len()), (304, 0));
    let (status, ..) = fetched(&service, "/", &["if-none-match: \"another\""]);
    assert_eq!(status, 200);

    let text = String::from_utf8(page).unwrap();
    let script = text.split("src=\"").nth(1).and_then(|rest| rest.split('"').next()).expect("a script");
    let (status, head, _) = fetched(&service, script, &["accept-encoding: br"]);
    assert_eq!(status, 200);
    assert!(
        head.contains("immutable") && head.contains("javascript") && head.contains("content-encoding: br"),
        "{head}"
    );
    let (status, ..) = fetched(&service, "/assets/nothing.js", &[]);
    assert_eq!(status, 404);
    let (status, ..) = fetched(&service, "/..%2f..%2fetc/passwd", &[]);
    assert_eq!(status, 404);
}

#[test]
fn the_consoles_script_is_small() {
    let assets = concat!(env!("CARGO_MANIFEST_DIR"), "/../../console/dist/assets");
    let files = std::fs::read_dir(assets).unwrap().flatten();
    let scripts = files.filter(|one| one.file_name().to_string_lossy().ends_with(".js.br"));
    let bytes: u64 = scripts.map(|one| one.metadata().unwrap().len()).sum();
    assert!(bytes > 10_000 && bytes < 150_000, "{bytes} bytes, compressed, all languages included");
}
