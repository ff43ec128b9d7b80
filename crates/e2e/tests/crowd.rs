//! Many connections, slow ones and large ones: whoever has no key holds up nobody.

use std::io::{Read, Write};
use std::net::TcpStream;
use std::process::Command;
use std::time::{Duration, Instant};

use yadori_e2e::{Service, until_within};

fn address(service: &Service) -> String {
    service.address().strip_prefix("http://").expect("an address").to_owned()
}

#[test]
fn a_thousand_idle_connections_keep_nobody_out() {
    let service = Service::configured("");
    let key = service.key();
    let crowd: Vec<TcpStream> =
        (0..1_000).filter_map(|_| TcpStream::connect(address(&service)).ok()).collect();
    assert!(crowd.len() > 900);
    service.yadori(&["status"]);
    service.yadori(&["add", "in a crowd"]);
    // By TCP as well, for whoever has a key.
    let auth = format!("authorization: Bearer {key}");
    let url = format!("{}/api/v1/status", service.address());
    assert_eq!(Service::curl(&["-H", &auth, &url]).0, 200);
    // A database that is killed comes back.
    let pid = service.database_pid();
    let _ = Command::new("kill").args(["-9", &pid.to_string()]).status();
    until_within("saving again", Duration::from_secs(40), || {
        service.client(&["add", "after the kill"]).status.success().then_some(())
    });
    drop(crowd);
}

#[test]
fn a_large_body_without_a_key_is_not_read() {
    let service = Service::configured("");
    for path in ["/api/v1/clips", "/api/v1/sign-in", "/api/v1/restore"] {
        let mut stream = TcpStream::connect(address(&service)).unwrap();
        let length = 90 << 20;
        let head = format!(
            "POST {path} HTTP/1.1\r\nhost: {}\r\ncontent-type: application/json\r\ncontent-length: {length}\r\n\r\n",
            address(&service)
        );
        stream.write_all(head.as_bytes()).unwrap();
        let mut sent = 0;
        while sent < length && stream.write_all(&[b'x'; 65_536]).is_ok() {
            sent += 65_536;
        }
        let mut answer = String::new();
        let _ = stream.read_to_string(&mut answer);
        // The system's buffers took some; the service read none of it to speak of.
        assert!(sent < 16 << 20, "{path}: {sent} bytes were taken");
    }
    service.yadori(&["status"]);
}

#[test]
fn a_head_that_never_ends_is_given_up() {
    let service = Service::configured("");
    let mut stream = TcpStream::connect(address(&service)).unwrap();
    stream.write_all(b"GET / HTTP/1.1\r\nhost: ").unwrap();
    stream.set_read_timeout(Some(Duration::from_secs(60))).unwrap();
    let began = Instant::now();
    let mut answer = Vec::new();
    let _ = stream.read_to_end(&mut answer);
    assert!(began.elapsed() < Duration::from_secs(50), "it was kept for {:?}", began.elapsed());
}
