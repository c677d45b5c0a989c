//! What a call does not say: the environment says it, or else `config.toml`, or else the program itself.

use crate::args::{Args, with_examples};
use clap::error::{ContextKind, ContextValue, ErrorKind};
use clap::parser::ValueSource;
use clap::{ArgMatches, Command, CommandFactory, FromArgMatches};
use std::ffi::OsString;
use tinkite_files::config;
use tinkite_files::refusal::Refusal;

/// A default that a person has set.
struct Preset {
    /// The option that it stands for.
    option: &'static str,
    value: String,
    /// Where it was said.
    by: String,
}

/// Options that can be set once, the variables that win over the file, and what they can be; nothing is any text.
const SETTABLE: [(&str, &str, &[&str]); 4] = [
    ("machine", "TINKITE_MACHINE", &[]),
    ("units", "TINKITE_UNITS", &["mm", "in"]),
    ("colour", "TINKITE_COLOUR", &["auto", "always", "never"]),
    (COLOUR_BY, "TINKITE_COLOUR_BY", &["steps", "drawing"]),
];

/// What only `draw` knows.
const COLOUR_BY: &str = "colour-by";

/// The calls whose `--machine` is the only thing that names a machine.
const NEED_MACHINE: [&[&str]; 12] = [
    &["begin"],
    &["rig"],
    &["swatch", "make"],
    &["head", "where"],
    &["head", "home"],
    &["head", "unlock"],
    &["head", "zero"],
    &["head", "go"],
    &["head", "move"],
    &["head", "free"],
    &["head", "pointer"],
    &["head", "dark"],
];

fn presets() -> Result<Vec<Preset>, Refusal> {
    let config = config::read()?;
    let file = config::path().map_or_else(String::new, |path| path.display().to_string());
    let mut presets = Vec::new();
    for (option, variable, known) in SETTABLE {
        let said = std::env::var_os(variable).filter(|value| !value.is_empty());
        if let Some(value) = said {
            let value = value.to_string_lossy().into_owned();
            if !known.is_empty() && !known.contains(&value.as_str()) {
                return Err(Refusal::Usage(format!(
                    "the environment variable {variable} is \"{value}\"; it can be {}",
                    known.join(", ")
                )));
            }
            presets.push(Preset { option, value, by: variable.into() });
            continue;
        }
        let value = match option {
            "machine" => config.machine.clone(),
            "units" => config.units.map(|units| units.word().to_string()),
            COLOUR_BY => config.colour_by.map(|by| by.word().to_string()),
            _ => config.colour.map(|when| when.word().to_string()),
        };
        presets.extend(value.map(|value| Preset { option, value, by: file.clone() }));
    }
    Ok(presets)
}

/// The machine that a call says, or else the one that a person has set; `None` where nobody has.
///
/// # Errors
/// A broken `config.toml`, a variable that says something else.
pub(crate) fn machine(said: Option<&String>) -> Result<Option<String>, Refusal> {
    if said.is_some() {
        return Ok(said.cloned());
    }
    let found = presets()?.into_iter().find(|preset| preset.option == "machine");
    Ok(found.map(|Preset { value, by, .. }| {
        ::log::info!("machine {value}: {by}");
        value
    }))
}

/// Everything that can be typed, with the defaults of this person.
fn command(presets: &[Preset]) -> Command {
    let mut command = with_examples(Args::command());
    for Preset { option, value, .. } in presets {
        if *option == "machine" {
            for path in NEED_MACHINE {
                command = at(command, path, &|c| {
                    c.mut_arg("machine", |arg| arg.required(false).default_value(value.clone()))
                });
            }
        } else if *option == COLOUR_BY {
            command = at(command, &["draw"], &|c| {
                c.mut_arg(COLOUR_BY, |arg| arg.default_value(value.clone()))
            });
        } else {
            command = command.mut_arg(option, |arg| arg.default_value(value.clone()));
        }
    }
    command
}

/// Changes the command that a path of names leads to.
fn at(command: Command, path: &[&str], change: &dyn Fn(Command) -> Command) -> Command {
    match path {
        [] => change(command),
        [first, rest @ ..] => command.mut_subcommand(first, |inner| at(inner, rest, change)),
    }
}

/// Everything that can be typed, as it is told to a person who has set nothing.
pub(crate) fn plain_command() -> Command {
    command(&[])
}

/// A call, and where its defaults came from, in words.
pub(crate) struct Call {
    pub(crate) args: Args,
    pub(crate) origins: Vec<String>,
    /// The job that was not named and is the only one in the folder.
    pub(crate) job: Option<OsString>,
}

