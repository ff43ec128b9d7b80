//! Hubs over TLS, and hubs that a device serves itself.

use std::process::Command;
use std::time::Duration;

use yadori_api::AllDevices;
use yadori_e2e::hub::{Hub, pair, pair_at, until_exchanged};
use yadori_e2e::{Service, until_within};

fn stands(one: &Service) -> AllDevices {
    serde_json::from_str(&one.yadori(&["devices", "--json"])).expect("how it stands")
}

#[track_caller]
fn until<T>(what: &str, look: impl FnMut() -> Option<T>) -> T {
    until_within(what, Duration::from_secs(90), look)
}

#[track_caller]
fn refused(one: &Service, arguments: &[&str], why: &str) {
    let done = one.client(arguments);
    let said = String::from_utf8_lossy(&done.stderr);
    assert!(!done.status.success() && said.contains(why), "{arguments:?}: {said}");
}

#[test]
fn a_hub_over_tls_is_known_by_its_key_and_nobody_else_is_sent_anything() {
    let mut hub = Hub::configured("open = true\n[tls]\nalways = true\n");
    let (host, guest) = (Service::without_desk(), Service::without_desk());
    let (base, key) = hub.address.split_once('#').expect("the key's digits");
    let (base, address) = (base.to_owned(), hub.address.clone());
    assert!(base.starts_with("https://") && key.len() == 32, "{address}");
    // Nobody vouches for it; somebody else; no key at all.
    refused(&host, &["pair", "--hub", &base], "is not known yet");
    refused(&host, &["pair", "--hub", &format!("{base}#{}", "ab".repeat(16))], "another key");
    refused(&host, &["pair", "--hub", &format!("{base}#abc")], "32 hexadecimal digits");
    // The second device finds out with the code whether both met the same one.
    pair_at((Some(&address), &base), (&host, &guest), ("Office", "Valley"));
    host.add(&["Rope: 40 m"]);
    until_exchanged(&[&host, &guest]);
    assert_eq!(guest.list(9).len(), 1);
    // Another key answers at its address: nothing is sent, and both say so.
    hub.stop();
    let kept = hub.home().join("tls/server.key");
    let key = std::fs::read(&kept).unwrap();
    std::fs::remove_file(&kept).unwrap();
    hub.start_again();
    host.add(&["Gas: 3 bottles"]);
    for one in [&host, &guest] {
        until("what is wrong", || stands(one).trouble?.contains("another key").then_some(()));
    }
    assert_eq!(guest.list(9).len(), 1);
    hub.stop();
    std::fs::write(&kept, key).unwrap();
    hub.start_again();
    assert_eq!(hub.address, address);
    until("the rest", || (guest.list(9).len() == 2).then_some(()));
}

#[test]
fn a_device_serves_the_hub_itself() {
    let port = std::net::TcpListener::bind("127.0.0.1:0").and_then(|one| one.local_addr()).unwrap();
    let settings = format!("[hub]\nserve = true\nlisten = \"{port}\"\n");
    let (mut host, guest) = (Service::configured(&settings), Service::without_desk());
    let address = until("the hub", || stands(&host).serves);
    assert_eq!(address, format!("http://{port}"));
    refused(&guest, &["pair"], "serve = true");
    // A stranger needs an invitation; the device itself has one.
    refused(&guest, &["pair", "--hub", &address], "invitation");
    pair_at((None, &address), (&host, &guest), ("Office", "Valley"));
    host.add(&["Rope: 40 m"]);
    until_exchanged(&[&host, &guest]);
    assert_eq!(guest.list(9).len(), 1);
    host.stop();
    guest.add(&["Bread: 12 loaves"]);
    host.start_again();
    host.await_records();
    until("what was done meanwhile", || (host.list(9).len() == 2).then_some(()));
    assert!(host.yadori(&["devices"]).contains("Valley"));
    assert!(host.yadori(&["sync"]).contains(&address));
}

/// How many records the other device is behind, as this one shows it.
fn behind(one: &Service) -> Option<u64> {
    stands(one).devices.into_iter().find(|device| !device.this)?.behind
}

/// Has the hub's own database do something. Gives what it says.
fn at_the_hub(hub: &Hub, sql: &str) -> String {
    let socket = hub.home().join("run/records.sock");
    let done = Command::new("mariadb")
        .arg(format!("--socket={}", socket.display()))
        .args(["--skip-column-names", "yadori_hub", "-e", sql])
        .output()
        .unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stdout).unwrap().trim().to_owned()
}

