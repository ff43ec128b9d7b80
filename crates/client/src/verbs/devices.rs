//! `yadori devices` and `yadori sync`: who belongs, and how the exchange stands.

use std::io::Write;

use clap::{Args, Subcommand};
use clap_complete::engine::ArgValueCompleter;
use unicode_width::UnicodeWidthStr;
use yadori_api::{AllDevices, OnItsWay, PauseExchange, SendClip};

use super::{ids_of, json};
use crate::completing::clips;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use crate::when::when;
use yadori_words::{said, word};

/// List your devices: when each was heard of, how far it is behind, and what it sends
#[derive(Debug, Args)]
pub(crate) struct Devices {
    /// For programs
    #[arg(long)]
    json: bool,
}

/// Say how the exchange with your devices stands, have it done now, or pause it
#[derive(Debug, Args)]
pub(crate) struct Sync {
    #[command(subcommand)]
    what: Option<What>,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Subcommand)]
enum What {
    /// How it stands
    Status,
    /// Try at once, whatever pause was made after a failure
    Now,
    /// Exchange nothing until `yadori sync resume`, over restarts too
    Pause,
    /// Exchange again
    Resume,
}

impl Devices {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let all: AllDevices = service.get("/devices")?;
        if self.json {
            return json(out, &all);
        }
        if all.hub.is_none() {
            return Ok(writeln!(
                out,
                "{}",
                word!("This device belongs to no group. `yadori pair --hub ADDRESS` begins one.")
            )?);
        }
        let zone = crate::zone::here();
        for one in &all.devices {
            let heard = match (one.this, one.heard_at) {
                (true, _) => said!("this device"),
                (false, Some(at)) => when(at, &zone),
                (false, None) => said!("not heard of yet"),
            };
            let behind = match one.behind {
                Some(0) => said!("has everything"),
                Some(behind) => said!("{record} behind", record = table::count_of(behind, "record")),
                None => String::new(),
            };
            let sends = if one.travels.is_empty() {
                String::new()
            } else {
                said!("sends {travels}", travels = one.travels)
            };
            let name = table::cut(&shown(&one.name, false), 28);
            let pad = " ".repeat(30_usize.saturating_sub(name.width()));
            writeln!(
                out,
                "{}  {name}{pad}{}{}{}",
                &one.id[..8.min(one.id.len())],
                table::padded(&heard, 24),
                table::padded(&behind, 20),
                shown(&sends, false)
            )?;
        }
        Ok(())
    }
}

/// Send a clip to one of your devices: it goes to the live clipboard there, whatever else travels
#[derive(Debug, Args)]
pub(crate) struct Send {
    /// Which clip
    #[arg(value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clip: String,
    /// Which device: its name, or the beginning of its id, as `yadori devices` shows them
    #[arg(value_name = "DEVICE")]
    device: String,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Send {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let request = SendClip { id: ids_of(service, &self.clip)?, to: self.device.clone() };
        let sent: OnItsWay = service.post("/devices/send", &request)?;
        if self.json {
            return json(out, &sent);
        }
        Ok(writeln!(out, "{}", said!("On its way to {to}.", to = shown(&sent.to, false)))?)
    }
}

impl Sync {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let all: AllDevices = match self.what.unwrap_or(What::Status) {
            What::Status => service.get("/devices")?,
            What::Now => service.post_empty("/exchange/now")?,
            What::Pause => service.post("/exchange/pause", &PauseExchange { paused: true })?,
            What::Resume => service.post("/exchange/pause", &PauseExchange { paused: false })?,
        };
        if self.json {
            return json(out, &all);
        }
        print(&all, out)
    }
}

fn print(all: &AllDevices, out: &mut dyn Write) -> Result<(), Failure> {
    if let Some(serves) = all.serves.as_ref().or(all.serves_problem.as_ref()) {
        writeln!(out, "{}{}", table::padded(word!("Serves a hub"), 15), shown(serves, false))?;
    }
    let Some(hub) = &all.hub else {
        return Ok(writeln!(
            out,
            "{}",
            word!("This device belongs to no group. `yadori pair --hub ADDRESS` begins one.")
        )?);
    };
    let zone = crate::zone::here();
    let mut line = |name: &str, value: &str| writeln!(out, "{}{value}", table::padded(name, 15));
    line(word!("Hub"), &shown(hub, false))?;
    let others = table::count_of(all.devices.len().saturating_sub(1) as u64, "device");
    line(
        word!("Exchange"),
        &if all.paused {
            said!("paused (`yadori sync resume`)")
        } else {
            said!("with {others}", others = others)
        },
    )?;
    if let Some(trouble) = &all.trouble {
        line(word!("Waits"), &shown(trouble, false))?;
    }
    line(word!("Reached"), &all.reached_at.map_or(said!("not yet"), |at| when(at, &zone)))?;
    line(word!("To be sent"), &all.waits.to_string())?;
    let to_come = if all.behind == 0 && all.received_at.is_some() {
        said!("nothing")
    } else {
        said!("up to {behind}", behind = all.behind)
    };
    line(word!("To be received"), &to_come)?;
    line(
        word!("In this run"),
        &said!("{sent} sent, {received} received", sent = all.sent, received = all.received),
    )?;
    for one in &all.refused {
        let words = said!(
            "{at}: record {number}: {why}",
            at = when(one.at, &zone),
            number = one.number,
            why = one.why
        );
        line(word!("Refused"), &shown(&words, false))?;
    }
    Ok(())
}
