//! `yadori rules`: what is recorded at all.

use std::io::Write;

use clap::{Args, Subcommand, ValueEnum};
use serde_json::Value;
use yadori_api::{AllRules, AllSettings, ChangeSettings, Rule, TriedRules, TryRules, Verdict};

use super::scope::KindName;
use super::{detail, json};
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::line;
use crate::table::{count_of, size};
use yadori_words::{said, word};

/// Show, change and try the intake rules: the first that holds decides
#[derive(Debug, Args)]
pub(crate) struct Rules {
    #[command(subcommand)]
    what: Option<What>,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Clone, Copy, Debug, ValueEnum)]
enum Then {
    /// It is kept, also when it looks like a secret
    Keep,
    /// It is kept on this device, and never sent to another
    Here,
    /// It is held in memory alone, masked, for a time
    Mask,
    /// It is not recorded
    Refuse,
}

#[derive(Debug, Default, Args)]
struct NewRule {
    /// What becomes of the copies it is for; a new rule refuses them
    #[arg(long, value_enum)]
    then: Option<Then>,
    /// What it is called
    #[arg(long)]
    name: Option<String>,
    /// The program's class or executable; `*` stands for anything
    #[arg(long, value_name = "PROGRAM")]
    program: Option<String>,
    /// A pattern in the title of the window
    #[arg(long, value_name = "PATTERN")]
    window: Option<String>,
    /// A pattern in the address of the page
    #[arg(long, value_name = "PATTERN")]
    page: Option<String>,
    /// The kind
    #[arg(long, value_enum)]
    kind: Option<KindName>,
    /// Larger than so many bytes
    #[arg(long, value_name = "BYTES")]
    over: Option<u64>,
    /// A pattern in the text
    #[arg(long, value_name = "PATTERN")]
    content: Option<String>,
    /// For how many minutes it is held when it is masked
    #[arg(long)]
    minutes: Option<f64>,
}

#[derive(Debug, Subcommand)]
enum What {
    /// Add a rule behind the others
    Add {
        #[command(flatten)]
        rule: NewRule,
        /// Before this one instead, by its number
        #[arg(long, value_name = "NUMBER")]
        before: Option<usize>,
    },
    /// Change what is said of a rule; '' (or 0) takes it away
    Change {
        /// Its number
        number: usize,
        #[command(flatten)]
        said: NewRule,
        /// Of any kind again
        #[arg(long, conflicts_with = "kind")]
        any_kind: bool,
    },
    /// Never keep what comes from where this clip came from
    From {
        /// Which clip
        clip: String,
        /// By the page instead of the program
        #[arg(long)]
        page: bool,
    },
    /// Remove a rule
    Remove {
        /// Its number
        number: usize,
    },
    /// Put a rule before another one
    Move {
        /// Its number
        number: usize,
        /// The number of the other one
        before: usize,
    },
    /// Say what would happen to a text; nothing is copied
    Try {
        /// The text
        text: String,
        /// The program it would come from
        #[arg(long, value_name = "PROGRAM")]
        from: Option<String>,
        /// The title of its window
        #[arg(long)]
        window: Option<String>,
        /// The address of its page
        #[arg(long)]
        page: Option<String>,
    },
}

impl NewRule {
    /// What was a rule before, with what is said now.
    fn said_of(&self, before: Rule) -> Rule {
        let text = |said: &Option<String>, before: Option<String>| match said.as_deref() {
            None => before,
            Some("") => None,
            Some(said) => Some(said.to_owned()),
        };
        Rule {
            name: text(&self.name, before.name),
            program: text(&self.program, before.program),
            window: text(&self.window, before.window),
            page: text(&self.page, before.page),
            kind: self.kind.map(Into::into).or(before.kind),
            over: self.over.or(before.over).filter(|bytes| *bytes > 0),
            content: text(&self.content, before.content),
            then: self.then.map_or(before.then, |then| match then {
                Then::Keep => Verdict::Keep,
                Then::Here => Verdict::Here,
                Then::Mask => Verdict::Mask,
                Then::Refuse => Verdict::Refuse,
            }),
            minutes: self.minutes.or(before.minutes).filter(|minutes| *minutes != 0.0),
        }
    }

    fn rule(&self) -> Rule {
        self.said_of(Rule::refusing())
    }
}

/// A rule in words.
fn words(rule: &Rule) -> String {
    let mut parts = Vec::new();
    parts.extend(rule.program.as_ref().map(|name| said!("from {name}", name = line(name))));
    parts.extend(rule.window.as_ref().map(|pattern| said!("window /{pattern}/", pattern = line(pattern))));
    parts.extend(rule.page.as_ref().map(|pattern| said!("page /{pattern}/", pattern = line(pattern))));
    parts.extend(rule.kind.map(|kind| crate::table::kind(kind).to_owned()));
    parts.extend(rule.over.map(|bytes| said!("over {bytes}", bytes = size(bytes))));
    parts.extend(rule.content.as_ref().map(|pattern| format!("text /{}/", line(pattern))));
    let then = match rule.then {
        Verdict::Keep => "keep".to_owned(),
        Verdict::Here => said!("keep on this device alone"),
        Verdict::Mask => said!("mask for {minutes} minutes", minutes = rule.minutes.unwrap_or(2.0)),
        Verdict::Refuse => "refuse".to_owned(),
    };
    let name = rule.name.as_ref().map(|name| format!("{}: ", line(name))).unwrap_or_default();
    format!("{name}{} → {then}", parts.join(", "))
}

