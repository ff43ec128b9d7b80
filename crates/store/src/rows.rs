//! The rows, as the rest of the program sees them. Clips and drawers are the core's own.

use std::sync::Arc;

use yadori_core::acts::ActKind;
use yadori_core::batch::shared::{BatchHead, ItemHead, ItemKey};
use yadori_core::batch::{Batch, Item};
use yadori_core::intake::shared::SharedRules;
use yadori_core::{BatchId, ClipId, DeviceId, Digest, DrawerState, Micros, RefusalReason, Stamp, StoredClip};

/// One thing a person did that can be taken back.
#[derive(Clone, Debug)]
pub struct ActRow {
    /// 16 random bytes.
    pub id: [u8; 16],
    /// Its number: acts are taken back in the order of these.
    pub number: i64,
    /// When, by the wall clock.
    pub at: Micros,
    /// What sort of act.
    pub kind: ActKind,
    /// What is needed to take it back; empty where it is not asked for.
    pub payload: Vec<u8>,
    /// The contents it needs for that.
    pub holds: Vec<Digest>,
    /// The number of its undoing, and when that was; `None` while it stands.
    pub undone: Option<(i64, Micros)>,
    /// It holds nothing that was removed, and so outlives the grace period.
    pub lasting: bool,
    /// The id of its first clip, or of its drawer, in words.
    pub subject: Option<String>,
    /// The clips it knows of; none for a clearing.
    pub clips: Vec<ClipId>,
    /// A clearing: how many clips it was meant to take.
    pub cleared: Option<u64>,
    /// How far it has come: [`STANDS`] and so on.
    pub going: i8,
}

/// Everything of the act is as it says.
pub const STANDS: i8 = 0;
/// Its parts follow.
pub const GOING: i8 = 1;
/// Its parts follow, and it ends with them.
pub const GOING_TO_END: i8 = 2;
/// It ends: its parts are let go of.
pub const ENDING: i8 = 3;

/// Clips that a clearing is to take with one change.
#[derive(Clone, Debug)]
pub struct PortionRow {
    /// Of which act.
    pub act: [u8; 16],
    /// Its number.
    pub n: i32,
    /// They.
    pub clips: Vec<ClipId>,
    /// Those of them whose floor is another one than the clearing's.
    pub ahead: Vec<(ClipId, Stamp)>,
}

/// What brings back one clip of a clearing.
#[derive(Clone, Debug)]
pub struct PartRow {
    /// Of which act.
    pub act: [u8; 16],
    /// Which clip.
    pub clip: ClipId,
    /// What brings it back, as JSON.
    pub body: Vec<u8>,
    /// The contents it needs for that.
    pub holds: Vec<Digest>,
}

/// What an import does to one clip or drawer.
#[derive(Clone, Debug)]
pub struct BroughtRow {
    /// Which import.
    pub import: [u8; 16],
    /// The name of the clip or drawer: the same each time that more is done to it.
    pub subject: [u8; 16],
    /// What was done, as JSON.
    pub body: Vec<u8>,
}

/// An act that was taken back or made again.
#[derive(Clone, Debug)]
pub struct SteppedAct {
    /// Which.
    pub id: [u8; 16],
    /// The number of its undoing, and when that was; `None` when it was made again.
    pub undone: Option<(i64, Micros)>,
}

/// An act that lost a part of what it knew.
#[derive(Clone, Debug)]
pub struct ForgettingAct {
    /// Which.
    pub id: [u8; 16],
    /// What it still knows.
    pub payload: Vec<u8>,
    /// The clips it still knows of.
    pub clips: Vec<ClipId>,
}

/// What becomes of a draft.
#[derive(Clone, Debug)]
pub struct DraftRow {
    /// The clip that is being edited.
    pub clip: ClipId,
    /// What was typed; `None` to let go of it.
    pub text: Option<String>,
}

/// What has become of a batch.
#[derive(Clone, Debug)]
pub enum BatchChange {
    /// It is new, or another one in some way.
    Put {
        /// As it is.
        batch: Box<Batch>,
        /// Items that are new in it.
        comes: Vec<Arc<Item>>,
        /// Items that are not in it any more.
        goes: Vec<u32>,
    },
    /// Something of it was handed out, or it was taken in hand.
    Handed {
        /// Which.
        id: BatchId,
        /// How many stand before the one that is next.
        next: usize,
        /// When it was last taken in hand.
        used_at: i64,
    },
    /// It is gone.
    End(BatchId),
}

/// What has changed of a batch as devices share it.
#[derive(Clone, Debug)]
pub struct SharedChange {
    /// Which.
    pub id: BatchId,
    /// What devices agree on of the whole, as it is.
    pub head: BatchHead,
    /// Items that have changed.
    pub items: Vec<(ItemKey, ItemHead)>,
}

