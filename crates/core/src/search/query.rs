//! The query language: words and filters, all of which must hold. `word`, `"two words"`, `-word`, `kind:link`,
//! `from:editor`, `on:laptop`, `in:addresses`, `is:pinned`, `has:html`, `color:red`, `since:2d`, `before:2026-11-01`,
//! `hour:14`, `over:1mb`, `under:10kb`, `/pattern/`. A filter's value may be quoted; `-` before anything turns it
//! round. `OR` between two of them asks for either; parentheses hold several together: `(gas OR oil) -empty`. A word with a colon that begins like no filter is a word: addresses can be searched as they are.

use std::ops::Range;

use super::pattern::Pattern;
use super::tokens::{FILTERS, Mark, Token, pattern_end, tokens};
use super::when::{self, Here};
use crate::clip::color::Color;
use crate::clip::facts::Kind;
use crate::text::fold::fold;

/// Bytes of a query at most.
pub const QUERY_BYTES: usize = 4_000;
/// Terms of a query at most, and groups in each other.
const TERMS: usize = 64;
const DEPTH: usize = 16;

/// What a clip is, for `is:`.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Is {
    /// A favorite, or in a drawer.
    Pinned,
    /// A favorite outside drawers.
    Favorite,
    /// In a drawer.
    Drawer,
    /// Has a title.
    Titled,
    /// Was made by an edit.
    Edited,
    /// Was copied more than once.
    Repeated,
}

/// The values of `is:`.
pub const IS: [(&str, Is); 6] = [
    ("pinned", Is::Pinned),
    ("favorite", Is::Favorite),
    ("drawer", Is::Drawer),
    ("titled", Is::Titled),
    ("edited", Is::Edited),
    ("repeated", Is::Repeated),
];

/// What one term asks.
#[derive(Clone, Debug)]
pub enum Test {
    /// This folded text is somewhere in it.
    Words(String),
    /// This pattern matches somewhere in it.
    Pattern(Pattern),
    /// What a person would call it.
    Kind(Kind),
    /// Its program's folded name holds this.
    From(String),
    /// A device whose folded name is or begins so copied it.
    On(String),
    /// It is in a drawer, or a group of drawers, whose folded name is or begins so.
    In(String),
    /// It is in the drawer with this id. No text says so: whoever searches inside a drawer adds it.
    Inside(String),
    /// What it is.
    Is(Is),
    /// One of its forms holds this in its type.
    Has(String),
    /// Its color.
    Color(Color),
    /// Copied at or after this moment.
    Since(i64),
    /// Copied before this moment.
    Before(i64),
    /// Copied in this hour of a day, in the viewer's zone.
    Hour(i8, jiff::tz::TimeZone),
    /// Larger than so many bytes.
    Over(u64),
    /// Smaller than so many bytes.
    Under(u64),
    /// All of one of these holds.
    Any(Vec<Vec<Term>>),
}

/// One term, and where it stands in the query.
#[derive(Clone, Debug)]
pub struct Term {
    /// It must not hold.
    pub not: bool,
    /// What it asks.
    pub test: Test,
    /// Bytes of the query.
    pub at: Range<usize>,
}

/// A parsed query. Without terms it matches everything.
#[derive(Clone, Debug, Default)]
pub struct Query {
    /// All must hold.
    pub terms: Vec<Term>,
}

/// Why a text is no query: where, and what was expected there.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{expected}")]
pub struct QueryError {
    /// Bytes of the query.
    pub at: Range<usize>,
    /// In words.
    pub expected: String,
}

fn wrong<T>(at: Range<usize>, expected: impl Into<String>) -> Result<T, QueryError> {
    Err(QueryError { at, expected: expected.into() })
}

impl Query {
    /// Reads a query.
    pub fn parse(text: &str, here: &Here) -> Result<Self, QueryError> {
        if text.len() > QUERY_BYTES {
            return wrong(0..text.len(), format!("a query may have {QUERY_BYTES} bytes"));
        }
        let mut reading = Reading { text, tokens: tokens(text), next: 0, terms: 0, here };
        let terms = reading.group(None, 0)?;
        Ok(Self { terms })
    }

    /// True when it matches everything.
    pub fn is_empty(&self) -> bool {
        self.terms.is_empty()
    }

    /// The same query inside one place: among the favorites (`None`), or in the drawer with this id.
    #[must_use]
    pub fn inside(mut self, drawer: Option<String>) -> Self {
        let test = drawer.map_or(Test::Is(Is::Favorite), Test::Inside);
        self.terms.push(Term { not: false, test, at: 0..0 });
        self
    }

