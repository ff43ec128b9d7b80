//! How browsers get in: one-time sign-in links, the keys they are exchanged for, and the browsers that stay signed in.
//!
//! A key is good for one run of the service. A program that squats on the console's port while the service is down is
//! of the same origin for the browser and can read what the console stored; by then that key opens nothing. What outlives
//! the service is a key pair: the browser keeps the private half where no page can read it, and the records hold the
//! public half, with which a browser shows at the next start that it is the one that signed in.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use yadori_store::{SignInChange, SignInRow};

use crate::home::random::{NoRandomness, random, random_name};
use crate::state::clock::now;
use crate::state::proof::Proofs;

/// How long a sign-in link is good.
pub const LINK_LIFE: Duration = Duration::from_secs(60);
/// What stands before the secret in a link's fragment.
pub const MARK: &str = "#entry=";
/// How long one for a phone is good: it is scanned, and a warning of the browser's may stand before it.
pub const PHONE_LINK_LIFE: Duration = Duration::from_secs(300);
/// How many links may wait at once, and how many keys there may be: the oldest make room.
const AT_ONCE: usize = 64;
/// Browsers that stay signed in: the one that was seen longest ago makes room.
pub const BROWSERS: usize = 32;

/// A key of this run: its digest, and the sign-in that it belongs to.
type Key = (blake3::Hash, Option<[u8; 16]>);

/// Where a link lets somebody in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Door {
    /// The console on this computer.
    Here,
    /// The phones' door.
    Phone,
}

impl Door {
    /// The door that an origin belongs to: phones come over TLS, and nothing else does.
    pub fn of(origin: &str) -> Self {
        if origin.starts_with("https://") { Self::Phone } else { Self::Here }
    }
}

/// Links, keys of this run, and browsers. Only digests and public keys are kept.
#[derive(Debug, Default)]
pub struct Entries {
    links: Mutex<Vec<(blake3::Hash, Instant, Door)>>,
    keys: Mutex<VecDeque<Key>>,
    /// `None` until the records have been read.
    browsers: Mutex<Option<Vec<SignInRow>>>,
    /// What browsers sign.
    pub proofs: Proofs,
    frames: Mutex<Vec<(blake3::Hash, Instant, yadori_core::ClipId)>>,
}

/// A new browser that wants to stay signed in.
#[derive(Debug)]
pub struct NewBrowser {
    /// The public half of its key pair.
    pub public: Vec<u8>,
    /// Where it is.
    pub origin: String,
    /// What it calls itself.
    pub name: String,
}

impl Entries {
    /// A secret for a new link.
    pub fn new_link(&self, door: Door) -> Result<String, NoRandomness> {
        let secret = token()?;
        if let Ok(mut links) = self.links.lock() {
            links.retain(|(_, until, _)| *until > Instant::now());
            if links.len() >= AT_ONCE {
                links.remove(0);
            }
            let life = if door == Door::Phone { PHONE_LINK_LIFE } else { LINK_LIFE };
            links.push((blake3::hash(secret.as_bytes()), Instant::now() + life, door));
        }
        Ok(secret)
    }

    /// Uses a link up: true once, in its time, at its door.
    pub fn open(&self, secret: &str, door: Door) -> bool {
        let given = blake3::hash(secret.as_bytes());
        let mut links = self.links.lock().unwrap_or_else(PoisonError::into_inner);
        let at = links
            .iter()
            .position(|(known, until, at)| *known == given && *until > Instant::now() && *at == door);
        at.map(|at| links.remove(at)).is_some()
    }

