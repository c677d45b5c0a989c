//! Reading TOML with places: every value knows where it stands, every key is asked for once, and
//! what nobody asked for is refused with the nearest key that is known.

use crate::source::{self, Beam};
use std::cell::RefCell;
use std::ops::Range;
use tinkite_base::geometry::Point;
use tinkite_base::problem::{Code, Location, Problem, Problems, nearest};
use tinkite_base::quantity::{
    Length, Power, Quantity, QuantityError, Speed, parse, parse_power, parse_speed,
};
use toml::Spanned;
use toml::de::{DeTable, DeValue};

/// A text file that is being read, and the problems found in it so far.
#[derive(Debug)]
pub struct SourceText<'t> {
    pub(super) file: &'t str,
    /// What stands in it.
    pub text: &'t str,
    problems: RefCell<Problems>,
    /// What stands behind a place: said with every problem that is told there.
    behind: RefCell<Vec<(Range<usize>, String)>>,
}

impl<'t> SourceText<'t> {
    /// The text of the file called `file`; nothing of it is read yet.
    pub fn new(file: &'t str, text: &'t str) -> Self {
        Self { file, text, problems: RefCell::default(), behind: RefCell::default() }
    }

    /// Parses the text; a broken one gives an empty table and problems.
    pub fn parse(&self) -> Spanned<DeTable<'t>> {
        let (table, errors) = DeTable::parse_recoverable(self.text);
        for error in errors {
            let span = error.span().unwrap_or(0..0);
            let help =
                "see docs/JOB-FILE.md for how a job file is written; text stands in \"quotes\"";
            self.report(Problem::error(Code::Toml, first_line(error.message()), help), span);
        }
        table
    }

    /// Keeps a problem that lies at `span`, bytes of the text.
    pub fn report(&self, mut problem: Problem, span: Range<usize>) {
        let behind = self.behind.borrow();
        if let Some((_, what)) = behind.iter().find(|(place, _)| *place == span) {
            problem.message = format!("{} ({what})", problem.message);
        }
        let place = Location::span(self.file, self.text, span);
        self.problems.borrow_mut().push(problem.at(place));
    }

    /// From now on problems that are told at `span` say this as well.
    pub fn explain(&self, span: Range<usize>, what: String) {
        self.behind.borrow_mut().push((span, what));
    }

    /// Takes over a problem that knows its place.
    pub fn pass_on(&self, problem: Problem) {
        self.problems.borrow_mut().push(problem);
    }

    /// Every problem that was kept.
    pub fn into_problems(self) -> Problems {
        self.problems.into_inner()
    }
}

/// No bed is longer than this, mm.
pub const LONGEST: f64 = 10_000.0;

fn first_line(message: &str) -> String {
    message.lines().next().unwrap_or("not TOML").to_string()
}

/// A text as TOML says it, in double quotes.
#[must_use]
pub fn quote(text: &str) -> String {
    // TOML basic strings: these must be escaped (TOML 1.0, "String").
    let escaped: String = text
        .chars()
        .map(|c| match c {
            '"' => "\\\"".to_string(),
            '\\' => "\\\\".to_string(),
            c if c.is_control() => format!("\\u{:04X}", c as u32),
            c => c.to_string(),
        })
        .collect();
    format!("\"{escaped}\"")
}

/// One table of the file while its keys are being asked for.
pub struct Section<'s, 't> {
    /// The text that it stands in.
    pub sheet: &'s SourceText<'t>,
    /// How people name it: `step 2 ("outline")`, `[place]`.
    pub name: String,
    table: &'s DeTable<'t>,
    span: Range<usize>,
    asked: RefCell<Vec<&'static str>>,
}

impl<'s, 't> Section<'s, 't> {
    /// The table that stands at `span`; people call it `name`.
    pub fn new(
        sheet: &'s SourceText<'t>,
        name: impl Into<String>,
        table: &'s DeTable<'t>,
        span: Range<usize>,
    ) -> Self {
        Self { sheet, name: name.into(), table, span, asked: RefCell::default() }
    }

    /// The same section, telling its problems in `sheet`.
    pub fn in_text<'n>(self, sheet: &'n SourceText<'t>) -> Section<'n, 't>
    where
        's: 'n,
    {
        Section { sheet, name: self.name, table: self.table, span: self.span, asked: self.asked }
    }

    /// Its table.
    pub fn table(&self) -> &'s DeTable<'t> {
        self.table
    }

