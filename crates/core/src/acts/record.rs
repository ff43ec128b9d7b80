//! What is remembered of an act, so that it can be taken back and made again: each clip and drawer it touched, as it was
//! before and as the act left it.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::acts::cleared::ClearRecord;
use crate::acts::face::{BatchFace, ClipFace, DrawerFace};
use crate::acts::plan::Plan;
use crate::batch::{BatchId, Item};
use crate::clip::content::Digest;
use crate::clip::facts::Facts;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;
use crate::history::stored::StoredClip;
use crate::merge::clip::ClipState;
use crate::merge::drawer::DrawerState;

/// What an act did to one clip. `None` stands for a clip that is not in the history.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ClipChange {
    /// Which.
    pub id: ClipId,
    /// As it was.
    pub before: Option<ClipFace>,
    /// As the act left it.
    pub after: Option<ClipFace>,
}

/// What an act did to one drawer. `None` stands for a drawer that is not there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct DrawerRecord {
    /// Which.
    pub id: String,
    /// As it was.
    pub before: Option<DrawerFace>,
    /// As the act left it.
    pub after: Option<DrawerFace>,
}

/// What an act did to one batch. `None` stands for a batch that is not there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct BatchRecord {
    /// Which.
    pub id: BatchId,
    /// As it was.
    pub before: Option<BatchFace>,
    /// As the act left it.
    pub after: Option<BatchFace>,
    /// The items that came or went.
    pub items: Vec<Arc<Item>>,
}

/// What is remembered of an act.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct ActRecord {
    /// Clips.
    pub clips: Vec<ClipChange>,
    /// Drawers.
    pub drawers: Vec<DrawerRecord>,
    /// Batches.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub batches: Vec<BatchRecord>,
    /// A clearing: its clips are remembered in parts of their own.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clear: Option<ClearRecord>,
}

/// The version of the records that are written.
const VERSION: u32 = 3;

#[derive(Serialize)]
struct Written<'r> {
    version: u32,
    #[serde(flatten)]
    record: &'r ActRecord,
}

impl ActRecord {
    /// What is to be remembered of an act that is about to be done.
    pub fn of(plan: &Plan) -> Self {
        let clips = plan.clips.iter().map(|one| changed(&one.before, &one.after)).collect();
        let drawers = plan
            .drawers
            .iter()
            .map(|one| DrawerRecord {
                id: one.after.id.clone(),
                before: one.before.as_ref().and_then(|before| DrawerFace::of(&before.state)),
                after: DrawerFace::of(&one.after.state),
            })
            .collect();
        let batches = plan.batches.iter().map(|one| {
            let (mut items, gone) = one.comes_and_goes();
            items.extend(gone);
            BatchRecord {
                id: one.id,
                before: one.before.as_deref().map(BatchFace::of),
                after: one.after.as_ref().map(BatchFace::of),
                items,
            }
        });
        Self { clips, drawers, batches: batches.collect(), clear: None }
    }

    /// As it is kept: JSON.
    ///
    /// # Errors
    /// Those of the encoder; none is known to occur.
    pub fn to_bytes(&self) -> serde_json::Result<Vec<u8>> {
        serde_json::to_vec(&Written { version: VERSION, record: self })
    }

    /// Reads what [`ActRecord::to_bytes`] wrote, and what the first two versions did. `None` for anything else.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let value: serde_json::Value = serde_json::from_slice(bytes).ok()?;
        if value.get("version").is_some() {
            return serde_json::from_value(value).ok();
        }
        if value.is_array() {
            // The first version kept the removed clips alone.
            let removed: Vec<StoredClip> = serde_json::from_value(value).ok()?;
            let clips = removed.iter().map(|clip| ClipChange {
                id: clip.id,
                before: ClipFace::of(clip),
                after: None,
            });
            return Some(Self { clips: clips.collect(), drawers: Vec::new(), ..Self::default() });
        }
        serde_json::from_value::<SecondVersion>(value).ok().map(SecondVersion::read)
    }

    /// Contents that are needed to take it back or to make it again.
    pub fn holds(&self) -> Vec<Digest> {
        let faces = self.clips.iter().flat_map(|one| [&one.before, &one.after]).flatten();
        let offers = faces.filter_map(|face| face.content.as_ref()).flat_map(|content| &content.offers);
        let mut held: Vec<Digest> =
            offers.flat_map(|offer| offer.representations.iter().map(|one| one.digest)).collect();
        held.extend(self.batches.iter().flat_map(|one| &one.items).flat_map(|item| item.digests()));
        held.sort_unstable();
        held.dedup();
        held
    }

    /// It took clips away, or knows the contents of items: it ends with the grace period, so that nothing of them outlives
    /// their removal in it.
    pub fn removes(&self) -> bool {
        let goes = self.clips.iter().any(|one| one.before.is_some() && one.after.is_none());
        goes || self.clear.is_some() || self.batches.iter().any(|one| !one.items.is_empty())
    }

    /// True when nothing is left of it.
    pub fn is_empty(&self) -> bool {
        self.clips.is_empty() && self.drawers.is_empty() && self.batches.is_empty() && self.clear.is_none()
    }

    /// The clips it knows of.
    pub fn ids(&self) -> Vec<ClipId> {
        self.clips.iter().map(|one| one.id).collect()
    }
}

