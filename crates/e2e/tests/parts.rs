//! No answer grows with the history: outlines come by parts, whatever happens between them; right after a start the newest clips are
//! there while the others are read; and what is near is told where nothing matches.

use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use serde_json::{Value, json};
use yadori_e2e::measure::until_restored;
use yadori_e2e::{Browser, Service, many};

fn ask(service: &Service, path: &str) -> (u16, Value) {
    let socket = service.home().join("run/yadori.sock");
    Service::curl(&["--unix-socket", socket.to_str().unwrap(), &format!("http://y/api/v1{path}")])
}

fn ids(part: &Value) -> Vec<String> {
    let all = part["ids"].as_str().unwrap();
    all.as_bytes().chunks(26).map(|id| String::from_utf8_lossy(id).into_owned()).collect()
}

/// All ids of an outline, part by part; something happens between the parts.
fn all(service: &Service, path: &str, mut between: impl FnMut(usize)) -> Vec<String> {
    let (mut found, mut after) = (Vec::new(), String::new());
    for n in 0.. {
        let (status, part) = ask(service, &format!("{path}{after}"));
        assert_eq!(status, 200, "{part}");
        assert_eq!(part["kinds"].as_str().unwrap().len(), ids(&part).len());
        found.extend(ids(&part));
        let Some(next) = part["next"].as_str() else { break };
        after = format!("&after={next}");
        between(n);
    }
    found
}

#[test]
fn outlines_come_by_parts_whatever_happens_between_them() {
    let service = Service::without_desk();
    let texts: Vec<String> = (0..40).map(|n| format!("clip {n}")).collect();
    let added = service.add(&texts.iter().map(String::as_str).collect::<Vec<_>>());
    let newest_first: Vec<String> = added.iter().rev().map(|id| id.to_lowercase()).collect();
    let known = all(&service, "/outline?limit=1000", |_| ());
    assert_eq!(known.len(), 40);
    assert!(known.iter().zip(&newest_first).all(|(id, prefix)| id.starts_with(prefix.as_str())));
    for path in ["/outline?limit=7", "/search/outline?q=clip&limit=7"] {
        let mut happened = 0;
        let found = all(&service, path, |n| {
            // One comes, the oldest goes to the top, and of those that were seen one goes.
            happened += 1;
            service.add(&[&format!("later {n} {path}")]);
            service.yadori(&["remove", &known[n]]);
        });
        assert!(happened >= 4);
        // Each once, in order, whatever was put above or taken out.
        assert_eq!(found, known[..], "{path}");
        service.yadori(&["undo", &(2 * happened).to_string()]);
        assert_eq!(all(&service, "/outline?limit=1000", |_| ()), known);
    }
    let (_, part) = ask(&service, "/outline?limit=7");
    assert_eq!((part["total"].clone(), part.get("reading")), (json!(40), None));
    let (_, part) = ask(&service, "/search/outline?q=clip&limit=7");
    assert_eq!((part["count"].clone(), ids(&part).len()), (json!(40), 7));
    for path in [
        "/outline?limit=0",
        "/outline?limit=20001",
        "/outline?after=x",
        "/outline?place=0",
        "/search/outline?q=clip&limit=20001",
        "/search/outline?q=clip&after=1",
    ] {
        assert_eq!(ask(&service, path).0, 422, "{path}");
    }
    // What is listed beyond the first page comes by parts as well, from either end.
    let oldest = service.yadori(&["list", "clip", "--oldest-first", "-n", "3"]);
    let places: Vec<&str> = oldest.lines().filter_map(|line| line.split_whitespace().next()).collect();
    assert_eq!(places, ["40", "39", "38", "…"]);
}

