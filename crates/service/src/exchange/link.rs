//! Requests to the hub. Each is signed where a device of the group asks, by the hub's own time.

use std::sync::atomic::{AtomicI64, Ordering};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use axum::body::Bytes;
use axum::http::{Method, StatusCode, Uri, header};
use ed25519_dalek::SigningKey;
use http_body_util::{BodyExt, Full, Limited};
use hyper_rustls::HttpsConnector;
use hyper_util::client::legacy::Client;
use hyper_util::client::legacy::connect::HttpConnector;
use hyper_util::rt::TokioExecutor;
use serde::Deserialize;
use yadori_core::DeviceId;
use yadori_sync::pairing::Terms;
use yadori_sync::wire::Request;
use yadori_tls::{Pin, Pinned, connector as connector_by};

use crate::home::random::random;

/// How long the hub may take to answer, beside the time for which it is asked to hold a request.
const PATIENCE: Duration = Duration::from_secs(20);
/// How long a connection may take to come about.
const CONNECT: Duration = Duration::from_secs(5);
/// The longest answer.
const LONGEST: usize = 12 << 20;
/// The hub's time stands on every answer.
const TIME: &str = "yadori-time";

/// Why the hub did not do what it was asked.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum LinkError {
    /// Its address is none.
    #[error(
        "`{0}` is no address of a hub; it looks like https://hub.example:8930, or http://127.0.0.1:8930 on this computer \
         alone"
    )]
    Address(String),
    /// What stands after # is no key.
    #[error(
        "the key of a hub is 32 hexadecimal digits or more after #, as yadori-hub prints them when it starts"
    )]
    Key,
    /// Nobody vouches for the hub.
    #[error(
        "the key of {0} is not known yet: give its address as yadori-hub prints it when it starts, with the key's digits \
         after #"
    )]
    NoKey(String),
    /// Somebody else answers.
    #[error(
        "what answers at {0} has another key than the hub this device knows, so nothing was sent. Somebody may stand \
         between; if the hub was set up anew, leave the group (`yadori unpair --this`) and pair again"
    )]
    OtherKey(String),
    /// It does not answer.
    #[error("the hub does not answer at {0}; it is tried again by itself")]
    Away(String),
    /// It said something that can't be understood.
    #[error("what answers at {0} is no hub of this version")]
    Strange(String),
    /// It refused.
    #[error("the hub refused: {detail}")]
    Refused {
        /// The kind of problem.
        kind: String,
        /// In words.
        detail: String,
    },
    /// The system gave no random bytes.
    #[error("the system gave no random bytes")]
    NoRandomness,
}

impl LinkError {
    /// It refused for this.
    pub fn is(&self, wanted: &str) -> bool {
        matches!(self, Self::Refused { kind, .. } if kind == wanted)
    }
}

#[derive(Deserialize)]
struct Problem {
    #[serde(rename = "type", default)]
    kind: String,
    #[serde(default)]
    detail: String,
}

/// Who asks.
#[derive(Clone)]
pub(super) struct Asker {
    /// The device.
    pub device: DeviceId,
    /// Its key.
    pub signing: SigningKey,
    /// Its group.
    pub group: [u8; 16],
}

/// The way to a hub.
pub(super) struct Link {
    client: Client<HttpsConnector<HttpConnector>, Full<Bytes>>,
    base: String,
    /// Whom it believes. `None`: it speaks in the clear.
    pinned: Option<Pinned>,
    /// The beginning of the key, as it was typed.
    typed: Option<String>,
    /// The hub's time less this device's, in seconds.
    ahead: AtomicI64,
}

impl std::fmt::Debug for Link {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Link({})", self.base)
    }
}

fn seconds() -> i64 {
    SystemTime::now()
        .duration_since(UNIX_EPOCH)
        .map_or(0, |since| i64::try_from(since.as_secs()).unwrap_or(0))
}

impl Link {
    /// A way to the hub at an address.
    ///
    /// # Errors
    /// When the address is none, or would send in the clear over a network.
    pub(super) fn to(address: &str) -> Result<Self, LinkError> {
        let no = || LinkError::Address(address.to_owned());
        let (base, key) = match address.trim().split_once('#') {
            Some((base, key)) => (base, Some(key.trim())),
            None => (address.trim(), None),
        };
        let base = base.trim_end_matches('/');
        let uri: Uri = base.parse().map_err(|_| no())?;
        let host = uri.host().ok_or_else(no)?.trim_matches(['[', ']']);
        let loopback = host == "localhost"
            || host.parse::<std::net::IpAddr>().is_ok_and(|address| address.is_loopback());
        let bare = matches!(uri.path(), "" | "/") && uri.query().is_none();
        let secure = uri.scheme_str() == Some("https");
        let clear = uri.scheme_str() == Some("http") && loopback && key.is_none();
        if !(secure || clear) || !bare {
            return Err(no());
        }
        if let Some(key) = key {
            Pin([0; 32]).begins_with(key).map_err(|_| LinkError::Key)?;
        }
        // A whole key is one that was met before.
        let known = key.and_then(|key| key.parse().ok()).map(Pinned::to);
        let pinned = known.unwrap_or_default();
        let mut connector = HttpConnector::new();
        connector.set_nodelay(true);
        connector.set_connect_timeout(Some(CONNECT));
        let connector = connector_by(pinned.clone(), connector).map_err(|_| no())?;
        let client = Client::builder(TokioExecutor::new()).build(connector);
        let (base, typed) = (base.to_owned(), key.map(str::to_owned));
        Ok(Self { client, base, pinned: secure.then_some(pinned), typed, ahead: AtomicI64::new(0) })
    }

