//! What a copy makes of a clip.

use crate::acts::moment::Moment;
use crate::clip::color::Color;
use crate::clip::facts::Facts;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;
use crate::history::stored::StoredClip;
use crate::merge::clip::{ClipState, Kept, OfferRecord};

/// A copy, read.
#[derive(Clone, Debug)]
pub struct Copied {
    /// The clip it belongs to.
    pub id: ClipId,
    /// What can be told of it at a glance.
    pub facts: Facts,
    /// Its offer, as it is recorded.
    pub record: OfferRecord,
    /// When it was made.
    pub at: Micros,
    /// It was on the clipboard before anybody watched: no new copy, if it is known.
    pub at_start: bool,
    /// It is the newest thing that this device saw, whatever the clock says.
    pub on_top: bool,
    /// What else is known of it, when it comes from elsewhere.
    pub extra: Option<Box<Extra>>,
}

/// What is known of a clip that comes from elsewhere. It fills what is not set here, and changes nothing else.
#[derive(Debug, Clone, Default)]
pub struct Extra {
    /// Its title.
    pub title: Option<String>,
    /// Its color.
    pub color: Option<Color>,
    /// Where it is kept.
    pub kept: Option<Kept>,
    /// How often it was copied.
    pub copies: u64,
    /// What it was edited from.
    pub made_from: Option<ClipId>,
    /// What earlier copies of it offered, newest first.
    pub earlier: Vec<OfferRecord>,
}

/// The clip after a copy. `newest` is the time of the newest clip that this device knows.
pub fn capture(
    known: StoredClip,
    copied: &Copied,
    newest: Option<Micros>,
    moment: &mut Moment<'_>,
) -> StoredClip {
    let StoredClip { id, mut state, facts, ordered_at } = known;
    let there = state.is_there();
    if there && copied.at_start {
        let facts = facts.or_else(|| Some(copied.facts.clone()));
        return StoredClip { id, state, facts, ordered_at };
    }
    if let Some(extra) = copied.extra.as_deref().filter(|_| there) {
        fill(&mut state, extra, moment);
        offer_more(&mut state, &copied.record, &extra.earlier, moment);
        let own = state.offer().is_some_and(|offer| offer.representations == copied.record.representations);
        let facts = facts.filter(|_| !own).or_else(|| Some(copied.facts.clone()));
        return StoredClip { id, state, facts, ordered_at };
    }
    if let Some(extra) = copied.extra.as_deref().filter(|extra| !extra.earlier.is_empty()) {
        let newest = state.newest_stamp();
        state.offer_again(&extra.earlier, || moment.stamp(newest));
    }
    let stamp = moment.stamp(state.newest_stamp());
    state.capture(copied.record.clone(), copied.at, stamp);
    if let Some(extra) = copied.extra.as_deref() {
        let copies = state.copies.of(stamp.device);
        copies.ever = copies.ever.saturating_add(extra.copies.saturating_sub(1));
        fill(&mut state, extra, moment);
    }
    // A pinned clip keeps its offer, and so its facts.
    let own = state.offer().is_some_and(|offer| offer.representations == copied.record.representations);
    let facts = facts.filter(|_| !own).or_else(|| Some(copied.facts.clone()));
    let at = match newest {
        Some(newest) if copied.on_top => copied.at.max(newest.saturating_add(1)),
        _ => copied.at,
    };
    let ordered_at = if there { at.max(ordered_at) } else { at };
    StoredClip { id, state, facts, ordered_at }
}

/// Offers from elsewhere come beside those that are there. The one that is shown stays, unless the new one has everything
/// that it has and more, and the clip is not pinned.
fn offer_more(state: &mut ClipState, record: &OfferRecord, earlier: &[OfferRecord], moment: &mut Moment<'_>) {
    let is_known = |one: &OfferRecord| {
        state.offers.iter().any(|known| known.value.representations == one.representations)
    };
    let mut new: Vec<OfferRecord> =
        std::iter::once(record).chain(earlier).filter(|one| !is_known(one)).cloned().collect();
    if new.is_empty() {
        return;
    }
    let newest = state.newest_stamp();
    if let Some(shown) = state.offer().cloned().filter(|_| !state.is_pinned()) {
        let has = |mime: &str| record.representations.iter().any(|one| one.mime == mime);
        let more = record.representations.len() > shown.representations.len()
            && shown.representations.iter().all(|one| has(&one.mime));
        // `new` begins with the record, if that is new.
        let is_richer = more && new.first() == Some(record);
        new.insert(usize::from(is_richer), shown);
    }
    state.offer_again(&new, || moment.stamp(newest));
}

