//! `yadori drawer …`: named places for kept clips.

use std::io::Write;
use std::path::PathBuf;

use clap::{Args, Subcommand};
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{AllDrawers, ChangeDivider, ChangeDrawer, Item, Items, Keep, KeepIn, NewDivider, NewDrawer};

use super::title::ColorName;
use super::{act, detail, ids, ids_of, json};
use crate::completing::{clips, drawers};
use crate::connection::{Connection, segment};
use crate::failure::Failure;
use crate::files::write::Target;
use crate::symbols::shown;
use crate::table;
use crate::transfer::{receive, whole, written};
use yadori_words::said;

/// Make, fill and arrange drawers
///
/// A DRAWER is a name, or the beginning of one. `yadori list --drawer DRAWER` shows what is in it.
#[derive(Debug, Args)]
pub(crate) struct Drawer {
    #[command(subcommand)]
    verb: Verb,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Debug, Subcommand)]
enum Verb {
    /// List all drawers, or those whose name holds a text
    List {
        /// A part of the name
        text: Option<String>,
    },
    /// Make a drawer
    New {
        /// Its name
        name: String,
        /// Its color
        #[arg(long, value_enum)]
        color: Option<ColorName>,
        /// The group it stands under
        #[arg(long)]
        group: Option<String>,
    },
    /// Put clips into a drawer
    Put {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
        /// Which clips
        #[arg(required = true, value_name = "CLIP", add = ArgValueCompleter::new(clips))]
        clips: Vec<String>,
        /// Before this clip or divider in it
        #[arg(long, value_name = "CLIP|DIVIDER", conflicts_with = "last")]
        before: Option<String>,
        /// Move them to the end
        #[arg(long)]
        last: bool,
    },
    /// Take clips out of their drawer; they stay favorites
    Out {
        /// Which clips
        #[arg(required = true, value_name = "CLIP", add = ArgValueCompleter::new(clips))]
        clips: Vec<String>,
    },
    /// Rename a drawer
    Rename {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
        /// Its new name
        name: String,
    },
    /// Give a drawer a color
    Color {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
        /// The color
        #[arg(value_enum)]
        color: ColorName,
    },
    /// Stand a drawer under a group; without one, under none
    Group {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
        /// The group
        group: Option<String>,
    },
    /// Move a drawer before another one, or to the end
    Move {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
        /// Before which one
        #[arg(long, value_name = "DRAWER", add = ArgValueCompleter::new(drawers))]
        before: Option<String>,
    },
    /// Remove a drawer; its clips become favorites
    Remove {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
    },
    /// Make, rename, move or remove a divider in a drawer
    Divider {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
        /// Its words
        name: String,
        /// Before this clip or divider
        #[arg(long, value_name = "CLIP|DIVIDER")]
        before: Option<String>,
        /// Give it other words
        #[arg(long, value_name = "NAME", conflicts_with = "remove")]
        rename: Option<String>,
        /// Remove it; what stands under it stays
        #[arg(long)]
        remove: bool,
    },
    /// Write a drawer with everything in it to a JSON file
    Export {
        /// Which drawer
        #[arg(add = ArgValueCompleter::new(drawers))]
        drawer: String,
        /// Where to; `-` for standard output
        file: PathBuf,
        /// Replace the file, once the new one is whole
        #[arg(long)]
        force: bool,
    },
    /// Bring a drawer in from such a file
    Import {
        /// Where from
        file: PathBuf,
    },
}

