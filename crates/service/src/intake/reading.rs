//! Reading an offer: what it is, its contents and their digests, its text. Large ones are read on a thread for such work.

use yadori_core::acts::{Copied, Extra};
use yadori_core::clip::facts::{HEAD_CHARS, HEAD_FILES};
use yadori_core::clip::reading::plain_form;
use yadori_core::text::stack::overwrite_stack;
use yadori_core::{Content, DeviceId, Digest, Micros, Offer, OfferRecord, RepresentationRecord, read};

use crate::writer::{ASIDE, Capture, PartOf};

/// Characters of what is told of a source.
const SOURCE_CHARS: usize = 400;

/// How a copy came.
#[derive(Clone, Debug)]
pub struct Arrival {
    /// When it was made.
    pub at: Micros,
    /// It was on the clipboard before the service started to watch.
    pub at_start: bool,
    /// It was made on this desktop just now.
    pub live: bool,
    /// It is the newest thing that this device saw, whatever the clock says.
    pub on_top: bool,
    /// What else is known of it, when it comes from elsewhere.
    pub extra: Option<Box<Extra>>,
}

/// Reads an offer. `None` when there is nothing in it.
pub async fn read_offer(device: DeviceId, offer: Offer, arrival: Arrival) -> Option<Capture> {
    if offer.size() <= ASIDE {
        return capture_of(device, offer, arrival);
    }
    match tokio::task::spawn_blocking(move || capture_of(device, offer, arrival)).await {
        Ok(capture) => capture,
        // A mistake in the program, told by whoever watches this part.
        Err(why) => std::panic::resume_unwind(why.into_panic()),
    }
}

fn capture_of(device: DeviceId, mut offer: Offer, arrival: Arrival) -> Option<Capture> {
    offer.source = offer.source.bounded(SOURCE_CHARS);
    let reading = read(offer, device)?;
    let (facts, offer) = (reading.facts, reading.offer);
    let short = facts.chars <= HEAD_CHARS as u64 && facts.file_count <= HEAD_FILES as u64;
    let text = if short { None } else { plain_form(&offer) };
    let (record, contents) = recorded(offer);
    let Arrival { at, at_start, live, on_top, extra } = arrival;
    let copied = Copied { id: reading.id, facts, record, at, at_start, on_top, extra };
    Some(Capture { copied, contents, text, staged: false, live, part_of: PartOf::Nothing, done: None })
}

/// An offer as it is recorded, and its contents.
pub fn recorded(offer: Offer) -> (OfferRecord, Vec<(Digest, Content)>) {
    let contents: Vec<_> =
        offer.representations.iter().map(|one| (one.content.digest(), one.content.clone())).collect();
    let representations = offer
        .representations
        .into_iter()
        .zip(&contents)
        .map(|(one, (digest, content))| RepresentationRecord {
            mime: one.mime,
            size: content.len() as u64,
            digest: *digest,
        })
        .collect();
    let record =
        OfferRecord { representations, also: offer.also, source: offer.source.bounded(SOURCE_CHARS) };
    // A hash leaves the last block of what it has read.
    overwrite_stack();
    (record, contents)
}
