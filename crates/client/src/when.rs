//! Moments for people: short, in their zone, and as their locale writes dates (LC_ALL, LC_TIME, LANG; POSIX.1-2017,
//! section 8.2), by the tables of the GNU C library.

use std::sync::OnceLock;

use jiff::tz::TimeZone;
use jiff::{Timestamp, Zoned};
use pure_rust_locales::{Locale, locale_match};

/// How a locale writes dates.
#[derive(Debug, PartialEq, Eq)]
struct Look {
    /// Short names of the months.
    months: [&'static str; 12],
    /// The day comes before the month.
    day_first: bool,
    /// A whole date, as `strftime` writes it.
    date: &'static str,
    /// What is said before and after noon.
    halves: [&'static str; 2],
    /// Twelve hours are counted, twice a day.
    twelve: bool,
}

const MONTHS: [&str; 12] =
    ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/// Without a locale: the day, the month by name, 24 hours.
const PLAIN: Look =
    Look { months: MONTHS, day_first: true, date: "%-d %b %Y", halves: HALVES, twelve: false };
const HALVES: [&str; 2] = ["am", "pm"];

/// How many hours the settings count, where they say so.
static HOURS: OnceLock<u8> = OnceLock::new();

/// From now on hours are counted to 24, or to 12; what the locale says does not count then.
pub(crate) fn count_hours(to: u8) {
    let _ = HOURS.set(to);
}

impl Look {
    /// Of a locale by name, as `de_DE.UTF-8`.
    fn of(name: &str) -> Option<Self> {
        let name = name.split_once('.').map_or_else(
            || name.to_owned(),
            |(name, rest)| match rest.split_once('@') {
                Some((_, variant)) => format!("{name}@{variant}"),
                None => name.to_owned(),
            },
        );
        let locale: Locale = name.parse().ok().filter(|locale| *locale != Locale::POSIX)?;
        let months: &[&'static str] = locale_match!(locale => LC_TIME::ABMON);
        let date: &'static str = locale_match!(locale => LC_TIME::D_FMT);
        let time: &'static str = locale_match!(locale => LC_TIME::T_FMT);
        let halves: &[&'static str] = locale_match!(locale => LC_TIME::AM_PM);
        let both: &'static str = locale_match!(locale => LC_TIME::D_T_FMT);
        // Where dates begin with the year, the order of day and month is that of the longer form.
        let year_first = ["%Y", "%y", "%F", "%E"].iter().any(|letter| date.starts_with(letter));
        let order = if year_first { both } else { date };
        let place = |letters: &[&str]| letters.iter().filter_map(|letter| order.find(letter)).min();
        let day_first = match (place(&["%d", "%e", "%-d"]), place(&["%m", "%b", "%B", "%-m"])) {
            (Some(day), Some(month)) => day < month,
            _ => date != "%D",
        };
        let twelve = ["%r", "%I", "%l"].iter().any(|letter| time.contains(letter));
        Some(Self {
            months: months.try_into().ok()?,
            day_first,
            date: if date == "%D" { "%m/%d/%y" } else { date },
            halves: <[&str; 2]>::try_from(halves).ok().filter(|both| !both[0].is_empty()).unwrap_or(HALVES),
            twelve: twelve && halves.first().is_some_and(|before| !before.is_empty()),
        })
    }

    /// What the environment says.
    fn here() -> &'static Self {
        static HERE: OnceLock<Look> = OnceLock::new();
        HERE.get_or_init(|| {
            let set = |name| std::env::var(name).ok().filter(|value| !value.is_empty());
            let name = ["LC_ALL", "LC_TIME", "LANG"].into_iter().find_map(set);
            let of_locale = name.and_then(|name| Self::of(&name)).unwrap_or(PLAIN);
            of_locale.counting(HOURS.get().copied())
        })
    }

    /// The same with hours to 12 or 24, where that is said.
    fn counting(self, hours: Option<u8>) -> Self {
        Self { twelve: hours.map_or(self.twelve, |to| to == 12), ..self }
    }

    fn time(&self, at: &Zoned) -> String {
        if !self.twelve {
            return at.strftime("%H:%M").to_string();
        }
        let [before, after] = self.halves;
        let half = if at.hour() < 12 { before } else { after };
        format!("{} {half}", at.strftime("%-I:%M"))
    }

    fn moment(&self, at: &Zoned, now: &Zoned) -> String {
        if at.date() == now.date() {
            return self.time(at);
        }
        if at.year() != now.year() {
            return jiff::fmt::strtime::format(self.date, at)
                .unwrap_or_else(|_| at.strftime(PLAIN.date).to_string());
        }
        let month = usize::try_from(at.month() - 1).ok().and_then(|month| self.months.get(month));
        let (day, month) = (at.day(), month.copied().unwrap_or_default().trim());
        let time = self.time(at);
        // Where months are numbered, the day has its sign as well.
        if month.ends_with('月') {
            return format!("{month}{day}日 {time}");
        }
        if self.day_first { format!("{day} {month} {time}") } else { format!("{month} {day} {time}") }
    }
}

/// A moment, short: the time today, the day and the time this year, the date before. Microseconds since the Unix epoch.
pub(crate) fn when(micros: i64, zone: &TimeZone) -> String {
    let Ok(at) = Timestamp::from_microsecond(micros) else { return "?".into() };
    Look::here().moment(&at.to_zoned(zone.clone()), &Timestamp::now().to_zoned(zone.clone()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_are_written_as_the_locale_writes_them() {
        let at = |text: &str| text.parse::<jiff::civil::DateTime>().unwrap().in_tz("UTC").unwrap();
        let now = at("2026-11-28T20:00:00");
        for (name, today, year, before) in [
            ("de_DE.UTF-8", "14:05", "3 Mär 14:05", "03.03.2024"),
            ("en_GB.UTF-8", "14:05", "3 Mar 14:05", "03/03/24"),
            ("en_US.UTF-8", "2:05 PM", "Mar 3 2:05 PM", "03/03/2024"),
            ("ja_JP.UTF-8", "14:05", "3月3日 14:05", "2024年03月03日"),
            ("sv_SE", "14:05", "3 mar 14:05", "2024-03-03"),
            ("C.UTF-8", "14:05", "3 Mar 14:05", "3 Mar 2024"),
            ("nonsense", "14:05", "3 Mar 14:05", "3 Mar 2024"),
        ] {
            let look = Look::of(name).unwrap_or(PLAIN);
            let told = |then: &str| look.moment(&at(then), &now);
            let all = [told("2026-11-28T14:05:00"), told("2026-03-03T14:05:00"), told("2024-03-03T14:05:00")];
            assert_eq!(all, [today, year, before], "{name}");
        }
    }

    #[test]
    fn what_the_settings_say_of_hours_comes_before_the_locale() {
        let at = "2026-11-28T14:05:00".parse::<jiff::civil::DateTime>().unwrap().in_tz("UTC").unwrap();
        for (name, to, wanted) in [
            ("de_DE", 12, "2:05 pm"),
            ("en_US", 24, "14:05"),
            ("en_US", 12, "2:05 PM"),
            ("C.UTF-8", 12, "2:05 pm"),
        ] {
            assert_eq!(Look::of(name).unwrap_or(PLAIN).counting(Some(to)).time(&at), wanted, "{name}");
        }
    }

    #[test]
    fn whatever_the_locale_a_moment_is_written() {
        let now = Timestamp::UNIX_EPOCH.to_zoned(TimeZone::UTC);
        let later = now.clone().checked_add(jiff::Span::new().days(900)).unwrap();
        for name in ["fa_IR", "am_ET", "th_TH", "ar_EG", "hu_HU", "zh_TW", "lt_LT", "eu_ES", "fi_FI", "en_CA"]
        {
            let look = Look::of(name).unwrap();
            for at in [&now, &later] {
                let told = look.moment(at, &now);
                assert!(!told.trim().is_empty() && !told.contains('%'), "{name}: {told}");
            }
        }
    }
}
