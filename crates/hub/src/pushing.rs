//! Pushes are written several at once: while some are being written, those that come meanwhile wait, and go together next.

use std::sync::Arc;

use tokio::sync::{Mutex, mpsc, oneshot};

use crate::records::{Push, Pushed, Records};

/// Transactions at once.
const LANES: usize = 2;
/// Pushes of one of them at most, and bytes from which no more are added.
const AT_ONCE: usize = 32;
const BYTES: u64 = 4 << 20;
/// Pushes that wait at most; who comes then waits to be let in.
const WAITING: usize = 256;

struct Job {
    push: Push,
    answer: oneshot::Sender<Option<Pushed>>,
}

/// Where pushes are handed in.
#[derive(Clone, Debug)]
pub(crate) struct Pushing(mpsc::Sender<Job>);

impl Pushing {
    /// Writes what is handed in, until nobody can hand in any more.
    pub(crate) fn on(records: &Records) -> Self {
        let (sender, jobs) = mpsc::channel(WAITING);
        let jobs = Arc::new(Mutex::new(jobs));
        for _ in 0..LANES {
            tokio::spawn(lane(records.clone(), Arc::clone(&jobs)));
        }
        Self(sender)
    }

    /// What came of a push. `None`: the database does not answer.
    pub(crate) async fn push(&self, push: Push) -> Option<Pushed> {
        let (answer, told) = oneshot::channel();
        self.0.send(Job { push, answer }).await.ok()?;
        told.await.ok()?
    }
}

async fn lane(records: Records, jobs: Arc<Mutex<mpsc::Receiver<Job>>>) {
    loop {
        let mut waiting = jobs.lock().await;
        let Some(first) = waiting.recv().await else { return };
        let mut bytes = first.push.bytes();
        let (mut pushes, mut answers) = (vec![first.push], vec![first.answer]);
        while pushes.len() < AT_ONCE
            && bytes < BYTES
            && let Ok(job) = waiting.try_recv()
        {
            bytes += job.push.bytes();
            pushes.push(job.push);
            answers.push(job.answer);
        }
        drop(waiting);
        let pushed = records.push_all(&pushes).await.ok();
        for (n, answer) in answers.into_iter().enumerate() {
            // Whoever asked may be gone.
            let _ = answer.send(pushed.as_ref().map(|all| all[n]));
        }
    }
}
