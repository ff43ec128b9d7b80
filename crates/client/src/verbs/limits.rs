//! `yadori limits`: how much is kept and for how long, what that removes, and why a clip is going.

use std::collections::BTreeMap;
use std::io::Write;

use clap::{Args, Subcommand};
use serde_json::Value;
use yadori_api::limits::{Limit, Limits as Held};
use yadori_api::{AllSettings, ChangeSettings, LimitsPlan, Obeyed, Outlook, TryLimits};

use super::json;
use super::list::print;
use super::settings::value_of;
use crate::asking::{confirmed, with_progress};
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::table::{count_of, size};
use crate::when::when;
use yadori_words::{said, word};

/// Show, change and obey the limits: how many clips, how old, how large
#[derive(Debug, Args)]
pub(crate) struct Limits {
    #[command(subcommand)]
    what: Option<What>,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Debug, Subcommand)]
enum What {
    /// Change limits, such as clips=500 days=30 bytes="1 GB" one="10 MB" kinds.image.days=7; `off` switches one off
    ///
    /// It says first what would go, and asks when something would.
    Set {
        /// NAME=VALUE
        #[arg(required = true, value_name = "NAME=VALUE")]
        limits: Vec<String>,
        /// Only show what would go
        #[arg(long)]
        dry_run: bool,
        /// Do not ask
        #[arg(short, long)]
        yes: bool,
    },
    /// Say when and why a clip will go
    Why {
        /// Which clip
        clip: String,
    },
    /// Obey the limits now, also where that waits for you
    Obey {
        /// Do not ask
        #[arg(short, long)]
        yes: bool,
    },
}

/// Changes of settings, as they are written: inner ones become part of the table they are in.
fn changes(service: &Connection, limits: &[String]) -> Result<BTreeMap<String, Value>, Failure> {
    let mut changes: BTreeMap<String, Value> = BTreeMap::new();
    for one in limits {
        let Some((name, text)) = one.split_once('=') else {
            return Err(Failure::Use(said!("`{one}` is no NAME=VALUE, such as clips=500", one = one)));
        };
        let name = name.trim().trim_start_matches("limits.");
        let parts: Vec<&str> = name.splitn(3, '.').collect();
        match parts[..] {
            [table @ ("kinds" | "programs"), of] | [table @ ("kinds" | "programs"), of, _] => {
                let key = format!("limits.{table}");
                let known = match changes.get(&key) {
                    Some(known) => known.clone(),
                    None => set_now(service, &key)?,
                };
                let mut all = known.as_object().cloned().unwrap_or_default();
                let entry = all.entry(of.to_owned()).or_insert_with(|| serde_json::json!({}));
                match (parts.get(2), entry.as_object_mut()) {
                    (Some(limit), Some(entry)) if text != "off" => {
                        entry.insert((*limit).to_owned(), value_of(text));
                    }
                    (Some(limit), Some(entry)) => drop(entry.remove(*limit)),
                    _ if text == "off" => drop(all.remove(of)),
                    _ => {
                        return Err(Failure::Use(said!(
                            "`{one}` says not which limit, such as {name}.days=7",
                            one = one,
                            name = name
                        )));
                    }
                }
                changes.insert(key, Value::Object(all));
            }
            _ => drop(changes.insert(format!("limits.{name}"), value_of(text))),
        }
    }
    Ok(changes)
}

fn set_now(service: &Connection, name: &str) -> Result<Value, Failure> {
    let all: AllSettings = service.get("/settings")?;
    Ok(all.settings.into_iter().find(|one| one.name == name).map(|one| one.value).unwrap_or_default())
}

