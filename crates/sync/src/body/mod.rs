//! What is sealed of each kind of subject.

mod clip;
mod device;
mod item;
mod sent;

pub use clip::{BlobKey, ClipBody, Held};
pub use device::DeviceBody;
pub use item::{ItemBody, item_id, read_item_id};
pub use sent::{SentBody, read_sent_id, sent_id};

/// The kind of a clip; its id has 16 bytes.
pub const CLIP: &str = "clip";
/// The kind of what is sent of a clip that does not travel any more: whether it is kept, and its floors. It is a subject of
/// its own, so that it never stands for the whole of the clip.
pub const KEPT: &str = "kept";
/// The kind of a drawer; its id is a text.
pub const DRAWER: &str = "drawer";
/// The kind of what a device says of itself; its id are the 16 bytes of the device.
pub const DEVICE: &str = "device";
/// The kind of a clip that a person sends to one device; its id are the 16 bytes of that device and the 16 of the clip.
pub const SENT: &str = "sent";
/// The kind of a batch, without its items; its id has 16 bytes.
pub const BATCH: &str = "batch";
/// The kind of an item of a batch; its id are the 16 bytes of the batch and the 16 of the item.
pub const ITEM: &str = "item";
/// The kind of the intake rules; its id is empty.
pub const RULES: &str = "rules";
