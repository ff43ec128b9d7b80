//! What a person may wish for, and what each wish makes of clips and drawers: planned on the history as it is, without
//! touching anything.

use yadori_core::history::arrange::moved;
use yadori_core::history::drawers::NoDrawer;
use yadori_core::merge::drawer::Divider;
use yadori_core::text::name::{NAME_CHARS, TITLE_CHARS, name_of};
use yadori_core::text::fold::fold;
use yadori_core::merge::register::Written;
use yadori_core::{ClipId, Color, Drawer, DrawerState, History, Kept, Stamp};
use yadori_store::{CHUNK, ClipRow, Group};

use super::plan::record_of;
use super::{ActError, Capture, Keeper};
use crate::app::now;
use crate::home::random;

/// Where clips shall be kept.
#[derive(Clone, Debug)]
pub enum Place {
    /// Nowhere: they are pinned no longer.
    Nowhere,
    /// Among the favorites.
    Favorites,
    /// In a drawer, by id or name.
    Drawer(String),
}

/// What shall become of a drawer; what is `None` stays.
#[derive(Clone, Debug, Default)]
pub struct DrawerChange {
    /// Its name.
    pub name: Option<String>,
    /// Its color.
    pub color: Option<Option<Color>>,
    /// Its group.
    pub group: Option<Option<String>>,
    /// Before which drawer; an empty name for the end.
    pub before: Option<String>,
}

/// One thing a person does.
#[derive(Debug)]
pub enum Wish {
    /// Clips go; those that are pinned stay, if that is wished for.
    Remove(Vec<ClipId>, bool),
    /// Clips are kept in a place, before a clip or divider; an empty text for the end.
    Keep(Vec<ClipId>, Place, Option<String>),
    /// A clip gets a title, or loses it.
    Title(ClipId, Option<String>),
    /// Clips get a color, or lose it.
    Paint(Vec<ClipId>, Option<Color>),
    /// Clips come to the top.
    BringUp(Vec<ClipId>),
    /// A text is changed: this capture takes the clip's place.
    Edit(ClipId, Box<Capture>),
    /// The original of an edited clip takes its place again.
    PutBack(ClipId),
    /// A drawer is made: name, color, group.
    NewDrawer(String, Option<Color>, Option<String>),
    /// A drawer changes.
    ChangeDrawer(String, DrawerChange),
    /// A drawer goes; its clips become favorites.
    RemoveDrawer(String),
    /// A heading is made in a drawer, before a clip or divider.
    NewDivider(String, String, Option<String>),
    /// A heading changes: drawer, divider, name, before.
    ChangeDivider(String, String, Option<String>, Option<String>),
    /// A heading goes.
    RemoveDivider(String, String),
}

/// What a wish makes of everything.
#[derive(Debug, Default)]
pub(super) struct Draft {
    pub(super) kind: &'static str,
    pub(super) clips: Vec<(ClipRow, ClipRow)>,
    pub(super) drawers: Vec<(Option<Drawer>, Drawer)>,
    pub(super) made: Option<String>,
    /// Contents that come with it.
    pub(super) group: Group,
    /// The text that comes with it.
    pub(super) text: Option<(ClipId, String)>,
}

impl Draft {
    fn new(kind: &'static str) -> Self {
        Self { kind, ..Self::default() }
    }
}

/// A thing in a list of kept things.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
enum Thing {
    Clip(ClipId),
    Divider(String),
}

fn invalid<T>(why: impl Into<String>) -> Result<T, ActError> {
    Err(ActError::Invalid(why.into()))
}

fn valid_name(text: &str) -> Result<String, ActError> {
    name_of(text, NAME_CHARS).map_err(|why| ActError::Invalid(format!("this name can't be used: {why}")))
}

fn new_id() -> Result<String, ActError> {
    let bytes = random::<16>().map_err(|why| ActError::Refused(why.to_string()))?;
    Ok(bytes.iter().map(|byte| format!("{byte:02x}")).collect())
}