    /// The value of a key, which counts as known from now on.
    pub fn value(&self, key: &'static str) -> Option<&'s Spanned<DeValue<'t>>> {
        self.asked.borrow_mut().push(key);
        self.table.iter().find(|(k, _)| k.get_ref() == key).map(|(_, value)| value)
    }

    /// Where the section stands.
    pub fn whole_span(&self) -> Range<usize> {
        self.span.clone()
    }

    /// Where a key's value stands; the section itself when the key is missing.
    pub fn span_of(&self, key: &str) -> Range<usize> {
        let value = self.table.iter().find(|(k, _)| k.get_ref() == key);
        value.map_or(self.span.clone(), |(_, value)| value.span())
    }

    /// Keeps a problem that lies at `span`, bytes of the text.
    pub fn report(&self, problem: Problem, span: Range<usize>) {
        self.sheet.report(problem, span);
    }

    fn wrong_type(&self, key: &str, value: &Spanned<DeValue<'t>>, wanted: &str) {
        let got = match value.get_ref() {
            DeValue::String(_) => "text",
            DeValue::Integer(_) | DeValue::Float(_) => "a bare number",
            DeValue::Boolean(_) => "true or false",
            DeValue::Datetime(_) => "a date",
            DeValue::Array(_) => "a list",
            DeValue::Table(_) => "a table",
        };
        let message = format!("{key} in {} should be {wanted}, and here is {got}", self.name);
        let bare = value.get_ref().as_str().map(str::trim).filter(|text| {
            *text == "true" || *text == "false" || text.parse().is_ok_and(f64::is_finite)
        });
        let help = match bare {
            Some(bare) if !wanted.contains("quotes") => {
                format!("write {key} = {bare}, without quotes")
            }
            _ => format!("write {key} as {wanted}"),
        };
        self.report(Problem::error(Code::WrongType, message, help), value.span());
    }

    /// Keeps the problem that a key is missing; `example` shows how it is written.
    pub fn missing(&self, key: &str, example: &str) {
        let message = format!("{} has no {key}", self.name);
        self.report(
            Problem::error(Code::MissingKey, message, format!("add {example}")),
            self.span.clone(),
        );
    }

