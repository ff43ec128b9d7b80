//! The migrations are part of the program: build again when one is added.

#[expect(clippy::print_stdout, reason = "this is how a build script speaks to cargo")]
fn main() {
    println!("cargo:rerun-if-changed=migrations");
}
