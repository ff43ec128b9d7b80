//! `yadori phone`: the code that lets a phone in, and the phones that are signed in.

use std::io::Write;

use clap::{Args, Subcommand};
use yadori_api::{AllPhones, PhoneLink, SignedInBrowser};

use super::json;
use crate::code;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use crate::when::when;
use yadori_words::said;

/// Phones that see this history: a code to scan, the list, and how to end one
///
/// Off until `listen` under [phone] in the configuration says where phones come in. A phone sees, searches, takes to its
/// own clipboard, adds texts and pictures, and pins; the rest is done at the computer.
#[derive(Debug, Args)]
pub(crate) struct Phone {
    #[command(subcommand)]
    verb: Option<Verb>,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Debug, Subcommand)]
enum Verb {
    /// Show a code that lets a phone in, once, within five minutes
    Add,
    /// The phones that are signed in
    List,
    /// Sign a phone out: by its name, or the beginning of its id
    Remove {
        /// Its name, or the beginning of its id
        phone: String,
    },
}

/// Digits of an id that are shown.
const SHOWN: usize = 8;

impl Phone {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        match &self.verb {
            None | Some(Verb::List) => self.list(service, out),
            Some(Verb::Add) => self.add(service, out),
            Some(Verb::Remove { phone }) => remove(service, phone, out),
        }
    }

    fn list(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let all: AllPhones = service.get("/phones")?;
        if self.json {
            return json(out, &all);
        }
        let how = match (&all.address, &all.problem) {
            (Some(address), _) => {
                said!("Phones come in at {address}. `yadori phone add` lets one in.", address = address)
            }
            (None, Some(problem)) => said!("Phones are not let in: {problem}.", problem = problem),
            (None, None) => said!(
                "Phones are not let in. Put listen = \"0.0.0.0:8940\" under [phone] in the configuration, and start the service again."
            ),
        };
        writeln!(out, "{how}")?;
        let zone = crate::zone::here();
        let rows = all.phones.iter().map(|one| {
            let since = said!("since {at}", at = when(one.made_at, &zone));
            let seen = said!("seen {at}", at = when(one.seen_at, &zone));
            vec![one.id[..SHOWN.min(one.id.len())].to_owned(), shown(&one.name, false), since, seen]
        });
        table::write(out, rows, &[1])?;
        Ok(())
    }

    fn add(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let link: PhoneLink = service.post_empty("/phones")?;
        if self.json {
            return json(out, &link);
        }
        code::write(out, &link.url)?;
        writeln!(
            out,
            "{}",
            said!(
                "Scan it with the phone, within {seconds} minutes; or open there:",
                seconds = link.seconds / 60
            )
        )?;
        writeln!(out, "{}", link.url)?;
        writeln!(out)?;
        writeln!(
            out,
            "{}",
            said!(
                "The browser warns first, unless the phone trusts this computer. The certificate's fingerprint (SHA-256):"
            )
        )?;
        for half in link.fingerprint.as_bytes().chunks(48) {
            writeln!(out, "    {}", String::from_utf8_lossy(half).trim_end_matches(':'))?;
        }
        Ok(())
    }
}

fn remove(service: &Connection, which: &str, out: &mut dyn Write) -> Result<(), Failure> {
    let all: AllPhones = service.get("/phones")?;
    let is_meant = |one: &&SignedInBrowser| {
        !which.is_empty() && (one.id.starts_with(which) || one.name.eq_ignore_ascii_case(which))
    };
    let meant: Vec<&SignedInBrowser> = all.phones.iter().filter(is_meant).collect();
    match meant.as_slice() {
        [] => Err(Failure::Nothing(said!(
            "no phone is called `{which}`; `yadori phone list` shows them",
            which = which
        ))),
        [one] => {
            service.post_nothing(&format!("/sign-ins/{}/end", one.id))?;
            Ok(writeln!(
                out,
                "{}",
                said!(
                    "Signed out: {name}. It sees nothing of this history any more.",
                    name = shown(&one.name, false)
                )
            )?)
        }
        _ => Err(Failure::Use(said!(
            "several phones are called `{which}`; give the beginning of an id",
            which = which
        ))),
    }
}
