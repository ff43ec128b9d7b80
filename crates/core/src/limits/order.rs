//! Standing orders: clearings that happen by themselves on an occasion, on this device only.

use jiff::civil::Time;
use jiff::tz::TimeZone;
use jiff::{Timestamp, ToSpan};
use serde::{Deserialize, Serialize};

use crate::clip::time::Micros;
use crate::limits::scope::Scope;

/// Orders at most.
pub const MOST_ORDERS: usize = 50;
/// What an occasion may be.
pub const EXPECTED: &str =
    "start, stop (at logout, shutdown, or when the service ends), lock, daily 18:30, or after 2h";

/// When an order acts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Occasion {
    /// When the service starts.
    Start,
    /// When it ends: at logout or shutdown.
    Stop,
    /// When the session is locked.
    Lock,
    /// At a time of day.
    Daily(Time),
    /// So long after each copy.
    After(Micros),
}

/// A standing order as it is written.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Order {
    /// What a person calls it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The occasion in words.
    pub on: String,
    /// What it clears.
    #[serde(default)]
    pub clear: Scope,
    /// The live clipboard as well.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub live: bool,
    /// Without a grace period: it can't be taken back.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub now: bool,
}

/// Why an order can't be one.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum OrderError {
    /// Not an occasion.
    #[error("order {0}: `on` is `{1}`; it must be one of {EXPECTED}")]
    Occasion(usize, String),
    /// Not a span.
    #[error("order {0}: `on` is `{1}`; the time after the copy must be between a minute and ten years")]
    Span(usize, String),
    /// A moment that the occasion leaves no room for.
    #[error("order {0}: `clear.since` is a fixed moment and makes no sense in an order; leave it away")]
    Since(usize),
    /// A search can't be asked each minute.
    #[error(
        "order {0}: an order `after` a time goes by kind, program or secrets, not by a search or favorites"
    )]
    After(usize),
    /// Too many.
    #[error("there are {0} orders; {MOST_ORDERS} are the most")]
    TooMany(usize),
}

/// Reads a span such as `90s`, `10m`, `2h`, `7d`.
pub fn span(text: &str) -> Option<Micros> {
    let text = text.trim();
    let at = text.find(|c: char| !c.is_ascii_digit())?;
    let number: Micros = text[..at].parse().ok()?;
    let unit: Micros = match text[at..].trim() {
        "s" => 1,
        "m" | "min" => 60,
        "h" => 3_600,
        "d" => 86_400,
        "w" => 7 * 86_400,
        _ => return None,
    };
    number.checked_mul(unit)?.checked_mul(1_000_000)
}

impl Occasion {
    /// Reads an occasion of the `n`th order (from 1).
    ///
    /// # Errors
    /// Says what it may be.
    pub fn read(n: usize, text: &str) -> Result<Self, OrderError> {
        let unknown = || OrderError::Occasion(n, text.to_owned());
        let mut words = text.split_whitespace();
        let occasion = match (words.next().unwrap_or_default(), words.next()) {
            ("start", None) => Self::Start,
            ("stop", None) => Self::Stop,
            ("lock", None) => Self::Lock,
            ("daily", Some(time)) => {
                let read = time.split_once(':').and_then(|(hour, minute)| {
                    Time::new(hour.parse().ok()?, minute.parse().ok()?, 0, 0).ok()
                });
                Self::Daily(read.ok_or_else(unknown)?)
            }
            ("after", Some(_)) => {
                let after = span(text.split_once("after").map_or("", |(_, rest)| rest));
                let most = 3_653 * 86_400 * 1_000_000;
                let wrong = || OrderError::Span(n, text.to_owned());
                return after
                    .filter(|after| (60_000_000..=most).contains(after))
                    .map(Self::After)
                    .ok_or_else(wrong);
            }
            _ => return Err(unknown()),
        };
        if words.next().is_some() { Err(unknown()) } else { Ok(occasion) }
    }

