//! `yadori batch …`: gathered on purpose, then handed out one after another.

mod fill;
mod tell;

use std::io::Write;

use clap::{Args, Subcommand};
use yadori_api::{
    Acted, AllBatches, BatchItems, ChangeBatch, Hand, HandOut, HandedOut, PasteInto, SomeItems,
};

use super::{act, json};
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use fill::{Begin, Fill, Keys};
pub(crate) use tell::next_words;
use tell::{listed, print, what};
use yadori_words::{said, word};

/// Gather clips, or split one, and hand the parts out one after another
///
/// Without a verb, what is in the batch in hand. Copies join a batch between `gather` and `end`; `next --paste`, or its chord,
/// pastes one item after another. N is the number of an item, as `yadori batch` shows it.
#[derive(Debug, Args)]
pub(crate) struct Batch {
    #[command(subcommand)]
    verb: Option<Verb>,
    /// Another batch than the one in hand, by its name or the beginning of it
    #[arg(long, global = true, value_name = "NAME")]
    batch: Option<String>,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Debug, Subcommand)]
enum Verb {
    /// What is in it
    Show,
    /// All batches
    List,
    /// Let every copy join a new batch from now on
    Gather {
        /// Go on with the batch in hand, or the one named with --batch
        #[arg(long, conflicts_with = "name")]
        on: bool,
        /// Keep it by this name
        #[arg(long)]
        name: Option<String>,
        #[command(flatten)]
        keys: Keys,
    },
    /// Let copies join it no longer
    End,
    /// Begin a batch of clips, of texts, or of the parts of either
    New(Begin),
    /// Add clips, texts, or the parts of either
    Add(Fill),
    /// Hand out what is next
    Next {
        /// Also paste it where the cursor is, in the program in front
        #[arg(long)]
        paste: bool,
    },
    /// Hand out an item, and go on after it
    Nth {
        /// Its number
        n: u64,
        /// Also paste it where the cursor is, in the program in front
        #[arg(long)]
        paste: bool,
    },
    /// Pass over what is next
    Skip {
        /// Pass over the rest of its record
        #[arg(long)]
        record: bool,
    },
    /// Go back to what was handed out last
    Back,
    /// Start again with the first
    Again,
    /// Go on from an item
    From {
        /// Its number
        n: u64,
    },
    /// Take items out
    Drop {
        /// Their numbers
        #[arg(required_unless_present = "last", value_name = "N")]
        items: Vec<u64>,
        /// The last one: the next copy takes its place while copies join
        #[arg(long, conflicts_with = "items")]
        last: bool,
    },
    /// Move items before another one, or to the end
    Move {
        /// Their numbers
        #[arg(required = true, value_name = "N")]
        items: Vec<u64>,
        /// Before which one
        #[arg(long, value_name = "N")]
        before: Option<u64>,
    },
    /// Put what is left in the opposite order
    Reverse,
    /// Keep it by a name; an empty one lets go of it once it is handed out
    Name {
        /// The name
        name: String,
    },
    /// Say what is pressed after each item that is pasted
    Keys(Keys),
    /// Say how each item is cleaned up on its way out: names as of `yadori take --tidy`; none for as it is
    Tidy {
        /// Steps, e.g. `trim,unlist`
        #[arg(value_delimiter = ',')]
        steps: Vec<String>,
    },
    /// Take another batch in hand
    TakeUp {
        /// Its name
        name: String,
    },
    /// Remove it; the clips it came from stay
    Remove,
}

