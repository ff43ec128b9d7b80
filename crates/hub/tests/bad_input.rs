//! What a hub is asked that it should not do: each is refused with the right status, and no other group notices.

mod common;

use std::cell::Cell;
use std::collections::BTreeMap;

use common::{Device, Hub, now, runtime, sent};
use ed25519_dalek::SigningKey;
use yadori_hub::run::invite;

fn word(status: u16, word: &str) -> (u16, String) {
    (status, word.to_owned())
}

#[test]
fn forged_and_repeated_requests_are_refused() {
    let hub = Hub::start("open = true\n");
    let ((first, status), (other, _)) = (Device::with_group(&hub, 1, ""), Device::with_group(&hub, 2, ""));
    assert_eq!(status, 201);
    let one = first.record(1, b"oats");
    assert_eq!(first.push(&hub, &one).status, 200);
    // The same bytes once more are taken as taken; other ones under the same sequence are not.
    assert_eq!(first.push(&hub, &one).status, 200);
    assert_eq!(first.push(&hub, &first.record(1, b"rye")).problem(), word(409, "older"));
    // Signed by nobody, by another key, for another call, for another body, long ago, by a stranger.
    let (path, body) = (first.path("/records"), sent(&[&first.record(2, b"milk")]));
    let asked = |header: Option<&str>| hub.ask("POST", &path, &body, header).problem();
    let signing = SigningKey::from_bytes(&[3; 32]);
    let forged = Device { id: first.id, signing, group: first.group, asked: Cell::new(0) };
    assert_eq!(asked(None), word(401, "unsigned"));
    assert_eq!(asked(Some("Bearer abc")), word(401, "unsigned"));
    assert_eq!(asked(Some(&forged.header("POST", &path, &body, now()))), word(401, "unsigned"));
    let elsewhere = first.path("/entries");
    assert_eq!(asked(Some(&first.header("POST", &elsewhere, &body, now()))), word(401, "unsigned"));
    assert_eq!(asked(Some(&first.header("POST", &path, b"other", now()))), word(401, "unsigned"));
    assert_eq!(asked(Some(&first.header("POST", &path, &body, now() - 1_000))), word(401, "time"));
    assert_eq!(asked(Some(&other.header("POST", &path, &body, now()))), word(403, "stranger"));
    let once = first.header("GET", &path, b"", now());
    assert_eq!(hub.ask("GET", &path, b"", Some(&once)).status, 200);
    assert_eq!(hub.ask("GET", &path, b"", Some(&once)).problem(), word(401, "unsigned"), "answered once");
    assert_eq!((first.count(&hub), other.count(&hub)), (1, 0));
}

#[test]
fn malformed_oversized_and_endless_things_are_refused_and_others_do_not_notice() {
    let hub = Hub::start("open = true\nquota_mib = 6\n");
    let ((first, _), (other, _)) = (Device::with_group(&hub, 1, ""), Device::with_group(&hub, 2, ""));
    assert_eq!(first.push(&hub, &first.record(1, b"oats")).status, 200);
    for body in [
        sent(&[&other.record(3, b"of another group")]),
        sent(&[&first.record(4, b"b"), &first.record(3, b"a")]),
        sent(&[]),
        Vec::new(),
        b"\xff\xff\xff\xff".to_vec(),
        vec![0x9b, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff, 0xff],
    ] {
        let answer = first.ask(&hub, "POST", "/records", &body);
        assert_eq!(answer.problem(), word(400, "malformed"), "{body:02x?}");
    }
    for n in 0..200_u32 {
        let mut body = vec![0; (n * 7 % 900) as usize];
        blake3::Hasher::new().update(&n.to_be_bytes()).finalize_xof().fill(&mut body);
        let rest = ["/records", "/entries", "/meetings/x", "/blobs/zz/1"][n as usize % 4];
        let status = first.ask(&hub, if n % 3 == 0 { "PUT" } else { "POST" }, rest, &body).status;
        assert!((400..500).contains(&status), "{rest}: {status}");
    }
    let part_at = |n: u32| format!("/blobs/{}/{n}", "ab".repeat(16));
    // The hub hangs up on what is too large: whoever still sends then may lose the answer, and asks again.
    let refused = (0..50).find_map(|_| first.try_ask(&hub, "PUT", &part_at(0), &vec![0; 3 << 20]));
    assert_eq!(refused.map(|answer| answer.status), Some(413));
    // Up to the quota and no further; what is there stays.
    let part = vec![9; 1 << 20];
    let taken = (0..9).filter(|n| first.ask(&hub, "PUT", &part_at(*n), &part).status == 201).count();
    assert_eq!(taken, 5, "and a record");
    assert_eq!(first.ask(&hub, "PUT", &part_at(20), &part).problem(), word(507, "full"));
    assert_eq!(first.ask(&hub, "PUT", &part_at(0), &part).status, 201, "it is there already");
    assert_eq!(first.ask(&hub, "PUT", &part_at(0), b"another").problem(), word(409, "said"));
    assert_eq!(first.ask(&hub, "GET", &part_at(0), b"").body, part);
    assert_eq!(other.ask(&hub, "GET", &part_at(0), b"").status, 404, "of another group");
    assert_eq!(other.push(&hub, &other.record(1, b"theirs")).status, 200);
    assert_eq!((first.count(&hub), other.count(&hub)), (1, 1));
}

#[test]
fn a_thousand_wrong_codes_are_locked_out() {
    let hub = Hub::start("open = true\n");
    let (device, _) = Device::with_group(&hub, 1, "");
    let opened = device.ask(&hub, "POST", "/meetings", b"");
    let place = u32::from_be_bytes(*opened.body.last_chunk().unwrap());
    let mut statuses = BTreeMap::new();
    for n in 0..1_000_u32 {
        let path = format!("/v1/meetings/{}/0", place + n % 2);
        *statuses.entry(hub.ask("PUT", &path, &n.to_be_bytes(), None).status).or_insert(0) += 1;
    }
    assert_eq!(statuses.get(&201), Some(&1), "one was heard, and used the code up: {statuses:?}");
    assert_eq!(statuses.get(&429), Some(&980), "{statuses:?}");
    assert_eq!(device.ask(&hub, "POST", "/meetings", b"").status, 200, "who belongs is not locked out");
}

#[test]
fn a_group_comes_to_be_by_an_invitation_which_counts_once() {
    let hub = Hub::start("");
    let words = runtime().block_on(invite(&hub.settings, 7)).unwrap();
    let over = runtime().block_on(invite(&hub.settings, 0)).unwrap();
    for (n, (invitation, wanted)) in
        [("", 403), ("0123456789abcdef", 403), (&over, 403), (&words, 201), (&words, 403)]
            .into_iter()
            .enumerate()
    {
        let (_, status) = Device::with_group(&hub, n as u8 + 1, invitation);
        assert_eq!(status, wanted, "{n}");
    }
}
