//! What becomes of a copy that was read: the rules decide, and the recognisers of secrets behind them.

use yadori_core::intake::rule::Verdict;
use yadori_core::intake::rules::{Decision, Whole};

use crate::state::app::App;
use crate::writer::Capture;

/// What becomes of a copy.
#[derive(Debug)]
pub(super) enum Fate {
    /// It is kept.
    Keep(Box<Capture>),
    /// It is held in memory alone, for so many minutes.
    Fleeting(Box<Capture>, f64),
    /// Nothing of it stays.
    Refused,
}

/// Decides on a copy.
pub(super) fn decide(app: &App, mut capture: Capture, executable: Option<&str>) -> Fate {
    let settings = app.settings();
    let facts = &capture.copied.facts;
    let whole = Whole {
        source: &capture.copied.record.source,
        executable,
        kind: facts.kind(),
        size: facts.size,
        text: capture.text.as_deref().unwrap_or(&facts.head),
    };
    let Decision { verdict, rule, secret, minutes } = settings.keeping.rules.decide(&whole);
    if let Some(rule) = rule {
        app.ruled.count(&settings.keeping.rules, rule);
    }
    // A secret that was pinned is kept like any other, and so is its next copy.
    let known =
        app.clips.get(capture.copied.id).is_some_and(|clip| clip.is_secret() && clip.state.is_pinned());
    match verdict {
        Verdict::Refuse => Fate::Refused,
        Verdict::Mask => {
            capture.copied.facts.secret = secret;
            if known {
                return Fate::Keep(Box::new(capture));
            }
            Fate::Fleeting(Box::new(capture), minutes)
        }
        Verdict::Here => {
            capture.copied.facts.here = true;
            Fate::Keep(Box::new(capture))
        }
        Verdict::Keep => Fate::Keep(Box::new(capture)),
    }
}