impl Limits {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        match &self.what {
            None => {
                let plan: LimitsPlan = service.post("/limits/plan", &TryLimits::default())?;
                if self.json {
                    return json(out, &plan);
                }
                show(out, &plan)
            }
            Some(What::Set { limits, dry_run, yes }) => self.set(service, out, limits, *dry_run, *yes),
            Some(What::Why { clip }) => {
                let outlook: Outlook = service.get(&format!("/clips/{}/outlook", escaped(clip)))?;
                if self.json {
                    return json(out, &outlook);
                }
                let at = outlook.at.map(|at| format!(" ({})", when(at, &crate::zone::here())));
                let at = at.unwrap_or_default();
                Ok(writeln!(out, "{}", said!("{why}{at}.", why = outlook.words, at = at))?)
            }
            Some(What::Obey { yes }) => {
                let plan: LimitsPlan = service.post("/limits/plan", &TryLimits::default())?;
                if plan.goes.clips > 0 && !yes {
                    show(out, &plan)?;
                    out.flush()?;
                    if !confirmed(&said!("Let {clip} go?", clip = count_of(plan.goes.clips, "clip")))? {
                        return Err(Failure::Cancelled(said!("nothing was done")));
                    }
                }
                let obeyed: Obeyed =
                    with_progress(service, || service.post("/limits/obey", &serde_json::json!({})))?;
                if self.json {
                    return json(out, &obeyed);
                }
                Ok(writeln!(out, "{}", said!("{clip} went.", clip = count_of(obeyed.clips, "clip")))?)
            }
        }
    }

    fn set(
        &self,
        service: &Connection,
        out: &mut dyn Write,
        limits: &[String],
        dry_run: bool,
        yes: bool,
    ) -> Result<(), Failure> {
        let changes = changes(service, limits)?;
        let plan: LimitsPlan = service.post("/limits/plan", &TryLimits { changes: changes.clone() })?;
        if self.json && dry_run {
            return json(out, &plan);
        }
        if !self.json {
            show(out, &plan)?;
        }
        if dry_run {
            return Ok(writeln!(out, "{}", said!("Nothing was changed."))?);
        }
        if plan.goes.clips > 0 && !yes {
            out.flush()?;
            let question = said!("Set this, and let {clip} go?", clip = count_of(plan.goes.clips, "clip"));
            if !confirmed(&question)? {
                return Err(Failure::Cancelled(said!("nothing was changed")));
            }
        }
        let _: AllSettings = service.patch("/settings", &ChangeSettings { changes })?;
        let obeyed: Obeyed = with_progress(service, || service.post("/limits/obey", &serde_json::json!({})))?;
        // The service may have obeyed them by itself by now: then they are gone as well.
        let obeyed = if obeyed.clips == 0 { Obeyed { clips: plan.goes.clips } } else { obeyed };
        if self.json {
            return json(out, &obeyed);
        }
        let back =
            if obeyed.clips > 50 { word!(" `yadori undo` brings them back, for a while.") } else { "" };
        Ok(writeln!(
            out,
            "{}",
            said!("Set; {clip} went.{back}", clip = count_of(obeyed.clips, "clip"), back = back)
        )?)
    }
}

/// A limit in words; nothing where there is none.
fn words(limit: &Limit) -> String {
    let parts = [
        limit.clips.map(|clips| count_of(clips, "clip")),
        limit.days.map(|days| said!("{days} days", days = days)),
        limit.bytes.map(size),
    ];
    let parts: Vec<String> = parts.into_iter().flatten().collect();
    if parts.is_empty() { said!("no limit") } else { parts.join(", ") }
}

fn held(out: &mut dyn Write, limits: &Held) -> Result<(), Failure> {
    let all = Limit { clips: limits.clips, days: limits.days, bytes: limits.bytes };
    writeln!(
        out,
        "{}",
        said!("At most    {all}; one clip {one}", all = words(&all), one = size(limits.one))
    )?;
    for (kind, limit) in &limits.kinds {
        writeln!(out, "           {}: {}", crate::table::kind(*kind), words(limit))?;
    }
    for (program, limit) in &limits.programs {
        writeln!(
            out,
            "{}",
            said!(
                "           from {program}: {limit}",
                program = crate::symbols::line(program),
                limit = words(limit)
            )
        )?;
    }
    Ok(())
}

fn show(out: &mut dyn Write, plan: &LimitsPlan) -> Result<(), Failure> {
    held(out, &plan.limits)?;
    writeln!(
        out,
        "{}",
        said!(
            "There are  {clip}, {bytes}; beside them {favorite}, {kept}, beyond all limits",
            clip = count_of(plan.counted.clips, "clip"),
            bytes = size(plan.counted.bytes),
            favorite = count_of(plan.kept.clips, "favorite"),
            kept = size(plan.kept.bytes)
        )
    )?;
    if plan.goes.clips == 0 {
        return Ok(writeln!(out, "{}", said!("Nothing would go."))?);
    }
    writeln!(
        out,
        "{}",
        said!(
            "Would go   {clip}, {bytes}",
            clip = count_of(plan.goes.clips, "clip"),
            bytes = size(plan.goes.bytes)
        )
    )?;
    for reason in &plan.reasons {
        writeln!(out, "           {}: {}", count_of(reason.amount.clips, "clip"), reason.words)?;
    }
    if let Some(waits) = &plan.waits {
        writeln!(out, "           {waits}")?;
    }
    writeln!(out, "{}", said!("The first of them, oldest first:"))?;
    print(out, &plan.sample)
}
