//! The zone in which times are read and dates are filled in: that of whoever asks, not of the service.

use jiff::tz::TimeZone;

/// The zone's IANA name; its offset now, where it has none.
pub(crate) fn name() -> String {
    let zone = TimeZone::system();
    zone.iana_name().map_or_else(
        || jiff::Timestamp::now().to_zoned(zone.clone()).strftime("%:z").to_string(),
        str::to_owned,
    )
}

/// The same as a parameter of a request, to stand after another one.
pub(crate) fn parameter() -> String {
    format!("&zone={}", crate::connection::escaped(&name()))
}