/// A drawer by id or name.
pub fn drawer_called<'h>(history: &'h History, name: &str) -> Result<(&'h str, &'h DrawerState), ActError> {
    history.drawers().find(name).map_err(|why| match why {
        NoDrawer::None => {
            let names: Vec<&str> =
                history.drawers().shown().iter().filter_map(|(_, state)| state.name()).take(12).collect();
            let there = if names.is_empty() {
                "there is none yet".to_owned()
            } else {
                format!("there is: {}", names.join(", "))
            };
            ActError::NoDrawer(format!("no drawer answers to that; {there}"))
        }
        NoDrawer::Several(names) => {
            ActError::NoDrawer(format!("several drawers begin so: {}", names.join(", ")))
        }
    })
}

impl Keeper {
    fn write<T>(&mut self, subject: Option<Stamp>, value: T) -> Option<Written<T>> {
        Some(Written { at: self.tick(subject), value })
    }

    /// The rows of those clips that are there, each once.
    fn there(&self, ids: &[ClipId]) -> Result<Vec<ClipRow>, ActError> {
        let history = self.app.history();
        let mut seen = std::collections::HashSet::new();
        let rows: Vec<ClipRow> = ids
            .iter()
            .filter(|id| seen.insert(**id))
            .filter_map(|id| history.get(*id).map(|clip| ClipRow::from(&**clip)))
            .collect();
        if rows.is_empty() {
            return Err(ActError::Nothing("none of these clips is in the history any more".into()));
        }
        Ok(rows)
    }

    pub(super) fn plan_wish(&mut self, wish: Wish) -> Result<Draft, ActError> {
        match wish {
            Wish::Remove(ids, spare_pinned) => self.plan_removal(&ids, spare_pinned),
            Wish::Keep(ids, place, before) => self.plan_keeping(&ids, &place, before.as_deref()),
            Wish::Title(id, title) => self.plan_title(id, title.as_deref()),
            Wish::Paint(ids, color) => self.plan_paint(&ids, color),
            Wish::BringUp(ids) => self.plan_bring_up(&ids),
            Wish::Edit(id, capture) => self.plan_edit(id, &capture),
            Wish::PutBack(id) => self.plan_put_back(id),
            Wish::NewDrawer(name, color, group) => self.plan_new_drawer(&name, color, group.as_deref()),
            Wish::ChangeDrawer(id, change) => self.plan_drawer_change(&id, &change),
            Wish::RemoveDrawer(id) => self.plan_drawer(&id, "remove-drawer", |keeper, state| {
                state.removed = Some(keeper.tick(state.newest_stamp()));
                Ok(())
            }),
            Wish::NewDivider(drawer, name, before) => {
                self.plan_new_divider(&drawer, &name, before.as_deref())
            }
            Wish::ChangeDivider(drawer, divider, name, before) => {
                self.plan_divider_change(&drawer, &divider, name.as_deref(), before.as_deref())
            }
            Wish::RemoveDivider(drawer, divider) => self.plan_drawer(&drawer, "divider", |keeper, state| {
                let at = keeper.tick(state.newest_stamp());
                divider_of(state, &divider)?.removed = Some(at);
                Ok(())
            }),
        }
    }

    fn plan_removal(&mut self, ids: &[ClipId], spare_pinned: bool) -> Result<Draft, ActError> {
        let mut draft = Draft::new("remove");
        let mut rows = self.there(ids)?;
        rows.retain(|row| !(spare_pinned && row.state.is_pinned()));
        if rows.is_empty() {
            return Err(ActError::Nothing("all of them are pinned, and stay".into()));
        }
        for before in rows {
            let mut state = before.state.clone();
            state.remove(self.tick(state.newest_stamp()));
            let after = ClipRow { id: before.id, state, facts: None, received_at: before.received_at };
            draft.clips.push((before, after));
        }
        Ok(draft)
    }

