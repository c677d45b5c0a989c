//! What is varied in one direction of a sheet, and the values it takes.

use std::ops::Range;
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::plain;
use tinkite_machine::section::Section;
use toml::de::DeValue;

/// A key of a step and its values.
#[derive(Debug, Clone, PartialEq)]
pub struct Varied {
    /// The key, dotted where it stands in a table: `power`, `lines.spacing`.
    pub key: String,
    /// Its unit, where it has one.
    pub unit: String,
    /// The numbers, as they are written.
    pub numbers: Vec<String>,
}

impl Varied {
    /// A value as TOML writes it.
    #[must_use]
    pub fn toml(&self, n: usize) -> String {
        match self.unit.as_str() {
            "" => self.numbers[n].clone(),
            unit => format!("\"{} {unit}\"", self.numbers[n]),
        }
    }

    /// What is varied, for people: `power %`.
    #[must_use]
    pub fn title(&self) -> String {
        format!("{} {}", self.key, self.unit).trim_end().to_string()
    }
}

/// Most values in one direction.
const MOST: usize = 100;

/// Keys whose values are whole numbers.
const WHOLE: [&str; 1] = ["passes"];

/// Reads `across` or `down`: `{ power = ["10 %", "60 %"], count = 6, even = "ratio" }`, or a list of values.
pub(super) fn read(outer: &Section<'_, '_>, key: &'static str) -> Option<Varied> {
    let section = outer.section(key)?;
    let count = section.whole("count", 1..=MOST as i64).map(|n| n as usize);
    let ratio = section.choice("even", &[("steps", false), ("ratio", true)]);
    let own = ["count", "even"];
    let keys: Vec<_> = section
        .table()
        .iter()
        .filter(|(name, _)| !own.contains(&name.get_ref().as_ref()))
        .collect();
    let refuse = |what: String, help: &str, span: Range<usize>| {
        outer.report(Problem::error(Code::Swatch, what, help), span);
        None
    };
    let example = "write power = [\"10 %\", \"60 %\"], count = 6, or a list of values";
    let [(name, value)] = keys[..] else {
        let what = format!("{key} in [swatch] names {} keys of a step, and varies one", keys.len());
        return refuse(what, example, outer.span_of(key));
    };
    // A dotted key is a table in a table.
    let (mut path, mut value) = (name.get_ref().to_string(), value);
    while let DeValue::Table(inner) = value.get_ref() {
        let mut all = inner.iter();
        let (Some((name, next)), None) = (all.next(), all.next()) else {
            return refuse(format!("{key} in [swatch] varies one key"), example, value.span());
        };
        path = format!("{path}.{}", name.get_ref());
        value = next;
    }
    let items = match value.get_ref() {
        DeValue::Array(items) => items.iter().map(|item| item.get_ref()).collect(),
        one => vec![one],
    };
    let mut read = Vec::new();
    for item in &items {
        let Some(parts) = number(item) else {
            let what = format!("{path} in [swatch] {key} holds what is no number");
            return refuse(what, example, value.span());
        };
        read.push(parts);
    }
    let unit = read.first().map(|(_, unit)| unit.clone()).unwrap_or_default();
    if read.is_empty() || read.iter().any(|(_, other)| *other != unit) {
        let what =
            format!("values of {path} in [swatch] {key} are of different units, or there is none");
        return refuse(what, "write all of them in one unit", value.span());
    }
    let numbers: Vec<f64> = read.iter().map(|(number, _)| *number).collect();
    let mut numbers = match (count, &numbers[..]) {
        (None, all) if all.len() <= MOST => all.to_vec(),
        (Some(1), [one]) => vec![*one],
        (Some(count), [from, to]) if count > 1 => {
            values_between(*from, *to, count, ratio == Some(true))
        }
        (Some(_), _) => {
            let what = format!("count in [swatch] {key} goes with a first and a last value");
            return refuse(what, example, value.span());
        }
        (None, all) => {
            let what =
                format!("{key} in [swatch] has {} values, and {MOST} are the most", all.len());
            return refuse(what, "make two sheets", value.span());
        }
    };
    if numbers.iter().any(|n| !n.is_finite()) {
        let what = "values that follow by ratio are both above zero".to_string();
        return refuse(what, "even = \"steps\" goes through zero", value.span());
    }
    if WHOLE.contains(&path.as_str()) {
        numbers.iter_mut().for_each(|n| *n = n.round());
        numbers.dedup();
    }
    let numbers = numbers.into_iter().map(figures).collect();
    Some(Varied { key: path, unit, numbers })
}

/// Evenly from one value to another, by steps or by ratio.
fn values_between(from: f64, to: f64, count: usize, ratio: bool) -> Vec<f64> {
    let share = |n: usize| n as f64 / (count - 1) as f64;
    let at = |n: usize| match ratio {
        true => from * (to / from).powf(share(n)),
        false => from + (to - from) * share(n),
    };
    let good = !ratio || (from > 0.0 && to > 0.0);
    (0..count).map(|n| if good { at(n) } else { f64::NAN }).collect()
}

/// Four figures at most, so that a label says what is burnt.
fn figures(value: f64) -> String {
    let digits = if value == 0.0 { 0 } else { value.abs().log10().floor() as i32 };
    plain(value, (3 - digits).clamp(0, 4) as usize)
}

/// A number and its unit.
fn number(value: &DeValue<'_>) -> Option<(f64, String)> {
    let text = match value {
        DeValue::String(text) => text.trim().to_string(),
        DeValue::Integer(n) => n.as_str().to_string(),
        DeValue::Float(n) => n.as_str().to_string(),
        _ => return None,
    };
    let end = text
        .find(|c: char| !c.is_ascii_digit() && !matches!(c, '.' | '-' | '+'))
        .unwrap_or(text.len());
    let (number, unit) = text.split_at(end);
    Some((number.parse().ok().filter(|n: &f64| n.is_finite())?, unit.trim().to_string()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_spread_by_steps_and_by_ratio() {
        let all = |from, to, count, ratio| {
            values_between(from, to, count, ratio)
                .into_iter()
                .map(figures)
                .collect::<Vec<_>>()
                .join(" ")
        };
        assert_eq!(all(10.0, 60.0, 6, false), "10 20 30 40 50 60");
        assert_eq!(all(50.0, 400.0, 4, true), "50 100 200 400");
        assert_eq!(all(-1.0, 1.0, 3, false), "-1 0 1");
        assert_eq!(all(10.0, 11.0, 4, false), "10 10.33 10.67 11");
        assert!(values_between(0.0, 5.0, 3, true)[0].is_nan());
    }
}
