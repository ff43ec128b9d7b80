//! All intake rules in their order, with the recognisers of secrets behind them: the first rule that holds decides. Before
//! a copy is read, a rule that may still hold stands in the way of those behind it: then it is read first.

use std::collections::BTreeSet;

use crate::clip::facts::Kind;
use crate::clip::offer::Source;
use crate::clip::secret::SecretKind;
use crate::intake::recognise::recognise;
use crate::intake::rule::{Holds, Known, Ready, Rule, RuleError, USUAL_MASK, Verdict};
use crate::text::fold::fold;

/// Rules at most.
pub const MOST_RULES: usize = 200;

/// Rules and recognisers.
#[derive(Clone, Debug)]
pub struct Rules {
    rules: Vec<Ready>,
    recognised: BTreeSet<SecretKind>,
    minutes: f64,
}

/// What was decided, and by what.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Decision {
    /// What becomes of the copy.
    pub verdict: Verdict,
    /// Which rule decided, from 0; `None` when none did.
    pub rule: Option<usize>,
    /// What it was recognised as, or that a rule masks it.
    pub secret: Option<SecretKind>,
    /// For how many minutes it is held when it is masked.
    pub minutes: f64,
}

/// A copy that was read, to be decided on.
#[derive(Clone, Copy, Debug)]
pub struct Whole<'c> {
    /// Where it came from.
    pub source: &'c Source,
    /// The executable of the program, without its directory.
    pub executable: Option<&'c str>,
    /// What it is.
    pub kind: Kind,
    /// Its bytes.
    pub size: u64,
    /// Its text; empty when it has none.
    pub text: &'c str,
}

impl Default for Rules {
    fn default() -> Self {
        let recognised = SecretKind::RECOGNISED.into_iter().collect();
        Self { rules: Vec::new(), recognised, minutes: USUAL_MASK }
    }
}

impl Rules {
    /// Makes rules ready; secrets of the kinds `recognised` are held for `minutes`.
    ///
    /// # Errors
    /// Says which rule can't be, and why.
    pub fn new(rules: Vec<Rule>, recognised: BTreeSet<SecretKind>, minutes: f64) -> Result<Self, RuleError> {
        if rules.len() > MOST_RULES {
            return Err(RuleError::TooMany(rules.len(), MOST_RULES));
        }
        let ready = rules.into_iter().enumerate().map(|(n, rule)| Ready::new(n + 1, rule));
        Ok(Self { rules: ready.collect::<Result<_, _>>()?, recognised, minutes })
    }

    /// The rules as they are written.
    pub fn written(&self) -> impl Iterator<Item = &Rule> {
        self.rules.iter().map(|one| &one.rule)
    }

    /// The recognisers that are switched on.
    pub fn recognised(&self) -> &BTreeSet<SecretKind> {
        &self.recognised
    }

    /// For how many minutes recognised secrets are held.
    pub fn masks_for(&self) -> f64 {
        self.minutes
    }

    fn by_rule(&self, n: usize) -> Decision {
        let one = &self.rules[n];
        let secret = (one.rule.then == Verdict::Mask).then_some(SecretKind::Ruled);
        Decision { verdict: one.rule.then, rule: Some(n), secret, minutes: one.minutes() }
    }

    /// What can be decided before a copy is read. `None`: it must be read.
    pub fn before(&self, known: &Known<'_>) -> Option<Decision> {
        let first = self.rules.iter().map(|rule| rule.holds(known)).enumerate();
        let (n, holds) = first.into_iter().find(|(_, holds)| *holds != Holds::No)?;
        (holds == Holds::Yes).then(|| self.by_rule(n))
    }

