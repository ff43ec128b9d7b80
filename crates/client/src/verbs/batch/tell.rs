//! Batches in words.

use std::io::Write;

use yadori_api::{After, AllBatches, Batch, BatchItem, BatchItems, Kind};

use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use yadori_words::{said, word};

/// What an item is, in one line.
pub(super) fn what(item: &BatchItem) -> String {
    let words = match item.kind {
        _ if item.size == 0 => said!("(stays empty)"),
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

/// What a batch is called.
pub(super) fn name(batch: &Batch) -> String {
    batch.name.as_ref().map_or_else(|| said!("Batch without a name"), |name| shown(name, false))
}

/// What is next in it, and how many are left.
pub(crate) fn next_words(batch: &Batch) -> String {
    let gathers = if batch.gathering { word!(" Copies join it.") } else { "" };
    let Some(next) = &batch.next else {
        let end = match batch.items {
            0 => said!("nothing in it yet."),
            items => said!("at its end: all {items} were handed out.", items = items),
        };
        return format!("{}: {end}{gathers}", name(batch));
    };
    let record = if batch.records > 1 {
        said!(
            " (record {record} of {records}, field {field} of {fields})",
            record = next.record,
            records = batch.records,
            field = next.field,
            fields = batch.fields
        )
    } else {
        String::new()
    };
    said!(
        "Next is {place} of {items}{record}: {next}.{gathers}",
        place = next.place,
        items = batch.items,
        record = record,
        next = what(next),
        gathers = gathers
    )
}

/// All batches.
pub(super) fn listed(out: &mut dyn Write, all: &AllBatches) -> Result<(), Failure> {
    if all.batches.is_empty() {
        writeln!(
            out,
            "{}",
            said!("There is no batch. `yadori batch gather` begins one, and so does `yadori batch new`.")
        )?;
    }
    for batch in &all.batches {
        let hand = if batch.in_hand { "*" } else { " " };
        let gathers = if batch.gathering { word!(", copies join it") } else { "" };
        writeln!(
            out,
            "{}",
            said!(
                "{hand} {batch}: {item}, {left} left{gathers}",
                hand = hand,
                batch = name(batch),
                item = table::count_of(batch.items, "item"),
                left = batch.left,
                gathers = gathers
            )
        )?;
    }
    Ok(())
}

/// A batch and everything in it.
pub(super) fn print(out: &mut dyn Write, all: &BatchItems) -> Result<(), Failure> {
    let batch = &all.batch;
    let key = |after: After| match after {
        After::Nothing => word!("nothing"),
        After::Tab => word!("Tab"),
        After::Enter => word!("Enter"),
    };
    writeln!(
        out,
        "{}",
        said!(
            "{batch}: {item}, {left} left",
            batch = name(batch),
            item = table::count_of(batch.items, "item"),
            left = batch.left
        )
    )?;
    if batch.after_each != After::Nothing || batch.after_record.is_some() {
        let record = batch
            .after_record
            .map(|after| said!(", {after} after each record", after = key(after)))
            .unwrap_or_default();
        writeln!(
            out,
            "{}",
            said!(
                "{after_each} after each item{record}",
                after_each = key(batch.after_each),
                record = record
            )
        )?;
    }
    if !batch.tidy.is_empty() {
        writeln!(out, "{}", said!("tidied: {tidy}", tidy = batch.tidy.join(", ")))?;
    }
    let mut record = 0;
    for item in &all.items {
        if batch.records > 1 && item.record != record {
            record = item.record;
            writeln!(out, "{}", said!("-- record {record}", record = record))?;
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
