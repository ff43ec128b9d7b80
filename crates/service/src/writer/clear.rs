//! Clearing: what it takes was decided before; here it is recorded, and goes in portions.

use yadori_core::acts::{ActEntry, ActKind, ActRecord, ClearRecord, Direction, Moment};
use yadori_core::{ClipId, Micros, Stamp};
use yadori_store::{ActRow, GOING, Group, SteppedAct};

use crate::home::random::random;
use crate::state::clock::now;
use crate::writer::change::{Done, Outcome};
use crate::writer::error::WriteError;
use crate::writer::task::{Long, Task};
use crate::writer::wish::ClearWish;
use crate::writer::worker::Writer;

impl Writer {
    /// Begins a clearing; the answer comes when it is done.
    pub(super) fn clear(&mut self, wish: &ClearWish, answer: Done<Outcome>) {
        // What lives in memory alone goes at once, and is not brought back.
        let (scope, upto) = (&wish.scope, wish.upto);
        let fleeting = if wish.fleeting {
            self.clear_fleeting(|clip| scope.means(clip) && upto.is_none_or(|upto| clip.ordered_at <= upto))
        } else {
            0
        };
        match self.wanted(wish) {
            Err(WriteError::NothingToClear) if fleeting > 0 => {
                let id = [0; 16];
                let outcome =
                    Outcome { id, kind: ActKind::Clear, ids: Vec::new(), count: fleeting, made: None };
                let _ = answer.send(Ok(outcome));
            }
            Err(why) => drop(answer.send(Err(why))),
            Ok((act, record, clips)) => {
                let taken = (clips, wish.ahead.clone());
                self.begin_clear(record, taken, wish.now, act, Some(answer));
            }
        }
    }

    /// What was written last is not later than this, and what is written from now on is.
    pub(super) fn floor(&mut self) -> Stamp {
        match self.clock.last() {
            Some(last) => last,
            None => Moment { now: now(), clock: &mut self.clock }.stamp(None),
        }
    }

    fn wanted(&mut self, wish: &ClearWish) -> Result<([u8; 16], ClearRecord, Vec<ClipId>), WriteError> {
        self.writable()?;
        let clips = wish.clips.clone();
        if clips.is_empty() {
            return Err(WriteError::NothingToClear);
        }
        let act = random().map_err(|_| WriteError::NoRandomness)?;
        let floor = wish.floor;
        let count = clips.len() as u64;
        let record = ClearRecord { scope: wish.scope.clone(), floor, count, order: wish.order.clone() };
        Ok((act, record, clips))
    }

    /// The act of a clearing: one small row, with which it is done.
    pub(super) async fn record_clear(
        &mut self,
        group: Group,
        act: [u8; 16],
        record: &ClearRecord,
        going: i8,
    ) -> Result<(), WriteError> {
        let payload = ActRecord { clear: Some(record.clone()), ..ActRecord::default() };
        let payload = payload.to_bytes().map_err(|_| WriteError::DamagedRecord)?;
        let row = ActRow {
            id: act,
            number: self.log.next_number(),
            at: now(),
            kind: ActKind::Clear,
            payload,
            holds: Vec::new(),
            undone: None,
            lasting: false,
            subject: Some(record.words()),
            clips: Vec::new(),
            cleared: Some(record.count),
            going,
        };
        let entry = ActEntry {
            id: act,
            number: row.number,
            at: row.at,
            steady: self.steady.now(),
            kind: ActKind::Clear,
            undone: None,
            lasting: false,
            subject: Some(record.words()),
            clips: Vec::new(),
            cleared: Some(record.count),
            ending: false,
        };
        let group = Group {
            acts: vec![row],
            ended: self.log.ended_by_new(),
            clock: self.clock.last(),
            now: now(),
            ..group
        };
        self.commit_act(&group).await?;
        self.log.end(&group.ended);
        self.begin_ends(true);
        self.log.push(entry);
        Ok(())
    }

    /// Takes a clearing back, or makes it again: recorded at once, and done in portions.
    pub(super) async fn step_clear(
        &mut self,
        act: &ActEntry,
        record: &ClearRecord,
        direction: Direction,
    ) -> Result<(), WriteError> {
        let undone = (direction == Direction::Undo).then(|| (self.log.next_number(), now()));
        let group = Group {
            now: now(),
            stepped: vec![SteppedAct { id: act.id, undone }],
            going: vec![(act.id, GOING, None)],
            ..Group::default()
        };
        self.commit_act(&group).await?;
        self.log.stepped(act.id, direction, self.steady.now());
        tracing::debug!("a clearing of {} clips is stepped", record.count);
        Ok(())
    }

    /// Clips go without leaving anything. Those that changed since they were planned stay, and favorites that are not meant.
    pub(super) fn evict(&mut self, clips: Vec<(ClipId, Micros)>, favorites: bool, answer: Done<Outcome>) {
        if let Err(why) = self.writable() {
            let _ = answer.send(Err(why));
            return;
        }
        let of = clips.len() as u64;
        self.long.push_back(Long::new([0; 16], Task::Evict { clips, favorites }, of, Some(answer)));
    }
}
