//! Batches are begun, named, filled, put in order and removed. Handing out is no act: `back` is its way back.

use std::sync::Arc;

use crate::acts::act::{BatchChange, ItemsChange};
use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::plan::{BatchPlan, Plan, valid_name};
use crate::batch::batch::MOST_ITEMS;
use crate::batch::batches::MOST_BATCHES;
use crate::batch::order::moved;
use crate::batch::{Batch, BatchId, Piece};
use crate::clip::time::Micros;
use crate::history::all::History;
use crate::text::fold::fold;

pub(super) fn plan_new(
    history: &History,
    id: BatchId,
    pieces: &[Piece],
    change: &BatchChange,
    now: Micros,
) -> Result<Plan, ActError> {
    let mut plan = Plan::new(ActKind::NewBatch);
    let mut begun = Batch::begun(id, now);
    // The one that is begun is the one in hand, whatever the clock says.
    begun.used_at = history.batches().in_hand().map_or(now, |one| now.max(one.used_at.saturating_add(1)));
    changed(history, &mut begun, change)?;
    filled(&mut begun, pieces, None)?;
    let mut left = history.batches().len();
    for other in history.batches().shown() {
        // What was handed out and has no name has done its work.
        if other.is_done() && other.state.name.is_none() {
            plan.batches.push(BatchPlan { id: other.id, before: Some(other.clone()), after: None });
            left -= 1;
        }
    }
    if left >= MOST_BATCHES {
        return Err(ActError::TooManyBatches);
    }
    if begun.state.gathering {
        stop_gathering(history, id, &mut plan);
    }
    plan.batches.insert(0, BatchPlan { id, before: None, after: Some(begun) });
    plan.made = Some(id.to_string());
    Ok(plan)
}

pub(super) fn plan_change(history: &History, id: BatchId, change: &BatchChange) -> Result<Plan, ActError> {
    let mut plan = Plan::new(ActKind::Batch);
    let before = history.batches().get(id).ok_or(ActError::NoBatch)?;
    let mut after = Batch::clone(before);
    changed(history, &mut after, change)?;
    if after.state == before.state {
        return Err(ActError::AlreadySo);
    }
    if after.state.gathering && !before.state.gathering {
        stop_gathering(history, id, &mut plan);
        after.used_at =
            history.batches().in_hand().map_or(after.used_at, |one| one.used_at.saturating_add(1));
    }
    plan.batches.insert(0, BatchPlan { id, before: Some(before.clone()), after: Some(after) });
    Ok(plan)
}

pub(super) fn plan_items(history: &History, id: BatchId, change: &ItemsChange) -> Result<Plan, ActError> {
    let before = history.batches().get(id).ok_or(ActError::NoBatch)?;
    let mut after = Batch::clone(before);
    let known = before.known();
    let handed = before.handed();
    let there = |ids: &[u32]| {
        if ids.iter().any(|id| known.contains_key(id)) { Ok(()) } else { Err(ActError::NoItems) }
    };
    let kind = match change {
        ItemsChange::Add(pieces, place) => {
            filled(&mut after, pieces, *place)?;
            ActKind::AddToBatch
        }
        ItemsChange::Drop(items) => {
            there(items)?;
            let left: Vec<u32> = before.order().into_iter().filter(|id| !items.contains(id)).collect();
            after.put_in_order(&left, &known, &handed);
            ActKind::DropItems
        }
        ItemsChange::Move(items, place) => {
            there(items)?;
            after.put_in_order(&moved(&before.order(), items, *place), &known, &handed);
            ActKind::OrderItems
        }
        ItemsChange::Reverse => {
            after.items[before.next..].reverse();
            ActKind::OrderItems
        }
    };
    if after.items == before.items {
        return Err(ActError::AlreadySo);
    }
    let mut plan = Plan::new(kind);
    plan.batches.push(BatchPlan { id, before: Some(before.clone()), after: Some(after) });
    Ok(plan)
}

pub(super) fn plan_removal(history: &History, id: BatchId) -> Result<Plan, ActError> {
    let before = history.batches().get(id).ok_or(ActError::NoBatch)?;
    let mut plan = Plan::new(ActKind::RemoveBatch);
    plan.batches.push(BatchPlan { id, before: Some(before.clone()), after: None });
    Ok(plan)
}

fn filled(batch: &mut Batch, pieces: &[Piece], before: Option<u32>) -> Result<(), ActError> {
    let count = batch.items.len() + pieces.len();
    if count > MOST_ITEMS {
        return Err(ActError::BatchFull(count));
    }
    if before.is_some_and(|id| !batch.items.iter().any(|item| item.id == id)) {
        return Err(ActError::NoItems);
    }
    batch.add(pieces.to_vec(), before);
    Ok(())
}

fn changed(history: &History, batch: &mut Batch, change: &BatchChange) -> Result<(), ActError> {
    if let Some(name) = &change.name {
        let name = name.as_deref().filter(|name| !name.trim().is_empty()).map(valid_name).transpose()?;
        if let Some(name) = &name {
            let folded = fold(name);
            let mut others = history.batches().shown().into_iter().filter(|one| one.id != batch.id);
            if others.any(|one| one.state.name.as_deref().map(fold).as_ref() == Some(&folded)) {
                return Err(ActError::BatchNameTaken(name.clone()));
            }
        }
        batch.state.name = name;
    }
    let state = &mut batch.state;
    state.gathering = change.gathering.unwrap_or(state.gathering);
    state.after_each = change.after_each.unwrap_or(state.after_each);
    state.after_record = change.after_record.unwrap_or(state.after_record);
    if let Some(tidy) = &change.tidy {
        state.tidy.clone_from(tidy);
    }
    Ok(())
}

/// Copies join one batch at a time.
fn stop_gathering(history: &History, but: BatchId, plan: &mut Plan) {
    let gathering = history.batches().shown().into_iter().filter(|one| one.state.gathering && one.id != but);
    for one in gathering {
        let mut after = Batch::clone(one);
        after.state.gathering = false;
        plan.batches.push(BatchPlan { id: one.id, before: Some(Arc::clone(one)), after: Some(after) });
    }
}

#[cfg(test)]
mod tests;
