//! The shapes of the HTTP interface `/api/v1`, shared by service, client and tests. Times are microseconds since the
//! Unix epoch, UTC; sizes are bytes; places count from 1, the newest.

pub mod acts;
pub mod batches;
pub mod clearing;
pub mod clips;
pub mod devices;
pub mod drawers;
pub mod events;
pub mod fill_ins;
pub mod history;
pub mod keeping;
pub mod moment;
pub mod problem;
pub mod search;
pub mod sign_in;
pub mod status;
pub mod transfers;

pub use acts::{
    Act, Acted, Acts, BringUp, Compared, ComparedPart, Draft, Edit, Keep, KeepIn, Paint, Remove, Removed,
    Title,
};
pub use batches::{
    AllBatches, Batch, BatchItem, BatchItems, BatchesEvent, ChangeBatch, Filling, Hand, HandOut, HandedOut,
    Join, Joined, NewBatch, Parts, SomeItems, Split, TextPart, TrySplit,
};
pub use clearing::{Clear, ClearPlan, Cleared, Space, Waits, Work};
pub use clips::{
    AddClip, AddRepresentation, Added, Detail, EarlierOffer, Form, Kept, PasteInto, Pictured, PicturedState,
    PicturedWord, ReadyText, Representation, Row, Shape, Take, Taken, Tidied, TryTidy, TypedKeys,
};
pub use devices::{
    AllDevices, Device, LetIn, OnItsWay, Pairing, PairingState, PauseExchange, RefusedRecord, SendClip,
    ShowCode, StruckOff, TypeCode, TypePhrase,
};
pub use drawers::{
    AllDrawers, ChangeDivider, ChangeDrawer, Divider, Drawer, Item, Items, KeptOutline, NewDivider,
    NewDrawer, RankedDivider,
};
pub use events::{ClipEvent, Event, GoneEvent, KeptEvent};
pub use fill_ins::{FillPreview, Filled, Question};
pub use history::{Outline, Page, RowsById, RowsRequest};
pub use keeping::{
    AgeShare, AllOrders, AllRules, AllSettings, Amount, Autostart, ChangeSettings, CountedRule, LimitsPlan,
    Obeyed, Outlook, Reason, Recogniser, SetAutostart, Setting, StandingOrder, TriedRules, TryLimits,
    TryRules,
};
pub use problem::Problem;
pub use search::{
    Completion, Completions, Excerpt, ExcerptOf, Expected, Found, FoundOutline, Hit, ImportProgress, Insight,
    Share,
};
pub use sign_in::{
    AllPhones, Frame, PhoneLink, Proof, Renew, SignIn, SignInLink, SignedIn, SignedInBrowser,
    SignedInBrowsers,
};
pub use status::{
    Brought, Capture, CaptureState, ChordStatus, Database, DatabaseState, Density, FirstShown, Hitch, Hours,
    Language, LiveClipboard, LiveState, Look, PauseFor, Previews, Refusal, Restored, Status, Theme,
};

pub use transfers::{Checked, LeftOut, TransferEnd};
pub use yadori_core::acts::ActKind;
pub use yadori_core::batch::After;
pub use yadori_core::batch::split::WAYS;
pub use yadori_core::clip::secret::SecretKind;
pub use yadori_core::intake::rule::{Rule, Verdict};
pub use yadori_core::limits::{self, Order, Scope};
pub use yadori_core::picker;
pub use yadori_core::take::chord;
pub use yadori_core::take::tidy::STEPS;
pub use yadori_core::text::difference::Part;
pub use yadori_core::text::encoding::decoded;
pub use yadori_core::{COPY_CAP, Color, Kind, Picture, RefusalReason, Source};

/// Where the interface begins.
pub const ROOT: &str = "/api/v1";
