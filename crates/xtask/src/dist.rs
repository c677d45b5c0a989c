//! `cargo xtask dist`: the program, laid out for packaging.

use crate::{Done, notices, root};
use std::fs;
use std::path::PathBuf;
use std::process::Command;

/// Shells, and where their completions are looked for below `share`.
const SHELLS: [(&str, &str); 3] = [
    ("bash", "bash-completion/completions/tinkite"),
    ("zsh", "zsh/site-functions/_tinkite"),
    ("fish", "fish/vendor_completions.d/tinkite.fish"),
];

/// Files that lie beside the program.
const DOCS: [&str; 4] = ["README.md", "CHANGELOG.md", "LICENSE-APACHE", "LICENSE-MIT"];

/// Builds the program and lays it out in `target/dist`.
pub(super) fn dist() -> Done<PathBuf> {
    let root = root();
    let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
    let built = Command::new(cargo)
        .current_dir(&root)
        .args(["build", "--release", "--package", "tinkite"])
        .status()?;
    if !built.success() {
        return Err("the program was not built".into());
    }
    let target = std::env::var_os("CARGO_TARGET_DIR").map_or(root.join("target"), PathBuf::from);
    let name = format!("tinkite{}", std::env::consts::EXE_SUFFIX);
    let program = target.join("release").join(&name);
    let dist = target.join("dist");
    if dist.exists() {
        fs::remove_dir_all(&dist)?;
    }
    let (bin, share) = (dist.join("bin"), dist.join("share"));
    fs::create_dir_all(&bin)?;
    fs::copy(&program, bin.join(&name))?;
    for (shell, place) in SHELLS {
        let script = Command::new(&program).args(["completions", shell]).output()?;
        if !script.status.success() {
            return Err(format!("no completions for {shell}").into());
        }
        let path = share.join(place);
        fs::create_dir_all(path.parent().unwrap_or(&share))?;
        fs::write(path, script.stdout)?;
    }
    let pages = share.join("man").join("man1");
    let written = Command::new(&program).args(["man", "--quiet", "--into"]).arg(&pages).status()?;
    if !written.success() {
        return Err("no manual pages".into());
    }
    let docs = share.join("doc").join("tinkite");
    fs::create_dir_all(&docs)?;
    for file in DOCS {
        fs::copy(root.join(file), docs.join(file))?;
    }
    fs::write(docs.join("NOTICES"), notices::text()?)?;
    Ok(dist)
}
