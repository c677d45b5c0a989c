//! Working a recipe out for another thickness or another machine: a guess to begin tests with.
//!
//! What counts is the energy that a millimetre of line gets, `E = W / v` in J/mm, and with lines at the
//! same spacing that of a square millimetre, `W / (v · spacing)`. A cut that is twice as deep needs twice of
//! it; another source needs another power, or another speed, to give the same.

use super::{Make, Recipe};
use tinkite_base::problem::{Code, Problem, Remedy};
use tinkite_base::quantity::{Power, Speed, parse, parse_power, plain};
use tinkite_machine::Machine;
use tinkite_machine::source;
use toml::de::DeValue;

/// For what a recipe is worked out anew.
#[derive(Debug, Clone, Copy)]
pub struct Change<'m> {
    /// For this thickness, mm.
    pub thickness: Option<f64>,
    /// From the machine it was found on to another one.
    pub machines: Option<(&'m Machine, &'m Machine)>,
}

/// A recipe's settings, worked out.
#[derive(Debug, Clone, PartialEq)]
pub struct Scaled {
    /// Keys and values as TOML writes them.
    pub settings: Vec<(String, String)>,
    /// How they came about, for people.
    pub how: String,
}

/// One pass: W where both machines are known, else a share of full; and mm/s.
#[derive(Debug, Clone, Copy)]
struct Dose {
    power: f64,
    speed: f64,
}

/// Works a recipe out.
///
/// # Errors
/// A thickness that the recipe does not say; a source whose power nobody measured; energy that the other
/// machine cannot give.
pub fn scale(recipe: &Recipe, change: Change<'_>) -> Result<Scaled, Problem> {
    let refuse = |what: String, help: &str| Err(Problem::error(Code::NoRecipe, what, help));
    let mut factor = 1.0;
    let mut how = Vec::new();
    if let Some(wanted) = change.thickness {
        let Some(own) = recipe.thickness else {
            let help = "it fits any thickness as it is; only what was found for one can be worked out for another";
            return refuse(format!("the recipe {recipe} says no thickness"), help);
        };
        // Marks on the surface do not know how thick the stock is.
        if recipe.make == Make::Cut {
            factor = wanted / own;
            how.push(format!(
                "energy per mm times {} for {} mm in place of {} mm",
                plain(factor, 3),
                plain(wanted, 3),
                plain(own, 3)
            ));
        }
    }
    let doses = doses(recipe)?;
    let to = change.machines.map(|(_, to)| to);
    let mut out = Vec::new();
    for (speed, power) in doses {
        let share = match change.machines {
            None => match parse_power(&power) {
                // Power stays as it is written; only the speed changes.
                Ok(_) => None,
                Err(error) => return refuse(error.message, &error.help),
            },
            Some((from, _)) => {
                let asked = parse_power(&power)
                    .map_err(|e| Problem::error(Code::Quantity, e.message, e.help))?;
                Some(source::share(&from.beam, asked)?.0)
            }
        };
        let dose = match (change.machines, share) {
            (Some((from, to)), Some(share)) => {
                let watts = watts(from, share)?;
                on(to, Dose { power: watts, speed }, factor)?
            }
            _ => Dose { power: f64::NAN, speed: speed / factor },
        };
        out.push((dose, power));
    }
    if let (Some((from, to)), Some((dose, _))) = (change.machines, out.first()) {
        how.push(format!(
            "{} of {} in place of that of {}",
            watts(to, dose.power).map_or(String::new(), |w| format!("{} W", plain(w, 2))),
            to.name,
            from.name
        ));
    }
    let speeds: Vec<String> =
        out.iter().map(|(dose, _)| format!("\"{} mm/s\"", figures(dose.speed))).collect();
    let powers: Vec<String> = out
        .iter()
        .map(|(dose, written)| match to {
            Some(_) => format!("\"{} %\"", figures(dose.power * 100.0)),
            None => toml_edit::Value::from(written.as_str()).to_string(),
        })
        .collect();
    let listed = |all: Vec<String>| match all.iter().all(|one| *one == all[0]) {
        true => all[0].clone(),
        false => format!("[{}]", all.join(", ")),
    };
    let (speeds, powers) = (listed(speeds), listed(powers));
    let settings = recipe.settings.iter().map(|(key, value)| match key.as_str() {
        "speed" => (key.clone(), speeds.clone()),
        "power" => (key.clone(), powers.clone()),
        _ => (key.clone(), value.clone()),
    });
    Ok(Scaled { settings: settings.collect(), how: how.join("; ") })
}

/// Three figures: a guess is not better known.
fn figures(value: f64) -> String {
    let places = (2 - value.abs().log10().floor() as i32).clamp(0, 6) as usize;
    plain(value, places)
}

/// Speed (mm/s) and power (as written) of each pass.
fn doses(recipe: &Recipe) -> Result<Vec<(f64, String)>, Problem> {
    let several = |key: &str| -> Vec<String> {
        let text = recipe.settings.iter().find(|(name, _)| name == key).map(|(_, v)| v.as_str());
        let value = text.and_then(|text| DeValue::parse(text).ok());
        match value.as_ref().map(|value| value.get_ref()) {
            Some(DeValue::Array(items)) => items
                .iter()
                .filter_map(|item| item.get_ref().as_str())
                .map(str::to_string)
                .collect(),
            Some(value) => value.as_str().map(str::to_string).into_iter().collect(),
            None => Vec::new(),
        }
    };
    let (speeds, powers) = (several("speed"), several("power"));
    if speeds.is_empty() || powers.is_empty() {
        let what = format!("the recipe {recipe} has no speed or no power in quotes");
        return Err(Problem::error(Code::NoRecipe, what, "mend it in its book"));
    }
    let pass = |n: usize| {
        let speed = parse::<Speed>(&speeds[n.min(speeds.len() - 1)])
            .map_err(|error| Problem::error(Code::Quantity, error.message, error.help))?;
        Ok((speed.0, powers[n.min(powers.len() - 1)].clone()))
    };
    (0..speeds.len().max(powers.len())).map(pass).collect()
}

/// Light at a share of full, W.
fn watts(machine: &Machine, share: f64) -> Result<f64, Problem> {
    machine.watts_at(share).ok_or_else(|| {
        Problem::error(
            Code::NoTable,
            format!("nobody measured how many watts {} gives", machine.name),
            "measure it, or write watts = \"60 W\" into [beam]: its light at 100 %",
        )
        .with_remedy(Remedy::MeasurePower)
    })
}

/// A dose of W and mm/s on another machine, with so many times the energy: its power as a share of full. The
/// same light where it can give that, else its most, and slower.
fn on(machine: &Machine, dose: Dose, factor: f64) -> Result<Dose, Problem> {
    let energy = dose.power / dose.speed * factor;
    let ceiling = machine.beam.ceiling.0;
    let most = watts(machine, ceiling)?;
    let share = |watts: f64| machine.share_at(watts).map_or(ceiling, |share| share.min(ceiling));
    let mut power = dose.power.min(most);
    let mut speed = power / energy;
    let top = machine.slower_top_speed();
    if speed > top {
        speed = top;
        power = energy * speed;
    }
    let share = share(power);
    machine.beam.level(Power(share))?;
    Ok(Dose { power: share, speed })
}
