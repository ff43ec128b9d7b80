//! Insight: how the history is made up, for charts. Days and hours are those of the viewer's zone.

use std::collections::BTreeMap;

use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::clip::facts::Kind;
use crate::clip::time::{Micros, at};
use crate::history::stored::Clip;

/// How old a clip is, in days: up to 1, 7, 30, 90, 365, and older.
pub const AGES: [i64; 5] = [1, 7, 30, 90, 365];

/// How much there is of something.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Share {
    /// Clips.
    pub clips: u64,
    /// Bytes of all their representations.
    pub bytes: u64,
}

impl Share {
    fn add(&mut self, clip: &Clip) {
        self.clips += 1;
        self.bytes += clip.facts.size;
    }
}

/// How the history is made up.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Insight {
    /// Clips by the day on which they were last copied, oldest first; days without any are there too.
    pub days: Vec<(Date, u64)>,
    /// Clips by hour of the day.
    pub hours: [u64; 24],
    /// By kind: text, link, image, files.
    pub kinds: [Share; 4],
    /// By program, the most first.
    pub sources: Vec<(String, Share)>,
    /// By age: see [`AGES`].
    pub ages: [Share; 6],
    /// All.
    pub all: Share,
}

/// Computes the insight into some clips as of `now`; at most `days` days and `sources` programs.
pub fn insight<'c>(
    clips: impl Iterator<Item = &'c Clip>,
    now: Micros,
    zone: &TimeZone,
    days: usize,
    sources: usize,
) -> Insight {
    let mut out = Insight::default();
    let mut by_day: BTreeMap<Date, u64> = BTreeMap::new();
    let mut by_source: BTreeMap<&str, Share> = BTreeMap::new();
    for clip in clips {
        let when = at(clip.copied_at(), zone);
        *by_day.entry(when.date()).or_default() += 1;
        out.hours[usize::try_from(when.hour()).unwrap_or(0)] += 1;
        let kind = match clip.facts.kind() {
            Kind::Text => 0,
            Kind::Link => 1,
            Kind::Image => 2,
            Kind::Files => 3,
        };
        out.kinds[kind].add(clip);
        if let Some(program) = clip.state.offer().and_then(|offer| offer.source.program.as_deref()) {
            by_source.entry(program).or_default().add(clip);
        }
        let age = (now - clip.copied_at()) / 86_400_000_000;
        out.ages[AGES.iter().position(|most| age < *most).unwrap_or(AGES.len())].add(clip);
        out.all.add(clip);
    }
    let today = at(now, zone).date();
    let mut day = today;
    for _ in 0..days {
        out.days.push((day, by_day.get(&day).copied().unwrap_or(0)));
        match day.yesterday() {
            Ok(before) => day = before,
            Err(_) => break,
        }
    }
    out.days.reverse();
    out.sources = by_source.into_iter().map(|(name, share)| (name.to_owned(), share)).collect();
    out.sources.sort_by(|(a, x), (b, y)| y.clips.cmp(&x.clips).then(a.cmp(b)));
    out.sources.truncate(sources);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::device::DeviceId;
    use crate::clip::facts::Facts;
    use crate::clip::id::{Class, ClipId};
    use crate::clip::offer::Source;
    use crate::history::stored::Held;
    use crate::merge::clip::{ClipState, OfferRecord};
    use crate::merge::stamp::Stamp;
    use jiff::civil::DateTime;

    fn clip(when: &str, zone: &TimeZone) -> Clip {
        let at =
            when.parse::<DateTime>().unwrap().to_zoned(zone.clone()).unwrap().timestamp().as_microsecond();
        let mut state = ClipState::default();
        let source = Source { program: Some("Writer".into()), ..Source::default() };
        let stamp = Stamp { wall_ms: 1, counter: 0, device: DeviceId([1; 16]) };
        state.capture(
            OfferRecord { representations: Vec::new(), source, ..OfferRecord::default() },
            at,
            stamp,
        );
        let id = ClipId::of(Class::Text, &[when.as_bytes()]);
        Clip { id, state, facts: Facts::of_text(when, 10, false), ordered_at: at, held: Held::Recorded }
    }

    #[test]
    fn days_and_hours_are_the_viewers_also_when_clocks_change() {
        let berlin = TimeZone::get("Europe/Berlin").unwrap();
        // 25 October 2026 has 25 hours: both half past two lie in it, and in hour 2.
        let clips: Vec<Clip> = [
            "2026-10-24T23:59:00",
            "2026-10-25T00:00:00",
            "2026-10-25T02:30:00",
            "2026-10-25T23:59:00",
            "2026-10-26T00:00:00",
        ]
        .iter()
        .map(|when| clip(when, &berlin))
        .collect();
        let now = "2026-10-26T12:00:00".parse::<DateTime>().unwrap().to_zoned(berlin.clone()).unwrap();
        let found = insight(clips.iter(), now.timestamp().as_microsecond(), &berlin, 4, 5);
        let days: Vec<(String, u64)> = found.days.iter().map(|(day, n)| (day.to_string(), *n)).collect();
        let expected = [("2026-10-23", 0), ("2026-10-24", 1), ("2026-10-25", 3), ("2026-10-26", 1)];
        assert_eq!(days, expected.map(|(day, n)| (day.to_owned(), n)));
        assert_eq!((found.hours[0], found.hours[2], found.hours[23]), (2, 1, 2));
        assert_eq!(found.sources, [("Writer".to_owned(), Share { clips: 5, bytes: 50 })]);
        // The same moments in another zone fall on other days.
        let tokyo = TimeZone::get("Asia/Tokyo").unwrap();
        let there = insight(clips.iter(), now.timestamp().as_microsecond(), &tokyo, 2, 5);
        assert_eq!(there.days.iter().map(|(_, n)| *n).collect::<Vec<_>>(), [3, 2]);
    }
}
