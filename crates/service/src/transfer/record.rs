//! A clip as it is written to exports and read from imports: one JSON object, for people and other programs.
//! docs/formats.md describes it.

use std::sync::Arc;

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use yadori_core::clip::mime;
use yadori_core::text::name::{NameError, TITLE_CHARS, name_of};
use yadori_core::{
    COPY_CAP, Clip, ClipId, Color, Content, Digest, DrawerState, History, Kept, Micros, NAME_BYTES, Offer,
    REPRESENTATIONS, Representation, Source,
};

/// Bytes of a text that stand in the record itself.
const INLINE: usize = 4_096;

/// Why a clip in a file can't be brought in.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RecordError {
    /// None, or too many.
    #[error("a clip has between 1 and {REPRESENTATIONS} representations")]
    Representations,
    /// Too many earlier copies.
    #[error("it has more than {EARLIER} earlier copies")]
    Earlier,
    /// A title that can't be one.
    #[error("its title can't be used: {0}")]
    Title(NameError),
    /// A type that is none.
    #[error("a type is no type")]
    Type,
    /// Not base64.
    #[error("its base64 is none")]
    Base64,
    /// In no form, or in several.
    #[error("a representation has one of text, base64 and file")]
    Form,
    /// Larger than a copy may be.
    #[error("it holds over 64 MiB")]
    TooLarge,
    /// Not a time.
    #[error("its time is none (RFC 3339 is expected)")]
    Time,
    /// Not JSON of this form.
    #[error("it is damaged")]
    Damaged,
    /// A file that is not named as contents are.
    #[error("it names a content outside the archive")]
    Outside,
    /// A file that is not there.
    #[error("its content is missing")]
    Missing,
    /// A file that is not what it was.
    #[error("its content was changed")]
    Changed,
}

/// One representation: its bytes stand in the record, or beside it.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct RepresentationRecord {
    pub(crate) mime: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) text: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) base64: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) file: Option<String>,
}

/// Where a clip is kept.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct KeptRecord {
    /// The name of its drawer; absent for favorites.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) drawer: Option<String>,
    /// Its place there, from 1, dividers counted.
    pub(crate) place: u64,
}

/// One clip.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct ClipRecord {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) id: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) kind: Option<String>,
    /// RFC 3339.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) copied_at: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) copies: Option<u64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) title: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) color: Option<Color>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) kept: Option<KeptRecord>,
    #[serde(default)]
    pub(crate) source: Source,
    pub(crate) representations: Vec<RepresentationRecord>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) also: Vec<String>,
    /// The id of the clip that it was edited from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) made_from: Option<String>,
    /// What earlier copies of it offered, newest first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) earlier: Vec<EarlierRecord>,
}

/// What an earlier copy of a clip offered.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct EarlierRecord {
    #[serde(default)]
    pub(crate) source: Source,
    pub(crate) representations: Vec<RepresentationRecord>,
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(crate) also: Vec<String>,
}

/// Earlier copies that are read of one clip.
const EARLIER: usize = 16;

impl ClipRecord {
    /// A clip without its contents.
    pub(crate) fn of(clip: &Clip, kept: Option<KeptRecord>) -> Self {
        let at = Timestamp::from_microsecond(clip.copied_at()).unwrap_or_default();
        Self {
            id: Some(clip.id.to_string()),
            kind: Some(clip.facts.kind().word().to_owned()),
            copied_at: Some(at.to_string()),
            copies: Some(clip.state.times_copied()),
            title: clip.state.title().map(str::to_owned),
            color: clip.state.color(),
            kept,
            source: clip.state.offer().map(|offer| offer.source.clone()).unwrap_or_default(),
            representations: Vec::new(),
            also: clip.state.offer().map(|offer| offer.also.clone()).unwrap_or_default(),
            made_from: clip.state.made_from().map(|id| id.to_string()),
            earlier: Vec::new(),
        }
    }

    /// The offers of earlier copies.
    pub(crate) fn earlier_offers(
        &self,
        now: Micros,
        mut content: impl FnMut(&str) -> Result<Content, RecordError>,
    ) -> Result<Vec<Offer>, RecordError> {
        if self.earlier.len() > EARLIER {
            return Err(RecordError::Earlier);
        }
        let whole = |one: &EarlierRecord| {
            let EarlierRecord { source, representations, also } = one.clone();
            Self { source, representations, also, ..Self::default() }.offer(now, &mut content)
        };
        self.earlier.iter().map(whole).collect()
    }

    /// The offer it describes; `content` gives the bytes that stand beside it.
    pub(crate) fn offer(
        &self,
        now: Micros,
        mut content: impl FnMut(&str) -> Result<Content, RecordError>,
    ) -> Result<Offer, RecordError> {
        if self.representations.is_empty() || self.representations.len() > REPRESENTATIONS {
            return Err(RecordError::Representations);
        }
        if self.also.len() > REPRESENTATIONS {
            return Err(RecordError::Representations);
        }
        self.also.iter().try_for_each(|name| type_of(name))?;
        if let Some(title) = &self.title {
            name_of(title, TITLE_CHARS).map_err(RecordError::Title)?;
        }
        let mut representations = Vec::with_capacity(self.representations.len());
        let mut size = 0;
        for one in &self.representations {
            type_of(&one.mime)?;
            let content = match (&one.text, &one.base64, &one.file) {
                (Some(text), None, None) => Content::new(text.clone()),
                (None, Some(encoded), None) => {
                    Content::new(STANDARD.decode(encoded).map_err(|_| RecordError::Base64)?)
                }
                (None, None, Some(file)) => content(file)?,
                _ => return Err(RecordError::Form),
            };
            size += content.len() as u64;
            if size > COPY_CAP {
                return Err(RecordError::TooLarge);
            }
            representations.push(Representation { mime: one.mime.clone(), content });
        }
        let at = match &self.copied_at {
            None => now,
            Some(text) => {
                let at: Timestamp = text.parse().map_err(|_| RecordError::Time)?;
                at.as_microsecond().clamp(0, now)
            }
        };
        Ok(Offer { representations, also: self.also.clone(), source: self.source.clone(), at })
    }
}

