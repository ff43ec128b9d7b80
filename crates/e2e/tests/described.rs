//! The description of the interface against the interface: whatever is asked, well or badly, has a status and a type that the
//! description lists.

use std::time::Duration;

use serde_json::Value;
use yadori_e2e::Service;

/// What stands in a path where something is named.
const NAMES: [&str; 5] = ["1", "zzzzzzzz", "%00", "%2e%2e", "aaaaaaaaaaaaaaaaaaaaaaaaaa"];
const QUERIES: [&str; 6] = ["", "?limit=0", "?limit=many", "?zone=Nowhere&q=a", "?nonsense=1", "?q=%FF"];
const BODIES: [&[u8]; 8] = [
    b"",
    b"{}",
    b"[]",
    b"{\"ids\":",
    b"null",
    b"\xff\xfe",
    b"{\"ids\":[\"x\"],\"text\":7}",
    b"{\"ids\":[\"aaaaaaaaaaaaaaaaaaaaaaaaaa\"],\"to\":{\"place\":\"favorites\"}}",
];

#[test]
fn whatever_is_asked_is_answered_as_it_is_described() {
    let service = Service::without_desk();
    service.add(&["oats", "https://example.org/huts"]);
    service.yadori(&["drawer", "new", "Replies"]);
    let key = format!("Bearer {}", service.key());
    let agent: ureq::Agent = ureq::Agent::config_builder()
        .http_status_as_error(false)
        .timeout_global(Some(Duration::from_secs(60)))
        .build()
        .into();
    let described = agent
        .get(format!("{}/api/v1/openapi.json", service.address()))
        .header("authorization", &key)
        .call()
        .unwrap()
        .into_body()
        .read_to_string()
        .unwrap();
    let described: Value = serde_json::from_str(&described).unwrap();
    let paths = described["paths"].as_object().unwrap();
    assert!(paths.len() > 60, "{}", paths.len());
    let (mut asked, mut statuses, mut wrong) = (0, std::collections::BTreeMap::new(), Vec::new());
    for (path, item) in paths {
        for (method, operation) in item.as_object().unwrap() {
            // It has no end.
            if path.ends_with("/events") {
                continue;
            }
            for (n, name) in NAMES.iter().enumerate() {
                if n > 0 && !path.contains('{') {
                    break;
                }
                let mut parts: Vec<String> = Vec::new();
                for part in path.split('/') {
                    parts.push(if part.starts_with('{') { (*name).to_owned() } else { part.to_owned() });
                }
                let path = parts.join("/");
                let rounds = BODIES.len().max(QUERIES.len());
                for round in 0..rounds {
                    // Without a key once, with another type once.
                    let signed = round != 1 || n > 0;
                    let kind = if round == 2 { "text/plain" } else { "application/json" };
                    let body = if method == "get" { &b""[..] } else { BODIES[round % BODIES.len()] };
                    let url = format!("{}{path}{}", service.address(), QUERIES[round % QUERIES.len()]);
                    let mut request =
                        ureq::http::Request::builder().method(method.to_uppercase().as_str()).uri(&url);
                    if signed {
                        request = request.header("authorization", &key);
                    }
                    if method != "get" {
                        request = request.header("content-type", kind);
                    }
                    let answer = match agent.run(request.body(body).unwrap()) {
                        Ok(answer) => answer,
                        Err(why) => panic!("{method} {url}: {why}"),
                    };
                    asked += 1;
                    let status = answer.status().as_u16();
                    *statuses.entry(status).or_insert(0) += 1;
                    let mime = answer.headers().get("content-type").and_then(|kind| kind.to_str().ok());
                    let mime = mime.unwrap_or_default().split(';').next().unwrap_or_default().to_owned();
                    let known = &operation["responses"][status.to_string()];
                    let types = known["content"].as_object();
                    let fits = !known.is_null() && types.is_none_or(|types| types.contains_key(&mime));
                    let is_problem = status < 400 || mime == "application/problem+json";
                    if !fits || !is_problem || status == 500 {
                        wrong.push(format!(
                            "{method} {url} {:?}: {status} {mime}",
                            String::from_utf8_lossy(body)
                        ));
                    }
                }
            }
        }
    }
    assert!(wrong.is_empty(), "{} of {asked}:\n{}", wrong.len(), wrong[..wrong.len().min(40)].join("\n"));
    for status in [200, 400, 401, 404, 409, 415, 422] {
        assert!(statuses.contains_key(&status), "never {status}: {statuses:?}");
    }
    assert!(service.status().is_some(), "it goes on");
}