#[test]
fn right_after_a_start_the_newest_are_there_while_the_others_are_read() -> Result<()> {
    const COUNT: usize = 25_000;
    let mut service = Service::configured("[limits]\nclips = \"off\"\ndays = \"off\"\n");
    service.await_records();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    many::write_backup(&file, COUNT)?;
    service.yadori(&["restore", file.to_str().context("a path")?]);
    service.yadori(&["pin", "3"]);
    // What was restored has come to its place.
    until_restored(&service, Duration::from_secs(120));
    // What names a clip is longer while not all are known.
    let without_prefix = |mut page: Value| -> Value {
        for row in page["clips"].as_array_mut().unwrap() {
            let (id, prefix) = (row["id"].clone(), row["prefix"].take());
            assert!(id.as_str().unwrap().starts_with(prefix.as_str().unwrap()));
        }
        page["clips"].take()
    };
    let before = without_prefix(ask(&service, "/clips?limit=50").1);
    let outline = ids(&ask(&service, "/outline?limit=300").1);
    service.stop();
    service.start_again();
    let began = Instant::now();
    let mut while_reading = 0;
    let mut answered = false;
    while !answered || service.status().is_none_or(|status| !status.loaded) {
        assert!(began.elapsed() < Duration::from_secs(120), "{}", service.status_words());
        let (status, page) = ask(&service, "/clips?limit=50");
        if status != 200 {
            continue;
        }
        answered = true;
        if page["reading"] == json!(true) {
            while_reading += 1;
            // They are not the last.
            assert!(page["next"].is_string());
            assert!(without_prefix(page) == before, "other clips, or otherwise");
            let (_, part) = ask(&service, "/outline?limit=300");
            assert_eq!(ids(&part), outline);
            let said = service.yadori(&["list", "-n", "5"]);
            assert!(
                said.contains("still being read") || said.contains(&format!("{} more", COUNT - 5)),
                "{said}"
            );
        }
    }
    assert!(while_reading > 0, "the history was read before anybody could ask");
    let (_, page) = ask(&service, "/clips?limit=50");
    assert_eq!((&page["total"], page.get("reading")), (&json!(COUNT), None));
    assert!(without_prefix(page) == before, "other clips, or otherwise");
    // What needs all of it waits for all of it.
    service.stop();
    service.start_again();
    let (_, count) = loop {
        let answer = ask(&service, "/search/outline?q=clip&limit=1");
        if answer.0 == 200 {
            break answer;
        }
        assert!(began.elapsed() < Duration::from_secs(240));
    };
    assert_eq!(count["count"], json!(COUNT));
    assert_eq!(ask(&service, "/favorites?limit=1").1["total"], json!(1));
    Ok(())
}

#[test]
fn what_is_kept_is_read_in_parts_of_any_size() {
    let service = Service::without_desk();
    let texts: Vec<String> = (0..23).map(|n| format!("clip {n}")).collect();
    service.add(&texts.iter().map(String::as_str).collect::<Vec<_>>());
    service.yadori(&["pin", "1", "2", "3", "4", "5", "6", "7"]);
    for (drawer, places) in [("Huts", 8..13), ("Bunks", 13..17), ("Roads", 17..21)] {
        service.yadori(&["drawer", "new", drawer]);
        let places: Vec<String> = places.map(|place| place.to_string()).collect();
        let mut wish = vec!["drawer", "put", drawer];
        wish.extend(places.iter().map(String::as_str));
        service.yadori(&wish);
    }
    service.yadori(&["drawer", "divider", "Huts", "Upper"]);
    // Their clips are favorites now, behind all others.
    service.yadori(&["drawer", "remove", "Roads"]);
    service.yadori(&["drawer", "remove", "Bunks"]);
    let kept = |part: &Value| {
        let ids = part["ids"].as_str().unwrap().as_bytes().chunks(26).map(<[u8]>::to_vec);
        ids.zip(part["ranks"].as_array().unwrap().clone()).collect::<Vec<_>>()
    };
    for (path, count) in [("/favorites", 15), ("/drawers/Huts", 5)] {
        let (_, whole) = ask(&service, &format!("{path}/outline"));
        assert_eq!((kept(&whole).len(), whole.get("next")), (count, None), "{whole}");
        let (_, rows) = ask(&service, path);
        let clips = rows["items"].as_array().unwrap().iter().filter_map(|item| item["clip"]["id"].as_str());
        let ids: Vec<Vec<u8>> = clips.map(|id| id.as_bytes().to_vec()).collect();
        assert_eq!(ids, kept(&whole).into_iter().map(|(id, _)| id).collect::<Vec<_>>(), "{rows}");
        for limit in [1, 2, 4, 5, 14, 15, 16] {
            let (mut all, mut after, mut parts) = (Vec::new(), String::new(), 0);
            loop {
                let (status, part) = ask(&service, &format!("{path}/outline?limit={limit}{after}"));
                assert_eq!(status, 200, "{part}");
                assert_eq!(part["dividers"] == whole["dividers"], parts == 0 || path == "/favorites");
                all.extend(kept(&part));
                parts += 1;
                let Some(next) = part["next"].as_str() else { break };
                after = format!("&after={}", next.replace(' ', "%20").replace('~', "%7E"));
                assert!(parts < 100);
            }
            assert_eq!((all, parts), (kept(&whole), usize::div_ceil(count, limit)), "{path} by {limit}");
        }
        for wrong in ["limit=0", "limit=20001", "after=x", "after=%C3%A9"] {
            let (status, problem) = ask(&service, &format!("{path}/outline?{wrong}"));
            assert_eq!((status, problem["type"].as_str()), (422, Some("invalid-request")), "{problem}");
        }
    }
}

