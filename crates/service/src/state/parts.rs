//! The parts of the service that run beside each other. Each is watched: one that ends by a mistake in the program is
//! told in `status`, and ends the service, which the session manager then starts again. Nothing runs on half.

use std::future::Future;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use tokio::task::JoinHandle;
use tokio_util::sync::CancellationToken;

/// How long a fault is told before the service ends.
const TOLD: Duration = Duration::from_millis(500);

/// Starts parts and knows of their faults.
#[derive(Clone, Debug)]
pub struct Parts {
    inner: Arc<Inner>,
}

#[derive(Debug)]
struct Inner {
    faults: Mutex<Vec<String>>,
    failed: AtomicBool,
    shutdown: CancellationToken,
}

impl Parts {
    /// No part yet. `shutdown` ends the service.
    pub fn new(shutdown: CancellationToken) -> Self {
        let inner = Inner { faults: Mutex::default(), failed: AtomicBool::new(false), shutdown };
        Self { inner: Arc::new(inner) }
    }

    /// Starts a part. `name` says in words what it is.
    pub fn start(
        &self,
        name: &'static str,
        work: impl Future<Output = ()> + Send + 'static,
    ) -> JoinHandle<()> {
        let parts = self.clone();
        tokio::spawn(async move {
            let work = AbortOnDrop(tokio::spawn(work));
            let mut work = work;
            if let Err(why) = (&mut work.0).await
                && why.is_panic()
            {
                parts.failed(name).await;
            }
        })
    }

    async fn failed(&self, name: &'static str) {
        let words = format!(
            "the part for {name} ended by a mistake in the program; yadorid ends, to be started again by the session"
        );
        tracing::error!("{words}");
        self.inner.faults.lock().unwrap_or_else(PoisonError::into_inner).push(words);
        self.inner.failed.store(true, Ordering::SeqCst);
        tokio::time::sleep(TOLD).await;
        self.inner.shutdown.cancel();
    }

    /// Faults so far, in words.
    pub fn faults(&self) -> Vec<String> {
        self.inner.faults.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// True when a part has failed.
    pub fn have_failed(&self) -> bool {
        self.inner.failed.load(Ordering::SeqCst)
    }
}

struct AbortOnDrop(JoinHandle<()>);

impl Drop for AbortOnDrop {
    fn drop(&mut self) {
        self.0.abort();
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_part_that_panics_is_told_and_ends_the_service() {
        let shutdown = CancellationToken::new();
        let parts = Parts::new(shutdown.clone());
        parts.start("good work", async {}).await.unwrap();
        assert!(!parts.have_failed());
        let failing = parts.start("trying", async { panic!("as the test wants") });
        shutdown.cancelled().await;
        assert!(parts.have_failed() && parts.faults()[0].contains("the part for trying"));
        failing.await.unwrap();
    }

    #[tokio::test]
    async fn a_part_that_is_ended_on_purpose_is_no_fault() {
        let parts = Parts::new(CancellationToken::new());
        let part = parts.start("waiting", std::future::pending());
        part.abort();
        assert!(part.await.unwrap_err().is_cancelled());
        assert!(!parts.have_failed());
    }
}