    fn plan_keeping(
        &mut self,
        ids: &[ClipId],
        place: &Place,
        before: Option<&str>,
    ) -> Result<Draft, ActError> {
        let rows = self.there(ids)?;
        let drawer = match place {
            Place::Nowhere => return self.plan_unpinning(rows),
            Place::Favorites => None,
            Place::Drawer(name) => Some(drawer_called(&self.app.history(), name)?.0.to_owned()),
        };
        let list = self.list_of(drawer.as_deref());
        let known: std::collections::HashSet<ClipId> = list
            .iter()
            .filter_map(|(thing, _)| match thing {
                Thing::Clip(id) => Some(*id),
                Thing::Divider(_) => None,
            })
            .collect();
        let is_there = |row: &ClipRow| known.contains(&row.id);
        let moving: Vec<Thing> = rows
            .iter()
            .filter(|row| before.is_some() || !is_there(row))
            .map(|row| Thing::Clip(row.id))
            .collect();
        if moving.is_empty() {
            return Err(ActError::Nothing("it is kept there already".into()));
        }
        let moves_within = rows.iter().any(is_there);
        let mut draft = Draft::new(match (&drawer, moves_within) {
            (_, true) => "move",
            (None, _) => "pin",
            (Some(_), _) => "put",
        });
        let before = before.filter(|before| !before.is_empty()).map(thing_called).transpose()?;
        if before.as_ref().is_some_and(|before| list.iter().all(|(thing, _)| thing != before)) {
            return invalid("what it shall stand before is not in that place");
        }
        let list: Vec<(Thing, &str)> =
            list.iter().map(|(thing, rank)| (thing.clone(), rank.as_str())).collect();
        let written = moved(&list, &moving, before.as_ref());
        self.rank(&mut draft, drawer.as_deref(), written);
        Ok(draft)
    }

    fn plan_unpinning(&mut self, rows: Vec<ClipRow>) -> Result<Draft, ActError> {
        let mut draft = Draft::new("unpin");
        for before in rows.into_iter().filter(|row| row.state.is_pinned()) {
            let mut after = before.clone();
            after.state.kept = self.write(after.state.newest_stamp(), Kept::No);
            draft.clips.push((before, after));
        }
        if draft.clips.is_empty() {
            return Err(ActError::Nothing("it was not pinned".into()));
        }
        Ok(draft)
    }

    /// What is kept in one place, in its order, with ranks.
    fn list_of(&self, drawer: Option<&str>) -> Vec<(Thing, String)> {
        let history = self.app.history();
        let Some(drawer) = drawer else {
            let favorites = history.favorites();
            // Clips of removed drawers have no rank among the favorites: without ranks all are ranked anew.
            let strays = favorites.iter().any(|clip| clip.state.kept().drawer().is_some());
            return favorites
                .into_iter()
                .map(|clip| {
                    let rank = if strays { "" } else { clip.state.kept().rank() };
                    (Thing::Clip(clip.id), rank.to_owned())
                })
                .collect();
        };
        let mut list: Vec<(Thing, String)> = history
            .in_drawer(drawer)
            .map(|clip| (Thing::Clip(clip.id), clip.state.kept().rank().to_owned()))
            .collect();
        if let Some(state) = history.drawers().get(drawer) {
            let shown = state.dividers.iter().filter(|(_, one)| one.name().is_some());
            list.extend(shown.map(|(id, one)| (Thing::Divider(id.clone()), one.rank().to_owned())));
        }
        list.sort_by(|(a, a_rank), (b, b_rank)| (a_rank, a).cmp(&(b_rank, b)));
        list
    }

    /// Writes ranks into clips and dividers.
    fn rank(&mut self, draft: &mut Draft, drawer: Option<&str>, written: Vec<(Thing, String)>) {
        let mut dividers: Vec<(String, String)> = Vec::new();
        for (thing, rank) in written {
            match thing {
                Thing::Divider(id) => dividers.push((id, rank)),
                Thing::Clip(id) => {
                    let before = self.shown(id);
                    if before.state.offer().is_none() {
                        continue;
                    }
                    let kept = match drawer {
                        None => Kept::Favorite(rank),
                        Some(drawer) => Kept::Drawer { drawer: drawer.to_owned(), rank },
                    };
                    let mut after = before.clone();
                    after.state.kept = self.write(after.state.newest_stamp(), kept);
                    draft.clips.push((before, after));
                }
            }
        }
        let Some(drawer) = drawer.filter(|_| !dividers.is_empty()) else { return };
        let at = draft.drawers.iter().position(|(_, after)| after.id == drawer);
        let at = match at {
            Some(at) => at,
            None => {
                let Some(state) = self.app.history().drawers().get(drawer).cloned() else { return };
                let one = Drawer { id: drawer.to_owned(), state };
                draft.drawers.push((Some(one.clone()), one));
                draft.drawers.len() - 1
            }
        };
        for (id, rank) in dividers {
            let stamp = draft.drawers[at].1.state.newest_stamp();
            let rank = self.write(stamp, rank);
            draft.drawers[at].1.state.dividers.entry(id).or_default().rank = rank;
        }
    }

