//! One run in the log.

use super::{Log, Tried};
use crate::LogError;
use rusqlite::{OptionalExtension, Row, named_params};
use serde::{Deserialize, Serialize};
use std::io::{Read, Seek, SeekFrom};
use std::path::PathBuf;
use tinkite_base::checksum::Checksum;
use tinkite_job::recipe::material_key;
use tinkite_reader::Place;
use tinkite_run::{Broken, Marked, ReportedStanding, Whereabouts};

/// What a run is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum RunKind {
    /// A job or a program.
    Run,
    /// The rest of another run.
    GoOn,
    /// The same once more.
    Again,
    /// A program from one of its lines on.
    FromLine,
}

impl RunKind {
    pub(super) const ALL: [Self; 4] = [Self::Run, Self::GoOn, Self::Again, Self::FromLine];

    /// In one word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Run => "run",
            Self::GoOn => "go-on",
            Self::Again => "again",
            Self::FromLine => "from-line",
        }
    }
}

/// A step of a run.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StepEntry {
    /// What it is called.
    pub name: String,
    /// The program's line with which it begins, from 1.
    pub line: u32,
    /// How long it was planned to take, s.
    pub planned_seconds: f64,
    /// None where it was not reached, or not finished.
    pub seconds: Option<f64>,
    /// What was set, in words.
    pub settings: String,
    /// The same in figures, where the program was made from a job.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tried: Option<Tried>,
}

/// The job that a program was made from.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct MadeFrom {
    /// The job's file, from the root of the disk.
    pub job: PathBuf,
    /// The machine that was said in the call.
    pub machine: Option<String>,
    /// What of it was made, with what was set.
    pub part: MadePart,
    /// The first and the last serial number of its copies.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub numbers: Option<(u32, u32)>,
}

/// What of a job was made, and what of it was changed.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[serde(default)]
pub struct MadePart {
    /// Only these steps; none: all.
    pub only: Vec<String>,
    /// Not these steps.
    pub skip: Vec<String>,
    /// Which sheet, when copies take several.
    pub sheet: Option<u32>,
    /// Keys with their values.
    pub set: Vec<String>,
}

/// How the machine stood.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
struct StandingEntry {
    at: [f64; 6],
    offset: [f64; 6],
    /// What of the offset is a `G92`, mm.
    shift: [f64; 3],
}

impl From<ReportedStanding> for StandingEntry {
    fn from(stance: ReportedStanding) -> Self {
        Self { at: stance.at, offset: stance.offset, shift: stance.shift }
    }
}

impl From<StandingEntry> for ReportedStanding {
    fn from(entry: StandingEntry) -> Self {
        Self { at: entry.at, offset: entry.offset, shift: entry.shift }
    }
}

/// What is known when a run begins.
#[derive(Debug, Clone)]
pub struct Began {
    /// What kind of run it is.
    pub kind: RunKind,
    /// The run that it goes on with, or does again.
    pub after: Option<i64>,
    /// When it began, ms since 1970, UTC.
    pub began_ms: i64,
    /// The job, or the program's file.
    pub job: String,
    /// Lines of the program.
    pub lines: u32,
    /// The machine's name.
    pub machine: String,
    /// The text of the machine's profile.
    pub profile: String,
    /// The job that the program was made from, where it was.
    pub made: Option<MadeFrom>,
    /// What it went over.
    pub link: String,
    /// What the job calls its stock.
    pub material: Option<String>,
    /// Of what was held in the rotary, mm.
    pub diameter: Option<f64>,
    /// What the program counted from.
    pub zero: Option<String>,
    /// Its steps.
    pub steps: Vec<StepEntry>,
    /// How long it was planned to take, s.
    pub planned_seconds: f64,
    /// How the machine stood when it began.
    pub standing: ReportedStanding,
    /// What was said of it.
    pub note: Option<String>,
}

/// How far a run is.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reached {
    /// The last place at which the head was seen.
    pub seen: Place,
    /// No line behind this one was sent.
    pub sent: u32,
    /// The last line that the controller answered.
    pub acknowledged: u32,
    /// Where the head was at last, in the machine's own positions.
    pub position: Option<[Option<f64>; 6]>,
    /// How long it ran, s.
    pub seconds: f64,
}

