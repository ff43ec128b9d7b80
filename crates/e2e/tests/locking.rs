//! An order acts when the session is locked, as logind tells it: played here by a stand-in on a bus of its own.

#![allow(missing_docs, reason = "the interface of the stand-in is logind's")]

use anyhow::Result;
use yadori_e2e::bus::Bus;
use yadori_e2e::{Service, until};
use zbus::object_server::SignalEmitter;
use zbus::zvariant::{ObjectPath, OwnedObjectPath};

/// A session of logind.
struct Session {
    uid: u32,
    locked: bool,
}

#[zbus::interface(name = "org.freedesktop.login1.Session")]
impl Session {
    #[zbus(property)]
    fn user(&self) -> (u32, OwnedObjectPath) {
        (self.uid, ObjectPath::from_static_str_unchecked("/org/freedesktop/login1/user/self").into())
    }

    #[zbus(property)]
    fn locked_hint(&self) -> bool {
        self.locked
    }

    #[zbus(signal)]
    async fn lock(emitter: &SignalEmitter<'_>) -> zbus::Result<()>;
}

fn heads(service: &Service) -> Vec<String> {
    service.list(50).into_iter().map(|row| row.head).collect()
}

const OWN: &str = "/org/freedesktop/login1/session/_31";
const OTHER: &str = "/org/freedesktop/login1/session/_32";

#[tokio::test(flavor = "multi_thread")]
async fn an_order_acts_when_the_own_session_is_locked_and_at_no_other_lock() -> Result<()> {
    let bus = Bus::start()?;
    let uid = rustix::process::getuid().as_raw();
    let logind = zbus::connection::Builder::address(bus.address.as_str())?
        .name("org.freedesktop.login1")?
        .serve_at(OWN, Session { uid, locked: false })?
        .serve_at(OTHER, Session { uid: uid + 1, locked: false })?
        .build()
        .await?;
    let order = "[[orders]]\non = \"lock\"\nclear = { kind = \"link\" }\n";
    let service = Service::configured_among(order, &[("DBUS_SYSTEM_BUS_ADDRESS", &bus.address)]);
    service.add(&["note", "https://huts.example/1"]);
    let of = |path: &'static str| {
        let server = logind.object_server();
        async move { server.interface::<_, Session>(path).await }
    };
    // Somebody else's session is locked, and then this one: the first is heard, and is not this person's.
    let log = || std::fs::read_to_string(service.errors_file()).unwrap_or_default();
    let (mut tries, mut told) = (0, std::time::Instant::now());
    until("the lock to be heard", || {
        // The service may not listen yet: it is locked once more.
        if told.elapsed() > std::time::Duration::from_millis(200) {
            (tries, told) = (tries + 1, std::time::Instant::now());
            locks(&logind, if tries % 2 == 0 { OWN } else { OTHER });
        }
        (heads(&service) == ["note"]).then_some(())
    });
    service.add(&["https://huts.example/2"]);
    for _ in 0..5 {
        Session::lock(of(OTHER).await?.signal_emitter()).await?;
    }
    // What was told before it is done when a later word is answered: the other's lock was none.
    assert_eq!(heads(&service), ["https://huts.example/2", "note"], "another's lock is none: {}", log());
    let own = of(OWN).await?;
    own.get_mut().await.locked = true;
    // Words within two seconds are one: the hint is set again until it is another.
    let hint = async {
        for _ in 0..100 {
            own.get().await.locked_hint_changed(own.signal_emitter()).await?;
            tokio::time::sleep(std::time::Duration::from_millis(100)).await;
            if heads(&service) == ["note"] {
                return Ok(());
            }
        }
        anyhow::bail!("the hint was not heard")
    };
    hint.await?;
    let orders = service.yadori(&["orders"]);
    assert!(orders.contains("cleared 1 clip"), "{orders}");
    // The bus goes away: that is said, and nothing ends.
    drop(logind);
    drop(bus);
    until("that to be said", || service.yadori(&["orders"]).contains("locking is not heard").then_some(()));
    service.add(&["after it"]);
    Ok(())
}

/// Emits a lock from a place where nothing can be awaited.
fn locks(logind: &zbus::Connection, path: &'static str) {
    let logind = logind.clone();
    tokio::spawn(async move {
        if let Ok(session) = logind.object_server().interface::<_, Session>(path).await {
            let _ = Session::lock(session.signal_emitter()).await;
        }
    });
}
