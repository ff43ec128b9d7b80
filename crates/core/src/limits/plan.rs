//! What goes when limits are obeyed, why, and how much that frees: one plan for the preview, the sweep, and the question
//! why a clip is going. Oldest first; the same for the same clips, limits and time.

use std::collections::HashMap;

use serde::{Deserialize, Serialize};

use crate::clip::facts::Kind;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;
use crate::history::all::History;
use crate::history::stored::Clip;
use crate::history::tally::{Tallies, Tally, program_of};
use crate::limits::limit::{Limit, Limits};
use crate::text::fold::fold;

/// Which limit of several.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Which {
    /// There are more clips than may be.
    Clips,
    /// It is older than may be.
    Age,
    /// All together are larger than may be.
    Bytes,
    /// It alone is larger than may be.
    One,
}

/// What a limit is for.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Of {
    /// Everything.
    Everything,
    /// A kind.
    Kind(Kind),
    /// What comes from a program, by the name in the limits.
    Program(String),
}

/// Why a clip goes.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Why {
    /// Which limit.
    pub which: Which,
    /// What it is for.
    pub of: Of,
}

impl Why {
    /// In words: the end of "it goes, since …".
    pub fn words(&self) -> String {
        let of = match &self.of {
            Of::Everything => "clips".to_owned(),
            Of::Kind(Kind::Text) => "texts".to_owned(),
            Of::Kind(Kind::Link) => "links".to_owned(),
            Of::Kind(Kind::Image) => "pictures".to_owned(),
            Of::Kind(Kind::Files) => "file lists".to_owned(),
            Of::Program(name) => format!("clips from {name}"),
        };
        match self.which {
            Which::Clips => format!("there are more {of} than the limit"),
            Which::Age => format!("it is older than {of} may be"),
            Which::Bytes => format!("{of} together are larger than the limit"),
            Which::One => "it alone is larger than the limit of one clip".to_owned(),
        }
    }
}

/// A clip that goes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Going {
    /// Which.
    pub id: ClipId,
    /// Why: the first limit that takes it.
    pub why: Why,
    /// Bytes of it.
    pub bytes: u64,
}

/// What goes, oldest first.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Plan {
    /// They.
    pub going: Vec<Going>,
    /// Bytes that they free.
    pub frees: u64,
}

impl Plan {
    /// How many go for each reason, and their bytes.
    pub fn reasons(&self) -> Vec<(Why, Tally)> {
        let mut reasons: HashMap<&Why, Tally> = HashMap::new();
        for one in &self.going {
            reasons.entry(&one.why).or_default().add(one.bytes);
        }
        let mut reasons: Vec<_> = reasons.into_iter().map(|(why, tally)| (why.clone(), tally)).collect();
        reasons.sort_by(|a, b| a.0.cmp(&b.0));
        reasons
    }

    /// It would take over a fifth of so many clips.
    fn is_over_a_fifth(&self, clips: usize) -> bool {
        self.going.len() * 5 > clips
    }
}

/// So many clips go by limits without a question, and for good; more go so that they can be brought back.
pub const FEW: usize = 50;

/// What a sweep takes by itself, and what waits until a person says so.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Sweep {
    /// What goes now.
    pub goes: Plan,
    /// All that would go, when it waits for a person.
    pub waits: Option<Plan>,
}

/// The plan of a sweep, made by looking at clips one by one, oldest first. Over a fifth of everything waits: ages in any
/// case, since the clock may be wrong, other limits when many clips would go, since a large history may have been brought
/// in. What does not hang on the clock goes nevertheless, if it is little.
#[derive(Debug)]
pub struct Sweeper {
    whole: Planner,
    ageless: Planner,
    clips: usize,
}

impl Sweeper {
    /// For a history of so many clips.
    pub fn new(limits: &Limits, clips: usize, tallies: &Tallies, now: Micros, thorough: bool) -> Self {
        Self {
            whole: Planner::new(limits, tallies, now, thorough),
            ageless: Planner::new(&limits.without_ages(), tallies, now, thorough),
            clips,
        }
    }

    /// Looks at the next clip. False: it need not see more.
    pub fn look(&mut self, clip: &Clip) -> bool {
        let more = self.whole.look(clip);
        if more {
            self.ageless.look(clip);
        }
        more
    }

