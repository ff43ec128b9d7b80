//! Batches as the interface shows them.

use yadori_api as api;
use yadori_core::batch::{Batch, Item};
use yadori_core::{BatchId, History};

use crate::state::shapes::{files, head_of};

/// An item at a place (from 0) of its batch.
pub fn item(history: &History, batch: &Batch, at: usize, item: &Item) -> api::BatchItem {
    let (record, field, ..) = batch.record_of(at).unwrap_or((1, 1, 1, 1));
    item_of(history, (at, record, field), item)
}

fn item_of(history: &History, (at, record, field): (usize, usize, usize), item: &Item) -> api::BatchItem {
    let facts = &item.piece.facts;
    api::BatchItem {
        id: item.id,
        place: at as u64 + 1,
        record: record as u64,
        field: field as u64,
        label: item.piece.label.clone(),
        kind: facts.kind(),
        head: head_of(facts),
        chars: facts.chars,
        size: facts.size,
        picture: facts.picture.clone(),
        files: files(facts),
        from: item.piece.from.filter(|id| history.has(*id)).map(|id| id.to_string()),
        source: item.piece.offer.source.clone(),
    }
}

/// A part of the items of a batch, from a place (from 0) on.
pub fn items(history: &History, batch: &Batch, skip: usize, limit: usize) -> Vec<api::BatchItem> {
    let mut out = Vec::new();
    let (mut record, mut field, mut last) = (0, 0, None);
    for (at, one) in batch.items.iter().enumerate().take(skip.saturating_add(limit)) {
        if last == Some(one.piece.record) {
            field += 1;
        } else {
            (record, field, last) = (record + 1, 1, Some(one.piece.record));
        }
        if at >= skip {
            out.push(item_of(history, (at, record, field), one));
        }
    }
    out
}

/// A batch.
pub fn batch(history: &History, batch: &Batch) -> api::Batch {
    let last = batch.items.len().saturating_sub(1);
    let (.., records) = batch.record_of(last).unwrap_or((0, 0, 0, 0));
    let (_, _, fields, _) = batch.record_of(batch.next).unwrap_or((0, 0, 0, 0));
    let in_hand = history.batches().in_hand().is_some_and(|one| one.id == batch.id);
    api::Batch {
        id: batch.id.to_string(),
        name: batch.state.name.clone(),
        made_at: batch.state.made_at,
        in_hand,
        gathering: batch.state.gathering,
        items: batch.items.len() as u64,
        handed: batch.next as u64,
        left: batch.left() as u64,
        records: records as u64,
        fields: fields as u64,
        next: batch.upcoming().map(|one| item(history, batch, batch.next, one)),
        after_each: batch.state.after_each,
        after_record: batch.state.after_record,
        tidy: batch.state.tidy.clone(),
    }
}

/// The batch in hand.
pub fn in_hand(history: &History) -> Option<api::Batch> {
    history.batches().in_hand().map(|one| batch(history, one))
}

/// What is told when batches have changed.
pub fn event(history: &History, ids: &[BatchId]) -> api::BatchesEvent {
    let batches = ids.iter().map(ToString::to_string).collect();
    api::BatchesEvent { batches, in_hand: in_hand(history) }
}
