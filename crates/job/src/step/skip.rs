//! `skip = true`: a step that is there and is not done, and the other ways in which people say so.

use tinkite_base::problem::{Code, Problem};
use tinkite_machine::section::Section;
use toml::de::DeValue;

/// What people write for a step that is not to be done.
const OFF: [&str; 9] =
    ["off", "none", "no", "nothing", "skip", "false", "disabled", "ignore", "leave-out"];

/// Keys of which one value switches a step off in people's minds.
const KEYS: [&str; 4] = ["passes", "power", "speed", "make"];

/// Keys that no step has and people write to switch one off.
const STRANGE: [&str; 6] = ["off", "on", "enabled", "disabled", "active", "ignore"];

/// Whether the step says that it is not done.
///
/// # Errors
/// Nothing, where it says so in another way; that is answered with the line to write.
pub(super) fn read(section: &Section<'_, '_>) -> Option<bool> {
    let skip = section.flag("skip").unwrap_or(false);
    let written = |key: &str| section.table().iter().any(|(own, _)| own.get_ref() == key);
    if let Some(key) = STRANGE.into_iter().find(|key| written(key)) {
        section.has(key);
        let help = match skip {
            true => format!("skip = true says it already; take {key} out"),
            false => format!(
                "to leave the step out, write skip = true in its place; else take {key} out"
            ),
        };
        let message = format!("{} has no key {key}", section.name);
        section.report(Problem::error(Code::UnknownKey, message, help), section.span_of(key));
        return None;
    }
    let off = |key: &&'static str| section.value(key).is_some_and(|value| is_off(value.get_ref()));
    let Some(key) = KEYS.into_iter().find(off) else { return Some(skip) };
    let must = if key == "make" { "a step makes something" } else { "must be above zero" };
    let message = format!("{key} in {} is {}, and {must}", section.name, section.written(key));
    let help = match skip {
        true => format!("skip = true leaves the step out; give {key} the value of when it is done"),
        false => format!("to leave the step out, write skip = true and leave {key} as it was"),
    };
    section.report(Problem::error(Code::OutOfRange, message, help), section.span_of(key));
    None
}

/// Whether a value is nothing, or a word for it.
fn is_off(value: &DeValue<'_>) -> bool {
    match value {
        DeValue::Boolean(on) => !on,
        DeValue::Integer(number) => is_zero(number.as_str()),
        DeValue::Float(number) => is_zero(number.as_str()),
        DeValue::String(text) => {
            let text = text.trim().to_lowercase();
            let number = text.trim_start_matches('s');
            let unit = number.trim_start_matches(|c: char| c.is_ascii_digit() || c == '.');
            OFF.contains(&text.as_str()) || is_zero(&number[..number.len() - unit.len()])
        }
        _ => false,
    }
}

fn is_zero(number: &str) -> bool {
    number.parse::<f64>().is_ok_and(|number| number == 0.0)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn zero_and_words_for_nothing_are_off() {
        let text = "a = 0\nb = 0.0\nc = \"0 %\"\nd = \"off\"\ne = false\nf = \"S0\"\ng = \" None \"\n\
                    m = 1\nn = \"0.5 %\"\no = \"cut\"\np = true\nq = [0]\nr = \"\"\ns = \"10 %\"";
        let table = toml::de::DeTable::parse(text).map(|t| t.into_inner()).unwrap();
        let off: String = table
            .iter()
            .filter(|(_, value)| is_off(value.get_ref()))
            .map(|(key, _)| key.get_ref().to_string())
            .collect();
        assert_eq!(off, "abcdefg");
    }
}