/// How a run ended.
#[derive(Debug, Clone)]
pub struct Ending {
    /// How it ended, in one word.
    pub how: &'static str,
    /// Why, in words.
    pub why: Option<String>,
    /// What is said of the beam.
    pub dark: &'static str,
    /// Where the head is in the program.
    pub whereabouts: Whereabouts,
    /// How far it got.
    pub reached: Reached,
    /// Its steps.
    pub steps: Vec<StepEntry>,
}

/// A run as the log has it.
#[derive(Debug, Clone)]
pub struct RunEntry {
    /// Its number.
    pub id: i64,
    /// What was known when it began.
    pub began: Began,
    /// SHA-256 of its program, in hexadecimal.
    pub sha256: String,
    /// How far it got.
    pub reached: Reached,
    /// None: it runs, or its sender died.
    pub how: Option<String>,
    /// Why, in words.
    pub why: Option<String>,
    /// What is said of the beam.
    pub dark: Option<String>,
    /// Where the head stands in the program.
    pub marked: Marked,
    /// Runs that came after it: its rest, or once more.
    pub followed_by: Vec<i64>,
    /// Whether it was taken in from another log.
    pub brought: bool,
}

impl RunEntry {
    /// As a run that broke off.
    pub fn broken(&self) -> Broken {
        Broken {
            began: self.began.standing,
            marked: self.marked,
            seen: self.reached.seen,
            sent: self.reached.sent,
            position: self.reached.position,
        }
    }
}

/// Lines that may have gone out before the log is told for the first time how many did.
const FIRST_SENT: u32 = 2000;

/// The SHA-256 of a file and its length; it is read from the start, and put back there.
pub fn digest(program: &mut (impl Read + Seek)) -> std::io::Result<(String, u64)> {
    program.seek(SeekFrom::Start(0))?;
    let mut sum = Checksum::default();
    let length = std::io::copy(program, &mut sum)?;
    program.seek(SeekFrom::Start(0))?;
    Ok((sum.hex(), length))
}

fn as_json(value: &impl Serialize) -> Result<String, LogError> {
    Ok(serde_json::to_string(value)?)
}

