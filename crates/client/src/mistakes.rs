//! Mistakes in arguments, in the voice of all other errors: what is wrong, and the next step.

use std::error::Error;
use std::io::{self, Write};
use std::process::ExitCode;

use clap::error::{ContextKind, ContextValue, ErrorKind};

use crate::symbols::shown;

/// Help and version as they are; a mistake in our words.
pub(crate) fn told(why: &clap::Error, verb: Option<&str>) -> ExitCode {
    if !why.use_stderr() {
        why.exit();
    }
    let _ = writeln!(io::stderr(), "yadori: {}", in_words(why, verb));
    ExitCode::from(2)
}

fn of(why: &clap::Error, kind: ContextKind) -> Option<String> {
    match why.get(kind)? {
        ContextValue::String(one) => Some(one.clone()),
        ContextValue::Strings(all) if !all.is_empty() => Some(all.join(", ")),
        ContextValue::Number(one) => Some(one.to_string()),
        _ => None,
    }
}

fn in_words(why: &clap::Error, verb: Option<&str>) -> String {
    let get = |kind| of(why, kind).unwrap_or_default();
    let verb = verb.map(|verb| format!(" {verb}")).unwrap_or_default();
    let help = format!("`yadori{verb} --help` says what can be");
    let near = [ContextKind::SuggestedArg, ContextKind::SuggestedSubcommand, ContextKind::SuggestedValue];
    let near = near.into_iter().find_map(|kind| of(why, kind));
    let next = near.map_or(help.clone(), |near| format!("did you mean {near}? {help}"));
    let (arg, value) = (get(ContextKind::InvalidArg), get(ContextKind::InvalidValue));
    let words = match why.kind() {
        ErrorKind::UnknownArgument if !arg.starts_with('-') => {
            format!("`{arg}` is one word too many; {next}")
        }
        ErrorKind::UnknownArgument => format!("there is no option {arg}; {next}"),
        ErrorKind::InvalidSubcommand => {
            format!("there is no verb `{}`; {next}", get(ContextKind::InvalidSubcommand))
        }
        ErrorKind::InvalidValue if value.is_empty() => format!("{arg} is not complete; {next}"),
        ErrorKind::InvalidValue => {
            let known = get(ContextKind::ValidValue);
            format!("{arg} can't be `{value}`; it is one of: {known}")
        }
        ErrorKind::ValueValidation => {
            let said = why.source().map(ToString::to_string).unwrap_or_default();
            format!("{arg} can't be `{value}`: {}", of_range(&said).unwrap_or(said))
        }
        ErrorKind::MissingRequiredArgument | ErrorKind::MissingSubcommand => {
            let missing = match why.kind() {
                ErrorKind::MissingSubcommand => "a verb".to_owned(),
                _ => arg,
            };
            format!("{missing} is missing; {next}")
        }
        ErrorKind::ArgumentConflict => {
            let other = get(ContextKind::PriorArg);
            let other = if other.is_empty() { "what else was said".to_owned() } else { other };
            if arg == other {
                format!("{arg} was said twice")
            } else {
                format!("{arg} does not go with {other}")
            }
        }
        ErrorKind::TooManyValues | ErrorKind::TooFewValues | ErrorKind::WrongNumberOfValues => {
            format!("{arg} has more or fewer values than it takes; {next}")
        }
        ErrorKind::NoEquals => format!("{arg} takes its value after `=`"),
        ErrorKind::InvalidUtf8 => "an argument is no UTF-8 text".to_owned(),
        _ => why.to_string().trim_start_matches("error: ").trim().to_owned(),
    };
    shown(&words, true)
}

/// The library's words for a number out of bounds, in ours.
fn of_range(said: &str) -> Option<String> {
    if said.contains("invalid digit") || said.contains("parse integer from empty") {
        return Some("it is no whole number".into());
    }
    if said.contains("number too large") || said.contains("number too small") {
        return Some("no number is so large here".into());
    }
    let (_, bounds) = said.split_once(" is not in ")?;
    let (least, most) = bounds.split_once("..=").or_else(|| bounds.split_once(".."))?;
    let open = most.is_empty() || [u32::MAX.into(), u64::MAX].contains(&most.parse().ok()?);
    Some(if open { format!("it is at least {least}") } else { format!("it is from {least} to {most}") })
}

#[cfg(test)]
mod tests {
    use clap::{Arg, ArgAction, Command, value_parser};

    use super::*;

    fn said(arguments: &str) -> String {
        let all = Command::new("yadori").subcommand_required(true).subcommand(
            Command::new("list")
                .arg(Arg::new("number").short('n').long("number").value_parser(value_parser!(u32).range(1..)))
                .arg(Arg::new("most").long("most").value_parser(value_parser!(u32).range(1..=200)))
                .arg(Arg::new("first").long("first").action(ArgAction::SetTrue).conflicts_with("last"))
                .arg(Arg::new("last").long("last").action(ArgAction::SetTrue))
                .arg(Arg::new("kind").long("kind").value_parser(["text", "link"]))
                .arg(Arg::new("CLIP").required(true)),
        );
        let words = std::iter::once("yadori").chain(arguments.split_whitespace());
        in_words(&all.try_get_matches_from(words).unwrap_err(), Some("list"))
    }

    #[test]
    fn mistakes_are_told_in_our_words_with_the_next_step() {
        let help = "`yadori list --help` says what can be";
        assert_eq!(said("lisst"), format!("there is no verb `lisst`; did you mean list? {help}"));
        assert_eq!(said("list"), format!("<CLIP> is missing; {help}"));
        assert_eq!(said(""), format!("a verb is missing; {help}"));
        assert_eq!(
            said("list 1 --frist"),
            format!("there is no option --frist; did you mean --first? {help}")
        );
        assert_eq!(said("list 1 2"), format!("`2` is one word too many; {help}"));
        assert_eq!(said("list 1 -n 0"), "--number <number> can't be `0`: it is at least 1");
        assert_eq!(said("list 1 --most 900"), "--most <most> can't be `900`: it is from 1 to 200");
        assert_eq!(said("list 1 -n x"), "--number <number> can't be `x`: it is no whole number");
        assert_eq!(said("list 1 --first --last"), "--first does not go with --last");
        assert_eq!(said("list 1 --kind song"), "--kind <kind> can't be `song`; it is one of: text, link");
        assert_eq!(said("list 1 --kind"), format!("--kind <kind> is not complete; {help}"));
    }
}
