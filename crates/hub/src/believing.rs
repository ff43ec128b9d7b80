//! Signatures are verified several at once, where several wait: that is less work than one after the other.

use std::sync::Arc;

use tokio::sync::{Mutex, mpsc, oneshot};
use yadori_sync::wire::Claim;

use crate::watched::watched;

/// How many verify at the same time.
const VERIFIERS: usize = 2;
/// Claims that are looked at together at most.
const AT_ONCE: usize = 32;
/// Claims that wait at most; who comes then waits to be let in.
const WAITING: usize = 1_024;
/// How many turns everything else that is ready has meanwhile: requests that come together are read in it.
const TURNS: usize = 4;

struct Job {
    claim: Claim,
    answer: oneshot::Sender<bool>,
}

/// Where claims are handed in.
#[derive(Clone, Debug)]
pub(crate) struct Believing(mpsc::Sender<Job>);

impl Default for Believing {
    /// Verifies what is handed in, until nobody can hand in any more.
    fn default() -> Self {
        let (sender, jobs) = mpsc::channel(WAITING);
        let jobs = Arc::new(Mutex::new(jobs));
        for _ in 0..VERIFIERS {
            let jobs = Arc::clone(&jobs);
            tokio::spawn(watched("verifying signatures", move || verify(Arc::clone(&jobs))));
        }
        Self(sender)
    }
}

impl Believing {
    /// Whether a claim holds. `None`: it could not be looked at.
    pub(crate) async fn holds(&self, claim: Claim) -> Option<bool> {
        let (answer, told) = oneshot::channel();
        self.0.send(Job { claim, answer }).await.ok()?;
        told.await.ok()
    }
}

/// The next claims: one at least, and those that have come once everything else that is ready has had its turns.
async fn gather(jobs: &mut mpsc::Receiver<Job>) -> Option<Vec<Job>> {
    let mut all = vec![jobs.recv().await?];
    for _ in 0..TURNS {
        tokio::task::yield_now().await;
    }
    while all.len() < AT_ONCE
        && let Ok(job) = jobs.try_recv()
    {
        all.push(job);
    }
    Some(all)
}

async fn verify(jobs: Arc<Mutex<mpsc::Receiver<Job>>>) {
    loop {
        let gathered = gather(&mut *jobs.lock().await).await;
        let Some(gathered) = gathered else { return };
        let (claims, answers): (Vec<_>, Vec<_>) =
            gathered.into_iter().map(|job| (job.claim, job.answer)).unzip();
        for (holds, answer) in Claim::which_hold(&claims).into_iter().zip(answers) {
            // Whoever asked may be gone.
            let _ = answer.send(holds);
        }
    }
}