    fn plan_title(&mut self, id: ClipId, title: Option<&str>) -> Result<Draft, ActError> {
        let title = match title.map(str::trim).filter(|title| !title.is_empty()) {
            None => None,
            Some(title) => Some(
                name_of(title, TITLE_CHARS)
                    .map_err(|why| ActError::Invalid(format!("this title can't be used: {why}")))?,
            ),
        };
        let mut draft = Draft::new("title");
        for before in self.there(&[id])? {
            if before.state.title() == title.as_deref() {
                return Err(ActError::Nothing("it has that title already".into()));
            }
            let mut after = before.clone();
            after.state.title = self.write(after.state.newest_stamp(), title.clone());
            draft.clips.push((before, after));
        }
        Ok(draft)
    }

    fn plan_paint(&mut self, ids: &[ClipId], color: Option<Color>) -> Result<Draft, ActError> {
        let mut draft = Draft::new("color");
        for before in self.there(ids)?.into_iter().filter(|row| row.state.color() != color) {
            let mut after = before.clone();
            after.state.color = self.write(after.state.newest_stamp(), color);
            draft.clips.push((before, after));
        }
        if draft.clips.is_empty() {
            return Err(ActError::Nothing("it has that color already".into()));
        }
        Ok(draft)
    }

    fn plan_bring_up(&mut self, ids: &[ClipId]) -> Result<Draft, ActError> {
        let rows = self.there(ids)?;
        let newest = self.app.history().at(1).map_or(0, |clip| clip.ordered_at());
        let first = now().max(newest + 1);
        let mut draft = Draft::new("bring-up");
        // The first one named ends up at the very top.
        for (before, at) in rows.into_iter().rev().zip(first..) {
            let mut after = before.clone();
            after.state.copied_at = self.write(after.state.newest_stamp(), at);
            after.received_at = after.received_at.max(at);
            draft.clips.push((before, after));
        }
        Ok(draft)
    }

    fn plan_edit(&mut self, id: ClipId, capture: &Capture) -> Result<Draft, ActError> {
        let before = self.there(&[id])?.remove(0);
        let new = capture.reading.id;
        if new == id {
            return Err(ActError::Nothing("the text is the same as before".into()));
        }
        let known = self.shown(new);
        if known.state.is_pinned() && known.state.offer().is_some() {
            return invalid("this very text is kept already; take that clip, or change the text once more");
        }
        let mut draft = Draft::new("edit");
        let mut made = known.clone();
        let at = before.state.copied_at().unwrap_or(before.received_at) + 1;
        let stamp = self.tick(made.state.newest_stamp());
        made.state.capture(record_of(capture), at, stamp);
        made.facts = Some(capture.reading.facts.clone());
        made.received_at = now();
        made.state.made_from = self.write(made.state.newest_stamp(), Some(id));
        self.take_over(&mut draft, before, known, made);
        for (digest, content) in &capture.contents {
            if content.len() > CHUNK {
                draft.group.staged.push(*digest);
            } else {
                draft.group.contents.push((*digest, content.clone()));
            }
        }
        draft.text = yadori_core::clip::reading::plain_form(&capture.reading.offer).map(|text| (new, text));
        draft.made = Some(new.to_string());
        Ok(draft)
    }

    fn plan_put_back(&mut self, id: ClipId) -> Result<Draft, ActError> {
        let edited = self.there(&[id])?.remove(0);
        let Some(original) = edited.state.made_from() else {
            return Err(ActError::Nothing("it was not made by an edit".into()));
        };
        let known = self.shown(original);
        if known.state.offer().is_none() {
            return Err(ActError::Nothing("its original was removed".into()));
        }
        let mut draft = Draft::new("put-back");
        let mut back = known.clone();
        let at = edited.state.copied_at().unwrap_or(edited.received_at) + 1;
        if known.state.copied_at().is_none_or(|own| own < at) {
            back.state.copied_at = self.write(back.state.newest_stamp(), at);
        }
        self.take_over(&mut draft, edited, known, back);
        draft.made = Some(original.to_string());
        Ok(draft)
    }

