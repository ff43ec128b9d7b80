//! Drawers, what is in them, and the favorites.

use std::sync::Arc;

use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api as api;
use yadori_api::{
    Acted, AllDrawers, ChangeDrawer, Divider, Item, Items, KeptOutline, NewDrawer, Problem, RankedDivider,
};
use yadori_core::acts::{Act, DrawerChange, drawer_called};
use yadori_core::{ClipId, Color, DrawerState, History};

use crate::home::random::random_name;
use crate::http::acts::done::carry_out;
use crate::http::clips::list::OUTLINED;
use crate::http::extract::{Json, Path, Query};
use crate::http::part::{Part, limited};
use crate::http::{Context, Failure};
use crate::state::shapes::{kept_of_rank, rank_of, row};
use crate::transfer::record::{Placed, dividers_of, placed};

/// Characters of an id.
const ID: usize = 26;

fn described(history: &History, id: &str, state: &DrawerState) -> api::Drawer {
    api::Drawer {
        id: id.to_owned(),
        name: state.name().unwrap_or_default().to_owned(),
        color: state.color(),
        group: state.group().map(str::to_owned),
        clips: history.ids_in_drawer(id).count() as u64,
    }
}

/// All drawers, and how many favorites there are
#[utoipa::path(get, path = "/drawers", responses((status = 200, body = AllDrawers)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> axum::Json<AllDrawers> {
    let history = context.app.clips.history();
    let drawers = history.drawers().shown();
    axum::Json(AllDrawers {
        drawers: drawers.into_iter().map(|(id, state)| described(&history, id, state)).collect(),
        favorites: history.favorite_ids().len() as u64,
    })
}

/// The favorites outside drawers, in their order: `f1` first
#[utoipa::path(get, path = "/favorites", params(Part), responses((status = 200, body = Items)))]
pub(crate) async fn favorites(
    State(context): State<Arc<Context>>,
    Query(part): Query<Part>,
) -> axum::Json<Items> {
    let history = context.app.clips.history();
    let all = || history.favorites_after(None).map(|(_, id)| Placed::Clip(id));
    let items = part_of(&history, &part, all());
    axum::Json(Items { drawer: None, items, total: all().count() as u64 })
}

/// The part of a list that is wanted.
fn part_of(history: &History, part: &Part, all: impl Iterator<Item = Placed>) -> Vec<Item> {
    let item = |one: Placed| match one {
        Placed::Clip(id) => Some(Item::Clip(Box::new(row(history, &*history.get(id)?)))),
        Placed::Divider { id, name } => Some(Item::Divider(Divider { id, name })),
    };
    all.skip(part.skip).take(part.limit()).filter_map(item).collect()
}

/// What is in a drawer (by id or name), in its order
#[utoipa::path(get, path = "/drawers/{drawer}", params(("drawer" = String, Path), Part),
    responses((status = 200, body = Items), (status = 404, body = Problem)))]
pub(crate) async fn items(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
    Query(part): Query<Part>,
) -> Result<axum::Json<Items>, Failure> {
    let history = context.app.clips.history();
    let id = drawer_called(&history, &drawer)?;
    let state = history.drawers().get(&id).cloned().unwrap_or_default();
    let drawer = Some(described(&history, &id, &state));
    let items = part_of(&history, &part, placed(&history, &id, &state));
    Ok(axum::Json(Items { drawer, items, total: placed(&history, &id, &state).count() as u64 }))
}

/// Which part of what is kept.
#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct KeptPart {
    /// Begin behind what another part ended with: its `next`
    after: Option<String>,
    /// How many clips, at most 20,000
    limit: Option<usize>,
}

impl KeptPart {
    fn limit(&self) -> Result<usize, Failure> {
        limited(self.limit, OUTLINED, OUTLINED)
    }

    /// The rank and the id of the clip that the part before ended with.
    fn after(&self) -> Result<Option<(String, ClipId)>, Failure> {
        let Some(text) = &self.after else { return Ok(None) };
        let split =
            text.split_at_checked(ID).and_then(|(id, rank)| Some((rank.to_owned(), ClipId::parse(id)?)));
        split.map(Some).ok_or_else(|| Failure::invalid("`after` is not what an answer gave as `next`"))
    }
}

/// The favorites outside drawers in outline: a part of them
#[utoipa::path(get, path = "/favorites/outline", params(KeptPart),
    responses((status = 200, body = KeptOutline), (status = 422, body = Problem)))]
