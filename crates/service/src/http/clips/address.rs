//! The clip that an address names.

use std::sync::Arc;

use yadori_core::{Address, Clip};

use crate::http::Failure;
use crate::state::app::App;

/// The clip an address names.
pub(crate) fn resolve(app: &App, address: &str) -> Result<Arc<Clip>, Failure> {
    let address: Address = address.parse()?;
    Ok(app.clips.history().resolve(&address)?.clone())
}
