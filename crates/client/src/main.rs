//! `yadori`: the client. Small and fast: one request over the service's Unix socket, no async runtime.
//!
//! Exit codes: docs/client.md has them all.

mod answer;
mod asking;
mod code;
mod completing;
mod connection;
mod failure;
mod files;
mod graphics;
mod interrupt;
mod languages;
mod mistakes;
mod picker;
mod pixels;
mod place;
mod symbols;
mod table;
mod transfer;
mod verbs;
mod when;
mod zone;

use std::ffi::OsString;
use std::io::{self, Write};
use std::path::PathBuf;
use std::process::ExitCode;

use clap::{Args, Command, CommandFactory, FromArgMatches, Parser, Subcommand};
use clap_complete::env::CompleteEnv;

use connection::Connection;
use failure::Failure;
use verbs::autostart::Places;
use verbs::doctor::Around;
use yadori_words::Language;

/// Finds, shows and hands back what was copied on this computer.
///
/// A CLIP is a place (`1` is the newest), a favorite's place (`f1`), or the beginning of an id, as `yadori list` shows
/// them.
#[derive(Debug, Parser)]
#[command(name = "yadori", version, max_term_width = 100)]
struct Arguments {
    #[command(flatten)]
    general: General,
    #[command(subcommand)]
    verb: Verb,
}

#[derive(Debug, Args)]
struct General {
    /// Speak to the service that was started with this --home
    #[arg(long, env = "YADORI_HOME", value_name = "DIR", global = true)]
    home: Option<PathBuf>,
    /// Speak this language: en or ja; without it, that of the settings or of the desktop
    #[arg(long, value_name = "LANGUAGE", global = true)]
    lang: Option<String>,
}

#[derive(Debug, Subcommand)]
enum Verb {
    Status(verbs::status::Status),
    List(verbs::list::List),
    Show(verbs::show::Show),
    Take(verbs::take::Take),
    Pick(verbs::pick::Pick),
    Batch(verbs::batch::Batch),
    Join(verbs::join::Join),
    Chords(verbs::chords::Chords),
    Add(verbs::add::Add),
    Remove(verbs::remove::Remove),
    Clear(verbs::clear::Clear),
    Pin(verbs::pin::Pin),
    Unpin(verbs::pin::Unpin),
    Title(verbs::title::Title),
    Color(verbs::title::Color),
    Edit(verbs::edit::Edit),
    BringUp(verbs::title::BringUp),
    Drawer(verbs::drawer::Drawer),
    Undo(verbs::undo::Undo),
    Redo(verbs::redo::Redo),
    Export(verbs::export::Export),
    Import(verbs::import::Import),
    Console(verbs::console::Console),
    Phone(verbs::phone::Phone),
    Backup(verbs::backup::Backup),
    Check(verbs::check::Check),
    Restore(verbs::restore::Restore),
    Pause(verbs::pause::Pause),
    Resume(verbs::pause::Resume),
    Devices(verbs::devices::Devices),
    Pair(verbs::pair::Pair),
    Unpair(verbs::pair::Unpair),
    Sync(verbs::devices::Sync),
    Send(verbs::devices::Send),
    Limits(verbs::limits::Limits),
    Rules(verbs::rules::Rules),
    Orders(verbs::orders::Orders),
    Settings(verbs::settings::Settings),
    Reread(verbs::reread::Reread),
    Stop(verbs::stop::Stop),
    Doctor(verbs::doctor::Doctor),
    Autostart(verbs::autostart::Autostart),
    Completions(verbs::completions::Completions),
    Manual(verbs::manual::Manual),
}

/// The command with one verb alone, for those that are called most: to build that of all verbs takes longer than to be
/// answered. It reads what the whole one reads, or nothing.
fn alone(words: &[OsString]) -> Option<Command> {
    let verb = words.iter().find_map(|word| {
        Some(match word.to_str()? {
            "take" => verbs::take::Take::augment_args(Command::new("take")),
            "list" => verbs::list::List::augment_args(Command::new("list")),
            "show" => verbs::show::Show::augment_args(Command::new("show")),
            "add" => verbs::add::Add::augment_args(Command::new("add")),
            "pick" => verbs::pick::Pick::augment_args(Command::new("pick")),
            "status" => verbs::status::Status::augment_args(Command::new("status")),
            _ => return None,
        })
    })?;
    Some(General::augment_args(Command::new("yadori")).subcommand(verb))
}

fn read(command: Command, words: &[OsString]) -> Result<Arguments, clap::Error> {
    command.try_get_matches_from(words).and_then(|matches| Arguments::from_arg_matches(&matches))
}

fn main() -> ExitCode {
    let words: Vec<_> = std::env::args_os().collect();
    match languages::meant(&words, |name| std::env::var_os(name)) {
        Ok(meant) => {
            yadori_words::speak(meant.language);
            meant.hours.into_iter().for_each(when::count_hours);
        }
        Err(why) => return failed(&why),
    }
    CompleteEnv::with_factory(|| {
        languages::translated(Arguments::command()).unwrap_or_else(Arguments::command)
    })
    .complete();
    let words = verbs::list::with_turned_words(words.into_iter());
    let whole = || {
        // Only what is said of the arguments needs them in another language.
        let said =
            |why| languages::translated(Arguments::command()).map_or(Err(why), |all| read(all, &words));
        read(Arguments::command(), &words).or_else(said)
    };
    let arguments = match alone(&words).and_then(|command| read(command, &words).ok()).map_or_else(whole, Ok)
    {
        Ok(arguments) => arguments,
        Err(why) => {
            let known = |word: &&str| Arguments::command().find_subcommand(word).is_some();
            return mistakes::told(&why, words.iter().filter_map(|word| word.to_str()).find(known));
        }
    };
    let mut out = io::stdout().lock();
    // What is for programs is the same in every language.
    let json = words.iter().take_while(|word| *word != "--").any(|word| word == "--json");
    let language = if json { Language::English } else { yadori_words::spoken() };
    let outcome = run(arguments, language, &mut out).and_then(|()| out.flush().map_err(Failure::from));
    match outcome {
        Ok(()) => ExitCode::SUCCESS,
        // Whoever read our output has seen enough.
        Err(Failure::Output(why)) if why.kind() == io::ErrorKind::BrokenPipe => ExitCode::SUCCESS,
        Err(why) => failed(&why),
    }
}

