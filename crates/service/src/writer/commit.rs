//! Committing a group, and finding out what became of it when the answer was lost.

use std::time::Duration;

use yadori_store::{CommitError, Group};

use crate::home::random::random;
use crate::writer::change::Change;
use crate::writer::error::WriteError;
use crate::writer::mode::PROBE;
use crate::writer::worker::Writer;

/// The longest pause between two questions for the outcome.
const LONGEST_PAUSE: Duration = Duration::from_secs(2);

/// Why a group is not on disk.
#[derive(Debug)]
pub(super) enum NotCommitted {
    /// It is certainly not on disk.
    Not(CommitError),
    /// The service ends before it could be found out.
    NotKnown,
}

impl Writer {
    /// Commits a group. Whatever happens on the way, the answer is certain: `Ok` means that it is on disk, an error that
    /// it is not (unless the service ends before that can be found out).
    pub(super) async fn commit(&mut self, group: &Group) -> Result<(), NotCommitted> {
        let away = |why: &str| NotCommitted::Not(CommitError::Away(why.into()));
        let Some(store) = self.store.clone() else { return Err(away("not open")) };
        let bytes: u64 = group.contents.iter().map(|(_, content)| content.len() as u64).sum();
        if !self.disk.has_room(bytes) {
            return Err(NotCommitted::Not(CommitError::Full));
        }
        let Ok(id) = random::<16>() else { return Err(away("no random bytes")) };
        match store.commit(id, group).await {
            Ok(()) => {
                let own = !(group.clips.is_empty() && group.drawers.is_empty());
                if (group.exchange.is_none() && own) || !group.to_send.is_empty() {
                    self.app.exchange.is_due();
                }
                Ok(())
            }
            Err(CommitError::Unknown) => self.find_out(id).await,
            Err(why) => Err(NotCommitted::Not(why)),
        }
    }

    /// Asks until the database tells whether the group with this id is on disk. Meanwhile copies are shown and wait, and
    /// acts are refused: nothing overtakes the group.
    async fn find_out(&mut self, id: [u8; 16]) -> Result<(), NotCommitted> {
        let Some(store) = self.store.clone() else { return Err(NotCommitted::NotKnown) };
        tracing::warn!("the database broke off while it was saving; what became of that is being found out");
        self.app.health.set_database(
            yadori_api::DatabaseState::Away,
            Some("the database broke off while it was saving; it is tried again by itself".into()),
        );
        let asking = tokio::spawn(async move {
            let mut pause = PROBE;
            loop {
                match store.outcome(id).await {
                    Ok(done) => return done,
                    Err(_) => tokio::time::sleep(pause).await,
                }
                pause = (pause * 2).min(LONGEST_PAUSE);
            }
        });
        tokio::pin!(asking);
        let shutdown = self.app.shutdown.clone();
        loop {
            tokio::select! {
                done = &mut asking => {
                    let done = done.unwrap_or(false);
                    if done {
                        self.app.health.set_database(yadori_api::DatabaseState::Ready, None);
                        return Ok(());
                    }
                    return Err(NotCommitted::Not(CommitError::Away("it broke off".into())));
                }
                change = self.queue.recv(), if !self.stopping => match change {
                    Some(change) => self.while_not_known(change),
                    None => self.stopping = true,
                },
                () = shutdown.cancelled() => {
                    asking.abort();
                    return Err(NotCommitted::NotKnown);
                }
            }
        }
    }

    /// A change that comes while it is not known what became of the last one.
    fn while_not_known(&mut self, change: Change) {
        match change {
            Change::Capture(capture) => self.wait(*capture),
            Change::Fleeting(capture, minutes) => self.hold_fleeting(*capture, minutes),
            Change::Refusal(refusal) => self.announce_refusal(&refusal),
            Change::Act(_, _, done)
            | Change::Step(_, _, done)
            | Change::Clear(_, done)
            | Change::Evict(_, _, done) => {
                let _ = done.send(Err(self.unavailable()));
            }
            Change::Handed(batch, handed, done) => {
                let known = self.go_on(batch, handed).map(|_| ());
                self.handed.insert(batch);
                let _ = done.send(known);
            }
            Change::Floor(done) => {
                let _ = done.send(self.floor());
            }
            Change::ListActs(done) => {
                let _ = done.send(self.list_acts());
            }
            Change::Draft(_, _, done)
            | Change::Collect(_, done)
            | Change::SignIns(_, done)
            | Change::Share(_, done)
            | Change::Merge(_, done) => {
                let _ = done.send(Err(self.unavailable()));
            }
            Change::BringDrawers(_, _, done) => {
                let _ = done.send(Err(self.unavailable()));
            }
            Change::Imported(_, _, done) => {
                let _ = done.send(Err(self.unavailable()));
            }
            Change::ShareRules(_, _, done) => {
                let _ = done.send(Err(self.unavailable()));
            }
            Change::Restored(_, _, done) => {
                let _ = done.send(Err(self.unavailable()));
            }
            Change::Loaded(_) => {}
            Change::Pictured(words, lately, done) => {
                self.pictured(&words, lately);
                let _ = done.send(());
            }
            Change::Stop(done) => {
                self.stopping = true;
                self.stopped = Some(done);
            }
        }
    }

    /// Commits the group of an act, and says why not in the act's terms.
    pub(super) async fn commit_act(&mut self, group: &Group) -> Result<(), WriteError> {
        match self.commit(group).await {
            Ok(()) => Ok(()),
            Err(NotCommitted::NotKnown) => Err(WriteError::NotKnown),
            Err(NotCommitted::Not(CommitError::Refused(why))) => Err(WriteError::Refused(why)),
            Err(NotCommitted::Not(CommitError::NotStaged)) => {
                Err(WriteError::Refused("its content is not there any more; try again".into()))
            }
            Err(NotCommitted::Not(why)) => {
                self.fall_back(&why);
                Err(self.unavailable())
            }
        }
    }
}
