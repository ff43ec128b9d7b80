//! What of the file says what is kept: limits, rules, recognised secrets, standing orders.

use std::collections::{BTreeMap, BTreeSet};

use serde::Deserialize;
use toml::Value;
use yadori_core::clip::secret::SecretKind;
use yadori_core::intake::rule::{LONGEST_MASK, Rule, RuleError, USUAL_MASK};
use yadori_core::intake::rules::Rules;
use yadori_core::limits::limit::LimitError;
use yadori_core::limits::order::{self, Occasion, Order, OrderError};
use yadori_core::limits::{Limit, Limits};
use yadori_core::{COPY_CAP, Kind};

/// The word that switches a limit off.
const OFF: &str = "off";

/// `[limits]`.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct LimitsSection {
    clips: Option<Value>,
    days: Option<Value>,
    bytes: Option<Value>,
    one: Option<Value>,
    kinds: BTreeMap<String, LimitSection>,
    programs: BTreeMap<String, LimitSection>,
}

#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
struct LimitSection {
    clips: Option<Value>,
    days: Option<Value>,
    bytes: Option<Value>,
}

/// `[secrets]`.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct SecretsSection {
    off: Vec<String>,
    minutes: Option<f64>,
}

/// What is kept, and how.
#[derive(Debug, Clone, Default)]
pub struct Keeping {
    /// How much, and for how long.
    pub limits: Limits,
    /// What is recorded at all.
    pub rules: Rules,
    /// Clearings by themselves, with their occasions.
    pub orders: Vec<(Order, Occasion)>,
}

impl PartialEq for Keeping {
    fn eq(&self, other: &Self) -> bool {
        self.limits == other.limits
            && self.orders == other.orders
            && self.rules.written().eq(other.rules.written())
            && self.rules.recognised() == other.rules.recognised()
            && self.rules.masks_for() == other.rules.masks_for()
    }
}