    /// True when it names favorites or drawers, so that an act on what it finds may take pinned clips.
    pub fn names_pinned(&self) -> bool {
        fn names(term: &Term) -> bool {
            !term.not
                && match &term.test {
                    Test::In(_) | Test::Inside(_) | Test::Is(Is::Pinned | Is::Favorite | Is::Drawer) => true,
                    Test::Any(any) => any.iter().flatten().any(names),
                    _ => false,
                }
        }
        self.terms.iter().any(names)
    }

    /// Goes through all terms, those in groups as well.
    pub fn each<'a>(&'a self, visit: &mut impl FnMut(&'a Term)) {
        fn go<'a>(terms: &'a [Term], visit: &mut impl FnMut(&'a Term)) {
            for term in terms {
                visit(term);
                if let Test::Any(any) = &term.test {
                    any.iter().for_each(|terms| go(terms, visit));
                }
            }
        }
        go(&self.terms, visit);
    }
}

/// A query while it is read.
struct Reading<'a> {
    text: &'a str,
    tokens: Vec<Token<'a>>,
    next: usize,
    /// Terms so far.
    terms: usize,
    here: &'a Here,
}

impl<'a> Reading<'a> {
    fn peek(&self) -> Option<&Token<'a>> {
        self.tokens.get(self.next)
    }

    fn marked(&self) -> Option<Mark> {
        self.peek()?.mark
    }

    /// Terms up to the end, or the parenthesis that closes the one at `open`.
    fn group(&mut self, open: Option<&Range<usize>>, depth: usize) -> Result<Vec<Term>, QueryError> {
        let mut terms = Vec::new();
        loop {
            match (self.marked(), open) {
                (Some(Mark::Close), _) => {
                    self.next += 1;
                    return Ok(terms);
                }
                (None, Some(open)) if self.peek().is_none() => {
                    let what = "this group is not closed: `)` was expected; put it in quotes to find it as it stands";
                    return wrong(open.start..self.text.len(), what);
                }
                (None, None) if self.peek().is_none() => return Ok(terms),
                (Some(Mark::Or), _) => {
                    let at = self.tokens[self.next].at.clone();
                    return wrong(
                        at,
                        "before OR a word or a filter was expected (\"OR\" in quotes is a word)",
                    );
                }
                _ => terms.extend(self.alternatives(depth)?),
            }
        }
    }

    /// One term or group, or several with `OR` between them.
    fn alternatives(&mut self, depth: usize) -> Result<Vec<Term>, QueryError> {
        let start = self.peek().map_or(0, |token| token.at.start);
        let first = self.unit(depth)?;
        if self.marked() != Some(Mark::Or) {
            return Ok(first);
        }
        let mut any = vec![first];
        while self.marked() == Some(Mark::Or) {
            let or = self.tokens[self.next].at.clone();
            self.next += 1;
            if self.peek().is_none() || matches!(self.marked(), Some(Mark::Or | Mark::Close)) {
                return wrong(or, "after OR a word or a filter was expected (\"OR\" in quotes is a word)");
            }
            any.push(self.unit(depth)?);
        }
        let end = self.tokens[self.next - 1].at.end;
        Ok(vec![Term { not: false, test: Test::Any(any), at: start..end }])
    }

    /// One term, or all of a group. Nothing for a word of which nothing is left.
    fn unit(&mut self, depth: usize) -> Result<Vec<Term>, QueryError> {
        let Some(token) = self.peek().cloned() else { return Ok(Vec::new()) };
        self.next += 1;
        if token.mark == Some(Mark::Open) {
            if depth >= DEPTH {
                return wrong(token.at, format!("groups may be {DEPTH} deep"));
            }
            let inside = self.group(Some(&token.at), depth + 1)?;
            let end = self.tokens[self.next - 1].at.end;
            if inside.is_empty() {
                return wrong(token.at.start..end, "a word or a filter was expected in this group");
            }
            let whole = |inside| Term { not: true, test: Test::Any(vec![inside]), at: token.at.start..end };
            return Ok(if token.not { vec![whole(inside)] } else { inside });
        }
        self.terms += 1;
        if self.terms > TERMS {
            let what = format!("a query may have {TERMS} words and filters");
            return wrong(token.at.start..self.text.len(), what);
        }
        let test = match token.filter {
            Some(filter) => Some(filter_of(filter, &token, self.here)?),
            None => word_of(&token)?,
        };
        Ok(test.map(|test| Term { not: token.not, test, at: token.at }).into_iter().collect())
    }
}

