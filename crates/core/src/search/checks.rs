//! What a query asks of a document, bound to a corpus: names resolved to numbers, words prepared for finding.

use memchr::memmem::Finder;

use crate::clip::device::DeviceId;
use crate::clip::time::at;
use crate::history::drawers::Drawers;
use crate::search::doc::{DRAWER, Doc, EDITED, PINNED, REPEATED, TITLED};
use crate::search::names::drawers_called;
use crate::search::pattern::Pattern;
use crate::search::query::{Is, Term, Test};
use crate::search::summary::{Summary, bits, color_bit};
use crate::search::texts::{Block, Texts};
use crate::text::fold::{PART, fold};

/// A word, a pattern, or a look at what is known without the text.
pub(super) enum Check<'q> {
    Words(Box<Finder<'q>>),
    Pattern(&'q Pattern),
    Fact(Fact<'q>),
    /// All of one of these.
    Any(Vec<Checks<'q>>),
}

/// Checks that must all hold, each with whether it is turned round: the cheap ones first.
pub(super) struct Checks<'q>(pub(super) Vec<(bool, Check<'q>)>);

impl<'q> Checks<'q> {
    pub(super) fn new(
        terms: impl IntoIterator<Item = &'q Term>,
        corpus: &'q Texts,
        drawers: &'q Drawers,
    ) -> Self {
        let check = |term: &'q Term| {
            let check = match &term.test {
                Test::Words(words) => Check::Words(Box::new(Finder::new(words.as_bytes()))),
                Test::Pattern(pattern) => Check::Pattern(pattern),
                Test::Any(any) => {
                    Check::Any(any.iter().map(|terms| Self::new(terms, corpus, drawers)).collect())
                }
                other => Check::Fact(fact(other, corpus, drawers)),
            };
            (term.not, check)
        };
        let mut checks: Vec<(bool, Check<'q>)> = terms.into_iter().map(check).collect();
        checks.sort_by_key(|(not, check)| match check {
            Check::Fact(_) => (0, 0),
            // Long words are rare words.
            Check::Words(finder) => (1 + u8::from(*not), usize::MAX - finder.needle().len()),
            Check::Any(_) => (3, 0),
            Check::Pattern(_) => (4, 0),
        });
        Self(checks)
    }

    /// Whether any document of a block can hold all of them, as far as that can be told without a look at it.
    pub(super) fn may(&self, all: &Summary) -> bool {
        self.0.iter().all(|(not, check)| match check {
            _ if *not => true,
            Check::Fact(fact) => (fact.may)(all),
            Check::Any(any) => any.iter().any(|checks| checks.may(all)),
            Check::Words(_) | Check::Pattern(_) => true,
        })
    }

    /// Whether a document of a block, by its number there, holds all of them.
    pub(super) fn hold(&self, block: &Block, n: usize) -> bool {
        self.0.iter().all(|(not, check)| {
            let found = match check {
                Check::Fact(fact) => (fact.holds)(&block.docs[n]),
                Check::Any(any) => any.iter().any(|checks| checks.hold(block, n)),
                Check::Words(finder) => finder.find(block.text_of(n)).is_some(),
                Check::Pattern(pattern) => {
                    block.text_of(n).split(|byte| *byte == PART).any(|part| pattern.matches(part))
                }
            };
            found != *not
        })
    }
}

/// A look at what is known without the text: of a document, and whether any document of a block can be so.
pub(super) struct Fact<'q> {
    holds: Box<dyn Fn(&Doc) -> bool + Send + Sync + 'q>,
    may: Box<dyn Fn(&Summary) -> bool + Send + Sync + 'q>,
}

impl<'q> Fact<'q> {
    fn new(
        holds: impl Fn(&Doc) -> bool + Send + Sync + 'q,
        may: impl Fn(&Summary) -> bool + Send + Sync + 'q,
    ) -> Self {
        Self { holds: Box::new(holds), may: Box::new(may) }
    }