    /// One clip takes over the place, title and color of another.
    fn take_over(&mut self, draft: &mut Draft, old: ClipRow, known: ClipRow, mut new: ClipRow) {
        let mut left = old.clone();
        if let Some(title) = old.state.title() {
            new.state.title = self.write(new.state.newest_stamp(), Some(title.to_owned()));
            left.state.title = self.write(left.state.newest_stamp(), None);
        }
        if let Some(color) = old.state.color() {
            new.state.color = self.write(new.state.newest_stamp(), Some(color));
            left.state.color = self.write(left.state.newest_stamp(), None);
        }
        if old.state.is_pinned() {
            new.state.kept = self.write(new.state.newest_stamp(), old.state.kept().clone());
            left.state.kept = self.write(left.state.newest_stamp(), Kept::No);
        }
        draft.clips.push((known, new));
        draft.clips.push((old, left));
    }

    fn free_name(&self, name: &str, own: Option<&str>) -> Result<String, ActError> {
        let name = valid_name(name)?;
        let history = self.app.history();
        let taken = history
            .drawers()
            .shown()
            .into_iter()
            .any(|(id, state)| Some(id) != own && state.name().map(fold) == Some(fold(&name)));
        if taken { invalid(format!("there is a drawer called {name} already")) } else { Ok(name) }
    }

    fn plan_new_drawer(
        &mut self,
        name: &str,
        color: Option<Color>,
        group: Option<&str>,
    ) -> Result<Draft, ActError> {
        let name = self.free_name(name, None)?;
        let group = group.filter(|group| !group.trim().is_empty()).map(valid_name).transpose()?;
        let rank = self.app.history().drawers().rank_at_end(group.as_deref());
        let state = DrawerState {
            name: self.write(None, name),
            color: self.write(None, color),
            group: self.write(None, group),
            rank: self.write(None, rank),
            ..DrawerState::default()
        };
        let id = new_id()?;
        let mut draft = Draft::new("new-drawer");
        draft.drawers.push((None, Drawer { id: id.clone(), state }));
        draft.made = Some(id);
        Ok(draft)
    }

    fn plan_drawer(
        &mut self,
        name: &str,
        kind: &'static str,
        change: impl FnOnce(&mut Self, &mut DrawerState) -> Result<(), ActError>,
    ) -> Result<Draft, ActError> {
        let (id, state) = {
            let history = self.app.history();
            let (id, state) = drawer_called(&history, name)?;
            (id.to_owned(), state.clone())
        };
        let mut after = state.clone();
        change(self, &mut after)?;
        if after == state {
            return Err(ActError::Nothing("it is like that already".into()));
        }
        let mut draft = Draft::new(kind);
        draft.drawers.push((Some(Drawer { id: id.clone(), state }), Drawer { id, state: after }));
        Ok(draft)
    }

    fn plan_drawer_change(&mut self, id: &str, change: &DrawerChange) -> Result<Draft, ActError> {
        let own = drawer_called(&self.app.history(), id)?.0.to_owned();
        let name = change.name.as_deref().map(|name| self.free_name(name, Some(&own))).transpose()?;
        let group = change
            .group
            .as_ref()
            .map(|group| group.as_deref().filter(|one| !one.trim().is_empty()).map(valid_name).transpose())
            .transpose()?;
        let mut draft = self.plan_drawer(&own, "drawer", |keeper, state| {
            if let Some(name) = name.filter(|name| state.name() != Some(name)) {
                state.name = keeper.write(state.newest_stamp(), name);
            }
            if let Some(color) = change.color.filter(|color| state.color() != *color) {
                state.color = keeper.write(state.newest_stamp(), color);
            }
            if let Some(group) = group.filter(|group| state.group() != group.as_deref()) {
                let rank = keeper.app.history().drawers().rank_at_end(group.as_deref());
                state.group = keeper.write(state.newest_stamp(), group);
                state.rank = keeper.write(state.newest_stamp(), rank);
            }
            if change.before.is_some() {
                // Ranks are written below; a stamp alone makes this a change.
                let rank = state.rank().to_owned();
                state.rank = keeper.write(state.newest_stamp(), rank);
            }
            Ok(())
        })?;
        if let Some(before) = &change.before {
            self.rank_drawers(&mut draft, &own, before)?;
        }
        Ok(draft)
    }

