//! What limits remove, and why a clip is going: the sweep's own plan, shown.

use yadori_api as api;
use yadori_core::ClipId;
use yadori_core::history::tally::Tally;
use yadori_core::limits::limit::DAY;
use yadori_core::limits::{Foresight, Limits};

use crate::clearing::sweep::look_over;
use crate::state::app::App;
use crate::state::clock::now;
use crate::state::shapes::row;

/// Rows of a sample.
const SAMPLE: usize = 8;
/// The ages by which clips are told apart, in days.
const AGES: [f64; 10] = [0.0, 1.0 / 24.0, 1.0, 7.0, 30.0, 91.0, 182.0, 365.0, 730.0, 1_825.0];

fn amount(tally: Tally) -> api::Amount {
    api::Amount { clips: tally.clips, bytes: tally.bytes }
}

/// What these limits would remove now.
pub fn preview(app: &App, limits: &Limits) -> api::LimitsPlan {
    let at = now();
    let sweep = look_over(app, limits, true);
    let waits = sweep
        .waits
        .as_ref()
        .map(|_| "over a fifth of everything would go at once, so this waits until you say so".to_owned());
    let plan = sweep.waits.unwrap_or(sweep.goes);
    let going: std::collections::HashSet<ClipId> = plan.going.iter().map(|one| one.id).collect();
    let mut ages = AGES.map(|days| (days, Tally::default(), Tally::default()));
    app.clips.each(|_, clip| {
        if !clip.state.is_pinned() && !clip.is_fleeting() {
            #[allow(clippy::cast_precision_loss)]
            let days = at.saturating_sub(clip.ordered_at).max(0) as f64 / DAY as f64;
            let place = AGES.iter().rposition(|age| days >= *age).unwrap_or(0);
            ages[place].1.add(clip.facts.size);
            if going.contains(&clip.id) {
                ages[place].2.add(clip.facts.size);
            }
        }
        true
    });
    let reasons = plan.reasons();
    let history = app.clips.history();
    api::LimitsPlan {
        limits: limits.clone(),
        counted: amount(history.tallies().all),
        kept: amount(history.tallies().kept),
        goes: api::Amount { clips: plan.going.len() as u64, bytes: plan.frees },
        reasons: reasons
            .into_iter()
            .map(|(why, tally)| api::Reason { words: why.words(), amount: amount(tally) })
            .collect(),
        sample: plan
            .going
            .iter()
            .take(SAMPLE)
            .filter_map(|one| Some(row(&history, &*history.get(one.id)?)))
            .collect(),
        ages: ages
            .into_iter()
            .map(|(days, all, goes)| api::AgeShare { days, amount: amount(all), goes: amount(goes) })
            .collect(),
        waits,
    }
}

/// When and why a clip will go.
pub fn outlook(app: &App, id: ClipId) -> api::Outlook {
    let settings = app.settings();
    let beyond = |words: &str| api::Outlook { words: words.to_owned(), at: None, after: None };
    let Some(clip) = app.clips.get(id) else { return beyond("it is not there any more") };
    if clip.state.is_pinned() {
        return beyond("it is a favorite, and beyond all limits");
    }
    if clip.is_fleeting() {
        return beyond("it lives in memory alone, and ends by itself");
    }
    let foresight = Foresight::of(&clip, &settings.keeping.limits, app.clips.history().tallies(), now());
    let Some(mut foresight) = foresight else { return beyond("no limit touches it") };
    app.clips.each(|_, clip| {
        foresight.look(clip);
        true
    });
    let Some(outlook) = foresight.end() else { return beyond("it is not there any more") };
    let words = match (&outlook.goes, outlook.after, outlook.at) {
        (Some(why), ..) => format!("it goes with the next sweep, since {}", why.words()),
        (None, Some(after), Some(_)) => format!("it goes after {after} more copies, or when it is too old"),
        (None, Some(after), None) => format!("it goes after {after} more copies"),
        (None, None, Some(_)) => "it goes when it is too old".to_owned(),
        (None, None, None) => "no limit touches it".to_owned(),
    };
    api::Outlook { words, at: outlook.at, after: outlook.after }
}