#[tokio::test]
async fn where_nothing_matches_what_is_nearest_is_shown_and_marked_as_such() -> Result<()> {
    let service = Service::without_desk();
    service.add(&[
        "lentils, oats and candles",
        "Bunks at Kestrel Hut are confirmed",
        "the ridge path is closed",
    ]);
    let (_, found) = ask(&service, "/search?q=kestral+hut&nearest=true");
    assert_eq!(found["nearest"], json!(true));
    assert_eq!(found["hits"][0]["row"]["head"], json!("Bunks at Kestrel Hut are confirmed"));
    // Only where it is asked for, and only where nothing matches.
    let (_, found) = ask(&service, "/search?q=kestral+hut");
    assert_eq!((found.get("nearest"), &found["hits"]), (None, &json!([])));
    let (_, found) = ask(&service, "/search?q=kestrel&nearest=true");
    assert_eq!((found.get("nearest"), found["hits"].as_array().map(Vec::len)), (None, Some(1)));

    // A script that asks for matches gets none; a person is told.
    let said = service.client(&["list", "kestral", "hut"]);
    assert_eq!(said.status.code(), Some(4));
    assert!(said.stdout.is_empty());
    let words = String::from_utf8_lossy(&said.stderr);
    assert!(words.contains("nothing matches; nearest come") && words.contains("Kestrel Hut"), "{words}");
    let said = service.client(&["list", "--json", "kestral"]);
    assert_eq!(serde_json::from_slice::<Value>(&said.stdout)?["clips"], json!([]));

    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 3").await?;
    browser.press("/").await?;
    browser.press("kestral hut").await?;
    browser.until("return document.querySelector('[data-nearest]')?.textContent.includes('come nearest') && document.querySelectorAll('[data-summary]').length === 1").await?;
    assert_eq!(browser.script("return document.querySelector('[data-nothing]')").await?, Value::Null);
    // What comes and does match takes their place.
    service.add(&["kestral hut, as some write it"]);
    browser.until("return !document.querySelector('[data-nearest]') && document.querySelector('[data-summary]').textContent.includes('as some write it')").await?;
    browser.press("zzzzzz").await?;
    browser.until("return document.querySelector('[data-nothing]')").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());

    // One switch turns it off, at once.
    service.yadori(&["settings", "set", "search.nearest", "false"]);
    assert_eq!(ask(&service, "/search?q=bunsk&nearest=true").1["hits"], json!([]));
    let said = service.client(&["list", "bunsk"]);
    assert_eq!(String::from_utf8_lossy(&said.stderr), "yadori: nothing matches\n");
    browser.driver.refresh().await?;
    browser.until("return document.querySelector('#search')").await?;
    browser.press("/").await?;
    browser.press("bunsk").await?;
    browser.until("return document.querySelector('[data-nothing]')").await?;
    Ok(())
}