impl Batch {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let path = format!("/batches/{}", self.batch.as_deref().map_or_else(|| "-".to_owned(), escaped));
        let change = |request: &ChangeBatch, out: &mut dyn Write| {
            self.done(service, out, &format!("{path}/change"), request)
        };
        let items = |numbers: &[u64]| items_of(service, &path, numbers);
        let hand = |way: HandOut, place: Option<u64>, paste: bool, out: &mut dyn Write| {
            let request = Hand { out: way, place, paste: paste.then_some(PasteInto::Front) };
            let done: HandedOut = service.post(&format!("{path}/hand"), &request)?;
            self.handed(&done, out)
        };
        match self.verb.as_ref().unwrap_or(&Verb::Show) {
            Verb::Show => self.show(service, out, &path),
            Verb::List => {
                let all: AllBatches = service.get("/batches")?;
                if self.json { json(out, &all) } else { listed(out, &all) }
            }
            Verb::Gather { on: true, keys, .. } => {
                change(&ChangeBatch { gathering: Some(true), ..keys.change() }, out)
            }
            Verb::Gather { name, keys, .. } => {
                let change = ChangeBatch { gathering: Some(true), name: name.clone(), ..keys.change() };
                self.done(service, out, "/batches", &yadori_api::NewBatch { change, ..Default::default() })
            }
            Verb::End => change(&ChangeBatch { gathering: Some(false), ..ChangeBatch::default() }, out),
            Verb::New(begin) if begin.fill.preview => begin.fill.preview(service, out, self.json),
            Verb::New(begin) => self.done(service, out, "/batches", &begin.request(service)?),
            Verb::Add(fill) if fill.preview => fill.preview(service, out, self.json),
            Verb::Add(fill) => {
                let before =
                    fill.before.map(|n| items(&[n])).transpose()?.and_then(|ids| ids.first().copied());
                let filling = yadori_api::Filling { before, ..fill.filling(service)? };
                self.done(service, out, &format!("{path}/add"), &filling)
            }
            Verb::Next { paste } => hand(HandOut::Next, None, *paste, out),
            Verb::Nth { n, paste } => hand(HandOut::Place, Some(*n), *paste, out),
            Verb::Skip { record } => {
                hand(if *record { HandOut::SkipRecord } else { HandOut::Skip }, None, false, out)
            }
            Verb::Back => hand(HandOut::Back, None, false, out),
            Verb::Again => hand(HandOut::Again, None, false, out),
            Verb::From { n } => hand(HandOut::From, Some(*n), false, out),
            Verb::TakeUp { name } => {
                let request = Hand { out: HandOut::TakeUp, ..Hand::default() };
                let done = service.post(&format!("/batches/{}/hand", escaped(name)), &request)?;
                self.handed(&done, out)
            }
            Verb::Drop { items: numbers, last } => {
                let numbers = if *last { vec![self.last(service, &path)?] } else { numbers.clone() };
                let request = SomeItems { items: items(&numbers)?, before: None };
                self.done(service, out, &format!("{path}/drop"), &request)
            }
            Verb::Move { items: numbers, before } => {
                let before = before.map(|n| items(&[n])).transpose()?.and_then(|ids| ids.first().copied());
                let request = SomeItems { items: items(numbers)?, before };
                self.done(service, out, &format!("{path}/move"), &request)
            }
            Verb::Reverse => self.done(service, out, &format!("{path}/reverse"), &()),
            Verb::Name { name } => {
                change(&ChangeBatch { name: Some(name.clone()), ..Default::default() }, out)
            }
            Verb::Keys(keys) => change(&keys.change(), out),
            Verb::Tidy { steps } => {
                let steps = steps.iter().filter(|step| !step.is_empty()).cloned().collect();
                change(&ChangeBatch { tidy: Some(steps), ..ChangeBatch::default() }, out)
            }
            Verb::Remove => act(service, out, &format!("{path}/remove"), &(), self.json),
        }
    }

    /// Carries an act out, and tells how the batch is then.
    fn done(
        &self,
        service: &Connection,
        out: &mut dyn Write,
        path: &str,
        request: &impl serde::Serialize,
    ) -> Result<(), Failure> {
        let acted: Acted = service.post(path, request)?;
        if self.json {
            return json(out, &acted);
        }
        let id = acted.made.clone();
        super::told(out, &acted, false)?;
        let name = id.or_else(|| self.batch.clone()).unwrap_or_else(|| "-".to_owned());
        let now: BatchItems = service.get(&format!("/batches/{}?limit=0", escaped(&name)))?;
        Ok(writeln!(out, "{}", next_words(&now.batch))?)
    }

    fn handed(&self, done: &HandedOut, out: &mut dyn Write) -> Result<(), Failure> {
        if self.json {
            return json(out, done);
        }
        if let Some(item) = &done.item {
            let did = if done.pasted { word!("Pasted") } else { word!("A paste now gives") };
            writeln!(
                out,
                "{}",
                said!(
                    "{did} {place} of {items}: {item}",
                    did = did,
                    place = item.place,
                    items = done.batch.items,
                    item = what(item)
                )
            )?;
        }
        Ok(writeln!(out, "{}", next_words(&done.batch))?)
    }

    fn show(&self, service: &Connection, out: &mut dyn Write, path: &str) -> Result<(), Failure> {
        let mut all: BatchItems = service.get(path)?;
        while (all.items.len() as u64) < all.batch.items {
            let more: BatchItems = service.get(&format!("{path}?skip={}", all.items.len()))?;
            if more.items.is_empty() {
                break;
            }
            all.items.extend(more.items);
        }
        if self.json { json(out, &all) } else { print(out, &all) }
    }

    /// The number of the last item.
    fn last(&self, service: &Connection, path: &str) -> Result<u64, Failure> {
        let now: BatchItems = service.get(&format!("{path}?limit=0"))?;
        if now.batch.items == 0 {
            return Err(Failure::Use(said!("there is nothing in the batch to be dropped")));
        }
        Ok(now.batch.items)
    }
}

/// The items at these numbers, all looked up before anything is done.
fn items_of(service: &Connection, path: &str, numbers: &[u64]) -> Result<Vec<u32>, Failure> {
    let look = |number: &u64| {
        let skip = number.checked_sub(1).ok_or_else(|| Failure::Use(said!("items are counted from 1")))?;
        let part: BatchItems = service.get(&format!("{path}?skip={skip}&limit=1"))?;
        let found = part.items.first().map(|item| item.id);
        found.ok_or_else(|| {
            Failure::Use(said!(
                "there is no item {number}; the batch has {items}",
                number = number,
                items = part.batch.items
            ))
        })
    };
    numbers.iter().map(look).collect()
}
