//! The clip that an address names.

use std::sync::Arc;

use axum::http::StatusCode;
use yadori_core::{Address, Clip};

use crate::http::Failure;
use crate::state::app::App;

/// The clip an address names.
pub(crate) fn resolve(app: &App, address: &str) -> Result<Arc<Clip>, Failure> {
    let address: Address = address.parse()?;
    Ok(app.clips.history().resolve(&address)?)
}

/// The same for whatever shows or changes its words: a masked clip shows none.
pub(crate) fn resolve_open(app: &App, address: &str) -> Result<Arc<Clip>, Failure> {
    let clip = resolve(app, address)?;
    if !clip.is_secret() {
        return Ok(clip);
    }
    let words = "it was recognised as a secret and is masked: it can be taken, removed or pinned, and is shown nowhere";
    Err(Failure::new(StatusCode::CONFLICT, "masked", "It is masked", words)
        .hint("take it, and paste it where it belongs"))
}
