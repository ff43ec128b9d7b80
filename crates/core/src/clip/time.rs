//! Moments: microseconds since the Unix epoch, UTC, shown in the viewer's zone.

use jiff::tz::TimeZone;
use jiff::{Timestamp, Zoned};

/// Microseconds since the Unix epoch, UTC.
pub type Micros = i64;

/// A moment in a zone.
pub fn at(micros: Micros, zone: &TimeZone) -> Zoned {
    Timestamp::from_microsecond(micros).unwrap_or_default().to_zoned(zone.clone())
}
