//! Links in the docs that lead nowhere.

use super::pictures::files;
use crate::{Done, root};
use std::collections::BTreeSet;
use std::fs;
use std::path::Path;

/// Every link to a file or heading that is not there.
pub(super) fn dead() -> Done<Vec<String>> {
    let mut found = Vec::new();
    for file in files()?.iter().filter(|f| f.extension().is_some_and(|e| e == "md")) {
        let text = fs::read_to_string(root().join(file))?;
        for (n, line) in text.lines().enumerate() {
            for target in targets(line) {
                if !leads(file, &text, target)? {
                    found.push(format!("{}:{}: {target}", file.display(), n + 1));
                }
            }
        }
    }
    Ok(found)
}

/// What stands in round brackets behind square ones.
fn targets(line: &str) -> impl Iterator<Item = &str> {
    line.split("](").skip(1).filter_map(|rest| rest.split(')').next())
}

fn leads(from: &Path, text: &str, target: &str) -> Done<bool> {
    if target.contains("://") || target.starts_with("mailto:") {
        return Ok(true);
    }
    let (path, heading) = target.split_once('#').unwrap_or((target, ""));
    let whole = root().join(from.parent().unwrap_or(Path::new(""))).join(path);
    if path.is_empty() {
        return Ok(headings(text).contains(heading));
    }
    if !whole.exists() {
        return Ok(false);
    }
    Ok(heading.is_empty() || headings(&fs::read_to_string(whole)?).contains(heading))
}

/// The names of headings, as links say them.
fn headings(text: &str) -> BTreeSet<String> {
    let name = |line: &str| {
        let words = line.trim_start_matches('#').trim().to_lowercase();
        let kept = words.chars().filter(|c| c.is_alphanumeric() || "- _".contains(*c));
        kept.map(|c| if c == ' ' { '-' } else { c }).collect()
    };
    text.lines().filter(|line| line.starts_with('#')).map(name).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn links_lead_to_files_and_headings_that_are_there() {
        let here = Path::new("README.md");
        assert_eq!(
            targets("see [a](b.md) and ![c](d.png#e)").collect::<Vec<_>>(),
            ["b.md", "d.png#e"]
        );
        assert!(headings("# Say what is done\n").contains("say-what-is-done"));
        for (target, there) in [
            ("docs/GLOSSARY.md#toolpaths", true),
            ("docs/GLOSSARY.md#nowhere", false),
            ("docs/NOWHERE.md", false),
            ("#one", true),
            ("#two", false),
        ] {
            assert_eq!(leads(here, "# One", target).unwrap(), there, "{target}");
        }
    }
}
