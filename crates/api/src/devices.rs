//! A person's own devices: pairing, who belongs, and how the exchange stands.

use serde::{Deserialize, Serialize};
use yadori_core::Micros;

/// A device of the group.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Device {
    /// Its id: 32 hexadecimal digits.
    pub id: String,
    /// What its owner calls it.
    pub name: String,
    /// It is this one.
    pub this: bool,
    /// When it was last heard of, or asked the hub for records; absent for this one, and for one that did neither yet.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub heard_at: Option<Micros>,
    /// How many of the group's records it has not asked for yet, as the hub says; absent for this one, and where the hub does
    /// not say.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub behind: Option<u64>,
    /// What it sends, in words.
    pub travels: String,
}

/// A record of another device that was refused.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RefusedRecord {
    /// When it came.
    pub at: Micros,
    /// The hub's number of it.
    pub number: u64,
    /// Why.
    pub why: String,
}

/// The devices of the group, and how the exchange stands.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AllDevices {
    /// The hub; absent when this device belongs to no group.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hub: Option<String>,
    /// Where this device serves a hub for others, with the beginning of its key after `#` where it speaks TLS.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub serves: Option<String>,
    /// Why it does not although it should, and what to do.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub serves_problem: Option<String>,
    /// Devices of the group, this one first.
    pub devices: Vec<Device>,
    /// The exchange is paused.
    pub paused: bool,
    /// What is wrong, in words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub trouble: Option<String>,
    /// When the hub answered last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reached_at: Option<Micros>,
    /// When everything that the hub had was received.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub received_at: Option<Micros>,
    /// How much waits to be sent: clips, drawers and the like.
    pub waits: u64,
    /// How many records the hub has beyond those that were received, at most.
    pub behind: u64,
    /// Records sent since the service started.
    pub sent: u64,
    /// Records received since the service started.
    pub received: u64,
    /// Records that were refused, newest first.
    pub refused: Vec<RefusedRecord>,
}

/// To show a code.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ShowCode {
    /// The hub at which a group shall be, when this device belongs to none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hub: Option<String>,
    /// The invitation of the hub's owner.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub invitation: Option<String>,
    /// What this device shall be called; its host name otherwise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
}

/// To type a code.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TypeCode {
    /// The hub of the group.
    pub hub: String,
    /// The code, as the other device shows it.
    pub code: String,
    /// What this device shall be called; its host name otherwise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
}

/// To type a recovery phrase.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TypePhrase {
    /// The hub of the group.
    pub hub: String,
    /// The phrase, as it was shown when the group came to be.
    pub phrase: String,
    /// What this device shall be called; its host name otherwise.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
}

/// To send a clip to a device.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SendClip {
    /// The whole id of the clip.
    pub id: String,
    /// The device, by its name or the beginning of its id.
    pub to: String,
}

/// A clip is on its way.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct OnItsWay {
    /// What the device is called.
    pub to: String,
}

/// How a pairing stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum PairingState {
    /// There was none.
    None,
    /// The code is shown, and waits to be typed on the other device.
    Shown,
    /// The code was typed here; the other device asks its person.
    Typed,
    /// The other device asks to be let in.
    Asks,
    /// It is being let in.
    Joining,
    /// Both belong to one group.
    Done,
    /// It did not come about.
    Failed,
}

/// A pairing.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Pairing {
    /// How it stands.
    pub state: PairingState,
    /// The code, while it is shown.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub code: Option<String>,
    /// What is typed on the other device, with the code and the hub's address, as a QR code drawn as SVG.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub picture: Option<String>,
    /// The recovery phrase of a group that has just come to be: it is shown with its first code alone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub phrase: Option<String>,
    /// What the other device is called.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub device: Option<String>,
    /// Why it did not come about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub why: Option<String>,
}

/// Whether the device that asks is let in.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LetIn {
    /// It is.
    pub yes: bool,
}

/// Whether the exchange is paused.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PauseExchange {
    /// It is.
    pub paused: bool,
}

/// A device that was struck off.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StruckOff {
    /// What it was called.
    pub name: String,
}
