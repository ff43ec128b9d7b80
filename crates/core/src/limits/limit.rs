//! Limits: how many clips, how old, how large one, how large all together; for everything, for a kind, for a program.
//! Favorites and the items of batches are beyond all of them and are not counted.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::clip::facts::Kind;
use crate::clip::offer::COPY_CAP;
use crate::clip::time::Micros;
use crate::text::fold::fold;

/// Microseconds of a day.
pub const DAY: Micros = 24 * 3_600 * 1_000_000;
/// Clips that are kept if nothing else is said.
pub const USUAL_CLIPS: u64 = 10_000;
/// Days for which clips are kept if nothing else is said.
pub const USUAL_DAYS: f64 = 365.0;
/// Bytes of all clips if nothing else is said: 2 GiB.
pub const USUAL_BYTES: u64 = 2 << 30;
/// Clips at most, whatever is said.
pub const MOST_CLIPS: u64 = 10_000_000;
/// Days at most, whatever is said: a hundred years.
pub const MOST_DAYS: f64 = 36_525.0;
/// Bytes at most, whatever is said: 1 TiB.
pub const MOST_BYTES: u64 = 1 << 40;

/// How many, how old, how large together. What is `None` is not limited.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Limit {
    /// Clips at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clips: Option<u64>,
    /// Days since the copy at most; parts of a day are allowed.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub days: Option<f64>,
    /// Bytes of all of them at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bytes: Option<u64>,
}

/// All limits.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Limits {
    /// Clips at most; `None` is no limit.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clips: Option<u64>,
    /// Days since the copy at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub days: Option<f64>,
    /// Bytes of all clips at most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub bytes: Option<u64>,
    /// Bytes of one clip at most; larger copies are not kept.
    pub one: u64,
    /// Limits of single kinds, inside those above.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub kinds: BTreeMap<Kind, Limit>,
    /// Limits of what comes from single programs, by their names.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub programs: BTreeMap<String, Limit>,
}

impl Default for Limits {
    fn default() -> Self {
        Self {
            clips: Some(USUAL_CLIPS),
            days: Some(USUAL_DAYS),
            bytes: Some(USUAL_BYTES),
            one: COPY_CAP,
            kinds: BTreeMap::new(),
            programs: BTreeMap::new(),
        }
    }
}

/// Why limits can't be.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum LimitError {
    /// Not a number of clips.
    #[error("{0} is {1}; it must be between 1 and {MOST_CLIPS} clips, or off")]
    Clips(String, u64),
    /// Not an age.
    #[error("{0} is {1}; it must be between 0.0001 (some seconds) and {MOST_DAYS} days, or off")]
    Days(String, f64),
    /// Not a size.
    #[error("{0} is {1} bytes; it must be between 1 KiB and 1 TiB, or off")]
    Bytes(String, u64),
    /// Not a size of one clip.
    #[error("limits.one is {0} bytes; it must be between 1 and {COPY_CAP} (64 MiB)")]
    One(u64),
    /// They contradict one another.
    #[error(
        "{0} is {1}, more than {2}, which is {3}: it could never be reached; lower it, or raise the other"
    )]
    Contradiction(String, String, &'static str, String),
    /// A program without a name.
    #[error("a limit in limits.programs has no name of a program")]
    NoProgram,
}

impl Limit {
    fn check(&self, name: &str) -> Result<(), LimitError> {
        if let Some(clips) = self.clips.filter(|clips| !(1..=MOST_CLIPS).contains(clips)) {
            return Err(LimitError::Clips(format!("{name}clips"), clips));
        }
        if let Some(days) = self.days.filter(|days| !(0.0001..=MOST_DAYS).contains(days)) {
            return Err(LimitError::Days(format!("{name}days"), days));
        }
        if let Some(bytes) = self.bytes.filter(|bytes| !(1024..=MOST_BYTES).contains(bytes)) {
            return Err(LimitError::Bytes(format!("{name}bytes"), bytes));
        }
        Ok(())
    }

    /// The moment before which clips are too old.
    pub fn oldest(&self, now: Micros) -> Option<Micros> {
        // At most a hundred years: far inside what both numbers hold exactly enough.
        #[allow(clippy::cast_possible_truncation, clippy::cast_precision_loss)]
        self.days.map(|days| now.saturating_sub((days * DAY as f64) as Micros))
    }
}

