//! What crates stand on, and on what terms.

use crate::Done;
use crate::packages::{Package, Packages};
use std::collections::{BTreeMap, BTreeSet};

/// The list of what each of our crates may stand on, a crate a line.
const LIST: &str = include_str!("crates.txt");

/// Licences that go together with MIT OR Apache-2.0 in one program.
const ACCEPTED: [&str; 12] = [
    "MIT",
    "MIT-0",
    "Apache-2.0",
    "Apache-2.0 WITH LLVM-exception",
    "BSD-2-Clause",
    "BSD-3-Clause",
    "ISC",
    "Zlib",
    "Unicode-3.0",
    "MPL-2.0",
    "Unlicense",
    "0BSD",
];

/// Packages whose terms stand in their files alone.
const READ: [(&str, &str); 0] = [];

/// Crates whose own list does not allow what they stand on, and such as are on no list.
pub(super) fn find_unlisted(packages: &Packages) -> Done<Vec<String>> {
    let allowed: BTreeMap<&str, BTreeSet<&str>> = LIST
        .lines()
        .filter(|line| !line.starts_with('#') && !line.trim().is_empty())
        .filter_map(|line| line.split_once(':'))
        .map(|(name, on)| (name.trim(), on.split_whitespace().collect()))
        .collect();
    let mut found = Vec::new();
    for package in packages.own() {
        let Some(allowed) = allowed.get(package.name.as_str()) else {
            found.push(format!("{} is not in crates.txt", package.name));
            continue;
        };
        let on: BTreeSet<&str> = package.on.iter().map(String::as_str).collect();
        found.extend(on.difference(allowed).map(|on| format!("{} stands on {on}", package.name)));
        found.extend(
            allowed.difference(&on).map(|on| format!("{} no longer stands on {on}", package.name)),
        );
    }
    Ok(found)
}

/// Where our `rust-version` is not the newest that the tree of the program asks for.
pub(super) fn compiler(packages: &Packages) -> Vec<String> {
    let version = |text: &str| -> Vec<u32> {
        text.split('.').filter_map(|n| n.parse().ok()).take(2).collect()
    };
    let tree = packages.tree("tinkite");
    let asks = |p: &&&Package| p.rust.as_deref().map(version).unwrap_or_default();
    let newest = tree.iter().filter(|p| !p.own).max_by_key(asks);
    let ours = tree.iter().find(|p| p.name == "tinkite").and_then(|p| p.rust.clone());
    match (newest.and_then(|p| Some((&p.name, p.rust.clone()?))), ours) {
        (Some((name, asked)), Some(ours)) if version(&asked) != version(&ours) => {
            vec![format!("{name} asks for {asked}, Cargo.toml says {ours}")]
        }
        _ => Vec::new(),
    }
}

/// Packages of the program whose licence is none of the accepted ones.
pub(super) fn licences(packages: &Packages) -> Vec<String> {
    let tree = packages.tree("tinkite");
    let fine = |p: &&&Package| match &p.licence {
        Some(licence) => accepts(licence),
        None => READ.iter().any(|(name, _)| *name == p.name),
    };
    let told = |p: &&Package| {
        format!("{} {}: {}", p.name, p.version, p.licence.as_deref().unwrap_or("no licence said"))
    };
    tree.iter().filter(|p| !p.own && !fine(p)).map(told).collect()
}

/// Whether an SPDX expression can be met: one side of each OR, both of each AND.
fn accepts(expression: &str) -> bool {
    let words = expression.replace('(', " ( ").replace(')', " ) ").replace('/', " OR ");
    let words: Vec<&str> = words.split_whitespace().collect();
    let mut at = 0;
    any(&words, &mut at)
}

fn any(words: &[&str], at: &mut usize) -> bool {
    let mut met = all(words, at);
    while words.get(*at) == Some(&"OR") {
        *at += 1;
        met |= all(words, at);
    }
    met
}

fn all(words: &[&str], at: &mut usize) -> bool {
    let mut met = one(words, at);
    while words.get(*at) == Some(&"AND") {
        *at += 1;
        met &= one(words, at);
    }
    met
}

fn one(words: &[&str], at: &mut usize) -> bool {
    if words.get(*at) == Some(&"(") {
        *at += 1;
        let met = any(words, at);
        *at += 1;
        return met;
    }
    let mut licence = words.get(*at).copied().unwrap_or_default().to_string();
    *at += 1;
    if words.get(*at) == Some(&"WITH") {
        licence = format!("{licence} WITH {}", words.get(*at + 1).copied().unwrap_or_default());
        *at += 2;
    }
    ACCEPTED.contains(&licence.as_str())
}

#[cfg(test)]
mod tests {
    use super::accepts;

    #[test]
    fn expressions_are_met_by_one_side_of_or_and_both_of_and() {
        assert!(
            accepts("MIT OR Apache-2.0") && accepts("GPL-3.0 OR MIT") && accepts("MIT/GPL-2.0")
        );
        assert!(
            accepts("(MIT OR GPL-3.0) AND Unicode-3.0")
                && accepts("MIT AND Apache-2.0 WITH LLVM-exception")
        );
        assert!(
            !accepts("GPL-3.0")
                && !accepts("MIT AND GPL-3.0")
                && !accepts("")
                && !accepts("AGPL-3.0 OR (GPL-2.0 AND MIT)")
        );
    }
}
