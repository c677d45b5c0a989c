//! What somebody says of how something is done: the speed of cuts, the recipe of a step.

use super::guess::Guess;
use tinkite_base::problem::{Code, Problem, few, nearest};
use tinkite_base::quantity::{parse_power, parse_speed};
use tinkite_machine::{Machine, source};

/// What is said of a step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SettingKey {
    /// How fast.
    Speed,
    /// How strong.
    Power,
    /// How many times.
    Passes,
    /// By which recipe of a book.
    Recipe,
}

impl SettingKey {
    /// The key of a step.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Speed => "speed",
            Self::Power => "power",
            Self::Passes => "passes",
            Self::Recipe => "recipe",
        }
    }
}

/// One setting that somebody says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Setting {
    /// What is said.
    pub key: SettingKey,
    /// Of which steps: a make, a step's name, or the word by which a part was said; none: of all.
    pub of: Option<String>,
    /// The value, as a job file has it in quotes.
    pub value: String,
}

impl Setting {
    /// How people say it.
    fn words(&self) -> String {
        match &self.of {
            Some(of) => format!("{} {of}=\"{}\"", self.key.name(), self.value),
            None => format!("{} \"{}\"", self.key.name(), self.value),
        }
    }

    /// Whether its value can be.
    ///
    /// # Errors
    /// Why it cannot.
    pub(super) fn check(&self, machine: &Machine) -> Result<(), Problem> {
        let quantity = |message: String, help: String| {
            Problem::error(Code::Quantity, format!("{}: {message}", self.words()), help)
        };
        let zero = || {
            let message = format!("{} must be above zero", self.words());
            Problem::error(Code::OutOfRange, message, "leave a part out to burn nothing of it")
        };
        match self.key {
            SettingKey::Speed => match parse_speed(&self.value, machine.slower_top_speed()) {
                Err(error) => Err(quantity(error.message, error.help)),
                Ok(speed) if speed.0 <= 0.0 => Err(zero()),
                Ok(_) => Ok(()),
            },
            SettingKey::Power => {
                let asked = parse_power(&self.value)
                    .map_err(|error| quantity(error.message, error.help))?;
                let power = source::share(&machine.beam, asked)?;
                if power.0 <= 0.0 { Err(zero()) } else { Ok(()) }
            }
            SettingKey::Passes => match self.value.parse::<u32>() {
                Ok(1..=1000) => Ok(()),
                _ => Err(quantity(
                    "it is not a number of passes from 1 to 1000".into(),
                    "write for example 2".into(),
                )),
            },
            SettingKey::Recipe => Ok(()),
        }
    }
}

/// What is said of the steps, and whether each has found one.
pub(super) struct Settings<'s> {
    said: &'s [Setting],
    used: Vec<bool>,
}

impl<'s> Settings<'s> {
    /// # Errors
    /// Values that cannot be, and one thing that is said twice.
    pub(super) fn new(said: &'s [Setting], machine: &Machine) -> Result<Self, Problem> {
        for (n, setting) in said.iter().enumerate() {
            setting.check(machine)?;
            let before = said[..n].iter();
            if before.clone().any(|other| other.key == setting.key && other.of == setting.of) {
                let message = format!("{} is said twice", setting.words());
                return Err(Problem::error(Code::Contradiction, message, "say it once"));
            }
        }
        Ok(Self { said, used: vec![false; said.len()] })
    }

    /// What is said of a key of a step: by its name, by the word of its part, by its make, or of all.
    pub(super) fn find(
        &mut self,
        key: SettingKey,
        name: &str,
        word: Option<&str>,
        make: Guess,
    ) -> Option<&'s Setting> {
        let ways = [Some(name), word, Some(make.word()), None];
        let mut found = None;
        for (n, setting) in self.said.iter().enumerate().filter(|(_, s)| s.key == key) {
            let way = ways.iter().position(|way| *way == setting.of.as_deref());
            let Some(way) = way else { continue };
            self.used[n] = true;
            if found.is_none_or(|(best, _)| way < best) {
                found = Some((way, setting));
            }
        }
        found.map(|(_, setting)| setting)
    }

    /// What was said of steps that are not there.
    pub(super) fn unused(&self, steps: &[String]) -> Result<(), Problem> {
        let Some(n) = self.used.iter().position(|used| !used) else { return Ok(()) };
        let setting = &self.said[n];
        let message = format!("{}: no step is that", setting.words());
        let of = setting.of.as_deref().unwrap_or_default();
        let makes = ["cut", "score", "engrave"];
        let help = match nearest(of, steps.iter().map(String::as_str).chain(makes)) {
            Some(near) if near != of => format!("did you mean \"{near}\"?"),
            _ if steps.is_empty() => "there is no step".into(),
            _ => format!("the steps are {}", few(steps, 8)),
        };
        Err(Problem::error(Code::NoSuchStep, message, help))
    }
}
