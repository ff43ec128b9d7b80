//! One intake rule: which copies it is for, and what becomes of them.

use serde::{Deserialize, Serialize};

use crate::clip::facts::Kind;
use crate::clip::offer::{COPY_CAP, Source};
use crate::search::pattern::Pattern;
use crate::text::fold::fold;

/// Minutes for which a masked copy is held at most: a day.
pub const LONGEST_MASK: f64 = 24.0 * 60.0;
/// Minutes for which a masked copy is held if nothing else is said.
pub const USUAL_MASK: f64 = 2.0;

/// What becomes of a copy.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Verdict {
    /// It is kept, also when it looks like a secret.
    Keep,
    /// It is kept on this device, and never sent to another.
    Here,
    /// It is held in memory alone, masked, for a time.
    Mask,
    /// It is not recorded.
    Refuse,
}

impl Verdict {
    /// All of them, with their words.
    pub const ALL: [(&str, Self); 4] =
        [("keep", Self::Keep), ("here", Self::Here), ("mask", Self::Mask), ("refuse", Self::Refuse)];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(_, one)| *one == self).map_or("keep", |(word, _)| word)
    }
}

/// A rule as it is written. All that is said must hold; what is not said holds for every copy.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Rule {
    /// What a person calls it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// The program's class or executable; `*` stands for anything.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// A pattern somewhere in the title of the window.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub window: Option<String>,
    /// A pattern somewhere in the address of the page.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub page: Option<String>,
    /// The kind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kind: Option<Kind>,
    /// Larger than so many bytes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub over: Option<u64>,
    /// A pattern somewhere in the text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub content: Option<String>,
    /// What becomes of it.
    pub then: Verdict,
    /// For how many minutes it is held when it is masked.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub minutes: Option<f64>,
}

impl Rule {
    /// A rule that refuses, and says nothing yet of what it is for.
    pub fn refusing() -> Self {
        Self {
            name: None,
            program: None,
            window: None,
            page: None,
            kind: None,
            over: None,
            content: None,
            then: Verdict::Refuse,
            minutes: None,
        }
    }
}

/// Why a rule can't be one.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum RuleError {
    /// It would be for every copy.
    #[error(
        "rule {0} says nothing of the copies it is for; give program, window, page, kind, over or content (to stop recording altogether, pause)"
    )]
    Empty(usize),
    /// Not a pattern.
    #[error("rule {0}: `{1}` is no pattern: {2}")]
    Pattern(usize, &'static str, String),
    /// Not a time.
    #[error(
        "rule {0}: `minutes` is {1}; it must be between 0.05 and {LONGEST_MASK}, and is for `mask` alone"
    )]
    Minutes(usize, f64),
    /// Not a size.
    #[error("rule {0}: `over` is {1} bytes; a copy has {COPY_CAP} at most, so this would never hold")]
    Over(usize, u64),
    /// Too many.
    #[error("there are {0} rules; {1} are the most")]
    TooMany(usize, usize),
}

/// What is known of a copy.
#[derive(Clone, Copy, Debug, Default)]
pub struct Known<'c> {
    /// Where it came from.
    pub source: Option<&'c Source>,
    /// The executable of the program, without its directory.
    pub executable: Option<&'c str>,
    /// What it will be.
    pub kind: Option<Kind>,
    /// Its bytes.
    pub size: Option<u64>,
    /// Its text, folded; empty when it has none. `None` before it was read.
    pub text: Option<&'c str>,
}

/// A rule, ready to be asked.
#[derive(Clone, Debug)]
pub struct Ready {
    /// As it is written.
    pub rule: Rule,
    program: Option<Vec<String>>,
    window: Option<Pattern>,
    page: Option<Pattern>,
    content: Option<Pattern>,
}

/// Whether something holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Holds {
    /// It does.
    Yes,
    /// It does not.
    No,
    /// That can't be told yet.
    Unknown,
}