/// A browser that is signed in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct SignInRow {
    /// 16 random bytes.
    pub id: [u8; 16],
    /// The public half of its key pair: P-256, SEC 1 uncompressed, 65 bytes.
    pub public: Vec<u8>,
    /// The origin it signed in at.
    pub origin: String,
    /// What it calls itself.
    pub name: String,
    /// When it signed in.
    pub made_at: Micros,
    /// When it last came back.
    pub seen_at: Micros,
}

/// What has become of a sign-in.
#[derive(Clone, Debug)]
pub enum SignInChange {
    /// It is new, or was seen again.
    Keep(SignInRow),
    /// It has ended.
    End([u8; 16]),
}

/// A copy that was not kept.
#[derive(Clone, PartialEq, Eq)]
pub struct RefusalRow {
    /// When it was made.
    pub at: Micros,
    /// Why.
    pub reason: RefusalReason,
    /// Its size in bytes, as far as that is known.
    pub size: Option<u64>,
    /// The program it came from.
    pub program: Option<String>,
}

impl std::fmt::Debug for RefusalRow {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "RefusalRow({}, {:?} bytes)", self.reason.word(), self.size)
    }
}

/// What is exchanged: a word for its kind, and its id.
pub type Subject = (String, Vec<u8>);

/// How far the exchange has come.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct ExchangeRow {
    /// Which life of this device it is.
    pub incarnation: u64,
    /// The last of this device's numbers that was given.
    pub sequence: u64,
    /// The last of the hub's numbers that was seen.
    pub seen: u64,
    /// How far lives of devices have been seen: device, incarnation, sequence. Those that are not named stay as they are.
    pub heads: Vec<(DeviceId, u64, u64)>,
    /// Devices that were heard of; an empty body leaves what was said before.
    pub devices: Vec<DeviceRow>,
    /// Contents that are blobs at the hub.
    pub blobs: Vec<BlobRow>,
}

/// A content that is a blob at the hub.
#[derive(Clone, PartialEq, Eq)]
pub struct BlobRow {
    /// Which content.
    pub digest: Digest,
    /// The name of the blob.
    pub name: [u8; 16],
    /// Its key.
    pub key: [u8; 32],
    /// Bytes of the content.
    pub size: u64,
    /// How many of its parts this device has sent.
    pub sent: u32,
}

impl std::fmt::Debug for BlobRow {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "BlobRow({} bytes)", self.size)
    }
}

/// What a device says of itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeviceRow {
    /// Which.
    pub device: DeviceId,
    /// What it said, as it sent it; empty: nothing yet.
    pub body: Vec<u8>,
    /// When it was last heard of.
    pub heard_at: i64,
}

/// Something that waits to be sent.
#[derive(Clone, Debug, PartialEq)]
pub struct DueRow {
    /// What.
    pub subject: Subject,
    /// How often it has changed.
    pub version: u64,
    /// It was sent before.
    pub sent: bool,
    /// What it is, as of the same moment.
    pub state: DueState,
}

/// What something that waits to be sent is.
#[derive(Clone, Debug, PartialEq)]
pub enum DueState {
    /// A clip.
    Clip(Box<StoredClip>),
    /// A drawer.
    Drawer(Box<DrawerState>),
    /// A batch, without its items.
    Batch(Box<BatchHead>),
    /// An item of a batch.
    Item {
        /// When it came or went.
        at: Stamp,
        /// Its batch has a name: it is kept.
        named: bool,
        /// It; `None` where it is gone.
        item: Option<Box<Item>>,
    },
    /// The intake rules.
    Rules(Box<SharedRules>),
    /// Of another kind, or nothing is recorded of it.
    Other,
}

/// How far what was here before has been noted.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Noted {
    /// There is more.
    More,
    /// There is more, which is not in its place yet: later.
    Later,
    /// All of it.
    All,
}

/// A record on its way.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct OutgoingRow {
    /// Its number.
    pub sequence: u64,
    /// What it is about.
    pub subject: Subject,
    /// How often that had changed.
    pub version: u64,
    /// It, sealed.
    pub body: Vec<u8>,
    /// The names of the blobs that it lists.
    pub blobs: Vec<[u8; 16]>,
}

/// Everything of the exchange that is read at start.
#[derive(Clone, Debug, Default)]
pub struct ExchangeState {
    /// How far it has come; `None`: this device belongs to no group.
    pub row: Option<ExchangeRow>,
    /// The chain of the group.
    pub entries: Vec<Vec<u8>>,
    /// Records on their way, in the order of their numbers.
    pub outgoing: Vec<OutgoingRow>,
}
