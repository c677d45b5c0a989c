//! The files of a crate as modules, and what each of them names.

use crate::Done;
use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

/// One file of a crate.
pub(super) struct Module {
    /// Its place among the modules, from the crate's root.
    pub(super) path: Vec<String>,
    pub(super) file: PathBuf,
    /// Its text without comments, without what stands in quotes, and without its tests.
    pub(super) code: String,
}

/// All files below a folder `src`.
pub(super) fn of(source: &Path) -> Done<Vec<Module>> {
    let mut modules = Vec::new();
    let mut open = vec![source.to_path_buf()];
    while let Some(folder) = open.pop() {
        for entry in fs::read_dir(&folder)? {
            let file = entry?.path();
            if file.is_dir() {
                open.push(file);
            } else if file.extension().is_some_and(|e| e == "rs") {
                let inner = file.strip_prefix(source)?.with_extension("");
                let mut path: Vec<String> =
                    inner.iter().map(|part| part.to_string_lossy().into_owned()).collect();
                if path.last().is_some_and(|l| matches!(l.as_str(), "mod" | "lib" | "main")) {
                    path.pop();
                }
                let code = bare(&without_tests(&fs::read_to_string(&file)?)).0;
                modules.push(Module { path, file, code });
            }
        }
    }
    modules.sort_by(|a, b| a.file.cmp(&b.file));
    Ok(modules)
}

/// A text up to the tests at its end.
pub(super) fn without_tests(text: &str) -> String {
    text.split("#[cfg(test)]\nmod ").next().unwrap_or(text).to_string()
}

/// A text of Rust without comments and literals, each replaced by blanks, and the literals with their lines.
pub(super) fn bare(text: &str) -> (String, Vec<(usize, String)>) {
    let (mut code, mut literals) = (String::with_capacity(text.len()), Vec::new());
    let bytes: Vec<char> = text.chars().collect();
    let (mut at, mut line) = (0, 1);
    while at < bytes.len() {
        let rest = &bytes[at..];
        let end = match rest {
            ['/', '/', ..] => at + rest.iter().position(|c| *c == '\n').unwrap_or(rest.len()),
            ['/', '*', ..] => at + 2 + ends(&rest[2..], &['*', '/']),
            ['r', '"', ..] if !in_word(&bytes, at) => at + 2 + ends(&rest[2..], &['"']),
            ['r', '#', '"', ..] if !in_word(&bytes, at) => at + 3 + ends(&rest[3..], &['"', '#']),
            ['r', '#', '#', '"', ..] => at + 4 + ends(&rest[4..], &['"', '#', '#']),
            ['"', ..] => at + length_of_quote(rest),
            ['\'', '\\', ..] => at + 3 + ends(&rest[3..], &['\'']),
            ['\'', _, '\'', ..] => at + 3,
            _ => {
                line += usize::from(bytes[at] == '\n');
                code.push(bytes[at]);
                at += 1;
                continue;
            }
        };
        let piece: String = bytes[at..end.min(bytes.len())].iter().collect();
        if !piece.starts_with('/') && !piece.starts_with('\'') {
            literals.push((line, piece.clone()));
        }
        let lines = piece.matches('\n').count();
        line += lines;
        code.push(' ');
        code.extend(std::iter::repeat_n('\n', lines));
        at = end.max(at + 1);
    }
    (code, literals)
}

/// How far it is to the end of `mark`; to the end of the text where there is none.
fn ends(rest: &[char], mark: &[char]) -> usize {
    rest.windows(mark.len()).position(|w| w == mark).map_or(rest.len(), |n| n + mark.len())
}

/// How long a literal in quotes is.
fn length_of_quote(rest: &[char]) -> usize {
    let mut at = 1;
    while at < rest.len() && rest[at] != '"' {
        at += if rest[at] == '\\' { 2 } else { 1 };
    }
    (at + 1).min(rest.len())
}

fn in_word(bytes: &[char], at: usize) -> bool {
    at > 0 && (bytes[at - 1].is_alphanumeric() || bytes[at - 1] == '_')
}

/// Every path that a module names, from the crate's root; lists in braces are taken apart.
pub(super) fn names(module: &Module) -> Vec<Vec<String>> {
    let words = words(&module.code);
    let mut found = Vec::new();
    let mut n = 0;
    while n < words.len() {
        let handed_on =
            n > 1 && words[n - 1] == "use" && (words[n - 2] == "pub" || words[n - 2] == ")");
        let base = match words[n].as_str() {
            "crate" => Some(Vec::new()),
            "super" => Some(
                module.path.iter().take(module.path.len().saturating_sub(1)).cloned().collect(),
            ),
            "self" => Some(module.path.clone()),
            word if is_child(word) && (n == 0 || words[n - 1] != "::" && words[n - 1] != ".") => {
                // A bare name may be a module below this one.
                let mut path = module.path.clone();
                path.push(word.to_string());
                Some(path)
            }
            _ => None,
        };
        match base {
            Some(base) if words.get(n + 1).is_some_and(|w| w == "::") => {
                let mut all = Vec::new();
                let end = tree(&words, n + 2, base, &mut all);
                // What is only handed on is no need of one's own.
                if !handed_on {
                    found.extend(all);
                }
                n = end.max(n + 1);
            }
            _ => n += 1,
        }
    }
    found
}

