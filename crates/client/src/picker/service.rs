//! What the picker asks of the service: each question beside the keys, on a thread of its own.

use std::collections::HashMap;
use std::sync::mpsc::Sender;
use std::sync::{Arc, Mutex, PoisonError};

use yadori_api::picker::machine::{Do, Picker, View, Wanted};
use yadori_api::{
    Acted, CaptureState, Clear, ClearPlan, Cleared, Detail, ExcerptOf, Filling, Form, Hand, HandedOut, Hit,
    Item, Items, Keep, KeepIn, Kind, Page, PasteInto, PauseFor, Remove, Removed, Row, Scope, Status, Take,
    Taken, Tidied, TryTidy,
};

use super::pictures::Sizes;
use super::{Comes, Shown};
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::pixels::{Pixels, fetch};
use crate::table;
use crate::verbs::batch::next_words;
use yadori_words::{said, word};

/// The rows that are known, by id.
#[derive(Default)]
pub(super) struct Rows(HashMap<String, Row>);

impl Rows {
    pub(super) fn put(&mut self, rows: Vec<Row>) {
        // Far more than is ever listed; what is listed comes again with its list.
        if self.0.len() > 4_000 {
            self.0.clear();
        }
        self.0.extend(rows.into_iter().map(|row| (row.id.clone(), row)));
    }

    pub(super) fn get(&self, id: &str) -> Option<&Row> {
        self.0.get(id)
    }
}

/// What came of a question.
pub(super) enum Answer {
    Listed {
        number: u64,
        rows: Vec<Row>,
        more: bool,
        total: Option<u64>,
    },
    Unlisted {
        number: u64,
        why: String,
    },
    Taken {
        close: bool,
        words: String,
    },
    Removed {
        id: String,
    },
    /// `row`: as it is now; without it what is listed may have changed.
    Did {
        words: String,
        row: Option<Box<Row>>,
    },
    /// What a clearing would take.
    Planned {
        wanted: Box<Clear>,
        plan: Box<ClearPlan>,
    },
    Whole {
        id: String,
        text: String,
        picture: Option<Pixels>,
    },
    /// A picture among the rows.
    Picture {
        id: String,
        pixels: Pixels,
    },
    /// What these clean-ups make of the clip.
    Tidied {
        tidy: Vec<String>,
        text: String,
    },
    /// How the batch in hand is now.
    Batch {
        words: String,
        close: bool,
        next: Option<String>,
    },
    Failed(String),
}

/// The way to the service, and back to the picker.
pub(super) struct Asking {
    service: Connection,
    send: Sender<Comes>,
    sizes: Sizes,
    /// The newest act that was done here.
    done: Arc<Mutex<Vec<String>>>,
}

impl Asking {
    pub(super) fn new(service: Connection, send: Sender<Comes>, sizes: Sizes) -> Self {
        Self { service, send, sizes, done: Arc::default() }
    }

    /// Asks how the batch in hand is.
    pub(super) fn batch(&self) {
        let (service, send) = (self.service.clone(), self.send.clone());
        std::thread::spawn(move || {
            if let Some(next) = batch_words(&service) {
                let answer = Answer::Batch { words: String::new(), close: false, next: Some(next) };
                let _ = send.send(Comes::Answered(answer));
            }
        });
    }

    /// This act was done here.
    pub(super) fn did(&self, act: &str) {
        self.done.lock().unwrap_or_else(PoisonError::into_inner).push(act.to_owned());
    }

    /// Asks for the pictures of the rows on the screen.
    pub(super) fn pictures(&self, picker: &Picker, shown: &mut Shown) {
        for id in picker.ids.iter().skip(picker.top).take(picker.page) {
            let is_picture = shown.rows.get(id).is_some_and(|row| row.kind == Kind::Image);
            if !is_picture || !shown.pictures.wants(id) {
                continue;
            }
            let (service, send, id) = (self.service.clone(), self.send.clone(), id.clone());
            let most = self.sizes.small;
            std::thread::spawn(move || {
                // One that can't be shown is told in words.
                if let Ok(pixels) = fetch(&service, &id, most) {
                    let _ = send.send(Comes::Answered(Answer::Picture { id, pixels }));
                }
            });
        }
    }

