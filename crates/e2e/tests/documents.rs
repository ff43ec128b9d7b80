//! What the documents say exists.

use std::path::Path;

fn read(name: &str) -> String {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(name);
    std::fs::read_to_string(&path).unwrap_or_else(|why| panic!("{}: {why}", path.display()))
}

/// Paths of this repository that a text names between backticks or in links.
fn paths(text: &str) -> Vec<String> {
    let known = ["crates/", "console/", "demo/", "tools/", "docs/", "systemd/"];
    text.split(['`', '(', ')', ' ', '\n'])
        .filter(|part| known.iter().any(|start| part.starts_with(start)) && !part.contains(['*', '…']))
        .map(|part| part.trim_end_matches([',', '.', ':', ';']).to_owned())
        .collect()
}

#[test]
fn every_path_the_documents_name_exists() {
    for document in ["ARCHITECTURE.md", "README.md", "docs/security.md", "CONTRIBUTING.md"] {
        let found = paths(&read(document));
        assert!(!found.is_empty(), "{document} names no path");
        for path in found {
            let there = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").join(&path).exists();
            assert!(there, "{document} names {path}, which does not exist");
        }
    }
}

#[test]
fn every_test_that_the_security_document_names_exists() {
    let document = read("docs/security.md");
    let mut count = 0;
    for (file, prefix) in [
        ("closed", "closed::"),
        ("keeping", "keeping::"),
        ("bad_input", "bad_input::"),
        ("acts", "acts::"),
        ("transfer", "transfer::"),
        ("removal", "removal::"),
        ("crowd", "crowd::"),
        ("start", "start::"),
        ("files", "files::"),
        ("signed_in", "signed::"),
        ("devices", "devices::"),
        ("hubs", "hubs::"),
        ("pictured", "pictured::"),
    ] {
        let source = read(&format!("crates/e2e/tests/{file}.rs"));
        for name in document.split('`').filter_map(|part| part.strip_prefix(prefix)) {
            count += 1;
            assert!(source.contains(&format!("fn {name}()")), "docs/security.md names {file}::{name}");
        }
    }
    assert!(count >= 20);
}
