//! Turns the catalogues into a table that is there when a program starts, so that nothing is read or parsed then.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let root = Path::new(&std::env::var("CARGO_MANIFEST_DIR")?).join("../../locales");
    let messages = table_of(&root, &["service", "client", "help"])?;
    // What is said in one of the others stands there alone.
    table_of(&root, &["service", "client", "help", "details"])?;
    let details = table_of(&root, &["details"])?;
    let out = std::env::var("OUT_DIR")?;
    std::fs::write(Path::new(&out).join("ja.rs"), messages)?;
    std::fs::write(Path::new(&out).join("ja_details.rs"), details)?;
    Ok(())
}

/// The messages of some catalogues as a sorted table.
fn table_of(root: &Path, parts: &[&str]) -> Result<String, Box<dyn std::error::Error>> {
    let mut messages: BTreeMap<String, String> = BTreeMap::new();
    for part in parts {
        let file = root.join(part).join("ja.po");
        println!("cargo::rerun-if-changed={}", file.display());
        for message in polib::po_file::parse(&file)?.messages() {
            // A language of one form says numbers as everything else.
            let said = if message.is_plural() {
                message.msgstr_plural()?.first().cloned().unwrap_or_default()
            } else {
                message.msgstr()?.to_owned()
            };
            if said.is_empty() {
                continue;
            }
            if messages.get(message.msgid()).is_some_and(|known| *known != said) {
                return Err(format!("two catalogues say `{}` differently", message.msgid()).into());
            }
            messages.insert(message.msgid().to_owned(), said);
        }
    }
    let mut table = String::from("&[\n");
    for (english, japanese) in &messages {
        writeln!(table, "    ({english:?}, {japanese:?}),")?;
    }
    table.push(']');
    Ok(table)
}
