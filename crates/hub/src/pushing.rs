//! Pushes are written several at once: while some are being written, those that come meanwhile wait, and go together next.
//! All of one group go the same way, one after the other.

use std::sync::Arc;

use tokio::sync::{Mutex, mpsc, oneshot};
use tokio::time::{Duration, Instant, timeout_at};

use crate::records::{Lane, Push, Pushed, Records};
use crate::watched::watched;

/// So many write at once.
const LANES: usize = 2;
/// Pushes of one transaction at most, and bytes from which no more are added.
const AT_ONCE: usize = 32;
const BYTES: u64 = 4 << 20;
/// Pushes that wait for a lane at most; who comes then waits to be let in.
const WAITING: usize = 256;
/// While several come at once, a transaction waits so long for as many as the last one had.
const GATHERED: Duration = Duration::from_millis(2);

struct Job {
    push: Push,
    answer: oneshot::Sender<Option<Pushed>>,
}

/// Where pushes are handed in, by lane.
#[derive(Clone, Debug)]
pub(crate) struct Pushing(Vec<mpsc::Sender<Job>>);

impl Pushing {
    /// Writes what is handed in, until nobody can hand in any more.
    pub(crate) fn on(records: &Records) -> Self {
        let begin = |_| {
            let (sender, jobs) = mpsc::channel(WAITING);
            let (records, jobs) = (records.clone(), Arc::new(Mutex::new(jobs)));
            tokio::spawn(watched("writing pushes", move || lane(records.clone(), Arc::clone(&jobs))));
            sender
        };
        Self((0..LANES).map(begin).collect())
    }

    /// What came of a push. `None`: the database does not answer.
    pub(crate) async fn push(&self, push: Push) -> Option<Pushed> {
        let (answer, told) = oneshot::channel();
        // The name of a group is a hash.
        let lane = usize::from(push.group[0]) % self.0.len();
        self.0[lane].send(Job { push, answer }).await.ok()?;
        told.await.ok()?
    }
}

/// The next pushes: one at least, and those that wait; and those who were answered together last, when they come back soon.
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

async fn lane(records: Records, jobs: Arc<Mutex<mpsc::Receiver<Job>>>) {
    let mut jobs = jobs.lock().await;
    let (mut last, mut written) = (1, Lane::of(&records));
    while let Some(gathered) = gather(&mut jobs, last).await {
        last = gathered.len();
        let (pushes, answers): (Vec<_>, Vec<_>) =
            gathered.into_iter().map(|job| (job.push, job.answer)).unzip();
        let pushed = written.push_all(&pushes).await.ok();
        for (n, answer) in answers.into_iter().enumerate() {
            // Whoever asked may be gone.
            let _ = answer.send(pushed.as_ref().map(|all| all[n]));
        }
    }
}
