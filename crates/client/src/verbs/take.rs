//! `yadori take`: clips onto the live clipboard.

use std::collections::BTreeMap;
use std::io::{self, IsTerminal, Write};

use clap::{Args, ValueEnum};
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{Form, PasteInto, Question, ReadyText, Shape, Take as Request, Taken};

use super::json;
use crate::asking::line;
use crate::completing::clips;
use crate::connection::{Connection, segment};
use crate::failure::Failure;
use crate::symbols::{in_shell, shown};
use crate::table;
use yadori_words::{said, word};

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
    /// The words that were read from its picture
    Words,
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
            Self::Words => Shape::Words,
            Self::Markdown => Shape::Markdown,
            Self::File => Shape::File,
        }
    }
}

/// Put a clip on the clipboard, for the next ordinary paste
///
/// Several are joined, in the order in which they are named; what that makes becomes the newest clip.
#[derive(Debug, Args)]
pub(crate) struct Take {
    /// Which clips
    #[arg(default_value = "1", value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clips: Vec<String>,
    /// As plain text, without formatting; fill-ins of a kept text are filled
    #[arg(long)]
    plain: bool,
    /// As it was copied: fill-ins of a kept text stay as they are written
    #[arg(long, conflicts_with = "plain")]
    as_copied: bool,
    /// Clean its text up on the way, e.g. `trim,unlist`: plain, trim, one-line, unwrap, unlist (numbers and bullets), blanks, quotes,
    /// upper, lower, sentence, title, links (tracking), decode, json
    #[arg(short, long, value_name = "STEPS", value_delimiter = ',')]
    tidy: Vec<String>,
    /// Only show what would be on the clipboard
    #[arg(long, conflicts_with = "paste")]
    preview: bool,
    /// In another shape: its files' paths or names, its picture as PNG, as JPEG or as a file, the words read in it, its text or link as Markdown
    #[arg(long = "as", value_enum, value_name = "SHAPE")]
    shape: Option<ShapeName>,
    /// Pixels of the longer side of the picture at most
    #[arg(long, value_name = "PIXELS", requires = "shape", value_parser = clap::value_parser!(u32).range(1..=20_000))]
    most: Option<u32>,
    /// What an earlier copy of it offered: 1 is the one before the newest, as `yadori show` lists them
    #[arg(long, value_name = "N")]
    earlier: Option<u32>,
    /// What stands between several; a line's end if nothing is said
    #[arg(long, value_name = "TEXT")]
    with: Option<String>,
    /// Also paste it where the cursor is, in the program in front
    #[arg(long)]
    paste: bool,
    /// The answer to a question that a kept text asks
    #[arg(short, long, value_name = "QUESTION=ANSWER")]
    answer: Vec<String>,
    /// Answer what is left to be asked with what it proposes
    #[arg(long)]
    proposed: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Take {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let form = match (self.plain, self.as_copied) {
            (true, _) => Form::Plain,
            (_, true) => Form::Copied,
            _ => Form::Ready,
        };
        let (first, more) = self.clips.split_first().ok_or_else(|| Failure::Use(said!("name a clip")))?;
        if self.with.is_some() && more.is_empty() {
            return Err(Failure::Use(said!("--with goes with several clips")));
        }
        let mut request = Request {
            form,
            answers: BTreeMap::new(),
            zone: Some(crate::zone::name()),
            tidy: self.tidy.clone(),
            shape: self.shape.map(ShapeName::shape),
            most: self.most,
            earlier: self.earlier,
            paste: self.paste.then_some(PasteInto::Front),
            and: more.to_vec(),
            with: self.with.clone(),
        };
        let path = format!("/clips/{}/take", segment(first)?);
        if !self.answer.is_empty() || self.preview || self.proposed {
            let ready: ReadyText = service.post(&format!("{path}/preview"), &request)?;
            request.answers = answers(&self.answer, &ready.questions)?;
            if self.preview && request.answers.is_empty() && !self.proposed {
                return self.previewed(&ready, out);
            }
            if self.proposed {
                let open = ready.questions.into_iter();
                let proposed = open.filter_map(|one| Some((one.question, one.proposal?)));
                for (question, proposal) in proposed {
                    request.answers.entry(question).or_insert(proposal);
                }
            }
        }
        if self.preview {
            return self.previewed(&service.post(&format!("{path}/preview"), &request)?, out);
        }
        let taken: Taken = match service.post(&path, &request) {
            Err(Failure::Answered(problem))
                if problem.kind == "needs-answers" && io::stdin().is_terminal() =>
            {
                for one in &problem.questions {
                    let answer = ask(one)?.ok_or_else(|| given_up(&request.answers))?;
                    request.answers.insert(one.question.clone(), answer);
                }
                service.post(&path, &request).map_err(|why| self.with_answers(why, &request.answers))?
            }
            answer => answer?,
        };
        self.told(&taken, out)
    }