pub(crate) async fn favorites_outline(
    State(context): State<Arc<Context>>,
    Query(part): Query<KeptPart>,
) -> Result<axum::Json<KeptOutline>, Failure> {
    let history = context.app.clips.history();
    let after = part.after()?.map(|(rank, id)| (kept_of_rank(&rank), id));
    let clips = history.favorites_after(after).map(|(kept, id)| (rank_of(&history, kept), id));
    Ok(axum::Json(outline_of(&history, None, Vec::new(), clips, part.limit()?)))
}

/// What is in a drawer (by id or name) in outline: a part of it
#[utoipa::path(get, path = "/drawers/{drawer}/outline", params(("drawer" = String, Path), KeptPart),
    responses((status = 200, body = KeptOutline), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn items_outline(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
    Query(part): Query<KeptPart>,
) -> Result<axum::Json<KeptOutline>, Failure> {
    let history = context.app.clips.history();
    let id = drawer_called(&history, &drawer)?;
    let state = history.drawers().get(&id).cloned().unwrap_or_default();
    let drawer = described(&history, &id, &state);
    let after = part.after()?;
    let dividers = if after.is_none() { dividers_of(&state) } else { Vec::new() };
    let dividers = dividers.into_iter().map(|(rank, id, name)| RankedDivider { id, name, rank }).collect();
    let clips = history.in_drawer_after(&id, after).map(|(rank, id)| (rank.to_owned(), id));
    Ok(axum::Json(outline_of(&history, Some(drawer), dividers, clips, part.limit()?)))
}

fn outline_of(
    history: &History,
    drawer: Option<api::Drawer>,
    dividers: Vec<RankedDivider>,
    clips: impl Iterator<Item = (String, ClipId)>,
    limit: usize,
) -> KeptOutline {
    use std::fmt::Write;
    let (revision, next) = (history.revision(), None);
    let (ids, kinds) = (String::new(), String::new());
    let mut out = KeptOutline { drawer, ids, kinds, ranks: Vec::new(), dividers, revision, next };
    let mut clips = clips.peekable();
    for (rank, id) in clips.by_ref().take(limit) {
        let Some(clip) = history.outlined(id) else { continue };
        let _ = write!(out.ids, "{id}");
        out.kinds.push(clip.letter);
        out.next = Some(format!("{id}{rank}"));
        out.ranks.push(rank);
    }
    if clips.peek().is_none() {
        out.next = None;
    }
    out
}

/// Make a drawer
#[utoipa::path(post, path = "/drawers", request_body = NewDrawer,
    responses((status = 200, body = Acted), (status = 422, body = Problem)))]
pub(crate) async fn make(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<NewDrawer>,
) -> Result<axum::Json<Acted>, Failure> {
    let NewDrawer { name, color, group } = wanted;
    carry_out(&context, Act::NewDrawer { id: random_name::<16>()?, name, color, group }).await
}

/// Rename, recolor, group or move a drawer
#[utoipa::path(post, path = "/drawers/{drawer}/change", params(("drawer" = String, Path)), request_body = ChangeDrawer,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn change(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
    Json(wanted): Json<ChangeDrawer>,
) -> Result<axum::Json<Acted>, Failure> {
    let color = match wanted.color.as_deref() {
        None => None,
        Some("none" | "") => Some(None),
        Some(name) => Some(Some(color_called(name)?)),
    };
    let group = wanted.group.map(|group| Some(group).filter(|group| !group.trim().is_empty()));
    let change = DrawerChange { name: wanted.name, color, group, before: wanted.before };
    carry_out(&context, Act::ChangeDrawer { drawer, change }).await
}

fn color_called(name: &str) -> Result<Color, Failure> {
    Color::ALL
        .into_iter()
        .find(|one| one.word() == name)
        .ok_or_else(|| Failure::invalid("a color is blue, green, amber, red, violet, teal or none"))
}

/// Remove a drawer; its clips become favorites
#[utoipa::path(post, path = "/drawers/{drawer}/remove", params(("drawer" = String, Path)),
    responses((status = 200, body = Acted), (status = 404, body = Problem)))]
pub(crate) async fn remove(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
) -> Result<axum::Json<Acted>, Failure> {
    carry_out(&context, Act::RemoveDrawer { drawer }).await
}
