//! Books of recipes: finding them, reading them, and changing one so that nobody's line is lost.

use crate::config;
use crate::hint;
use crate::output::Output;
use crate::refusal::Refusal;
use crate::shipped;
use crate::source;
use etcetera::BaseStrategy;
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};
use tinkite_core::checksum::checksum;
use tinkite_core::job::recipe::{Book, EditError, Kept, Shelf, read_book};
use tinkite_core::problem::{Code, Location, Problem};

/// The ending of books.
const ENDING: &str = ".recipes.toml";

/// The book that recipes are kept in when nobody says another.
const FIRST: &str = "my.recipes.toml";

/// The user's own folder for books.
fn own_folder() -> Option<PathBuf> {
    let folder = etcetera::choose_base_strategy().ok()?.config_dir();
    Some(folder.join("tinkite").join("recipes"))
}

/// Every book that counts for a job in `folder`, in the order in which they are looked into: beside the job,
/// the one that `TINKITE_BOOK` or config.toml names, the user's own, and the one that ships. A book that
/// cannot be read is a book with a problem: the others serve.
pub fn shelf(folder: &Path) -> Result<Shelf, Refusal> {
    let mut paths: Vec<(PathBuf, Kept)> =
        in_folder(folder).into_iter().map(|path| (path, Kept::Beside)).collect();
    let own_books = own_folder().map_or_else(Vec::new, |own| in_folder(&own));
    let own = own_book()?.into_iter().chain(own_books);
    paths.extend(own.filter(|path| path.exists()).map(|path| (path, Kept::Own)));
    let mut books: Vec<Book> = Vec::new();
    let mut seen: Vec<PathBuf> = Vec::new();
    for (path, kept) in paths {
        let name = path.display().to_string();
        // One that lies beside the job may be named as well, by another way to it.
        let one = std::fs::canonicalize(&path).unwrap_or_else(|_| path.clone());
        if seen.contains(&one) {
            continue;
        }
        seen.push(one);
        let book = match source::text(&path) {
            Ok(text) => read_book(&name, &text, kept),
            Err(refusal) => unread(&name, kept, &refusal),
        };
        ::log::info!("book {name}: {} recipes", book.recipes.len());
        books.push(book);
    }
    books.push(read_book("values to start from", shipped::BOOK, Kept::Shipped));
    Ok(Shelf { books })
}

/// A book that nothing can be read of.
fn unread(name: &str, kept: Kept, refusal: &Refusal) -> Book {
    let help = "nothing of this book is used until it can be read";
    let problem = Problem::warning(Code::BrokenBook, refusal.why(), help).at(Location::file(name));
    let (text, recipes) = (String::new(), Vec::new());
    Book { name: name.into(), kept, text, recipes, problems: problem.into() }
}

fn in_folder(folder: &Path) -> Vec<PathBuf> {
    let books = |path: &PathBuf| {
        path.file_name().and_then(|name| name.to_str()).is_some_and(|name| name.ends_with(ENDING))
    };
    source::list(folder).into_iter().filter(books).collect()
}

/// The book that `TINKITE_BOOK` or config.toml names.
fn own_book() -> Result<Option<PathBuf>, Refusal> {
    if let Some(path) = std::env::var_os("TINKITE_BOOK").filter(|path| !path.is_empty()) {
        return Ok(Some(path.into()));
    }
    Ok(config::read()?.book)
}

/// The book that something is written into: the one that the call says, or that TINKITE_BOOK or config.toml
/// names, or the user's own.
pub fn target(said_now: Option<&Path>) -> Result<PathBuf, Refusal> {
    if let Some(path) = said_now {
        let named = path.file_name().and_then(|name| name.to_str());
        if !named.is_some_and(|name| name.ends_with(ENDING)) {
            return Err(Refusal::Usage(format!(
                "{} would not be found again: books are called NAME{ENDING}",
                path.display()
            )));
        }
        return Ok(path.to_path_buf());
    }
    if let Some(path) = own_book()? {
        return Ok(path);
    }
    let own = own_folder().ok_or_else(|| {
        Refusal::Usage("there is no home folder for a book; say --book FILE".into())
    })?;
    Ok(own.join(FIRST))
}

/// Changes a book's text. Whoever else wants to change a book waits meanwhile, and the new text takes the
/// place of the old one at once: two writers lose nothing.
pub fn change(
    path: &Path,
    change: impl FnOnce(&str) -> Result<String, EditError>,
) -> Result<(), Refusal> {
    let shown = path.display().to_string();
    let failed = |error: std::io::Error| Refusal::output(&shown, error);
    if let Some(folder) = path.parent().filter(|folder| !folder.as_os_str().is_empty()) {
        std::fs::create_dir_all(folder).map_err(failed)?;
    }
    // A link to a book stays a link.
    let path = if path.exists() { path.canonicalize().map_err(failed)? } else { path.into() };
    let _writing = lock(&path).map_err(failed)?;
    let old = if path.exists() { source::text(&path)? } else { String::new() };
    let new = change(&old)
        .map_err(|error| Refusal::Usage(format!("{shown}: {error}{}", hint::edit(&error))))?;
    // What is written is read first: a book that nobody could read is worse than none.
    let broken = |text: &str| read_book(&shown, text, Kept::Own).problems.len();
    if broken(&new) > broken(&old) {
        let problems = read_book(&shown, &new, Kept::Own).problems;
        let why: Vec<String> = problems.iter().map(|problem| problem.message.clone()).collect();
        return Err(Refusal::Usage(format!(
            "nothing was written into {shown}: {}",
            why.join("; ")
        )));
    }
    Output::over(&path)?.write_lasting(|out| out.write_all(new.as_bytes()))?;
    Ok(())
}

/// Holds the right to change a book until it is dropped. The lock is a file of the system's folder for such, so
/// that none is left beside the job.
fn lock(path: &Path) -> std::io::Result<File> {
    let whole = std::path::absolute(path)?;
    let sum = checksum(whole.to_string_lossy().as_bytes());
    let name = format!("tinkite-{}.lock", &sum[..16]);
    let file = File::options()
        .create(true)
        .truncate(false)
        .write(true)
        .open(std::env::temp_dir().join(name))?;
    file.lock()?;
    Ok(file)
}
