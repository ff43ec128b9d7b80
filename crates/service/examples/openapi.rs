//! Prints the description of the HTTP interface: `cargo run --example openapi > docs/openapi.json`.
#![expect(clippy::print_stdout, reason = "printing is what this is for")]

fn main() {
    println!("{}", yadori_service::http::description().to_pretty_json().unwrap_or_default());
}