impl Limits {
    /// The limits of everything, as one of many.
    pub fn everything(&self) -> Limit {
        Limit { clips: self.clips, days: self.days, bytes: self.bytes }
    }

    /// No limit but that of one copy.
    pub fn none() -> Self {
        Self { clips: None, days: None, bytes: None, ..Self::default() }
    }

    /// These limits without those of age.
    #[must_use]
    pub fn without_ages(&self) -> Self {
        let mut out = self.clone();
        out.days = None;
        out.kinds.values_mut().chain(out.programs.values_mut()).for_each(|one| one.days = None);
        out
    }

    /// Checks that each can be reached, and that they do not contradict one another.
    ///
    /// # Errors
    /// Names the limit, and what it may be.
    pub fn check(&self) -> Result<(), LimitError> {
        let whole = self.everything();
        whole.check("limits.")?;
        if !(1..=COPY_CAP).contains(&self.one) {
            return Err(LimitError::One(self.one));
        }
        if let Some(all) = self.bytes.filter(|all| self.one > *all) {
            let (one, all) = (self.one.to_string(), all.to_string());
            return Err(LimitError::Contradiction("limits.one".into(), one, "limits.bytes", all));
        }
        let named = self.kinds.iter().map(|(kind, limit)| (format!("limits.kinds.{}.", kind.word()), limit));
        let programs = self.programs.iter().map(|(name, one)| (format!("limits.programs.{name}."), one));
        for (name, limit) in named.chain(programs) {
            limit.check(&name)?;
            let clash = |what: &str, own: String, other: &'static str, others: String| {
                Err(LimitError::Contradiction(format!("{name}{what}"), own, other, others))
            };
            if let (Some(own), Some(all)) = (limit.clips, whole.clips)
                && own > all
            {
                return clash("clips", own.to_string(), "limits.clips", all.to_string());
            }
            if let (Some(own), Some(all)) = (limit.days, whole.days)
                && own > all
            {
                return clash("days", own.to_string(), "limits.days", all.to_string());
            }
            if let (Some(own), Some(all)) = (limit.bytes, whole.bytes)
                && own > all
            {
                return clash("bytes", own.to_string(), "limits.bytes", all.to_string());
            }
        }
        if self.programs.keys().any(|name| fold(name).trim().is_empty()) {
            return Err(LimitError::NoProgram);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_that_can_not_be_are_named_with_what_they_may_be() {
        let usual = Limits::default();
        assert_eq!(usual.check(), Ok(()));
        let kind = |limit| BTreeMap::from([(Kind::Image, limit)]);
        for (limits, words) in [
            (Limits { clips: Some(0), ..usual.clone() }, ["limits.clips is 0", "between 1 and"]),
            (Limits { clips: Some(u64::MAX), ..usual.clone() }, ["limits.clips is", "10000000"]),
            (Limits { days: Some(0.0), ..usual.clone() }, ["limits.days is 0", "36525"]),
            (Limits { days: Some(-3.0), ..usual.clone() }, ["limits.days is -3", "or off"]),
            (Limits { days: Some(f64::NAN), ..usual.clone() }, ["limits.days is NaN", "or off"]),
            (Limits { bytes: Some(3), ..usual.clone() }, ["limits.bytes is 3", "1 KiB"]),
            (Limits { one: 0, ..usual.clone() }, ["limits.one is 0", "64 MiB"]),
            (Limits { bytes: Some(1 << 20), ..usual.clone() }, ["limits.one is 67108864", "limits.bytes"]),
            (
                Limits { kinds: kind(Limit { clips: Some(10_001), ..Limit::default() }), ..usual.clone() },
                ["limits.kinds.image.clips is 10001", "limits.clips, which is 10000"],
            ),
            (
                Limits {
                    programs: BTreeMap::from([(
                        "Mail".into(),
                        Limit { days: Some(-1.0), ..Limit::default() },
                    )]),
                    ..usual.clone()
                },
                ["limits.programs.Mail.days is -1", "or off"],
            ),
            (
                Limits { programs: BTreeMap::from([(" ".into(), Limit::default())]), ..usual.clone() },
                ["limits.programs", "no name"],
            ),
        ] {
            let why = limits.check().unwrap_err().to_string();
            assert!(words.iter().all(|word| why.contains(word)), "{why}");
        }
    }
}
