//! Batches as devices share them: what is said of one and the order of its items are registers, each item is there or gone by
//! its newest stamp, and a floor takes the whole. How far a batch was handed out, whether copies join it and which one is in
//! hand is each device's own.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::fmt;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::batch::batch::{After, Batch};
use crate::batch::id::BatchId;
use crate::batch::item::{Item, Piece};
use crate::clip::time::Micros;
use crate::merge::register::{Written, above, newest};
use crate::merge::stamp::Stamp;
use crate::text::stack::hash;

/// An item of a batch, on every device: 16 random bytes, chosen when it is first shared.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub struct ItemKey(pub [u8; 16]);

impl fmt::Debug for ItemKey {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "ItemKey({})", hex::encode(self.0))
    }
}

impl From<ItemKey> for String {
    fn from(key: ItemKey) -> Self {
        hex::encode(key.0)
    }
}

impl TryFrom<String> for ItemKey {
    type Error = hex::FromHexError;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        let mut bytes = [0; 16];
        hex::decode_to_slice(text, &mut bytes)?;
        Ok(Self(bytes))
    }
}

/// What is said of a batch as a whole.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Said {
    /// Its name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// When it was begun.
    pub made_at: Micros,
    /// What is pressed after each item.
    #[serde(default)]
    pub after_each: After,
    /// What is pressed after the last item of a record.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after_record: Option<After>,
    /// The names of clean-ups of each item on its way out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tidy: Vec<String>,
}

/// Everything that devices agree on about one batch, but for its items.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct BatchHead {
    /// What is said of it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub said: Option<Written<Said>>,
    /// The order of its items. Those that are not named follow, as they came.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<Written<Vec<ItemKey>>>,
    /// The removal floor.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub removed: Option<Stamp>,
}

/// Whether an item is there, and which it is here.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ItemHead {
    /// When it came or went last.
    pub at: Stamp,
    /// It is there.
    pub there: bool,
    /// Its number in the batch here; `None` where it never was there.
    pub local: Option<u32>,
    /// Tells its piece from others that a restored history may have under its number.
    pub print: u64,
}

/// What another device says of an item: when it came or went, and what it is where it is there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ItemSaid {
    /// When.
    pub at: Stamp,
    /// What it is; `None`: it is gone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub piece: Option<Piece>,
}

/// One batch as devices share it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct SharedBatch {
    /// The whole.
    pub head: BatchHead,
    /// Its items.
    pub items: BTreeMap<ItemKey, ItemHead>,
}

/// What of a batch is to be sent.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Changed {
    /// The whole.
    pub head: bool,
    /// These items.
    pub items: Vec<ItemKey>,
}

impl Changed {
    /// True when nothing is.
    pub fn is_empty(&self) -> bool {
        !self.head && self.items.is_empty()
    }
}

impl Said {
    fn of(batch: &Batch) -> Self {
        let state = &batch.state;
        Self {
            name: state.name.clone(),
            made_at: state.made_at,
            after_each: state.after_each,
            after_record: state.after_record,
            tidy: state.tidy.clone(),
        }
    }
}

/// The same for equal pieces on every run, another one for others.
fn print_of(piece: &Piece) -> u64 {
    let record = piece.record.to_be_bytes();
    let mut parts: Vec<&[u8]> = vec![&record, piece.label.as_deref().unwrap_or_default().as_bytes()];
    for one in &piece.offer.representations {
        parts.extend([&[0][..], one.mime.as_bytes(), &one.digest.0]);
    }
    hash(&parts).first_chunk().map_or(0, |first| u64::from_be_bytes(*first))
}

/// A number for an item from another device: none of those that this device gives, which count from 1, and none that another
/// item has or had.
fn free(key: ItemKey, is_taken: impl Fn(u32) -> bool) -> u32 {
    let far = 1 << 31;
    let first = key.0.first_chunk().map_or(far, |first| u32::from_be_bytes(*first) | far);
    (first..=u32::MAX).chain(far..first).find(|number| !is_taken(*number)).unwrap_or(far)
}

