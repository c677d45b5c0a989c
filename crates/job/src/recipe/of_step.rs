//! What a step says, as a recipe would say it.

use super::{Make, Shelf, lay_under, recipe_of_step};
use crate::step::{self, Fits};
use crate::swatch;
use crate::toml_text::toml_text;
use tinkite_base::quantity::{PowerSetpoint, parse_power, parse_speed, plain};
use tinkite_machine::Machine;
use tinkite_machine::section::SourceText;
use toml::de::DeValue;

/// The settings of a step of a job's text, with what it takes from a recipe of its own; keys and values as
/// TOML writes them. None where the job has no such step.
#[must_use]
pub fn settings_of(
    text: &str,
    name: &str,
    profile: &str,
    machine: &Machine,
    shelf: &Shelf,
) -> Option<Vec<(String, String)>> {
    let expand = swatch::expand("", text, machine).and_then(Result::ok);
    let source = SourceText::new("", text);
    let mut table = source.parse();
    if let Some(expand) = &expand {
        expand.put_into(table.get_mut());
    }
    let recipe_of_step = recipe_of_step(table.get_ref(), profile, machine.full_watts());
    lay_under(table.get_mut(), &source, shelf, &recipe_of_step)?;
    let value = table.get_ref().get("step")?;
    let steps = match value.get_ref() {
        DeValue::Array(steps) => {
            steps.iter().filter_map(|step| step.get_ref().as_table()).collect()
        }
        one => one.as_table().into_iter().collect::<Vec<_>>(),
    };
    let called = |(n, step): &(usize, &toml::de::DeTable<'_>)| match step.get("name") {
        Some(own) => own.get_ref().as_str() == Some(name),
        None => format!("step {}", n + 1) == name,
    };
    let (_, step) = steps.into_iter().enumerate().find(called)?;
    let make = Make::of(step.get("make")?.get_ref().as_str()?)?;
    let says_how = |key: &str| step::setting(key, make) == Fits::Yes;
    // Speed and power first, as people read them; the others by name.
    let mut all: Vec<(String, String)> = step
        .iter()
        .filter(|(key, _)| says_how(key.get_ref()))
        .map(|(key, value)| {
            let key = key.get_ref().to_string();
            let text = everywhere(&key, value.get_ref(), machine);
            (key, text.unwrap_or_else(|| toml_text(value.get_ref())))
        })
        .collect();
    let first =
        |key: &str| ["speed", "power", "passes"].iter().position(|k| *k == key).unwrap_or(9);
    all.sort_by_key(|(key, _)| first(key));
    Some(all)
}

/// A speed in percent or a power by the controller's number, in units that mean the same on every machine; none where
/// there is nothing of the kind.
fn everywhere(key: &str, value: &DeValue<'_>, machine: &Machine) -> Option<String> {
    if let Some(items) = value.as_array() {
        let all: Vec<Option<String>> =
            items.iter().map(|item| everywhere(key, item.get_ref(), machine)).collect();
        let texts = all.iter().zip(items.iter());
        let texts: Vec<String> = texts
            .map(|(own, item)| own.clone().unwrap_or_else(|| toml_text(item.get_ref())))
            .collect();
        return all.iter().any(Option::is_some).then(|| format!("[{}]", texts.join(", ")));
    }
    let text = value.as_str()?;
    match key {
        "speed" if text.trim_end().ends_with('%') => {
            let speed = parse_speed(text, machine.slower_top_speed()).ok()?;
            Some(format!("\"{} mm/s\"", plain(speed.0, 3)))
        }
        "power" => match parse_power(text).ok()? {
            PowerSetpoint::Level(s) => {
                Some(format!("\"{} %\"", plain(100.0 * s / machine.beam.full, 3)))
            }
            _ => None,
        },
        _ => None,
    }
}
