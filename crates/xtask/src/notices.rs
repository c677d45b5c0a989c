//! `cargo xtask notices`: what the packages in the program ask for, that their licences go along.

use crate::Done;
use crate::packages::{Package, Packages};
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::fs;

/// Words in the names of files that hold terms.
const TERMS: [&str; 6] = ["LICENSE", "LICENCE", "COPYING", "COPYRIGHT", "NOTICE", "UNLICENSE"];

/// The text that lies beside the program: every package with its licence, and each licence's own words once.
pub(super) fn text() -> Done<String> {
    let packages = Packages::read()?;
    let tree: Vec<&Package> = packages.tree("tinkite").into_iter().filter(|p| !p.own).collect();
    let mut text =
        String::from("Tin Kite stands on the work of others. Their packages, and their terms:\n\n");
    // What the same words say is said once.
    let mut words: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for package in &tree {
        let licence = package.licence.as_deref().unwrap_or("in its files");
        writeln!(text, "{} {}: {licence}", package.name, package.version)?;
        for (name, content) in licence_files(package)? {
            let who = format!("{} {} ({name})", package.name, package.version);
            words.entry(content).or_default().push(who);
        }
    }
    let mut words: Vec<(String, Vec<String>)> = words.into_iter().collect();
    words.sort_by(|a, b| a.1.cmp(&b.1));
    for (content, who) in words {
        write!(text, "\n\n{}\n{}\n\n{content}", "=".repeat(78), who.join("\n"))?;
    }
    Ok(text)
}

/// The files of a package that hold its terms, wherever they lie in it: fonts and tables have terms of their own.
fn licence_files(package: &Package) -> Done<Vec<(String, String)>> {
    let mut found = Vec::new();
    let mut open = vec![package.folder.clone()];
    while let Some(folder) = open.pop() {
        for file in fs::read_dir(&folder)? {
            let path = file?.path();
            let upper = path.file_name().unwrap_or_default().to_string_lossy().to_uppercase();
            let code = path.extension().is_some_and(|ending| ending == "rs");
            if path.is_dir() {
                open.push(path);
            } else if !code && TERMS.iter().any(|word| upper.contains(word)) {
                let content = String::from_utf8_lossy(&fs::read(&path)?).replace("\r\n", "\n");
                let name = path.strip_prefix(&package.folder)?.display().to_string();
                found.push((name, content.trim_end().to_string()));
            }
        }
    }
    found.sort();
    Ok(found)
}