impl SharedBatch {
    /// Items that are there, in their order.
    pub fn order(&self) -> Vec<ItemKey> {
        let there = |key: &ItemKey| self.items.get(key).is_some_and(|one| one.there);
        let said = self.head.order.as_ref().map(|one| one.value.as_slice()).unwrap_or_default();
        let mut seen: HashSet<ItemKey> = HashSet::with_capacity(self.items.len());
        let mut order: Vec<ItemKey> =
            said.iter().copied().filter(|key| there(key) && seen.insert(*key)).collect();
        let mut rest: Vec<(Stamp, ItemKey)> = self
            .items
            .iter()
            .filter(|(key, one)| one.there && !seen.contains(*key))
            .map(|(key, one)| (one.at, *key))
            .collect();
        rest.sort_unstable();
        order.extend(rest.into_iter().map(|(_, key)| key));
        order
    }

    /// What is said of it; `None` where it was removed since.
    pub fn said(&self) -> Option<&Said> {
        above(&self.head.said, self.head.removed)
    }

    /// Whether there is such a batch: something of it came after it was last removed.
    pub fn is_there(&self) -> bool {
        self.said().is_some() || self.items.values().any(|one| one.there)
    }

    fn newest(&self) -> Option<Stamp> {
        let head = &self.head;
        let said = head.said.as_ref().map(|one| one.at).max(head.order.as_ref().map(|one| one.at));
        said.max(head.removed).max(self.items.values().map(|one| one.at).max())
    }

    /// Stamps what a person has made of it here since it was last looked at; gives what of it is to be sent. `key` gives
    /// names to items that are new, `stamp` stamps that exceed the one given.
    pub fn note<E>(
        &mut self,
        batch: Option<&Batch>,
        mut key: impl FnMut() -> Result<ItemKey, E>,
        mut stamp: impl FnMut(Option<Stamp>) -> Stamp,
    ) -> Result<Changed, E> {
        let mut changed = Changed::default();
        let Some(batch) = batch else {
            if self.is_there() {
                self.head.removed = Some(stamp(self.newest()));
                let items = std::mem::take(&mut self.items);
                changed.items.extend(items.into_iter().filter(|(_, one)| one.there).map(|(key, _)| key));
                changed.head = true;
            }
            return Ok(changed);
        };
        let said = Said::of(batch);
        if self.said() != Some(&said) {
            // With a name it is kept, and what is kept may travel where the rest does not.
            if said.name.is_some() != self.said().is_some_and(|said| said.name.is_some()) {
                changed.items.extend(self.items.keys());
            }
            self.head.said = Some(Written { at: stamp(self.newest()), value: said });
            changed.head = true;
        }
        // Of two that had one number here, the one that is there is meant.
        let mut named: Vec<_> = self.items.iter().collect();
        named.sort_by_key(|(_, one)| one.there);
        let mut here: HashMap<(u32, u64), ItemKey> =
            named.into_iter().filter_map(|(key, one)| Some(((one.local?, one.print), *key))).collect();
        let mut now = Vec::with_capacity(batch.items.len());
        for item in &batch.items {
            let print = print_of(&item.piece);
            let name = match here.remove(&(item.id, print)) {
                Some(known) => known,
                None => key()?,
            };
            now.push(name);
            if self.items.get(&name).is_some_and(|one| one.there) {
                continue;
            }
            let at = stamp(self.items.get(&name).map(|one| one.at).max(self.head.removed));
            self.items.insert(name, ItemHead { at, there: true, local: Some(item.id), print });
            changed.items.push(name);
        }
        let kept: HashSet<ItemKey> = now.iter().copied().collect();
        for (key, one) in &mut self.items {
            if one.there && !kept.contains(key) {
                *one = ItemHead { at: stamp(Some(one.at)), there: false, ..one.clone() };
                changed.items.push(*key);
            }
        }
        if self.order() != now {
            self.head.order = Some(Written { at: stamp(self.newest()), value: now });
            changed.head = true;
        }
        changed.items.sort_unstable();
        changed.items.dedup();
        Ok(changed)
    }

