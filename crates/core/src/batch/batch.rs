//! One batch: its items in their order, what is next, and what is pressed after each.

use std::collections::{HashMap, HashSet};
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::batch::id::BatchId;
use crate::batch::item::{Item, Piece};
use crate::batch::order::goes_on;
use crate::clip::content::Digest;
use crate::clip::time::Micros;

/// Items of a batch at most.
pub const MOST_ITEMS: usize = 2_000;

/// What is pressed after an item was pasted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum After {
    /// Nothing.
    #[default]
    Nothing,
    /// Tab: on to the next field, or cell.
    Tab,
    /// Enter: on to the next line, or cell below.
    Enter,
}

impl After {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Nothing => "nothing",
            Self::Tab => "tab",
            Self::Enter => "enter",
        }
    }
}

/// A batch without its items: what is said of it as a whole.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct BatchState {
    /// The name by which it is kept; one without ends once it was handed out and another one is begun.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// When it was begun.
    pub made_at: Micros,
    /// Each copy joins it.
    #[serde(default)]
    pub gathering: bool,
    /// What is pressed after each item.
    #[serde(default)]
    pub after_each: After,
    /// What is pressed after the last item of a record; as after each where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after_record: Option<After>,
    /// The names of clean-ups of each item on its way out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tidy: Vec<String>,
    /// The number of its next new item.
    pub next_id: u32,
}

/// A batch.
#[derive(Clone, Debug, PartialEq)]
pub struct Batch {
    /// Which.
    pub id: BatchId,
    /// What is said of it as a whole.
    pub state: BatchState,
    /// When it was last taken in hand: the newest one is the one in hand.
    pub used_at: Micros,
    /// Its items, in the order in which they are handed out.
    pub items: Vec<Arc<Item>>,
    /// How many stand before the one that is next.
    pub next: usize,
}

impl Batch {
    /// One that is begun now, without items.
    pub fn begun(id: BatchId, now: Micros) -> Self {
        let state = BatchState {
            name: None,
            made_at: now,
            gathering: false,
            after_each: After::Nothing,
            after_record: None,
            tidy: Vec::new(),
            next_id: 1,
        };
        Self { id, state, used_at: now, items: Vec::new(), next: 0 }
    }

    /// What is handed out next; `None` at its end.
    pub fn upcoming(&self) -> Option<&Arc<Item>> {
        self.items.get(self.next)
    }

    /// How many are left to be handed out.
    pub fn left(&self) -> usize {
        self.items.len().saturating_sub(self.next)
    }

    /// True when everything in it was handed out, or there is nothing, and nothing more comes.
    pub fn is_done(&self) -> bool {
        self.left() == 0 && !self.state.gathering
    }

    /// The numbers of its items, in their order.
    pub fn order(&self) -> Vec<u32> {
        self.items.iter().map(|item| item.id).collect()
    }

    /// The numbers of what was handed out.
    pub fn handed(&self) -> HashSet<u32> {
        self.items.iter().take(self.next).map(|item| item.id).collect()
    }

    /// The items in another order; those that are not named go. `handed` says which were handed out.
    pub fn put_in_order(&mut self, order: &[u32], known: &HashMap<u32, Arc<Item>>, handed: &HashSet<u32>) {
        let upcoming: Vec<u32> = self.items.iter().skip(self.next).map(|item| item.id).collect();
        self.items = order.iter().filter_map(|id| known.get(id).cloned()).collect();
        self.next = goes_on(&upcoming, handed, &self.order());
    }

    /// Its items by their numbers.
    pub fn known(&self) -> HashMap<u32, Arc<Item>> {
        self.items.iter().map(|item| (item.id, item.clone())).collect()
    }

    /// Adds pieces before an item, or at the end. Records go on after those that are there.
    pub fn add(&mut self, pieces: Vec<Piece>, before: Option<u32>) {
        let at = before.and_then(|id| self.items.iter().position(|item| item.id == id));
        let first = match at {
            // Between others they belong to the record they stand in.
            Some(at) => self.items[at].piece.record,
            None => self.next_record(&pieces),
        };
        let mut known = self.known();
        let mut order = self.order();
        let at = at.unwrap_or(order.len());
        for (at, mut piece) in (at..).zip(pieces) {
            piece.record = first.saturating_add(piece.record);
            let id = self.state.next_id;
            self.state.next_id = id.saturating_add(1);
            known.insert(id, Arc::new(Item { id, piece }));
            order.insert(at, id);
        }
        let handed = self.handed();
        self.put_in_order(&order, &known, &handed);
    }

