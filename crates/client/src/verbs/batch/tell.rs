//! Batches in words.

use std::io::Write;

use yadori_api::{After, AllBatches, Batch, BatchItem, BatchItems, Kind};

use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;

/// What an item is, in one line.
pub(super) fn what(item: &BatchItem) -> String {
    let words = match item.kind {
        _ if item.size == 0 => "(stays empty)".to_owned(),
        Kind::Text | Kind::Link => item.head.trim().to_owned(),
        Kind::Image => item.picture.as_ref().map_or_else(
            || "picture".to_owned(),
            |one| {
                format!(
                    "{} · {} × {}",
                    one.mime.trim_start_matches("image/").to_uppercase(),
                    one.width,
                    one.height
                )
            },
        ),
        Kind::Files => item.files.join(" · "),
    };
    let label = item.label.as_ref().map(|label| format!("{label} · ")).unwrap_or_default();
    table::cut(&shown(&format!("{label}{words}"), false), table::width().saturating_sub(28).max(20))
}

fn counted(count: u64, one: &str) -> String {
    if count == 1 { format!("1 {one}") } else { format!("{count} {one}s") }
}

/// What a batch is called.
pub(super) fn name(batch: &Batch) -> String {
    batch.name.as_ref().map_or_else(|| "Batch without a name".to_owned(), |name| shown(name, false))
}

/// What is next in it, and how many are left.
pub(crate) fn next_words(batch: &Batch) -> String {
    let gathers = if batch.gathering { " Copies join it." } else { "" };
    let Some(next) = &batch.next else {
        let end = match batch.items {
            0 => "nothing in it yet.".to_owned(),
            items => format!("at its end: all {items} were handed out."),
        };
        return format!("{}: {end}{gathers}", name(batch));
    };
    let record = if batch.records > 1 {
        format!(" (record {} of {}, field {} of {})", next.record, batch.records, next.field, batch.fields)
    } else {
        String::new()
    };
    format!("Next is {} of {}{record}: {}.{gathers}", next.place, batch.items, what(next))
}

/// All batches.
pub(super) fn listed(out: &mut dyn Write, all: &AllBatches) -> Result<(), Failure> {
    if all.batches.is_empty() {
        writeln!(
            out,
            "There is no batch. `yadori batch gather` begins one, and so does `yadori batch new`."
        )?;
    }
    for batch in &all.batches {
        let hand = if batch.in_hand { "*" } else { " " };
        let gathers = if batch.gathering { ", copies join it" } else { "" };
        writeln!(
            out,
            "{hand} {}: {}, {} left{gathers}",
            name(batch),
            counted(batch.items, "item"),
            batch.left
        )?;
    }
    Ok(())
}

/// A batch and everything in it.
pub(super) fn print(out: &mut dyn Write, all: &BatchItems) -> Result<(), Failure> {
    let batch = &all.batch;
    let key = |after: After| match after {
        After::Nothing => "nothing",
        After::Tab => "Tab",
        After::Enter => "Enter",
    };
    writeln!(out, "{}: {}, {} left", name(batch), counted(batch.items, "item"), batch.left)?;
    if batch.after_each != After::Nothing || batch.after_record.is_some() {
        let record =
            batch.after_record.map(|after| format!(", {} after each record", key(after))).unwrap_or_default();
        writeln!(out, "{} after each item{record}", key(batch.after_each))?;
    }
    if !batch.tidy.is_empty() {
        writeln!(out, "tidied: {}", batch.tidy.join(", "))?;
    }
    let mut record = 0;
    for item in &all.items {
        if batch.records > 1 && item.record != record {
            record = item.record;
            writeln!(out, "-- record {record}")?;
        }
        let is_next = batch.next.as_ref().is_some_and(|next| next.id == item.id);
        let sign = if is_next {
            ">"
        } else if item.place <= batch.handed {
            "·"
        } else {
            " "
        };
        writeln!(out, "{sign}{:>4}  {}", item.place, what(item))?;
    }
    writeln!(out, "{}", next_words(batch))?;
    Ok(())
}
