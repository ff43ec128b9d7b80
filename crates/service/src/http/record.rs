//! A clip as it is written to exports and read from imports: one JSON object, for people and other programs.
//! docs/formats.md describes it.

use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use jiff::Timestamp;
use serde::{Deserialize, Serialize};
use yadori_core::text::name::{TITLE_CHARS, name_of};
use yadori_core::{COPY_CAP, Clip, Color, Content, History, Kept, Micros, Offer, Representation, Source};
use yadori_core::clip::mime;

/// Bytes of a text that stand in the record itself.
const INLINE: usize = 4_096;
/// Representations of one clip at most.
const MOST: usize = 64;

/// One representation: its bytes stand in the record, or beside it.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RepresentationRecord {
    pub(super) mime: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) text: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) base64: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) file: Option<String>,
}

/// Where a clip is kept.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct KeptRecord {
    /// The name of its drawer; absent for favorites.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) drawer: Option<String>,
    /// Its place there, from 1, dividers counted.
    pub(super) place: u64,
}

/// One clip.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct ClipRecord {
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) id: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) kind: Option<String>,
    /// RFC 3339.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) copied_at: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) copies: Option<u64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) title: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) color: Option<Color>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) kept: Option<KeptRecord>,
    #[serde(default)]
    pub(super) source: Source,
    pub(super) representations: Vec<RepresentationRecord>,
}

impl ClipRecord {
    /// A clip without its contents.
    pub(super) fn of(clip: &Clip, kept: Option<KeptRecord>) -> Self {
        let at = Timestamp::from_microsecond(clip.ordered_at()).unwrap_or_default();
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
        }
    }

    /// The offer it describes; `content` gives the bytes that stand beside it.
    pub(super) fn offer(
        &self,
        now: Micros,
        mut content: impl FnMut(&str) -> Result<Content, String>,
    ) -> Result<Offer, String> {
        if self.representations.is_empty() || self.representations.len() > MOST {
            return Err(format!("a clip has between 1 and {MOST} representations"));
        }
        if let Some(title) = &self.title {
            name_of(title, TITLE_CHARS).map_err(|why| format!("its title can't be used: {why}"))?;
        }
        let mut representations = Vec::with_capacity(self.representations.len());
        let mut size = 0;
        for one in &self.representations {
            if one.mime.is_empty() || one.mime.len() > 255 || one.mime.chars().any(char::is_control) {
                return Err("a type is no type".into());
            }
            let content = match (&one.text, &one.base64, &one.file) {
                (Some(text), None, None) => Content::new(text.clone()),
                (None, Some(encoded), None) => {
                    Content::new(STANDARD.decode(encoded).map_err(|_| "its base64 is none")?)
                }
                (None, None, Some(file)) => content(file)?,
                _ => return Err("a representation has one of text, base64 and file".into()),
            };
            size += content.len() as u64;
            if size > COPY_CAP {
                return Err("it holds over 64 MiB".into());
            }
            representations.push(Representation { mime: one.mime.clone(), content });
        }
        let at = match &self.copied_at {
            None => now,
            Some(text) => {
                let at: Timestamp = text.parse().map_err(|_| "its time is none (RFC 3339 is expected)")?;
                at.as_microsecond().clamp(0, now)
            }
        };
        Ok(Offer { representations, source: self.source.clone(), at })
    }
}

impl RepresentationRecord {
    /// A representation whose bytes stand in the record, when they are a short text.
    pub(super) fn inline(mime: &str, content: &Content) -> Option<Self> {
        let short = content.len() <= INLINE && mime::carries_text(mime);
        let text = std::str::from_utf8(content.expose()).ok().filter(|_| short)?;
        Some(Self { mime: mime.to_owned(), text: Some(text.to_owned()), ..Self::default() })
    }

    /// A representation whose bytes stand in the record, whatever they are.
    pub(super) fn whole(mime: &str, content: &Content) -> Self {
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
pub(super) struct DrawerRecord {
    pub(super) name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) color: Option<Color>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) group: Option<String>,
    /// Headings, with their places among the clips, from 1.
    #[serde(default)]
    pub(super) dividers: Vec<(u64, String)>,
}

/// One thing in an exported drawer.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(super) enum ItemRecord {
    Divider(String),
    Clip(Box<ClipRecord>),
}

/// A drawer with everything in it, as one file.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct DrawerFile {
    /// The version of this format.
    pub(super) yadori_drawer: u32,
    pub(super) name: String,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) color: Option<Color>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) group: Option<String>,
    pub(super) items: Vec<ItemRecord>,
}

/// Everything kept, as drawers and the place of each clip.
pub(super) fn places(history: &History) -> (Vec<DrawerRecord>, Vec<(yadori_core::ClipId, KeptRecord)>) {
    let mut kept = Vec::new();
    for (n, clip) in history.favorites().into_iter().enumerate() {
        kept.push((clip.id, KeptRecord { drawer: None, place: n as u64 + 1 }));
    }
    let mut drawers = Vec::new();
    for (id, state) in history.drawers().shown() {
        let name = state.name().unwrap_or_default().to_owned();
        let mut things: Vec<(&str, Option<yadori_core::ClipId>, &str)> =
            history.in_drawer(id).map(|clip| (clip.state.kept().rank(), Some(clip.id), "")).collect();
        things.extend(state.dividers.values().filter_map(|one| Some((one.rank(), None, one.name()?))));
        things.sort();
        let mut dividers = Vec::new();
        for (n, (_, clip, divider)) in things.into_iter().enumerate() {
            let place = n as u64 + 1;
            match clip {
                Some(clip) => kept.push((clip, KeptRecord { drawer: Some(name.clone()), place })),
                None => dividers.push((place, divider.to_owned())),
            }
        }
        drawers.push(DrawerRecord {
            name,
            color: state.color(),
            group: state.group().map(str::to_owned),
            dividers,
        });
    }
    (drawers, kept)
}

/// What an imported clip is kept as.
pub(super) fn kept_as(drawer: Option<&str>, rank: String) -> Kept {
    match drawer {
        None => Kept::Favorite(rank),
        Some(drawer) => Kept::Drawer { drawer: drawer.to_owned(), rank },
    }
}