impl Drawer {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let change = |drawer: &str, request: &ChangeDrawer, out: &mut dyn Write| {
            act(service, out, &format!("/drawers/{}/change", segment(drawer)?), request, self.json)
        };
        match &self.verb {
            Verb::List { text } => self.list(service, out, text.as_deref().unwrap_or_default()),
            Verb::New { name, color, group } => {
                let color = color.and_then(ColorName::word);
                let request = NewDrawer { name: name.clone(), color, group: group.clone() };
                act(service, out, "/drawers", &request, self.json)
            }
            Verb::Put { drawer, clips, before, last } => {
                let before = match (before, last) {
                    (Some(name), _) => Some(thing(service, drawer, name)?),
                    (None, true) => Some(String::new()),
                    (None, false) => None,
                };
                let to = KeepIn::Drawer { drawer: drawer.clone() };
                act(
                    service,
                    out,
                    "/keep",
                    &Keep { ids: ids(service, clips)?, to, before, secrets: false },
                    self.json,
                )
            }
            Verb::Out { clips } => {
                let (mut ids, mut outside) = (Vec::new(), Vec::new());
                for address in clips {
                    let row = detail(service, address)?.row;
                    let inside = row.kept.as_ref().is_some_and(|kept| kept.drawer.is_some());
                    if inside { ids.push(row.id) } else { outside.push(address.as_str()) }
                }
                if !outside.is_empty() {
                    let which = outside.join(", ");
                    return Err(Failure::Done(said!(
                        "in no drawer: {which}; nothing was done",
                        which = which
                    )));
                }
                let to = KeepIn::Favorites;
                act(
                    service,
                    out,
                    "/keep",
                    &Keep { ids, to, before: Some(String::new()), secrets: false },
                    self.json,
                )
            }
            Verb::Rename { drawer, name } => {
                change(drawer, &ChangeDrawer { name: Some(name.clone()), ..ChangeDrawer::default() }, out)
            }
            Verb::Color { drawer, color } => {
                let color = format!("{color:?}").to_ascii_lowercase();
                change(drawer, &ChangeDrawer { color: Some(color), ..ChangeDrawer::default() }, out)
            }
            Verb::Group { drawer, group } => {
                let group = Some(group.clone().unwrap_or_default());
                change(drawer, &ChangeDrawer { group, ..ChangeDrawer::default() }, out)
            }
            Verb::Move { drawer, before } => {
                let before = Some(before.clone().unwrap_or_default());
                change(drawer, &ChangeDrawer { before, ..ChangeDrawer::default() }, out)
            }
            Verb::Remove { drawer } => act(
                service,
                out,
                &format!("/drawers/{}/remove", segment(drawer)?),
                &serde_json::json!({}),
                self.json,
            ),
            Verb::Divider { drawer, name, before, rename, remove } => {
                self.divider(service, out, drawer, name, before.as_deref(), rename.as_deref(), *remove)
            }
            Verb::Export { drawer, file, force } => {
                let target = Target::at(file, *force)?;
                let from = format!("/drawers/{}/export", segment(drawer)?);
                let end = receive(service, &from, &target, out, |bytes| bytes)?;
                written(out, &end, &target, self.json, || {
                    said!("Written to {file}.", file = file.display())
                })?;
                whole(&end, &target)
            }
            Verb::Import { file } => {
                super::import::bring_in(service, out, file, Some("drawer"), None, self.json)
            }
        }
    }

    #[expect(clippy::too_many_arguments, reason = "they are the arguments of the command line")]
    fn divider(
        &self,
        service: &Connection,
        out: &mut dyn Write,
        drawer: &str,
        name: &str,
        before: Option<&str>,
        rename: Option<&str>,
        remove: bool,
    ) -> Result<(), Failure> {
        let path = format!("/drawers/{}/dividers", segment(drawer)?);
        let before = before.map(|before| thing(service, drawer, before)).transpose()?;
        let known = divider_called(service, drawer, name)?;
        match (known, remove) {
            (Some(id), true) => {
                act(service, out, &format!("{path}/{id}/remove"), &serde_json::json!({}), self.json)
            }
            (None, true) => Err(no_divider(name)),
            (Some(id), false) => {
                let request = ChangeDivider { name: rename.map(str::to_owned), before };
                act(service, out, &format!("{path}/{id}/change"), &request, self.json)
            }
            (None, false) if rename.is_some() => Err(no_divider(name)),
            (None, false) => {
                act(service, out, &path, &NewDivider { name: name.to_owned(), before }, self.json)
            }
        }
    }

    fn list(&self, service: &Connection, out: &mut dyn Write, text: &str) -> Result<(), Failure> {
        let mut all: AllDrawers = service.get("/drawers")?;
        let wanted = text.to_lowercase();
        all.drawers.retain(|one| {
            let group = one.group.as_deref().unwrap_or_default();
            one.name.to_lowercase().contains(&wanted) || group.to_lowercase().contains(&wanted)
        });
        if all.drawers.is_empty() && !text.is_empty() {
            return Err(Failure::Nothing(said!(
                "no drawer is called like {text}; `yadori drawer list` shows them all",
                text = shown(text, false)
            )));
        }
        if self.json {
            return json(out, &all);
        }
        if all.drawers.is_empty() {
            return Ok(writeln!(
                out,
                "{}",
                said!("There is no drawer yet. `yadori drawer new NAME` makes one.")
            )?);
        }
        let mut rows = Vec::new();
        let mut group: Option<&str> = None;
        for one in &all.drawers {
            if one.group.as_deref() != group {
                group = one.group.as_deref();
                rows.push(vec![shown(group.unwrap_or_default(), false)]);
            }
            let indent = if group.is_some() { "  " } else { "" };
            let color = one.color.map(|color| color.word().to_owned()).unwrap_or_default();
            let name = format!("{indent}{}{}", table::spot(one.color), shown(&one.name, false));
            rows.push(vec![name, one.clips.to_string(), color]);
        }
        table::write(out, rows, &[1])?;
        Ok(writeln!(out, "{}", said!("Favorites outside drawers: {favorites}", favorites = all.favorites))?)
    }
}

fn no_divider(name: &str) -> Failure {
    Failure::Nothing(said!("there is no divider called {name} in it", name = shown(name, false)))
}

fn divider_called(service: &Connection, drawer: &str, name: &str) -> Result<Option<String>, Failure> {
    let items: Items = service.get(&format!("/drawers/{}", segment(drawer)?))?;
    Ok(items.items.into_iter().find_map(|item| match item {
        Item::Divider(divider) if divider.name.to_lowercase() == name.to_lowercase() => Some(divider.id),
        _ => None,
    }))
}

/// A divider by its words, or a clip by its address.
fn thing(service: &Connection, drawer: &str, name: &str) -> Result<String, Failure> {
    match divider_called(service, drawer, name)? {
        Some(id) => Ok(id),
        None => ids_of(service, name),
    }
}
