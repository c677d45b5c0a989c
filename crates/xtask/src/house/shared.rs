//! The demo and the tests share one build: no package of the program is built with other features for the tests.

use crate::{Done, root};
use std::collections::BTreeSet;
use std::process::Command;

/// Packages that the demo alone would build otherwise.
pub(super) fn apart() -> Done<Vec<String>> {
    let demo = build(&["--package", "tinkite", "--edges", "normal,build"])?;
    let tests = build(&["--workspace", "--edges", "normal,build,dev"])?;
    Ok(demo.difference(&tests).cloned().collect())
}

/// Every package with its version and its features.
fn build(which: &[&str]) -> Done<BTreeSet<String>> {
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    let out = Command::new(cargo)
        .current_dir(root())
        .args(["tree", "--locked", "--prefix", "none", "--no-dedupe", "--format", "{p} with {f}"])
        .args(which)
        .output()?;
    if !out.status.success() {
        return Err(String::from_utf8_lossy(&out.stderr).into_owned().into());
    }
    Ok(String::from_utf8_lossy(&out.stdout).lines().map(str::to_string).collect())
}
