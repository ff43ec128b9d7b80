//! Who works on a content just now: staging and wiping of one content never meet. Whoever stages waits until a wiping of
//! the same content has ended; whoever wipes leaves alone what is being staged (it is collected later, if nobody needs
//! it then).

use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

use tokio::sync::Notify;
use yadori_core::Digest;

/// What is being done to a content.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Work {
    /// So many stage it.
    Staging(usize),
    Wiping,
}

/// All contents that are being worked on.
#[derive(Debug, Default)]
pub(crate) struct Claims {
    at_work: Mutex<HashMap<Digest, Work>>,
    ended: Notify,
}

impl Claims {
    /// Waits until nobody wipes it, and keeps wipers away until the claim is dropped.
    pub(crate) async fn stage(self: &Arc<Self>, digest: Digest) -> Claim {
        loop {
            let ended = self.ended.notified();
            if let Some(claim) = self.try_stage(digest) {
                return claim;
            }
            ended.await;
        }
    }

    fn try_stage(self: &Arc<Self>, digest: Digest) -> Option<Claim> {
        let mut at_work = self.at_work.lock().unwrap_or_else(PoisonError::into_inner);
        let others = match at_work.get(&digest).copied() {
            Some(Work::Wiping) => return None,
            Some(Work::Staging(others)) => others,
            None => 0,
        };
        at_work.insert(digest, Work::Staging(others + 1));
        Some(Claim { claims: self.clone(), digests: vec![digest] })
    }

    /// Claims those that nobody stages, to wipe them.
    pub(crate) fn wipe(self: &Arc<Self>, wanted: impl IntoIterator<Item = Digest>) -> Claim {
        let mut at_work = self.at_work.lock().unwrap_or_else(PoisonError::into_inner);
        let digests = wanted
            .into_iter()
            .filter(|digest| {
                let free = !at_work.contains_key(digest);
                if free {
                    at_work.insert(*digest, Work::Wiping);
                }
                free
            })
            .collect();
        Claim { claims: self.clone(), digests }
    }
}

/// Contents that are claimed until this is dropped.
#[derive(Debug)]
pub(crate) struct Claim {
    claims: Arc<Claims>,
    digests: Vec<Digest>,
}

impl Claim {
    pub(crate) fn digests(&self) -> &[Digest] {
        &self.digests
    }
}

impl Drop for Claim {
    fn drop(&mut self) {
        let mut at_work = self.claims.at_work.lock().unwrap_or_else(PoisonError::into_inner);
        for digest in &self.digests {
            match at_work.get(digest).copied() {
                Some(Work::Staging(others)) if others > 1 => {
                    at_work.insert(*digest, Work::Staging(others - 1));
                }
                _ => {
                    at_work.remove(digest);
                }
            }
        }
        drop(at_work);
        self.claims.ended.notify_waiters();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn what_is_staged_is_not_wiped_and_what_is_wiped_is_staged_afterwards() {
        let claims = Arc::new(Claims::default());
        let (a, b) = (Digest([1; 32]), Digest([2; 32]));
        let first = claims.stage(a).await;
        let second = claims.stage(a).await;
        drop(first);
        assert_eq!(claims.wipe([a, b]).digests(), [b]);
        drop(second);
        let wiping = claims.wipe([a, b]);
        assert_eq!(wiping.digests(), [a, b]);
        let waiting = tokio::spawn({
            let claims = claims.clone();
            async move { claims.stage(a).await }
        });
        tokio::task::yield_now().await;
        assert!(!waiting.is_finished());
        drop(wiping);
        assert_eq!(waiting.await.unwrap().digests(), [a]);
    }
}
