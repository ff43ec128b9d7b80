//! Patterns: regular expressions of the linear-time `regex` crate, bounded in size, matched against folded text. The
//! letters of a pattern are folded as texts are, so that case and accents do not matter in it either.

use regex::bytes::{Regex, RegexBuilder};
use regex_syntax::ast::{
    self, Ast, ClassSetItem, Literal, LiteralKind, RepetitionKind, RepetitionRange, Visitor,
};

use crate::text::fold::fold;

/// Characters of a pattern at most.
pub const PATTERN_CHARS: usize = 400;
/// Bytes of a compiled pattern at most.
const COMPILED_BYTES: usize = 1 << 20;

/// A compiled pattern, and the longest piece of text that whatever matches has, if there is one.
#[derive(Clone, Debug)]
pub struct Pattern(Regex, String);

/// Why a pattern can't be used: the byte in it where that shows, and why.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PatternError {
    /// Byte offset in the pattern.
    pub at: usize,
    /// In words.
    pub why: String,
}

impl Pattern {
    /// Compiles a pattern.
    pub fn new(text: &str) -> Result<Self, PatternError> {
        let too_large = || PatternError {
            at: 0,
            why: format!(
                "it is too large; a pattern may have {PATTERN_CHARS} characters and must not repeat much"
            ),
        };
        if text.chars().count() > PATTERN_CHARS {
            return Err(too_large());
        }
        let ast = ast::parse::ParserBuilder::new()
            .nest_limit(40)
            .build()
            .parse(text)
            .map_err(|why| PatternError { at: why.span().start.offset, why: why.kind().to_string() })?;
        let folded = folded(text, &ast);
        RegexBuilder::new(&folded)
            .case_insensitive(true)
            .multi_line(true)
            .size_limit(COMPILED_BYTES)
            .dfa_size_limit(COMPILED_BYTES)
            .build()
            .map(|compiled| Self(compiled, required(&ast)))
            .map_err(|why| match why {
                regex::Error::CompiledTooBig(_) => too_large(),
                why => {
                    PatternError { at: 0, why: why.to_string().lines().last().unwrap_or_default().to_owned() }
                }
            })
    }

    /// Folded letters that every text has in which it matches; may be none.
    pub fn required(&self) -> &str {
        &self.1
    }

    /// True when it matches somewhere in a folded text.
    pub fn matches(&self, folded: &[u8]) -> bool {
        self.0.is_match(folded)
    }

    /// Every match in a folded text that is not empty.
    pub fn find(&self, folded: &str) -> Vec<(usize, usize)> {
        let found = self.0.find_iter(folded.as_bytes());
        found.map(|one| (one.start(), one.end())).filter(|(from, to)| from < to).collect()
    }
}

/// The pattern with its letters folded; everything else as it was written.
fn folded(text: &str, ast: &Ast) -> String {
    let letters = ast::visit(ast, Letters::default()).unwrap_or_default();
    let mut out = String::with_capacity(text.len());
    let mut at = 0;
    for (from, to, new) in letters {
        if from < at {
            continue;
        }
        out.push_str(&text[at..from]);
        out.push_str(&new);
        at = to;
    }
    out.push_str(&text[at..]);
    out
}

/// The longest run of letters that a match must have.
fn required(ast: &Ast) -> String {
    /// What has been run together so far, and the longest of what was before.
    #[derive(Default)]
    struct Runs {
        now: String,
        longest: String,
    }
    impl Runs {
        fn end(&mut self) {
            let now = std::mem::take(&mut self.now);
            if now.len() > self.longest.len() {
                self.longest = now;
            }
        }

        fn add(&mut self, ast: &Ast) {
            match ast {
                // Neither takes up any text.
                Ast::Empty(_) | Ast::Assertion(_) | Ast::Flags(_) => {}
                Ast::Literal(literal) if literal.c.is_ascii() => {
                    self.now.push(literal.c.to_ascii_lowercase());
                }
                Ast::Literal(literal) if literal.kind == LiteralKind::Verbatim => {
                    let folded = fold(literal.c.encode_utf8(&mut [0; 4]));
                    if folded.is_empty() {
                        self.end();
                    }
                    self.now.push_str(&folded);
                }
                Ast::Group(group) => self.add(&group.ast),
                Ast::Concat(all) => all.asts.iter().for_each(|one| self.add(one)),
                Ast::Repetition(repeated) => {
                    self.end();
                    let least = match &repeated.op.kind {
                        RepetitionKind::OneOrMore => 1,
                        RepetitionKind::ZeroOrOne | RepetitionKind::ZeroOrMore => 0,
                        RepetitionKind::Range(
                            RepetitionRange::Exactly(least)
                            | RepetitionRange::AtLeast(least)
                            | RepetitionRange::Bounded(least, _),
                        ) => *least,
                    };
                    if least > 0 {
                        self.add(&repeated.ast);
                        self.end();
                    }
                }
                _ => self.end(),
            }
        }
    }
    let mut runs = Runs::default();
    runs.add(ast);
    runs.end();
    runs.longest
}