    /// When it next comes by the clock; `None` for what does not come by the clock.
    pub fn next(self, now: Micros, zone: &TimeZone) -> Option<Micros> {
        let Self::Daily(time) = self else { return None };
        let here = Timestamp::from_microsecond(now).ok()?.to_zoned(zone.clone());
        (0..3_i64).find_map(|days| {
            let date = here.date().checked_add(days.days()).ok()?;
            // A time that a change of clocks skips comes as soon as it can.
            let at = date.to_datetime(time).to_zoned(zone.clone()).ok()?.timestamp().as_microsecond();
            (at > now).then_some(at)
        })
    }
}

/// Checks orders, and gives their occasions.
///
/// # Errors
/// Says which can't be, and why.
pub fn check(orders: &[Order]) -> Result<Vec<Occasion>, OrderError> {
    if orders.len() > MOST_ORDERS {
        return Err(OrderError::TooMany(orders.len()));
    }
    let one = |(n, order): (usize, &Order)| {
        let occasion = Occasion::read(n + 1, &order.on)?;
        if order.clear.since.is_some() {
            return Err(OrderError::Since(n + 1));
        }
        let clear = &order.clear;
        if matches!(occasion, Occasion::After(_)) && (clear.query.is_some() || clear.favorites) {
            return Err(OrderError::After(n + 1));
        }
        Ok(occasion)
    };
    orders.iter().enumerate().map(one).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn occasions_are_read_and_what_is_none_is_named_with_what_may_be() {
        let read = |text| Occasion::read(1, text);
        assert_eq!(read("start"), Ok(Occasion::Start));
        assert_eq!(read("after 2h"), Ok(Occasion::After(7_200_000_000)));
        assert_eq!(read("after 30 min"), Ok(Occasion::After(1_800_000_000)));
        assert_eq!(read("daily 18:30"), Ok(Occasion::Daily(Time::constant(18, 30, 0, 0))));
        for text in
            ["daily 25:00", "daily 18:60", "daily -1:00", "daily", "", "noon", "lock now", "daily 1:00 2:00"]
        {
            let why = read(text).unwrap_err().to_string();
            assert!(why.contains("daily 18:30") && why.contains("order 1"), "{text}: {why}");
        }
        for text in [
            "after 0m",
            "after 99999999999999999999d",
            "after 1s",
            "after soon",
            "after 9223372036854775807w",
        ] {
            assert!(read(text).unwrap_err().to_string().contains("between a minute"), "{text}");
        }
    }

    #[test]
    fn a_time_of_day_comes_each_day_once_also_when_clocks_are_changed() {
        let zone = TimeZone::get("Europe/Oslo").unwrap();
        let at = |text: &str| {
            let civil: jiff::civil::DateTime = text.parse().unwrap();
            civil.to_zoned(zone.clone()).unwrap().timestamp().as_microsecond()
        };
        let half_past_two = Occasion::read(1, "daily 02:30").unwrap();
        // The clocks skip that time on 28 March 2027: it comes an hour later by the clock on the wall.
        let next = half_past_two.next(at("2027-03-28T00:00"), &zone).unwrap();
        assert_eq!(next, at("2027-03-28T03:30"));
        assert_eq!(half_past_two.next(next, &zone), Some(at("2027-03-29T02:30")));
        assert_eq!(half_past_two.next(at("2027-06-01T02:30"), &zone), Some(at("2027-06-02T02:30")));
        assert_eq!(Occasion::Lock.next(0, &zone), None);
    }

    #[test]
    fn orders_that_make_no_sense_are_named() {
        let order = |on: &str, clear| Order { name: None, on: on.into(), clear, live: false, now: false };
        assert!(check(&[order("start", Scope::default())]).is_ok());
        let since = Scope { since: Some(1), ..Scope::default() };
        assert!(check(&[order("start", since)]).unwrap_err().to_string().contains("since"));
        let query = Scope { query: Some("a".into()), ..Scope::default() };
        assert!(check(&[order("after 1h", query)]).unwrap_err().to_string().contains("search"));
        let many = vec![order("start", Scope::default()); MOST_ORDERS + 1];
        assert!(check(&many).unwrap_err().to_string().contains("the most"));
    }
}
