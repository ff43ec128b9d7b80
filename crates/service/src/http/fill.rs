//! Fill-ins: a preview, and the filled form for a take.

use std::cell::RefCell;
use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;

use axum::extract::State;
use yadori_api::{FillPreview, Filled, Problem, Question};
use yadori_core::take::fill_in;
use yadori_core::take::fill_in::{Clips, fill, may_hold};
use yadori_core::text::fold::fold;
use yadori_core::clip::reading::plain_form;
use yadori_core::search::when;
use yadori_core::{Address, Clip};

use super::clips::resolve;
use super::extract::Json;
use super::{Context, Failure};
use crate::app::{App, now};
use crate::searching::zone;

/// Times that missing clips are looked up before giving up.
const ROUNDS: usize = 12;

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
    let history = app.history();
    let by_title =
        history.kept_clips().find(|clip| clip.state.title().is_some_and(|title| fold(title) == wanted));
    by_title.cloned().or_else(|| history.resolve(&name.parse::<Address>().ok()?).ok().cloned())
}

/// A text with its fill-ins filled.
pub(super) async fn filled(
    app: &App,
    own: Option<&Clip>,
    text: &str,
    answers: &BTreeMap<String, String>,
    zone_name: Option<&str>,
) -> Result<fill_in::Filled, Failure> {
    let zone = zone(zone_name).ok_or_else(|| Failure::invalid("`zone` must be the name of a time zone"))?;
    let now = when::at(now(), &zone);
    let answers: HashMap<String, String> = answers.clone().into_iter().collect();
    let own = own.map(|clip| clip.id.to_string()).unwrap_or_default();
    let mut known = Known::default();
    for _ in 0..ROUNDS {
        let outcome = fill(text, &own, &known, &answers, &now);
        let missing = std::mem::take(&mut *known.missing.borrow_mut());
        if missing.is_empty() {
            return outcome.map_err(|why| Failure::fill_in(text, &why));
        }
        for name in missing {
            let found = match called(app, &name) {
                Some(clip) => {
                    let text = plain_form(&app.offer(&clip).await?);
                    text.map(|text| (clip.id.to_string(), text))
                }
                None => None,
            };
            known.texts.insert(name, found);
        }
    }
    Err(Failure::invalid("clips refer to clips too often here"))
}

/// See what a text with fill-ins becomes
#[utoipa::path(post, path = "/fill-ins", request_body = FillPreview,
    responses((status = 200, body = Filled), (status = 422, body = Problem)))]
pub(super) async fn preview(
    State(context): State<Arc<Context>>,
    Json(wish): Json<FillPreview>,
) -> Result<axum::Json<Filled>, Failure> {
    let app = &context.app;
    let clip = wish.clip.as_deref().map(|address| resolve(app, address)).transpose()?;
    let text = match (wish.text, &clip) {
        (Some(text), _) => text,
        (None, Some(clip)) => plain_form(&app.offer(clip).await?).unwrap_or_default(),
        (None, None) => return Err(Failure::invalid("give a `text` or a `clip`")),
    };
    let filled = filled(app, clip.as_deref(), &text, &wish.answers, wish.zone.as_deref()).await?;
    let any = may_hold(&text);
    Ok(axum::Json(Filled {
        text: filled.text,
        questions: questions(filled.questions),
        open: filled.open,
        any,
    }))
}

/// The interface's form of questions.
pub(super) fn questions(questions: Vec<fill_in::Question>) -> Vec<Question> {
    questions.into_iter().map(|one| Question { question: one.question, proposal: one.proposal }).collect()
}
