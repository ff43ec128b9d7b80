//! Intake rules as devices share them: each rule is there or gone by its newest stamp, and their order is a register. What two
//! people's hands add at the same time is all there afterwards: a rule that keeps something from being recorded is never lost
//! to another's list.

use std::collections::{BTreeMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::intake::rule::Rule;
use crate::intake::rules::MOST_RULES;
use crate::merge::register::{Written, newest};
use crate::merge::stamp::Stamp;
use crate::text::stack::hash;

/// A rule by what it says: hexadecimal digits of its hash.
pub type RuleKey = String;

/// Whether a rule is there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct RuleHead {
    /// When it came or went last.
    pub at: Stamp,
    /// What it says; `None`: it is gone.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub rule: Option<Rule>,
}

/// Everything that devices agree on about intake rules.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
pub struct SharedRules {
    /// Their order. Those that are not named stand before the others, the newest first: what was added elsewhere holds.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<Written<Vec<RuleKey>>>,
    /// All that ever were.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub rules: BTreeMap<RuleKey, RuleHead>,
}

/// What names a rule on every device.
pub fn key_of(rule: &Rule) -> RuleKey {
    let said = serde_json::to_vec(rule).unwrap_or_default();
    hex::encode(&hash(&[&said])[..16])
}

impl SharedRules {
    fn order(&self) -> Vec<&RuleKey> {
        let there = |key: &RuleKey| self.rules.get(key).is_some_and(|one| one.rule.is_some());
        let said = self.order.as_ref().map(|one| one.value.as_slice()).unwrap_or_default();
        let mut seen = HashSet::new();
        let placed: Vec<&RuleKey> = said.iter().filter(|key| there(key) && seen.insert(*key)).collect();
        let rest = self.rules.iter().filter(|(key, one)| one.rule.is_some() && !seen.contains(key));
        let mut rest: Vec<(Stamp, &RuleKey)> = rest.map(|(key, one)| (one.at, key)).collect();
        rest.sort_unstable();
        rest.into_iter().rev().map(|(_, key)| key).chain(placed).collect()
    }

    /// The rules in their order, as many as there may be.
    pub fn listed(&self) -> Vec<Rule> {
        let order = self.order().into_iter();
        order.filter_map(|key| self.rules.get(key)?.rule.clone()).take(MOST_RULES).collect()
    }

    fn newest(&self) -> Option<Stamp> {
        self.order.as_ref().map(|one| one.at).max(self.rules.values().map(|one| one.at).max())
    }

    /// Stamps what a person has made of the list since it was as `before`. True when there is something to be sent. `stamp`
    /// gives stamps that exceed the one given.
    pub fn note(
        &mut self,
        before: &[Rule],
        now: &[Rule],
        mut stamp: impl FnMut(Option<Stamp>) -> Stamp,
    ) -> bool {
        let keys = |rules: &[Rule]| rules.iter().map(key_of).collect::<Vec<_>>();
        let (was, is) = (keys(before), keys(now));
        if was == is {
            return false;
        }
        let (had, has): (HashSet<&RuleKey>, HashSet<&RuleKey>) = (was.iter().collect(), is.iter().collect());
        for (key, rule) in is.iter().zip(now).filter(|(key, _)| !had.contains(key)) {
            let at = stamp(self.rules.get(key).map(|one| one.at));
            self.rules.insert(key.clone(), RuleHead { at, rule: Some(rule.clone()) });
        }
        for key in was.iter().filter(|key| !has.contains(key)) {
            let at = stamp(self.rules.get(key).map(|one| one.at));
            self.rules.insert(key.clone(), RuleHead { at, rule: None });
        }
        // Rules that have come and are not in this list yet keep their place before it.
        if !self.order().into_iter().filter(|key| has.contains(key)).eq(is.iter()) {
            self.order = Some(Written { at: stamp(self.newest()), value: is });
        }
        true
    }

    /// Takes up what another device says.
    pub fn merge(&mut self, theirs: &Self) {
        newest(&mut self.order, &theirs.order);
        for (key, their) in &theirs.rules {
            // What is said under a key that is not its own is passed over.
            if their.rule.as_ref().is_some_and(|rule| key_of(rule) != *key) {
                continue;
            }
            match self.rules.get(key) {
                Some(own) if (own.at, own.rule.is_some()) >= (their.at, their.rule.is_some()) => {}
                _ => drop(self.rules.insert(key.clone(), their.clone())),
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::clip::device::DeviceId;
    use crate::merge::stamp::HybridClock;
    use proptest::prelude::*;

    fn rule(n: u8) -> Rule {
        Rule { program: Some(format!("Program {n}")), ..Rule::refusing() }
    }

    /// A device, its list, and what the list was when it was last noted.
    struct Device(HybridClock, SharedRules, Vec<Rule>);

    impl Device {
        fn note(&mut self, list: Vec<Rule>) {
            let Self(clock, shared, before) = self;
            shared.note(before, &list, |subject| clock.tick(5, subject));
            *before = list;
            assert!(!shared.note(before, before, |_| unreachable!("nothing has changed")));
        }

        fn hear(&mut self, theirs: &SharedRules) {
            self.1.merge(theirs);
            self.2 = self.1.listed();
        }
    }

    proptest! {
        #[test]
        fn devices_agree_and_a_rule_that_was_added_holds_everywhere(
            steps in proptest::collection::vec((0_usize..3, 0_u8..12, any::<u8>()), 0..40),
        ) {
            let clock = |n: u8| HybridClock::resume(DeviceId([n; 16]), None);
            let mut all: Vec<Device> =
                (0..3).map(|n| Device(clock(n), SharedRules::default(), Vec::new())).collect();
            let mut gone = HashSet::new();
            let mut added = HashSet::new();
            for (number, (who, what, at)) in steps.into_iter().enumerate() {
                let mut list = all[who].2.clone();
                let at = usize::from(at) % (list.len() + 1);
                match what {
                    0..=4 => {
                        let number = u8::try_from(number).unwrap();
                        added.insert(number);
                        list.insert(at, rule(number));
                    }
                    5..=6 if !list.is_empty() => {
                        let dropped = list.remove(at % list.len());
                        gone.extend(added.iter().copied().filter(|n| rule(*n) == dropped));
                    }
                    7 => list.reverse(),
                    _ => {
                        let theirs = all[usize::from(what) % 3].1.clone();
                        all[who].hear(&theirs);
                        continue;
                    }
                }
                all[who].note(list);
            }
            for _ in 0..2 {
                for (to, from) in [(0, 1), (1, 2), (2, 0), (0, 2), (1, 0)] {
                    let theirs = all[from].1.clone();
                    all[to].hear(&theirs);
                }
            }
            prop_assert_eq!(&all[0].2, &all[1].2);
            prop_assert_eq!(&all[1].2, &all[2].2);
            for number in added.difference(&gone) {
                prop_assert!(all[0].2.contains(&rule(*number)), "rule {} is lost", number);
            }
            for number in gone {
                prop_assert!(!all[0].2.contains(&rule(number)), "rule {} came back", number);
            }
        }
    }

    #[test]
    fn a_rule_under_a_key_of_another_is_passed_over() {
        let mut clock = HybridClock::resume(DeviceId([1; 16]), None);
        let mut own = SharedRules::default();
        let mut theirs = SharedRules::default();
        let head = RuleHead { at: clock.tick(5, None), rule: Some(rule(1)) };
        theirs.rules.insert(key_of(&rule(2)), head.clone());
        theirs.rules.insert(key_of(&rule(1)), head);
        own.merge(&theirs);
        assert_eq!(own.listed(), [rule(1)]);
    }
}
