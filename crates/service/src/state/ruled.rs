//! How often each intake rule has decided since the service started. A rule that changes begins anew.

use std::collections::HashMap;
use std::sync::{Mutex, PoisonError};

use yadori_core::intake::rule::Rule;
use yadori_core::intake::rules::Rules;

/// Counters by rule.
#[derive(Debug, Default)]
pub struct Ruled(Mutex<HashMap<String, u64>>);

fn name_of(rule: &Rule) -> String {
    serde_json::to_string(rule).unwrap_or_default()
}

impl Ruled {
    /// A rule, counted from 0, has decided.
    pub fn count(&self, rules: &Rules, rule: usize) {
        let Some(rule) = rules.written().nth(rule) else { return };
        *self.0.lock().unwrap_or_else(PoisonError::into_inner).entry(name_of(rule)).or_default() += 1;
    }

    /// How often a rule has decided.
    pub fn of(&self, rule: &Rule) -> u64 {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&name_of(rule)).copied().unwrap_or(0)
    }
}
