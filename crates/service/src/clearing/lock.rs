//! Whether the session is locked, as logind tells it on the system bus (org.freedesktop.login1.Session: the signal `Lock`,
//! and the property `LockedHint`, which lockers set). Listened for while an order acts then.

use std::sync::Arc;
use std::time::Duration;

use futures_util::StreamExt;
use yadori_core::limits::Occasion;
use zbus::message::Type;
use zbus::zvariant::OwnedObjectPath;
use zbus::{Connection, MatchRule, Message, MessageStream, Proxy};

use crate::clearing::orders::Orders;
use crate::state::app::{App, Shared};
use crate::writer::Queue;

const LOGIND: &str = "org.freedesktop.login1";
const SESSION: &str = "org.freedesktop.login1.Session";
const PROPERTIES: &str = "org.freedesktop.DBus.Properties";
/// How long after the bus went away it is looked for again.
const AGAIN: Duration = Duration::from_secs(20);
/// Words of a lock that come together are one.
const TOGETHER: Duration = Duration::from_secs(2);

/// An order acts when the session is locked.
fn is_wanted(app: &App) -> bool {
    app.settings().keeping.orders.iter().any(|(_, occasion)| *occasion == Occasion::Lock)
}

/// Carries out the orders of locking, until the service ends.
pub async fn run(app: Shared, queue: Queue, orders: Arc<Orders>) {
    loop {
        if is_wanted(&app) {
            tokio::select! {
                heard = listen(&app, &queue, &orders) => {
                    let why = heard.err().map_or_else(|| "the system bus has gone".to_owned(), |why| why.to_string());
                    orders.deaf.set(Some(format!("locking is not heard ({why}); it is tried again by itself")));
                    tracing::warn!("locking is not heard: {why}");
                }
                () = app.shutdown.cancelled() => return,
            }
        }
        let again = is_wanted(&app);
        tokio::select! {
            () = tokio::time::sleep(AGAIN), if again => {}
            () = app.settings_changed() => {}
            () = app.shutdown.cancelled() => return,
        }
    }
}

async fn listen(app: &App, queue: &Queue, orders: &Orders) -> zbus::Result<()> {
    let connection = Connection::system().await?;
    let rule = |interface: &'static str, member: &'static str| -> zbus::Result<MatchRule<'static>> {
        Ok(MatchRule::builder().msg_type(Type::Signal).interface(interface)?.member(member)?.build())
    };
    let locks = MessageStream::for_match_rule(rule(SESSION, "Lock")?, &connection, None).await?;
    let hints = MessageStream::for_match_rule(
        MatchRule::builder()
            .msg_type(Type::Signal)
            .interface(PROPERTIES)?
            .member("PropertiesChanged")?
            .path_namespace("/org/freedesktop/login1/session")?
            .build(),
        &connection,
        None,
    )
    .await?;
    orders.deaf.set(None);
    let mut told = futures_util::stream::select(locks, hints);
    let mut last: Option<tokio::time::Instant> = None;
    while let Some(message) = told.next().await {
        let message = message?;
        if !says_locked(&message) || !is_own(&connection, &message).await {
            continue;
        }
        if last.is_some_and(|last| last.elapsed() < TOGETHER) {
            continue;
        }
        last = Some(tokio::time::Instant::now());
        orders.on(app, queue, Occasion::Lock).await;
        if !is_wanted(app) {
            return Ok(());
        }
    }
    Ok(())
}

/// The signal `Lock`, or a hint that turned true.
fn says_locked(message: &Message) -> bool {
    let header = message.header();
    if header.interface().is_some_and(|name| name.as_str() == SESSION) {
        return true;
    }
    type Changed<'m> = (String, std::collections::HashMap<String, zbus::zvariant::Value<'m>>, Vec<String>);
    let body = message.body();
    let Ok((interface, changed, _)) = body.deserialize::<Changed<'_>>() else { return false };
    interface == SESSION && matches!(changed.get("LockedHint"), Some(zbus::zvariant::Value::Bool(true)))
}

/// The session is one of this user's.
async fn is_own(connection: &Connection, message: &Message) -> bool {
    let Some(path) = message.header().path().map(|path| OwnedObjectPath::from(path.to_owned())) else {
        return false;
    };
    let user = async {
        let session = Proxy::new(connection, LOGIND, path, SESSION).await?;
        session.get_property::<(u32, OwnedObjectPath)>("User").await
    };
    user.await.is_ok_and(|(uid, _)| uid == rustix::process::getuid().as_raw())
}
