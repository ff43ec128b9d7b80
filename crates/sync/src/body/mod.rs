//! What is sealed of each kind of subject.

mod clip;
mod device;

pub use clip::{BlobKey, ClipBody, Held};
pub use device::DeviceBody;

/// The kind of a clip; its id has 16 bytes.
pub const CLIP: &str = "clip";
/// The kind of what is sent of a clip that does not travel any more: whether it is kept, and its floors. It is a subject of
/// its own, so that it never stands for the whole of the clip.
pub const KEPT: &str = "kept";
/// The kind of a drawer; its id is a text.
pub const DRAWER: &str = "drawer";
/// The kind of what a device says of itself; its id are the 16 bytes of the device.
pub const DEVICE: &str = "device";
