//! Moments as a person names them in a query: `2d`, `today`, `monday`, `14:30`, `2026-11`, `2026-11-01`,
//! `2026-11-01T14:30`; read in the viewer's zone, so that days begin at their midnight also when clocks change. One that names
//! its own zone (`2026-11-01T14:30Z`, `…+09:00`; RFC 3339) is read in that.

use jiff::civil::{Date, DateTime, Time, Weekday};
use jiff::tz::TimeZone;
use jiff::{Span, Timestamp, ToSpan, Zoned};

use crate::clip::time::{Micros, at};

/// What was expected where a moment stands.
pub const EXPECTED: &str =
    "a time such as 2d, 3h, today, monday, 14:30, 2026-11, 2026-11-01 or 2026-11-01T14:30Z";

/// Now, and where.
#[derive(Clone, Debug)]
pub struct Here {
    /// Now.
    pub now: Micros,
    /// The viewer's zone.
    pub zone: TimeZone,
}

impl Here {
    /// Now, with its zone.
    pub fn zoned(&self) -> Zoned {
        at(self.now, &self.zone)
    }
}

/// Reads a moment. `None` when it is none.
pub fn read(text: &str, here: &Here) -> Option<Micros> {
    let text = text.trim().to_ascii_lowercase();
    let now = here.zoned();
    let micros = |zoned: Zoned| zoned.timestamp().as_microsecond();
    let start = |date: Date| date.to_zoned(here.zone.clone()).ok().map(micros);
    let today = now.date();
    match text.as_str() {
        "now" => return Some(here.now),
        "today" => return start(today),
        "yesterday" => return start(today.yesterday().ok()?),
        _ => {}
    }
    if let Some(span) = ago(&text) {
        return now.checked_sub(span).ok().map(micros);
    }
    if let Some(weekday) = weekday(&text) {
        let back = today.weekday().since(weekday);
        return start(today.checked_sub(i64::from(back).days()).ok()?);
    }
    if let Some(time) = clock(&text) {
        // The last one that has been.
        let on = |date: Date| date.to_datetime(time).to_zoned(here.zone.clone()).ok().map(micros);
        return on(today).filter(|at| *at <= here.now).or_else(|| on(today.yesterday().ok()?));
    }
    if let Ok(moment) = text.to_ascii_uppercase().parse::<Timestamp>() {
        return Some(moment.as_microsecond());
    }
    if text.contains('+') || text.ends_with('z') {
        // A zone that can't be read is not left out.
        return None;
    }
    if let Ok(moment) =
        text.to_ascii_uppercase().parse::<DateTime>().or_else(|_| text.replace('t', " ").parse())
        && (text.contains('t') || text.contains(' '))
    {
        return moment.to_zoned(here.zone.clone()).ok().map(micros);
    }
    let parts: Vec<&str> = text.split('-').collect();
    let number = |n: usize, digits: usize| -> Option<i16> {
        let part = parts.get(n)?;
        (part.len() == digits && part.bytes().all(|byte| byte.is_ascii_digit())).then(|| part.parse().ok())?
    };
    let date = match parts.len() {
        1 => Date::new(number(0, 4)?, 1, 1),
        2 => Date::new(number(0, 4)?, i8::try_from(number(1, 2)?).ok()?, 1),
        3 => Date::new(number(0, 4)?, i8::try_from(number(1, 2)?).ok()?, i8::try_from(number(2, 2)?).ok()?),
        _ => return None,
    };
    start(date.ok()?)
}

fn ago(text: &str) -> Option<Span> {
    let end = text.find(|c: char| !c.is_ascii_digit())?;
    let n: i64 = text[..end].parse().ok().filter(|n| *n <= 100_000)?;
    match &text[end..] {
        "m" | "min" => Span::new().try_minutes(n).ok(),
        "h" => Span::new().try_hours(n).ok(),
        "d" => Span::new().try_days(n).ok(),
        "w" => Span::new().try_weeks(n).ok(),
        "mo" => Span::new().try_months(n).ok(),
        "y" => Span::new().try_years(n).ok(),
        _ => None,
    }
}

