//! Passes: how often a line is walked, how fast, how strong and at which focus.

use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::{Length, Power, Speed, plain};
use tinkite_machine::Machine;
use tinkite_machine::section::Section;
use toml::de::DeValue;

/// One time that a line is walked.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pass {
    /// Speed along the line.
    pub speed: Speed,
    /// Power asked for.
    pub power: Power,
}

/// What is walked again before the next pass begins.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PassesBy {
    /// Each path gets all of its passes at once.
    Path,
    /// All paths of the step get the first pass, then all the second: the stock cools between.
    Sheet,
}

/// Reads `speed`, `power` and `passes`. Speed and power may be lists, one entry for each pass.
pub(super) fn read(section: &Section<'_, '_>, machine: &Machine) -> Option<Vec<Pass>> {
    let speeds = several(section, "speed", "speed = \"20 mm/s\"", |value| {
        section.read_speed("speed", value, machine.slower_top_speed())
    });
    let powers = several(section, "power", "power = \"60 %\"", |value| {
        section.read_power("power", value, &machine.beam)
    });
    let passes = section.whole("passes", 1..=1000).map(|n| n as usize);
    let (speeds, powers) = (speeds?, powers?);
    let count = passes.unwrap_or(speeds.len().max(powers.len()));
    for (key, length) in [("speed", speeds.len()), ("power", powers.len())] {
        if length != 1 && length != count {
            section.report(
                Problem::error(
                    Code::PassList,
                    format!(
                        "{key} in {} names {length} passes, and there are {count}",
                        section.name
                    ),
                    format!("give {key} one value, or one for each pass"),
                ),
                section.span_of(key),
            );
            return None;
        }
    }
    let pass = |n: usize| Pass {
        speed: speeds[n.min(speeds.len() - 1)],
        power: powers[n.min(powers.len() - 1)],
    };
    Some((0..count).map(pass).collect())
}

fn several<'s, 't, T>(
    section: &Section<'s, 't>,
    key: &'static str,
    example: &str,
    read: impl Fn(&'s toml::Spanned<DeValue<'t>>) -> Option<T>,
) -> Option<Vec<T>> {
    let Some(value) = section.value(key) else {
        section.missing(key, example);
        return None;
    };
    match value.get_ref() {
        DeValue::Array(items) if !items.is_empty() && items.len() <= 1000 => {
            items.iter().map(read).collect()
        }
        DeValue::Array(_) => {
            section.out_of_range(key, value.span(), "a list of none or too many", example);
            None
        }
        _ => read(value).map(|one| vec![one]),
    }
}

/// Reads `focus` and `focus-drop`, held against the machine's focus axis.
pub(super) fn focus(section: &Section<'_, '_>, passes: usize, machine: &Machine) -> (f64, f64) {
    let focus = section.quantity::<Length>("focus").map_or(0.0, |length| length.0);
    let drop = section.distance("focus-drop").unwrap_or(0.0);
    let key = if section.has("focus-drop") { "focus-drop" } else { "focus" };
    if focus == 0.0 && drop == 0.0 {
        return (0.0, 0.0);
    }
    let Some(z) = machine.z else {
        section.report(
            Problem::error(
                Code::NoFocusAxis,
                format!("{key} in {} needs an axis that moves the focus", section.name),
                format!("take {key} out, or describe [axis.z] in the machine profile"),
            ),
            section.span_of(key),
        );
        return (0.0, 0.0);
    };
    let lowest = focus - drop * (passes - 1) as f64;
    let lifted = focus.max(0.0) + z.clearance;
    if lowest < z.range.0 || focus > z.range.1 {
        let reached = format!("taking the focus from {focus} mm to {lowest} mm");
        let wanted = format!("within the machine's {} mm to {} mm", z.range.0, z.range.1);
        section.out_of_range(key, section.span_of(key), &reached, &wanted);
    } else if lifted > z.range.1 + 1e-9 {
        let message = format!(
            "focus in {} is {focus} mm, and is lifted by {} mm for travel, to {} mm: the machine's axis goes up to {} mm",
            section.name,
            plain(z.clearance, 3),
            plain(lifted, 3),
            plain(z.range.1, 3)
        );
        let help = "give focus a lower value, or the profile's [travel] less clearance";
        section.report(Problem::error(Code::OutOfRange, message, help), section.span_of(key));
    }
    (focus, drop)
}
