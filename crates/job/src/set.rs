//! Values of a job that are set for one call, as if its file said them.

use std::ops::Range;
use tinkite_base::problem::{Code, Location, Problem, Problems, nearest};
use toml_edit::{Document, DocumentMut, InlineTable, Item, Key, TableLike, Value};

/// Values that are set for one call, in the order in which they were said.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Sets {
    /// What problems call the place where they were said.
    source: String,
    each: Vec<Said>,
    text: String,
}

/// One of them.
#[derive(Debug, Clone, PartialEq)]
struct Said {
    path: Vec<String>,
    /// As TOML.
    value: String,
    /// Where it stands in the text of all of them.
    at: Range<usize>,
}

/// A job's text with what was set.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Changed {
    source: String,
    /// The text.
    pub text: String,
    /// Where in it each stands, and where it was said.
    moved: Vec<(Range<usize>, Range<usize>)>,
}

impl Sets {
    /// Reads options like `steps.outline.power="55 %"` that were said in `source`: a dotted path and a value as in the file; text may do
    /// without quotes.
    ///
    /// # Errors
    /// What is no path and value, and a path that is said twice.
    pub fn read(source: &str, options: &[String]) -> Result<Self, Problem> {
        let mut sets = Self { source: source.into(), ..Self::default() };
        for option in options {
            let begin = sets.text.len();
            sets.text.push_str(option);
            let at = begin..sets.text.len();
            sets.text.push('\n');
            let wrong = |message: String, help: &str| {
                Problem::error(Code::UnknownKey, message, help).at(Location::file(source))
            };
            let help = "write the key's path and its value: steps.outline.power=\"55 %\"";
            let (path, value) = split(option)
                .ok_or_else(|| wrong(format!("\"{option}\" is no key with a value"), help))?;
            let value = value_of(value)
                .ok_or_else(|| wrong(format!("the value of \"{option}\" cannot be read"), help))?;
            if sets.each.iter().any(|said| said.path == path) {
                let message = format!("{} is set twice", path.join("."));
                return Err(wrong(message, "say it once"));
            }
            sets.each.push(Said { path, value: value.to_string().trim().to_string(), at });
        }
        Ok(sets)
    }

    /// What was said, an option a line.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Each as a line of TOML.
    #[must_use]
    pub fn lines(&self) -> Vec<String> {
        let line = |said: &Said| format!("{} = {}", said.path.join("."), said.value);
        self.each.iter().map(line).collect()
    }

    /// The text of a job that says all of it. Comments and order stay.
    ///
    /// # Errors
    /// A path that leads to nothing: a step that is not there, a key of what is no table.
    pub fn laid_over(&self, job: &str) -> Result<Changed, Problem> {
        // What is no TOML is told by whoever reads it.
        let Ok(mut document) = job.parse::<DocumentMut>() else {
            return Ok(Changed { text: job.into(), ..Changed::default() });
        };
        for said in &self.each {
            put(document.as_table_mut(), said).map_err(|problem| {
                let at = Location { span: Some(said.at.clone()), ..Location::file(&self.source) };
                problem.at(at)
            })?;
        }
        let text = document.to_string();
        let mut moved = Vec::new();
        if let Ok(read) = Document::parse(text.as_str()) {
            let found = |said: &Said| Some((place(read.as_table(), &said.path)?, said.at.clone()));
            moved.extend(self.each.iter().filter_map(found));
        }
        Ok(Changed { source: self.source.clone(), text, moved })
    }
}

impl Changed {
    /// The same problems; those of what was set are told where it was said.
    #[must_use]
    pub fn placed(&self, problems: Problems, file: &str) -> Problems {
        let mut out = Problems::new();
        for mut problem in problems {
            if let Some(place) = &mut problem.place
                && let (true, Some(span)) = (place.file == file, &place.span)
                && let Some((_, said)) =
                    self.moved.iter().find(|(at, _)| at.start <= span.start && span.end <= at.end)
            {
                **place = Location { span: Some(said.clone()), ..Location::file(&self.source) };
            }
            out.push(problem);
        }
        out
    }
}

