//! Those who wait are told of news: here at once, and at other processes on the same database through it. A process that is
//! alone writes nothing and asks once a second whether it still is.

use std::collections::{BTreeSet, HashMap};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use tokio_util::sync::CancellationToken;
use yadori_sync::wire::{list, read_list};

use crate::records::{Failed, Records, Said};
use crate::waiting::{Waiter, Waiting};

/// How often it is looked what others said, and what is said goes out.
const EACH: Duration = Duration::from_millis(15);
/// How often a process shows that it is there, and looks for others.
const BEAT: Duration = Duration::from_secs(1);
/// Without a beat for so long a process is not waited for any more, and later it is forgotten.
const SILENT: Duration = Duration::from_secs(10);
const ENDED: Duration = Duration::from_secs(60);
/// What was said stays for one to two of these.
const KEPT: Duration = Duration::from_secs(30);
/// Names that are said at once.
const NAMES: usize = 2_000;

/// What there is news of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(crate) enum News {
    /// A group has grown.
    Group([u8; 16]),
    /// Something was said where two devices meet, or that is over.
    Place(u32),
}

/// What is said to other processes: names, 16 bytes long for a group and 4 for a place.
fn said(news: &[News]) -> Vec<u8> {
    let names: Vec<Vec<u8>> = news
        .iter()
        .map(|news| match news {
            News::Group(group) => group.to_vec(),
            News::Place(place) => place.to_be_bytes().to_vec(),
        })
        .collect();
    list(names.iter().map(Vec::as_slice))
}

fn heard(body: &[u8]) -> Option<Vec<News>> {
    let name = |name: &[u8]| match name.len() {
        16 => Some(News::Group(name.try_into().ok()?)),
        4 => Some(News::Place(u32::from_be_bytes(name.try_into().ok()?))),
        _ => None,
    };
    read_list(body, NAMES)?.into_iter().map(name).collect()
}

/// Tells those who wait.
#[derive(Clone, Debug, Default)]
pub(crate) struct Telling {
    waiting: Waiting<News>,
    /// What others are to be told.
    outgoing: Arc<Mutex<BTreeSet<News>>>,
}

impl Telling {
    /// Someone waits.
    pub(crate) fn wait(&self, of: News) -> Waiter<News> {
        self.waiting.wait(of)
    }

    /// There is news.
    pub(crate) fn tell(&self, news: News) {
        self.waiting.tell(&news);
        self.outgoing.lock().unwrap_or_else(PoisonError::into_inner).insert(news);
    }

    /// How many things are waited for.
    pub(crate) fn waited_for(&self) -> usize {
        self.waiting.len()
    }

    fn take(&self) -> BTreeSet<News> {
        std::mem::take(&mut *self.outgoing.lock().unwrap_or_else(PoisonError::into_inner))
    }
}

/// Another process: its last beat, when that was seen, and what was heard of it last.
#[derive(Clone, Copy, Debug)]
struct Other {
    beat: u64,
    since: Instant,
    heard: u64,
}

/// A process among others.
#[derive(Debug)]
pub(crate) struct Process {
    id: [u8; 16],
    beat: u64,
    number: u64,
    /// What was said up to here may be forgotten at the next time.
    old: u64,
    others: HashMap<[u8; 16], Other>,
    records: Records,
    telling: Telling,
}

impl Process {
    /// Comes among the others, and is known to them when this comes back.
    pub(crate) async fn join(id: [u8; 16], records: Records, telling: Telling) -> Result<Self, Failed> {
        let mut process = Self { id, beat: 1, number: 0, old: 0, others: HashMap::new(), records, telling };
        process.records.beat(id, process.beat).await?;
        process.look().await?;
        if !process.others.is_empty() {
            // Each of them looks once a beat.
            tokio::time::sleep(2 * BEAT).await;
            process.look().await?;
        }
        Ok(process)
    }

    /// Those who show that they are there.
    fn alive(&self) -> impl Iterator<Item = (&[u8; 16], &Other)> {
        self.others.iter().filter(|(_, other)| other.since.elapsed() < SILENT)
    }

