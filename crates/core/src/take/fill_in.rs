//! Fill-ins: placeholders in a kept text that are filled when it is taken. The language is the project's own:
//!
//! | written | filled with |
//! | --- | --- |
//! | `{=date}`, `{=date +14d}`, `{=date -1w "%d.%m.%Y"}`, `{=date long}` | a date, moved by an offset, in a form |
//! | `{=time}`, `{=time +2h "%H:%M"}` | a time |
//! | `{=clip "Hut line"}`, `{=clip f2}` | another clip, by title or address, its own fill-ins filled |
//! | `{=ask "Name"}`, `{=ask "Nights" "2"}` | what the person answers, with a proposal |
//! | `{==` | the two characters `{=` |
//!
//! Offsets are `+` or `-`, a number, and `m`, `h`, `d`, `w`, `mo` or `y`; several may follow each other. Forms are
//! `iso`, `long`, `day`, or a pattern in quotes (`strftime`, as in POSIX). Quotes inside quotes are doubled.

use std::collections::HashMap;
use std::ops::Range;

use jiff::{Span, Zoned};

/// How deep clips may refer to clips.
const DEPTH: usize = 8;
/// Bytes that a filled text may have.
const FILLED_BYTES: usize = 4 << 20;
/// Fill-ins in one text at most.
const COUNT: usize = 200;

/// A part of a text with fill-ins.
#[derive(Clone, Debug, PartialEq)]
pub enum Part {
    /// Stays as it is.
    Plain(String),
    /// Is filled.
    FillIn(Range<usize>, FillIn),
}

/// One placeholder.
#[derive(Clone, Debug, PartialEq)]
pub enum FillIn {
    /// A date or time: offsets, and a `strftime` pattern.
    Moment(Vec<Offset>, String),
    /// Another clip, by title or address.
    Clip(String),
    /// A question and a proposed answer.
    Ask(String, Option<String>),
}

/// A step in time: how many, of what.
pub type Offset = (i64, Unit);

/// What an offset counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[expect(missing_docs, reason = "the names say it")]
pub enum Unit {
    Minutes,
    Hours,
    Days,
    Weeks,
    Months,
    Years,
}

/// Why a text can't be filled: where, and why.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{why}")]
pub struct FillError {
    /// Bytes of the text.
    pub at: Range<usize>,
    /// In words, with what was expected.
    pub why: String,
}

/// A question asked of the person.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Question {
    /// Its words; answers are given by them.
    pub question: String,
    /// The proposed answer.
    pub proposal: Option<String>,
}

/// True when a text may hold fill-ins at all.
pub fn may_hold(text: &str) -> bool {
    text.contains("{=")
}

/// Parts a text. A text without `{=` is one plain part.
pub fn parse(text: &str) -> Result<Vec<Part>, FillError> {
    let mut parts = Vec::new();
    let mut plain = String::new();
    let mut at = 0;
    let mut count = 0;
    while let Some(next) = text[at..].find("{=") {
        let start = at + next;
        plain.push_str(&text[at..start]);
        if text[start..].starts_with("{==") {
            plain.push_str("{=");
            at = start + 3;
            continue;
        }
        let (end, words) = words_of(text, start)?;
        let range = start..end;
        count += 1;
        if count > COUNT {
            return Err(FillError { at: range, why: format!("a text may hold {COUNT} fill-ins") });
        }
        if !plain.is_empty() {
            parts.push(Part::Plain(std::mem::take(&mut plain)));
        }
        let fill_in = read(&words).map_err(|(at, why)| FillError { at: at.unwrap_or(range.clone()), why })?;
        parts.push(Part::FillIn(range, fill_in));
        at = end;
    }
    plain.push_str(&text[at..]);
    if !plain.is_empty() {
        parts.push(Part::Plain(plain));
    }
    Ok(parts)
}

struct Word {
    at: Range<usize>,
    text: String,
    quoted: bool,
}