#[derive(Default)]
struct Letters(Vec<(usize, usize, String)>);

impl Letters {
    fn note(&mut self, literal: &Literal, in_class: bool) {
        if literal.kind != LiteralKind::Verbatim || literal.c.is_ascii() {
            return;
        }
        let folded = fold(literal.c.encode_utf8(&mut [0; 4]));
        let one = folded.chars().count() == 1;
        if !folded.is_empty() && (one || !in_class) {
            let new = if one { folded } else { format!("(?:{folded})") };
            self.0.push((literal.span.start.offset, literal.span.end.offset, new));
        }
    }
}

impl Visitor for Letters {
    type Output = Vec<(usize, usize, String)>;
    type Err = ();

    fn finish(mut self) -> Result<Self::Output, ()> {
        self.0.sort();
        Ok(self.0)
    }

    fn visit_pre(&mut self, ast: &Ast) -> Result<(), ()> {
        if let Ast::Literal(literal) = ast {
            self.note(literal, false);
        }
        Ok(())
    }

    fn visit_class_set_item_pre(&mut self, item: &ClassSetItem) -> Result<(), ()> {
        if let ClassSetItem::Literal(literal) = item {
            self.note(literal, true);
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn matches(pattern: &str, text: &str) -> bool {
        Pattern::new(pattern).unwrap().matches(fold(text).as_bytes())
    }

    #[test]
    fn case_and_accents_do_not_matter_in_patterns_either() {
        assert!(matches(r"M[äö]kinen\s\d+", "MÄKINEN 14"));
        assert!(matches("straße$", "Lange Strasse"));
        assert!(matches(r"^\w+ HUT", "Kestrel Hut"));
        assert!(!matches(r"^hut", "Kestrel Hut"));
    }

    #[test]
    fn what_a_pattern_requires_is_the_longest_run_of_its_letters() {
        let required = |pattern: &str| Pattern::new(pattern).unwrap().required().to_owned();
        assert_eq!(required(r"hut \d+ Bunks"), " bunks");
        assert_eq!(required("Straße|Weg"), "");
        assert_eq!(required("(Lange )Straße$"), "lange strasse");
        assert_eq!(required("ab?cde(fg)*h{2,3}"), "cde");
        assert_eq!(required(r"^M[äö]kinen\b"), "kinen");
        assert_eq!(required("x*"), "");
    }

    proptest! {
        #[test]
        fn whatever_matches_has_what_is_required(
            pattern in "(a|B|é|ß|ﬁ|ς|か|゛|\\.|[ab]|[^b]|\\w|a\\+|b\\*|é\\?|(\\(a|(b|é)\\))|\\^|\\$|(k|S){1,2}){1,7}",
            text in "[aAbBéßﬁςσkKsſ゛かが ]{0,24}",
        ) {
            if let Ok(pattern) = Pattern::new(&pattern) {
                let folded = fold(&text);
                prop_assert!(!pattern.matches(folded.as_bytes()) || folded.contains(pattern.required()));
            }
        }
    }

    #[test]
    fn a_pattern_that_is_broken_or_too_large_says_so() {
        assert_eq!(Pattern::new("a(b").unwrap_err().at, 1);
        for huge in ["(a{1000}){1000}", &"a".repeat(500), &"(".repeat(300), r"\w{500}{500}"] {
            assert!(Pattern::new(huge).is_err(), "{}", &huge[..10]);
        }
    }
}