/// What was set earlier with what is set now: where both set the same key, now counts.
#[must_use]
pub fn over(earlier: &[String], now: &[String]) -> Vec<String> {
    let path = |option: &String| split(option).map(|(path, _)| path);
    let kept = earlier.iter().filter(|old| !now.iter().any(|new| path(new) == path(old)));
    kept.chain(now).cloned().collect()
}

/// The keys that an option leads by.
#[must_use]
pub fn path_of(option: &str) -> Option<Vec<String>> {
    split(option).map(|(path, _)| path)
}

/// The path and the value of an option. A quoted name may hold the sign between them.
fn split(option: &str) -> Option<(Vec<String>, &str)> {
    option.match_indices('=').find_map(|(at, _)| {
        let keys = Key::parse(option[..at].trim()).ok()?;
        Some((keys.iter().map(|key| key.get().to_string()).collect(), option[at + 1..].trim()))
    })
}

/// A value as in the file; what is none and has no signs of one is text.
fn value_of(text: &str) -> Option<Value> {
    if let Ok(value) = text.parse::<Value>() {
        return Some(value);
    }
    let bare = !text.is_empty() && !text.contains(['"', '\'', '[', ']', '{', '}', '\n', '#']);
    bare.then(|| Value::from(text))
}

/// Lists of the file, and what they are called where one of them is meant.
const LISTS: [(&str, &str); 3] = [("step", "steps"), ("artwork", "artworks"), ("shape", "shapes")];

/// The key in the file.
fn key_of<'k>(key: &'k str, top: &dyn TableLike) -> &'k str {
    let list = LISTS.iter().find(|(_, plural)| *plural == key && !top.contains_key(key));
    list.map_or(key, |(own, _)| own)
}

/// What one of a list is called: its name, or its file; else its number.
fn names_of(table: &dyn TableLike, n: usize) -> Vec<String> {
    let text = |key: &str| Some(table.get(key)?.as_str()?.to_string());
    let name = text("name").unwrap_or_else(|| format!("{}", n + 1));
    std::iter::once(name).chain(text("file")).chain(text("id")).collect()
}

fn put(top: &mut dyn TableLike, said: &Said) -> Result<(), Problem> {
    let Some((first, rest)) = said.path.split_first() else { return Ok(()) };
    let first = key_of(first, top);
    let mut walked = first.to_string();
    if rest.is_empty() {
        return insert(top, first, &said.value);
    }
    if !top.contains_key(first) {
        if LISTS.iter().any(|(own, _)| *own == first) {
            return Err(nothing(format!("the job has no [[{first}]]"), "take it out"));
        }
        top.insert(first, Item::Value(Value::InlineTable(InlineTable::new())));
    }
    let mut item = top.get_mut(first);
    let mut rest = rest;
    loop {
        let Some(here) = item else { return Err(no_table(&walked)) };
        let (key, behind) = rest.split_first().ok_or_else(|| no_table(&walked))?;
        if here.is_array_of_tables() || here.as_array().is_some() {
            item = Some(one_of(here, key, &walked)?);
            if behind.is_empty() {
                return Err(nothing(
                    format!("{walked}.{key} is no single value"),
                    "say which key of it: steps.outline.power",
                ));
            }
        } else {
            let Some(table) = here.as_table_like_mut() else { return Err(no_table(&walked)) };
            if behind.is_empty() {
                return insert(table, key, &said.value);
            }
            if !table.contains_key(key) {
                table.insert(key, Item::Value(Value::InlineTable(InlineTable::new())));
            }
            item = table.get_mut(key);
        }
        walked = format!("{walked}.{key}");
        rest = behind;
    }
}

/// Which of a list are called so: by name or file, else by number, from 1.
fn called(names: &[Vec<String>], key: &str) -> Vec<usize> {
    let own = |n: &usize| names[*n].iter().any(|name| name == key);
    let named: Vec<usize> = (0..names.len()).filter(own).collect();
    let number = key.parse::<usize>().ok().filter(|n| (1..=names.len()).contains(n));
    match (named.is_empty(), number) {
        (true, Some(number)) => vec![number - 1],
        _ => named,
    }
}

