//! A device that pushes to a hub as fast as it is answered, without anything around it: what it sends is laid out beforehand,
//! and of the answer no more is read than whether it was taken.

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::sync::Mutex;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::{SystemTime, UNIX_EPOCH};

use anyhow::{Context, Result, ensure};
use ed25519_dalek::SigningKey;
use ureq::Agent;
use yadori_core::DeviceId;
use yadori_sync::UnwrapErr;
use yadori_sync::group::{Chain, Member, Phrase, WrapSecret};
use yadori_sync::keys::{EpochKey, NamingKey, Subject};
use yadori_sync::record::{Header, seal};
use yadori_sync::wire::{Found, Page, Request, Sent};

/// The device, with a group of its own.
#[derive(Debug)]
pub struct Pusher {
    hub: String,
    agent: Mutex<Agent>,
    signing: SigningKey,
    group: [u8; 16],
    sequence: AtomicU64,
    connection: Mutex<Option<BufReader<TcpStream>>>,
    prepared: Mutex<std::vec::IntoIter<Vec<u8>>>,
}

fn random<const N: usize>() -> [u8; N] {
    let mut out = [0; N];
    let _ = getrandom::fill(&mut out);
    out
}

const DEVICE: DeviceId = DeviceId([1; 16]);

impl Pusher {
    /// A device whose group comes to be at this hub.
    ///
    /// # Errors
    /// When the hub does not take it.
    pub fn at(hub: &str) -> Result<Self> {
        let (signing, phrase) = (SigningKey::from_bytes(&random()), Phrase::new(random()));
        let (_, wraps) = WrapSecret::derive(&random());
        let member = Member { device: DEVICE, signs: signing.verifying_key(), wraps };
        let keys = (EpochKey([7; 32]), NamingKey([8; 32]));
        let group = phrase.group();
        let mut system = UnwrapErr(getrandom::SysRng);
        let entry = Chain::of(group).begin(member, &signing, phrase.member(), keys, &mut system)?;
        let agent: Agent = Agent::config_builder().http_status_as_error(false).build().into();
        let found = Found { invitation: String::new(), entry }.to_bytes();
        let answer = agent.post(format!("{hub}/v1/groups/{}", hex::encode(group))).send(&found[..])?;
        ensure!(answer.status() == 201, "{}", answer.status());
        Ok(Self {
            hub: hub.to_owned(),
            agent: Mutex::new(agent),
            signing,
            group,
            sequence: AtomicU64::new(0),
            connection: Mutex::default(),
            prepared: Mutex::default(),
        })
    }

    /// Seals and signs so many pushes ahead, for the next two minutes.
    ///
    /// # Errors
    /// When that can't be done.
    pub fn prepare(&self, pushes: usize) -> Result<()> {
        let made = (0..pushes).map(|_| self.seal()).collect::<Result<Vec<_>>>()?;
        *self.prepared.lock().expect("one at a time") = made.into_iter();
        Ok(())
    }

    /// The request of a push of one record (HTTP/1.1, RFC 9112).
    fn seal(&self) -> Result<Vec<u8>> {
        let sequence = self.sequence.fetch_add(1, Ordering::Relaxed) + 1;
        let subject = Subject(*blake3::hash(&sequence.to_be_bytes()).as_bytes());
        let header = Header {
            group: self.group,
            epoch: 1,
            device: DEVICE,
            incarnation: 1,
            sequence,
            seen: 0,
            subject,
        };
        let record = seal(&header, &[3; 300], &EpochKey([7; 32]), &self.signing, random())?;
        let body = Sent(vec![(&record.0[..], Vec::new())]).to_bytes();
        let path = self.path();
        let time = SystemTime::now().duration_since(UNIX_EPOCH)?.as_secs();
        let request = Request { method: "POST", path: &path, group: self.group, body: &body };
        let by = request.sign(DEVICE, &self.signing, time, random()).to_header();
        let host = self.hub.trim_start_matches("http://");
        let head = format!(
            "POST {path} HTTP/1.1\r\nHost: {host}\r\nAuthorization: {by}\r\nContent-Length: {}\r\n\r\n",
            body.len()
        );
        Ok([head.as_bytes(), &body].concat())
    }

    fn path(&self) -> String {
        format!("/v1/groups/{}/records", hex::encode(self.group))
    }

    /// A device of the same group, at another hub.
    pub fn also_at(&self, hub: &str) -> Self {
        Self {
            hub: hub.to_owned(),
            agent: Mutex::new(Agent::config_builder().http_status_as_error(false).build().into()),
            signing: self.signing.clone(),
            group: self.group,
            sequence: AtomicU64::new(0),
            connection: Mutex::default(),
            prepared: Mutex::default(),
        }
    }

    /// Waits until there is a record after a number, for nine seconds at most. Gives the last number.
    ///
    /// # Errors
    /// When the hub does not answer.
    pub fn wait_for(&self, after: u64) -> Result<u64> {
        let path = format!("{}?after={after}&wait=9", self.path());
        let time = SystemTime::now().duration_since(UNIX_EPOCH)?.as_secs();
        let request = Request { method: "GET", path: &path, group: self.group, body: &[] };
        let by = request.sign(DEVICE, &self.signing, time, random()).to_header();
        let agent = self.agent.lock().expect("one at a time").clone();
        let answer = agent.get(format!("{}{path}", self.hub)).header("authorization", by).call()?;
        ensure!(answer.status() == 200, "{}", answer.status());
        let page = Page::from_bytes(&answer.into_body().read_to_vec()?);
        Ok(page.map_or(0, |page| page.last))
    }

    /// Pushes one record: one that was prepared, as long as there are any.
    ///
    /// # Errors
    /// When the hub does not take it.
    pub fn push(&self) -> Result<()> {
        let prepared = self.prepared.lock().expect("one at a time").next();
        let request = prepared.map_or_else(|| self.seal(), Ok)?;
        let mut connection = self.connection.lock().expect("one at a time");
        let stream = match &mut *connection {
            Some(stream) => stream,
            none => {
                let stream = TcpStream::connect(self.hub.trim_start_matches("http://"))?;
                stream.set_nodelay(true)?;
                none.insert(BufReader::new(stream))
            }
        };
        stream.get_mut().write_all(&request)?;
        let (mut line, mut length) = (String::new(), 0);
        stream.read_line(&mut line)?;
        ensure!(line.starts_with("HTTP/1.1 200 "), "{line}");
        while line != "\r\n" {
            line.clear();
            ensure!(stream.read_line(&mut line)? > 0, "the answer broke off");
            if let Some(said) = line.strip_prefix("content-length: ") {
                length = said.trim().parse().context("a length")?;
            }
        }
        stream.read_exact(&mut vec![0; length])?;
        Ok(())
    }
}
