//! `yadori orders`: clearings that happen by themselves.

use std::io::Write;

use clap::{Args, Subcommand};
use serde_json::Value;
use yadori_api::{AllOrders, AllSettings, ChangeSettings, Order};

use super::json;
use super::scope::Meant;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::line;
use crate::table::count_of;
use crate::when::when;
use yadori_words::said;

/// Show and change standing orders: clearings that happen by themselves, on this device only
#[derive(Debug, Args)]
pub(crate) struct Orders {
    #[command(subcommand)]
    what: Option<What>,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Debug, Subcommand)]
enum What {
    /// Add an order
    Add(Box<NewOrder>),
    /// Remove an order
    Remove {
        /// Its number
        number: usize,
    },
}

#[derive(Debug, Args)]
struct NewOrder {
    /// When: start, stop (logout or shutdown), lock, "daily 18:30", or "after 2h"
    #[arg(long, value_name = "OCCASION")]
    on: String,
    /// What it is called
    #[arg(long)]
    name: Option<String>,
    #[command(flatten)]
    what: Meant,
}

impl Orders {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let all: AllOrders = service.get("/orders")?;
        let mut orders: Vec<Order> = all.orders.iter().map(|one| one.order.clone()).collect();
        match &self.what {
            None if self.json => return json(out, &all),
            None => return show(out, &all),
            Some(What::Add(new)) => orders.push(Order {
                name: new.name.clone(),
                on: new.on.clone(),
                clear: new.what.scope(),
                live: new.what.live,
                now: new.what.now,
            }),
            Some(What::Remove { number }) => {
                if !(1..=orders.len()).contains(number) {
                    return Err(Failure::Nothing(said!(
                        "there is no order {number}; `yadori orders` numbers them",
                        number = number
                    )));
                }
                orders.remove(number - 1);
            }
        }
        let value: Value =
            serde_json::to_value(&orders).map_err(|why| Failure::Connection(why.to_string()))?;
        let changes = [("orders".to_owned(), value)].into();
        let _: AllSettings = service.patch("/settings", &ChangeSettings { changes })?;
        let all: AllOrders = service.get("/orders")?;
        if self.json { json(out, &all) } else { show(out, &all) }
    }
}

fn show(out: &mut dyn Write, all: &AllOrders) -> Result<(), Failure> {
    if all.orders.is_empty() {
        return Ok(writeln!(out, "{}", said!("There are no standing orders."))?);
    }
    let zone = crate::zone::here();
    for (n, one) in all.orders.iter().enumerate() {
        let name = one.order.name.as_deref().map(|name| format!("{}: ", line(name))).unwrap_or_default();
        writeln!(out, "{:>3}  {name}{}", n + 1, line(&one.words))?;
        let next = one.next.map(|at| said!("next {at}", at = when(at, &zone)));
        let last = one.last.map(|at| {
            let did = match &one.failed {
                Some(why) => said!("could not: {why}", why = why),
                None => said!("cleared {clip}", clip = count_of(one.cleared.unwrap_or(0), "clip")),
            };
            said!("last {at}: {did}", at = when(at, &zone), did = did)
        });
        let told: Vec<String> = [next, last].into_iter().flatten().collect();
        let told = if told.is_empty() { said!("has not acted yet") } else { told.join("; ") };
        writeln!(out, "     {told}")?;
    }
    Ok(())
}
