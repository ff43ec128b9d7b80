//! Mistakes in arguments, in the voice of all other errors: what is wrong, and the next step.

use std::error::Error;
use std::io::{self, Write};
use std::process::ExitCode;

use clap::error::{ContextKind, ContextValue, ErrorKind};

use crate::symbols::shown;
use yadori_words::said;

/// Help and version as they are; a mistake in our words.
pub(crate) fn told(why: &clap::Error, verb: Option<&str>) -> ExitCode {
    if !why.use_stderr() {
        why.exit();
    }
    let _ = writeln!(io::stderr(), "{}", said!("yadori: {verb}", verb = in_words(why, verb)));
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
    let help = said!("`yadori{verb} --help` says what can be", verb = verb);
    let near = [ContextKind::SuggestedArg, ContextKind::SuggestedSubcommand, ContextKind::SuggestedValue];
    let near = near.into_iter().find_map(|kind| of(why, kind));
    let next =
        near.map_or(help.clone(), |near| said!("did you mean {near}? {help}", near = near, help = help));
    let (arg, value) = (get(ContextKind::InvalidArg), get(ContextKind::InvalidValue));
    let words = match why.kind() {
        ErrorKind::UnknownArgument if !arg.starts_with('-') => {
            said!("`{arg}` is one word too many; {next}", arg = arg, next = next)
        }
        ErrorKind::UnknownArgument => said!("there is no option {arg}; {next}", arg = arg, next = next),
        ErrorKind::InvalidSubcommand => {
            said!(
                "there is no verb `{verb}`; {next}",
                verb = get(ContextKind::InvalidSubcommand),
                next = next
            )
        }
        ErrorKind::InvalidValue if value.is_empty() => {
            said!("{arg} is not complete; {next}", arg = arg, next = next)
        }
        ErrorKind::InvalidValue => {
            let known = get(ContextKind::ValidValue);
            said!("{arg} can't be `{value}`; it is one of: {known}", arg = arg, value = value, known = known)
        }
        ErrorKind::ValueValidation => {
            let said = why.source().map(ToString::to_string).unwrap_or_default();
            said!(
                "{arg} can't be `{value}`: {said}",
                arg = arg,
                value = value,
                said = of_range(&said).unwrap_or(said)
            )
        }
        ErrorKind::MissingRequiredArgument | ErrorKind::MissingSubcommand => {
            let missing = match why.kind() {
                ErrorKind::MissingSubcommand => said!("a verb"),
                _ => arg,
            };
            said!("{missing} is missing; {next}", missing = missing, next = next)
        }
        ErrorKind::ArgumentConflict => {
            let other = get(ContextKind::PriorArg);
            let other = if other.is_empty() { said!("what else was said") } else { other };
            if arg == other {
                said!("{arg} was said twice", arg = arg)
            } else {
                said!("{arg} does not go with {other}", arg = arg, other = other)
            }
        }
        ErrorKind::TooManyValues | ErrorKind::TooFewValues | ErrorKind::WrongNumberOfValues => {
            said!("{arg} has more or fewer values than it takes; {next}", arg = arg, next = next)
        }
        ErrorKind::NoEquals => said!("{arg} takes its value after `=`", arg = arg),
        ErrorKind::InvalidUtf8 => said!("an argument is no UTF-8 text"),
        _ => why.to_string().trim_start_matches("error: ").trim().to_owned(),
    };
    shown(&words, true)
}

/// The library's words for a number out of bounds, in ours.
fn of_range(said: &str) -> Option<String> {
    if said.contains("invalid digit") || said.contains("parse integer from empty") {
        return Some(said!("it is no whole number"));
    }
    if said.contains("number too large") || said.contains("number too small") {
        return Some(said!("no number is so large here"));
    }
    let (_, bounds) = said.split_once(" is not in ")?;
    let (least, most) = bounds.split_once("..=").or_else(|| bounds.split_once(".."))?;
    let open = most.is_empty() || [u32::MAX.into(), u64::MAX].contains(&most.parse().ok()?);
    Some(if open {
        said!("it is at least {least}", least = least)
    } else {
        said!("it is from {least} to {most}", least = least, most = most)
    })
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