    /// What goes, and what waits.
    pub fn end(self) -> Sweep {
        let (whole, rest) = (self.whole.end(), self.ageless.end());
        if !whole.is_over_a_fifth(self.clips) {
            return Sweep { goes: whole, waits: None };
        }
        let aged = whole.going.len().saturating_sub(rest.going.len());
        if whole.going.len() <= FEW && aged * 5 <= self.clips {
            return Sweep { goes: whole, waits: None };
        }
        let too_much = rest.going.len() > FEW && rest.is_over_a_fifth(self.clips);
        Sweep { goes: if too_much { Plan::default() } else { rest }, waits: Some(whole) }
    }
}

/// One limit with what is left of what it counts.
#[derive(Debug)]
struct Gauge {
    of: Of,
    limit: Limit,
    left: Tally,
    oldest: Option<Micros>,
}

impl Gauge {
    fn takes(&self, clip: &Clip) -> Option<Which> {
        if self.oldest.is_some_and(|oldest| clip.ordered_at < oldest) {
            return Some(Which::Age);
        }
        if self.limit.clips.is_some_and(|most| self.left.clips > most) {
            return Some(Which::Clips);
        }
        self.limit.bytes.is_some_and(|most| self.left.bytes > most).then_some(Which::Bytes)
    }

    /// Nothing newer than this moment goes for it.
    fn is_met(&self, at: Micros) -> bool {
        self.oldest.is_none_or(|oldest| at >= oldest)
            && self.limit.clips.is_none_or(|most| self.left.clips <= most)
            && self.limit.bytes.is_none_or(|most| self.left.bytes <= most)
    }
}

/// The limits of one history at one moment, as far as they are not met yet.
#[derive(Debug)]
struct Gauges {
    everything: Gauge,
    kinds: HashMap<Kind, Gauge>,
    programs: HashMap<String, Gauge>,
    one: u64,
}

impl Gauges {
    fn new(limits: &Limits, tallies: &Tallies, now: Micros) -> Self {
        let gauge = |of, limit: &Limit, left| Gauge { of, limit: *limit, left, oldest: limit.oldest(now) };
        let kinds = limits.kinds.iter().map(|(kind, limit)| {
            let left = tallies.kinds.get(kind).copied().unwrap_or_default();
            (*kind, gauge(Of::Kind(*kind), limit, left))
        });
        let programs = limits.programs.iter().map(|(name, limit)| {
            let folded = fold(name);
            let left = tallies.programs.get(&folded).copied().unwrap_or_default();
            (folded, gauge(Of::Program(name.clone()), limit, left))
        });
        Self {
            everything: gauge(Of::Everything, &limits.everything(), tallies.all),
            kinds: kinds.collect(),
            programs: programs.collect(),
            one: limits.one,
        }
    }

    /// Looks at a clip, oldest first: whether it goes, and why.
    fn look(&mut self, clip: &Clip) -> Option<Why> {
        let program = if self.programs.is_empty() { String::new() } else { program_of(clip) };
        let kind = if self.kinds.is_empty() { Kind::Text } else { clip.facts.kind() };
        let alone = (clip.facts.size > self.one).then_some(Why { which: Which::One, of: Of::Everything });
        let why = alone.or_else(|| {
            let inner = [self.kinds.get(&kind), self.programs.get(&program)];
            let mut gauges = std::iter::once(&self.everything).chain(inner.into_iter().flatten());
            gauges.find_map(|gauge| Some(Why { which: gauge.takes(clip)?, of: gauge.of.clone() }))
        })?;
        let bytes = clip.facts.size;
        self.everything.left.take(bytes);
        self.kinds.entry(kind).and_modify(|gauge| gauge.left.take(bytes));
        self.programs.entry(program).and_modify(|gauge| gauge.left.take(bytes));
        Some(why)
    }

    fn are_met(&self, at: Micros) -> bool {
        self.everything.is_met(at)
            && self.kinds.values().all(|gauge| gauge.is_met(at))
            && self.programs.values().all(|gauge| gauge.is_met(at))
    }
}

/// What goes when limits are obeyed now, found out by looking at clips one by one, oldest first. Kept clips never go; those
/// that live in memory only end by themselves.
#[derive(Debug)]
pub struct Planner {
    gauges: Gauges,
    thorough: bool,
    plan: Plan,
}

