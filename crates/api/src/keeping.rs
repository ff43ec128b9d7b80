//! What is kept: limits, rules, standing orders, and every other setting.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};
use yadori_core::Kind;
use yadori_core::clip::secret::SecretKind;
use yadori_core::intake::rule::{Rule, Verdict};
use yadori_core::limits::{Limits, Order};

use crate::Row;

/// A number of clips and their bytes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Amount {
    /// How many clips.
    pub clips: u64,
    /// Their bytes.
    pub bytes: u64,
}

/// Why clips go, and how many.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Reason {
    /// In words.
    pub words: String,
    /// How much goes for it.
    pub amount: Amount,
}

/// Clips of an age.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AgeShare {
    /// Older than so many days.
    pub days: f64,
    /// And up to the next such age, how much there is.
    pub amount: Amount,
    /// How much of it would go.
    pub goes: Amount,
}

/// To see what limits would remove; without any, those that hold.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TryLimits {
    /// Changes of settings (`limits.clips` and so on), as they would be written.
    #[serde(default)]
    pub changes: BTreeMap<String, serde_json::Value>,
}

/// What limits remove.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LimitsPlan {
    /// The limits.
    pub limits: Limits,
    /// What they count.
    pub counted: Amount,
    /// Favorites, which are beyond them.
    pub kept: Amount,
    /// What would go.
    pub goes: Amount,
    /// For which reasons.
    pub reasons: Vec<Reason>,
    /// The first that would go, oldest first.
    pub sample: Vec<Row>,
    /// By age, the newest first.
    pub ages: Vec<AgeShare>,
    /// Why a sweep waits for a person, if it does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub waits: Option<String>,
}

/// When and why a clip will go.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Outlook {
    /// In words.
    pub words: String,
    /// When it will be too old.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub at: Option<i64>,
    /// After how many more copies it will be one too many.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after: Option<u64>,
}

/// What was obeyed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Obeyed {
    /// How many clips went.
    pub clips: u64,
}

/// A rule, and how often it has decided since the service started.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CountedRule {
    /// The rule.
    pub rule: Rule,
    /// How often.
    pub decided: u64,
}

/// A recogniser of secrets.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Recogniser {
    /// What it recognises.
    pub kind: SecretKind,
    /// What a person calls that.
    pub name: String,
    /// It is switched on.
    pub on: bool,
}

/// The rules in their order, and the recognisers behind them.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AllRules {
    /// The rules.
    pub rules: Vec<CountedRule>,
    /// The recognisers.
    pub recognisers: Vec<Recogniser>,
    /// For how many minutes a recognised secret is held.
    pub minutes: f64,
}

/// A copy that is not made: what would happen to it?
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TryRules {
    /// Its text.
    #[serde(default)]
    pub text: String,
    /// The program it comes from: its class or executable.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// The title of its window.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub window: Option<String>,
    /// The address of its page.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub page: Option<String>,
    /// Its kind; that of its text if not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<Kind>,
    /// Its size in bytes; that of its text if not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<u64>,
    /// Other rules than those that hold.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rules: Option<Vec<Rule>>,
}

/// What would happen to it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TriedRules {
    /// In a word.
    pub verdict: Verdict,
    /// Which rule decides, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<u64>,
    /// What it is recognised as.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret: Option<SecretKind>,
    /// In words.
    pub words: String,
}

/// A standing order, with what it did last and when it acts next.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StandingOrder {
    /// The order.
    pub order: Order,
    /// In words.
    pub words: String,
    /// When it acts next, where the clock tells.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub next: Option<i64>,
    /// When it acted last.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub last: Option<i64>,
    /// How many clips it took then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub cleared: Option<u64>,
    /// Why it could not, then.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub failed: Option<String>,
}

/// All standing orders.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AllOrders {
    /// They, as they are written.
    pub orders: Vec<StandingOrder>,
}

/// A setting.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Setting {
    /// Its name, with dots.
    pub name: String,
    /// What it is for.
    pub about: String,
    /// What its value looks like.
    pub expected: String,
    /// Its value.
    pub value: serde_json::Value,
    /// What holds without it.
    pub usual: serde_json::Value,
    /// Where its value comes from: `usual`, or `file`.
    pub from: String,
    /// It holds as soon as it is set; otherwise from the next start on.
    pub live: bool,
    /// It can be set in the console; otherwise by the client alone.
    pub in_console: bool,
}

/// Every setting.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AllSettings {
    /// The file they are kept in.
    pub file: String,
    /// What is wrong with it now, if something is: the settings are those that held before.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub mistake: Option<String>,
    /// They.
    pub settings: Vec<Setting>,
}

/// To change settings: their names with their values; `null` for what holds without.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChangeSettings {
    /// They.
    pub changes: BTreeMap<String, serde_json::Value>,
}

/// Whether Yadori starts with the desktop.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Autostart {
    /// It does, from the next session on.
    pub on: bool,
    /// By what: `unit` (of the systemd user manager) or `entry` (in the desktop's autostart folder).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// The file that says so.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<String>,
}

/// To have it start with the desktop, or no longer.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SetAutostart {
    /// It is to.
    pub on: bool,
}