    /// Clears what was asked about.
    pub(super) fn clear(&self, wanted: Clear) {
        let (service, send, done) = (self.service.clone(), self.send.clone(), self.done.clone());
        std::thread::spawn(move || {
            let cleared = service.post::<Cleared>("/clear", &wanted).map(|cleared| {
                done.lock().unwrap_or_else(PoisonError::into_inner).extend(cleared.id);
                let clips = table::count_of(cleared.clips, "clip");
                Answer::Did { words: said!("Cleared {clips}. ^Z takes it back.", clips = clips), row: None }
            });
            let _ = send.send(Comes::Answered(cleared.unwrap_or_else(|why| Answer::Failed(words(&why)))));
        });
    }

    pub(super) fn ask(&self, wish: Do, shown: &Shown) {
        let (service, send, done) = (self.service.clone(), self.send.clone(), self.done.clone());
        let (by_chord, large) = (shown.by_chord, self.sizes.large);
        let pinned = match &wish {
            Do::Pin(id) => shown.rows.get(id).is_some_and(|row| row.kept.is_some()),
            _ => false,
        };
        std::thread::spawn(move || {
            let answer = answer(&service, &done, wish, (by_chord, pinned), large);
            if let Some(answer) = answer {
                let _ = send.send(Comes::Answered(answer));
            }
        });
    }
}

fn answer(
    service: &Connection,
    done: &Mutex<Vec<String>>,
    wish: Do,
    (by_chord, pinned): (bool, bool),
    large: u32,
) -> Option<Answer> {
    let did = |id: &str| done.lock().unwrap_or_else(PoisonError::into_inner).push(id.to_owned());
    let outcome = match wish {
        Do::List(wanted) => {
            let number = wanted.number;
            return Some(
                listed(service, &wanted).unwrap_or_else(|why| Answer::Unlisted { number, why: words(&why) }),
            );
        }
        Do::Take { id, paste, plain, tidy, close } => {
            let form = if plain { Form::Plain } else { Form::Ready };
            taken(service, &id, Take { form, tidy, ..Take::default() }, paste && by_chord, close)
        }
        Do::Pin(id) => {
            let to = if pinned { KeepIn::Nowhere } else { KeepIn::Favorites };
            service.post::<Acted>("/keep", &Keep { ids: vec![id], to, before: None, secrets: false }).map(
                |acted| {
                    did(&acted.id);
                    let words =
                        if pinned { "Unpinned." } else { word!("Pinned: it is among the favorites.") };
                    Answer::Did { words: words.to_owned(), row: acted.clips.into_iter().next().map(Box::new) }
                },
            )
        }
        Do::Gather(id) => gathered(service, id).map(|(acted, next)| {
            did(&acted.id);
            Answer::Batch { words: said!("It is in the batch."), close: false, next }
        }),
        Do::HandOut { paste, close } => handed_out(service, paste && by_chord, close),
        Do::Remove(id) => {
            let remove = Remove { ids: vec![id.clone()], spare_pinned: false };
            service.post::<Removed>("/remove", &remove).map(|removed| {
                did(&removed.id);
                Answer::Removed { id }
            })
        }
        Do::Clear { query } => {
            let query = Some(query).filter(|query| !query.is_empty());
            let wanted = Clear { scope: Scope { query, ..Scope::default() }, ..Clear::default() };
            service.post::<ClearPlan>("/clear/plan", &wanted).map(|plan| {
                let wanted = Box::new(Clear { upto: Some(plan.upto), ..wanted });
                Answer::Planned { wanted, plan: Box::new(plan) }
            })
        }
        Do::Pause => paused(service),
        Do::Undo => {
            let last = done.lock().unwrap_or_else(PoisonError::into_inner).pop();
            let Some(act) = last else {
                return Some(Answer::Failed(said!("There is nothing of this picker's to take back.")));
            };
            service
                .post_empty::<Acted>(&format!("/undo?act={act}"))
                .map(|_| Answer::Did { words: said!("Taken back."), row: None })
                // It stands, so it can still be taken back.
                .inspect_err(|_| did(&act))
        }
        Do::Whole(id) => service.get::<Detail>(&format!("/clips/{}", escaped(&id))).map(|detail| {
            let cut =
                if detail.text_cut { word!("\n… it goes on; `yadori show` has all of it") } else { "" };
            let picture = (detail.row.kind == Kind::Image).then(|| fetch(service, &id, large).ok()).flatten();
            let text = detail.text.map(|text| text + cut).unwrap_or_else(|| about(&detail.row));
            Answer::Whole { id, text, picture }
        }),
        Do::Preview { id, tidy } => tried(service, id, tidy),
        Do::Edit(_) | Do::Close => return None,
    };
    Some(outcome.unwrap_or_else(|why| Answer::Failed(words(&why))))
}

