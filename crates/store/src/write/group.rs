//! A group of changes that are committed together, and how long that may take.

use std::time::Duration;

use yadori_core::intake::rule::Rule;
use yadori_core::intake::shared::SharedRules;
use yadori_core::{ClipId, Content, Digest, Drawer, Micros, Stamp, StoredClip};

use crate::rows::{
    ActRow, BatchChange, BroughtRow, DraftRow, ExchangeRow, ForgettingAct, PartRow, PortionRow, RefusalRow,
    SharedChange, SignInChange, SteppedAct, Subject,
};

/// Rows per statement.
pub(crate) const ROWS: usize = 200;
/// A transaction that takes longer than this and than its size explains counts as one without an answer.
pub(crate) const LIMIT: Duration = Duration::from_secs(15);
/// Bytes that a transaction is given one more second for.
const BYTES_A_SECOND: u64 = 2 << 20;

/// Changes that are committed together.
#[derive(Clone, Debug, Default)]
pub struct Group {
    /// Contents of up to one chunk, stored in this transaction.
    pub contents: Vec<(Digest, Content)>,
    /// Contents that were staged before and must be there.
    pub staged: Vec<Digest>,
    /// Clips to write whole.
    pub clips: Vec<StoredClip>,
    /// Contents that a holder (the id of a clip or batch) no longer needs.
    pub dropped: Vec<([u8; 16], Digest)>,
    /// What has become of batches.
    pub batches: Vec<BatchChange>,
    /// What has become of them as devices share them.
    pub shared: Vec<SharedChange>,
    /// Intake rules as devices share them, and the list that they were compared with.
    pub rules: Option<(SharedRules, Vec<Rule>)>,
    /// What is to be sent beside clips and drawers.
    pub to_send: Vec<Subject>,
    /// What others know, since it has come from them, beside clips.
    pub known: Vec<Subject>,
    /// Acts to write.
    pub acts: Vec<ActRow>,
    /// Acts that were taken back or made again. They hold their contents until they end.
    pub stepped: Vec<SteppedAct>,
    /// Acts that lose a part of what they know.
    pub forgetting: Vec<ForgettingAct>,
    /// Drawers to write whole.
    pub drawers: Vec<Drawer>,
    /// Drafts to keep or to let go of.
    pub drafts: Vec<DraftRow>,
    /// What has become of sign-ins.
    pub sign_ins: Vec<SignInChange>,
    /// Acts whose grace period has ended: they are deleted, and the contents only they held are wiped.
    pub ended: Vec<[u8; 16]>,
    /// What imports have done.
    pub brought: Vec<BroughtRow>,
    /// What imports have done, up to a number, that is part of an act now, or is not to be one.
    pub brought_ended: Vec<([u8; 16], u64)>,
    /// Portions of clips that clearings are to take.
    pub portions: Vec<PortionRow>,
    /// Portions (act, number) that were taken.
    pub portions_done: Vec<([u8; 16], i32)>,
    /// Parts of clearings that stand.
    pub parts: Vec<PartRow>,
    /// Parts of clearings that were taken back.
    pub parts_back: Vec<([u8; 16], Vec<ClipId>)>,
    /// Parts of clearings that end, with the contents they held.
    pub parts_ended: Vec<([u8; 16], Vec<ClipId>, Vec<Digest>)>,
    /// How far acts have come: one of [`STANDS`](crate::STANDS), [`GOING`](crate::GOING), …; and how many clips they took,
    /// where that is another number than before.
    pub going: Vec<([u8; 16], i8, Option<u64>)>,
    /// Clips that go without leaving anything.
    pub evicted: Vec<ClipId>,
    /// Contents that are wiped if nobody needs them.
    pub unneeded: Vec<Digest>,
    /// Copies that were not kept.
    pub refusals: Vec<RefusalRow>,
    /// The clips that were received become the history.
    pub restored: bool,
    /// What has come from other devices, and how far the exchange has come with it: nothing of it is to be sent.
    pub exchange: Option<ExchangeRow>,
    /// These changes are for this device alone: nothing of them is to be sent.
    pub here_only: bool,
    /// The clock after these changes.
    pub clock: Option<Stamp>,
    /// The time of the commit.
    pub now: Micros,
}

impl Group {
    fn bytes(&self) -> u64 {
        let contents = self.contents.iter().map(|(_, content)| content.len() as u64);
        let acts = self.acts.iter().map(|act| act.payload.len() as u64);
        let items = self.batches.iter().map(|one| match one {
            BatchChange::Put { comes, .. } => comes.len() as u64 * 2_000,
            _ => 0,
        });
        let parts = self.parts.iter().map(|part| part.body.len() as u64);
        let brought = self.brought.iter().map(|row| row.body.len() as u64);
        let rows = self.clips.len() + self.evicted.len();
        contents.chain(acts).chain(items).chain(parts).chain(brought).sum::<u64>() + rows as u64 * 1_000
    }

    /// How long its transaction may take.
    pub(crate) fn limit(&self) -> Duration {
        LIMIT + Duration::from_secs(self.bytes() / BYTES_A_SECOND)
    }
}