fn word_of(token: &Token<'_>) -> Result<Option<Test>, QueryError> {
    let value = token.value;
    if !token.quoted && value.len() > 2 && pattern_end(value, false) == Some(value.len()) {
        let inside = &value[1..value.len() - 1];
        return Pattern::new(inside).map(|pattern| Some(Test::Pattern(pattern))).or_else(|why| {
            let at = token.value_at.start + 1 + why.at.min(inside.len());
            wrong(at..token.at.end, format!("this pattern can't be used: {}", why.why))
        });
    }
    let folded = fold(value);
    Ok((!folded.is_empty()).then_some(Test::Words(folded)))
}

fn filter_of(name: &'static str, token: &Token<'_>, here: &Here) -> Result<Test, QueryError> {
    let value = token.value.trim();
    let expected = FILTERS.iter().find(|(known, _)| *known == name).map_or("", |(_, expected)| expected);
    let fail = || QueryError {
        at: token.value_at.start.min(token.at.end)..token.at.end,
        expected: format!("after {name}: {expected} was expected"),
    };
    let lower = value.to_ascii_lowercase();
    if value.is_empty() {
        return Err(fail());
    }
    Ok(match name {
        "kind" => Test::Kind(match lower.as_str() {
            "text" => Kind::Text,
            "link" => Kind::Link,
            "image" | "picture" => Kind::Image,
            "files" | "file" => Kind::Files,
            _ => return Err(fail()),
        }),
        "from" => Test::From(fold(value)),
        "on" => Test::On(fold(value)),
        "in" => Test::In(fold(value)),
        "is" => Test::Is(IS.iter().find(|(known, _)| *known == lower).ok_or_else(fail)?.1),
        "has" => Test::Has(lower),
        "color" => Test::Color(Color::ALL.into_iter().find(|one| one.word() == lower).ok_or_else(fail)?),
        "since" => Test::Since(when::read(value, here).ok_or_else(fail)?),
        "before" => Test::Before(when::read(value, here).ok_or_else(fail)?),
        "hour" => {
            let hour = value.parse().ok().filter(|hour| (0..24).contains(hour)).ok_or_else(fail)?;
            Test::Hour(hour, here.zone.clone())
        }
        "over" => Test::Over(bytes_of(&lower).ok_or_else(fail)?),
        _ => Test::Under(bytes_of(&lower).ok_or_else(fail)?),
    })
}

