//! In which language the client speaks: as `--lang` says, or `look.language` of the configuration, or the desktop.

use std::ffi::OsString;
use std::path::PathBuf;

use clap::{Arg, Command};
use serde::Deserialize;
use yadori_words::{Language, said, spoken, word};

use crate::failure::Failure;
use crate::place;

/// The option that says it.
const OPTION: &str = "--lang";

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Configuration {
    look: Look,
}

#[derive(Debug, Default, Deserialize)]
#[serde(default)]
struct Look {
    language: Option<String>,
    hours: Option<u8>,
}

/// What is meant by the option, the configuration and the desktop.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Meant {
    pub(crate) language: Language,
    /// To how many the hours of a day are counted, where the configuration says so.
    pub(crate) hours: Option<u8>,
}

/// The value of an option, as it stands among the arguments; it counts before they are understood, for what is said of them.
fn value_of(arguments: &[OsString], option: &str) -> Option<OsString> {
    let upto = arguments.iter().position(|one| one == "--").unwrap_or(arguments.len());
    let all = &arguments[..upto];
    all.iter().enumerate().rev().find_map(|(at, one)| {
        let text = one.to_str()?;
        if text == option {
            return all.get(at + 1).cloned();
        }
        Some(text.strip_prefix(option)?.strip_prefix('=')?.into())
    })
}

/// The language that is meant.
///
/// # Errors
/// `--lang` names one that is not known here.
pub(crate) fn meant(
    arguments: &[OsString],
    environment: impl Fn(&str) -> Option<OsString>,
) -> Result<Meant, Failure> {
    let variable = |name: &str| environment(name).and_then(|value| value.into_string().ok());
    let of_desktop = Language::of_desktop(variable);
    let home = value_of(arguments, "--home").or_else(|| environment("YADORI_HOME")).map(PathBuf::from);
    let written = place::configuration(home, |name| environment(name).map(PathBuf::from))
        .and_then(|file| std::fs::read_to_string(file).ok())
        .and_then(|text| toml::from_str::<Configuration>(&text).ok())
        .map(|read| read.look)
        .unwrap_or_default();
    let language = match value_of(arguments, OPTION) {
        Some(wanted) => {
            let wanted = wanted.to_string_lossy();
            Language::named(&wanted).ok_or_else(|| {
                yadori_words::speak(of_desktop);
                Failure::Use(said!(
                    "`{language}` is no language that is known here; --lang takes en or ja",
                    language = wanted
                ))
            })?
        }
        None => written.language.as_deref().and_then(Language::named).unwrap_or(of_desktop),
    };
    Ok(Meant { language, hours: written.hours.filter(|hours| [12, 24].contains(hours)) })
}

/// The help of all verbs in the language that is spoken; `None` where that is the one of the sources.
pub(crate) fn translated(mut command: Command) -> Option<Command> {
    if spoken() == Language::English {
        return None;
    }
    command.build();
    Some(of_command(command))
}

fn of_command(command: Command) -> Command {
    let say = |text: String| spoken().say(&text).to_owned();
    let (about, long) =
        (command.get_about().map(ToString::to_string), command.get_long_about().map(ToString::to_string));
    let verbs: Vec<String> = command.get_subcommands().map(|verb| verb.get_name().to_owned()).collect();
    let mut command = command
        .help_template(format!(
            "{{before-help}}{{about-with-newline}}
{} {{usage}}

{{all-args}}{{after-help}}",
            word!("Usage:")
        ))
        .subcommand_help_heading(word!("Commands"));
    if let Some(about) = about {
        command = command.about(say(about));
    }
    if let Some(long) = long {
        command = command.long_about(say(long));
    }
    command = command.mut_args(|arg: Arg| {
        let heading = if arg.is_positional() { word!("Arguments") } else { word!("Options") };
        let (help, long) =
            (arg.get_help().map(ToString::to_string), arg.get_long_help().map(ToString::to_string));
        let mut arg = arg.help_heading(heading);
        let (values, each) = (one_of(&arg), in_lines(&arg));
        arg = arg.hide_possible_values(true).hide_default_value(true);
        let short = help.clone().map(say).unwrap_or_default();
        if help.is_some() || !values.is_empty() {
            arg = arg.help(format!("{short}{values}"));
        }
        if long.is_some() || !each.is_empty() {
            let long = long.or(help).map(say).unwrap_or_default();
            arg = arg.long_help(format!("{long}{each}").trim_start().to_owned());
        }
        arg
    });
    let usage = command.render_usage().to_string();
    let usage = usage.trim_start_matches("Usage:").trim().replace("[OPTIONS]", word!("[OPTIONS]"));
    command = command.override_usage(usage.replace("<COMMAND>", word!("<COMMAND>")));
    for verb in verbs {
        command = command.mut_subcommand(verb, of_command);
    }
    command
}