pub(super) fn words(why: &Failure) -> String {
    why.to_string().replace('\n', " ")
}

/// What has no text, in words.
fn about(row: &Row) -> String {
    let mut all = vec![table::line(row)];
    all.extend(row.files.iter().cloned());
    all.join("\n")
}

fn listed(service: &Connection, wanted: &Wanted) -> Result<Answer, Failure> {
    let Wanted { number, view, query, rows: limit } = wanted;
    if query.is_empty() && *view == View::History {
        let page: Page = service.get(&format!("/clips?limit={limit}"))?;
        let more = page.next.is_some();
        return Ok(Answer::Listed { number: *number, rows: page.clips, more, total: Some(page.total) });
    }
    if query.is_empty() && *view == View::Favorites {
        let items: Items = service.get(&format!("/favorites?limit={limit}"))?;
        let clip = |item| match item {
            Item::Clip(row) => Some(*row),
            Item::Divider(_) => None,
        };
        let more = items.total > items.items.len() as u64;
        let rows: Vec<Row> = items.items.into_iter().filter_map(clip).collect();
        return Ok(Answer::Listed { number: *number, rows, more, total: None });
    }
    let within = if *view == View::Favorites { "&within=favorites" } else { "" };
    let query = if *view == View::Drawers { format!("is:drawer {query}") } else { query.clone() };
    let (q, zone) = (escaped(&query), crate::zone::parameter());
    let found = service.found(&format!("/search?q={q}&limit={limit}{within}{zone}"))?;
    let rows = found.hits.into_iter().map(row_of).collect();
    Ok(Answer::Listed { number: *number, rows, more: found.more, total: None })
}

/// The row of what was found; of a picture that was found by the words in it, with those before what it is.
fn row_of(hit: Hit) -> Row {
    let mut row = hit.row;
    let read = hit.excerpts.into_iter().next().filter(|excerpt| excerpt.of == ExcerptOf::Picture);
    if let Some(read) = read {
        let words = said!("in the picture: {words}", words = read.text.trim());
        row.title = Some(row.title.map_or(words.clone(), |title| format!("{title} · {words}")));
    }
    row
}

/// How the batch in hand is, in words.
pub(super) fn batch_words(service: &Connection) -> Option<String> {
    let status: Status = service.get("/status").ok()?;
    let paused = (status.capture.state == CaptureState::Paused).then(|| said!("Capture is paused."));
    let batch =
        status.batch.filter(|batch| batch.gathering || batch.left > 0).map(|batch| next_words(&batch));
    let words: Vec<String> = paused.into_iter().chain(batch).collect();
    (!words.is_empty()).then(|| words.join(" "))
}

