//! Exports: everything (or what a query finds) as a zip of JSON Lines with contents beside them, or as a CSV of texts; a
//! drawer as one JSON file. A clip that can't be read is named, and the rest is written.

use std::collections::{HashMap, HashSet};
use std::io::{self, Write};

use serde::{Deserialize, Serialize};
use tokio::runtime::Handle;
use yadori_api::LeftOut;
use yadori_core::acts::{ActError, drawer_called};
use yadori_core::clip::reading::plain_form;
use yadori_core::{Clip, ClipId, Digest, Kind, OfferRecord, Source};
use zip::ZipWriter;
use zip::write::{SimpleFileOptions, StreamWriter};

use crate::state::app::Shared;
use crate::state::at_hand::ContentError;
use crate::state::clock::now;
use crate::transfer::outgoing::{Content, Outgoing};
use crate::transfer::parts::{Portions, portion_name};
use crate::transfer::record::{
    ClipRecord, DrawerFile, DrawerRecord, EarlierRecord, ItemRecord, KeptRecord, RepresentationRecord, Thing,
    places, things,
};

/// The name of the part that says what an export is.
pub(super) const HEAD: &str = "yadori-export.json";
/// The name of the part with the drawers.
pub(super) const DRAWERS: &str = "drawers.json";
/// The name of the part with the clips in the first version, a line each.
pub(super) const OLD_CLIPS: &str = "clips.jsonl";
/// The name of the last part.
pub(super) const END: &str = "end.json";
/// The version of this format. The first one had its clips in one part, and no end; the second no earlier copies.
pub(super) const FORMAT: u32 = 3;
/// The version of a drawer's file. The first one had no earlier copies.
pub(super) const DRAWER_FORMAT: u32 = 2;

/// The columns of a CSV.
pub(super) const COLUMNS: [&str; 11] =
    ["copied_at", "kind", "title", "color", "drawer", "place", "copies", "program", "window", "page", "text"];

/// What an export is.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct Head {
    pub(super) yadori_export: u32,
    pub(super) made_by: String,
    pub(super) made_at: String,
    pub(super) clips: u64,
}

/// How an export ended.
#[derive(Debug, Serialize, Deserialize)]
pub(super) struct End {
    pub(super) clips: u64,
    pub(super) left_out: Vec<LeftOut>,
}

/// In which form clips are exported.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Form {
    /// Everything that they hold.
    Zip,
    /// Their texts.
    Csv,
}

/// Clips on their way out.
pub struct Export {
    app: Shared,
    ids: Vec<ClipId>,
    drawers: Vec<DrawerRecord>,
    kept: HashMap<ClipId, KeptRecord>,
    handle: Handle,
    content: Content,
}

impl Export {
    /// These clips, newest first, as they are kept now.
    pub fn new(app: Shared, mut ids: Vec<ClipId>, handle: Handle) -> Self {
        // Oldest first: an import makes the same order.
        ids.reverse();
        let (drawers, kept) = places(&app.clips.history());
        Self { app, ids, drawers, kept: kept.into_iter().collect(), handle, content: Content::default() }
    }

    /// How many clips are to be written.
    pub fn count(&self) -> usize {
        self.ids.len()
    }

    /// Writes them.
    ///
    /// # Errors
    /// The answer is broken off then.
    pub fn write(self, out: Outgoing, form: Form) -> io::Result<(Outgoing, Content)> {
        match form {
            Form::Zip => self.write_zip(out),
            Form::Csv => self.write_csv(out),
        }
    }

    /// What is exported. What lives in memory alone is not.
    fn clips(&self) -> Vec<ClipId> {
        let history = self.app.clips.history();
        let stays = |id: &&ClipId| history.get(**id).is_none_or(|clip| !clip.is_fleeting());
        self.ids.iter().filter(stays).copied().collect()
    }

    fn leave_out(&mut self, clip: &Clip, why: ContentError) -> io::Result<()> {
        match why {
            ContentError::Away => Err(io::Error::other(why)),
            ContentError::Damaged => {
                let why = why.to_string();
                self.content.left_out.push(LeftOut { id: clip.id.to_string(), why });
                Ok(())
            }
        }
    }

