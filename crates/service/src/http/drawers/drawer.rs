//! Drawers, what is in them, and the favorites.

use std::sync::Arc;

use axum::extract::State;
use yadori_api as api;
use yadori_api::{
    Acted, AllDrawers, ChangeDrawer, Divider, Item, Items, KeptOutline, NewDrawer, Problem, RankedDivider,
};
use yadori_core::acts::{Act, DrawerChange, drawer_called};
use yadori_core::{Color, DrawerState, History};

use crate::home::random::random_name;
use crate::http::acts::done::carry_out;
use crate::http::extract::{Json, Path, Query};
use crate::http::part::Part;
use crate::http::{Context, Failure};
use crate::state::shapes::{rank, row};
use crate::transfer::record::{Thing, things};

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

/// The part of a list that is wanted.
fn part_of(part: &Part, drawer: Option<api::Drawer>, all: Vec<Item>) -> Items {
    let total = all.len() as u64;
    Items { drawer, items: all.into_iter().skip(part.skip).take(part.limit()).collect(), total }
}

/// The favorites outside drawers, in their order: `f1` first
#[utoipa::path(get, path = "/favorites", params(Part), responses((status = 200, body = Items)))]
pub(crate) async fn favorites(
    State(context): State<Arc<Context>>,
    Query(part): Query<Part>,
) -> axum::Json<Items> {
    let history = context.app.clips.history();
    let all =
        history.favorites().into_iter().map(|clip| Item::Clip(Box::new(row(&history, &clip)))).collect();
    axum::Json(part_of(&part, None, all))
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
    Ok(axum::Json(part_of(&part, Some(described(&history, &id, &state)), in_order(&history, &id, &state))))
}

/// The favorites outside drawers, all of them in outline
#[utoipa::path(get, path = "/favorites/outline", responses((status = 200, body = KeptOutline)))]
pub(crate) async fn favorites_outline(State(context): State<Arc<Context>>) -> axum::Json<KeptOutline> {
    let history = context.app.clips.history();
    axum::Json(outline_of(&history, None, history.favorites().into_iter().map(Ok)))
}

/// What is in a drawer (by id or name), all of it in outline
#[utoipa::path(get, path = "/drawers/{drawer}/outline", params(("drawer" = String, Path)),
    responses((status = 200, body = KeptOutline), (status = 404, body = Problem)))]
pub(crate) async fn items_outline(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
) -> Result<axum::Json<KeptOutline>, Failure> {
    let history = context.app.clips.history();
    let id = drawer_called(&history, &drawer)?;
    let state = history.drawers().get(&id).cloned().unwrap_or_default();
    let drawer = described(&history, &id, &state);
    let mut out = outline_of(&history, Some(drawer), things(&history, &id, &state).into_iter());
    for one in &mut out.dividers {
        one.rank = state.dividers.get(&one.id).map(|one| one.rank().to_owned()).unwrap_or_default();
    }
    Ok(axum::Json(out))
}

fn outline_of(
    history: &History,
    drawer: Option<api::Drawer>,
    things: impl Iterator<Item = Thing>,
) -> KeptOutline {
    use std::fmt::Write;
    let revision = history.revision();
    let (ids, kinds) = (String::new(), String::new());
    let mut out = KeptOutline { drawer, ids, kinds, ranks: Vec::new(), dividers: Vec::new(), revision };
    for thing in things {
        match thing {
            Ok(clip) => {
                let _ = write!(out.ids, "{}", clip.id);
                out.kinds.push(clip.facts.letter());
                out.ranks.push(rank(history, &clip));
            }
            Err((id, name)) => out.dividers.push(RankedDivider { id, name, rank: String::new() }),
        }
    }
    out
}

/// Clips and dividers of a drawer, in their order.
fn in_order(history: &History, id: &str, state: &DrawerState) -> Vec<Item> {
    let divider = |divider: &(String, String)| {
        let (id, name) = divider.clone();
        Item::Divider(Divider { id, name })
    };
    things(history, id, state)
        .iter()
        .map(|thing| match thing {
            Ok(clip) => Item::Clip(Box::new(row(history, clip))),
            Err(one) => divider(one),
        })
        .collect()
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
