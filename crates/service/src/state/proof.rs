//! How a browser shows that it is the one that signed in: it signs what it was given, with a key that it can't hand out.
//! What is given holds its own time and is recognised by a digest under a secret of this run, so that nothing is kept of
//! what was given to anybody who asked.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use p256::ecdsa::signature::Verifier;
use p256::ecdsa::{Signature, VerifyingKey};

use crate::home::random::{NoRandomness, hex, random};

/// How long a nonce is good.
const LIFE: Duration = Duration::from_secs(60);
/// Nonces that were used within their minute and are remembered; far more than browsers can be signed in.
const USED: usize = 4_096;

/// What was given to sign, and what of it was used.
#[derive(Debug)]
pub struct Proofs {
    began: Instant,
    secret: Mutex<Option<[u8; 32]>>,
    used: Mutex<VecDeque<String>>,
}

impl Default for Proofs {
    fn default() -> Self {
        Self { began: Instant::now(), secret: Mutex::default(), used: Mutex::default() }
    }
}

impl Proofs {
    /// Something to sign.
    pub fn nonce(&self) -> Result<String, NoRandomness> {
        let body = format!("{:x}.{}", self.began.elapsed().as_millis(), hex(random()?));
        Ok(format!("{body}.{}", self.seal(&body)?))
    }

    fn seal(&self, body: &str) -> Result<blake3::Hash, NoRandomness> {
        let mut secret = self.secret.lock().unwrap_or_else(PoisonError::into_inner);
        let secret = match *secret {
            Some(secret) => secret,
            None => *secret.insert(random()?),
        };
        Ok(blake3::keyed_hash(&secret, body.as_bytes()))
    }

    /// True when this nonce was given here within the last minute.
    fn is_fresh(&self, nonce: &str) -> bool {
        let Some((body, seal)) = nonce.rsplit_once('.') else { return false };
        let given = blake3::Hash::from_hex(seal).ok();
        // Hashes compare in constant time.
        let own = given.is_some() && self.seal(body).ok() == given;
        let at = body.split('.').next().and_then(|at| u64::from_str_radix(at, 16).ok());
        let age = at.and_then(|at| self.began.elapsed().checked_sub(Duration::from_millis(at)));
        own && age.is_some_and(|age| age < LIFE)
    }

    /// True when the signature is the browser's, over this nonce, at this origin; each nonce once.
    pub fn holds(&self, public: &[u8], origin: &str, id: &str, nonce: &str, signature: &[u8]) -> bool {
        if !self.is_fresh(nonce) {
            return false;
        }
        let text = format!("yadori sign-in\n{origin}\n{id}\n{nonce}");
        let key = VerifyingKey::from_sec1_bytes(public);
        let (Ok(key), Ok(signature)) = (key, Signature::from_slice(signature)) else { return false };
        if key.verify(text.as_bytes(), &signature).is_err() {
            return false;
        }
        let mut used = self.used.lock().unwrap_or_else(PoisonError::into_inner);
        if used.iter().any(|one| one == nonce) {
            return false;
        }
        if used.len() >= USED {
            used.pop_front();
        }
        used.push_back(nonce.to_owned());
        true
    }
}

/// True for the public half of a key pair.
pub fn is_public(bytes: &[u8]) -> bool {
    bytes.len() == 65 && VerifyingKey::from_sec1_bytes(bytes).is_ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use p256::ecdsa::SigningKey;
    use p256::ecdsa::signature::Signer;

    const ORIGIN: &str = "http://127.0.0.1:4180";

    fn signed(key: &SigningKey, origin: &str, id: &str, nonce: &str) -> Vec<u8> {
        let signature: Signature = key.sign(format!("yadori sign-in\n{origin}\n{id}\n{nonce}").as_bytes());
        signature.to_bytes().to_vec()
    }

    #[test]
    fn a_proof_holds_once_for_its_own_key_origin_id_and_nonce_and_for_nothing_else() {
        let (proofs, other_run) = (Proofs::default(), Proofs::default());
        let key = SigningKey::from_slice(&[7; 32]).unwrap();
        let stranger = SigningKey::from_slice(&[8; 32]).unwrap();
        let public = key.verifying_key().to_sec1_point(false);
        let public = public.as_bytes();
        assert!(is_public(public) && !is_public(&public[1..]) && !is_public(&[4; 65]));
        let nonce = proofs.nonce().unwrap();
        let good = signed(&key, ORIGIN, "a", &nonce);
        let holds = |origin: &str, id: &str, nonce: &str, signature: &[u8]| {
            proofs.holds(public, origin, id, nonce, signature)
        };
        assert!(!holds(ORIGIN, "a", &nonce, &signed(&stranger, ORIGIN, "a", &nonce)));
        assert!(!holds("http://localhost:4180", "a", &nonce, &good));
        assert!(!holds(ORIGIN, "b", &nonce, &good));
        assert!(!holds(ORIGIN, "a", &nonce, &good[1..]));
        let foreign = other_run.nonce().unwrap();
        assert!(!holds(ORIGIN, "a", &foreign, &signed(&key, ORIGIN, "a", &foreign)));
        let forged = format!("ffffff{nonce}");
        assert!(!holds(ORIGIN, "a", &forged, &signed(&key, ORIGIN, "a", &forged)));
        assert!(holds(ORIGIN, "a", &nonce, &good));
        assert!(!holds(ORIGIN, "a", &nonce, &good), "a second time");
    }
}
