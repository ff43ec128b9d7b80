//! What runs for as long as the hub, and begins anew where it breaks.

use std::time::Duration;

/// Before it begins anew.
const AGAIN: Duration = Duration::from_millis(200);

/// Runs `work` until it comes to its end, again where it breaks. Whoever waited for an answer of it is told that there is none.
pub(crate) async fn watched<W: Future<Output = ()> + Send + 'static>(
    name: &'static str,
    work: impl Fn() -> W,
) {
    while let Err(why) = tokio::spawn(work()).await {
        if why.is_cancelled() {
            return;
        }
        tracing::error!("{name} broke, and begins anew: {why}");
        tokio::time::sleep(AGAIN).await;
    }
}

#[cfg(test)]
mod tests {
    use std::sync::Arc;
    use std::sync::atomic::{AtomicUsize, Ordering};

    use tokio::sync::Mutex;

    use super::*;

    #[tokio::test]
    async fn what_breaks_begins_anew_and_gives_back_what_it_held() {
        let (begun, held) = (Arc::new(AtomicUsize::new(0)), Arc::new(Mutex::new(())));
        let times = Arc::clone(&begun);
        watched("it", move || {
            let (times, held) = (times.fetch_add(1, Ordering::Relaxed), Arc::clone(&held));
            async move {
                let _held = held.lock().await;
                assert!(times > 2, "it breaks three times");
            }
        })
        .await;
        assert_eq!(begun.load(Ordering::Relaxed), 4);
    }
}
