//! `yadori take`: a clip onto the live clipboard.

use std::collections::BTreeMap;
use std::io::{self, BufRead, IsTerminal, Write};

use clap::{Args, ValueEnum};
use yadori_api::{Form, PasteInto, Question, Shape, Take as Request, Taken, Tidied, TryTidy};

use super::json;
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;

/// A shape.
#[derive(Clone, Copy, Debug, ValueEnum)]
enum ShapeName {
    /// The paths of its files
    Paths,
    /// The names of its files
    Names,
    /// Its picture as PNG
    Png,
    /// Its picture as JPEG
    Jpeg,
    /// Its formatted words, or its link with its title, as Markdown
    Markdown,
    /// Its picture as a file, to be pasted in a file manager or attached
    File,
}

impl ShapeName {
    fn shape(self) -> Shape {
        match self {
            Self::Paths => Shape::Paths,
            Self::Names => Shape::Names,
            Self::Png => Shape::Png,
            Self::Jpeg => Shape::Jpeg,
            Self::Markdown => Shape::Markdown,
            Self::File => Shape::File,
        }
    }
}

/// Put a clip on the clipboard, for the next ordinary paste
#[derive(Debug, Args)]
pub(crate) struct Take {
    /// Which clip
    #[arg(default_value = "1", value_name = "CLIP")]
    clip: String,
    /// As plain text, without formatting
    #[arg(long)]
    plain: bool,
    /// As it was copied: fill-ins of a kept text stay as they are written
    #[arg(long, conflicts_with = "plain")]
    as_copied: bool,
    /// Clean its text up on the way, e.g. `trim,unlist`: plain, trim, one-line, unwrap, unlist (numbers and bullets), blanks, quotes,
    /// upper, lower, sentence, title, links (tracking), decode, json
    #[arg(short, long, value_name = "STEPS", value_delimiter = ',')]
    tidy: Vec<String>,
    /// Only show what tidying would make of it
    #[arg(long, requires = "tidy", conflicts_with_all = ["paste", "shape"])]
    preview: bool,
    /// In another shape: its files' paths or names, its picture as PNG, as JPEG or as a file, its words or link as Markdown
    #[arg(long = "as", value_enum, value_name = "SHAPE")]
    shape: Option<ShapeName>,
    /// Pixels of the longer side of the picture at most
    #[arg(long, value_name = "PIXELS", requires = "shape", value_parser = clap::value_parser!(u32).range(1..=20_000))]
    most: Option<u32>,
    /// What an earlier copy of it offered: 1 is the one before the newest, as `yadori show` lists them
    #[arg(long, value_name = "N")]
    earlier: Option<u32>,
    /// Also paste it where the cursor is, in the program in front
    #[arg(long)]
    paste: bool,
    /// The answer to a question that a kept text asks
    #[arg(short, long, value_name = "QUESTION=ANSWER")]
    answer: Vec<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Take {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.preview {
            return self.try_tidy(service, out);
        }
        let form = match (self.plain, self.as_copied) {
            (true, _) => Form::Plain,
            (_, true) => Form::Copied,
            _ => Form::Ready,
        };
        let mut answers = BTreeMap::new();
        for pair in &self.answer {
            let (question, answer) = pair.split_once('=').ok_or_else(|| {
                Failure::Use(format!("--answer takes QUESTION=ANSWER, and `{pair}` has no `=`"))
            })?;
            answers.insert(question.to_owned(), answer.to_owned());
        }
        let mut request = Request {
            form,
            answers,
            zone: Some(crate::zone::name()),
            tidy: self.tidy.clone(),
            shape: self.shape.map(ShapeName::shape),
            most: self.most,
            earlier: self.earlier,
            paste: self.paste.then_some(PasteInto::Front),
        };
        let path = format!("/clips/{}/take", escaped(&self.clip));
        let taken: Taken = match service.post(&path, &request) {
            Err(Failure::Answered(problem))
                if problem.kind == "needs-answers" && io::stdin().is_terminal() =>
            {
                for one in &problem.questions {
                    if !request.answers.contains_key(&one.question) {
                        request.answers.insert(one.question.clone(), ask(one)?);
                    }
                }
                service.post(&path, &request)?
            }
            answer => answer?,
        };
        if self.json {
            return json(out, &taken);
        }
        let plain = match (self.plain, taken.filled) {
            _ if self.shape.is_some() => match self.shape {
                Some(ShapeName::Paths) => ", the paths of",
                Some(ShapeName::Names) => ", the names of",
                Some(ShapeName::Png) => ", as PNG",
                Some(ShapeName::Jpeg) => ", as JPEG",
                _ => ", as Markdown",
            },
            _ if !self.tidy.is_empty() => ", tidied",
            (true, _) => ", as plain text",
            (_, true) => ", filled in",
            _ => "",
        };
        let what = table::cut(&table::line(&taken.row), table::width().saturating_sub(32).max(20));
        let done = if taken.pasted { "Pasted" } else { "A paste now gives" };
        writeln!(out, "{done}{plain}: {what}")?;
        for path in &taken.missing {
            writeln!(out, "Not there any more: {}", shown(path, false))?;
        }
        Ok(())
    }
}

impl Take {
    fn try_tidy(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let request = TryTidy { clip: Some(self.clip.clone()), text: None, tidy: self.tidy.clone() };
        let tidied: Tidied = service.post("/tidy", &request)?;
        if self.json {
            return json(out, &tidied);
        }
        writeln!(out, "{}", shown(&tidied.text, true))?;
        let told = tidied.text.chars().count() as u64;
        if told < tidied.chars {
            writeln!(out, "… and {} characters more", tidied.chars - told)?;
        }
        Ok(())
    }
}

/// Asks the person at the terminal; nothing typed takes the proposal.
fn ask(question: &Question) -> Result<String, Failure> {
    let proposal =
        question.proposal.as_ref().map(|one| format!(" [{}]", shown(one, false))).unwrap_or_default();
    write!(io::stderr(), "{}{proposal}: ", shown(&question.question, false))?;
    let mut line = String::new();
    io::stdin().lock().read_line(&mut line)?;
    let line = line.trim_end_matches(['\n', '\r']);
    Ok(match (&question.proposal, line) {
        (Some(proposal), "") => proposal.clone(),
        _ => line.to_owned(),
    })
}