fn type_of(name: &str) -> Result<(), RecordError> {
    let fits = !name.is_empty() && name.len() <= NAME_BYTES && !name.chars().any(char::is_control);
    if fits { Ok(()) } else { Err(RecordError::Type) }
}

impl RepresentationRecord {
    /// A representation whose bytes stand in the record, when they are a short text.
    pub(crate) fn inline(mime: &str, content: &Content) -> Option<Self> {
        let short = content.len() <= INLINE && mime::carries_text(mime);
        let text = std::str::from_utf8(content.expose()).ok().filter(|_| short)?;
        Some(Self { mime: mime.to_owned(), text: Some(text.to_owned()), ..Self::default() })
    }

    /// A representation whose bytes stand beside the record.
    pub(crate) fn beside(mime: &str, digest: Digest) -> Self {
        let file = Some(format!("contents/{}", digest.to_hex()));
        Self { mime: mime.to_owned(), file, ..Self::default() }
    }

    /// A representation whose bytes stand in the record, whatever they are.
    pub(crate) fn whole(mime: &str, content: &Content) -> Self {
        let text = std::str::from_utf8(content.expose()).ok().filter(|_| mime::carries_text(mime));
        match text {
            Some(text) => Self { mime: mime.to_owned(), text: Some(text.to_owned()), ..Self::default() },
            None => {
                let encoded = STANDARD.encode(content.expose());
                Self { mime: mime.to_owned(), base64: Some(encoded), ..Self::default() }
            }
        }
    }
}

/// A drawer as it is written beside clips.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct DrawerRecord {
    pub(crate) name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) color: Option<Color>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) group: Option<String>,
    /// Headings, with their places among the clips, from 1.
    #[serde(default)]
    pub(crate) dividers: Vec<(u64, String)>,
}

/// One thing in an exported drawer.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum ItemRecord {
    Divider(String),
    Clip(Box<ClipRecord>),
}

/// A drawer with everything in it, as one file.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(crate) struct DrawerFile {
    /// The version of this format.
    pub(crate) yadori_drawer: u32,
    pub(crate) name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) color: Option<Color>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) group: Option<String>,
    pub(crate) items: Vec<ItemRecord>,
}

/// A clip, or a divider: its id and its words.
pub(crate) type Thing = Result<Arc<Clip>, (String, String)>;

/// Something in a drawer.
pub(crate) enum Placed {
    Clip(ClipId),
    Divider { id: String, name: String },
}

/// The dividers of a drawer in their order: rank, id, words.
pub(crate) fn dividers_of(state: &DrawerState) -> Vec<(String, String, String)> {
    let known = state
        .dividers
        .iter()
        .filter_map(|(id, one)| Some((one.rank().to_owned(), id.clone(), one.name()?.to_owned())));
    let mut all: Vec<_> = known.collect();
    all.sort();
    all
}

/// What is in a drawer, in its order: by the bytes of the rank, then clips before dividers, then by id.
pub(crate) fn placed(history: &History, id: &str, state: &DrawerState) -> impl Iterator<Item = Placed> {
    let mut clips = history.in_drawer_after(id, None).peekable();
    let mut dividers = dividers_of(state).into_iter().peekable();
    std::iter::from_fn(move || {
        let clip =
            clips.next_if(|(rank, _)| dividers.peek().is_none_or(|(other, ..)| *rank <= other.as_str()));
        if let Some((_, id)) = clip {
            return Some(Placed::Clip(id));
        }
        dividers.next().map(|(_, id, name)| Placed::Divider { id, name })
    })
}

/// The same with the clips themselves.
pub(crate) fn things(history: &History, id: &str, state: &DrawerState) -> Vec<Thing> {
    let thing = |one| match one {
        Placed::Clip(id) => history.get(id).map(Ok),
        Placed::Divider { id, name } => Some(Err((id, name))),
    };
    placed(history, id, state).filter_map(thing).collect()
}

/// Everything kept, as drawers and the place of each clip.
pub(crate) fn places(history: &History) -> (Vec<DrawerRecord>, Vec<(ClipId, KeptRecord)>) {
    let mut kept = Vec::new();
    for (n, clip) in history.favorites().into_iter().enumerate() {
        kept.push((clip.id, KeptRecord { drawer: None, place: n as u64 + 1 }));
    }
    let mut drawers = Vec::new();
    for (id, state) in history.drawers().shown() {
        let name = state.name().unwrap_or_default().to_owned();
        let mut dividers = Vec::new();
        for (n, thing) in things(history, id, state).into_iter().enumerate() {
            let place = n as u64 + 1;
            match thing {
                Ok(clip) => kept.push((clip.id, KeptRecord { drawer: Some(name.clone()), place })),
                Err((_, divider)) => dividers.push((place, divider)),
            }
        }
        let (color, group) = (state.color(), state.group().map(str::to_owned));
        drawers.push(DrawerRecord { name, color, group, dividers });
    }
    (drawers, kept)
}

/// What an imported clip is kept as.
pub(crate) fn kept_as(drawer: Option<&str>, rank: String) -> Kept {
    match drawer {
        None => Kept::Favorite(rank),
        Some(drawer) => Kept::Drawer { drawer: drawer.to_owned(), rank },
    }
}
