//! `yadori pair` and `yadori unpair`: devices join and leave by one act.

use std::io::{IsTerminal, Write};
use std::time::Duration;

use clap::Args;
use yadori_api::{AllDevices, LetIn, Pairing, PairingState, ShowCode, StruckOff, TypeCode, TypePhrase};

use super::json;
use crate::asking::confirmed;
use crate::code;
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::symbols::shown;
use yadori_words::{said, word};

/// Let another device of yours in, or join it
///
/// Without a code, this device shows one: type it on the other, with `yadori pair CODE --hub ADDRESS`. Then this device asks
/// whether the other may come in. From then on both hold the same history, which nobody else can read, whoever runs the hub.
#[derive(Debug, Args)]
pub(crate) struct Pair {
    /// The code that the other device shows, such as 12-79HM-Q9F95
    code: Option<String>,
    /// Where the hub answers, such as http://127.0.0.1:8930; known already where this device belongs to a group
    #[arg(long, value_name = "ADDRESS")]
    hub: Option<String>,
    /// What the hub's owner gave you, for a first device (`yadori-hub invite`)
    #[arg(long, value_name = "WORDS", conflicts_with = "code")]
    invitation: Option<String>,
    /// What this device shall be called; its host name otherwise
    #[arg(long)]
    name: Option<String>,
    /// Let the other device in without a question
    #[arg(long, conflicts_with = "code")]
    yes: bool,
    /// Join by the recovery phrase that was shown with the group's first code, when no other device is left
    #[arg(long, value_name = "PHRASE", conflicts_with_all = ["code", "invitation", "yes"])]
    phrase: Option<String>,
    /// Call off what is under way
    #[arg(long, conflicts_with_all = ["code", "hub", "invitation", "name", "yes"])]
    cancel: bool,
}

/// Strike a device off, or leave the group with this one
///
/// Those who stay have a new key, which the device never gets; it keeps what it has.
#[derive(Debug, Args)]
pub(crate) struct Unpair {
    /// Its name, or the beginning of its id, as `yadori devices` shows them
    #[arg(required_unless_present = "this")]
    device: Option<String>,
    /// Leave with this device
    #[arg(long, conflicts_with = "device")]
    this: bool,
    /// Do it without a question
    #[arg(long)]
    yes: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

/// How often it is asked how things stand.
const LOOK: Duration = Duration::from_millis(150);

impl Pair {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.cancel {
            service.delete_nothing("/devices/pairing")?;
            return Ok(writeln!(out, "{}", said!("Nothing is being paired any more."))?);
        }
        let hub_of = || {
            let missing = || Failure::Use(said!("say where the hub answers: --hub http://127.0.0.1:8930"));
            self.hub.clone().ok_or_else(missing)
        };
        let now: Pairing = match (&self.code, &self.phrase) {
            (_, Some(phrase)) => {
                let (hub, phrase) = (hub_of()?, phrase.clone());
                service
                    .post("/devices/pairing/phrase", &TypePhrase { hub, phrase, name: self.name.clone() })?
            }
            (Some(code), None) => {
                let hub = hub_of()?;
                service.post(
                    "/devices/pairing/code",
                    &TypeCode { hub, code: code.clone(), name: self.name.clone() },
                )?
            }
            (None, None) => {
                let (hub, invitation) = (self.hub.clone(), self.invitation.clone());
                service.post("/devices/pairing", &ShowCode { hub, invitation, name: self.name.clone() })?
            }
        };
        if let Some(shown_code) = &now.code {
            let all: AllDevices = service.get("/devices")?;
            let hub = all.hub.unwrap_or_default();
            writeln!(
                out,
                "{}",
                said!(
                    "On the other device, within ten minutes:\n\n    yadori pair {shown_code} --hub {hub}\n",
                    shown_code = shown_code,
                    hub = hub
                )
            )?;
            // Whoever sees a terminal may scan it there; whoever reads a file may not.
            if std::io::stdout().is_terminal() {
                code::write(
                    out,
                    &said!("yadori pair {shown_code} --hub {hub}", shown_code = shown_code, hub = hub),
                )?;
            }
            if let Some(phrase) = &now.phrase {
                writeln!(
                    out,
                    "{}",
                    said!(
                        "Write this down and keep it away from your devices. It is shown this once, and is the only way back to\nyour history when all of them are lost:\n\n    {phrase}\n",
                        phrase = phrase
                    )
                )?;
            }
            out.flush()?;
        }
        self.follow(service, now, out)
    }

    /// Tells what happens, until it is over.
    fn follow(&self, service: &Connection, mut now: Pairing, out: &mut dyn Write) -> Result<(), Failure> {
        let mut told = None;
        loop {
            let device = shown(now.device.as_deref().unwrap_or(word!("the other device")), false);
            match now.state {
                PairingState::Done => {
                    return Ok(writeln!(
                        out,
                        "{}",
                        said!("Paired with {device}. What either copies, both have.", device = device)
                    )?);
                }
                PairingState::Failed | PairingState::None => {
                    let why = now.why.unwrap_or_else(|| said!("nothing is being paired"));
                    return Err(Failure::NotPaired(why));
                }
                PairingState::Asks => {
                    let yes = self.yes || confirmed(&said!("Let {device} in?", device = device))?;
                    now = service.post("/devices/pairing/answer", &LetIn { yes })?;
                    continue;
                }
                PairingState::Typed if told != Some(PairingState::Typed) => {
                    writeln!(
                        out,
                        "{}",
                        said!("Reaching the other device; say there that this one may come in.")
                    )?;
                }
                _ => {}
            }
            told = Some(now.state);
            out.flush()?;
            std::thread::sleep(LOOK);
            now = service.get("/devices/pairing")?;
        }
    }
}

impl Unpair {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let Some(device) = &self.device else {
            let question =
                word!("Leave the group? This device keeps what it has, and exchanges nothing any more.");
            if !self.yes && !confirmed(question)? {
                return Ok(writeln!(out, "{}", said!("It stays."))?);
            }
            service.post_nothing("/devices/leave")?;
            return Ok(writeln!(out, "{}", said!("This device belongs to no group any more."))?);
        };
        if !self.yes
            && !confirmed(&said!(
                "Strike {device} off? It keeps what it has.",
                device = shown(device, false)
            ))?
        {
            return Ok(writeln!(out, "{}", said!("It stays."))?);
        }
        let struck: StruckOff = service.delete(&format!("/devices/{}", escaped(device)))?;
        if self.json {
            return json(out, &struck);
        }
        let name = shown(&struck.name, false);
        Ok(writeln!(
            out,
            "{}",
            said!("{name} is struck off: it can neither read nor write any more.", name = name)
        )?)
    }
}