    fn write_zip(mut self, out: Outgoing) -> io::Result<(Outgoing, Content)> {
        let closer = out.closer();
        let mut zip = ZipWriter::new_stream(out);
        match self.write_parts(&mut zip) {
            Ok(()) => Ok((zip.finish()?.into_inner(), self.content)),
            Err(why) => {
                // The writer writes an end when it is dropped; nothing takes it then.
                closer.close();
                Err(why)
            }
        }
    }

    fn write_parts(&mut self, zip: &mut ZipWriter<StreamWriter<Outgoing>>) -> io::Result<()> {
        let options = SimpleFileOptions::default().unix_permissions(0o600);
        let mut part = |name: &str, bytes: &[u8]| -> io::Result<()> {
            zip.start_file(name, options)?;
            zip.write_all(bytes)
        };
        let head = Head {
            yadori_export: FORMAT,
            made_by: format!("yadori {}", env!("CARGO_PKG_VERSION")),
            made_at: jiff::Timestamp::from_microsecond(now()).unwrap_or_default().to_string(),
            clips: self.ids.len() as u64,
        };
        part(HEAD, &serde_json::to_vec_pretty(&head)?)?;
        part(DRAWERS, &serde_json::to_vec_pretty(&self.drawers)?)?;
        let mut written: HashSet<Digest> = HashSet::new();
        let mut portions = Portions::default();
        for id in self.clips() {
            let Some(clip) = self.app.clips.get(id) else { continue };
            let Some(offer) = clip.state.offer() else { continue };
            let read: Result<Vec<_>, ContentError> = offer
                .representations
                .iter()
                .map(|one| self.handle.block_on(self.app.at_hand.content(one.digest)))
                .collect();
            let contents = match read {
                Ok(contents) => contents,
                Err(why) => {
                    self.leave_out(&clip, why)?;
                    continue;
                }
            };
            let mut record = ClipRecord::of(&clip, self.kept.get(&clip.id).cloned());
            let mut put = |offer: &OfferRecord, contents: Vec<yadori_core::Content>| {
                let both = offer.representations.iter().zip(contents);
                let put = both.map(|(one, content)| {
                    let inline = RepresentationRecord::inline(&one.mime, &content);
                    if inline.is_none() && written.insert(one.digest) {
                        part(&format!("contents/{}", one.digest.to_hex()), content.expose())?;
                    }
                    Ok(inline.unwrap_or_else(|| RepresentationRecord::beside(&one.mime, one.digest)))
                });
                put.collect::<io::Result<Vec<RepresentationRecord>>>()
            };
            record.representations = put(offer, contents)?;
            for earlier in clip.state.shown_offers().iter().skip(1).map(|one| &one.value) {
                let read: Result<Vec<_>, ContentError> = earlier
                    .representations
                    .iter()
                    .map(|one| self.handle.block_on(self.app.at_hand.content(one.digest)))
                    .collect();
                match read {
                    Ok(contents) => record.earlier.push(EarlierRecord {
                        source: earlier.source.clone(),
                        representations: put(earlier, contents)?,
                        also: earlier.also.clone(),
                    }),
                    Err(why @ ContentError::Away) => return Err(io::Error::other(why)),
                    // What it shows is whole.
                    Err(ContentError::Damaged) => {}
                }
            }
            self.content.clips += 1;
            portions.add(&record, |number, lines| part(&portion_name(number), lines))?;
        }
        portions.flush(|number, lines| part(&portion_name(number), lines))?;
        let end = End { clips: self.content.clips, left_out: self.content.left_out.clone() };
        part(END, &serde_json::to_vec_pretty(&end)?)
    }

