//! A query as it is asked.

use serde::Deserialize;
use utoipa::IntoParams;
use yadori_core::acts::drawer_called;
use yadori_core::search::{self, QueryError};

use crate::http::Failure;
use crate::search::find::{read_query, zone};
use crate::state::app::App;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Wanted {
    /// The query
    #[serde(default)]
    pub(super) q: String,
    /// How many, at most 500 with rows (50 if not given), at most 20,000 in outline
    pub(super) limit: Option<usize>,
    /// The viewer's time zone (IANA name, or an offset such as +09:00); this computer's if not given
    pub(super) zone: Option<String>,
    /// With rows: where nothing matches, what comes nearest to the words, unless `search.nearest` is off
    #[serde(default)]
    pub(super) nearest: bool,
    /// Only inside this place: `favorites`, or a drawer by its id or name
    pub(super) within: Option<String>,
    /// In outline: go on after the part whose `next` this was
    pub(super) after: Option<String>,
    /// In outline: leave out what is pinned, unless the query names favorites or drawers
    #[serde(default)]
    pub(super) spare_pinned: bool,
}

impl Wanted {
    /// What is asked, as a query; or why it can't be read as one.
    pub(super) fn read(&self, app: &App) -> Result<Result<search::Query, QueryError>, Failure> {
        let zone = zone(self.zone.as_deref()).ok_or_else(Failure::no_zone)?;
        let query = match read_query(app, &self.q, zone) {
            Ok(query) => query,
            Err(why) => return Ok(Err(why)),
        };
        Ok(Ok(match self.within.as_deref() {
            None => query,
            Some("favorites") => query.inside(None),
            Some(drawer) => query.inside(Some(drawer_called(&app.clips.history(), drawer)?)),
        }))
    }

    /// What is asked, as a query.
    pub(super) fn query(&self, app: &App) -> Result<search::Query, Failure> {
        self.read(app)?.map_err(|why| Failure::query(&self.q, &why))
    }
}
