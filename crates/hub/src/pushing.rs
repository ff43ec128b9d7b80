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

/// Before a lane that broke begins anew.
const AGAIN: Duration = Duration::from_millis(200);

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
            let (records, jobs, open) = (records.clone(), Arc::clone(&jobs), Arc::clone(&open));
            tokio::spawn(watched(move || lane(records.clone(), Arc::clone(&jobs), Arc::clone(&open))));
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

/// A lane, begun again where it breaks: those whose pushes it had are told that the database does not answer, and push again.
async fn watched<L: Future<Output = ()> + Send + 'static>(lane: impl Fn() -> L) {
    while let Err(why) = tokio::spawn(lane()).await {
        if why.is_cancelled() {
            return;
        }
        tracing::error!("writing pushes broke, and begins anew: {why}");
        tokio::time::sleep(AGAIN).await;
    }
}

/// Pushes that are being written, counted down also where that breaks.
struct Open(Arc<AtomicUsize>, usize);

impl Drop for Open {
    fn drop(&mut self) {
        self.0.fetch_sub(self.1, Ordering::Relaxed);
    }
}

async fn lane(records: Records, jobs: Arc<Mutex<mpsc::Receiver<Job>>>, open: Arc<AtomicUsize>) {
    let mut last = 1;
    loop {
        let gathered = gather(&mut *jobs.lock().await, last).await;
        let Some(gathered) = gathered else { return };
        let count = gathered.len();
        open.fetch_add(count, Ordering::Relaxed);
        let counted = Open(Arc::clone(&open), count);
        let (pushes, answers): (Vec<_>, Vec<_>) =
            gathered.into_iter().map(|job| (job.push, job.answer)).unzip();
        let pushed = records.push_all(&pushes).await.ok();
        for (n, answer) in answers.into_iter().enumerate() {
            // Whoever asked may be gone.
            let _ = answer.send(pushed.as_ref().map(|all| all[n]));
        }
        // Those of the other lanes come back as well.
        last = open.load(Ordering::Relaxed) / LANES as usize;
        drop(counted);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn what_breaks_begins_anew_and_counts_nothing_that_is_not_being_written() {
        let (open, begun) = (Arc::new(AtomicUsize::new(0)), Arc::new(AtomicUsize::new(0)));
        let (counted, times) = (Arc::clone(&open), Arc::clone(&begun));
        watched(move || {
            let (open, times) = (Arc::clone(&counted), times.fetch_add(1, Ordering::Relaxed));
            async move {
                open.fetch_add(5, Ordering::Relaxed);
                let _counted = Open(open, 5);
                assert!(times > 2, "it breaks three times");
            }
        })
        .await;
        assert_eq!((begun.load(Ordering::Relaxed), open.load(Ordering::Relaxed)), (4, 0));
    }
}