/// The words of the fill-in that begins at `start`, and where it ends.
fn words_of(text: &str, start: usize) -> Result<(usize, Vec<Word>), FillError> {
    let open = |to: usize| FillError {
        at: start..to,
        why: "this fill-in is not closed: } was expected. To write {= itself, write {==".into(),
    };
    let mut words = Vec::new();
    let mut at = start + 2;
    loop {
        let Some(c) = text[at..].chars().next() else { return Err(open(text.len())) };
        match c {
            '}' => return Ok((at + 1, words)),
            '\n' => return Err(open(at)),
            '"' => {
                let from = at;
                let mut value = String::new();
                at += 1;
                loop {
                    let Some(end) = text[at..].find('"') else {
                        let why = "this quote is not closed: \" was expected".into();
                        return Err(FillError { at: from..text.len(), why });
                    };
                    value.push_str(&text[at..at + end]);
                    at += end + 1;
                    if !text[at..].starts_with('"') {
                        break;
                    }
                    value.push('"');
                    at += 1;
                }
                words.push(Word { at: from..at, text: value, quoted: true });
            }
            c if c.is_whitespace() => at += c.len_utf8(),
            _ => {
                let end = text[at..].find(|c: char| c.is_whitespace() || c == '}' || c == '"');
                let end = end.map_or(text.len(), |end| at + end);
                words.push(Word { at: at..end, text: text[at..end].to_owned(), quoted: false });
                at = end;
            }
        }
    }
}

type Wrong = (Option<Range<usize>>, String);

fn read(words: &[Word]) -> Result<FillIn, Wrong> {
    let Some((name, rest)) = words.split_first() else {
        return Err((None, "date, time, clip or ask was expected".into()));
    };
    match name.text.as_str() {
        "date" => moment(rest, "%Y-%m-%d"),
        "time" => moment(rest, "%H:%M"),
        "clip" => match rest {
            [one] => Ok(FillIn::Clip(one.text.clone())),
            _ => Err((None, "after clip: one title in quotes or one address was expected".into())),
        },
        "ask" => match rest {
            [question] if !question.text.trim().is_empty() => Ok(FillIn::Ask(question.text.clone(), None)),
            [question, proposal] if !question.text.trim().is_empty() => {
                Ok(FillIn::Ask(question.text.clone(), Some(proposal.text.clone())))
            }
            _ => Err((None, "after ask: a question in quotes, and perhaps a proposal, was expected".into())),
        },
        _ => Err((Some(name.at.clone()), "date, time, clip or ask was expected".into())),
    }
}

fn moment(words: &[Word], usual: &str) -> Result<FillIn, Wrong> {
    let mut offsets = Vec::new();
    let mut form = None;
    for word in words {
        if word.quoted {
            check_form(&word.text).map_err(|why| (Some(word.at.clone()), why.to_string()))?;
            form = Some(word.text.clone());
        } else if let Some(offset) = offset(&word.text) {
            offsets.push(offset);
        } else {
            form = Some(match word.text.as_str() {
                "iso" => "%Y-%m-%d".into(),
                "long" => "%-d %B %Y".into(),
                "day" => "%A".into(),
                _ => {
                    let why = "an offset such as +14d, iso, long, day, or a pattern in quotes was expected";
                    return Err((Some(word.at.clone()), why.into()));
                }
            });
        }
    }
    Ok(FillIn::Moment(offsets, form.unwrap_or_else(|| usual.to_owned())))
}

/// Why a pattern for a time can't be used.
#[derive(Debug, thiserror::Error)]
enum UnusableForm {
    #[error("%{0} is none of the letters of a date; %d %m %Y %B %A %H %M are what most need")]
    Letter(char),
    #[error("a letter is missing after the last %; %% writes a percent sign")]
    Open,
    #[error("nothing in this pattern would be filled in; write %d.%m.%Y for 24.11.2026")]
    Nothing,
    #[error("this pattern can't be used; %d %m %Y %B %A %H %M are what most need")]
    Other,
}

/// What may follow a `%`: `strftime` of POSIX.1-2017 without the forms of other calendars, and `%k %l %s` of common use.
const LETTERS: &str = "aAbBcCdDeFgGhHIjklmMnprRsStTuUVwWxXyYzZ%";

fn check_form(form: &str) -> Result<(), UnusableForm> {
    let mut any = false;
    let mut rest = form.chars();
    while let Some(c) = rest.next() {
        if c != '%' {
            continue;
        }
        // Padding: none, blanks or noughts, as in GNU date.
        let letter = rest.find(|c| !matches!(c, '-' | '_' | '0'..='9')).ok_or(UnusableForm::Open)?;
        if !LETTERS.contains(letter) {
            return Err(UnusableForm::Letter(letter));
        }
        any |= letter != '%';
    }
    if !any {
        return Err(UnusableForm::Nothing);
    }
    let sample = Zoned::default();
    jiff::fmt::strtime::format(form, &sample).map(|_| ()).map_err(|_| UnusableForm::Other)
}

