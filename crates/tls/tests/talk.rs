//! A server and a client over TLS on loopback.

use std::time::{Duration, SystemTime};

use axum::Router;
use axum::routing::get;
use bytes::Bytes;
use http_body_util::{BodyExt, Empty};
use hyper_util::client::legacy::Client;
use hyper_util::client::legacy::connect::HttpConnector;
use hyper_util::rt::TokioExecutor;
use tokio::io::AsyncReadExt;
use tokio::net::{TcpListener, TcpStream};
use yadori_tls::{Identity, Pin, Pinned, SecureListener, connector};

async fn serve(identity: &Identity) -> u16 {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    let listener = SecureListener::on(listener, identity).unwrap();
    let routes = Router::new().route("/", get(async || "oats"));
    tokio::spawn(std::future::IntoFuture::into_future(axum::serve(listener, routes)));
    port
}

async fn ask(port: u16, pinned: &Pinned) -> Option<Bytes> {
    let connector = connector(pinned.clone(), HttpConnector::new()).unwrap();
    let client: Client<_, Empty<Bytes>> = Client::builder(TokioExecutor::new()).build(connector);
    let answer = client.get(format!("https://127.0.0.1:{port}/").parse().unwrap()).await.ok()?;
    Some(answer.into_body().collect().await.ok()?.to_bytes())
}

fn own(dir: &std::path::Path) -> Identity {
    Identity::of_its_own(dir, &["hut".to_owned(), "10.0.0.1".to_owned()], SystemTime::now()).unwrap()
}

#[tokio::test]
async fn the_key_that_was_met_first_is_believed_and_no_other() {
    let (one, other) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
    let identity = own(one.path());
    let port = serve(&identity).await;
    let learned = Pinned::default();
    assert_eq!(ask(port, &learned).await.as_deref(), Some(&b"oats"[..]));
    assert_eq!(learned.pin(), Some(identity.pin()));
    // The same key with a new certificate, as after a start; another key; this one again.
    assert_eq!(ask(serve(&own(one.path())).await, &learned).await.as_deref(), Some(&b"oats"[..]));
    assert_eq!(ask(serve(&own(other.path())).await, &learned).await, None);
    assert!(learned.met_another());
    assert!(ask(port, &learned).await.is_some() && !learned.met_another());
    assert!(ask(port, &Pinned::to(identity.pin())).await.is_some());
    assert_eq!(ask(port, &Pinned::to(Pin([7; 32]))).await, None);
}

#[tokio::test]
async fn who_says_nothing_keeps_nobody_waiting() {
    let dir = tempfile::tempdir().unwrap();
    let port = serve(&own(dir.path())).await;
    let mut silent = Vec::new();
    for _ in 0..40 {
        silent.push(TcpStream::connect(("127.0.0.1", port)).await.unwrap());
    }
    let asked = tokio::time::timeout(Duration::from_secs(8), ask(port, &Pinned::default())).await;
    assert!(asked.unwrap().is_some());
    // In the end they are let go of.
    let mut byte = [0; 1];
    let ended = tokio::time::timeout(Duration::from_secs(60), silent[0].read(&mut byte)).await.unwrap();
    assert!(matches!(ended, Ok(0) | Err(_)));
}

#[test]
fn what_is_given_is_read_and_what_is_wrong_is_told() {
    let dir = tempfile::tempdir().unwrap();
    let (one, two) = (dir.path().join("one"), dir.path().join("two"));
    let (first, _) = (own(&one), own(&two));
    // An authority's certificate and key stand for ones that were given.
    let given =
        |certificate: &str, key: &str| Identity::given(&dir.path().join(certificate), &dir.path().join(key));
    assert!(given("one/authority.pem", "one/authority.key").unwrap().authority().is_none());
    let mixed = given("one/authority.pem", "two/authority.key").unwrap_err().to_string();
    assert!(mixed.contains("does not belong"), "{mixed}");
    let swapped = given("one/authority.key", "one/authority.key").unwrap_err().to_string();
    assert!(swapped.contains("no certificate"), "{swapped}");
    let absent = given("one/nowhere.pem", "one/authority.key").unwrap_err().to_string();
    assert!(absent.contains("nowhere.pem"), "{absent}");
    assert!(first.authority().is_some());
    for file in ["authority.key", "server.key"] {
        use std::os::unix::fs::PermissionsExt;
        let mode = std::fs::metadata(one.join(file)).unwrap().permissions().mode();
        assert_eq!(mode & 0o777, 0o600, "{file}");
    }
}
