//! Several hub processes on one database: one log, and whoever waits at one hears what came in at another.

mod common;

use std::collections::BTreeSet;
use std::time::{Duration, Instant};

use common::{Device, Hub, runtime, sent};
use sqlx::Connection;
use yadori_store::server::{PrivateServer, ServerPaths, ServerState, current_user};

/// A database server with an empty schema, and its address.
struct Database {
    url: String,
    _server: PrivateServer,
    _home: tempfile::TempDir,
}

impl Database {
    fn start() -> Self {
        let home = tempfile::tempdir().unwrap();
        let [data, socket, log] = ["data", "s.sock", "log"].map(|name| home.path().join(name));
        let server = PrivateServer::start(ServerPaths { data, socket: socket.clone(), log }).unwrap();
        let user = current_user().unwrap();
        let socket = socket.display().to_string().replace('/', "%2F");
        let url = format!("mysql://{user}@localhost/yadori_hub?socket={socket}");
        runtime().block_on(async {
            let mut states = server.state();
            states.wait_for(|state| *state == ServerState::Ready).await.unwrap();
            let mut bare = sqlx::MySqlConnection::connect(&url.replace("/yadori_hub?", "/?")).await.unwrap();
            for sql in [
                "CREATE DATABASE yadori_hub CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin",
                "SET GLOBAL max_connections = 100",
            ] {
                sqlx::query(sql).execute(&mut bare).await.unwrap();
            }
        });
        Self { url, _server: server, _home: home }
    }

    fn hub(&self) -> Hub {
        Hub::start(&format!("open = true\n[database]\nurl = \"{}\"\n", self.url))
    }

    fn run(&self, sql: &'static str) -> u64 {
        runtime().block_on(async {
            let mut one = sqlx::MySqlConnection::connect(&self.url).await.unwrap();
            sqlx::query(sql).execute(&mut one).await.unwrap().rows_affected()
        })
    }

    fn count(&self, sql: &'static str) -> i64 {
        runtime().block_on(async {
            let mut one = sqlx::MySqlConnection::connect(&self.url).await.unwrap();
            sqlx::query_scalar(sql).fetch_one(&mut one).await.unwrap()
        })
    }
}

fn waited_for(hub: &Hub) -> bool {
    let told = String::from_utf8(hub.ask("GET", "/metrics", b"", None).body).unwrap();
    told.lines().any(|line| line == "yadori_hub_waited_for 1")
}

#[test]
fn two_processes_keep_one_log_and_tell_each_others_waiters() {
    let database = Database::start();
    let (one, other) = (database.hub(), database.hub());
    let (first, _) = Device::with_group(&one, 1, "");
    // Who waits at the other is told before it would have looked by itself.
    for n in 1..=20_u64 {
        let wanted = format!("/records?after={}&wait=9", n - 1);
        let path = first.path(&wanted);
        let header = first.header("GET", &path, b"", common::now());
        let heard = std::thread::scope(|threads| {
            let waits = threads.spawn(|| other.ask("GET", &path, b"", Some(&header)));
            while !waited_for(&other) {
                std::thread::yield_now();
            }
            assert_eq!(first.push(&one, &first.record(n, b"oats")).status, 200);
            waits.join().unwrap()
        });
        let page = yadori_sync::wire::Page::from_bytes(&heard.body).unwrap();
        assert_eq!((page.last, page.records.len()), (n, 1), "round {n}: told at the other");
    }
    // The same again at the other process is recognised; something else is not taken.
    let known = sent(&[&first.record(21, b"milk")]);
    assert_eq!(first.ask(&one, "POST", "/records", &known).status, 200);
    assert_eq!(first.ask(&other, "POST", "/records", &known).status, 200);
    assert_eq!(first.push(&other, &first.record(21, b"rye")).problem(), (409, "older".to_owned()));
    // Both at once, of two groups.
    let (second, _) = Device::with_group(&other, 2, "");
    std::thread::scope(|threads| {
        for (device, hubs) in [(first, [&one, &other]), (second, [&other, &one])] {
            threads.spawn(move || {
                for n in 22..=221_u64 {
                    let pushed = device.push(hubs[n as usize % 2], &device.record(n, b"oats"));
                    assert_eq!(pushed.status, 200);
                }
                for hub in hubs {
                    let all = device.all(hub);
                    let numbers: Vec<u64> = all.iter().map(|(number, _)| *number).collect();
                    assert_eq!(numbers, (1..=all.len() as u64).collect::<Vec<_>>());
                    let sequences: BTreeSet<u64> = all.iter().map(|(_, sequence)| *sequence).collect();
                    assert_eq!(sequences.len(), all.len(), "each once");
                    assert!(sequences.is_superset(&(22..=221).collect()));
                }
            });
        }
    });
    drop(one);
    // What one said is forgotten with it.
    assert_eq!(database.count("SELECT COUNT(*) FROM processes"), 1);
    assert_eq!(
        database.count("SELECT COUNT(*) FROM news WHERE process NOT IN (SELECT id FROM processes)"),
        0
    );
}

