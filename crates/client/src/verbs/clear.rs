//! `yadori clear`: many clips go by a scope. It says what will go, asks once, and can be taken back for a while.

use std::io::Write;

use clap::Args;
use jiff::Timestamp;
use jiff::civil::DateTime;
use yadori_api::{Clear as Wanted, ClearPlan, Cleared, DatabaseState, Scope, Status};

use super::json;
use super::list::{pointed, print};
use super::pause::minutes;
use super::scope::Meant;
use crate::asking::{SOON, confirmed, with_progress};
use crate::connection::Connection;
use crate::failure::Failure;
use crate::table::{count_of, size};
use yadori_words::{said, word};

/// How often the service may not answer while it rebuilds: an hour.
const AWAY: u32 = 4 * 3_600;

/// Clear the history: whatever is no favorite, or what is said
///
/// What is said together must all hold. Favorites stay unless --favorites names them. It says first what will go, and
/// asks; `yadori undo` brings everything back until the grace period ends.
#[derive(Debug, Args)]
pub(crate) struct Clear {
    /// Only what was copied in this time, such as 10m, 2h or 1d
    #[arg(long, value_name = "TIME", value_parser = minutes, conflicts_with = "since")]
    last: Option<f64>,
    /// Only what was copied since, such as 14:30, 2026-11-27 or 2026-11-27T14:30
    #[arg(long, value_name = "WHEN", value_parser = moment)]
    since: Option<i64>,
    #[command(flatten)]
    what: Meant,
    /// Without a grace period; the private database is rebuilt from what remains, and its old files are removed
    #[arg(long)]
    shred: bool,
    /// Only show what would go
    #[arg(long)]
    dry_run: bool,
    /// Do not ask
    #[arg(short, long)]
    yes: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

/// Not a moment.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
#[error("{}", said!("`{text}` is no moment of the past; write 14:30, 2026-11-27 or 2026-11-27T14:30", text = _0))]
pub(crate) struct NoMoment(String);

/// A moment in this computer's zone: microseconds since the Unix epoch.
fn moment(text: &str) -> Result<i64, NoMoment> {
    let wrong = || NoMoment(text.to_owned());
    let zone = crate::zone::here();
    let now = Timestamp::now().to_zoned(zone.clone());
    let civil = match text.split_once(':') {
        Some((hour, minute)) if !text.contains('-') => {
            let (hour, minute) = (hour.parse().map_err(|_| wrong())?, minute.parse().map_err(|_| wrong())?);
            let time = jiff::civil::Time::new(hour, minute, 0, 0).map_err(|_| wrong())?;
            now.date().to_datetime(time)
        }
        _ => text
            .parse::<DateTime>()
            .or_else(|_| {
                text.parse::<jiff::civil::Date>().map(|date| date.to_datetime(jiff::civil::Time::midnight()))
            })
            .map_err(|_| wrong())?,
    };
    let at = civil.to_zoned(zone).map_err(|_| wrong())?.timestamp().as_microsecond();
    if at > now.timestamp().as_microsecond() { Err(wrong()) } else { Ok(at) }
}

impl Clear {
    fn wanted(&self) -> Wanted {
        #[allow(clippy::cast_possible_truncation)]
        let ago = self.last.map(|minutes| Timestamp::now().as_microsecond() - (minutes * 60e6) as i64);
        Wanted {
            scope: Scope { since: self.since.or(ago), ..self.what.scope() },
            upto: None,
            now: self.what.now || self.shred,
            live: self.what.live,
            zone: Some(crate::zone::name()),
        }
    }

    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let wanted = self.wanted();
        let query = self.what.query.as_deref().unwrap_or_default();
        let plan: ClearPlan = service.post("/clear/plan", &wanted).map_err(|why| pointed(why, query))?;
        if self.dry_run {
            if self.json {
                return json(out, &plan);
            }
            show(out, &plan)?;
            return Ok(writeln!(out, "{}", said!("Nothing was done."))?);
        }
        if plan.clips == 0 && !self.what.live {
            let spared = match plan.spared {
                0 => String::new(),
                some => said!(
                    " {some} would be meant and stay; --favorites takes them too.",
                    some = favorites(some)
                ),
            };
            return Err(Failure::Use(said!("there is nothing to clear.{spared}", spared = spared)));
        }
        if !self.yes {
            show(out, &plan)?;
            out.flush()?;
            let grace = match plan.grace_seconds.div_ceil(60) {
                _ if self.what.now || self.shred => said!("This can't be taken back"),
                minutes => said!("`yadori undo` takes it back for {minutes} minutes", minutes = minutes),
            };
            if !confirmed(&said!(
                "Clear {clip}? {grace}.",
                clip = count_of(plan.clips, "clip"),
                grace = grace
            ))? {
                return Err(Failure::Cancelled(said!("nothing was done")));
            }
        }
        let wanted = Wanted { upto: Some(plan.upto), ..wanted };
        let cleared: Cleared = with_progress(service, || service.post("/clear", &wanted))?;
        if self.shred {
            rebuild(service)?;
        }
        if self.json {
            return json(out, &cleared);
        }
        let live = if cleared.live { word!(" The live clipboard is empty.") } else { "" };
        let back = match cleared.grace_seconds.div_ceil(60) {
            0 => String::new(),
            minutes => said!(" `yadori undo` takes that back, for {minutes} minutes.", minutes = minutes),
        };
        let rebuilt =
            if self.shred { word!(" The records were rebuilt, and the old files removed.") } else { "" };
        Ok(writeln!(
            out,
            "{}",
            said!(
                "Cleared {clip}.{live}{back}{rebuilt}",
                clip = count_of(cleared.clips, "clip"),
                live = live,
                back = back,
                rebuilt = rebuilt
            )
        )?)
    }
}