impl Log {
    /// A run begins. Its number.
    ///
    /// # Errors
    /// What the disk or SQLite refuses.
    pub fn begin(&self, began: &Began, program: &mut (impl Read + Seek)) -> Result<i64, LogError> {
        let unreadable = |source| LogError::Write { what: "the program".into(), source };
        let (sha256, length) = digest(program).map_err(unreadable)?;
        let failed = self.failed();
        let whole = self.connection.unchecked_transaction().map_err(&failed)?;
        whole
            .execute(
                "INSERT INTO runs (kind, after, began, job, sha256, lines, machine, profile, link,
                   material, diameter, zero, steps, planned_seconds, standing, note, made, material_key,
                   seen_line, seen_way, seen_share, sent, acknowledged, seconds)
                 VALUES (:kind, :after, :began, :job, :sha256, :lines, :machine, :profile,
                   :link, :material, :diameter, :zero, :steps, :planned, :standing, :note, :made, :key, 1, 0, 0.0, :sent, 0, 0.0)",
                named_params! {
                    ":kind": began.kind.word(),
                    ":after": began.after,
                    ":began": began.began_ms,
                    ":job": began.job,
                    ":sent": FIRST_SENT,
                    ":sha256": sha256,
                    ":lines": began.lines,
                    ":machine": began.machine,
                    ":profile": began.profile,
                    ":link": began.link,
                    ":material": began.material,
                    ":diameter": began.diameter,
                    ":zero": began.zero,
                    ":steps": as_json(&began.steps)?,
                    ":planned": began.planned_seconds,
                    ":standing": as_json(&StandingEntry::from(began.standing))?,
                    ":note": began.note,
                    ":key": began.material.as_deref().map(material_key),
                    ":made": began.made.as_ref().map(as_json).transpose()?,
                },
            )
            .map_err(&failed)?;
        let run = self.connection.last_insert_rowid();
        self.connection
            .execute(
                "INSERT INTO programs (run, program) VALUES (:run, zeroblob(:length))",
                named_params! { ":run": run, ":length": length as i64 },
            )
            .map_err(&failed)?;
        self.store_program(run, program)?;
        whole.commit().map_err(&failed)?;
        Ok(run)
    }

    /// How far a run is.
    ///
    /// # Errors
    /// What the disk or SQLite refuses.
    pub fn record_reached(&self, run: i64, reached: &Reached) -> Result<(), LogError> {
        let mut statement = self
            .connection
            .prepare(
                "UPDATE runs SET seen_line = :line, seen_way = :way, seen_share = :share, sent = :sent,
                   acknowledged = :acknowledged, position = :position, seconds = :seconds WHERE id = :run",
            )
            .map_err(self.failed())?;
        let position = reached.position.map(|position| as_json(&position)).transpose()?;
        statement
            .execute(named_params! {
                ":line": reached.seen.line,
                ":way": reached.seen.way as i64,
                ":share": reached.seen.share,
                ":sent": reached.sent,
                ":acknowledged": reached.acknowledged,
                ":position": position,
                ":seconds": reached.seconds,
                ":run": run,
            })
            .map_err(self.failed())?;
        Ok(())
    }

    /// A run has ended.
    ///
    /// # Errors
    /// What the disk or SQLite refuses.
    pub fn end(&self, run: i64, ending: &Ending) -> Result<(), LogError> {
        self.record_reached(run, &ending.reached)?;
        let (word, here, there) = match ending.whereabouts {
            Whereabouts::End => ("end", None, None),
            Whereabouts::Here(place) => ("here", Some(place), None),
            Whereabouts::Between(from, to) => ("between", Some(from), Some(to)),
            Whereabouts::Asking => ("asking", None, None),
            Whereabouts::Lost => ("lost", None, None),
        };
        self.connection
            .execute(
                "UPDATE runs SET how = :how, why = :why, dark = :dark, whereabouts = :whereabouts, steps = :steps,
                   here_line = :here_line, here_way = :here_way, here_share = :here_share,
                   there_line = :there_line, there_way = :there_way, there_share = :there_share
                 WHERE id = :run",
                named_params! {
                    ":how": ending.how,
                    ":why": ending.why,
                    ":dark": ending.dark,
                    ":whereabouts": word,
                    ":steps": as_json(&ending.steps)?,
                    ":here_line": here.map(|place| place.line),
                    ":here_way": here.map(|place| place.way as i64),
                    ":here_share": here.map(|place| place.share),
                    ":there_line": there.map(|place| place.line),
                    ":there_way": there.map(|place| place.way as i64),
                    ":there_share": there.map(|place| place.share),
                    ":run": run,
                },
            )
            .map_err(self.failed())?;
        Ok(())
    }

    /// What somebody says of a run, behind what was said of it before.
    ///
    /// # Errors
    /// A run that is not there, or what SQLite refuses.
    pub fn note(&self, run: i64, text: &str) -> Result<(), LogError> {
        let changed = self
            .connection
            .execute(
                "UPDATE runs SET note = coalesce(note || '; ', '') || :text WHERE id = :run",
                named_params! { ":text": text, ":run": run },
            )
            .map_err(self.failed())?;
        if changed == 0 { Err(self.no_run(run)) } else { Ok(()) }
    }

    fn no_run(&self, run: i64) -> LogError {
        LogError::NoRun { run, path: self.path.clone() }
    }

    /// One run; when no number is said, the last that was run from here.
    ///
    /// # Errors
    /// A run that is not there.
    pub fn entry(&self, run: Option<i64>) -> Result<RunEntry, LogError> {
        let sql = format!(
            "SELECT {COLUMNS} FROM runs WHERE CASE WHEN :run IS NULL THEN brought IS NULL ELSE id = :run END
             ORDER BY id DESC LIMIT 1"
        );
        let found = self
            .connection
            .query_row(&sql, named_params! { ":run": run }, row)
            .optional()
            .map_err(self.failed())?;
        let mut entry = found.ok_or_else(|| match run {
            Some(run) => self.no_run(run),
            None => LogError::NoRuns { path: self.path.clone() },
        })?;
        self.follow(&mut entry)?;
        Ok(entry)
    }

    /// The last runs, the latest first.
    ///
    /// # Errors
    /// What SQLite refuses.
    pub fn entries(&self, most: u32) -> Result<Vec<RunEntry>, LogError> {
        let sql = format!("SELECT {COLUMNS} FROM runs ORDER BY id DESC LIMIT :most");
        let failed = self.failed();
        let mut statement = self.connection.prepare(&sql).map_err(&failed)?;
        let rows = statement.query_map(named_params! { ":most": most }, row).map_err(&failed)?;
        let mut entries: Vec<RunEntry> = rows.collect::<Result<_, _>>().map_err(&failed)?;
        entries.iter_mut().try_for_each(|entry| self.follow(entry))?;
        Ok(entries)
    }

    fn follow(&self, entry: &mut RunEntry) -> Result<(), LogError> {
        let failed = self.failed();
        let mut statement = self
            .connection
            .prepare("SELECT id FROM runs WHERE after = :run AND kind = 'go-on' ORDER BY id")
            .map_err(&failed)?;
        let rows = statement
            .query_map(named_params! { ":run": entry.id }, |row| row.get(0))
            .map_err(&failed)?;
        entry.followed_by = rows.collect::<Result<_, _>>().map_err(&failed)?;
        Ok(())
    }
}

