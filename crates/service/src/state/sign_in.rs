//! How browsers get in: one-time sign-in links, and the keys they are exchanged for.
//!
//! A key is good for one run of the service. A program that squats on the console's port while the service is down is
//! of the same origin for the browser and can read what the console stored; by then that key opens nothing.

use std::collections::HashSet;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use crate::home::random::{NoRandomness, random_name};

/// How long a sign-in link is good.
pub const LINK_LIFE: Duration = Duration::from_secs(60);
/// What stands before the secret in a link's fragment.
pub const MARK: &str = "#entry=";
/// How many links may wait at once, and how many keys there may be.
const AT_ONCE: usize = 64;

/// Links and keys of this run. Only digests are kept.
#[derive(Debug, Default)]
pub struct Entries {
    links: Mutex<Vec<(blake3::Hash, Instant)>>,
    keys: Mutex<HashSet<blake3::Hash>>,
    frames: Mutex<Vec<(blake3::Hash, Instant, yadori_core::ClipId)>>,
}

impl Entries {
    /// A secret for a new link.
    pub fn new_link(&self) -> Result<String, NoRandomness> {
        let secret = token()?;
        if let Ok(mut links) = self.links.lock() {
            links.retain(|(_, until)| *until > Instant::now());
            if links.len() >= AT_ONCE {
                links.remove(0);
            }
            links.push((blake3::hash(secret.as_bytes()), Instant::now() + LINK_LIFE));
        }
        Ok(secret)
    }

    /// Exchanges a link's secret for a key; each link once, within its minute.
    pub fn sign_in(&self, secret: &str) -> Option<String> {
        let given = blake3::hash(secret.as_bytes());
        let mut links = self.links.lock().ok()?;
        let at = links.iter().position(|(known, until)| *known == given && *until > Instant::now())?;
        links.remove(at);
        let key = token().ok()?;
        let mut keys = self.keys.lock().ok()?;
        if keys.len() >= AT_ONCE {
            keys.clear(); // an unlikely number of browsers: all sign in again
        }
        keys.insert(blake3::hash(key.as_bytes()));
        Some(key)
    }

    /// True for a key of this run. Hashes compare in constant time.
    pub fn admits(&self, key: &str) -> bool {
        let given = blake3::hash(key.as_bytes());
        self.keys.lock().is_ok_and(|keys| keys.contains(&given))
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
        own || before.ends_with('/') && before.contains("http://127.0.0.1:")
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_link_opens_once() {
        let entries = Entries::default();
        let secret = entries.new_link().unwrap();
        assert_eq!(entries.sign_in("guess"), None);
        let key = entries.sign_in(&secret).unwrap();
        assert!(entries.admits(&key));
        assert!(!entries.admits(&secret));
        assert_eq!(entries.sign_in(&secret), None);
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
    }
}
