//! One module per verb: its arguments, its help, what it does.

pub(crate) mod add;
pub(crate) mod autostart;
pub(crate) mod backup;
pub(crate) mod batch;
pub(crate) mod check;
pub(crate) mod chords;
pub(crate) mod clear;
pub(crate) mod completions;
pub(crate) mod console;
pub(crate) mod devices;
pub(crate) mod doctor;
pub(crate) mod drawer;
pub(crate) mod edit;
pub(crate) mod export;
mod follow;
pub(crate) mod import;
pub(crate) mod join;
pub(crate) mod limits;
pub(crate) mod list;
pub(crate) mod manual;
pub(crate) mod orders;
pub(crate) mod pair;
pub(crate) mod pause;
pub(crate) mod phone;
pub(crate) mod pick;
pub(crate) mod pin;
pub(crate) mod redo;
pub(crate) mod remove;
pub(crate) mod reread;
pub(crate) mod restore;
mod rows;
pub(crate) mod rules;
pub(crate) mod scope;
pub(crate) mod settings;
pub(crate) mod show;
pub(crate) mod status;
pub(crate) mod stop;
pub(crate) mod take;
pub(crate) mod title;
pub(crate) mod undo;

use std::io::Write;

use serde::Serialize;
use yadori_api::{ActKind, Acted, Detail};

use crate::answer::{json, json_line};
use crate::connection::{Connection, segment};
use crate::failure::Failure;
use yadori_words::{said, word};

/// A clip in full, by its address.
fn detail(service: &Connection, address: &str) -> Result<Detail, Failure> {
    service.get(&format!("/clips/{}", segment(address)?))
}

/// The id of a clip, by its address.
fn ids_of(service: &Connection, address: &str) -> Result<String, Failure> {
    Ok(detail(service, address)?.row.id)
}

/// The ids of clips, all looked up before anything is done, so that no place shifts meanwhile.
fn ids(service: &Connection, addresses: &[String]) -> Result<Vec<String>, Failure> {
    addresses.iter().map(|address| ids_of(service, address)).collect()
}

/// Carries an act out, and says what was done.
fn act(
    service: &Connection,
    out: &mut dyn Write,
    path: &str,
    request: &impl Serialize,
    as_json: bool,
) -> Result<(), Failure> {
    let acted: Acted = service.post(path, request)?;
    told(out, &acted, as_json)
}

/// Says what was done.
fn told(out: &mut dyn Write, acted: &Acted, as_json: bool) -> Result<(), Failure> {
    if as_json {
        return json(out, acted);
    }
    writeln!(out, "{}", said!("Done: {act}. `yadori undo` takes it back.", act = name_of(acted.act)))?;
    list::print(out, &acted.clips)
}

/// An act in words.
fn name_of(act: ActKind) -> &'static str {
    match act {
        ActKind::Remove => word!("removed"),
        ActKind::Pin => word!("pinned"),
        ActKind::Unpin => word!("unpinned"),
        ActKind::Put => word!("put into a drawer"),
        ActKind::Move => word!("moved"),
        ActKind::Title => word!("titled"),
        ActKind::Color => word!("colored"),
        ActKind::BringUp => word!("brought up"),
        ActKind::Edit => word!("edited"),
        ActKind::PutBack => word!("original put back"),
        ActKind::NewDrawer => word!("drawer made"),
        ActKind::Drawer => word!("drawer changed"),
        ActKind::RemoveDrawer => word!("drawer removed"),
        ActKind::Divider => word!("divider changed"),
        ActKind::NewBatch => word!("batch begun"),
        ActKind::Batch => word!("batch changed"),
        ActKind::AddToBatch => word!("added to a batch"),
        ActKind::DropItems => word!("dropped from a batch"),
        ActKind::OrderItems => word!("batch put in another order"),
        ActKind::RemoveBatch => word!("batch removed"),
        ActKind::Clear => word!("cleared"),
        ActKind::Import => word!("brought in"),
    }
}
