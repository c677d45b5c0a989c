//! Changing a book's text: recipes are added, counted and dropped where they stand, so that comments and
//! order stay.

use thiserror::Error;
use toml_edit::{ArrayOfTables, DocumentMut, Item, Table, TomlError, Value};

/// Why a book cannot be changed.
#[derive(Debug, Error)]
pub enum EditError {
    /// It is no TOML.
    #[error("the book is no TOML: {0}; mend it first, nothing was written")]
    NoToml(#[from] TomlError),
    /// A setting is no TOML.
    #[error("{0} cannot be written: {1}")]
    BadValue(String, TomlError),
    /// What should be a list of tables is something else.
    #[error("recipe in the book is not [[recipe]]; mend it first, nothing was written")]
    NotRecipes,
    /// There is a recipe for the same already.
    #[error(
        "the book has a recipe for the same in line {0}; replace it, or give this one a name of its own"
    )]
    There(u32),
    /// There is no recipe of this number.
    #[error("the book has no recipe number {0}")]
    NoSuch(usize),
}

/// A recipe to be written.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct NewRecipe {
    /// Its own keys and values, as text: material, thickness, machine …
    pub about: Vec<(&'static str, String)>,
    /// What the step says: keys and values as TOML.
    pub settings: Vec<(String, String)>,
    /// What stands behind them, as text: where it comes from, a note.
    pub behind: Vec<(String, String)>,
    /// Whether it is a guess.
    pub guess: bool,
}

/// What makes two recipes ones for the same.
const SAME: [&str; 5] = ["material", "thickness", "machine", "lens", "name"];

/// The book's text with a recipe more, at its end; one for the same is replaced where that is asked for, and
/// keeps its place. An empty text becomes a book.
///
/// # Errors
/// A text that is no book, or a recipe that is there already.
pub fn keep(text: &str, recipe: &NewRecipe, replace: bool) -> Result<String, EditError> {
    let text = if text.trim().is_empty() { "tinkite = 1\n" } else { text };
    let mut document = text.parse::<DocumentMut>()?;
    let mut table = Table::new();
    for (key, value) in &recipe.about {
        table.insert(key, toml_edit::value(spell(value)));
    }
    for (key, value) in &recipe.settings {
        let value =
            value.parse::<Value>().map_err(|error| EditError::BadValue(key.clone(), error))?;
        table.insert(key, Item::Value(value));
    }
    for (key, value) in &recipe.behind {
        table.insert(key, toml_edit::value(value.as_str()));
    }
    if recipe.guess {
        table.insert("guess", toml_edit::value(true));
    }
    let recipes = recipes(&mut document)?;
    let said = |table: &Table, key: &str| {
        table.get(key).and_then(Item::as_str).map(|text| spell(&text.to_lowercase()))
    };
    let make = |table: &Table| said(table, "make");
    let same = |old: &Table| {
        SAME.iter().all(|key| said(old, key) == said(&table, key)) && make(old) == make(&table)
    };
    let there = recipes.iter().position(same);
    match there {
        Some(n) if replace => {
            if let Some(old) = recipes.get_mut(n) {
                *table.decor_mut() = old.decor().clone();
                *old = table;
            }
        }
        Some(n) => return Err(EditError::There(line_of(text, n))),
        None => {
            table.decor_mut().set_prefix("\n");
            recipes.push(table);
        }
    }
    Ok(document.to_string())
}

/// Words with one blank between them.
fn spell(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Which line the `n`th `[[recipe]]` stands in.
fn line_of(text: &str, n: usize) -> u32 {
    let lines = text.lines().enumerate();
    let heads = lines.filter(|(_, line)| line.trim_start().starts_with("[[recipe]]"));
    heads.map(|(line, _)| line as u32 + 1).nth(n).unwrap_or(1)
}

fn recipes(document: &mut DocumentMut) -> Result<&mut ArrayOfTables, EditError> {
    document
        .entry("recipe")
        .or_insert_with(|| Item::ArrayOfTables(ArrayOfTables::new()))
        .as_array_of_tables_mut()
        .ok_or(EditError::NotRecipes)
}

/// The book's text without its recipe number `n`, from 0.
///
/// # Errors
/// A text that is no book, or no such recipe.
pub fn remove(text: &str, n: usize) -> Result<String, EditError> {
    let mut document = text.parse::<DocumentMut>()?;
    let recipes = recipes(&mut document)?;
    if n >= recipes.len() {
        return Err(EditError::NoSuch(n + 1));
    }
    recipes.remove(n);
    Ok(document.to_string())
}

/// The book's text with one more run counted for its recipe number `n`, from 0.
///
/// # Errors
/// A text that is no book, or no such recipe.
pub fn count_use(text: &str, n: usize, good: bool) -> Result<String, EditError> {
    let mut document = text.parse::<DocumentMut>()?;
    let recipes = recipes(&mut document)?;
    let recipe = recipes.get_mut(n).ok_or(EditError::NoSuch(n + 1))?;
    let mut add = |key: &str, by: i64| {
        let old = recipe.get(key).and_then(Item::as_integer).unwrap_or(0);
        let mut value = Value::from(old + by);
        if let Some(old) = recipe.get(key).and_then(Item::as_value) {
            *value.decor_mut() = old.decor().clone();
        }
        recipe.insert(key, Item::Value(value));
    };
    add("tried", 1);
    add("good", i64::from(good));
    Ok(document.to_string())
}