/// Sets what is known from elsewhere and not set here.
fn fill(state: &mut ClipState, extra: &Extra, moment: &mut Moment<'_>) {
    if let Some(title) = extra.title.clone().filter(|_| state.title().is_none()) {
        state.title = moment.write(state.newest_stamp(), Some(title));
    }
    if let Some(original) = extra.made_from.filter(|_| state.made_from().is_none()) {
        state.made_from = moment.write(state.newest_stamp(), Some(original));
    }
    if let Some(color) = extra.color.filter(|_| state.color().is_none()) {
        state.color = moment.write(state.newest_stamp(), Some(color));
    }
    if let Some(kept) = extra.kept.clone().filter(|_| !state.is_pinned()) {
        let stamp = moment.stamp(state.newest_stamp());
        state.keep(kept, stamp);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::content::Digest;
    use crate::clip::device::DeviceId;
    use crate::clip::id::Class;
    use crate::merge::clip::RepresentationRecord;
    use crate::merge::stamp::HybridClock;

    fn copied(at: Micros) -> Copied {
        Copied {
            id: ClipId::of(Class::Text, &[b"oats"]),
            facts: Facts::of_text("oats", 4, false),
            record: OfferRecord { representations: Vec::new(), ..OfferRecord::default() },
            at,
            at_start: false,
            on_top: true,
            extra: None,
        }
    }

    #[test]
    fn a_copy_made_after_the_clock_was_set_back_still_comes_first() {
        let mut clock = HybridClock::resume(DeviceId([1; 16]), None);
        let mut moment = Moment { now: 5, clock: &mut clock };
        let unknown =
            StoredClip { id: copied(0).id, state: ClipState::default(), facts: None, ordered_at: 0 };
        let clip = capture(unknown.clone(), &copied(5), Some(9_000), &mut moment);
        assert_eq!((clip.ordered_at, clip.state.copied_at()), (9_001, Some(5)));
        let old = Copied { on_top: false, ..copied(3) };
        assert_eq!(capture(unknown, &old, Some(9_000), &mut moment).ordered_at, 3);
    }

    #[test]
    fn what_stood_on_the_clipboard_at_the_start_is_no_new_copy() {
        let mut clock = HybridClock::resume(DeviceId([1; 16]), None);
        let mut moment = Moment { now: 50, clock: &mut clock };
        let unknown =
            StoredClip { id: copied(0).id, state: ClipState::default(), facts: None, ordered_at: 0 };
        let once = capture(unknown, &copied(5), None, &mut moment);
        let again = capture(once.clone(), &Copied { at_start: true, ..copied(50) }, Some(5), &mut moment);
        assert_eq!(again, once);
        let twice = capture(once, &copied(50), Some(5), &mut moment);
        assert_eq!((twice.state.times_copied(), twice.ordered_at), (2, 50));
    }

    #[test]
    fn what_comes_from_elsewhere_brings_its_offers_and_takes_none_away() {
        let mut clock = HybridClock::resume(DeviceId([1; 16]), None);
        let mut moment = Moment { now: 50, clock: &mut clock };
        let of = |mimes: &[&str], n: u8| OfferRecord {
            representations: mimes
                .iter()
                .map(|mime| RepresentationRecord { mime: (*mime).into(), size: 4, digest: Digest([n; 32]) })
                .collect(),
            ..OfferRecord::default()
        };
        let (plain, rich, old) =
            (of(&["text/plain"], 1), of(&["text/plain", "text/html"], 2), of(&["text/rtf"], 3));
        let brought = |record: &OfferRecord, earlier: &[OfferRecord]| Copied {
            record: record.clone(),
            extra: Some(Box::new(Extra { copies: 1, earlier: earlier.to_vec(), ..Extra::default() })),
            ..copied(5)
        };
        let unknown =
            StoredClip { id: copied(0).id, state: ClipState::default(), facts: None, ordered_at: 0 };
        let offers = |clip: &StoredClip| -> Vec<OfferRecord> {
            clip.state.shown_offers().iter().map(|one| one.value.clone()).collect()
        };
        // Onto nothing: the newest is shown, the earlier ones stand behind it.
        let new = capture(unknown.clone(), &brought(&rich, &[plain.clone(), old.clone()]), None, &mut moment);
        assert_eq!(offers(&new), [rich.clone(), plain.clone(), old.clone()]);
        assert_eq!(new.state.times_copied(), 1);
        // The same again changes nothing.
        assert_eq!(capture(new.clone(), &brought(&rich, std::slice::from_ref(&old)), None, &mut moment), new);
        // Onto a plain one: what has more is shown, and nothing is lost.
        let own = capture(unknown, &Copied { record: plain.clone(), ..copied(5) }, None, &mut moment);
        assert_eq!(
            offers(&capture(own.clone(), &brought(&rich, &[]), None, &mut moment)),
            [rich.clone(), plain.clone()]
        );
        assert_eq!(
            offers(&capture(own.clone(), &brought(&old, &[]), None, &mut moment)),
            [plain.clone(), old]
        );
        // A pinned one shows what it was pinned with.
        let mut pinned = own;
        let stamp = moment.stamp(pinned.state.newest_stamp());
        pinned.state.keep(Kept::Favorite("V".into()), stamp);
        assert_eq!(offers(&capture(pinned, &brought(&rich, &[]), None, &mut moment)), [plain, rich]);
    }
}