    /// A key for this run. The oldest makes room when there are many.
    pub fn new_key(&self, browser: Option<[u8; 16]>) -> Result<String, NoRandomness> {
        let key = token()?;
        let mut keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner);
        if keys.len() >= AT_ONCE {
            keys.pop_front();
        }
        keys.push_back((blake3::hash(key.as_bytes()), browser));
        Ok(key)
    }

    /// True for a key of this run at its own door. Hashes compare in constant time.
    pub fn admits(&self, key: &str, door: Door) -> bool {
        match self.browser_of(key) {
            None => false,
            // One that ends with the run is of this computer.
            Some(None) => door == Door::Here,
            Some(Some(id)) => {
                let known = self.browsers.lock().unwrap_or_else(PoisonError::into_inner);
                let of = known.iter().flatten().find(|row| row.id == id).map(|row| Door::of(&row.origin));
                of == Some(door)
            }
        }
    }

    /// The sign-in of a key of this run (`Some(None)` for one that ends with the run); `None` for no key.
    pub fn browser_of(&self, key: &str) -> Option<Option<[u8; 16]>> {
        let given = blake3::hash(key.as_bytes());
        let keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner);
        keys.iter().find(|(known, _)| *known == given).map(|(_, browser)| *browser)
    }

    /// A key is good no longer.
    pub fn forget_key(&self, key: &str) {
        let given = blake3::hash(key.as_bytes());
        self.keys.lock().unwrap_or_else(PoisonError::into_inner).retain(|(known, _)| *known != given);
    }

    /// The records tell who is signed in.
    pub fn know(&self, rows: Vec<SignInRow>) {
        *self.browsers.lock().unwrap_or_else(PoisonError::into_inner) = Some(rows);
    }

    /// Who is signed in, oldest first; `None` until the records have been read.
    pub fn browsers(&self) -> Option<Vec<SignInRow>> {
        self.browsers.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// What is to be recorded when a browser signs in: it, and the end of those that make room.
    pub fn entering(&self, new: NewBrowser) -> Result<([u8; 16], Vec<SignInChange>), NoRandomness> {
        let (id, at) = (random()?, now());
        let mut known = self.browsers().unwrap_or_default();
        known.sort_by_key(|row| row.seen_at);
        let many = (known.len() + 1).saturating_sub(BROWSERS);
        let mut changes: Vec<SignInChange> =
            known.iter().take(many).map(|row| SignInChange::End(row.id)).collect();
        let NewBrowser { public, origin, name } = new;
        changes.push(SignInChange::Keep(SignInRow { id, public, origin, name, made_at: at, seen_at: at }));
        Ok((id, changes))
    }

    /// What was recorded holds from now on. Keys of a sign-in that ended open nothing any more.
    pub fn apply(&self, changes: &[SignInChange]) {
        let mut browsers = self.browsers.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(known) = browsers.as_mut() else { return };
        for change in changes {
            match change {
                SignInChange::Keep(row) => match known.iter_mut().find(|one| one.id == row.id) {
                    Some(one) => one.clone_from(row),
                    None => known.push(row.clone()),
                },
                SignInChange::End(id) => {
                    known.retain(|one| one.id != *id);
                    let mut keys = self.keys.lock().unwrap_or_else(PoisonError::into_inner);
                    keys.retain(|(_, browser)| *browser != Some(*id));
                }
            }
        }
    }

    /// A ticket by which a sandboxed frame, which can't carry a key, fetches the html of one clip once.
    pub fn new_frame(&self, clip: yadori_core::ClipId) -> Result<String, NoRandomness> {
        let ticket = token()?;
        if let Ok(mut frames) = self.frames.lock() {
            frames.retain(|(_, until, _)| *until > Instant::now());
            if frames.len() >= AT_ONCE {
                frames.remove(0);
            }
            frames.push((blake3::hash(ticket.as_bytes()), Instant::now() + LINK_LIFE, clip));
        }
        Ok(ticket)
    }

    /// The clip of a ticket; each ticket once.
    pub fn frame(&self, ticket: &str) -> Option<yadori_core::ClipId> {
        let given = blake3::hash(ticket.as_bytes());
        let mut frames = self.frames.lock().ok()?;
        let at = frames.iter().position(|(known, until, _)| *known == given && *until > Instant::now())?;
        Some(frames.remove(at).2)
    }
}

/// 32 random bytes in hexadecimal.
fn token() -> Result<String, NoRandomness> {
    random_name::<32>()
}

