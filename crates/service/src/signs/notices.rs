//! Notifications of the desktop (Desktop Notifications Specification). What was copied is in none of them: desktops keep
//! what they have shown.

use std::collections::HashMap;

use yadori_core::Kind;
use yadori_words::{said, word};
use zbus::zvariant::Value;
use zbus::{Connection, Proxy};

/// How long a word about a copy stays, in milliseconds; one about trouble stays until it was seen.
const SHORTLY: i32 = 2_500;
const UNTIL_SEEN: i32 = 0;

/// Who tells.
#[derive(Debug)]
pub(super) struct Notices {
    proxy: Proxy<'static>,
    /// The last one about a copy: the next one takes its place.
    last: u32,
}

impl Notices {
    pub(super) async fn on(session: &Connection) -> zbus::Result<Self> {
        let name = "org.freedesktop.Notifications";
        let proxy = Proxy::new(session, name, "/org/freedesktop/Notifications", name).await?;
        Ok(Self { proxy, last: 0 })
    }

    async fn show(
        &self,
        replaces: u32,
        title: &str,
        words: &str,
        urgency: u8,
        time: i32,
    ) -> zbus::Result<u32> {
        let hints =
            HashMap::from([("urgency", Value::U8(urgency)), ("transient", Value::Bool(urgency == 0))]);
        let actions: &[&str] = &[];
        self.proxy.call("Notify", &("Yadori", replaces, "yadori", title, words, actions, hints, time)).await
    }

    /// Something was copied.
    pub(super) async fn copied(&mut self, kind: Kind, program: Option<&str>, line: &str) -> zbus::Result<()> {
        let what = one_of(kind).to_owned();
        let from = program
            .map_or_else(String::new, |program| format!("{} · ", said!("from {program}", program = program)));
        self.last = self.show(self.last, &what, &escaped(&format!("{from}{line}")), 0, SHORTLY).await?;
        Ok(())
    }

    /// Something to know.
    pub(super) async fn word(&self, title: &str, words: &str) -> zbus::Result<()> {
        self.show(0, title, &escaped(words), 1, SHORTLY * 3).await?;
        Ok(())
    }

    /// Copies are not kept any more.
    pub(super) async fn trouble(&self, words: &str, next: Option<&str>) -> zbus::Result<()> {
        let next = next.unwrap_or(word!("`yadori doctor` says why, and how to mend it"));
        self.show(0, &format!("Yadori: {words}"), &escaped(next), 2, UNTIL_SEEN).await?;
        Ok(())
    }
}

fn one_of(kind: Kind) -> &'static str {
    match kind {
        Kind::Image => word!("A picture was copied"),
        Kind::Files => word!("A file, or several, was copied"),
        Kind::Link => word!("A link was copied"),
        Kind::Text => word!("A text was copied"),
    }
}

/// Words among markup (Desktop Notifications Specification, "Markup").
fn escaped(words: &str) -> String {
    words.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;")
}