/// Reads the call. Help, the version and a call that is wrong end the program.
///
/// # Errors
/// A broken `config.toml`, a variable that says something else; with them how the call wants to be told.
pub(crate) fn parse() -> Result<Call, (Box<Args>, Refusal)> {
    let presets = match presets() {
        Ok(presets) => presets,
        Err(refusal) => {
            let Read { args, .. } = read(plain_command());
            return Err((Box::new(args), refusal));
        }
    };
    let Read { args, matches, job } = read(command(&presets));
    let origins = presets
        .iter()
        .filter(|preset| from_default(&matches, preset.option))
        .map(|Preset { option, value, by }| format!("--{option} {value}: {by}"))
        .collect();
    Ok(Call { args, origins, job })
}

/// What was typed.
struct Read {
    args: Args,
    matches: ArgMatches,
    job: Option<OsString>,
}

/// Reads the call; where nothing but the job is missing and there is one in the folder, that is meant.
fn read(command: Command) -> Read {
    let typed: Vec<OsString> = std::env::args_os().collect();
    let (matches, job) = match command.clone().try_get_matches_from(&typed) {
        Ok(matches) => (matches, None),
        Err(error) => {
            let job = missing_job(&error).and_then(only_job);
            let Some(job) = job else { error.exit() };
            match command.try_get_matches_from(typed.into_iter().chain([job.clone()])) {
                Ok(matches) => (matches, Some(job)),
                Err(_) => error.exit(),
            }
        }
    };
    match Args::from_arg_matches(&matches) {
        Ok(args) => Read { args, matches, job },
        Err(error) => error.exit(),
    }
}

/// What could stand where a call lacks a job and nothing else.
#[derive(Debug, Clone, Copy, PartialEq)]
enum Lacks {
    Job,
    JobOrProgram,
}

/// Whether a job is what a call lacks.
fn missing_job(error: &clap::Error) -> Option<Lacks> {
    let missing = match error.get(ContextKind::InvalidArg) {
        Some(ContextValue::Strings(names)) => names.as_slice(),
        _ => &[],
    };
    match missing {
        _ if error.kind() != ErrorKind::MissingRequiredArgument => None,
        [name] if name.starts_with("<JOB|") => Some(Lacks::JobOrProgram),
        [name] if name.starts_with("<JOB>") => Some(Lacks::Job),
        _ => None,
    }
}

/// Endings of programs: where one lies beside the job, either may be meant.
const PROGRAMS: [&str; 6] = [".nc", ".ngc", ".gcode", ".gc", ".cnc", ".tap"];

/// The job of the folder, where it has one and no more, and nothing else that could be meant.
fn only_job(lacks: Lacks) -> Option<OsString> {
    let mut job = None;
    for entry in std::fs::read_dir(".").ok()? {
        let name = entry.ok()?.file_name();
        let text = name.to_string_lossy().to_lowercase();
        if lacks == Lacks::JobOrProgram && PROGRAMS.iter().any(|ending| text.ends_with(ending)) {
            return None;
        }
        if text.ends_with(".kite.toml") && job.replace(name).is_some() {
            return None;
        }
    }
    job
}

/// Whether an option of the innermost command was left to its default.
fn from_default(matches: &ArgMatches, option: &str) -> bool {
    let mut inner = matches;
    while let Some((_, next)) = inner.subcommand() {
        inner = next;
    }
    let known = inner.ids().any(|id| id.as_str() == option);
    known && inner.value_source(option) == Some(ValueSource::DefaultValue)
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_files::config::{Units, When};

    /// Every call that needs a machine and has no job to name it can do without one that is set once.
    #[test]
    fn a_preset_machine_is_enough_wherever_nothing_else_names_one() {
        let preset = Preset { option: "machine", value: "tube-laser".into(), by: "a test".into() };
        for path in NEED_MACHINE {
            let more: &[&str] = match path {
                ["begin"] => &["panel.svg"],
                ["head", "go" | "move"] => &["1", "2"],
                _ => &[],
            };
            let words: Vec<&str> = [&["tinkite"][..], path, more].concat();
            let matches = command(std::slice::from_ref(&preset)).try_get_matches_from(&words);
            assert!(matches.is_ok_and(|m| from_default(&m, "machine")), "{words:?}");
        }
    }

    #[test]
    fn what_can_be_set_is_what_the_options_know() {
        assert_eq!(Units::ALL.map(Units::word), SETTABLE[1].2);
        assert_eq!(When::ALL.map(When::word), SETTABLE[2].2);
    }
}
