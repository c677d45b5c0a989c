//! What a shell is told that can come next: names that only files know.

use clap_complete::engine::CompletionCandidate;
use std::path::{Path, PathBuf};
use tinkite_core::job::Request;
use tinkite_files::books;
use tinkite_files::log;
use tinkite_files::machines;
use tinkite_log::Log;

/// How many of the last runs are offered.
const RUNS: u32 = 30;

/// The file among the words of the line that ends so; the shell hands all of them over.
fn file_before_cursor(ending: &str) -> Option<PathBuf> {
    let words = std::env::args().skip_while(|word| word != "--");
    words.filter(|word| word.ends_with(ending)).map(PathBuf::from).find(|path| path.is_file())
}

fn folder() -> PathBuf {
    file_before_cursor(".toml")
        .and_then(|path| path.parent().map(Path::to_path_buf))
        .unwrap_or_default()
}

/// The steps of the job on the line.
pub(crate) fn steps() -> Vec<CompletionCandidate> {
    let Some(text) =
        file_before_cursor(".toml").and_then(|path| std::fs::read_to_string(path).ok())
    else {
        return Vec::new();
    };
    Request::of(&text).steps.into_iter().map(CompletionCandidate::new).collect()
}

/// Machines that can be named.
pub(crate) fn machines() -> Vec<CompletionCandidate> {
    let told = |found: machines::FoundProfile| {
        let words = found.from.words();
        CompletionCandidate::new(found.name).help(Some(words.into()))
    };
    machines::all(&folder()).into_iter().map(told).collect()
}

/// Recipes of the books that are to be had.
pub(crate) fn recipes() -> Vec<CompletionCandidate> {
    let Ok(shelf) = books::shelf(&folder()) else { return Vec::new() };
    let recipes = shelf.books.iter().flat_map(|book| &book.recipes);
    let mut named: Vec<(String, String)> =
        recipes.map(|one| (one.word().to_string(), one.to_string())).collect();
    named.sort();
    named.dedup_by(|a, b| a.0 == b.0);
    named
        .into_iter()
        .map(|(name, title)| CompletionCandidate::new(name).help(Some(title.into())))
        .collect()
}

/// The last runs.
pub(crate) fn runs() -> Vec<CompletionCandidate> {
    let entries = log::path(None).and_then(|path| Ok(Log::look_into(&path)?.entries(RUNS)?));
    let told = |entry: tinkite_log::RunEntry| {
        let how = entry.how.as_deref().unwrap_or("broke off, or running");
        let words = format!("{}, {how}", entry.began.job);
        CompletionCandidate::new(entry.id.to_string()).help(Some(words.into()))
    };
    entries.unwrap_or_default().into_iter().map(told).collect()
}