    /// Single pieces go on with the last record; several records come after it.
    fn next_record(&self, pieces: &[Piece]) -> u32 {
        let last = self.items.last().map(|item| item.piece.record);
        let several = pieces.iter().any(|piece| piece.record > 0);
        last.map_or(0, |last| if several { last.saturating_add(1) } else { last })
    }

    /// Which record an item belongs to, from 1; which of its items it is, from 1; how many that record has; and how many
    /// records there are.
    pub fn record_of(&self, at: usize) -> Option<(usize, usize, usize, usize)> {
        let record = self.items.get(at)?.piece.record;
        let begins = |at: usize| at == 0 || self.items[at - 1].piece.record != self.items[at].piece.record;
        let number = (0..=at).filter(|at| begins(*at)).count();
        let first = (0..=at).rev().find(|at| begins(*at)).unwrap_or(0);
        let length = self.items[first..].iter().take_while(|item| item.piece.record == record).count();
        let records = (0..self.items.len()).filter(|at| begins(*at)).count();
        Some((number, at - first + 1, length, records))
    }

    /// What is pressed after the item at a place was pasted.
    pub fn after(&self, at: usize) -> After {
        let ends = self.items.get(at).map(|item| item.piece.record)
            != self.items.get(at + 1).map(|item| item.piece.record);
        self.state.after_record.filter(|_| ends).unwrap_or(self.state.after_each)
    }

    /// Where the next record begins: after the last item of the one that is being handed out.
    pub fn next_record_at(&self) -> usize {
        let Some(item) = self.upcoming() else { return self.items.len() };
        let record = item.piece.record;
        let more = self.items[self.next..].iter().take_while(|item| item.piece.record == record).count();
        self.next + more
    }

    /// Contents that it needs.
    pub fn digests(&self) -> HashSet<Digest> {
        self.items.iter().flat_map(|item| item.digests()).collect()
    }
}

#[cfg(test)]
pub(crate) mod tests {
    use super::*;
    use crate::clip::facts::Facts;
    use crate::merge::clip::OfferRecord;

    /// A piece of a record, with its text as its facts.
    pub(crate) fn piece(record: u32, text: &str) -> Piece {
        let facts = Facts::of_text(text, text.len() as u64, false);
        let offer = OfferRecord { representations: Vec::new(), ..OfferRecord::default() };
        Piece { record, label: None, from: None, offer, facts }
    }

    fn batch() -> Batch {
        let mut batch = Batch::begun(BatchId([1; 16]), 5);
        batch.add(vec![piece(0, "a"), piece(0, "b"), piece(1, "c"), piece(1, "d"), piece(1, "e")], None);
        batch
    }

    #[test]
    fn records_are_told_apart() {
        let batch = batch();
        assert_eq!(batch.record_of(0), Some((1, 1, 2, 2)));
        assert_eq!(batch.record_of(3), Some((2, 2, 3, 2)));
        assert_eq!(batch.record_of(5), None);
    }

    #[test]
    fn another_key_can_follow_the_end_of_a_record() {
        let mut batch = batch();
        batch.state.after_each = After::Tab;
        assert_eq!((0..5).map(|at| batch.after(at)).collect::<Vec<_>>(), [After::Tab; 5]);
        batch.state.after_record = Some(After::Enter);
        let after: Vec<After> = (0..5).map(|at| batch.after(at)).collect();
        assert_eq!(after, [After::Tab, After::Enter, After::Tab, After::Tab, After::Enter]);
        batch.next = 1;
        assert_eq!(batch.next_record_at(), 2);
    }

    #[test]
    fn what_is_gathered_goes_on_with_the_record_and_split_records_follow() {
        let mut batch = batch();
        batch.add(vec![piece(0, "f")], None);
        assert_eq!(batch.items.last().map(|item| item.piece.record), Some(1));
        batch.add(vec![piece(0, "g"), piece(1, "h")], None);
        let records: Vec<u32> = batch.items.iter().map(|item| item.piece.record).collect();
        assert_eq!(records, [0, 0, 1, 1, 1, 1, 2, 3]);
        let before = batch.items[1].id;
        batch.next = 2;
        batch.add(vec![piece(0, "i")], Some(before));
        assert_eq!((batch.items[1].piece.record, batch.next), (0, 3), "what was handed out stays so");
    }
}
