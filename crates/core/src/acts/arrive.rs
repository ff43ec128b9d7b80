//! What another device's record of a clip makes of it here.

use crate::acts::moment::Moment;
use crate::clip::facts::Facts;
use crate::clip::id::ClipId;
use crate::history::stored::StoredClip;
use crate::merge::clip::ClipState;

/// What another device knows of a clip.
#[derive(Clone, Debug, PartialEq)]
pub struct Arrived {
    /// Which.
    pub id: ClipId,
    /// What devices agree on.
    pub state: ClipState,
    /// What can be told of it at a glance; `None` where it is gone.
    pub facts: Option<Facts>,
}

/// The clip after that has come. A stamp far ahead does not move this device's clock, and a copy that was made in its future
/// stands where it came.
pub fn arrive(known: StoredClip, arrived: Arrived, moment: &mut Moment<'_>) -> StoredClip {
    let StoredClip { id, mut state, facts, ordered_at } = known;
    let before = state.copied_at().filter(|_| state.is_there());
    state.merge(&arrived.state);
    for seen in arrived.state.stamps() {
        moment.clock.witness(u64::try_from(moment.now / 1_000).unwrap_or(0), seen);
    }
    if !state.is_there() {
        return StoredClip { id, state, facts: None, ordered_at };
    }
    let same = |one: &ClipState| {
        let shown = state.offer().map(|offer| &offer.representations);
        one.offer().map(|offer| &offer.representations) == shown
    };
    let facts = if same(&arrived.state) { arrived.facts.or(facts) } else { facts.or(arrived.facts) };
    let at = state.copied_at().map_or(moment.now, |at| at.min(moment.now));
    let ordered_at = match before {
        // Nobody copied it again: it stays where it is.
        Some(before) if state.copied_at() == Some(before) => ordered_at,
        Some(_) => ordered_at.max(at),
        None => at,
    };
    StoredClip { id, state, facts, ordered_at }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::device::DeviceId;
    use crate::clip::id::Class;
    use crate::merge::clip::{OfferRecord, RepresentationRecord};
    use crate::merge::stamp::{HybridClock, Stamp};
    use crate::{Digest, Micros};

    const HOUR: Micros = 3_600_000_000;
    const NOW: Micros = 1_000 * HOUR;

    fn id() -> ClipId {
        ClipId::of(Class::Text, &[b"oats"])
    }

    fn unknown() -> StoredClip {
        StoredClip { id: id(), state: ClipState::default(), facts: None, ordered_at: 0 }
    }

    fn copied(at: Micros, words: &str) -> Arrived {
        let stamp = Stamp { wall_ms: (at / 1_000) as u64, counter: 0, device: DeviceId([9; 16]) };
        let record = RepresentationRecord {
            mime: "text/plain".into(),
            size: words.len() as u64,
            digest: Digest::of(words.as_bytes()),
        };
        let mut state = ClipState::default();
        state.capture(OfferRecord { representations: vec![record], ..OfferRecord::default() }, at, stamp);
        Arrived { id: id(), state, facts: Some(Facts::of_text(words, words.len() as u64, false)) }
    }

    fn after(known: StoredClip, arrived: Arrived) -> StoredClip {
        let mut clock = HybridClock::resume(DeviceId([1; 16]), None);
        arrive(known, arrived, &mut Moment { now: NOW, clock: &mut clock })
    }

    #[test]
    fn a_copy_stands_where_it_was_made_and_one_of_the_future_where_it_came() {
        assert_eq!(after(unknown(), copied(NOW - HOUR, "oats")).ordered_at, NOW - HOUR);
        let far = after(unknown(), copied(NOW + 9_000 * HOUR, "oats"));
        assert_eq!(far.ordered_at, NOW);
        // The same once more moves nothing, and an older one neither.
        let again =
            after(StoredClip { ordered_at: NOW - 5, ..far.clone() }, copied(NOW + 9_000 * HOUR, "oats"));
        assert_eq!(again.ordered_at, NOW - 5);
        let older = after(far.clone(), copied(NOW - HOUR, "oats"));
        assert_eq!((older.ordered_at, &older.state.offers), (NOW, &far.state.offers));
    }

    #[test]
    fn facts_are_those_of_the_offer_that_is_shown_and_a_clip_that_is_gone_has_none() {
        let head = |clip: &StoredClip| clip.facts.as_ref().map(|facts| facts.head.clone());
        let first = after(unknown(), copied(NOW - HOUR, "oats"));
        let newer = after(first.clone(), copied(NOW, "OATS"));
        assert_eq!(head(&newer).as_deref(), Some("OATS"));
        assert_eq!(head(&after(newer.clone(), copied(NOW - 2 * HOUR, "oat"))).as_deref(), Some("OATS"));
        let mut gone = copied(NOW, "OATS");
        gone.state.remove(Stamp { wall_ms: (NOW / 1_000) as u64, counter: 9, device: DeviceId([9; 16]) });
        let gone = after(newer, Arrived { facts: None, ..gone });
        assert!(!gone.state.is_there() && gone.facts.is_none());
        // What is older than the removal brings nothing back.
        assert!(after(gone.clone(), copied(NOW - HOUR, "oats")).facts.is_none());
        assert_eq!(head(&after(gone, copied(NOW + HOUR, "oats"))).as_deref(), Some("oats"));
    }
}