fn weekday(text: &str) -> Option<Weekday> {
    Some(match text {
        "monday" => Weekday::Monday,
        "tuesday" => Weekday::Tuesday,
        "wednesday" => Weekday::Wednesday,
        "thursday" => Weekday::Thursday,
        "friday" => Weekday::Friday,
        "saturday" => Weekday::Saturday,
        "sunday" => Weekday::Sunday,
        _ => return None,
    })
}

fn clock(text: &str) -> Option<Time> {
    let (hour, minute) = text.split_once(':')?;
    Time::new(hour.parse().ok()?, minute.parse().ok()?, 0, 0).ok()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn here(now: &str, zone: &str) -> Here {
        let zone = TimeZone::get(zone).unwrap();
        let now = now.parse::<DateTime>().unwrap().to_zoned(zone.clone()).unwrap();
        Here { now: now.timestamp().as_microsecond(), zone }
    }

    fn told(text: &str, here: &Here) -> Option<String> {
        read(text, here).map(|micros| at(micros, &here.zone).strftime("%Y-%m-%d %H:%M %z").to_string())
    }

    #[test]
    fn moments_are_read_in_the_viewers_zone() {
        let berlin = here("2026-11-23T10:41:00", "Europe/Berlin");
        for (text, expected) in [
            ("2d", "2026-11-21 10:41 +0100"),
            ("3h", "2026-11-23 07:41 +0100"),
            ("45m", "2026-11-23 09:56 +0100"),
            ("2w", "2026-11-09 10:41 +0100"),
            ("1mo", "2026-10-23 10:41 +0200"),
            ("today", "2026-11-23 00:00 +0100"),
            ("yesterday", "2026-11-22 00:00 +0100"),
            ("monday", "2026-11-23 00:00 +0100"),
            ("Sunday", "2026-11-22 00:00 +0100"),
            ("08:15", "2026-11-23 08:15 +0100"),
            ("2026", "2026-01-01 00:00 +0100"),
            ("2026-07", "2026-07-01 00:00 +0200"),
            ("2026-11-01", "2026-11-01 00:00 +0100"),
            ("2026-11-01t14:30", "2026-11-01 14:30 +0100"),
            ("2026-11-01 14:30", "2026-11-01 14:30 +0100"),
            ("2026-11-10T09:30+09:00", "2026-11-10 01:30 +0100"),
            ("2026-11-10t09:30z", "2026-11-10 10:30 +0100"),
            ("2026-11-10T09:30:15.250Z", "2026-11-10 10:30 +0100"),
            ("2026-11-10T09:30-08:00", "2026-11-10 18:30 +0100"),
            ("14:30", "2026-11-22 14:30 +0100"),
            ("10:41", "2026-11-23 10:41 +0100"),
        ] {
            assert_eq!(told(text, &berlin).as_deref(), Some(expected), "{text}");
        }
        for text in [
            "",
            "2x",
            "d",
            "2026-13",
            "2026-02-30",
            "25:00",
            "soon",
            "999999999999d",
            "-1d",
            "1-1-1",
            "2026-11-10T09:30+99:00",
            "2026-11-10T09:30+9",
            "2026-11-10Z",
            "2026-11-10T09:30+09:00x",
        ] {
            assert_eq!(told(text, &berlin), None, "{text}");
        }
    }

    #[test]
    fn days_are_calendar_days_when_clocks_change() {
        // Clocks went back on 25 October 2026 in Berlin: that day had 25 hours.
        let monday = here("2026-10-26T09:00:00", "Europe/Berlin");
        assert_eq!(told("1d", &monday).as_deref(), Some("2026-10-25 09:00 +0100"));
        assert_eq!(told("2d", &monday).as_deref(), Some("2026-10-24 09:00 +0200"));
        assert_eq!(told("24h", &monday).as_deref(), Some("2026-10-25 09:00 +0100"));
        assert_eq!(told("36h", &monday).as_deref(), Some("2026-10-24 22:00 +0200"));
        assert_eq!(told("yesterday", &monday).as_deref(), Some("2026-10-25 00:00 +0200"));
        // In Santiago clocks go forward at midnight: the day begins at one.
        let santiago = here("2026-09-06T12:00:00", "America/Santiago");
        assert_eq!(told("today", &santiago).as_deref(), Some("2026-09-06 01:00 -0300"));
        assert_eq!(told("2026-09-06", &santiago).as_deref(), Some("2026-09-06 01:00 -0300"));
    }
}