impl From<bool> for Holds {
    fn from(holds: bool) -> Self {
        if holds { Self::Yes } else { Self::No }
    }
}

impl Ready {
    /// Makes the `n`th rule (from 1) ready.
    ///
    /// # Errors
    /// Says what can't be in it.
    pub fn new(n: usize, rule: Rule) -> Result<Self, RuleError> {
        let pattern = |name: &'static str, text: &Option<String>| match text {
            None => Ok(None),
            Some(text) => Pattern::new(text).map(Some).map_err(|why| RuleError::Pattern(n, name, why.why)),
        };
        let (window, page) = (pattern("window", &rule.window)?, pattern("page", &rule.page)?);
        let content = pattern("content", &rule.content)?;
        let program = rule.program.as_deref().filter(|name| !name.trim().is_empty());
        let empty = program.is_none() && rule.kind.is_none() && rule.over.is_none();
        if empty && window.is_none() && page.is_none() && content.is_none() {
            return Err(RuleError::Empty(n));
        }
        if let Some(over) = rule.over.filter(|over| *over >= COPY_CAP) {
            return Err(RuleError::Over(n, over));
        }
        if let Some(minutes) = rule.minutes
            && !(rule.then == Verdict::Mask && (0.05..=LONGEST_MASK).contains(&minutes))
        {
            return Err(RuleError::Minutes(n, minutes));
        }
        let program = program.map(|name| name.split('*').map(fold).collect());
        Ok(Self { rule, program, window, page, content })
    }

    /// For how many minutes it masks.
    pub fn minutes(&self) -> f64 {
        self.rule.minutes.unwrap_or(USUAL_MASK)
    }

    /// Whether it is for this copy, as far as that can be told from what is known.
    pub fn holds(&self, known: &Known<'_>) -> Holds {
        let mut all = Holds::Yes;
        let source =
            |of: fn(&Source) -> &Option<String>| known.source.and_then(|source| of(source).as_deref());
        let matches = |pattern: &Pattern, text: Option<&str>| {
            Holds::from(text.is_some_and(|text| pattern.matches(fold(text).as_bytes())))
        };
        let mut also = |holds: Holds| {
            all = match (all, holds) {
                (Holds::No, _) | (_, Holds::No) => Holds::No,
                (Holds::Unknown, _) | (_, Holds::Unknown) => Holds::Unknown,
                _ => Holds::Yes,
            };
        };
        if let Some(parts) = &self.program {
            let names = [source(|source| &source.program), known.executable];
            also(names.into_iter().flatten().any(|name| is_like(&fold(name), parts)).into());
        }
        if let Some(pattern) = &self.window {
            also(matches(pattern, source(|source| &source.window)));
        }
        if let Some(pattern) = &self.page {
            // The address of a page is read with the copy.
            let page = source(|source| &source.page);
            let unread = known.text.is_none() && page.is_none();
            also(if unread { Holds::Unknown } else { matches(pattern, page) });
        }
        if let Some(kind) = self.rule.kind {
            also(known.kind.map_or(Holds::Unknown, |one| (one == kind).into()));
        }
        if let Some(over) = self.rule.over {
            also(known.size.map_or(Holds::Unknown, |size| (size > over).into()));
        }
        if let Some(pattern) = &self.content {
            also(known.text.map_or(Holds::Unknown, |text| pattern.matches(text.as_bytes()).into()));
        }
        all
    }
}

/// A name is like parts between which anything may stand.
fn is_like(name: &str, parts: &[String]) -> bool {
    let [first, middle @ .., last] = parts else {
        return parts.first().is_some_and(|only| only.as_str() == name);
    };
    let Some(mut rest) = name.strip_prefix(first.as_str()).and_then(|rest| rest.strip_suffix(last.as_str()))
    else {
        return false;
    };
    for part in middle {
        match rest.find(part.as_str()) {
            Some(at) => rest = &rest[at + part.len()..],
            None => return false,
        }
    }
    true
}
