//! What callers of the search see: an index into which clips are put, and which finds the newest that match a query.

use crate::clip::id::ClipId;
use crate::history::drawers::Drawers;
use crate::history::stored::Clip;
use crate::search::names::drawers_called;
use crate::search::query::{Query, QueryError, Test};

/// Bytes of a clip's text that are searched: the first MiB.
pub const SEARCHED_BYTES: usize = 1 << 20;

/// The text of a clip, for whoever puts it into an [`Index`].
#[derive(Clone, Copy, Debug)]
pub enum Text<'a> {
    /// All of it, or its first MiB.
    Whole(&'a str),
    /// What is known already; if nothing is, what the clip's facts hold of it.
    Known,
}

/// Asked now and then, by every thread that searches: false gives the search up.
pub type GoOn<'a> = &'a (dyn Fn() -> bool + Sync);

/// Matches, newest first.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Found {
    /// Their ids.
    pub ids: Vec<ClipId>,
    /// There are more than were asked for.
    pub more: bool,
}

/// Something that can be searched. What is put can be found at once; what is removed is not found any more, and its
/// text is overwritten.
pub trait Index {
    /// Puts a clip, or what is now known of it.
    fn put(&mut self, clip: &Clip, drawers: &Drawers, text: Text<'_>);

    /// Puts a clip with the words that were read from its picture, which are found from now on as well. Later puts keep them.
    fn put_read(&mut self, clip: &Clip, drawers: &Drawers, read: &str);

    /// True when its picture was looked at for words.
    fn is_read(&self, id: ClipId) -> bool;

    /// Takes a clip out.
    fn remove(&mut self, id: ClipId);

    /// The newest `most` clips that match. `None` when it was given up.
    fn find(&self, query: &Query, drawers: &Drawers, most: usize, go_on: GoOn<'_>) -> Option<Found>;

    /// True when all that is searched of this clip's text is there.
    fn has_whole(&self, id: ClipId) -> bool;
}

impl Query {
    /// Checks the names of drawers and devices in it: one that nothing is called is a mistake, not an empty result.
    /// `devices` are the names of all devices.
    pub fn check(&self, drawers: &Drawers, devices: &[&str]) -> Result<(), QueryError> {
        let mut terms = Vec::new();
        self.each(&mut |term| terms.push(term));
        for term in terms {
            let expected = match &term.test {
                Test::In(name) if drawers_called(name, drawers).is_empty() => {
                    let shown = drawers.shown();
                    let names: Vec<&str> =
                        shown.iter().filter_map(|(_, state)| state.name()).take(8).collect();
                    let there = if names.is_empty() {
                        "there is none yet".into()
                    } else {
                        format!("there is: {}", names.join(", "))
                    };
                    format!("no drawer or group is called so; {there}")
                }
                Test::On(name)
                    if !devices.iter().any(|one| crate::text::fold::fold(one).starts_with(name.as_str())) =>
                {
                    format!("no device is called so; there is: {}", devices.join(", "))
                }
                _ => continue,
            };
            return Err(QueryError { at: term.at.clone(), expected });
        }
        Ok(())
    }
}

/// True when a clip's facts hold all of its text.
pub fn facts_are_whole(clip: &Clip) -> bool {
    let facts = &clip.facts;
    facts.chars <= crate::clip::facts::HEAD_CHARS as u64 && facts.file_count <= facts.files.len() as u64
}