/// Capture pauses until it is resumed, or goes on.
fn paused(service: &Connection) -> Result<Answer, Failure> {
    let before: Status = service.get("/status")?;
    let words = if before.capture.state == CaptureState::Paused {
        service.post_empty::<Status>("/resume")?;
        word!("Copies are kept again from now on.")
    } else {
        service.post::<Status>("/pause", &PauseFor { minutes: None })?;
        word!("Paused: nothing that is copied is kept until ^B lets it go on.")
    };
    Ok(Answer::Batch { words: words.to_owned(), close: false, next: batch_words(service) })
}

/// A clip goes into the batch in hand, or begins one.
fn gathered(service: &Connection, id: String) -> Result<(Acted, Option<String>), Failure> {
    let acted: Acted =
        service.post("/batches/in-hand", &Filling { clips: vec![id], ..Filling::default() })?;
    Ok((acted, batch_words(service)))
}

fn handed_out(service: &Connection, paste: bool, close: bool) -> Result<Answer, Failure> {
    let into = if close { PasteInto::Behind } else { PasteInto::BehindAndBack };
    let wanted = Hand { paste: paste.then_some(into), ..Hand::default() };
    let done: HandedOut = service.post("/batches/-/hand", &wanted)?;
    let place = done.item.as_ref().map_or(0, |item| item.place);
    let did = if done.pasted { word!("Pasted") } else { word!("A paste now gives") };
    let words = said!("{did} {place} of {items}.", did = did, place = place, items = done.batch.items);
    Ok(Answer::Batch { words, close, next: Some(next_words(&done.batch)) })
}

/// What clean-ups make of a clip.
fn tried(service: &Connection, clip: String, tidy: Vec<String>) -> Result<Answer, Failure> {
    if tidy.is_empty() {
        return Ok(Answer::Tidied { tidy, text: String::new() });
    }
    let wanted = TryTidy { clip: Some(clip), text: None, tidy };
    let tidied: Tidied = service.post("/tidy", &wanted)?;
    Ok(Answer::Tidied { tidy: wanted.tidy, text: tidied.text })
}

fn taken(service: &Connection, id: &str, wanted: Take, paste: bool, close: bool) -> Result<Answer, Failure> {
    let into = if close { PasteInto::Behind } else { PasteInto::BehindAndBack };
    let wanted = Take { paste: paste.then_some(into), ..wanted };
    let taken: Taken = service.post(&format!("/clips/{}/take", escaped(id)), &wanted)?;
    let done = if taken.pasted { word!("Pasted") } else { word!("A paste now gives") };
    let words = format!(
        "{done}: {}",
        table::cut(&table::line(&taken.row), table::width().saturating_sub(22).max(20))
    );
    Ok(Answer::Taken { close, words })
}

#[cfg(test)]
mod tests {
    use serde_json::json;

    use super::*;

    #[test]
    fn a_picture_that_was_found_by_its_words_shows_them() {
        let line = |title: Option<&str>, of: &str| {
            let hit = json!({
                "row": {
                    "id": "a", "prefix": "a", "place": 1, "kind": "image", "head": "", "title": title, "chars": 0, "lines": 0,
                    "size": 9, "formatted": false, "copied_at": "2026-11-26T10:00:00Z", "copies": 1, "source": {},
                    "picture": {"mime": "image/png", "width": 4, "height": 2}, "files": [], "file_count": 0, "saved": true,
                    "fill_ins": false
                },
                "excerpts": [{"of": of, "text": " boil all water\n", "marks": [[1, 5]]}]
            });
            crate::table::line(&row_of(serde_json::from_value(hit).expect("a hit")))
        };
        assert_eq!(line(None, "picture"), "in the picture: boil all water — PNG · 4 × 2 · 9 B");
        assert_eq!(
            line(Some("Notice"), "picture"),
            "Notice · in the picture: boil all water — PNG · 4 × 2 · 9 B"
        );
        assert_eq!(line(Some("Notice"), "title"), "Notice — PNG · 4 × 2 · 9 B");
    }
}
