//! What completions offer besides verbs and options: drawers, filters, recent clips. Asked of the service; where it does not
//! answer, nothing is offered.

use std::ffi::OsStr;
use std::path::PathBuf;

use clap_complete::engine::CompletionCandidate;
use yadori_api::{AllDrawers, Completions, Item, Items, Page};

use crate::connection::{Connection, escaped};
use crate::{place, table};

/// Clips that are offered.
const RECENT: usize = 20;
/// Columns of what is said of a clip.
const SAID: usize = 50;

/// The service that the line that is completed speaks to: its `--home`, or what the environment says.
fn service() -> Option<Connection> {
    let words: Vec<String> = std::env::args().collect();
    let after = words.iter().position(|word| word == "--home").and_then(|at| words.get(at + 1)).cloned();
    let home = after.or_else(|| words.iter().find_map(|word| Some(word.strip_prefix("--home=")?.to_owned())));
    let environment = |name: &str| std::env::var_os(name).map(PathBuf::from);
    let home = home.map(PathBuf::from).or_else(|| environment("YADORI_HOME"));
    Some(Connection::to(place::socket(home, environment).ok()?, yadori_words::spoken()))
}

/// Names of drawers.
pub(crate) fn drawers(begun: &OsStr) -> Vec<CompletionCandidate> {
    let begun = begun.to_string_lossy().to_lowercase();
    let all: Option<AllDrawers> = service().and_then(|service| service.get("/drawers").ok());
    let all = all.map(|all| all.drawers).unwrap_or_default();
    let fits = all.into_iter().filter(|one| one.name.to_lowercase().starts_with(&begun));
    fits.map(|one| {
        let said = table::count_of(one.clips, "clip");
        CompletionCandidate::new(one.name).help(Some(said.into()))
    })
    .collect()
}

/// Addresses of clips: the newest by their ids, or the favorites by their places.
pub(crate) fn clips(begun: &OsStr) -> Vec<CompletionCandidate> {
    let begun = begun.to_string_lossy();
    let Some(service) = service() else { return Vec::new() };
    let said = |row: &yadori_api::Row| table::cut(&table::line(row), SAID);
    if begun.starts_with(['f', 'F']) {
        let kept: Items = match service.get(&format!("/favorites?limit={RECENT}")) {
            Ok(kept) => kept,
            Err(_) => return Vec::new(),
        };
        let rows = kept.items.into_iter().filter_map(|item| match item {
            Item::Clip(row) => Some(row),
            Item::Divider(_) => None,
        });
        return (1..)
            .zip(rows)
            .map(|(n, row)| CompletionCandidate::new(format!("f{n}")).help(Some(said(&row).into())))
            .filter(|one| one.get_value().to_string_lossy().starts_with(&*begun))
            .collect();
    }
    let page: Option<Page> = service.get(&format!("/clips?limit={RECENT}")).ok();
    let rows = page.map(|page| page.clips).unwrap_or_default();
    rows.into_iter()
        .map(|row| {
            // By its place while nothing is typed; by its id from the first letter on.
            let word = if row.place.to_string().starts_with(&*begun) {
                row.place.to_string()
            } else {
                row.prefix.clone()
            };
            CompletionCandidate::new(word).help(Some(said(&row).into()))
        })
        .filter(|one| one.get_value().to_string_lossy().starts_with(&*begun))
        .collect()
}

/// How a word of a query can go on.
pub(crate) fn words(begun: &OsStr) -> Vec<CompletionCandidate> {
    let begun = begun.to_string_lossy();
    let path = format!("/complete?q={}", escaped(&begun));
    let found: Option<Completions> = service().and_then(|service| service.get(&path).ok());
    let completions = found.map(|found| found.completions).unwrap_or_default();
    completions
        .into_iter()
        .filter_map(|one| {
            let before: String = begun.chars().take(one.from as usize).collect();
            let word = format!("{before}{}", one.insert.trim_end());
            let candidate = CompletionCandidate::new(word).help(one.meaning.map(Into::into));
            candidate.get_value().to_string_lossy().starts_with(&*begun).then_some(candidate)
        })
        .collect()
}