    /// Text.
    pub fn text(&self, key: &'static str) -> Option<&'s str> {
        let value = self.value(key)?;
        let text = value.get_ref().as_str();
        if text.is_none() {
            self.wrong_type(key, value, "text in quotes");
        }
        text
    }

    /// Text that must be there.
    pub fn required_text(&self, key: &'static str, example: &str) -> Option<&'s str> {
        if !self.has(key) {
            self.missing(key, example);
        }
        self.text(key)
    }

    /// Whether the table has a key, which counts as known from now on.
    pub fn has(&self, key: &'static str) -> bool {
        self.value(key).is_some()
    }

    /// A yes or no.
    pub fn flag(&self, key: &'static str) -> Option<bool> {
        let value = self.value(key)?;
        let flag = value.get_ref().as_bool();
        if flag.is_none() {
            self.wrong_type(key, value, "true or false");
        }
        flag
    }

    /// A whole number within `range`.
    pub fn whole(&self, key: &'static str, range: std::ops::RangeInclusive<i64>) -> Option<i64> {
        let value = self.value(key)?;
        let number = value.get_ref().as_integer().and_then(|n| n.as_str().parse::<i64>().ok());
        let wanted = format!("a whole number from {} to {}", range.start(), range.end());
        match number {
            Some(n) if range.contains(&n) => return Some(n),
            Some(n) => self.out_of_range(key, value.span(), &n.to_string(), &wanted),
            None => self.wrong_type(key, value, &wanted),
        }
        None
    }

    /// A bare number: only for values that have no unit.
    pub fn number(&self, key: &'static str) -> Option<f64> {
        let value = self.value(key)?;
        let number = match value.get_ref() {
            DeValue::Integer(n) => n.as_str().parse::<f64>().ok(),
            DeValue::Float(n) => n.as_str().parse::<f64>().ok(),
            _ => None,
        }
        .filter(|n| n.is_finite());
        if number.is_none() {
            self.wrong_type(key, value, "a plain number");
        }
        number
    }

    /// A quantity with its unit.
    pub fn quantity<Q: Quantity>(&self, key: &'static str) -> Option<Q> {
        self.quantity_by(key, parse::<Q>)
    }

    /// A quantity with its unit, read by `parse`.
    pub fn quantity_by<Q: Quantity>(
        &self,
        key: &'static str,
        parse: impl Fn(&str) -> Result<Q, QuantityError>,
    ) -> Option<Q> {
        let value = self.value(key)?;
        self.read_quantity(key, value, parse)
    }

    /// A quantity that stands in `value`.
    pub fn read_quantity<Q: Quantity>(
        &self,
        key: &str,
        value: &Spanned<DeValue<'t>>,
        parse: impl Fn(&str) -> Result<Q, QuantityError>,
    ) -> Option<Q> {
        let text = match value.get_ref() {
            DeValue::String(text) => text.to_string(),
            DeValue::Integer(n) => n.as_str().to_string(),
            DeValue::Float(n) => n.as_str().to_string(),
            _ => {
                self.wrong_type(key, value, &format!("{} in quotes", Q::KIND));
                return None;
            }
        };
        match parse(&text) {
            Ok(quantity) => Some(quantity),
            Err(error) => {
                let message = format!("{key} in {}: {}", self.name, error.message);
                self.report(Problem::error(Code::Quantity, message, error.help), value.span());
                None
            }
        }
    }

    /// A quantity that must be there and above zero.
    pub fn required_positive<Q: Quantity + Copy + Into<f64>>(
        &self,
        key: &'static str,
        example: &str,
    ) -> Option<Q> {
        if !self.has(key) {
            self.missing(key, example);
        }
        self.positive(key)
    }

    /// A quantity that is above zero when it is there.
    pub fn positive<Q: Quantity + Copy + Into<f64>>(&self, key: &'static str) -> Option<Q> {
        let quantity = self.quantity::<Q>(key)?;
        if quantity.into() <= 0.0 {
            self.out_of_range(key, self.span_of(key), &self.written(key), "above zero");
            return None;
        }
        Some(quantity)
    }

    /// A power above zero, as a share of full by the machine's table.
    pub fn power(&self, key: &'static str, beam: &Beam) -> Option<Power> {
        self.value(key).and_then(|value| self.read_power(key, value, beam))
    }

    /// A power that stands in `value`.
    pub fn read_power(
        &self,
        key: &str,
        value: &Spanned<DeValue<'t>>,
        beam: &Beam,
    ) -> Option<Power> {
        let asked = self.read_quantity(key, value, parse_power)?;
        match source::share(beam, asked) {
            Ok(power) if power.0 > 0.0 => Some(power),
            Ok(_) => {
                let written = self.text_at(value.span());
                self.out_of_range(key, value.span(), &written, "above zero");
                None
            }
            Err(mut problem) => {
                problem.message = format!("{key} in {}: {}", self.name, problem.message);
                self.report(problem, value.span());
                None
            }
        }
    }

    /// A speed that stands in `value`, on a machine whose top speed is `top` mm/s; percent are of that.
    pub fn read_speed(&self, key: &str, value: &Spanned<DeValue<'t>>, top: f64) -> Option<Speed> {
        let speed = self.read_quantity(key, value, |text| parse_speed(text, top))?;
        if speed.0 <= 0.0 {
            self.out_of_range(key, value.span(), &self.text_at(value.span()), "above zero");
            return None;
        }
        Some(speed)
    }

    /// A length that is zero or more when it is there, and no longer than any bed.
    pub fn distance(&self, key: &'static str) -> Option<f64> {
        let length = self.quantity::<Length>(key)?;
        if length.0 < 0.0 {
            self.out_of_range(key, self.span_of(key), &self.written(key), "zero or more");
            return None;
        }
        self.within(key, length, LONGEST)
    }

    /// A length when it is there and neither it nor its negative is above `most` mm.
    pub fn within(&self, key: &'static str, length: Length, most: f64) -> Option<f64> {
        if length.0.abs() > most {
            let wanted = format!("at most {most} mm");
            self.out_of_range(key, self.span_of(key), &self.written(key), &wanted);
            return None;
        }
        Some(length.0)
    }

    /// Tells that two keys contradict each other, at the first.
    pub fn contradicts(&self, key: &str, message: &str, help: &str) {
        self.report(Problem::error(Code::Contradiction, message, help), self.span_of(key));
    }

    /// How a key's value is written in the file.
    pub fn written(&self, key: &str) -> String {
        self.text_at(self.span_of(key))
    }

    /// What stands in the file there.
    pub fn text_at(&self, span: Range<usize>) -> String {
        self.sheet.text.get(span).unwrap_or_default().to_string()
    }

    /// Keeps the problem that a value lies outside of what is possible.
    pub fn out_of_range(&self, key: &str, span: Range<usize>, got: &str, wanted: &str) {
        let message = format!("{key} in {} is {got}, and must be {wanted}", self.name);
        self.report(
            Problem::error(
                Code::OutOfRange,
                message,
                format!("give {key} a value that is {wanted}"),
            ),
            span,
        );
    }

    /// One of a few words.
    pub fn choice<T: Copy>(&self, key: &'static str, words: &[(&'static str, T)]) -> Option<T> {
        let text = self.text(key)?;
        if let Some((_, choice)) = words.iter().find(|(word, _)| *word == text) {
            return Some(*choice);
        }
        let all =
            words.iter().map(|(word, _)| format!("\"{word}\"")).collect::<Vec<_>>().join(", ");
        let help = match nearest(text, words.iter().map(|(word, _)| *word)) {
            Some(word) => format!("did you mean \"{word}\"? (possible: {all})"),
            None => format!("possible: {all}"),
        };
        let message = format!("{key} in {} cannot be \"{text}\"", self.name);
        self.report(Problem::error(Code::UnknownWord, message, help), self.span_of(key));
        None
    }