/// The table of a list that is called so.
fn one_of<'i>(list: &'i mut Item, key: &str, walked: &str) -> Result<&'i mut Item, Problem> {
    let names: Vec<Vec<String>> = match &*list {
        Item::ArrayOfTables(tables) => {
            tables.iter().enumerate().map(|(n, table)| names_of(table, n)).collect()
        }
        other => {
            let tables = other.as_array().into_iter().flatten().enumerate();
            tables.map(|(n, v)| v.as_inline_table().map_or(vec![], |t| names_of(t, n))).collect()
        }
    };
    let fitting = called(&names, key);
    match fitting[..] {
        [n] => list.get_mut(n).ok_or_else(|| no_table(walked)),
        [] => {
            let known = || names.iter().flatten().map(String::as_str);
            let help = match nearest(key, known()) {
                Some(near) => format!("did you mean \"{near}\"?"),
                // As they are written in a path: in quotes where they must be.
                None => {
                    let keys = known().map(|name| Key::new(name).to_string());
                    format!("there are: {}", keys.collect::<Vec<_>>().join(", "))
                }
            };
            Err(nothing(format!("no {walked} is called \"{key}\""), &help))
        }
        _ => Err(nothing(
            format!("{} of {walked} are called \"{key}\"", fitting.len()),
            "give them names of their own",
        )),
    }
}

/// Puts a value where one stood, or behind the others.
fn insert(table: &mut dyn TableLike, key: &str, value: &str) -> Result<(), Problem> {
    let cannot = || nothing(format!("{value} cannot be written"), "write it as in the file");
    let mut value: Value = value.parse().map_err(|_| cannot())?;
    match table.get(key) {
        Some(Item::Value(old)) => *value.decor_mut() = old.decor().clone(),
        Some(Item::Table(_) | Item::ArrayOfTables(_)) => {
            return Err(nothing(
                format!("{key} is a table in the job"),
                "set one of its keys: place.zero=stock",
            ));
        }
        _ => {}
    }
    table.insert(key, Item::Value(value));
    Ok(())
}

/// Where a path's key and value stand in a text that was read.
fn place(top: &dyn TableLike, path: &[String]) -> Option<Range<usize>> {
    let (last, way) = path.split_last()?;
    let mut table = top;
    let mut list: Option<&Item> = None;
    for (n, key) in way.iter().enumerate() {
        let key = if n == 0 { key_of(key, top) } else { key };
        let item = match list.take() {
            Some(Item::ArrayOfTables(tables)) => {
                let names: Vec<_> =
                    tables.iter().enumerate().map(|(n, t)| names_of(t, n)).collect();
                table = tables.get(*called(&names, key).first()?)?;
                continue;
            }
            Some(other) => {
                let tables: Vec<_> =
                    other.as_array()?.iter().filter_map(Value::as_inline_table).collect();
                let names: Vec<_> =
                    tables.iter().enumerate().map(|(n, t)| names_of(*t, n)).collect();
                table = *tables.get(*called(&names, key).first()?)?;
                continue;
            }
            None => table.get(key)?,
        };
        match item {
            Item::ArrayOfTables(_) => list = Some(item),
            _ if item.as_array().is_some() => list = Some(item),
            _ => table = item.as_table_like()?,
        }
    }
    let last = if way.is_empty() { key_of(last, top) } else { last };
    let (key, item) = table.get_key_value(last)?;
    Some(key.span()?.start..item.span()?.end)
}

fn nothing(message: String, help: &str) -> Problem {
    Problem::error(Code::UnknownKey, message, help)
}

fn no_table(walked: &str) -> Problem {
    nothing(format!("{walked} has no keys of its own"), "set it as a whole")
}

#[cfg(test)]
mod tests {
    use super::*;

