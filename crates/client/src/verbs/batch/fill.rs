//! What goes into a batch.

use std::io::Write;

use clap::{Args, ValueEnum};
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{After, ChangeBatch, Filling, NewBatch, Parts, Split, TrySplit};

use super::super::{ids, json};
use crate::completing::clips;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use yadori_words::said;

/// A key that is pressed.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(super) enum Key {
    /// Nothing
    Nothing,
    /// On to the next field, or cell
    Tab,
    /// On to the next line, or the cell below
    Enter,
}

impl Key {
    fn after(self) -> After {
        match self {
            Self::Nothing => After::Nothing,
            Self::Tab => After::Tab,
            Self::Enter => After::Enter,
        }
    }
}

/// What is pressed after items that are pasted.
#[derive(Debug, Default, Args)]
pub(super) struct Keys {
    /// What is pressed after each item
    #[arg(long, value_enum, value_name = "KEY")]
    after: Option<Key>,
    /// What is pressed after the last item of each record, if something else
    #[arg(long, value_enum, value_name = "KEY")]
    after_record: Option<Key>,
}

impl Keys {
    pub(super) fn change(&self) -> ChangeBatch {
        let after_record = self.after_record.map(|key| key.after().word().to_owned());
        ChangeBatch { after_each: self.after.map(Key::after), after_record, ..ChangeBatch::default() }
    }
}

/// Clips, texts, or the parts of either.
#[derive(Debug, Args)]
pub(super) struct Fill {
    /// Which clips, in the order in which they shall be handed out
    #[arg(value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clips: Vec<String>,
    /// A text that is no clip
    #[arg(long, value_name = "TEXT")]
    text: Vec<String>,
    /// All clips of the sitting in which this one was copied, the first one copied first
    #[arg(long, value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    sitting: Option<String>,
    /// Split each: `lines`, `paragraphs`, `entries` (of a list), `cells` (of a copied range), `csv`, `pairs` (names and
    /// values), or `pattern`
    #[arg(long, value_name = "WAY")]
    split: Option<String>,
    /// Split by a regular expression: what its groups find, or what it parts
    #[arg(long, value_name = "REGEX", conflicts_with = "split")]
    pattern: Option<String>,
    /// The first row of a table holds the names of its fields
    #[arg(long)]
    header: bool,
    /// Only show what the parts would be
    #[arg(long)]
    pub(super) preview: bool,
    /// Before this item of the batch
    #[arg(long, value_name = "N")]
    pub(super) before: Option<u64>,
}

/// What a batch begins with.
#[derive(Debug, Args)]
pub(super) struct Begin {
    #[command(flatten)]
    pub(super) fill: Fill,
    /// Keep it by this name
    #[arg(long)]
    name: Option<String>,
    #[command(flatten)]
    keys: Keys,
}

impl Begin {
    pub(super) fn request(&self, service: &Connection) -> Result<NewBatch, Failure> {
        let filling = self.fill.filling(service)?;
        Ok(NewBatch { filling, change: ChangeBatch { name: self.name.clone(), ..self.keys.change() } })
    }
}

impl Fill {
    fn split(&self) -> Option<Split> {
        let way = self.pattern.as_ref().map(|_| "pattern".to_owned()).or_else(|| self.split.clone());
        way.map(|way| Split { way, pattern: self.pattern.clone(), header: self.header })
    }

    pub(super) fn filling(&self, service: &Connection) -> Result<Filling, Failure> {
        if self.clips.is_empty() && self.text.is_empty() && self.sitting.is_none() {
            return Err(Failure::Use(said!(
                "name clips, or give texts with --text, or a sitting with --sitting CLIP"
            )));
        }
        let (clips, texts) = (ids(service, &self.clips)?, self.text.clone());
        Ok(Filling { clips, texts, sitting: self.sitting.clone(), split: self.split(), before: None })
    }

    /// Shows what splitting would make of each.
    pub(super) fn preview(
        &self,
        service: &Connection,
        out: &mut dyn Write,
        as_json: bool,
    ) -> Result<(), Failure> {
        let Some(split) = self.split() else {
            return Err(Failure::Use(said!(
                "say how it is to be split, with --split WAY or --pattern REGEX"
            )));
        };
        let clips = self.clips.iter().map(|clip| (Some(clip.clone()), None));
        let texts = self.text.iter().map(|text| (None, Some(text.clone())));
        for (clip, text) in clips.chain(texts) {
            let parts: Parts = service.post("/split", &TrySplit { clip, text, split: split.clone() })?;
            if as_json {
                json(out, &parts)?;
                continue;
            }
            let mut record = 0;
            for (n, part) in parts.parts.iter().enumerate() {
                if parts.records > 1 && part.record != record {
                    record = part.record;
                    writeln!(out, "{}", said!("-- record {record}", record = record))?;
                }
                let label = part.label.as_ref().map(|label| format!("{label} · ")).unwrap_or_default();
                let words = shown(&format!("{label}{}", part.head), false);
                writeln!(out, "{:>4}  {}", n + 1, table::cut(&words, table::width().saturating_sub(6)))?;
            }
            let more = parts.total.saturating_sub(parts.parts.len() as u64);
            if more > 0 {
                writeln!(out, "{}", said!("      and {more} more", more = more))?;
            }
        }
        Ok(())
    }
}
