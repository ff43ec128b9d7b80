//! The migrations are part of the program: build again when one is added.

fn main() {
    println!("cargo:rerun-if-changed=migrations");
}