    const JOB: &str = "name = \"panel\"  # of the kite\n[[step]]\nname = \"outline\"\npower = \"40 %\"   # on scrap\nlines = { spacing = \"0.1 mm\" }\n\n[[step]]\nspeed = \"9 mm/s\"\n";

    fn changed(options: &[&str]) -> Result<String, String> {
        let options: Vec<String> = options.iter().map(|o| (*o).to_string()).collect();
        let sets = Sets::read("said", &options).map_err(|p| p.message)?;
        sets.laid_over(JOB)
            .map(|changed| changed.text)
            .map_err(|p| format!("{}; {}", p.message, p.help))
    }

    #[test]
    fn a_value_is_set_where_it_stands_and_comments_stay() {
        let text = changed(&["steps.outline.power=55 %"]).unwrap();
        assert_eq!(text, JOB.replace("40 %", "55 %"));
        let text = changed(&["step.outline.lines.spacing = \"0.2 mm\"", "steps.2.speed='8 mm/s'"]);
        assert_eq!(
            text.unwrap(),
            JOB.replace("0.1 mm", "0.2 mm").replace("\"9 mm/s\"", "'8 mm/s'")
        );
    }

    #[test]
    fn what_was_not_there_is_added() {
        let text = changed(&["stock.thickness=3 mm", "steps.outline.ramp.slow=true"]).unwrap();
        let read: DocumentMut = text.parse().unwrap();
        assert_eq!(read["stock"]["thickness"].as_str(), Some("3 mm"));
        assert_eq!(read["step"][0]["ramp"]["slow"].as_bool(), Some(true));
    }

    #[test]
    fn steps_have_numbers_beside_their_names() {
        let by_name = changed(&["steps.outline.power=\"30 %\""]).unwrap();
        let at = by_name.split("[[step]]").skip(1).position(|step| step.contains("30 %")).unwrap();
        let by_number = changed(&[&format!("steps.{}.power=\"30 %\"", at + 1)]).unwrap();
        assert_eq!(by_name, by_number);
        assert!(changed(&["steps.0.power=\"30 %\""]).is_err());
        assert!(changed(&["steps.99.power=\"30 %\""]).is_err());
    }

    #[test]
    fn what_leads_nowhere_is_told() {
        let wrong = |option: &str| changed(&[option]).unwrap_err();
        assert_eq!(wrong("power"), "\"power\" is no key with a value");
        assert_eq!(wrong("a=[1"), "the value of \"a=[1\" cannot be read");
        assert_eq!(
            wrong("steps.outlin.power=1"),
            "no step is called \"outlin\"; did you mean \"outline\"?"
        );
        assert!(wrong("steps.outline=1").starts_with("step.outline is no single value"));
        assert!(wrong("steps.outline.power.deep=1").starts_with("step.outline.power has no keys"));
        assert!(wrong("artworks.a.width=1").starts_with("the job has no [[artwork]]"));
        assert_eq!(changed(&["a=1", "a=2"]).unwrap_err(), "a is set twice");
    }

    #[test]
    fn problems_of_it_are_told_where_it_was_said() {
        let sets =
            Sets::read("said", &["name=x".into(), "steps.outline.power=high".into()]).unwrap();
        let changed = sets.laid_over(JOB).unwrap();
        let at = changed.text.find("\"high\"").unwrap();
        let told = |span: Range<usize>| {
            let place = Location { span: Some(span), ..Location::file("job") };
            let problem = Problem::error(Code::UnknownKey, "m", "h").at(place);
            let placed = changed.placed(Problems::from(problem), "job");
            placed.iter().next().unwrap().place.clone().unwrap()
        };
        let place = told(at..at + 6);
        assert_eq!((place.file.as_str(), place.span), ("said", Some(7..31)));
        assert_eq!(&sets.text()[7..31], "steps.outline.power=high");
        assert_eq!(told(0..4).span, Some(0..6));
        let other = changed.text.find("lines").unwrap();
        assert_eq!(told(other..other + 5).file, "job");
    }
}