/// What was done to a clip, as it is remembered.
pub fn changed(before: &StoredClip, after: &StoredClip) -> ClipChange {
    change(after.id, ClipFace::of(before), ClipFace::of(after))
}

fn change(id: ClipId, before: Option<ClipFace>, after: Option<ClipFace>) -> ClipChange {
    match (before, after) {
        (Some(before), Some(after)) => {
            ClipChange { id, before: Some(before.slim()), after: Some(after.slim()) }
        }
        (before, after) => ClipChange { id, before, after },
    }
}

/// As the second version kept it: states with their stamps, without offers where a clip stays.
#[derive(Deserialize)]
struct SecondVersion {
    #[serde(default)]
    clips: Vec<SecondClip>,
    #[serde(default)]
    drawers: Vec<SecondDrawer>,
}

#[derive(Deserialize)]
struct SecondClip {
    id: ClipId,
    before: SecondImage,
    after: SecondImage,
}

#[derive(Deserialize)]
struct SecondImage {
    state: ClipState,
    #[serde(default)]
    facts: Option<Facts>,
    #[serde(default)]
    received_at: Micros,
}

#[derive(Deserialize)]
struct SecondDrawer {
    id: String,
    before: DrawerState,
    after: DrawerState,
}

impl SecondVersion {
    fn read(self) -> ActRecord {
        let clips = self.clips.into_iter().map(SecondClip::read).collect();
        let drawers = self.drawers.into_iter().map(|one| DrawerRecord {
            id: one.id,
            before: DrawerFace::of(&one.before),
            after: DrawerFace::of(&one.after),
        });
        ActRecord { clips, drawers: drawers.collect(), ..ActRecord::default() }
    }
}

impl SecondClip {
    fn read(self) -> ClipChange {
        let Self { id, before, after } = self;
        let stays = before.state.offers.is_empty() && after.state.offers.is_empty();
        let face = |image: SecondImage| {
            let state = &image.state;
            let copied_at = state.copied_at();
            let ordered_at = copied_at.map_or(image.received_at, |at| at.min(image.received_at));
            if !stays {
                let SecondImage { state, facts, .. } = image;
                return ClipFace::of(&StoredClip { id, state, facts, ordered_at });
            }
            Some(ClipFace {
                copied_at,
                ordered_at,
                title: state.title().map(str::to_owned),
                color: state.color(),
                kept: state.kept().clone(),
                made_from: state.made_from(),
                copies: 0,
                content: None,
            })
        };
        ClipChange { id, before: face(before), after: face(after) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn records_of_earlier_versions_are_read() {
        let id = ClipId::of(crate::clip::id::Class::Text, &[b"a"]);
        let state = |title: &str| {
            format!(
                r#"{{"offers":[],"copied_at":{{"at":[5,0,"01010101010101010101010101010101"],"value":7}},
                "title":{{"at":[6,0,"01010101010101010101010101010101"],"value":{title}}},"copies":{{}}}}"#
            )
        };
        let second = format!(
            r#"{{"clips":[{{"id":"{id}","before":{{"state":{},"received_at":9}},"after":{{"state":{},"received_at":9}}}}],
            "drawers":[{{"id":"d","before":{{}},"after":{{"name":{{"at":[6,0,"01010101010101010101010101010101"],"value":"Huts"}}}}}}]}}"#,
            state("null"),
            state("\"A name\"")
        );
        let read = ActRecord::from_bytes(second.as_bytes()).unwrap();
        let face = |face: &Option<ClipFace>| face.as_ref().map(|one| (one.title.clone(), one.ordered_at));
        assert_eq!(face(&read.clips[0].before), Some((None, 7)));
        assert_eq!(face(&read.clips[0].after), Some((Some("A name".into()), 7)));
        assert_eq!(read.drawers[0].before, None);
        assert_eq!(read.drawers[0].after.as_ref().unwrap().name, "Huts");
        assert_eq!(ActRecord::from_bytes(b"[]"), Some(ActRecord::default()));
        assert_eq!(ActRecord::from_bytes(&read.to_bytes().unwrap()), Some(read));
        assert_eq!(ActRecord::from_bytes(b"half"), None);
    }
}