fn offset(text: &str) -> Option<Offset> {
    let negative = text.starts_with('-');
    let rest = text.strip_prefix(['+', '-'])?;
    let end = rest.find(|c: char| !c.is_ascii_digit())?;
    let count: i64 = rest[..end].parse().ok().filter(|count| *count <= 100_000)?;
    let unit = match &rest[end..] {
        "m" => Unit::Minutes,
        "h" => Unit::Hours,
        "d" => Unit::Days,
        "w" => Unit::Weeks,
        "mo" => Unit::Months,
        "y" => Unit::Years,
        _ => return None,
    };
    Some((if negative { -count } else { count }, unit))
}

/// Where the texts of other clips come from.
pub trait Clips {
    /// The text of a clip by title or address, with its id in words; `None` when there is none.
    fn text(&self, name: &str) -> Option<(String, String)>;
}

/// A text, filled; or what is asked of the person first.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Filled {
    /// The text; open questions show as their words in brackets.
    pub text: String,
    /// Every question, in order, each once.
    pub questions: Vec<Question>,
    /// Some questions have no answer yet.
    pub open: bool,
}

/// Fills a text. `own` is its id in words, so that it can't refer to itself.
pub fn fill(
    text: &str,
    own: &str,
    clips: &impl Clips,
    answers: &HashMap<String, String>,
    now: &Zoned,
) -> Result<Filled, FillError> {
    let mut filled = Filled { text: String::new(), questions: Vec::new(), open: false };
    let mut path = vec![own.to_owned()];
    run(text, &mut path, clips, answers, now, &mut filled)?;
    Ok(filled)
}

fn run(
    text: &str,
    path: &mut Vec<String>,
    clips: &impl Clips,
    answers: &HashMap<String, String>,
    now: &Zoned,
    filled: &mut Filled,
) -> Result<(), FillError> {
    for part in parse(text)? {
        let (at, fill_in) = match part {
            Part::Plain(plain) => {
                filled.text.push_str(&plain);
                continue;
            }
            Part::FillIn(at, fill_in) => (at, fill_in),
        };
        let fail = |why: String| FillError { at: at.clone(), why };
        match fill_in {
            FillIn::Moment(offsets, form) => {
                let moved = moved(now, &offsets).ok_or_else(|| fail("this date lies too far away".into()))?;
                filled.text.push_str(&moved.strftime(&form).to_string());
            }
            FillIn::Ask(question, proposal) => {
                if !filled.questions.iter().any(|known| known.question == question) {
                    filled.questions.push(Question { question: question.clone(), proposal });
                }
                match answers.get(&question) {
                    Some(answer) => filled.text.push_str(answer),
                    None => {
                        filled.open = true;
                        filled.text.push_str(&format!("[{question}]"));
                    }
                }
            }
            FillIn::Clip(name) => {
                let (id, inner) =
                    clips.text(&name).ok_or_else(|| fail(format!("no clip with a text is called {name}")))?;
                if path.contains(&id) {
                    return Err(fail(format!("{name} refers back to this text, so it would never end")));
                }
                if path.len() >= DEPTH {
                    return Err(fail(format!("clips refer to clips more than {DEPTH} times here")));
                }
                path.push(id);
                run(&inner, path, clips, answers, now, filled)
                    .map_err(|why| fail(format!("in {name}: {}", why.why)))?;
                path.pop();
            }
        }
        if filled.text.len() > FILLED_BYTES {
            return Err(FillError { at, why: "the filled text would be over 4 MiB".into() });
        }
    }
    Ok(())
}

fn moved(now: &Zoned, offsets: &[Offset]) -> Option<Zoned> {
    let mut moment = now.clone();
    for (count, unit) in offsets {
        let span = match unit {
            Unit::Minutes => Span::new().try_minutes(*count),
            Unit::Hours => Span::new().try_hours(*count),
            Unit::Days => Span::new().try_days(*count),
            Unit::Weeks => Span::new().try_weeks(*count),
            Unit::Months => Span::new().try_months(*count),
            Unit::Years => Span::new().try_years(*count),
        };
        moment = moment.checked_add(span.ok()?).ok()?;
    }
    Some(moment)
}

#[cfg(test)]
mod tests {
    use super::*;
    use jiff::civil::DateTime;
    use proptest::prelude::*;

    struct Some3;

    impl Clips for Some3 {
        fn text(&self, name: &str) -> Option<(String, String)> {
            let text = match name {
                "Hut line" => "+00 555 0100",
                "sign" => "Warden, {=clip \"Hut line\"}, {=date long}",
                "round" => "a {=clip \"about\"}",
                "about" => "b {=clip round}",
                "broken" => "{=dat}",
                "twice" => "{=clip twice2}{=clip twice2}",
                "twice2" => "x",
                _ => return None,
            };
            Some((name.to_owned(), text.to_owned()))
        }
    }

