//! The HTTP interface as programs use it: paging that does not shift, events with resume and reset, its description.

use std::process::Command;

use serde_json::Value;
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