    /// The number that a document has for something is among these.
    fn among(set: Vec<bool>, number: fn(&Doc) -> u32, known: fn(&Summary) -> u64) -> Self {
        let mask = bits(&set);
        Self::new(
            move |doc| set.get(number(doc) as usize).copied().unwrap_or(false),
            move |all| known(all) & mask != 0,
        )
    }

    fn flagged(flag: u8) -> Self {
        Self::new(move |doc| doc.is(flag), move |all| all.flags & flag != 0)
    }

    /// Both.
    fn and(self, other: Self) -> Self {
        let (Self { holds, may }, Self { holds: too, may: may_too }) = (self, other);
        Self::new(move |doc| holds(doc) && too(doc), move |all| may(all) && may_too(all))
    }
}

fn fact<'q>(test: &'q Test, corpus: &'q Texts, drawers: &'q Drawers) -> Fact<'q> {
    let in_drawer = |set: Vec<bool>| Fact::among(set, |doc| doc.drawer, |all| all.drawers);
    match test {
        Test::Kind(kind) => {
            let kind = *kind;
            Fact::new(move |doc| doc.kind == kind, move |all| all.kinds >> kind as u8 & 1 == 1)
        }
        Test::From(name) => {
            let set = corpus.programs.which(|one| fold(one).contains(name));
            Fact::among(set, |doc| doc.program, |all| all.programs)
        }
        Test::On(name) => {
            let called =
                |device: &DeviceId| corpus.device_names.get(device).is_some_and(|own| own.starts_with(name));
            let set = corpus.devices.which(|all| all.iter().any(&called));
            Fact::among(set, |doc| doc.devices, |all| all.devices)
        }
        Test::In(name) => {
            let meant = drawers_called(name, drawers);
            in_drawer(corpus.drawers.which(|id| meant.iter().any(|one| one == id)))
        }
        Test::Inside(drawer) => Fact::flagged(DRAWER).and(in_drawer(corpus.drawers.which(|id| id == drawer))),
        Test::Has(form) => {
            let has = |mime: &String| mime.contains(form.as_str());
            let set = corpus.forms.which(|all| all.iter().any(has));
            Fact::among(set, |doc| doc.forms, |all| all.forms)
        }
        Test::Is(Is::Favorite) => {
            let there = in_drawer(corpus.drawers.which(|id| drawers.get(id).is_some()));
            let holds = move |doc: &Doc| doc.is(PINNED) && !(doc.is(DRAWER) && (there.holds)(doc));
            Fact::new(holds, |all| all.flags & PINNED != 0)
        }
        Test::Is(Is::Drawer) => {
            Fact::flagged(DRAWER).and(in_drawer(corpus.drawers.which(|id| drawers.get(id).is_some())))
        }
        Test::Is(is) => Fact::flagged(match is {
            Is::Titled => TITLED,
            Is::Edited => EDITED,
            Is::Repeated => REPEATED,
            _ => PINNED,
        }),
        Test::Color(color) => {
            let color = *color as u8;
            Fact::new(move |doc| doc.color == color, move |all| all.colors & color_bit(color) != 0)
        }
        Test::Since(at) => Fact::new(move |doc| doc.copied_at >= *at, move |all| all.copied_at.1 >= *at),
        Test::Before(at) => Fact::new(move |doc| doc.copied_at < *at, move |all| all.copied_at.0 < *at),
        Test::Hour(hour, zone) => Fact::new(move |doc| at(doc.copied_at, zone).hour() == *hour, |_| true),
        Test::Over(size) => Fact::new(move |doc| doc.size() > *size, move |all| all.sizes.1 > *size),
        Test::Under(size) => Fact::new(move |doc| doc.size() < *size, move |all| all.sizes.0 < *size),
        Test::Words(_) | Test::Pattern(_) | Test::Any(_) => Fact::new(|_| true, |_| true),
    }
}
