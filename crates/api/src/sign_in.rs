//! How a browser gets its key: a one-time link, asked for over the Unix socket, its secret in the fragment.

use serde::{Deserialize, Serialize};

/// A sign-in link, good once and for a minute.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignInLink {
    /// The address to open.
    pub url: String,
    /// For how many seconds it is good.
    pub seconds: u32,
}

/// The secret from the link's fragment.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignIn {
    /// The secret.
    pub entry: String,
    /// The public half of a key pair that this browser made and whose private half it can't hand out: P-256, SEC 1
    /// uncompressed, in base64. With it the sign-in outlives the service.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub public: Option<String>,
    /// What to call this browser in the list of those that are signed in; at most 60 characters.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
}

/// Something to sign, good for a minute.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Proof {
    /// It.
    pub nonce: String,
}

/// A browser that has signed in before shows that it still has its private key.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Renew {
    /// The id of its sign-in.
    pub id: String,
    /// What was given to sign.
    pub nonce: String,
    /// ECDSA over P-256 with SHA-256 (64 bytes, in base64) of `yadori sign-in`, the origin, the id and the nonce, each
    /// but the last followed by a line feed.
    pub signature: String,
}

/// A browser that is signed in.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignedInBrowser {
    /// The id of its sign-in.
    pub id: String,
    /// What it calls itself.
    pub name: String,
    /// The address it signed in at.
    pub origin: String,
    /// When it signed in.
    #[serde(with = "crate::moment")]
    pub made_at: i64,
    /// When it last came back.
    #[serde(with = "crate::moment")]
    pub seen_at: i64,
    /// It is the one that asks.
    pub here: bool,
}

/// All browsers that are signed in, the newest first.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignedInBrowsers {
    /// They.
    pub browsers: Vec<SignedInBrowser>,
}

/// The key that every further request carries as a bearer token. It is good until the service ends.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignedIn {
    /// The key.
    pub key: String,
    /// The id of the sign-in, when it outlives the service.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
}

/// Where a sandboxed frame can fetch copied html, once.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Frame {
    /// The path to load.
    pub path: String,
}

/// How phones come in, and those that are signed in.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AllPhones {
    /// Where they come in; absent where they do not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub address: Option<String>,
    /// SHA-256 of the certificate that they are to trust, as they show it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub fingerprint: Option<String>,
    /// That certificate is of this device's own authority, at `/authority.crt`.
    #[serde(default)]
    pub own_authority: bool,
    /// Why they do not come in although they should.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<String>,
    /// Those that are signed in.
    pub phones: Vec<SignedInBrowser>,
}

/// What lets a phone in, once.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PhoneLink {
    /// The address to open there.
    pub url: String,
    /// For how many seconds it is good.
    pub seconds: u32,
    /// The address as a QR code (ISO/IEC 18004), drawn as SVG.
    pub picture: String,
    /// SHA-256 of the certificate that the phone is to trust, as it shows it.
    pub fingerprint: String,
}
