//! Drawers, their dividers, what is in them, and the favorites.

use std::sync::Arc;

use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api as api;
use yadori_api::{
    Acted, AllDrawers, ChangeDivider, ChangeDrawer, Divider, Item, Items, NewDivider, NewDrawer, Problem,
};
use yadori_core::{Color, DrawerState, History};

use super::acts::{acted, carry_out};
use super::extract::{Json, Path, Query};
use super::{Context, Failure};
use crate::app::{self, row};
use crate::keeper::Wish;
use crate::keeper::wishes::{DrawerChange, drawer_called};

/// Things of a list at most.
const MOST: usize = 500;

/// The core's word for a color.
pub(super) fn color(color: api::Color) -> Color {
    match color {
        api::Color::Blue => Color::Blue,
        api::Color::Green => Color::Green,
        api::Color::Amber => Color::Amber,
        api::Color::Red => Color::Red,
        api::Color::Violet => Color::Violet,
        api::Color::Teal => Color::Teal,
    }
}

fn described(history: &History, id: &str, state: &DrawerState) -> api::Drawer {
    api::Drawer {
        id: id.to_owned(),
        name: state.name().unwrap_or_default().to_owned(),
        color: state.color().map(app::color),
        group: state.group().map(str::to_owned),
        clips: history.in_drawer(id).count() as u64,
    }
}

/// All drawers, and how many favorites there are
#[utoipa::path(get, path = "/drawers", responses((status = 200, body = AllDrawers)))]
pub(super) async fn list(State(context): State<Arc<Context>>) -> axum::Json<AllDrawers> {
    let history = context.app.history();
    let drawers = history.drawers().shown();
    axum::Json(AllDrawers {
        drawers: drawers.into_iter().map(|(id, state)| described(&history, id, state)).collect(),
        favorites: history.favorites().len() as u64,
    })
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(super) struct Part {
    /// Begin after so many
    #[serde(default)]
    skip: usize,
    /// How many, at most 500
    limit: Option<usize>,
}

impl Part {
    fn of(&self, drawer: Option<api::Drawer>, all: Vec<Item>) -> Items {
        let total = all.len() as u64;
        let limit = self.limit.unwrap_or(MOST).min(MOST);
        Items { drawer, items: all.into_iter().skip(self.skip).take(limit).collect(), total }
    }
}

/// The favorites outside drawers, in their order: `f1` first
#[utoipa::path(get, path = "/favorites", params(Part), responses((status = 200, body = Items)))]
pub(super) async fn favorites(
    State(context): State<Arc<Context>>,
    Query(part): Query<Part>,
) -> axum::Json<Items> {
    let history = context.app.history();
    let all = history.favorites().into_iter().map(|clip| Item::Clip(Box::new(row(&history, clip)))).collect();
    axum::Json(part.of(None, all))
}

/// What is in a drawer (by id or name), in its order
#[utoipa::path(get, path = "/drawers/{drawer}", params(("drawer" = String, Path), Part),
    responses((status = 200, body = Items), (status = 404, body = Problem)))]
pub(super) async fn items(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
    Query(part): Query<Part>,
) -> Result<axum::Json<Items>, Failure> {
    let history = context.app.history();
    let (id, state) = drawer_called(&history, &drawer)?;
    Ok(axum::Json(part.of(Some(described(&history, id, state)), in_order(&history, id, state))))
}

/// Clips and dividers of a drawer, in their order.
pub(super) fn in_order(history: &History, id: &str, state: &DrawerState) -> Vec<Item> {
    let clips = history.in_drawer(id).map(|clip| {
        (
            (clip.state.kept().rank().to_owned(), 0, clip.id.to_string()),
            Item::Clip(Box::new(row(history, clip))),
        )
    });
    let dividers = state.dividers.iter().filter_map(|(id, one)| {
        let divider = Divider { id: id.clone(), name: one.name()?.to_owned() };
        Some(((one.rank().to_owned(), 1, id.clone()), Item::Divider(divider)))
    });
    let mut all: Vec<_> = clips.chain(dividers).collect();
    all.sort_by(|(a, _), (b, _)| a.cmp(b));
    all.into_iter().map(|(_, item)| item).collect()
}

/// Make a drawer
#[utoipa::path(post, path = "/drawers", request_body = NewDrawer,
    responses((status = 200, body = Acted), (status = 422, body = Problem)))]
pub(super) async fn make(
    State(context): State<Arc<Context>>,
    Json(wish): Json<NewDrawer>,
) -> Result<axum::Json<Acted>, Failure> {
    let wish = Wish::NewDrawer(wish.name, wish.color.map(color), wish.group);
    Ok(acted(&context, carry_out(&context, wish).await?))
}

/// Rename, recolor, group or move a drawer
#[utoipa::path(post, path = "/drawers/{drawer}/change", params(("drawer" = String, Path)), request_body = ChangeDrawer,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(super) async fn change(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
    Json(wish): Json<ChangeDrawer>,
) -> Result<axum::Json<Acted>, Failure> {
    let color = match wish.color.as_deref() {
        None => None,
        Some("none" | "") => Some(None),
        Some(name) => Some(Some(color_called(name)?)),
    };
    let group = wish.group.map(|group| Some(group).filter(|group| !group.trim().is_empty()));
    let change = DrawerChange { name: wish.name, color, group, before: wish.before };
    Ok(acted(&context, carry_out(&context, Wish::ChangeDrawer(drawer, change)).await?))
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
pub(super) async fn remove(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(&context, carry_out(&context, Wish::RemoveDrawer(drawer)).await?))
}

/// Make a divider in a drawer
#[utoipa::path(post, path = "/drawers/{drawer}/dividers", params(("drawer" = String, Path)), request_body = NewDivider,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(super) async fn new_divider(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
    Json(wish): Json<NewDivider>,
) -> Result<axum::Json<Acted>, Failure> {
    let wish = Wish::NewDivider(drawer, wish.name, wish.before);
    Ok(acted(&context, carry_out(&context, wish).await?))
}

/// Rename or move a divider
#[utoipa::path(post, path = "/drawers/{drawer}/dividers/{divider}/change",
    params(("drawer" = String, Path), ("divider" = String, Path)), request_body = ChangeDivider,
    responses((status = 200, body = Acted), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(super) async fn change_divider(
    State(context): State<Arc<Context>>,
    Path((drawer, divider)): Path<(String, String)>,
    Json(wish): Json<ChangeDivider>,
) -> Result<axum::Json<Acted>, Failure> {
    let wish = Wish::ChangeDivider(drawer, divider, wish.name, wish.before);
    Ok(acted(&context, carry_out(&context, wish).await?))
}

/// Remove a divider; what stood under it stays
#[utoipa::path(post, path = "/drawers/{drawer}/dividers/{divider}/remove",
    params(("drawer" = String, Path), ("divider" = String, Path)),
    responses((status = 200, body = Acted), (status = 404, body = Problem)))]
pub(super) async fn remove_divider(
    State(context): State<Arc<Context>>,
    Path((drawer, divider)): Path<(String, String)>,
) -> Result<axum::Json<Acted>, Failure> {
    Ok(acted(&context, carry_out(&context, Wish::RemoveDivider(drawer, divider)).await?))
}