    fn told(&self, taken: &Taken, out: &mut dyn Write) -> Result<(), Failure> {
        if self.json {
            return json(out, taken);
        }
        let joined = if self.clips.len() > 1 { word!(", joined") } else { "" };
        let plain = match (self.plain, taken.filled) {
            _ if self.shape.is_some() => match self.shape {
                Some(ShapeName::Paths) => word!(", the paths of"),
                Some(ShapeName::Names) => word!(", the names of"),
                Some(ShapeName::Png) => word!(", as PNG"),
                Some(ShapeName::Jpeg) => word!(", as JPEG"),
                Some(ShapeName::File) => word!(", as a file"),
                Some(ShapeName::Words) => word!(", the words read in"),
                _ => word!(", as Markdown"),
            },
            _ if !self.tidy.is_empty() => word!(", tidied"),
            (_, true) => word!(", filled in"),
            (true, _) => word!(", as plain text"),
            _ => "",
        };
        let what = table::cut(&table::line(&taken.row), table::width().saturating_sub(32).max(20));
        let done = if taken.pasted { word!("Pasted") } else { word!("A paste now gives") };
        writeln!(out, "{done}{joined}{plain}: {what}")?;
        for path in &taken.missing {
            writeln!(out, "{}", said!("Not there any more: {path}", path = shown(path, false)))?;
        }
        Ok(())
    }

    fn previewed(&self, ready: &ReadyText, out: &mut dyn Write) -> Result<(), Failure> {
        if self.json {
            return json(out, ready);
        }
        match &ready.text {
            Some(text) => {
                writeln!(out, "{}", shown(text, true))?;
                let told = text.chars().count() as u64;
                if told < ready.chars {
                    writeln!(out, "{}", said!("… and {more} characters more", more = ready.chars - told))?;
                }
            }
            None => writeln!(out, "{}", said!("No text: {mimes}", mimes = ready.mimes.join(", ")))?,
        }
        for one in &ready.questions {
            let proposal = one.proposal.as_ref().map(|one| format!(" [{one}]")).unwrap_or_default();
            writeln!(
                io::stderr(),
                "{}",
                said!(
                    "It asks: {question}{proposal}",
                    question = shown(&one.question, false),
                    proposal = shown(&proposal, false)
                )
            )?;
        }
        Ok(())
    }

    /// A failure after questions were answered, with the way to try again without answering them again.
    fn with_answers(&self, why: Failure, answers: &BTreeMap<String, String>) -> Failure {
        let clips: Vec<String> = self.clips.iter().map(|clip| in_shell(clip)).collect();
        let given = answers.iter().map(|(question, answer)| {
            said!(" --answer {answer}", answer = in_shell(&format!("{question}={answer}")))
        });
        let again = format!("yadori take {}{}", clips.join(" "), given.collect::<String>());
        Failure::Later { why: Box::new(why), again }
    }
}

/// Answers as they were written, each with the question that is asked: a question may hold `=`.
fn answers(written: &[String], asked: &[Question]) -> Result<BTreeMap<String, String>, Failure> {
    let mut all = BTreeMap::new();
    for pair in written {
        if !pair.contains('=') {
            return Err(Failure::Use(said!(
                "--answer takes QUESTION=ANSWER, and `{pair}` has no `=`",
                pair = pair
            )));
        }
        let of = |one: &Question| {
            let answer = pair.strip_prefix(&one.question)?.strip_prefix('=')?;
            Some((one.question.clone(), answer.to_owned()))
        };
        // Of two that fit, the longer question is meant.
        let meant = asked.iter().filter_map(of).max_by_key(|(question, _)| question.len());
        let (question, answer) = meant.ok_or_else(|| {
            let asked: Vec<&str> = asked.iter().map(|one| one.question.as_str()).collect();
            let asks = match &asked[..] {
                [] => said!("it asks nothing (only favorites and clips in drawers are filled in)"),
                asked => said!("it asks: {asked}", asked = asked.join("; ")),
            };
            Failure::Use(said!("`{pair}` answers no question: {asks}", pair = pair, asks = asks))
        })?;
        all.insert(question, answer);
    }
    Ok(all)
}

/// Asks the person at the terminal; nothing typed takes the proposal. `None`: they gave up.
fn ask(question: &Question) -> Result<Option<String>, Failure> {
    let proposal =
        question.proposal.as_ref().map(|one| format!(" [{}]", shown(one, false))).unwrap_or_default();
    let line = line(&format!("{}{proposal}: ", shown(&question.question, false)))?;
    Ok(line.map(|line| match (&question.proposal, &line[..]) {
        (Some(proposal), "") => proposal.clone(),
        _ => line,
    }))
}

fn given_up(answers: &BTreeMap<String, String>) -> Failure {
    let kept = if answers.is_empty() { "" } else { word!("; the answers are forgotten") };
    Failure::Cancelled(said!("nothing was taken{kept}", kept = kept))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_answer_belongs_to_the_longest_question_that_fits() {
        let asked =
            ["Nights", "Is 2=2", "Is 2"].map(|one| Question { question: one.to_owned(), proposal: None });
        let read = |pair: &str| answers(&[pair.to_owned()], &asked);
        let got = |pair: &str| read(pair).unwrap().into_iter().next().unwrap();
        assert_eq!(got("Nights=3=3"), ("Nights".into(), "3=3".into()));
        assert_eq!(got("Is 2=2=yes"), ("Is 2=2".into(), "yes".into()));
        assert_eq!(got("Is 2=no"), ("Is 2".into(), "no".into()));
        assert!(read("Days=2").unwrap_err().to_string().contains("Nights; Is 2=2"));
        assert!(read("Nights").unwrap_err().to_string().contains("no `=`"));
    }
}