/// Rebuilds the records, and waits until the service answers with them.
fn rebuild(service: &Connection) -> Result<(), Failure> {
    let before: Status = service.get("/status")?;
    service.post_nothing("/rebuild")?;
    let mut away = 0;
    loop {
        std::thread::sleep(SOON / 4);
        match service.get::<Status>("/status") {
            Ok(Status { database, started_at, .. })
                if started_at != before.started_at && database.state == DatabaseState::Ready =>
            {
                return Ok(());
            }
            Ok(_) => away = 0,
            // While it copies it does not answer; a home that nobody holds any more has no service to wait for.
            Err(why) => {
                away += 1;
                if away > AWAY {
                    return Err(why);
                }
            }
        }
    }
}

fn favorites(count: u64) -> String {
    count_of(count, "favorite")
}

/// What would go: how many, how large, and some of them.
fn show(out: &mut dyn Write, plan: &ClearPlan) -> Result<(), Failure> {
    print(out, &plan.sample)?;
    let shown = plan.sample.len() as u64;
    if plan.clips > shown && shown > 0 {
        writeln!(out, "{}", said!("… and {clips} more", clips = plan.clips - shown))?;
    }
    let spared = match plan.spared {
        0 => String::new(),
        some => said!("; {some} of the kind stay", some = favorites(some)),
    };
    Ok(writeln!(out, "{}: {}, {}{spared}.", plan.words, count_of(plan.clips, "clip"), size(plan.bytes))?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_are_times_of_today_or_dates_and_never_to_come() {
        let zone = crate::zone::here();
        let at = |text: &str| {
            moment(text).map(|at| Timestamp::from_microsecond(at).unwrap().to_zoned(zone.clone()))
        };
        assert_eq!(at("2026-11-20").unwrap().date().to_string(), "2026-11-20");
        assert_eq!(at("2026-11-20T14:30").unwrap().time().to_string(), "14:30:00");
        assert_eq!(at("00:00").unwrap().time(), jiff::civil::Time::midnight());
        for text in ["", "soon", "25:00", "12:61", "2026-13-01", "2999-01-01", "-1", "9999999999999"] {
            assert!(moment(text).is_err(), "{text}");
        }
    }
}
