//! Intake rules: listed with their counters, and tried.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{AllRules, CountedRule, Problem, Recogniser, TriedRules, TryRules, Verdict};
use yadori_core::clip::secret::SecretKind;
use yadori_core::intake::rules::{Rules, Whole};
use yadori_core::{Facts, Source};

use crate::http::extract::Json;
use crate::http::language::retell;
use crate::http::{Context, Failure};

/// The intake rules in their order, and the recognisers of secrets behind them
#[utoipa::path(get, path = "/rules", responses((status = 200, body = AllRules)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> axum::Json<AllRules> {
    let settings = context.app.settings();
    let rules = &settings.keeping.rules;
    let counted =
        |rule: &yadori_api::Rule| CountedRule { rule: rule.clone(), decided: context.app.ruled.of(rule) };
    axum::Json(AllRules {
        rules: rules.written().map(counted).collect(),
        recognisers: SecretKind::RECOGNISED
            .into_iter()
            .map(|kind| Recogniser { kind, name: kind.name().into(), on: rules.recognised().contains(&kind) })
            .collect(),
        minutes: rules.masks_for(),
    })
}

/// What would happen to this text from that program?
#[utoipa::path(post, path = "/rules/try", request_body = TryRules,
    responses((status = 200, body = TriedRules), (status = 422, body = Problem)))]
pub(crate) async fn try_rules(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<TryRules>,
) -> Result<axum::Json<TriedRules>, Failure> {
    let settings = context.app.settings();
    let own = &settings.keeping.rules;
    let others = match wanted.rules {
        Some(rules) => Some(
            Rules::new(rules, own.recognised().clone(), own.masks_for())
                .map_err(|why| Failure::invalid(why.to_string()))?,
        ),
        None => None,
    };
    let source = Source { program: wanted.program.clone(), window: wanted.window, page: wanted.page };
    let kind = Facts::of_text(&wanted.text, 0, false).kind();
    let decision = others.as_ref().unwrap_or(own).decide(&Whole {
        source: &source,
        executable: wanted.program.as_deref(),
        kind: wanted.kind.unwrap_or(kind),
        size: wanted.size.unwrap_or(wanted.text.len() as u64),
        text: &wanted.text,
    });
    let by = match (decision.rule, decision.secret) {
        (Some(rule), _) => format!("rule {} decides", rule + 1),
        (None, Some(secret)) => format!("it is recognised as: {}", secret.name()),
        (None, None) => "no rule is for it".to_owned(),
    };
    let what = match decision.verdict {
        Verdict::Keep => "it would be kept".to_owned(),
        Verdict::Here => "it would be kept on this device, and never sent to another".to_owned(),
        Verdict::Mask => format!(
            "it would be held in memory alone, masked, for {} minutes",
            (decision.minutes * 100.0).round() / 100.0
        ),
        Verdict::Refuse => "it would not be recorded".to_owned(),
    };
    Ok(axum::Json(TriedRules {
        verdict: decision.verdict,
        rule: decision.rule.map(|rule| rule as u64 + 1),
        secret: decision.secret,
        words: format!("{}: {}", retell(&by), retell(&what)),
    }))
}
