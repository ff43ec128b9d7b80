//! The zone in which times are read and dates are filled in: that of whoever asks, not of the service.

use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use jiff::tz::TimeZone;

/// Where the desktop says which zone it is in.
const LOCAL: &str = "/etc/localtime";

/// What stands before the name of a zone in the path of its file.
const DATABASE: &str = "zoneinfo/";

/// The zone of whoever asks. Only its own file is read: to look through the database of all zones takes longer than most
/// calls of the service.
pub(crate) fn here() -> TimeZone {
    static HERE: OnceLock<TimeZone> = OnceLock::new();
    let meant = || {
        let file = file(std::env::var("TZ").ok().as_deref(), || std::fs::read_link(LOCAL).ok())?;
        let name = file.to_str()?.split_once(DATABASE)?.1.to_owned();
        TimeZone::tzif(&name, &std::fs::read(file).ok()?).ok()
    };
    HERE.get_or_init(|| meant().unwrap_or_else(TimeZone::system)).clone()
}

/// The file of the zone that TZ names (tzset(3)), or of the desktop where it is not set; `None` for what is no zone of the
/// database, such as a rule that is written out.
fn file(wanted: Option<&str>, local: impl Fn() -> Option<PathBuf>) -> Option<PathBuf> {
    let Some(wanted) = wanted else {
        // Most often a path from the folder in which the link lies.
        return Some(Path::new(LOCAL).parent()?.join(local()?));
    };
    let name = wanted.strip_prefix(':').unwrap_or(wanted);
    let name = name.split_once(DATABASE).map_or(name, |(_, name)| name);
    // A rule that is written out may hold a slash as well; it has commas.
    let part = |part: &str| !part.is_empty() && part != "." && part != "..";
    let plain = name.contains('/') && !name.contains(',') && name.split('/').all(part);
    plain.then(|| Path::new("/usr/share").join(DATABASE).join(name))
}

/// The zone's IANA name; its offset now, where it has none.
pub(crate) fn name() -> String {
    let zone = here();
    zone.iana_name().map_or_else(
        || jiff::Timestamp::now().to_zoned(zone.clone()).strftime("%:z").to_string(),
        str::to_owned,
    )
}

/// The same as a parameter of a request, to stand after another one.
pub(crate) fn parameter() -> String {
    format!("&zone={}", crate::connection::escaped(&name()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_file_of_a_zone_is_found_by_its_name_and_by_the_desktops_link() {
        let named = |wanted| file(Some(wanted), || None).map(|file| file.to_string_lossy().into_owned());
        for wanted in
            ["Asia/Tokyo", ":Asia/Tokyo", "/usr/share/zoneinfo/Asia/Tokyo", ":/usr/share/zoneinfo/Asia/Tokyo"]
        {
            assert_eq!(named(wanted).as_deref(), Some("/usr/share/zoneinfo/Asia/Tokyo"), "{wanted}");
        }
        // Rules that are written out, nothing, and what leads elsewhere are left to the whole reading.
        for other in ["", "UTC", "JST-9", "CET-1CEST,M3.5.0,M10.5.0/3", "../etc/passwd", "/etc/localtime"] {
            assert_eq!(named(other), None, "{other}");
        }
        let linked = |to: &str| file(None, || Some(PathBuf::from(to)));
        assert_eq!(linked("/usr/share/zoneinfo/Asia/Tokyo"), Some("/usr/share/zoneinfo/Asia/Tokyo".into()));
        assert_eq!(
            linked("../usr/share/zoneinfo/Etc/UTC"),
            Some("/etc/../usr/share/zoneinfo/Etc/UTC".into())
        );
        assert_eq!(file(None, || None), None);
    }

    #[test]
    fn a_zone_is_the_same_as_the_whole_reading_has_it() {
        let (own, whole) = (here(), TimeZone::system());
        assert_eq!(own.iana_name(), whole.iana_name());
        for month in 1..=12 {
            let at = jiff::civil::date(2026, month, 15).at(12, 0, 0, 0);
            assert_eq!(
                at.to_zoned(own.clone()).unwrap().offset(),
                at.to_zoned(whole.clone()).unwrap().offset()
            );
        }
    }
}
