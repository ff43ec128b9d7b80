//! A hub in this process on loopback, and a device that knows no more than how to ask.
#![allow(dead_code, unreachable_pub, reason = "each of the tests uses a part")]

use std::cell::Cell;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use ed25519_dalek::SigningKey;
use tokio_util::sync::CancellationToken;
use ureq::Agent;
use yadori_core::DeviceId;
use yadori_hub::run::run;
use yadori_hub::settings::{Settings, resolve};
use yadori_sync::group::{Chain, Member, Phrase, WrapSecret};
use yadori_sync::keys::{EpochKey, NamingKey, Subject};
use yadori_sync::record::{Header, Sealed, seal};
use yadori_sync::wire::{Found, Page, Request, Sent};

pub struct Hub {
    pub address: String,
    pub settings: Settings,
    pub shutdown: CancellationToken,
    ended: Option<std::thread::JoinHandle<()>>,
    _home: tempfile::TempDir,
}

pub fn runtime() -> tokio::runtime::Runtime {
    tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build().unwrap()
}

impl Hub {
    pub fn start(configuration: &str) -> Self {
        Self::try_start(configuration, Duration::from_secs(90)).unwrap()
    }

    /// A hub, if it answers in time.
    pub fn try_start(configuration: &str, patience: Duration) -> Option<Self> {
        let home = tempfile::tempdir().unwrap();
        std::fs::write(home.path().join("config.toml"), configuration).unwrap();
        let settings = resolve(home.path(), Some("127.0.0.1:0".parse().unwrap())).unwrap();
        let shutdown = CancellationToken::new();
        let (ready, address) = std::sync::mpsc::channel();
        let (ending, own) = (shutdown.clone(), settings.clone());
        let ended = std::thread::spawn(move || {
            runtime()
                .block_on(run(own, ending, move |address| ready.send(address.to_owned()).unwrap()))
                .unwrap();
        });
        let address = address.recv_timeout(patience).ok()?;
        Some(Self { address, settings, shutdown, ended: Some(ended), _home: home })
    }

    pub fn ask(&self, method: &str, path: &str, body: &[u8], header: Option<&str>) -> Answer {
        self.try_ask(method, path, body, header).unwrap()
    }

    /// The answer, if there is one.
    pub fn try_ask(&self, method: &str, path: &str, body: &[u8], header: Option<&str>) -> Option<Answer> {
        let mut request =
            ureq::http::Request::builder().method(method).uri(format!("{}{path}", self.address));
        if let Some(header) = header {
            request = request.header("authorization", header);
        }
        let agent: Agent = Agent::config_builder().http_status_as_error(false).build().into();
        let answer = agent.run(request.body(body).unwrap()).ok()?;
        let status = answer.status().as_u16();
        let body = answer.into_body().into_with_config().limit(64 << 20).read_to_vec().ok()?;
        Some(Answer { status, body })
    }
}

impl Drop for Hub {
    fn drop(&mut self) {
        self.shutdown.cancel();
        let _ = self.ended.take().map(std::thread::JoinHandle::join);
    }
}

pub struct Answer {
    pub status: u16,
    pub body: Vec<u8>,
}

impl Answer {
    /// Its status, and the word of its problem.
    pub fn problem(&self) -> (u16, String) {
        let problem: serde_json::Value = serde_json::from_slice(&self.body).unwrap_or_default();
        let word = problem["type"].as_str().and_then(|kind| kind.rsplit(':').next());
        (self.status, word.unwrap_or_default().to_owned())
    }
}

pub fn random<const N: usize>() -> [u8; N] {
    let mut out = [0; N];
    getrandom::fill(&mut out).unwrap();
    out
}

pub fn now() -> u64 {
    SystemTime::now().duration_since(UNIX_EPOCH).unwrap().as_secs()
}

pub struct Device {
    pub id: DeviceId,
    pub signing: SigningKey,
    pub group: [u8; 16],
    pub asked: Cell<u64>,
}

impl Device {
    /// A device, and the answer to its wish for a group.
    pub fn with_group(hub: &Hub, n: u8, invitation: &str) -> (Self, u16) {
        let (id, signing) = (DeviceId([n; 16]), SigningKey::from_bytes(&random()));
        let (_, wraps) = WrapSecret::derive(&random());
        let phrase = Phrase::new(random());
        let group = phrase.group();
        let member = Member { device: id, signs: signing.verifying_key(), wraps };
        let keys = (EpochKey([7; 32]), NamingKey([8; 32]));
        let mut system = yadori_sync::UnwrapErr(getrandom::SysRng);
        let entry = Chain::of(group).begin(member, &signing, phrase.member(), keys, &mut system).unwrap();
        let found = Found { invitation: invitation.to_owned(), entry }.to_bytes();
        let status = hub.ask("POST", &format!("/v1/groups/{}", hex::encode(group)), &found, None).status;
        (Self { id, signing, group, asked: Cell::new(0) }, status)
    }

    pub fn path(&self, rest: &str) -> String {
        format!("/v1/groups/{}{rest}", hex::encode(self.group))
    }

    pub fn header(&self, method: &str, path: &str, body: &[u8], time: u64) -> String {
        self.asked.set(self.asked.get() + 1);
        let nonce = blake3::hash(&[&self.signing.to_bytes()[..], &self.asked.get().to_be_bytes()].concat());
        let request = Request { method, path, group: self.group, body };
        request.sign(self.id, &self.signing, time, *nonce.as_bytes().first_chunk().unwrap()).to_header()
    }

    pub fn ask(&self, hub: &Hub, method: &str, rest: &str, body: &[u8]) -> Answer {
        self.try_ask(hub, method, rest, body).unwrap()
    }

    /// The answer, if there is one.
    pub fn try_ask(&self, hub: &Hub, method: &str, rest: &str, body: &[u8]) -> Option<Answer> {
        let path = self.path(rest);
        hub.try_ask(method, &path, body, Some(&self.header(method, &path, body, now())))
    }

    pub fn record(&self, sequence: u64, content: &[u8]) -> Sealed {
        let subject = Subject(*blake3::hash(&sequence.to_be_bytes()).as_bytes());
        let (group, device) = (self.group, self.id);
        let header = Header { group, epoch: 1, device, incarnation: 5, sequence, seen: 0, subject };
        seal(&header, content, &EpochKey([7; 32]), &self.signing, random()).unwrap()
    }

    pub fn push(&self, hub: &Hub, record: &Sealed) -> Answer {
        self.ask(hub, "POST", "/records", &sent(&[record]))
    }

    pub fn count(&self, hub: &Hub) -> usize {
        self.all(hub).len()
    }

    /// All numbers with the sequences of their records, by pages.
    pub fn all(&self, hub: &Hub) -> Vec<(u64, u64)> {
        let mut all: Vec<(u64, u64)> = Vec::new();
        loop {
            let after = all.last().map_or(0, |(number, _)| *number);
            let answer = self.ask(hub, "GET", &format!("/records?after={after}"), b"");
            assert_eq!(answer.status, 200);
            let page = Page::from_bytes(&answer.body).unwrap();
            if page.records.is_empty() {
                return all;
            }
            all.extend(page.records.iter().map(|(number, one)| (*number, one.header().unwrap().sequence)));
        }
    }
}

pub fn sent(records: &[&Sealed]) -> Vec<u8> {
    Sent(records.iter().map(|one| (&one.0[..], Vec::new())).collect()).to_bytes()
}
