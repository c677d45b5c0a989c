//! What was tried in a run, and how it went: the history that answers what worked on a material.

use super::{Log, LogError};
use rusqlite::named_params;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use tinkite_job::recipe::{Kept, material_key};
use tinkite_job::{Job, Step};

/// What a step of a run was done with.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Tried {
    /// Cut, score or engrave.
    pub make: String,
    /// Of the stock, where the job says it.
    pub thickness_mm: Option<f64>,
    /// Speed.
    pub speed_mm_s: f64,
    /// Power, percent of full.
    pub power_percent: f64,
    /// How often.
    pub passes: usize,
    /// Between engraved lines.
    pub spacing_mm: Option<f64>,
    /// The recipe that was used unchanged.
    pub recipe: Option<UsedRecipe>,
}

/// A recipe of one's own that a step used as it stands.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct UsedRecipe {
    pub book: String,
    pub title: String,
}

impl Tried {
    /// What a step of a job is done with.
    pub fn of(step: &Step, job: &Job) -> Self {
        let used = step.recipe.as_ref().filter(|used| used.own.is_empty());
        let used = used.filter(|used| used.kept != Kept::Shipped);
        Self {
            make: step.operation.name().into(),
            thickness_mm: job.stock.as_ref().and_then(|stock| stock.thickness),
            speed_mm_s: step.speed().0,
            power_percent: (step.power().0 * 1e5).round() / 1e3,
            passes: step.passes.len(),
            spacing_mm: step.operation.engrave().map(tinkite_job::Engrave::spacing),
            recipe: used.map(|used| UsedRecipe {
                // The line behind the book's name may be another one tomorrow.
                book: used
                    .place
                    .rsplit_once(':')
                    .map_or(used.place.as_str(), |(book, _)| book)
                    .into(),
                title: used.title.clone(),
            }),
        }
    }
}

/// How a step went.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Verdict {
    /// As it was meant
    Good,
    /// Cut through
    Through,
    /// Not cut through
    NotThrough,
    /// Burnt too much
    Charred,
    /// Too light
    Pale,
    /// Something else: the text says what
    Other,
}

impl Verdict {
    /// Every one, with its word.
    pub const ALL: [(Self, &'static str); 6] = [
        (Self::Good, "good"),
        (Self::Through, "through"),
        (Self::NotThrough, "not-through"),
        (Self::Charred, "charred"),
        (Self::Pale, "pale"),
        (Self::Other, "other"),
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::ALL.iter().find(|(outcome, _)| *outcome == self).map_or("other", |(_, word)| word)
    }

    /// Whether there is such a word.
    pub(super) fn is_word(word: &str) -> bool {
        Self::ALL.iter().any(|(_, known)| *known == word)
    }

    /// What the word stands for; of an unknown one, [`Verdict::Other`].
    #[must_use]
    pub fn of(word: &str) -> Self {
        Self::ALL
            .iter()
            .find(|(_, known)| *known == word)
            .map_or(Self::Other, |(outcome, _)| *outcome)
    }

    /// Whether it worked.
    pub fn is_good(self) -> bool {
        matches!(self, Self::Good | Self::Through)
    }
}

/// One thing that was tried.
#[derive(Debug, Clone)]
pub struct Try {
    /// The run's number.
    pub run: i64,
    /// The run with which its series began, where it is not itself that.
    pub series: Option<i64>,
    /// When it began, ms since 1970, UTC.
    pub began_ms: i64,
    /// The job, or the program's file.
    pub job: String,
    /// The machine's name.
    pub machine: String,
    /// The step's name.
    pub step: String,
    /// What it was done with.
    pub tried: Tried,
    /// What somebody noted of it.
    pub outcome: Option<Verdict>,
    /// What was said of it.
    pub text: Option<String>,
}

/// What is looked for.
#[derive(Debug, Clone, Default)]
pub struct Sought {
    /// The material, as the job says it.
    pub material: String,
    /// Of the stock, mm.
    pub thickness: Option<f64>,
    /// Cut, score or engrave.
    pub make: Option<String>,
    /// The machine's name.
    pub machine: Option<String>,
}

impl Log {
    /// How a step of a run went; the run's note says it as well.
    ///
    /// # Errors
    /// A run or a step that is not there, or what SQLite refuses.
    pub fn note_outcome(
        &self,
        run: i64,
        step: Option<&str>,
        outcome: Verdict,
        text: Option<&str>,
        now_ms: i64,
    ) -> Result<super::StepEntry, LogError> {
        let entry = self.entry(Some(run))?;
        let steps = &entry.began.steps;
        let names = || steps.iter().map(|step| step.name.as_str()).collect::<Vec<_>>().join(", ");
        let found = match (step, &steps[..]) {
            (Some(name), all) => all.iter().find(|step| step.name == name),
            (None, [only]) => Some(only),
            (None, _) => None,
        };
        let Some(found) = found else {
            return Err(LogError::WhichStep { run, steps: names() });
        };
        self.connection
            .execute(
                "INSERT INTO outcomes (run, step, outcome, note, noted)
                 VALUES (:run, :step, :outcome, :note, :noted)",
                named_params! {
                    ":run": run,
                    ":step": found.name,
                    ":outcome": outcome.word(),
                    ":note": text,
                    ":noted": now_ms,
                },
            )
            .map_err(self.failed())?;
        // Whoever looks at the run sees that it was judged.
        let words = text.map_or(String::new(), |text| format!(", {text}"));
        self.note(run, &format!("{}: {}{words}", found.name, outcome.word()))?;
        Ok(found.clone())
    }