    fn write_csv(mut self, out: Outgoing) -> io::Result<(Outgoing, Content)> {
        let mut csv = csv::Writer::from_writer(out);
        csv.write_record(COLUMNS)?;
        for id in self.clips() {
            let Some(clip) = self.app.clips.get(id) else { continue };
            if clip.facts.kind() == Kind::Image {
                self.content.pictures += 1;
                continue;
            }
            let offer = match self.handle.block_on(self.app.at_hand.texts_of(&clip)) {
                Ok(offer) => offer,
                Err(why) => {
                    self.leave_out(&clip, why)?;
                    continue;
                }
            };
            let record = ClipRecord::of(&clip, self.kept.get(&clip.id).cloned());
            let text = plain_form(&offer).unwrap_or_default();
            let number = |number: u64| Some(number.to_string());
            let (place, drawer) = record.kept.map_or((None, None), |kept| (number(kept.place), kept.drawer));
            let Source { program, window, page } = record.source;
            let color = record.color.map(|color| color.word().to_owned());
            let copies = record.copies.and_then(number);
            let cells = [
                record.copied_at,
                record.kind,
                record.title,
                color,
                drawer,
                place,
                copies,
                program,
                window,
                page,
                Some(text),
            ];
            csv.write_record(cells.map(Option::unwrap_or_default))?;
            self.content.clips += 1;
        }
        let out = csv.into_inner().map_err(|why| io::Error::other(why.to_string()))?;
        Ok((out, self.content))
    }
}

/// A drawer with everything in it, on its way out.
pub struct DrawerExport {
    app: Shared,
    file: DrawerFile,
    things: Vec<Thing>,
    handle: Handle,
}

impl DrawerExport {
    /// The drawer that answers to a name.
    ///
    /// # Errors
    /// There is none, or there are several.
    pub fn new(app: Shared, name: &str, handle: Handle) -> Result<Self, ActError> {
        let (file, things) = {
            let history = app.clips.history();
            let id = drawer_called(&history, name)?;
            let state = history.drawers().get(&id).cloned().unwrap_or_default();
            let file = DrawerFile {
                yadori_drawer: DRAWER_FORMAT,
                name: state.name().unwrap_or_default().to_owned(),
                color: state.color(),
                group: state.group().map(str::to_owned),
                items: Vec::new(),
            };
            (file, things(&history, &id, &state))
        };
        Ok(Self { app, file, things, handle })
    }

    /// Writes it.
    ///
    /// # Errors
    /// The answer is broken off then.
    pub fn write(mut self, mut out: Outgoing) -> io::Result<(Outgoing, Content)> {
        let mut content = Content::default();
        for thing in std::mem::take(&mut self.things) {
            let clip = match thing {
                Err((_, divider)) => {
                    self.file.items.push(ItemRecord::Divider(divider));
                    continue;
                }
                Ok(clip) => clip,
            };
            match self.handle.block_on(self.app.at_hand.offer(&clip)) {
                Ok(offer) => {
                    let mut record = ClipRecord::of(&clip, None);
                    let whole = |one: &yadori_core::Representation| {
                        RepresentationRecord::whole(&one.mime, &one.content)
                    };
                    record.representations = offer.representations.iter().map(whole).collect();
                    for earlier in clip.state.shown_offers().iter().skip(1).map(|one| &one.value) {
                        let read = self.app.at_hand.offer_of(earlier, clip.copied_at());
                        match self.handle.block_on(read) {
                            Ok(offer) => record.earlier.push(EarlierRecord {
                                source: offer.source.clone(),
                                representations: offer.representations.iter().map(whole).collect(),
                                also: offer.also.clone(),
                            }),
                            Err(why @ ContentError::Away) => return Err(io::Error::other(why)),
                            // What it shows is whole.
                            Err(ContentError::Damaged) => {}
                        }
                    }
                    self.file.items.push(ItemRecord::Clip(Box::new(record)));
                    content.clips += 1;
                }
                Err(why @ ContentError::Away) => return Err(io::Error::other(why)),
                Err(why) => {
                    content.left_out.push(LeftOut { id: clip.id.to_string(), why: why.to_string() });
                }
            }
        }
        serde_json::to_writer_pretty(&mut out, &self.file)?;
        Ok((out, content))
    }
}
