//! Checking every content against its digest, and mending what can be mended: a short text can be made anew from what
//! the history tells of it, and a content at hand can be staged again.

use std::collections::{HashMap, HashSet};

use yadori_core::search::facts_are_whole;
use yadori_core::{Class, ClipId, Content, Digest};
use yadori_store::{ReadError, Store};

use crate::records::room::Disk;
use crate::state::app::App;

/// What a check found.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Checked {
    /// Contents that were looked at.
    pub contents: u64,
    /// Contents that were damaged or missing, and are whole again.
    pub mended: u64,
    /// Clips that can't be handed back as they were copied.
    pub damaged: Vec<ClipId>,
}

/// Looks at every content.
///
/// # Errors
/// While the database does not answer.
pub async fn check(app: &App, store: &Store, disk: &Disk) -> Result<Checked, ReadError> {
    let mut checked = Checked::default();
    let mut bad: HashSet<Digest> = store.missing_contents(u32::MAX).await?.into_iter().collect();
    let mut snapshot = store.snapshot().await?;
    let mut after = None;
    loop {
        let read = snapshot.contents_after(after).await?;
        let Some((last, _)) = read.last() else { break };
        after = Some(*last);
        checked.contents += read.len() as u64;
        bad.extend(read.iter().filter(|(_, content)| content.is_err()).map(|(digest, _)| *digest));
    }
    snapshot.close().await;
    let holders = holders(app, &bad);
    for digest in bad {
        let known = holders.get(&digest).map(Vec::as_slice).unwrap_or_default();
        match known.iter().find_map(|(_, text)| text.clone()) {
            Some(content) if store.mend(digest, &content).await.is_ok() && disk.has_room(0) => {
                checked.mended += 1;
            }
            _ => checked.damaged.extend(known.iter().map(|(id, _)| *id)),
        }
    }
    checked.damaged.sort_unstable();
    checked.damaged.dedup();
    app.health.change(|health| health.damaged = checked.damaged.len() as u64);
    Ok(checked)
}

/// The clips that need these contents, each with the content itself where the history tells all of it.
fn holders(app: &App, bad: &HashSet<Digest>) -> HashMap<Digest, Vec<(ClipId, Option<Content>)>> {
    let mut holders: HashMap<Digest, Vec<(ClipId, Option<Content>)>> = HashMap::new();
    for clip in app.clips.history().from(1) {
        let digests = clip.state.offer().into_iter().flat_map(|offer| &offer.representations);
        for digest in digests.map(|one| one.digest).filter(|digest| bad.contains(digest)) {
            let tells = clip.facts.class == Class::Text && facts_are_whole(&clip);
            let text = tells.then(|| Content::new(clip.facts.head.clone()));
            let text = text.filter(|content| content.digest() == digest);
            holders.entry(digest).or_default().push((clip.id, text));
        }
    }
    holders
}
