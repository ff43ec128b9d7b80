//! Who waits for news of what: requests that are held until there is some.

use std::collections::HashMap;
use std::hash::Hash;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use tokio::sync::watch;

/// Those who wait, by what they wait for.
#[derive(Debug)]
pub(crate) struct Waiting<K>(Arc<Mutex<HashMap<K, watch::Sender<u64>>>>);

impl<K> Clone for Waiting<K> {
    fn clone(&self) -> Self {
        Self(Arc::clone(&self.0))
    }
}

impl<K> Default for Waiting<K> {
    fn default() -> Self {
        Self(Arc::default())
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// One that waits. What is told after this was made is heard.
#[derive(Debug)]
pub(crate) struct Waiter<K: Eq + Hash + Copy> {
    all: Waiting<K>,
    of: K,
    news: watch::Receiver<u64>,
}

impl<K: Eq + Hash + Copy> Waiting<K> {
    /// Someone waits for news of this.
    pub(crate) fn wait(&self, of: K) -> Waiter<K> {
        let news = locked(&self.0).entry(of).or_insert_with(|| watch::Sender::new(0)).subscribe();
        Waiter { all: self.clone(), of, news }
    }

    /// There may be news of anything.
    pub(crate) fn tell_all(&self) {
        locked(&self.0).values().for_each(|sender| sender.send_modify(|count| *count += 1));
    }

    /// How many things are waited for.
    pub(crate) fn len(&self) -> usize {
        locked(&self.0).len()
    }

    /// There is news.
    pub(crate) fn tell(&self, of: &K) {
        if let Some(sender) = locked(&self.0).get(of) {
            sender.send_modify(|count| *count += 1);
        }
    }
}

impl<K: Eq + Hash + Copy> Waiter<K> {
    /// Comes back when there is news.
    pub(crate) async fn heard(&mut self) {
        // The sender lives as long as anyone waits.
        let _ = self.news.changed().await;
    }
}

impl<K: Eq + Hash + Copy> Drop for Waiter<K> {
    fn drop(&mut self) {
        let mut all = locked(&self.all.0);
        // This one still counts.
        if all.get(&self.of).is_some_and(|sender| sender.receiver_count() <= 1) {
            all.remove(&self.of);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn news_reaches_those_who_wait_for_it_and_nobody_is_remembered_who_does_not() {
        let waiting = Waiting::default();
        let (mut first, mut second, other) = (waiting.wait(1), waiting.wait(1), waiting.wait(2));
        waiting.tell(&1);
        first.heard().await;
        second.heard().await;
        assert!(!other.news.has_changed().unwrap());
        drop(first);
        waiting.tell(&1);
        second.heard().await;
        drop((second, other));
        assert!(locked(&waiting.0).is_empty());
        waiting.tell(&1);
    }
}