fn is_child(word: &str) -> bool {
    word.chars().next().is_some_and(|c| c.is_ascii_lowercase())
}

/// Follows a path from word `n` on; where it ends.
fn tree(
    words: &[String],
    mut n: usize,
    mut path: Vec<String>,
    out: &mut Vec<Vec<String>>,
) -> usize {
    loop {
        match words.get(n).map(String::as_str) {
            Some("{") => {
                n += 1;
                while words.get(n).is_some_and(|w| w != "}") {
                    n = if words[n] == "," {
                        n + 1
                    } else {
                        tree(words, n, path.clone(), out).max(n + 1)
                    };
                }
                return n + 1;
            }
            Some("super") => {
                path.pop();
                n += 1;
            }
            Some(word) if word == "*" || word.chars().all(|c| c.is_alphanumeric() || c == '_') => {
                if word != "self" {
                    path.push(word.to_string());
                }
                n += 1;
            }
            _ => {
                out.push(path);
                return n;
            }
        }
        if words.get(n).is_some_and(|w| w == "::") {
            n += 1;
        } else {
            out.push(path);
            return n;
        }
    }
}

/// Words and signs of a text.
fn words(code: &str) -> Vec<String> {
    let mut out = Vec::new();
    let mut word = String::new();
    let mut signs = code.chars().peekable();
    while let Some(c) = signs.next() {
        if c.is_alphanumeric() || c == '_' {
            word.push(c);
            continue;
        }
        if !word.is_empty() {
            out.push(std::mem::take(&mut word));
        }
        if c == ':' && signs.peek() == Some(&':') {
            signs.next();
            out.push("::".into());
        } else if !c.is_whitespace() {
            out.push(c.to_string());
        }
    }
    out.push(word);
    out
}

/// For each module the others of its crate that it names, by their numbers.
pub(super) fn arrows(modules: &[Module]) -> Vec<Vec<usize>> {
    let by_path: BTreeMap<&[String], usize> =
        modules.iter().enumerate().map(|(n, m)| (m.path.as_slice(), n)).collect();
    let to = |n: usize, module: &Module| {
        let mut out: Vec<usize> = names(module)
            .iter()
            .filter_map(|path| {
                let longest = (1..=path.len()).rev().find_map(|k| by_path.get(&path[..k]).copied());
                longest.filter(|other| *other != n)
            })
            .collect();
        out.sort_unstable();
        out.dedup();
        out
    };
    modules.iter().enumerate().map(|(n, module)| to(n, module)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn module(path: &[&str], code: &str) -> Module {
        let path: Vec<String> = path.iter().map(|p| (*p).to_string()).collect();
        Module { file: path.join("/").into(), path, code: bare(code).0 }
    }

    #[test]
    fn comments_and_literals_are_no_code_and_literals_keep_their_lines() {
        let (code, literals) =
            bare("a // \"x\"\n/* b */ c(\"d\\\"e\", 'f', r#\"g\"h\"#)\n'life: &'a str");
        assert_eq!(
            code.split_whitespace().collect::<Vec<_>>(),
            ["a", "c(", ",", ",", ")", "'life:", "&'a", "str"]
        );
        assert_eq!(literals, [(2, "\"d\\\"e\"".to_string()), (2, "r#\"g\"h\"#".to_string())]);
    }

    #[test]
    fn paths_are_followed_from_the_crate_from_outside_and_from_inside() {
        let one = module(
            &["a", "b"],
            "use crate::c::{self, d::{E, f}}; use super::g::H; pub use super::i::J; fn k() { l::m(); x.n::<u8>() }",
        );
        let paths: Vec<String> = names(&one).iter().map(|path| path.join("/")).collect();
        assert_eq!(paths, ["c", "c/d/E", "c/d/f", "a/g/H", "a/b/l/m"]);
    }

    #[test]
    fn arrows_lead_to_the_nearest_file() {
        let all = [
            module(&["a"], "use crate::b::c::D;"),
            module(&["b"], ""),
            module(&["b", "c"], "use crate::a::A;"),
        ];
        assert_eq!(arrows(&all), [vec![2], vec![], vec![0]]);
    }
}