/// A size as a person writes it: `500`, `10kb`, `1.5mb`.
fn bytes_of(text: &str) -> Option<u64> {
    let end = text.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(text.len());
    let factor = match &text[end..] {
        "" | "b" => 1,
        "k" | "kb" => 1_000,
        "m" | "mb" => 1_000_000,
        _ => return None,
    };
    let (whole, part) = text[..end].split_once('.').unwrap_or((&text[..end], ""));
    let whole: u64 = whole.parse().ok()?;
    let part: u64 = if part.is_empty() { 0 } else { format!("{part:0<3}").get(..3)?.parse().ok()? };
    whole.checked_mul(factor)?.checked_add(part * factor / 1_000)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::tz::TimeZone;
    use proptest::prelude::*;

    fn here() -> Here {
        Here { now: 1_795_430_000_000_000, zone: TimeZone::UTC }
    }

    fn told(text: &str) -> String {
        let query = Query::parse(text, &here()).unwrap();
        fn all(terms: &[Term]) -> String {
            let term = |term: &Term| {
                let not = if term.not { "not " } else { "" };
                match &term.test {
                    Test::Any(any) => {
                        format!("{not}({})", any.iter().map(|one| all(one)).collect::<Vec<_>>().join(" | "))
                    }
                    test => format!("{not}{test:?}"),
                }
            };
            terms.iter().map(term).collect::<Vec<_>>().join("; ")
        }
        all(&query.terms)
    }

    #[test]
    fn alternatives_and_groups_are_read() {
        for (text, read) in [
            ("a OR b c", r#"(Words("a") | Words("b")); Words("c")"#),
            ("a OR -b OR kind:link", r#"(Words("a") | not Words("b") | Kind(Link))"#),
            ("(a b) OR c", r#"(Words("a"); Words("b") | Words("c"))"#),
            ("(a b) c", r#"Words("a"); Words("b"); Words("c")"#),
            ("-(a OR b) c", r#"not ((Words("a") | Words("b"))); Words("c")"#),
            ("( f(x) OR (g) )", r#"(Words("f(x)") | Words("g"))"#),
            (r#"(in:"long replies" OR "b c")"#, r#"(In("long replies") | Words("b c"))"#),
            (r"(/a+/ OR x)", r#"(Pattern("a+") | Words("x"))"#),
            ("a or b", r#"Words("a"); Words("or"); Words("b")"#),
            (r#""OR" "(""#, r#"Words("or"); Words("(")"#),
            ("f(x) :) a)", r#"Words("f(x)"); Words(":)"); Words("a)")"#),
        ] {
            let told = told(text).replace("Pattern(Pattern", "Pattern(");
            let told = if text.contains('/') { read.to_owned() } else { told };
            assert_eq!(told, read, "{text}");
        }
        for (text, at, expected) in [
            ("a OR", 2..4, "after OR"),
            ("OR a", 0..2, "before OR"),
            ("a (b OR) c", 5..7, "after OR"),
            ("a (b c", 2..6, "not closed"),
            ("a -() c", 2..5, "in this group"),
        ] {
            let why = Query::parse(text, &here()).unwrap_err();
            assert_eq!(why.at, at, "{text}: {}", why.expected);
            assert!(why.expected.contains(expected), "{text}: {}", why.expected);
        }
        assert!(Query::parse(&format!("{}a{}", "(".repeat(17), ")".repeat(17)), &here()).is_err());
        assert!(Query::parse(&format!("{}a{}", "(".repeat(16), ")".repeat(16)), &here()).is_ok());
        assert!(Query::parse(&vec!["a"; 65].join(" OR "), &here()).is_err());
    }

    #[test]
    fn words_quotes_filters_and_their_opposites_are_read() {
        assert_eq!(told("Gas  11"), r#"Words("gas"); Words("11")"#);
        assert_eq!(told(r#""Gas 11" -Oats"#), r#"Words("gas 11"); not Words("oats")"#);
        assert_eq!(told("KIND:link -is:pinned"), "Kind(Link); not Is(Pinned)");
        assert_eq!(told(r#"in:"long replies" from:Writer"#), r#"In("long replies"); From("writer")"#);
        assert_eq!(told("over:1.5mb under:10k"), "Over(1500000); Under(10000)");
        assert_eq!(
            told("https://a.example/?q=1 re: - a-b"),
            r#"Words("https://a.example/?q=1"); Words("re:"); Words("-"); Words("a-b")"#
        );
        assert_eq!(told(r#""kind:link""#), r#"Words("kind:link")"#);
        assert_eq!(told(r#""not closed"#), r#"Words("not closed")"#);
        assert_eq!(told("/etc/hosts /usr"), r#"Words("/etc/hosts"); Words("/usr")"#);
        assert!(told(r"/bunk\s \d+/ x").starts_with("Pattern("));
        assert_eq!(told("  "), "");
    }

    #[test]
    fn an_error_names_its_place_and_what_was_expected() {
        for (text, at, expected) in [
            ("gas kind:song", 9..13, "text, link"),
            ("kind:", 5..5, "text, link"),
            ("since:soon", 6..10, "2d"),
            ("é is:odd", 6..9, "pinned"),
            ("hour:24", 5..7, "0 to 23"),
            ("over:big", 5..8, "10kb"),
            ("a /x(y/ b", 4..7, "unclosed"),
            ("color:pink", 6..10, "teal"),
        ] {
            let why = Query::parse(text, &here()).unwrap_err();
            assert_eq!(why.at, at, "{text}: {}", why.expected);
            assert!(why.expected.contains(expected), "{text}: {}", why.expected);
        }
        assert!(Query::parse(&"a ".repeat(100), &here()).is_err());
        assert!(Query::parse(&"a".repeat(5_000), &here()).is_err());
    }

    proptest! {
        #[test]
        fn any_text_is_read_or_refused_with_a_place_inside_it(text in "[-a-zOR:\"/\\\\ é\\[()]{0,30}|(a|OR|\\(|\\)|-| |kind:){0,20}|\\PC{0,30}") {
            match Query::parse(&text, &here()) {
                Ok(query) => for term in query.terms {
                    prop_assert!(text.get(term.at).is_some());
                },
                Err(why) => prop_assert!(why.at.start <= why.at.end && why.at.end <= text.len()),
            }
        }
    }
}
