//! Texts of the computation that name commands or options: the command line says those.

use super::modules::{bare, without_tests};
use crate::packages::Packages;
use crate::{Done, root};
use std::fs;

/// Crates that know that there is a command line.
const SPEAKERS: [&str; 6] =
    ["tinkite", "tinkite-files", "tinkite-operate", "tinkite-report", "tinkite-bench", "xtask"];

/// Every literal that calls the program, or names an option.
pub(super) fn commands(packages: &Packages) -> Done<Vec<String>> {
    let mut found = Vec::new();
    for package in packages.own().filter(|p| !SPEAKERS.contains(&p.name.as_str())) {
        for module in super::modules::of(&package.folder.join("src"))? {
            let tests = module.file.file_stem().is_some_and(|s| s == "tests");
            let text = without_tests(&fs::read_to_string(&module.file)?);
            for (line, literal) in bare(&text).1 {
                if !tests && speaks(&literal) {
                    let file = module.file.strip_prefix(root()).unwrap_or(&module.file);
                    found.push(format!("{}:{line}: {literal}", file.display()));
                }
            }
        }
    }
    Ok(found)
}

/// Whether a literal says `tinkite look` or `--force`.
fn speaks(literal: &str) -> bool {
    let called = literal
        .match_indices("tinkite ")
        .any(|(n, word)| literal[n + word.len()..].starts_with(|c: char| c.is_ascii_lowercase()));
    let option = literal.match_indices("--").any(|(n, _)| {
        let before = literal[..n].chars().next_back();
        let after = literal[n + 2..].chars().next();
        before.is_none_or(|c| " (\"'".contains(c)) && after.is_some_and(|c| c.is_ascii_lowercase())
    });
    called || option
}

#[cfg(test)]
mod tests {
    use super::speaks;

    #[test]
    fn commands_and_options_are_heard_and_other_words_are_not() {
        assert!(
            speaks("\"tinkite look says it\"") && speaks("\"say --force\"") && speaks("\"--set\"")
        );
        assert!(!speaks("\"tinkite = 1\"") && !speaks("\"a -- b\"") && !speaks("\"<!--x-->\""));
    }
}
