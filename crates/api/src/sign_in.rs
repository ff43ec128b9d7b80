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
}

/// The key that every further request carries as a bearer token. It is good until the service ends.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SignedIn {
    /// The key.
    pub key: String,
}

/// Where a sandboxed frame can fetch copied html, once.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Frame {
    /// The path to load.
    pub path: String,
}