    /// Looks who is there, and shows itself to them.
    async fn look(&mut self) -> Result<(), Failed> {
        let all = self.records.processes().await?;
        let (mine, theirs): (Vec<_>, Vec<_>) = all.into_iter().partition(|(id, _)| *id == self.id);
        self.others.retain(|id, _| theirs.iter().any(|(there, _)| there == id));
        for (id, beat) in theirs {
            match self.others.get_mut(&id) {
                Some(other) if other.beat != beat => (other.beat, other.since) = (beat, Instant::now()),
                Some(other) if other.since.elapsed() > ENDED => self.records.forget_process(id, beat).await?,
                Some(_) => {}
                None => {
                    let heard = self.records.last_said(id).await?;
                    self.others.insert(id, Other { beat, since: Instant::now(), heard });
                    // What it said before may be news.
                    self.telling.waiting.tell_all();
                }
            }
        }
        if self.alive().next().is_some() || mine.is_empty() {
            self.beat += 1;
            self.records.beat(self.id, self.beat).await?;
        }
        Ok(())
    }

    /// Says what others are to be told.
    async fn say(&mut self) -> Result<(), Failed> {
        let news = Vec::from_iter(self.telling.take());
        if self.alive().next().is_none() {
            return Ok(());
        }
        for some in news.chunks(NAMES) {
            let next = Said { process: self.id, number: self.number + 1, body: said(some) };
            if let Err(why) = self.records.tell(&next).await {
                // Again, with what comes meanwhile.
                self.telling.outgoing.lock().unwrap_or_else(PoisonError::into_inner).extend(news);
                return Err(why);
            }
            self.number = next.number;
        }
        Ok(())
    }

    /// Hears what others said, as much as one look gives.
    async fn hear(&mut self) -> Result<(), Failed> {
        let after: Vec<_> = self.alive().map(|(id, other)| (*id, other.heard)).collect();
        for said in self.records.said_after(&after).await? {
            let Some(other) = self.others.get_mut(&said.process) else { continue };
            let missed = said.number != other.heard + 1;
            other.heard = said.number;
            match heard(&said.body) {
                Some(news) if !missed => news.iter().for_each(|news| self.telling.waiting.tell(news)),
                // Forgotten before it was heard, or said by a later version.
                _ => self.telling.waiting.tell_all(),
            }
        }
        Ok(())
    }

    /// Tells and hears until the hub ends.
    pub(crate) async fn run(mut self, shutdown: CancellationToken) {
        let (mut looked, mut forgot) = (Instant::now(), Instant::now());
        while !shutdown.is_cancelled() {
            tokio::select! {
                () = tokio::time::sleep(if self.others.is_empty() { BEAT } else { EACH }) => {}
                () = shutdown.cancelled() => break,
            }
            let turn = async {
                if looked.elapsed() >= BEAT {
                    looked = Instant::now();
                    self.look().await?;
                }
                self.say().await?;
                self.hear().await?;
                if forgot.elapsed() >= KEPT {
                    forgot = Instant::now();
                    if self.old > 0 {
                        self.records.forget_said(self.id, self.old).await?;
                    }
                    self.old = self.number;
                }
                Ok::<(), Failed>(())
            };
            if turn.await.is_err() {
                // Those who wait look for themselves now and then.
                tokio::time::sleep(BEAT).await;
                self.telling.waiting.tell_all();
            }
        }
        let _ = self.records.forget_process(self.id, self.beat).await;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_said_is_heard_and_nothing_else_is() {
        let news = [News::Group([7; 16]), News::Place(12), News::Group([0; 16])];
        assert_eq!(heard(&said(&news)).unwrap(), news);
        assert_eq!(heard(&said(&[])).unwrap(), []);
        assert_eq!(heard(&list([&[1_u8, 2][..]].into_iter())), None);
        assert_eq!(heard(b"what"), None);
    }
}