#[test]
fn a_database_of_an_earlier_version_is_taken_over_with_how_far_everyone_has_come() {
    let database = Database::start();
    let hub = database.hub();
    let (device, _) = Device::with_group(&hub, 1, "");
    let known = sent(&[&device.record(1, b"oats")]);
    assert_eq!(device.ask(&hub, "POST", "/records", &known).status, 200);
    drop(hub);
    // As it was when heads had a table of their own.
    for sql in [
        "CREATE TABLE heads (grp BINARY(16) NOT NULL, device BINARY(16) NOT NULL, incarnation BIGINT UNSIGNED NOT NULL, \
         sequence BIGINT UNSIGNED NOT NULL, push BINARY(32) NOT NULL, PRIMARY KEY (grp, device, incarnation))",
        "INSERT INTO heads SELECT id, SUBSTR(heads, 1, 16), CONV(HEX(SUBSTR(heads, 17, 8)), 16, 10), \
         CONV(HEX(SUBSTR(heads, 25, 8)), 16, 10), SUBSTR(heads, 33, 32) FROM hub_groups",
        "ALTER TABLE hub_groups DROP COLUMN heads",
        "ALTER TABLE records ADD COLUMN sequence BIGINT UNSIGNED NOT NULL DEFAULT 1",
        "DELETE FROM _sqlx_migrations WHERE version = 20261206000000",
    ] {
        database.run(sql);
    }
    let hub = database.hub();
    assert_eq!(device.ask(&hub, "POST", "/records", &known).status, 200, "the same again is recognised");
    assert_eq!(device.push(&hub, &device.record(1, b"rye")).problem(), (409, "older".to_owned()));
    assert_eq!(device.push(&hub, &device.record(2, b"rye")).status, 200);
    assert_eq!(device.count(&hub), 2);
}

#[test]
fn a_group_that_nobody_asked_for_goes_whole_and_one_that_is_asked_for_stays() {
    let database = Database::start();
    let hub = database.hub();
    let ((quiet, _), (asked, _)) = (Device::with_group(&hub, 1, ""), Device::with_group(&hub, 2, ""));
    for device in [&quiet, &asked] {
        assert_eq!(device.push(&hub, &device.record(1, b"oats")).status, 200);
        let part = format!("/blobs/{}/0", "ab".repeat(16));
        assert_eq!(device.ask(&hub, "PUT", &part, b"sealed").status, 201);
    }
    drop(hub);
    database.run("UPDATE hub_groups SET seen_at = seen_at - 600 * 86400000000");
    let hub = database.hub();
    // Asking is enough.
    assert_eq!(asked.count(&hub), 1);
    let now = common::now() as i64 * 1_000_000;
    // Connections end with the runtime in which they were opened.
    runtime().block_on(async {
        let location = yadori_store::Location::Url(database.url.clone());
        let records = yadori_hub::records::Records::open(&location).await.unwrap();
        yadori_hub::keeping::let_go_of_quiet(&records, now - 540 * 86_400_000_000).await.unwrap();
    });
    assert_eq!(quiet.ask(&hub, "GET", "/records?after=0", b"").problem(), (404, "no-group".to_owned()));
    assert_eq!(asked.count(&hub), 1);
    for table in [
        "SELECT COUNT(*) FROM hub_groups",
        "SELECT COUNT(DISTINCT grp) FROM records",
        "SELECT COUNT(DISTINCT grp) FROM blobs",
        "SELECT COUNT(DISTINCT grp) FROM entries",
    ] {
        assert_eq!(database.count(table), 1, "{table}");
    }
    assert_eq!(database.count("SELECT COUNT(*) FROM leaving"), 0);
}

