//! `yadori console`: a sign-in link for the browser; which browsers are signed in, and how to sign one out.

use std::io::Write;
use std::process::{Command, Stdio};

use clap::Args;
use yadori_api::{SignInLink, SignedInBrowsers};

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use crate::when::when;
use yadori_words::said;

/// Print a sign-in link for the console, good once and for a minute
///
/// A browser stays signed in until it is signed out, there or here.
#[derive(Debug, Args)]
pub(crate) struct Console {
    /// Open it in the browser instead
    #[arg(long)]
    open: bool,
    /// Show the browsers that are signed in instead
    #[arg(short, long, conflicts_with = "open")]
    list: bool,
    /// Sign a browser out, by its id or the beginning of it; `all` for every one
    #[arg(long, value_name = "ID", conflicts_with_all = ["open", "list"])]
    end: Option<String>,
    /// For programs
    #[arg(long, conflicts_with = "open")]
    json: bool,
}

impl Console {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.list {
            return self.browsers(service, out);
        }
        if let Some(which) = &self.end {
            return end(service, which, out);
        }
        let link: SignInLink = service.post_empty("/sign-in-links")?;
        if self.json {
            return json(out, &link);
        }
        if !self.open {
            writeln!(out, "{}", link.url)?;
            return Ok(());
        }
        let opened = Command::new("xdg-open")
            .arg(&link.url)
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .status();
        match opened {
            Ok(status) if status.success() => Ok(writeln!(out, "{}", said!("Opened in the browser."))?),
            _ => Err(Failure::Use(said!(
                "no browser could be opened; open this within a minute:\n{url}",
                url = link.url
            ))),
        }
    }

    fn browsers(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let found: SignedInBrowsers = service.get("/sign-ins")?;
        if self.json {
            return json(out, &found);
        }
        if found.browsers.is_empty() {
            return Ok(writeln!(
                out,
                "{}",
                said!("No browser is signed in. `yadori console` prints a sign-in link.")
            )?);
        }
        let zone = crate::zone::here();
        let rows = found.browsers.iter().map(|one| {
            let seen = said!("seen {at}", at = when(one.seen_at, &zone));
            let since = said!("since {at}", at = when(one.made_at, &zone));
            vec![
                one.id[..SHOWN.min(one.id.len())].to_owned(),
                shown(&one.name, false),
                since,
                seen,
                one.origin.clone(),
            ]
        });
        table::write(out, rows, &[1])?;
        Ok(())
    }
}

/// Digits of an id that are shown.
const SHOWN: usize = 8;

fn end(service: &Connection, which: &str, out: &mut dyn Write) -> Result<(), Failure> {
    let found: SignedInBrowsers = service.get("/sign-ins")?;
    let meant: Vec<_> =
        found.browsers.iter().filter(|one| which == "all" || one.id.starts_with(which)).collect();
    if which.is_empty() || (meant.is_empty() && which != "all") {
        return Err(Failure::Use(said!(
            "no browser is signed in under this id; `yadori console --list` shows them"
        )));
    }
    if meant.len() > 1 && which != "all" {
        return Err(Failure::Use(said!("several ids begin so; give more of it")));
    }
    for one in &meant {
        service.post_nothing(&format!("/sign-ins/{}/end", one.id))?;
    }
    let browsers = table::count_of(meant.len() as u64, "browser");
    Ok(writeln!(out, "{}", said!("Signed out: {browsers}.", browsers = browsers))?)
}