    fn rank_drawers(&mut self, draft: &mut Draft, own: &str, before: &str) -> Result<(), ActError> {
        let group = draft.drawers[0].1.state.group().map(str::to_owned);
        let (list, before) = {
            let history = self.app.history();
            let before = match before {
                "" => None,
                name => Some(drawer_called(&history, name)?.0.to_owned()),
            };
            let like: Vec<(String, String)> = history
                .drawers()
                .shown()
                .into_iter()
                .filter(|(id, state)| *id == own || state.group() == group.as_deref())
                .map(|(id, state)| (id.to_owned(), state.rank().to_owned()))
                .collect();
            (like, before)
        };
        let list: Vec<(String, &str)> = list.iter().map(|(id, rank)| (id.clone(), rank.as_str())).collect();
        for (id, rank) in moved(&list, &[own.to_owned()], before.as_ref()) {
            let at = match draft.drawers.iter().position(|(_, after)| after.id == id) {
                Some(at) => at,
                None => {
                    let Some(state) = self.app.history().drawers().get(&id).cloned() else { continue };
                    let one = Drawer { id, state };
                    draft.drawers.push((Some(one.clone()), one));
                    draft.drawers.len() - 1
                }
            };
            let stamp = draft.drawers[at].1.state.newest_stamp();
            draft.drawers[at].1.state.rank = self.write(stamp, rank);
        }
        Ok(())
    }

    fn plan_new_divider(
        &mut self,
        drawer: &str,
        name: &str,
        before: Option<&str>,
    ) -> Result<Draft, ActError> {
        let name = valid_name(name)?;
        let id = new_id()?;
        let own = id.clone();
        let mut draft = self.plan_drawer(drawer, "divider", |keeper, state| {
            let name = keeper.write(state.newest_stamp(), name);
            state.dividers.insert(own, Divider { name, ..Divider::default() });
            Ok(())
        })?;
        self.place_divider(&mut draft, &id, before.unwrap_or_default())?;
        draft.made = Some(id);
        Ok(draft)
    }

    fn plan_divider_change(
        &mut self,
        drawer: &str,
        divider: &str,
        name: Option<&str>,
        before: Option<&str>,
    ) -> Result<Draft, ActError> {
        let name = name.map(valid_name).transpose()?;
        let mut draft = self.plan_drawer(drawer, "divider", |keeper, state| {
            let stamp = state.newest_stamp();
            let one = divider_of(state, divider)?;
            if let Some(name) = name {
                one.name = keeper.write(stamp, name);
            } else if before.is_some() {
                let rank = one.rank().to_owned();
                one.rank = keeper.write(stamp, rank);
            }
            Ok(())
        })?;
        if let Some(before) = before {
            self.place_divider(&mut draft, divider, before)?;
        }
        Ok(draft)
    }

    fn place_divider(&mut self, draft: &mut Draft, divider: &str, before: &str) -> Result<(), ActError> {
        let drawer = draft.drawers[0].1.id.clone();
        let list = self.list_of(Some(&drawer));
        let before = if before.is_empty() { None } else { Some(thing_called(before)?) };
        if before.as_ref().is_some_and(|before| list.iter().all(|(thing, _)| thing != before)) {
            return invalid("what it shall stand before is not in that drawer");
        }
        let list: Vec<(Thing, &str)> =
            list.iter().map(|(thing, rank)| (thing.clone(), rank.as_str())).collect();
        let written = moved(&list, &[Thing::Divider(divider.to_owned())], before.as_ref());
        self.rank(draft, Some(&drawer), written);
        Ok(())
    }
}

fn divider_of<'s>(state: &'s mut DrawerState, id: &str) -> Result<&'s mut Divider, ActError> {
    state
        .dividers
        .get_mut(id)
        .filter(|one| one.name().is_some())
        .ok_or_else(|| ActError::NoDrawer("there is no such divider in this drawer".into()))
}

fn thing_called(id: &str) -> Result<Thing, ActError> {
    match ClipId::parse(id) {
        Some(clip) => Ok(Thing::Clip(clip)),
        None if id.len() == 32 => Ok(Thing::Divider(id.to_owned())),
        None => invalid("`before` must be the whole id of a clip or of a divider"),
    }
}