#[test]
fn how_far_a_device_has_come_is_told_and_one_that_was_silent_for_long_joins_anew() {
    let database = Database::start();
    let (hub, other) = (database.hub(), database.hub());
    let (device, _) = Device::with_group(&hub, 1, "");
    let come = |hub: &Hub| {
        let answer = device.ask(hub, "GET", "/devices", b"");
        assert_eq!(answer.status, 200);
        let come = yadori_sync::wire::Come::from_bytes(&answer.body).unwrap();
        (come.last, come.devices.into_iter().map(|(_, number, _)| number).collect::<Vec<_>>())
    };
    assert_eq!(come(&hub), (0, vec![]), "it has asked for nothing");
    for n in 1..=3 {
        assert_eq!(device.push(&hub, &device.record(n, b"oats")).status, 200);
    }
    let pull = |hub: &Hub, after: u64| device.ask(hub, "GET", &format!("/records?after={after}"), b"");
    assert_eq!(pull(&hub, 0).status, 200);
    assert_eq!(come(&hub), (3, vec![0]));
    assert_eq!(pull(&hub, 2).status, 200);
    assert_eq!(come(&hub), (3, vec![2]));
    // What was asked for that is not there is not counted.
    assert_eq!(pull(&hub, 9).status, 200);
    assert_eq!(come(&hub), (3, vec![3]));
    assert_eq!(pull(&hub, 2).status, 200);
    // Another process hears of it a little later, and one that begins anew knows it.
    let began = Instant::now();
    while database.count("SELECT CAST(COALESCE(SUM(number), 0) AS SIGNED) FROM asks") != 2 {
        assert!(began.elapsed() < Duration::from_secs(60));
        std::thread::sleep(Duration::from_millis(50));
    }
    assert_eq!(come(&other), (3, vec![2]));
    // What is asked at one is heard of at the other, although that knew an earlier answer.
    assert_eq!(pull(&other, 2).status, 200);
    assert_eq!(pull(&hub, 3).status, 200);
    let began = Instant::now();
    while come(&other) != (3, vec![3]) {
        assert!(began.elapsed() < Duration::from_secs(60));
        std::thread::sleep(Duration::from_millis(50));
    }
    assert_eq!(pull(&hub, 2).status, 200);
    let began = Instant::now();
    while database.count("SELECT CAST(SUM(number) AS SIGNED) FROM asks") != 2 {
        assert!(began.elapsed() < Duration::from_secs(60));
        std::thread::sleep(Duration::from_millis(50));
    }
    drop((hub, other));
    let long_ago = "UPDATE asks SET at = at - 181 * 86400000000";
    assert_eq!(database.run(long_ago), 1);
    let hub = database.hub();
    assert_eq!(pull(&hub, 2).problem(), (403, "silent".to_owned()));
    assert_eq!(device.push(&hub, &device.record(4, b"milk")).problem(), (403, "silent".to_owned()));
    assert_eq!(device.ask(&hub, "GET", "/entries?after=0", b"").status, 200);
    // Whoever has everything was only quiet.
    database.run("UPDATE asks SET number = 3");
    assert_eq!(device.push(&hub, &device.record(4, b"milk")).status, 200);
    assert_eq!(pull(&hub, 3).status, 200);
}

#[test]
fn a_full_group_can_still_say_little() {
    let hub = Hub::start("open = true\nquota_mib = 1\n");
    let (device, _) = Device::with_group(&hub, 1, "");
    let mut sequence = 0;
    let mut until_full = |body: &[u8]| {
        for pushed in 0.. {
            sequence += 1;
            let answer = device.push(&hub, &device.record(sequence, body));
            if answer.status != 200 {
                assert_eq!(answer.problem(), (507, "full".to_owned()));
                return pushed;
            }
        }
        unreachable!()
    };
    assert!(until_full(&[7; 60_000]) > 10);
    until_full(&[7; 900]);
    // What says that something was removed is no longer than this.
    let little = until_full(&[7; 200]);
    assert!((100..300).contains(&little), "{little}");
}

#[test]
fn a_group_that_asks_without_end_waits_and_another_does_not_notice() {
    let hub = Hub::start("open = true\npace = 3\n");
    let ((greedy, _), (other, _)) = (Device::with_group(&hub, 1, ""), Device::with_group(&hub, 2, ""));
    let answers = (0..200).map(|_| greedy.ask(&hub, "GET", "/records?after=0", b"").problem());
    let refused = answers.filter(|answer| *answer == (429, "too-fast".to_owned())).count();
    assert!((100..=170).contains(&refused), "{refused}");
    assert_eq!(other.push(&hub, &other.record(1, b"theirs")).status, 200);
    // It goes on by itself.
    let began = Instant::now();
    while greedy.ask(&hub, "GET", "/records?after=0", b"").status != 200 {
        assert!(began.elapsed() < Duration::from_secs(20));
    }
}