    /// Takes up what another device says of the whole.
    pub fn merge_head(&mut self, theirs: &BatchHead) {
        newest(&mut self.head.said, &theirs.said);
        newest(&mut self.head.order, &theirs.order);
        self.head.removed = self.head.removed.max(theirs.removed);
        let floor = self.head.removed;
        self.items.retain(|_, one| Some(one.at) > floor);
    }

    /// Takes up what another device says of an item. True when it is news, so that its piece is the one to be shown.
    pub fn merge_item(&mut self, key: ItemKey, theirs: &ItemSaid) -> bool {
        let there = theirs.piece.is_some();
        let known = self.items.get(&key);
        if Some(theirs.at) <= self.head.removed
            || known.is_some_and(|one| (one.at, one.there) >= (theirs.at, there))
        {
            return false;
        }
        let (local, print) = known.map_or((None, 0), |one| (one.local, one.print));
        let print = theirs.piece.as_ref().map_or(print, print_of);
        self.items.insert(key, ItemHead { at: theirs.at, there, local, print });
        true
    }

    /// The batch as it is now; `pieces` are those of items that have come. `None`: it is gone. What was handed out here stays
    /// so, and what is in hand here stays in hand.
    pub fn shown(
        &mut self,
        id: BatchId,
        before: Option<&Batch>,
        pieces: &HashMap<ItemKey, Piece>,
        in_hand: Option<&Batch>,
    ) -> Option<Batch> {
        if !self.is_there() {
            return None;
        }
        let began = self.said().map(|said| said.made_at);
        let first = self.items.values().map(|one| one.at.wall_ms).min().unwrap_or(0);
        let began = began.unwrap_or_else(|| i64::try_from(first).unwrap_or(0).saturating_mul(1_000));
        let mut batch = before.cloned().unwrap_or_else(|| {
            let mut begun = Batch::begun(id, began);
            if let Some(other) = in_hand.filter(|other| !other.is_done()) {
                begun.used_at = began.min(other.used_at.saturating_sub(1));
            }
            begun
        });
        let said = self.said().cloned();
        let state = &mut batch.state;
        state.made_at = began;
        state.name = said.as_ref().and_then(|said| said.name.clone());
        state.after_each = said.as_ref().map_or_else(After::default, |said| said.after_each);
        state.after_record = said.as_ref().and_then(|said| said.after_record);
        state.tidy = said.map_or_else(Vec::new, |said| said.tidy);
        let (mut known, handed) = (batch.known(), batch.handed());
        let mut order = Vec::with_capacity(self.items.len());
        let mut taken: HashSet<u32> = self.items.values().filter_map(|one| one.local).collect();
        let mut used: HashSet<u32> = HashSet::with_capacity(self.items.len());
        for key in self.order() {
            let Some(item) = self.items.get_mut(&key) else { continue };
            let print = item.print;
            let same = |local: &u32| known.get(local).is_some_and(|one| print_of(&one.piece) == print);
            let here = item.local.filter(same);
            let local = match here.filter(|local| !used.contains(local)) {
                Some(local) => local,
                None => {
                    let known_here = here.and_then(|local| known.get(&local)).map(|one| one.piece.clone());
                    let Some(piece) = pieces.get(&key).cloned().or(known_here) else { continue };
                    let own = item.local.filter(|local| !known.contains_key(local) && !used.contains(local));
                    let is_taken = |number| known.contains_key(&number) || taken.contains(&number);
                    let local = own.unwrap_or_else(|| free(key, is_taken));
                    item.local = Some(local);
                    taken.insert(local);
                    known.insert(local, Arc::new(Item { id: local, piece }));
                    local
                }
            };
            used.insert(local);
            order.push(local);
        }
        batch.put_in_order(&order, &known, &handed);
        Some(batch)
    }
}

#[cfg(test)]
mod tests;
