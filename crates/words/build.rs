//! Turns the catalogues into a table that is there when a program starts, so that nothing is read or parsed then.

use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::Path;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let root = Path::new(&std::env::var("CARGO_MANIFEST_DIR")?).join("../../locales");
    let mut messages: BTreeMap<String, String> = BTreeMap::new();
    for part in ["service", "client", "help"] {
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
    std::fs::write(Path::new(&std::env::var("OUT_DIR")?).join("ja.rs"), table)?;
    Ok(())
}