impl Planner {
    /// For a history with these tallies. `thorough` looks at every clip, also for those that are too large alone; otherwise
    /// it need not see more as soon as every other limit is met.
    pub fn new(limits: &Limits, tallies: &Tallies, now: Micros, thorough: bool) -> Self {
        Self { gauges: Gauges::new(limits, tallies, now), thorough, plan: Plan::default() }
    }

    /// Looks at the next clip. False: it need not see more.
    pub fn look(&mut self, clip: &Clip) -> bool {
        if !self.thorough && self.gauges.are_met(clip.ordered_at) {
            return false;
        }
        if !clip.state.is_pinned()
            && !clip.is_fleeting()
            && let Some(why) = self.gauges.look(clip)
        {
            self.plan.frees += clip.facts.size;
            self.plan.going.push(Going { id: clip.id, why, bytes: clip.facts.size });
        }
        true
    }

    /// What goes.
    pub fn end(self) -> Plan {
        self.plan
    }
}

/// What goes of a history: a [`Planner`] that has looked at all of it.
pub fn plan(history: &History, limits: &Limits, now: Micros, thorough: bool) -> Plan {
    let mut planner = Planner::new(limits, history.tallies(), now, thorough);
    let _ = history.oldest_first().all(|clip| planner.look(&clip));
    planner.end()
}

/// When and why a clip will go.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Outlook {
    /// Why it goes with the next sweep, if it does.
    pub goes: Option<Why>,
    /// When it will be too old, if there is a limit of age.
    pub at: Option<Micros>,
    /// After how many more copies it will be one too many, if there is a limit of number.
    pub after: Option<u64>,
}

/// Finds out when and why a clip will go, by looking at all clips one by one, oldest first.
#[derive(Debug)]
pub struct Foresight {
    id: ClipId,
    planner: Planner,
    /// How many clips that limits touch have come after it; `None` before it was met.
    newer: Option<u64>,
    /// When it will be too old.
    at: Option<Micros>,
    most: Option<u64>,
}

impl Foresight {
    /// For a clip of a history with these tallies. `None` for one that is kept or lives in memory only: limits do not
    /// touch it.
    pub fn of(clip: &Clip, limits: &Limits, tallies: &Tallies, now: Micros) -> Option<Self> {
        if clip.state.is_pinned() || clip.is_fleeting() {
            return None;
        }
        let program = program_of(clip);
        let everything = limits.everything();
        let kind = limits.kinds.get(&clip.facts.kind());
        let own = limits.programs.iter().find(|(name, _)| fold(name) == program).map(|(_, limit)| limit);
        let each = std::iter::once(&everything).chain(kind).chain(own);
        let ages = each.filter_map(|limit| limit.oldest(now).map(|oldest| now - oldest));
        Some(Self {
            id: clip.id,
            planner: Planner::new(limits, tallies, now, true),
            newer: None,
            at: ages.min().map(|age| clip.ordered_at.saturating_add(age)),
            most: limits.clips,
        })
    }

    /// Looks at the next clip.
    pub fn look(&mut self, clip: &Clip) {
        // What comes after it can't change whether it goes.
        match &mut self.newer {
            Some(newer) => *newer += u64::from(!clip.state.is_pinned()),
            None => {
                self.planner.look(clip);
                self.newer = (clip.id == self.id).then_some(0);
            }
        }
    }

    /// The outlook. `None` when the clip was not among those looked at.
    pub fn end(self) -> Option<Outlook> {
        let newer = self.newer?;
        let goes = self.planner.end().going.pop().filter(|one| one.id == self.id).map(|one| one.why);
        Some(Outlook { goes, at: self.at, after: self.most.map(|most| most.saturating_sub(newer)) })
    }
}

/// The outlook of a clip: a [`Foresight`] that has looked at all of the history.
pub fn outlook(history: &History, limits: &Limits, id: ClipId, now: Micros) -> Option<Outlook> {
    let mut foresight = Foresight::of(&*history.get(id)?, limits, history.tallies(), now)?;
    history.oldest_first().for_each(|clip| foresight.look(&clip));
    foresight.end()
}

#[cfg(test)]
mod tests;