    /// Where it is, with the key that it was met with.
    pub(super) fn address(&self) -> String {
        let pin = self.pinned.as_ref().and_then(Pinned::pin);
        pin.map_or_else(|| self.base.clone(), |pin| format!("{}#{pin}", self.base))
    }

    /// Where it is, for people.
    pub(super) fn shown(&self) -> &str {
        &self.base
    }

    /// What two devices that are paired through it must agree on.
    pub(super) fn terms(&self) -> Terms {
        let pin = self.pinned.as_ref().and_then(Pinned::pin);
        Terms { certificate: pin.map_or([0; 32], |pin| pin.0) }
    }

    /// Meets the hub: its key is known afterwards, and no other is believed. `vouched`: what is sent next does not rest on
    /// the key alone, as in a pairing, which finds out whether both devices met the same one.
    ///
    /// # Errors
    /// When it does not answer, or has another key than was typed.
    pub(super) async fn meet(&self, vouched: bool) -> Result<(), LinkError> {
        let Some(pinned) = &self.pinned else { return Ok(()) };
        if self.typed.is_none() && !vouched {
            return Err(LinkError::NoKey(self.base.clone()));
        }
        self.once((&Method::GET, "/healthz", &Bytes::new()), None, Duration::ZERO).await?;
        let pin = pinned.pin().ok_or_else(|| self.away())?;
        let fits = self.typed.as_ref().is_none_or(|typed| pin.begins_with(typed) == Ok(true));
        if fits { Ok(()) } else { Err(LinkError::OtherKey(self.base.clone())) }
    }

    /// It does not answer; or somebody else does.
    fn away(&self) -> LinkError {
        if self.pinned.as_ref().is_some_and(Pinned::met_another) {
            LinkError::OtherKey(self.base.clone())
        } else {
            LinkError::Away(self.base.clone())
        }
    }

    async fn once(
        &self,
        (method, path, body): (&Method, &str, &Bytes),
        by: Option<&Asker>,
        wait: Duration,
    ) -> Result<(StatusCode, Bytes), LinkError> {
        let away = || self.away();
        let mut request = axum::http::Request::builder().method(method).uri(format!("{}{path}", self.base));
        if let Some(by) = by {
            let signed = Request { method: method.as_str(), path, group: by.group, body };
            let nonce = random().map_err(|_| LinkError::NoRandomness)?;
            let time = u64::try_from(seconds() + self.ahead.load(Ordering::Relaxed)).unwrap_or(0);
            let signature = signed.sign(by.device, &by.signing, time, nonce);
            request = request.header(header::AUTHORIZATION, signature.to_header());
        }
        let request =
            request.body(Full::new(body.clone())).map_err(|_| LinkError::Address(self.base.clone()))?;
        let answer = async {
            let response = self.client.request(request).await.map_err(|_| away())?;
            if let Some(time) = response.headers().get(TIME)
                && let Some(time) = time.to_str().ok().and_then(|time| time.parse::<i64>().ok())
            {
                self.ahead.store(time - seconds(), Ordering::Relaxed);
            }
            let status = response.status();
            let body = Limited::new(response.into_body(), LONGEST).collect().await.map_err(|_| away())?;
            Ok((status, body.to_bytes()))
        };
        tokio::time::timeout(PATIENCE + wait, answer).await.unwrap_or_else(|_| Err(away()))
    }

    pub(super) async fn ask(
        &self,
        (method, path, body): (Method, &str, Vec<u8>),
        by: Option<&Asker>,
        wait: Duration,
    ) -> Result<(StatusCode, Bytes), LinkError> {
        let body = Bytes::from(body);
        let mut asked_again = false;
        loop {
            let (status, answer) = self.once((&method, path, &body), by, wait).await?;
            if status.is_success() {
                return Ok((status, answer));
            }
            let problem: Problem =
                serde_json::from_slice(&answer).map_err(|_| LinkError::Strange(self.base.clone()))?;
            let kind = problem.kind.rsplit(':').next().unwrap_or_default().to_owned();
            // Its time is known now.
            if kind == "time" && !asked_again {
                asked_again = true;
                continue;
            }
            if status == StatusCode::SERVICE_UNAVAILABLE {
                return Err(LinkError::Away(self.base.clone()));
            }
            return Err(LinkError::Refused { kind, detail: problem.detail });
        }
    }

    pub(super) fn strange(&self) -> LinkError {
        LinkError::Strange(self.base.clone())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hub_is_reached_in_the_clear_on_this_machine_alone() {
        let key = "ab".repeat(16);
        for good in [
            "http://127.0.0.1:8930",
            " http://localhost:1/ ",
            "http://[::1]:8930",
            "https://10.0.0.2:8930",
            "https://hub.example/",
            &format!("https://127.0.0.1:1#{key}"),
            &format!("https://127.0.0.1:1/#{key}{key}"),
        ] {
            assert!(Link::to(good).is_ok(), "{good}");
        }
        for bad in [
            "127.0.0.1:8930",
            "http://10.0.0.2:8930",
            "http://127.0.0.1:1/a",
            "ftp://127.0.0.1",
            "",
            "http://",
            "https://10.0.0.2/a",
            &format!("http://127.0.0.1:1#{key}"),
        ] {
            assert!(matches!(Link::to(bad), Err(LinkError::Address(_))), "{bad}");
        }
        assert_eq!(Link::to("https://10.0.0.2#abc").unwrap_err(), LinkError::Key);
    }
}
