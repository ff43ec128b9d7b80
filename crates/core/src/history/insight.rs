//! Insight: how the history is made up, for charts. Days and hours are those of the viewer's zone.

use std::collections::{BTreeMap, HashMap};

use jiff::civil::Date;
use jiff::tz::TimeZone;

use crate::clip::facts::Kind;
use crate::clip::time::{Micros, at};

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
    fn join(&mut self, other: Self) {
        self.clips += other.clips;
        self.bytes += other.bytes;
    }

    fn add(&mut self, clip: &Glance) {
        self.clips += 1;
        self.bytes += clip.size;
    }
}

/// What is looked at of a clip.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Glance {
    /// When it was last copied.
    pub copied_at: Micros,
    /// Bytes of all its representations.
    pub size: u64,
    /// Its kind.
    pub kind: Kind,
    /// The number of the program that it came from.
    pub program: u32,
}

/// Zones change their clocks on quarters of an hour, in microseconds.
const QUARTER: Micros = 15 * 60 * 1_000_000;

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

/// Computes the insight into some clips as of `now`; at most `days` days and `sources` programs. `called` gives the name of a
/// program, where it has one.
pub fn insight<'n>(
    clips: impl Iterator<Item = Glance>,
    called: impl Fn(u32) -> Option<&'n str>,
    now: Micros,
    zone: &TimeZone,
    days: usize,
    sources: usize,
) -> Insight {
    let mut out = Insight::default();
    let mut by_day: BTreeMap<Date, u64> = BTreeMap::new();
    let mut by_source: HashMap<u32, Share> = HashMap::new();
    // Of a million clips most were copied in the same quarter of an hour as the one before, and from the same program.
    let mut quarter: Option<(Micros, Date, usize, u64)> = None;
    let mut source: Option<(u32, Share)> = None;
    for clip in clips {
        let own = clip.copied_at.div_euclid(QUARTER);
        match &mut quarter {
            Some((known, _, hour, count)) if *known == own => {
                *count += 1;
                out.hours[*hour] += 1;
            }
            _ => {
                let when = at(clip.copied_at, zone);
                let hour = usize::try_from(when.hour()).unwrap_or(0);
                out.hours[hour] += 1;
                if let Some((_, day, _, count)) = quarter.replace((own, when.date(), hour, 1)) {
                    *by_day.entry(day).or_default() += count;
                }
            }
        }
        match &mut source {
            Some((known, share)) if *known == clip.program => share.add(&clip),
            _ => {
                let mut share = Share::default();
                share.add(&clip);
                if let Some((program, share)) = source.replace((clip.program, share)) {
                    by_source.entry(program).or_default().join(share);
                }
            }
        }
        let kind = match clip.kind {
            Kind::Text => 0,
            Kind::Link => 1,
            Kind::Image => 2,
            Kind::Files => 3,
        };
        out.kinds[kind].add(&clip);
        let age = (now - clip.copied_at) / 86_400_000_000;
        out.ages[AGES.iter().position(|most| age < *most).unwrap_or(AGES.len())].add(&clip);
        out.all.add(&clip);
    }
    if let Some((_, day, _, count)) = quarter {
        *by_day.entry(day).or_default() += count;
    }
    if let Some((program, share)) = source {
        by_source.entry(program).or_default().join(share);
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
    let named =
        by_source.into_iter().filter_map(|(program, share)| Some((called(program)?.to_owned(), share)));
    out.sources = named.collect();
    out.sources.sort_by(|(a, x), (b, y)| y.clips.cmp(&x.clips).then(a.cmp(b)));
    out.sources.truncate(sources);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::DateTime;
    use proptest::prelude::*;

    fn clip(when: &str, zone: &TimeZone) -> Glance {
        let at =
            when.parse::<DateTime>().unwrap().to_zoned(zone.clone()).unwrap().timestamp().as_microsecond();
        Glance { copied_at: at, size: 10, kind: Kind::Text, program: 1 }
    }

    fn called(program: u32) -> Option<&'static str> {
        [None, Some("Writer"), Some("Mail")].get(program as usize).copied().flatten()
    }

    #[test]
    fn days_and_hours_are_the_viewers_also_when_clocks_change() {
        let berlin = TimeZone::get("Europe/Berlin").unwrap();
        // 25 October 2026 has 25 hours: both half past two lie in it, and in hour 2.
        let clips: Vec<Glance> = [
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
        let found = insight(clips.iter().copied(), called, now.timestamp().as_microsecond(), &berlin, 4, 5);
        let days: Vec<(String, u64)> = found.days.iter().map(|(day, n)| (day.to_string(), *n)).collect();
        let expected = [("2026-10-23", 0), ("2026-10-24", 1), ("2026-10-25", 3), ("2026-10-26", 1)];
        assert_eq!(days, expected.map(|(day, n)| (day.to_owned(), n)));
        assert_eq!((found.hours[0], found.hours[2], found.hours[23]), (2, 1, 2));
        assert_eq!(found.sources, [("Writer".to_owned(), Share { clips: 5, bytes: 50 })]);
        // The same moments in another zone fall on other days.
        let tokyo = TimeZone::get("Asia/Tokyo").unwrap();
        let there = insight(clips.iter().copied(), called, now.timestamp().as_microsecond(), &tokyo, 2, 5);
        assert_eq!(there.days.iter().map(|(_, n)| *n).collect::<Vec<_>>(), [3, 2]);
    }
    proptest! {
        #[test]
        fn the_shares_are_those_of_counting_clip_by_clip(
            clips in proptest::collection::vec((0i64..400_000_000_000, 0u64..90, 0u8..4, 0u32..4), 0..60),
            zone in proptest::sample::select(&["Europe/Berlin", "Asia/Kathmandu", "America/St_Johns"][..]),
        ) {
            let zone = TimeZone::get(zone).unwrap();
            // From before to behind a change of the clocks.
            let start = 1_792_800_000_000_000;
            let now = start + 400_000_000_000;
            let clips: Vec<Glance> = clips
                .into_iter()
                .map(|(after, size, kind, program)| Glance {
                    copied_at: start + after,
                    size,
                    kind: [Kind::Text, Kind::Link, Kind::Image, Kind::Files][usize::from(kind)],
                    program,
                })
                .collect();
            let found = insight(clips.iter().copied(), called, now, &zone, 30, 5);
            let count = |fits: &dyn Fn(&Glance) -> bool| clips.iter().filter(|clip| fits(clip)).count() as u64;
            for (day, clips) in &found.days {
                prop_assert_eq!(*clips, count(&|clip| at(clip.copied_at, &zone).date() == *day));
            }
            for (hour, clips) in (0i8..).zip(found.hours) {
                prop_assert_eq!(clips, count(&|clip| at(clip.copied_at, &zone).hour() == hour));
            }
            for (name, share) in &found.sources {
                prop_assert_eq!(share.clips, count(&|clip| called(clip.program) == Some(name)));
                let own = clips.iter().filter(|clip| called(clip.program) == Some(name));
                prop_assert_eq!(share.bytes, own.map(|clip| clip.size).sum::<u64>());
            }
            prop_assert_eq!(found.kinds.iter().map(|kind| kind.clips).sum::<u64>(), clips.len() as u64);
            prop_assert_eq!(found.ages.iter().map(|age| age.clips).sum::<u64>(), clips.len() as u64);
        }
    }
}
