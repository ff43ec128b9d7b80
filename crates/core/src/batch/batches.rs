//! All batches: which one is in hand, and found by name.

use std::collections::BTreeMap;
use std::sync::Arc;

use crate::batch::batch::Batch;
use crate::batch::id::BatchId;
use crate::text::fold::fold;

/// Batches at most.
pub const MOST_BATCHES: usize = 200;

/// Why no batch is meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NoBatch {
    /// There is none at all.
    None,
    /// None is called so; the names of those that are kept.
    NotCalled(Vec<String>),
    /// Several are; their names.
    Several(Vec<String>),
}

/// All batches.
#[derive(Clone, Debug, Default)]
pub struct Batches(BTreeMap<BatchId, Arc<Batch>>);

impl Batches {
    /// One of them.
    pub fn get(&self, id: BatchId) -> Option<&Arc<Batch>> {
        self.0.get(&id)
    }

    /// What is now known of a batch; `None`: it is gone.
    pub fn put(&mut self, id: BatchId, batch: Option<Batch>) {
        match batch {
            Some(batch) => drop(self.0.insert(id, Arc::new(batch))),
            None => drop(self.0.remove(&id)),
        }
    }

    /// All of them, the one in hand first.
    pub fn shown(&self) -> Vec<&Arc<Batch>> {
        let mut all: Vec<&Arc<Batch>> = self.0.values().collect();
        all.sort_by_key(|one| std::cmp::Reverse((one.used_at, one.id)));
        all
    }

    /// The one that was taken in hand last.
    pub fn in_hand(&self) -> Option<&Arc<Batch>> {
        self.0.values().max_by_key(|one| (one.used_at, one.id))
    }

    /// The one that copies join.
    pub fn gathering(&self) -> Option<&Arc<Batch>> {
        self.0.values().filter(|one| one.state.gathering).max_by_key(|one| (one.used_at, one.id))
    }

    /// The batch that a person means: by id, by name (case and accents aside) or its beginning; the one in hand where
    /// nothing is said.
    pub fn find(&self, name: Option<&str>) -> Result<&Arc<Batch>, NoBatch> {
        let Some(name) = name.map(str::trim).filter(|name| !name.is_empty()) else {
            return self.in_hand().ok_or(NoBatch::None);
        };
        if let Some(found) = BatchId::parse(name).and_then(|id| self.get(id)) {
            return Ok(found);
        }
        let wanted = fold(name);
        let folded = |one: &Batch| one.state.name.as_deref().map(fold);
        let shown = self.shown();
        let exact: Vec<_> = shown.iter().filter(|one| folded(one).as_ref() == Some(&wanted)).collect();
        let begins: Vec<_> =
            shown.iter().filter(|one| folded(one).is_some_and(|name| name.starts_with(&wanted))).collect();
        let names = |list: &mut dyn Iterator<Item = &&Arc<Batch>>| -> Vec<String> {
            list.filter_map(|one| one.state.name.clone()).collect()
        };
        match if exact.is_empty() { begins } else { exact }.as_slice() {
            [] if self.0.is_empty() => Err(NoBatch::None),
            [] => Err(NoBatch::NotCalled(names(&mut shown.iter()))),
            [one] => Ok(one),
            several => Err(NoBatch::Several(names(&mut several.iter().copied()))),
        }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// True when there is none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_batch_is_found_by_name_and_the_one_used_last_is_in_hand() {
        let mut batches = Batches::default();
        assert!(matches!(batches.find(None), Err(NoBatch::None)));
        for (n, name) in [(1, Some("Permits")), (2, None), (3, Some("Permit north"))] {
            let mut batch = Batch::begun(BatchId([n; 16]), i64::from(n));
            batch.state.name = name.map(str::to_owned);
            batches.put(batch.id, Some(batch));
        }
        assert_eq!(batches.find(None).unwrap().id, BatchId([3; 16]));
        assert_eq!(batches.find(Some("PERMITS")).unwrap().id, BatchId([1; 16]));
        assert!(matches!(batches.find(Some("permit")), Err(NoBatch::Several(names)) if names.len() == 2));
        assert!(matches!(batches.find(Some("x")), Err(NoBatch::NotCalled(names)) if names.len() == 2));
        let second = BatchId([2; 16]).to_string();
        assert_eq!(batches.find(Some(&second)).unwrap().id, BatchId([2; 16]));
        batches.put(BatchId([3; 16]), None);
        assert_eq!(batches.in_hand().unwrap().id, BatchId([2; 16]));
    }
}
