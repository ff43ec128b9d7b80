//! Texts that fill themselves in, filled from the clips that they name.

use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use yadori_api::Question;
use yadori_core::clip::reading::plain_form;
use yadori_core::clip::time::at;
use yadori_core::take::fill_in::{self, Clips, FillError, fill};
use yadori_core::text::fold::fold;
use yadori_core::{Address, Clip};

use crate::search::find::zone;
use crate::state::app::App;
use crate::state::at_hand::ContentError;
use crate::state::clock::now;

/// Times that missing clips are looked up before giving up.
const ROUNDS: usize = 12;

/// Why a text can't be filled in.
#[derive(Debug, thiserror::Error)]
pub enum FillingError {
    /// No such zone.
    #[error("`zone` must be the name of a time zone")]
    NoZone,
    /// The text itself.
    #[error("{}", .0.why)]
    Text(FillError),
    /// A clip that it names.
    #[error(transparent)]
    Content(#[from] ContentError),
    /// A chain without end.
    #[error("clips refer to clips too often here")]
    TooDeep,
}

/// Texts of clips that others refer to, as far as they were read; what is missing is noted.
#[derive(Default)]
struct Known {
    texts: HashMap<String, Option<(String, String)>>,
    missing: RefCell<Vec<String>>,
}

impl Clips for Known {
    fn text(&self, name: &str) -> Option<(String, String)> {
        match self.texts.get(name) {
            Some(known) => known.clone(),
            None => {
                self.missing.borrow_mut().push(name.to_owned());
                None
            }
        }
    }
}

/// A clip by title (case and accents aside) or address.
fn called(app: &App, name: &str) -> Option<Arc<Clip>> {
    let wanted = fold(name.trim());
    let history = app.clips.history();
    let by_title =
        history.kept_clips().find(|clip| clip.state.title().is_some_and(|title| fold(title) == wanted));
    by_title.or_else(|| history.resolve(&name.parse::<Address>().ok()?).ok())
}

/// A text with its fill-ins filled.
///
/// # Errors
/// Says what can't be filled.
pub async fn filled(
    app: &App,
    own: Option<&Clip>,
    text: &str,
    answers: &BTreeMap<String, String>,
    zone_name: Option<&str>,
) -> Result<fill_in::Filled, FillingError> {
    let zone = zone(zone_name).ok_or(FillingError::NoZone)?;
    let now = at(now(), &zone);
    let answers: HashMap<String, String> = answers.clone().into_iter().collect();
    let own = own.map(|clip| clip.id.to_string()).unwrap_or_default();
    let mut known = Known::default();
    for _ in 0..ROUNDS {
        let outcome = fill(text, &own, &known, &answers, &now);
        let missing = std::mem::take(&mut *known.missing.borrow_mut());
        if missing.is_empty() {
            return outcome.map_err(FillingError::Text);
        }
        for name in missing {
            let found = match called(app, &name) {
                Some(clip) => {
                    let text = plain_form(&app.at_hand.offer(&clip).await?);
                    text.map(|text| (clip.id.to_string(), text))
                }
                None => None,
            };
            known.texts.insert(name, found);
        }
    }
    Err(FillingError::TooDeep)
}

/// The interface's form of questions.
pub fn questions(questions: Vec<fill_in::Question>) -> Vec<Question> {
    questions.into_iter().map(|one| Question { question: one.question, proposal: one.proposal }).collect()
}