#[test]
fn how_far_each_device_has_come_is_shown_and_one_that_was_silent_for_long_joins_anew() {
    let mut hub = Hub::open();
    let (host, mut guest) = (Service::without_desk(), Service::without_desk());
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    until("both to have everything", || {
        (behind(&host) == Some(0) && behind(&guest) == Some(0)).then_some(())
    });
    guest.yadori(&["sync", "pause"]);
    assert_eq!(behind(&guest), None, "what is paused does not ask");
    host.add(&["Bread: 12 loaves", "Gas: 3 bottles", "Rope: 40 m"]);
    until("three records behind", || (behind(&host) == Some(3)).then_some(()));
    assert!(host.yadori(&["devices"]).contains("3 records behind"));
    guest.yadori(&["sync", "resume"]);
    until("nothing behind", || (behind(&host) == Some(0)).then_some(()));
    assert!(host.yadori(&["devices"]).contains("has everything"));
    // Half a year passes for a device that is switched off.
    let last = "SELECT COUNT(*) FROM asks JOIN hub_groups ON id = grp WHERE number = last";
    until("it to be kept how far both have come", || (at_the_hub(&hub, last) == "2").then_some(()));
    guest.stop();
    host.add(&["Lamp oil: 5 l"]);
    until("one record behind", || (behind(&host) == Some(1)).then_some(()));
    let guest_alone = "UPDATE asks JOIN hub_groups ON id = grp SET asks.at = asks.at - 181 * 86400000000 \
                       WHERE number < last";
    until("it to be kept that one has come further", || {
        (at_the_hub(&hub, "SELECT COUNT(DISTINCT number) FROM asks") == "2").then_some(())
    });
    at_the_hub(&hub, guest_alone);
    hub.stop();
    hub.start_again();
    guest.start_again();
    guest.await_records();
    guest.add(&["Written at the valley station"]);
    let trouble = until("to be told", || stands(&guest).trouble.filter(|why| why.contains("joins anew")));
    assert!(trouble.contains("`yadori unpair --this`"), "{trouble}");
    guest.yadori(&["unpair", "--this", "--yes"]);
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    until("all of it on both", || {
        let heads = |one: &Service| one.list(20).into_iter().map(|row| row.head).collect::<Vec<_>>();
        (heads(&host) == heads(&guest) && heads(&host).len() == 5).then_some(())
    });
    until("both to have everything", || {
        (behind(&host) == Some(0) && behind(&guest) == Some(0)).then_some(())
    });
}

#[test]
fn a_full_group_can_still_say_what_was_removed_and_goes_on_when_there_is_room() {
    let hub = Hub::configured("open = true\nquota_mib = 2\n");
    let (host, guest) = (Service::without_desk(), Service::without_desk());
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    host.add(&["Bread: 12 loaves", "Gas: 3 bottles"]);
    until("both of them", || (guest.list(9).len() == 2).then_some(()));
    // Noise does not get smaller.
    let scratch = tempfile::tempdir().unwrap();
    for n in 0..4_u8 {
        let mut noise = vec![0; 700_000];
        blake3::Hasher::new().update(&[n]).finalize_xof().fill(&mut noise);
        let text: String = noise.iter().map(|byte| char::from(b'a' + byte % 26)).collect();
        let file = scratch.path().join("map.txt");
        std::fs::write(&file, text).unwrap();
        host.yadori(&["add", "--file", file.to_str().unwrap()]);
    }
    let full = || stands(&host).trouble.filter(|why| why.contains("the group may have no more at this hub"));
    until("the hub to be full", full);
    let there = guest.list(9).len();
    assert!(there < 6, "{there}");
    host.yadori(&["remove", "5", "6"]);
    until("what was removed to be removed there", || {
        let heads = guest.list(9).into_iter().map(|row| row.head);
        heads.into_iter().all(|head| !head.contains("loaves") && !head.contains("bottles")).then_some(())
    });
    let length = at_the_hub(&hub, "SELECT LENGTH(body) FROM records ORDER BY number DESC LIMIT 1");
    assert!(length.parse::<u64>().unwrap() <= 768, "{length} bytes are more than a full group may say");
    until("it still to be said that the hub is full", full);
    assert_eq!(host.list(9).len(), 4, "nothing is lost here");
}