/// What an argument takes that stands in the help as values of its own.
fn values_of(arg: &Arg) -> Vec<clap::builder::PossibleValue> {
    if !arg.get_action().takes_values() || arg.is_hide_possible_values_set() {
        return Vec::new();
    }
    arg.get_possible_values().into_iter().filter(|value| !value.is_hide_set()).collect()
}

/// What it takes and what it is taken for where nothing is given, in the line of its help.
fn one_of(arg: &Arg) -> String {
    let names: Vec<String> = values_of(arg).iter().map(|value| value.get_name().to_owned()).collect();
    let values = if names.is_empty() { String::new() } else { format!(" [{}]", names.join(", ")) };
    format!("{values}{}", default_of(arg))
}

fn default_of(arg: &Arg) -> String {
    let values: Vec<_> = arg.get_default_values().iter().map(|value| value.to_string_lossy()).collect();
    if values.is_empty() || !arg.get_action().takes_values() {
        return String::new();
    }
    said!(" [where none is given: {value}]", value = values.join(" "))
}

/// The same where there is more room: each value in a line of its own, with what it means.
fn in_lines(arg: &Arg) -> String {
    let values = values_of(arg);
    if values.iter().all(|value| value.get_help().is_none()) {
        return one_of(arg);
    }
    let mut text = format!("{}\n\n{}", default_of(arg), word!("Values:"));
    for value in values {
        let help = value.get_help().map(|help| format!(": {}", spoken().say(&help.to_string())));
        text += &format!("\n- {}{}", value.get_name(), help.unwrap_or_default());
    }
    text
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use clap::CommandFactory;

    use super::*;

    fn helps(command: &Command, found: &mut BTreeSet<String>) {
        let texts = [command.get_about(), command.get_long_about()];
        found.extend(texts.into_iter().flatten().map(ToString::to_string));
        for arg in command.get_arguments() {
            found
                .extend([arg.get_help(), arg.get_long_help()].into_iter().flatten().map(ToString::to_string));
            let values = values_of(arg);
            found.extend(values.iter().filter_map(|value| value.get_help()).map(ToString::to_string));
        }
        command.get_subcommands().for_each(|verb| helps(verb, found));
    }

    /// The help is in every catalogue, and nothing else is in that of the help.
    #[test]
    fn the_help_of_every_verb_is_in_the_catalogue() {
        let mut command = crate::Arguments::command();
        command.build();
        let mut said = BTreeSet::new();
        helps(&command, &mut said);
        let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../../locales/help/ja.po");
        let catalogue = polib::po_file::parse(file.as_ref()).expect("a catalogue");
        let known: BTreeSet<String> = catalogue
            .messages()
            .filter(|one| one.msgstr().is_ok_and(|text| !text.is_empty()))
            .map(|one| one.msgid().to_owned())
            .collect();
        assert_eq!(said.difference(&known).collect::<Vec<_>>(), Vec::<&String>::new(), "not translated");
        assert_eq!(known.difference(&said).collect::<Vec<_>>(), Vec::<&String>::new(), "said by nobody");
    }

    #[test]
    fn the_language_is_that_of_the_option_then_of_the_configuration_then_of_the_desktop() {
        let home = tempfile::tempdir().unwrap();
        let of = |arguments: &[&str], variables: &[(&str, &str)]| {
            let arguments: Vec<OsString> = arguments.iter().map(Into::into).collect();
            let home = home.path().as_os_str().to_owned();
            let read = meant(&arguments, |name| {
                let known = variables.iter().find(|(known, _)| *known == name);
                known.map(|(_, value)| value.into()).or_else(|| (name == "YADORI_HOME").then(|| home.clone()))
            });
            read.map(|meant| meant.language)
        };
        let japanese = [("LANG", "ja_JP.UTF-8")];
        assert_eq!(of(&["yadori"], &[]).unwrap(), Language::English);
        assert_eq!(of(&["yadori", "list"], &japanese).unwrap(), Language::Japanese);
        assert_eq!(of(&["yadori", "list", "--lang", "en"], &japanese).unwrap(), Language::English);
        assert_eq!(of(&["yadori", "--lang=ja", "list"], &[]).unwrap(), Language::Japanese);
        assert_eq!(of(&["yadori", "add", "--", "--lang=ja"], &[]).unwrap(), Language::English);
        assert!(of(&["yadori", "--lang", "xx"], &[]).is_err());
        std::fs::write(home.path().join("config.toml"), "[look]\nlanguage = \"ja\"\nhours = 12\n").unwrap();
        assert_eq!(of(&["yadori", "list"], &[("LANG", "en_GB.UTF-8")]).unwrap(), Language::Japanese);
        assert_eq!(of(&["yadori", "list", "--lang=en"], &[]).unwrap(), Language::English);
        std::fs::write(home.path().join("config.toml"), "[look]\nlanguage = \"system\"\n").unwrap();
        assert_eq!(of(&["yadori", "list"], &japanese).unwrap(), Language::Japanese);
        std::fs::write(home.path().join("config.toml"), "no configuration").unwrap();
        assert_eq!(of(&["yadori", "list"], &japanese).unwrap(), Language::Japanese);
    }
}