/// True when a text carries a sign-in link of this service: such a copy is never recorded.
pub fn carries_link(text: &str, console: Option<&str>) -> bool {
    text.match_indices(MARK).any(|(at, _)| {
        let before = &text[..at];
        let own = console.is_some_and(|console| before.ends_with(&format!("{console}/")));
        let secret = text[at + MARK.len()..].bytes().take_while(u8::is_ascii_hexdigit).count() >= 64;
        own || before.ends_with('/') && (before.contains("http://127.0.0.1:") || secret)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_opens_once() {
        let entries = Entries::default();
        let secret = entries.new_link(Door::Here).unwrap();
        assert!(!entries.open("guess", Door::Here));
        assert!(entries.open(&secret, Door::Here));
        assert!(!entries.open(&secret, Door::Here));
        let key = entries.new_key(None).unwrap();
        assert!(entries.admits(&key, Door::Here) && !entries.admits(&secret, Door::Here));
        entries.forget_key(&key);
        assert!(!entries.admits(&key, Door::Here));
    }

    #[test]
    fn links_and_keys_open_their_own_door_alone() {
        let entries = Entries::default();
        entries.know(Vec::new());
        for (door, other, origin) in [
            (Door::Here, Door::Phone, "http://127.0.0.1:4180"),
            (Door::Phone, Door::Here, "https://192.0.2.7:8940"),
        ] {
            let secret = entries.new_link(door).unwrap();
            assert!(!entries.open(&secret, other) && entries.open(&secret, door));
            let new = NewBrowser { public: vec![4], origin: origin.into(), name: "one".into() };
            let (id, changes) = entries.entering(new).unwrap();
            entries.apply(&changes);
            let key = entries.new_key(Some(id)).unwrap();
            assert!(entries.admits(&key, door) && !entries.admits(&key, other));
            entries.apply(&[SignInChange::End(id)]);
            assert!(!entries.admits(&key, door));
        }
        let passing = entries.new_key(None).unwrap();
        assert!(!entries.admits(&passing, Door::Phone));
    }

    fn browser(n: u8) -> NewBrowser {
        NewBrowser {
            public: vec![4, n],
            origin: "http://127.0.0.1:4180".into(),
            name: format!("browser {n}"),
        }
    }

    #[test]
    fn many_keys_and_many_browsers_end_the_oldest_and_no_other() {
        let entries = Entries::default();
        let keys: Vec<String> = (0..AT_ONCE + 3).map(|_| entries.new_key(None).unwrap()).collect();
        assert_eq!(keys.iter().filter(|key| entries.admits(key, Door::Here)).count(), AT_ONCE);
        assert!(keys[3..].iter().all(|key| entries.admits(key, Door::Here)));
        entries.know(Vec::new());
        let mut all = Vec::new();
        for n in 0..=u8::try_from(BROWSERS).unwrap() {
            let (id, mut changes) = entries.entering(browser(n)).unwrap();
            // Clocks may give two the same time; the order of coming decides here.
            if let Some(SignInChange::Keep(row)) = changes.last_mut() {
                row.seen_at = i64::from(n);
            }
            entries.apply(&changes);
            all.push((id, entries.new_key(Some(id)).unwrap()));
        }
        let known = entries.browsers().unwrap();
        assert_eq!(known.len(), BROWSERS);
        assert!(known.iter().all(|row| row.id != all[0].0));
        assert!(!entries.admits(&all[0].1, Door::Here), "the key of the one that made room");
        assert!(all[1..].iter().all(|(_, key)| entries.admits(key, Door::Here)));
    }

    #[test]
    fn a_frames_ticket_is_good_once() {
        let entries = Entries::default();
        let clip = yadori_core::ClipId([1; 16]);
        let ticket = entries.new_frame(clip).unwrap();
        assert_eq!(entries.frame(&ticket), Some(clip));
        assert_eq!(entries.frame(&ticket), None);
    }

    #[test]
    fn own_links_are_recognised_inside_other_text() {
        let console = Some("http://127.0.0.1:4180");
        assert!(carries_link("http://127.0.0.1:4180/#entry=abc", console));
        assert!(carries_link("Open: http://127.0.0.1:4180/#entry=abc\n", console));
        assert!(carries_link("http://127.0.0.1:9/#entry=abc", None));
        assert!(!carries_link("https://example.org/#entry=abc", console));
        assert!(!carries_link("see #entry=1", console));
        assert!(carries_link(&format!("https://192.0.2.7:8940/#entry={}", "0f".repeat(32)), None));
    }
}