/// What is read of a run: everything but its program.
const COLUMNS: &str = "id, kind, after, began, job, sha256, lines, machine, profile, link, material, diameter, zero,
  steps, planned_seconds, standing, note, seen_line, seen_way, seen_share, sent, acknowledged, position,
  seconds, how, why, dark, whereabouts, here_line, here_way, here_share, there_line, there_way, there_share, made, brought";

fn row(row: &Row<'_>) -> rusqlite::Result<RunEntry> {
    let json = |name: &str| row.get::<_, String>(name);
    let broken = |error: serde_json::Error| {
        rusqlite::Error::FromSqlConversionFailure(0, rusqlite::types::Type::Text, Box::new(error))
    };
    let place = |name: &str| -> rusqlite::Result<Option<Place>> {
        let line: Option<u32> = row.get(format!("{name}_line").as_str())?;
        let way: Option<i64> = row.get(format!("{name}_way").as_str())?;
        let share: Option<f64> = row.get(format!("{name}_share").as_str())?;
        Ok(line.zip(way).zip(share).map(|((line, way), share)| Place {
            line,
            way: usize::try_from(way).unwrap_or(0),
            share,
        }))
    };
    let kind: String = row.get("kind")?;
    let whereabouts: Option<String> = row.get("whereabouts")?;
    let marked = match (whereabouts.as_deref(), place("here")?, place("there")?) {
        (None | Some("asking"), ..) => Marked::Asking,
        (Some("end"), ..) => Marked::End,
        (Some("here"), Some(place), _) => Marked::Here(place),
        (Some("between"), Some(from), Some(to)) => Marked::Between(from, to),
        _ => Marked::Lost,
    };
    let position: Option<String> = row.get("position")?;
    Ok(RunEntry {
        id: row.get("id")?,
        began: Began {
            kind: RunKind::ALL.into_iter().find(|k| k.word() == kind).unwrap_or(RunKind::Run),
            after: row.get("after")?,
            began_ms: row.get("began")?,
            job: row.get("job")?,
            lines: row.get("lines")?,
            machine: row.get("machine")?,
            profile: row.get("profile")?,
            // Written by this program; what it cannot read any more it does not know.
            made: row
                .get::<_, Option<String>>("made")?
                .and_then(|text| serde_json::from_str(&text).ok()),
            link: row.get("link")?,
            material: row.get("material")?,
            diameter: row.get("diameter")?,
            zero: row.get("zero")?,
            steps: serde_json::from_str(&json("steps")?).map_err(broken)?,
            planned_seconds: row.get("planned_seconds")?,
            standing: serde_json::from_str::<StandingEntry>(&json("standing")?)
                .map_err(broken)?
                .into(),
            note: row.get("note")?,
        },
        sha256: row.get("sha256")?,
        reached: Reached {
            seen: place("seen")?.unwrap_or_default(),
            sent: row.get("sent")?,
            acknowledged: row.get("acknowledged")?,
            position: position
                .map(|text| serde_json::from_str(&text))
                .transpose()
                .map_err(broken)?,
            seconds: row.get("seconds")?,
        },
        how: row.get("how")?,
        why: row.get("why")?,
        dark: row.get("dark")?,
        marked,
        followed_by: Vec::new(),
        brought: row.get::<_, Option<i64>>("brought")?.is_some(),
    })
}