/// Why it can't be so.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum KeepingError {
    /// A limit.
    #[error(transparent)]
    Limit(#[from] LimitError),
    /// Not a number.
    #[error("{0} is `{1}`; it must be {2}, or \"off\"")]
    Number(String, String, &'static str),
    /// Not a kind.
    #[error("limits.kinds has `{0}`; the kinds are text, link, image and files")]
    Kind(String),
    /// A rule.
    #[error(transparent)]
    Rule(#[from] RuleError),
    /// An order.
    #[error(transparent)]
    Order(#[from] OrderError),
    /// Not a recogniser.
    #[error("secrets.off has `{0}`; the recognisers are {1}")]
    Recogniser(String, String),
    /// Not a time.
    #[error("secrets.minutes is {0}; it must be between 0.05 and {LONGEST_MASK}")]
    Minutes(f64),
}

/// A size: bytes, or a number with kB, MB, GB or their binary kin KiB, MiB, GiB.
fn bytes_of(text: &str) -> Option<u64> {
    let text = text.trim();
    let at = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
    let number: f64 = text[..at].parse().ok()?;
    let unit: f64 = match text[at..].trim().to_lowercase().as_str() {
        "" | "b" => 1.0,
        "kb" => 1e3,
        "mb" => 1e6,
        "gb" => 1e9,
        "tb" => 1e12,
        "kib" => 1024.0,
        "mib" => 1024.0 * 1024.0,
        "gib" => 1024.0 * 1024.0 * 1024.0,
        "tib" => 1024.0 * 1024.0 * 1024.0 * 1024.0,
        _ => return None,
    };
    let bytes = number * unit;
    #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
    (bytes.is_finite() && (0.0..1e18).contains(&bytes)).then_some(bytes as u64)
}

/// What stands under a name: the usual, switched off, or a number.
enum Said<T> {
    Nothing,
    Off,
    Number(T),
}

impl<T> Said<T> {
    fn or(self, usual: Option<T>) -> Option<T> {
        match self {
            Self::Nothing => usual,
            Self::Off => None,
            Self::Number(number) => Some(number),
        }
    }
}

fn said<T>(
    name: &str,
    value: &Option<Value>,
    expected: &'static str,
    read: impl Fn(&Value) -> Option<T>,
) -> Result<Said<T>, KeepingError> {
    let Some(value) = value else { return Ok(Said::Nothing) };
    if value.as_str() == Some(OFF) {
        return Ok(Said::Off);
    }
    let shown = value.as_str().map_or_else(|| value.to_string(), str::to_owned);
    read(value).map(Said::Number).ok_or_else(|| KeepingError::Number(name.to_owned(), shown, expected))
}

fn whole(name: &str, value: &Option<Value>) -> Result<Said<u64>, KeepingError> {
    said(name, value, "a number of clips from 1 to 10000000", |value| u64::try_from(value.as_integer()?).ok())
}

fn days(name: &str, value: &Option<Value>) -> Result<Said<f64>, KeepingError> {
    said(name, value, "a number of days", |value| {
        #[allow(clippy::cast_precision_loss)]
        value.as_float().or_else(|| Some(value.as_integer()? as f64))
    })
}

fn bytes(name: &str, value: &Option<Value>) -> Result<Said<u64>, KeepingError> {
    said(name, value, "a size such as 500 MB or 2 GB", |value| match value {
        Value::String(text) => bytes_of(text),
        value => u64::try_from(value.as_integer()?).ok(),
    })
}

fn limit(name: &str, section: &LimitSection) -> Result<Limit, KeepingError> {
    Ok(Limit {
        clips: whole(&format!("{name}.clips"), &section.clips)?.or(None),
        days: days(&format!("{name}.days"), &section.days)?.or(None),
        bytes: bytes(&format!("{name}.bytes"), &section.bytes)?.or(None),
    })
}

fn limits(section: &LimitsSection) -> Result<Limits, KeepingError> {
    let usual = Limits::default();
    let mut kinds = BTreeMap::new();
    for (word, one) in &section.kinds {
        let kind =
            [Kind::Text, Kind::Link, Kind::Image, Kind::Files].into_iter().find(|one| one.word() == word);
        let kind = kind.ok_or_else(|| KeepingError::Kind(word.clone()))?;
        kinds.insert(kind, limit(&format!("limits.kinds.{word}"), one)?);
    }
    let mut programs = BTreeMap::new();
    for (name, one) in &section.programs {
        programs.insert(name.clone(), limit(&format!("limits.programs.{name}"), one)?);
    }
    let limits = Limits {
        clips: whole("limits.clips", &section.clips)?.or(usual.clips),
        days: days("limits.days", &section.days)?.or(usual.days),
        bytes: bytes("limits.bytes", &section.bytes)?.or(usual.bytes),
        one: bytes("limits.one", &section.one)?.or(Some(usual.one)).unwrap_or(COPY_CAP),
        kinds,
        programs,
    };
    limits.check()?;
    Ok(limits)
}

/// Reads what is kept, and how.
pub(super) fn keeping(
    section: &LimitsSection,
    secrets: &SecretsSection,
    rules: Vec<Rule>,
    orders: Vec<Order>,
) -> Result<Keeping, KeepingError> {
    let mut recognised: BTreeSet<SecretKind> = SecretKind::RECOGNISED.into_iter().collect();
    for word in &secrets.off {
        let known = || SecretKind::RECOGNISED.map(SecretKind::word).join(", ");
        let kind = SecretKind::from_word(word);
        recognised.remove(&kind.ok_or_else(|| KeepingError::Recogniser(word.clone(), known()))?);
    }
    let minutes = secrets.minutes.unwrap_or(USUAL_MASK);
    if !(0.05..=LONGEST_MASK).contains(&minutes) {
        return Err(KeepingError::Minutes(minutes));
    }
    let occasions = order::check(&orders)?;
    Ok(Keeping {
        limits: limits(section)?,
        rules: Rules::new(rules, recognised, minutes)?,
        orders: orders.into_iter().zip(occasions).collect(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn read(text: &str) -> Result<Keeping, String> {
        #[derive(Deserialize, Default)]
        #[serde(default)]
        struct All {
            limits: LimitsSection,
            secrets: SecretsSection,
            rules: Vec<Rule>,
            orders: Vec<Order>,
        }
        let all: All = toml::from_str(text).map_err(|why| why.to_string())?;
        keeping(&all.limits, &all.secrets, all.rules, all.orders).map_err(|why| why.to_string())
    }

    #[test]
    fn limits_are_numbers_sizes_or_off() {
        let kept = read("[limits]\nclips = 500\ndays = 'off'\nbytes = '1.5 GB'\none = '1mb'\nkinds = {image = {days = 30}}").unwrap();
        assert_eq!((kept.limits.clips, kept.limits.days), (Some(500), None));
        assert_eq!((kept.limits.bytes, kept.limits.one), (Some(1_500_000_000), 1_000_000));
        assert_eq!(kept.limits.kinds[&Kind::Image].days, Some(30.0));
        assert_eq!(read("").unwrap(), Keeping::default());
    }

    #[test]
    fn mistakes_are_named_with_what_may_be() {
        for (text, word) in [
            ("[limits]\nclips = 0", "limits.clips is 0"),
            ("[limits]\nclips = -4", "limits.clips is `-4`"),
            ("[limits]\nclips = 99999999999999999999", "line 2, column 9"),
            ("[limits]\nclips = 'many'", "`many`; it must be a number of clips"),
            ("[limits]\nbytes = '9 parsecs'", "500 MB or 2 GB"),
            ("[limits]\nbytes = '1mb'", "limits.one is 67108864, more than limits.bytes"),
            ("[limits]\ndays = -1", "limits.days is -1"),
            ("[limits]\nkinds = {films = {clips = 1}}", "the kinds are text"),
            ("[limits]\nkinds = {text = {clips = 20000}}", "limits.clips, which is 10000"),
            ("[secrets]\noff = ['passport']", "private-key, access-token"),
            ("[secrets]\nminutes = 0", "0.05"),
            ("[[rules]]\nthen = 'refuse'", "rule 1 says nothing"),
            ("[[rules]]\nprogram = 'Mail'\nthen = 'burn'", "refuse"),
            ("[[rules]]\ncontent = '('\nthen = 'refuse'", "`content` is no pattern"),
            ("[[orders]]\non = 'daily 25:00'", "daily 18:30"),
            ("[[orders]]\non = 'after 0m'", "between a minute"),
        ] {
            let why = read(text).unwrap_err();
            assert!(why.contains(word), "{text}: {why}");
        }
    }
}