    /// A table under this one.
    pub fn section(&self, key: &'static str) -> Option<Section<'s, 't>> {
        let value = self.value(key)?;
        match value.get_ref().as_table() {
            Some(table) => Some(Section::new(self.sheet, format!("[{key}]"), table, value.span())),
            None => {
                self.wrong_type(key, value, "a table");
                None
            }
        }
    }

    /// A table that must be there.
    pub(super) fn required_section(&self, key: &'static str) -> Option<Section<'s, 't>> {
        if !self.has(key) {
            self.missing(key, &format!("a [{key}] table"));
        }
        self.section(key)
    }

    /// `tinkite = 1`: the format that this version reads.
    pub fn format_version(&self) {
        if self.whole("tinkite", 1..=1).is_none() && !self.has("tinkite") {
            self.missing("tinkite", "tinkite = 1, the format that this version reads");
        }
    }

    /// A list of tables under this one (`[[key]]`); a single table counts as a list of one.
    pub fn sections(&self, key: &'static str) -> Vec<Section<'s, 't>> {
        let Some(value) = self.value(key) else { return Vec::new() };
        let one = |item: &'s Spanned<DeValue<'t>>| match item.get_ref().as_table() {
            Some(table) => Some(Section::new(self.sheet, key, table, item.span())),
            None => {
                self.wrong_type(key, item, "a table");
                None
            }
        };
        match value.get_ref() {
            DeValue::Array(items) => items.iter().filter_map(one).collect(),
            _ => one(value).into_iter().collect(),
        }
    }

    /// Items of a list, with their places.
    pub fn list(&self, key: &'static str) -> Option<&'s [Spanned<DeValue<'t>>]> {
        let value = self.value(key)?;
        match value.get_ref().as_array() {
            Some(items) => Some(items),
            None => {
                self.wrong_type(key, value, "a list");
                None
            }
        }
    }

    /// A point: a list of two lengths, across and away.
    pub fn point<Q: Quantity + Into<f64>>(
        &self,
        key: &'static str,
        parse: impl Fn(&str) -> Result<Q, QuantityError>,
    ) -> Option<Point> {
        let [x, y] = self.list(key)? else {
            let message = format!("{key} in {} takes two lengths, across and away", self.name);
            let help = format!("write {key} = [\"10 mm\", \"10 mm\"]");
            self.report(Problem::error(Code::WrongType, message, help), self.span_of(key));
            return None;
        };
        let read = |item| self.read_quantity(key, item, &parse);
        Some(Point::new(read(x)?.into(), read(y)?.into()))
    }

    /// Refuses every key that was not asked for.
    pub fn finish(self) {
        let asked = self.asked.borrow();
        for key in self.table.keys() {
            let word = key.get_ref().as_ref();
            if asked.contains(&word) {
                continue;
            }
            let mut known: Vec<&str> = asked.clone();
            known.sort_unstable();
            known.dedup();
            let help = match nearest(word, known.iter().copied()) {
                Some(near) => format!("did you mean {near}?"),
                None => format!("keys that fit here: {}", known.join(", ")),
            };
            let message = format!("{} has no key called {word}", self.name);
            self.sheet.report(Problem::error(Code::UnknownKey, message, help), key.span());
        }
    }
}
