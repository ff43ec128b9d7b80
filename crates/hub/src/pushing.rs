//! Pushes are written several at once: while some are being written, those that come meanwhile wait, and go together next.

use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};

use tokio::sync::{Mutex, mpsc, oneshot};
use tokio::time::{Duration, Instant, timeout_at};

use crate::records::{LANES, Push, Pushed, Records};

/// Pushes of one of them at most, and bytes from which no more are added.
const AT_ONCE: usize = 32;
const BYTES: u64 = 4 << 20;
/// Pushes that wait at most; who comes then waits to be let in.
const WAITING: usize = 256;
/// While several come at once, a transaction waits so long for as many as the last one had.
const GATHERED: Duration = Duration::from_micros(800);

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
        // Pushes that are being written.
        let open = Arc::new(AtomicUsize::new(0));
        for _ in 0..LANES {
            tokio::spawn(lane(records.clone(), Arc::clone(&jobs), Arc::clone(&open)));
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

/// The next pushes: one at least, and those that wait; and when many are answered at once, a share of as many.
async fn gather(jobs: &mut mpsc::Receiver<Job>, last: usize) -> Option<Vec<Job>> {
    let first = jobs.recv().await?;
    let mut bytes = first.push.bytes();
    let mut all = vec![first];
    let until = Instant::now() + GATHERED;
    while all.len() < AT_ONCE && bytes < BYTES {
        let next = match jobs.try_recv() {
            Ok(job) => Some(job),
            Err(_) if all.len() < last => timeout_at(until, jobs.recv()).await.ok().flatten(),
            Err(_) => None,
        };
        let Some(job) = next else { break };
        bytes += job.push.bytes();
        all.push(job);
    }
    Some(all)
}

async fn lane(records: Records, jobs: Arc<Mutex<mpsc::Receiver<Job>>>, open: Arc<AtomicUsize>) {
    let mut last = 1;
    loop {
        let gathered = gather(&mut *jobs.lock().await, last).await;
        let Some(gathered) = gathered else { return };
        last = gathered.len();
        open.fetch_add(last, Ordering::Relaxed);
        let (pushes, answers): (Vec<_>, Vec<_>) =
            gathered.into_iter().map(|job| (job.push, job.answer)).unzip();
        let pushed = records.push_all(&pushes).await.ok();
        for (n, answer) in answers.into_iter().enumerate() {
            // Whoever asked may be gone.
            let _ = answer.send(pushed.as_ref().map(|all| all[n]));
        }
        // Those of the other lanes come back as well.
        last = open.fetch_sub(last, Ordering::Relaxed) / LANES as usize;
    }
}