impl Rules {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let all: AllRules = service.get("/rules")?;
        let mut rules: Vec<Rule> = all.rules.iter().map(|one| one.rule.clone()).collect();
        let place = |number: usize| {
            let there = (1..=rules.len()).contains(&number);
            let gone = || {
                Failure::Nothing(said!(
                    "there is no rule {number}; `yadori rules` numbers them",
                    number = number
                ))
            };
            there.then(|| number - 1).ok_or_else(gone)
        };
        match &self.what {
            None if self.json => return json(out, &all),
            None => return show(out, &all),
            Some(What::Try { text, from, window, page }) => {
                let wanted = TryRules {
                    text: text.clone(),
                    program: from.clone(),
                    window: window.clone(),
                    page: page.clone(),
                    ..TryRules::default()
                };
                let tried: TriedRules = service.post("/rules/try", &wanted)?;
                if self.json {
                    return json(out, &tried);
                }
                return Ok(writeln!(out, "{}", said!("{words}.", words = tried.words))?);
            }
            Some(What::Add { rule, before }) => {
                let at = before.map_or(Ok(rules.len()), place)?;
                rules.insert(at, rule.rule());
            }
            Some(What::Change { number, said, any_kind }) => {
                let at = place(*number)?;
                let mut changed = said.said_of(rules[at].clone());
                if *any_kind {
                    changed.kind = None;
                }
                if changed == rules[at] {
                    let words = word!(
                        "nothing was said that would change it; `yadori rules change --help` lists what can be"
                    );
                    return Err(Failure::Use(words.into()));
                }
                rules[at] = changed;
            }
            Some(What::From { clip, page }) => rules.insert(0, from_clip(service, clip, *page)?),
            Some(What::Remove { number }) => drop(rules.remove(place(*number)?)),
            Some(What::Move { number, before }) => {
                let (from, to) = (place(*number)?, place(*before)?);
                let rule = rules.remove(from);
                rules.insert(to, rule);
            }
        }
        let value = serde_json::to_value(&rules).map_err(|why| Failure::Connection(why.to_string()))?;
        let changes = [("rules".to_owned(), without_nothing(value))].into();
        let _: AllSettings = service.patch("/settings", &ChangeSettings { changes })?;
        let all: AllRules = service.get("/rules")?;
        if self.json { json(out, &all) } else { show(out, &all) }
    }
}

/// Never keep what comes from where this clip came from.
fn from_clip(service: &Connection, clip: &str, page: bool) -> Result<Rule, Failure> {
    let source = detail(service, clip)?.row.source;
    let nothing =
        |what: &str| Failure::Use(said!("it is not known which {what} this clip came from", what = what));
    if !page {
        let program = source.program.ok_or_else(|| nothing("program"))?;
        return Ok(NewRule { program: Some(program), ..NewRule::default() }.rule());
    }
    let address = source.page.ok_or_else(|| nothing("page"))?;
    // The site: everything before the path.
    let rest = address.split_once("://").map_or(address.as_str(), |(_, rest)| rest);
    let host = rest.split(['/', '?', '#']).next().unwrap_or(rest);
    let escaped: String =
        host.chars().flat_map(|c| if c.is_alphanumeric() { vec![c] } else { vec!['\\', c] }).collect();
    Ok(NewRule { page: Some(format!("://{escaped}(/|$)")), ..NewRule::default() }.rule())
}

fn without_nothing(value: Value) -> Value {
    match value {
        Value::Array(all) => Value::Array(all.into_iter().map(without_nothing).collect()),
        Value::Object(all) => all.into_iter().filter(|(_, one)| !one.is_null()).collect(),
        other => other,
    }
}

fn show(out: &mut dyn Write, all: &AllRules) -> Result<(), Failure> {
    for (n, one) in all.rules.iter().enumerate() {
        let decided = match one.decided {
            0 => String::new(),
            1 => said!("  (once since the start)"),
            some => said!("  ({time} since the start)", time = count_of(some, "time")),
        };
        writeln!(out, "{:>3}  {}{decided}", n + 1, words(&one.rule))?;
    }
    if all.rules.is_empty() {
        writeln!(out, "{}", said!("There are no rules."))?;
    }
    let on: Vec<&str> = all.recognisers.iter().filter(|one| one.on).map(|one| one.name.as_str()).collect();
    let off: Vec<&str> = all.recognisers.iter().filter(|one| !one.on).map(|one| one.name.as_str()).collect();
    if !on.is_empty() {
        writeln!(
            out,
            "{}",
            said!(
                "Then what is recognised as {on} is held in memory alone, masked, for {minutes} minutes.",
                on = on.join(", "),
                minutes = all.minutes
            )
        )?;
    }
    if !off.is_empty() {
        writeln!(out, "{}", said!("Switched off: {off}.", off = off.join(", ")))?;
    }
    Ok(writeln!(
        out,
        "{}",
        said!("What a program marks as not to be recorded is never read, whatever the rules.")
    )?)
}