fn failed(why: &Failure) -> ExitCode {
    let _ = writeln!(io::stderr(), "yadori: {why}");
    ExitCode::from(why.exit_code())
}

fn run(arguments: Arguments, language: Language, out: &mut dyn Write) -> Result<(), Failure> {
    match &arguments.verb {
        Verb::Completions(verb) => return verb.run(out),
        Verb::Manual(verb) => {
            return verb
                .run(languages::translated(Arguments::command()).unwrap_or_else(Arguments::command), out);
        }
        _ => {}
    }
    let environment = |name: &str| std::env::var_os(name).map(PathBuf::from);
    if let Verb::Autostart(verb) = &arguments.verb {
        return verb.run(&Places::new(arguments.general.home, environment)?, out);
    }
    let (home, socket) =
        (arguments.general.home.clone(), place::socket(arguments.general.home, environment)?);
    let service = Connection::to(socket, language);
    match arguments.verb {
        Verb::Status(verb) => verb.run(&service, out),
        Verb::List(verb) => verb.run(&service, out),
        Verb::Show(verb) => verb.run(&service, out),
        Verb::Take(verb) => verb.run(&service, out),
        Verb::Pick(verb) => verb.run(&service),
        Verb::Batch(verb) => verb.run(&service, out),
        Verb::Join(verb) => verb.run(&service, out),
        Verb::Chords(verb) => verb.run(&service, out),
        Verb::Add(verb) => verb.run(&service, out),
        Verb::Remove(verb) => verb.run(&service, out),
        Verb::Clear(verb) => verb.run(&service, out),
        Verb::Undo(verb) => verb.run(&service, out),
        Verb::Pin(verb) => verb.run(&service, out),
        Verb::Unpin(verb) => verb.run(&service, out),
        Verb::Title(verb) => verb.run(&service, out),
        Verb::Color(verb) => verb.run(&service, out),
        Verb::Edit(verb) => verb.run(&service, out),
        Verb::BringUp(verb) => verb.run(&service, out),
        Verb::Drawer(verb) => verb.run(&service, out),
        Verb::Redo(verb) => verb.run(&service, out),
        Verb::Export(verb) => verb.run(&service, out),
        Verb::Import(verb) => verb.run(&service, out),
        Verb::Console(verb) => verb.run(&service, out),
        Verb::Phone(verb) => verb.run(&service, out),
        Verb::Backup(verb) => verb.run(&service, out),
        Verb::Check(verb) => verb.run(&service, out),
        Verb::Restore(verb) => verb.run(&service, out),
        Verb::Pause(verb) => verb.run(&service, out),
        Verb::Resume(verb) => verb.run(&service, out),
        Verb::Devices(verb) => verb.run(&service, out),
        Verb::Pair(verb) => verb.run(&service, out),
        Verb::Unpair(verb) => verb.run(&service, out),
        Verb::Sync(verb) => verb.run(&service, out),
        Verb::Send(verb) => verb.run(&service, out),
        Verb::Limits(verb) => verb.run(&service, out),
        Verb::Rules(verb) => verb.run(&service, out),
        Verb::Orders(verb) => verb.run(&service, out),
        Verb::Settings(verb) => verb.run(&service, out),
        Verb::Reread(verb) => verb.run(&service, out),
        Verb::Stop(verb) => verb.run(&service, out),
        Verb::Doctor(verb) => {
            let folders = place::folders(home.clone(), environment);
            let places = Places::new(home, environment)?;
            let around = Around { places, folders, environment: |name| std::env::var(name).ok() };
            verb.run(&service, &around, out)
        }
        Verb::Completions(_) | Verb::Manual(_) | Verb::Autostart(_) => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const POOL: &[&str] = &[
        "take",
        "list",
        "show",
        "add",
        "pick",
        "status",
        "send",
        "drawer",
        "bring-up",
        "1",
        "f1",
        "kind:link",
        "take",
        "--home",
        "/tmp",
        "--lang",
        "ja",
        "--json",
        "-n",
        "2",
        "-f",
        "--plain",
        "--drawer",
        "replies",
        "--",
        "-word",
        "--oldest-first",
        "--title",
        "--help",
        "--version",
        "--nonsense",
        "--at=3",
    ];

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2_000))]

        #[test]
        fn a_verb_alone_reads_what_all_of_them_read(chosen in prop::collection::vec(prop::sample::select(POOL), 1..6)) {
            let words: Vec<OsString> = std::iter::once("yadori").chain(chosen).map(OsString::from).collect();
            if let Some(Ok(read_alone)) = alone(&words).map(|command| read(command, &words)) {
                let whole = read(Arguments::command(), &words).expect("what one verb reads, all read");
                prop_assert_eq!(format!("{read_alone:?}"), format!("{whole:?}"));
            }
        }
    }
}