    /// What becomes of a copy that was read.
    pub fn decide(&self, copy: &Whole<'_>) -> Decision {
        let folded = if self.rules.iter().any(|one| one.rule.content.is_some()) {
            fold(copy.text)
        } else {
            String::new()
        };
        let known = Known {
            source: Some(copy.source),
            executable: copy.executable,
            kind: Some(copy.kind),
            size: Some(copy.size),
            text: Some(&folded),
        };
        if let Some(n) = self.rules.iter().position(|rule| rule.holds(&known) == Holds::Yes) {
            return self.by_rule(n);
        }
        let secret = recognise(copy.text, copy.source, &self.recognised);
        let verdict = if secret.is_some() { Verdict::Mask } else { Verdict::Keep };
        Decision { verdict, rule: None, secret, minutes: self.minutes }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn rule(then: Verdict) -> Rule {
        Rule { then, ..Rule::refusing() }
    }

    fn rules(all: Vec<Rule>) -> Result<Rules, RuleError> {
        Rules::new(all, SecretKind::RECOGNISED.into_iter().collect(), 2.0)
    }

    fn text<'c>(source: &'c Source, text: &'c str) -> Whole<'c> {
        Whole { source, executable: None, kind: Kind::Text, size: text.len() as u64, text }
    }

    #[test]
    fn the_first_rule_that_holds_decides_also_over_what_looks_like_a_secret() {
        let all = rules(vec![
            Rule { program: Some("Mail*".into()), content: Some("iban".into()), ..rule(Verdict::Keep) },
            Rule { window: Some("^salary".into()), ..rule(Verdict::Refuse) },
            Rule { page: Some(r"bank\.example/".into()), minutes: Some(5.0), ..rule(Verdict::Mask) },
            Rule { kind: Some(Kind::Image), over: Some(100), ..rule(Verdict::Here) },
        ])
        .unwrap();
        let iban = "IBAN DE89 3704 0044 0532 0130 00";
        let mail = Source { program: Some("mail client".into()), ..Source::default() };
        assert_eq!(all.decide(&text(&mail, iban)).verdict, Verdict::Keep);
        let other = Source::default();
        let decision = all.decide(&text(&other, iban));
        assert_eq!((decision.verdict, decision.secret), (Verdict::Mask, Some(SecretKind::Iban)));
        let salary = Source { window: Some("Salary Quist.ods".into()), ..Source::default() };
        assert_eq!(all.decide(&text(&salary, "4,000")).rule, Some(1));
        let bank = Source { page: Some("https://bank.example/in".into()), ..Source::default() };
        let decision = all.decide(&text(&bank, "anything"));
        assert_eq!((decision.secret, decision.minutes), (Some(SecretKind::Ruled), 5.0));
        let picture = Whole { kind: Kind::Image, size: 101, ..text(&other, "") };
        assert_eq!(all.decide(&picture).verdict, Verdict::Here);
        assert_eq!(all.decide(&Whole { size: 100, ..picture }).verdict, Verdict::Keep);
    }

    #[test]
    fn what_must_be_read_to_be_decided_is_read_and_what_need_not_is_not() {
        let all = rules(vec![
            Rule { program: Some("Notes".into()), content: Some("draft".into()), ..rule(Verdict::Keep) },
            Rule { program: Some("notes".into()), ..rule(Verdict::Refuse) },
            Rule { program: Some("game".into()), ..rule(Verdict::Refuse) },
        ])
        .unwrap();
        let from = |program: &str| Source { program: Some(program.into()), ..Source::default() };
        let before = |source: &Source| all.before(&Known { source: Some(source), ..Known::default() });
        assert_eq!(before(&from("Notes")), None, "its text decides");
        assert_eq!(before(&from("Game")).map(|one| one.verdict), Some(Verdict::Refuse));
        assert_eq!(before(&from("Editor")), None);
        assert_eq!(all.decide(&text(&from("Notes"), "a draft")).verdict, Verdict::Keep);
        assert_eq!(all.decide(&text(&from("Notes"), "done")).verdict, Verdict::Refuse);
    }

    #[test]
    fn rules_that_can_not_be_are_named_with_what_they_may_be() {
        let huge = format!("({}){{1000}}", "a{1000}");
        for (one, word) in [
            (rule(Verdict::Refuse), "says nothing"),
            (Rule { window: Some("(".into()), ..rule(Verdict::Keep) }, "`window` is no pattern"),
            (Rule { content: Some(huge), ..rule(Verdict::Keep) }, "too large"),
            (Rule { kind: Some(Kind::Text), minutes: Some(1.0), ..rule(Verdict::Keep) }, "`mask` alone"),
            (Rule { kind: Some(Kind::Text), minutes: Some(-1.0), ..rule(Verdict::Mask) }, "minutes"),
            (Rule { over: Some(u64::MAX), ..rule(Verdict::Refuse) }, "never hold"),
        ] {
            let why = rules(vec![one]).unwrap_err().to_string();
            assert!(why.contains(word) && why.contains("rule 1"), "{why}");
        }
        let many = vec![Rule { kind: Some(Kind::Text), ..rule(Verdict::Keep) }; MOST_RULES + 1];
        assert!(rules(many).unwrap_err().to_string().contains("200 are the most"));
    }

    fn any_rule() -> impl Strategy<Value = Rule> {
        let name = || proptest::option::of("[ab*]{1,3}");
        let kinds = prop_oneof![Just(Kind::Text), Just(Kind::Image)];
        let verdicts = prop_oneof![Just(Verdict::Keep), Just(Verdict::Refuse), Just(Verdict::Mask)];
        let pattern = || proptest::option::of("[ab]{1,2}");
        (name(), pattern(), pattern(), proptest::option::of(kinds), 0u64..4, verdicts).prop_map(
            |(program, content, page, kind, over, then)| Rule {
                page,
                program,
                content,
                kind,
                over: Some(over),
                ..rule(then)
            },
        )
    }

    proptest! {
        /// Whatever is decided before a copy was read is decided so afterwards: nothing is refused that would be kept.
        #[test]
        fn what_is_decided_beforehand_is_decided_the_same_afterwards(
            written in proptest::collection::vec(any_rule(), 0..6),
            program in "[ab]{0,3}", content in "[ab]{0,4}", known_size: bool, known_kind: bool, image: bool,
        ) {
            let all = rules(written).unwrap();
            let source = Source { program: Some(program), page: Some(content.clone()), ..Source::default() };
            let unread = Source { page: None, ..source.clone() };
            let kind = if image { Kind::Image } else { Kind::Text };
            let size = content.len() as u64;
            let known = Known {
                source: Some(&unread), executable: None, kind: known_kind.then_some(kind),
                size: known_size.then_some(size), text: None,
            };
            let whole = Whole { source: &source, executable: None, kind, size, text: &content };
            if let Some(decision) = all.before(&known) {
                prop_assert_eq!(decision, all.decide(&whole));
            }
        }
    }
}
