//! Requests to the hub. Each is signed where a device of the group asks, by the hub's own time.

use std::sync::atomic::{AtomicI64, Ordering};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use axum::body::Bytes;
use axum::http::{Method, StatusCode, Uri, header};
use ed25519_dalek::SigningKey;
use http_body_util::{BodyExt, Full, Limited};
use hyper_util::client::legacy::Client;
use hyper_util::client::legacy::connect::HttpConnector;
use hyper_util::rt::TokioExecutor;
use serde::Deserialize;
use yadori_core::DeviceId;
use yadori_sync::wire::{Found, Page, Request, Sent, read_list};

use crate::home::random::random;

/// How long the hub may take to answer, beside the time for which it is asked to hold a request.
const PATIENCE: Duration = Duration::from_secs(20);
/// What a part of a blob is given beside that: 1 MiB over a slow line.
const SLOW: Duration = Duration::from_secs(100);
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
    #[error("`{0}` is no address of a hub; it looks like http://127.0.0.1:8930")]
    Address(String),
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
    client: Client<HttpConnector, Full<Bytes>>,
    base: String,
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
        let base = address.trim().trim_end_matches('/');
        let uri: Uri = base.parse().map_err(|_| no())?;
        let host = uri.host().ok_or_else(no)?.trim_matches(['[', ']']);
        let loopback = host == "localhost"
            || host.parse::<std::net::IpAddr>().is_ok_and(|address| address.is_loopback());
        let bare = matches!(uri.path(), "" | "/") && uri.query().is_none();
        if uri.scheme_str() != Some("http") || !loopback || !bare {
            return Err(no());
        }
        let mut connector = HttpConnector::new();
        connector.set_nodelay(true);
        connector.set_connect_timeout(Some(CONNECT));
        let client = Client::builder(TokioExecutor::new()).build(connector);
        Ok(Self { client, base: base.to_owned(), ahead: AtomicI64::new(0) })
    }

    /// Where it is.
    pub(super) fn address(&self) -> &str {
        &self.base
    }

    async fn once(
        &self,
        (method, path, body): (&Method, &str, &Bytes),
        by: Option<&Asker>,
        wait: Duration,
    ) -> Result<(StatusCode, Bytes), LinkError> {
        let away = || LinkError::Away(self.base.clone());
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

    async fn ask(
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

    fn strange(&self) -> LinkError {
        LinkError::Strange(self.base.clone())
    }

    /// A group comes to be.
    pub(super) async fn found(&self, group: [u8; 16], found: &Found) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}", hex::encode(group));
        self.ask((Method::POST, &path, found.to_bytes()), None, Duration::ZERO).await?;
        Ok(())
    }

    /// Entries of the chain after a number.
    pub(super) async fn entries(&self, by: &Asker, after: u64) -> Result<Vec<Vec<u8>>, LinkError> {
        let path = format!("/v1/groups/{}/entries?after={after}", hex::encode(by.group));
        let (_, answer) = self.ask((Method::GET, &path, Vec::new()), Some(by), Duration::ZERO).await?;
        let entries = read_list(&answer, 1_000).ok_or_else(|| self.strange())?;
        Ok(entries.into_iter().map(<[u8]>::to_vec).collect())
    }

    /// The chain goes on.
    pub(super) async fn append(&self, by: &Asker, entry: Vec<u8>) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/entries", hex::encode(by.group));
        self.ask((Method::POST, &path, entry), Some(by), Duration::ZERO).await?;
        Ok(())
    }

    /// Records are taken.
    pub(super) async fn push(&self, by: &Asker, sent: &Sent<'_>) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/records", hex::encode(by.group));
        self.ask((Method::POST, &path, sent.to_bytes()), Some(by), Duration::ZERO).await?;
        Ok(())
    }

    /// Records after a number, or a longer chain than this; held until there are some.
    pub(super) async fn pull(
        &self,
        by: &Asker,
        (after, epoch): (u64, u64),
        wait: Duration,
    ) -> Result<Page, LinkError> {
        let group = hex::encode(by.group);
        let path = format!("/v1/groups/{group}/records?after={after}&epoch={epoch}&wait={}", wait.as_secs());
        let (_, answer) = self.ask((Method::GET, &path, Vec::new()), Some(by), wait).await?;
        Page::from_bytes(&answer).ok_or_else(|| self.strange())
    }

    /// A part of a blob is taken.
    pub(super) async fn put_part(
        &self,
        by: &Asker,
        (name, n): ([u8; 16], u32),
        part: Vec<u8>,
    ) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/blobs/{}/{n}", hex::encode(by.group), hex::encode(name));
        self.ask((Method::PUT, &path, part), Some(by), SLOW).await?;
        Ok(())
    }

    /// A part of a blob.
    pub(super) async fn part(&self, by: &Asker, (name, n): ([u8; 16], u32)) -> Result<Bytes, LinkError> {
        let path = format!("/v1/groups/{}/blobs/{}/{n}", hex::encode(by.group), hex::encode(name));
        Ok(self.ask((Method::GET, &path, Vec::new()), Some(by), SLOW).await?.1)
    }

    /// Opens a place where two devices meet.
    pub(super) async fn open_place(&self, by: &Asker) -> Result<u32, LinkError> {
        let path = format!("/v1/groups/{}/meetings", hex::encode(by.group));
        let (_, answer) = self.ask((Method::POST, &path, Vec::new()), Some(by), Duration::ZERO).await?;
        let place = read_list(&answer, 1).and_then(|list| (*list.first()?).try_into().ok());
        place.map(u32::from_be_bytes).ok_or_else(|| self.strange())
    }

    /// Closes it.
    pub(super) async fn close_place(&self, by: &Asker, place: u32) -> Result<(), LinkError> {
        let path = format!("/v1/groups/{}/meetings/{place}", hex::encode(by.group));
        self.ask((Method::DELETE, &path, Vec::new()), Some(by), Duration::ZERO).await?;
        Ok(())
    }

    /// Says something there.
    pub(super) async fn say(&self, place: u32, n: u32, words: Vec<u8>) -> Result<(), LinkError> {
        let path = format!("/v1/meetings/{place}/{n}");
        self.ask((Method::PUT, &path, words), None, Duration::ZERO).await?;
        Ok(())
    }

    /// Hears what is said there; held until it is. `None`: nothing yet.
    pub(super) async fn hear(&self, place: u32, n: u32, wait: Duration) -> Result<Option<Bytes>, LinkError> {
        let path = format!("/v1/meetings/{place}/{n}?wait={}", wait.as_secs());
        let (status, answer) = self.ask((Method::GET, &path, Vec::new()), None, wait).await?;
        Ok((status == StatusCode::OK).then_some(answer))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hub_is_reached_in_the_clear_on_this_machine_alone() {
        for good in ["http://127.0.0.1:8930", " http://localhost:1/ ", "http://[::1]:8930"] {
            assert!(Link::to(good).is_ok(), "{good}");
        }
        for bad in [
            "127.0.0.1:8930",
            "http://10.0.0.2:8930",
            "http://127.0.0.1:1/a",
            "ftp://127.0.0.1",
            "",
            "http://",
        ] {
            assert!(matches!(Link::to(bad), Err(LinkError::Address(_))), "{bad}");
        }
    }
}