    /// What was tried on a material and finished, or noted, nearest first: same thickness, then as near to it as can be; what worked
    /// before what did not, and the latest first.
    ///
    /// # Errors
    /// What SQLite refuses.
    pub fn tries(&self, sought: &Sought) -> Result<Vec<Try>, LogError> {
        let failed = self.failed();
        let key = material_key(&sought.material);
        let mut statement = self
            .connection
            .prepare(
                "SELECT id, began, job, machine, steps, how,
                   CASE kind WHEN 'again' THEN after END FROM runs
                 WHERE material_key = :key ORDER BY id DESC",
            )
            .map_err(&failed)?;
        let rows = statement
            .query_map(named_params! { ":key": key }, |row| {
                Ok((
                    row.get::<_, i64>(0)?,
                    row.get::<_, i64>(1)?,
                    row.get::<_, String>(2)?,
                    row.get::<_, String>(3)?,
                    row.get::<_, String>(4)?,
                    row.get::<_, Option<String>>(5)?.as_deref() == Some("done"),
                    row.get::<_, Option<i64>>(6)?,
                ))
            })
            .map_err(&failed)?;
        let rows = rows.collect::<Result<Vec<_>, _>>().map_err(&failed)?;
        let outcomes = self.outcomes(&key)?;
        // What is run again is of the same material.
        let repeats = rows.iter().filter_map(|row| Some((row.0, row.6?)));
        let before: BTreeMap<i64, i64> = repeats.collect();
        let series = |run: i64| {
            // The log may have come from anywhere: no run is older than itself.
            let earlier = |run: &i64| before.get(run).copied().filter(|before| before < run);
            std::iter::successors(earlier(&run), earlier).last()
        };
        let mut all = Vec::new();
        for (run, began_ms, job, machine, steps, done, _) in rows {
            if sought.machine.as_ref().is_some_and(|wanted| *wanted != machine) {
                continue;
            }
            // Written by this program; one that is not is no try.
            let steps: Vec<super::StepEntry> = serde_json::from_str(&steps).unwrap_or_default();
            for step in steps {
                let Some(tried) = step.tried else { continue };
                if sought.make.as_ref().is_some_and(|make| *make != tried.make) {
                    continue;
                }
                let noted = outcomes.get(&(run, step.name.clone()));
                // What was not finished was not tried, unless somebody says how it went. A short step of a run
                // that was done may have gone by between two looks at the clock.
                if !done && step.seconds.is_none() && noted.is_none() {
                    continue;
                }
                all.push(Try {
                    run,
                    series: series(run),
                    began_ms,
                    job: job.clone(),
                    machine: machine.clone(),
                    step: step.name,
                    tried,
                    outcome: noted.map(|(outcome, _)| *outcome),
                    text: noted.and_then(|(_, text)| text.clone()),
                });
            }
        }
        let away = |one: &Try| match (sought.thickness, one.tried.thickness_mm) {
            (Some(wanted), Some(own)) => ((own / wanted).ln().abs() * 1e6) as u64,
            (Some(_), None) => u64::MAX,
            (None, _) => 0,
        };
        let rank = |one: &Try| match one.outcome {
            Some(outcome) if outcome.is_good() => 0,
            Some(_) => 1,
            None => 2,
        };
        all.sort_by_key(|one| (away(one), rank(one), std::cmp::Reverse(one.run)));
        Ok(all)
    }

    /// What was noted last of each run and step on a material.
    fn outcomes(&self, key: &str) -> Result<BTreeMap<(i64, String), Noted>, LogError> {
        let failed = self.failed();
        let mut statement = self
            .connection
            .prepare(
                "SELECT run, step, outcome, o.note FROM outcomes AS o JOIN runs ON runs.id = run
                 WHERE material_key = :key ORDER BY noted, o.rowid",
            )
            .map_err(&failed)?;
        let rows = statement
            .query_map(named_params! { ":key": key }, |row| {
                let of = (row.get(0)?, row.get(1)?);
                Ok((of, (Verdict::of(&row.get::<_, String>(2)?), row.get(3)?)))
            })
            .map_err(&failed)?;
        rows.collect::<Result<_, _>>().map_err(&failed)
    }
}

/// How a step went, and words.
type Noted = (Verdict, Option<String>);
