//! What is done with the workspace beside building and testing it.
//!
//! - `cargo xtask house`: holds the tree against the laws of docs/ARCHITECTURE.md
//! - `cargo xtask dist`: the program with its manual pages, completions and notices, laid out for packaging
//! - `cargo xtask notices`: the licences of everything that is in the program, on standard output
#![allow(clippy::print_stdout, clippy::print_stderr)] // what it does it says where it was called

mod dist;
mod house;
mod notices;
mod packages;

use std::error::Error;
use std::path::{Path, PathBuf};
use std::process::ExitCode;

/// What can go wrong here is told in words, and ends the call.
type Done<T> = Result<T, Box<dyn Error>>;

fn main() -> ExitCode {
    let done = match std::env::args().nth(1).as_deref() {
        Some("dist") => dist::dist().map(|folder| format!("laid out in {}", folder.display())),
        Some("house") => house::check(),
        Some("notices") => notices::text(),
        _ => Err("say: cargo xtask house, cargo xtask dist, or cargo xtask notices".into()),
    };
    match done {
        Ok(text) => {
            println!("{text}");
            ExitCode::SUCCESS
        }
        Err(error) => {
            eprintln!("xtask: {error}");
            ExitCode::FAILURE
        }
    }
}

/// The folder of the workspace.
fn root() -> PathBuf {
    let own = Path::new(env!("CARGO_MANIFEST_DIR"));
    own.ancestors().nth(2).unwrap_or(own).to_path_buf()
}