    fn filled(text: &str, answers: &[(&str, &str)]) -> Result<Filled, FillError> {
        let now = "2026-11-23T10:41:00".parse::<DateTime>().unwrap().in_tz("Europe/Berlin").unwrap();
        let answers = answers.iter().map(|(a, b)| ((*a).to_owned(), (*b).to_owned())).collect();
        fill(text, "own", &Some3, &answers, &now)
    }

    fn text(text: &str) -> String {
        filled(text, &[]).unwrap().text
    }

    #[test]
    fn dates_times_clips_and_answers_are_filled_in() {
        assert_eq!(text("on {=date}"), "on 2026-11-23");
        assert_eq!(text("{=date +14d \"%d.%m.%Y\"} {=date -1mo +1y long}"), "07.12.2026 23 October 2027");
        assert_eq!(text("{=date +1d day}, {=time +2h}"), "Tuesday, 12:41");
        assert_eq!(text("{=clip sign}"), "Warden, +00 555 0100, 23 November 2026");
        assert_eq!(text("{=clip twice}"), "xx");
        assert_eq!(text("{==date} {x} }"), "{=date} {x} }");
        let asked = filled(
            "Dear {=ask \"Name\"}, {=ask \"Nights\" \"2\"} nights, {=ask \"Name\"}",
            &[("Name", "Mäkinen")],
        )
        .unwrap();
        assert_eq!(asked.text, "Dear Mäkinen, [Nights] nights, Mäkinen");
        assert!(asked.open);
        assert_eq!(asked.questions.len(), 2);
        assert_eq!(asked.questions[1].proposal.as_deref(), Some("2"));
        assert_eq!(
            filled("{=ask \"Say \"\"hi\"\"\"}", &[("Say \"hi\"", "{=date}")]).unwrap().text,
            "{=date}"
        );
    }

    #[test]
    fn days_are_calendar_days_when_clocks_change() {
        let now = "2026-10-24T12:00:00".parse::<DateTime>().unwrap().in_tz("Europe/Berlin").unwrap();
        let filled = fill("{=time +1d} {=time +24h}", "own", &Some3, &HashMap::new(), &now).unwrap();
        assert_eq!(filled.text, "12:00 11:00");
    }

    #[test]
    fn a_mistake_names_its_place_and_what_was_expected() {
        for (text, at, why) in [
            ("é {=dat}", 5..8, "date, time"),
            ("a {=date", 2..8, "not closed"),
            ("{=date\n}", 0..6, "not closed"),
            ("{=ask \"x}", 6..9, "quote"),
            ("{=}", 0..3, "date, time"),
            ("{=date +3x}", 7..10, "+14d"),
            ("{=date \"%Q%!\"}", 7..13, "%Q"),
            ("{=date \"%d.%m.%E\"}", 7..17, "%E"),
            ("{=date \"DD.MM.YYYY\"}", 7..19, "%d.%m.%Y"),
            ("{=date \"%d.%\"}", 7..13, "missing"),
            ("{=ask}", 0..6, "question"),
            ("{=clip nobody}", 0..14, "nobody"),
            ("{=clip round}", 0..13, "never end"),
            ("{=clip own}", 0..11, "no clip"),
            ("{=clip broken}", 0..14, "in broken"),
            ("{=date +99999y}", 0..15, "far away"),
        ] {
            let found = filled(text, &[]).unwrap_err();
            assert_eq!(found.at, at, "{text}: {}", found.why);
            assert!(found.why.contains(why), "{text}: {}", found.why);
        }
        assert!(filled(&"{=date}".repeat(300), &[]).is_err());
    }

    proptest! {
        #[test]
        fn any_text_is_parted_or_refused_with_a_place_inside_it(text in "([{}=\"é \\-+]|date|ask|1d|\n){0,12}") {
            match filled(&text, &[]) {
                Ok(_) => {}
                Err(why) => prop_assert!(why.at.start <= why.at.end && why.at.end <= text.len()),
            }
        }

        #[test]
        fn any_pattern_is_refused_or_can_be_filled(form in "[%a-zA-Z0-9:#^_. é-]{0,8}") {
            let wanted = format!("{{=date \"{form}\"}}");
            if let Ok(done) = filled(&wanted, &[]) {
                prop_assert!(form.contains('%') && done.text != form, "{form}: {}", done.text);
            }
        }

        #[test]
        fn a_text_without_fill_ins_stays_as_it_is(text in "[^{]{0,60}") {
            prop_assert_eq!(filled(&text, &[]).unwrap().text, text);
        }
    }
}
