//! Runs on their way from one log to another: a JSON object a line.

use super::{ImportError, Log, LogError, RunKind, Verdict};
use base64::Engine as _;
use base64::engine::general_purpose::STANDARD;
use flate2::Compression;
use flate2::read::{GzDecoder, GzEncoder};
use rusqlite::types::{Value as Cell, ValueRef};
use rusqlite::{OptionalExtension, named_params, params_from_iter};
use serde_json::{Map, Value};
use std::collections::BTreeMap;
use std::io::{BufRead, Read, Seek, SeekFrom, Write};
use tinkite_job::recipe::material_key;

/// What the first line says: which kind of file it is, and of which layout.
const HEAD: &str = "tinkite-log";
const LAYOUT: u64 = 1;

/// No line is longer: a program of a hundred million lines.
const LONGEST_LINE: u64 = 1 << 30;

/// No program is longer once it is unpacked.
const LONGEST_PROGRAM: u64 = 1 << 32;

/// What a run says of its end in single words, and which there are.
const WORDS: [(&str, &[&str]); 3] = [
    ("how", &["done", "stopped", "failed"]),
    ("dark", &["confirmed", "asked", "unknown", "untouched"]),
    ("whereabouts", &["end", "here", "between", "asking", "lost"]),
];

/// What goes along of a run, beside its number, what it followed and how its steps went: not where its job lay.
const COLUMNS: [&str; 32] = [
    "kind",
    "began",
    "job",
    "sha256",
    "lines",
    "machine",
    "profile",
    "link",
    "material",
    "diameter",
    "zero",
    "steps",
    "planned_seconds",
    "standing",
    "note",
    "seen_line",
    "seen_way",
    "seen_share",
    "sent",
    "acknowledged",
    "position",
    "seconds",
    "how",
    "why",
    "dark",
    "whereabouts",
    "here_line",
    "here_way",
    "here_share",
    "there_line",
    "there_way",
    "there_share",
];

/// What is JSON in the log as well.
const JSON: [&str; 3] = ["steps", "standing", "position"];

/// What an import did.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Carried {
    /// Runs that were new here.
    pub new: usize,
    /// Runs that were here already.
    pub known: usize,
    /// Results that somebody had noted, and that were new here.
    pub noted: usize,
}

impl Log {
    /// Writes every run, the earliest first, and how many they were; programs go along where that is asked for.
    ///
    /// # Errors
    /// What the disk or SQLite refuses.
    pub fn carry_out(&self, programs: bool, out: &mut dyn Write) -> Result<usize, LogError> {
        let failed = self.failed();
        let written = |source| LogError::Write { what: "the runs".into(), source };
        let head = Map::from_iter([(HEAD.to_string(), Value::from(LAYOUT))]);
        writeln!(out, "{}", Value::Object(head)).map_err(written)?;
        let sql = format!("SELECT id, after, {} FROM runs ORDER BY id", COLUMNS.join(", "));
        let mut statement = self.connection.prepare(&sql).map_err(&failed)?;
        let mut rows = statement.query([]).map_err(&failed)?;
        let mut count = 0;
        while let Some(row) = rows.next().map_err(&failed)? {
            let mut run = Map::new();
            let names = ["run", "after"].into_iter().chain(COLUMNS);
            for (n, name) in names.enumerate() {
                let value = json(name, row.get_ref(n).map_err(&failed)?);
                run.extend((!value.is_null()).then(|| (name.to_string(), value)));
            }
            let id: i64 = row.get(0).map_err(&failed)?;
            let results = self.results(id)?;
            run.extend((!results.is_empty()).then(|| ("results".to_string(), results.into())));
            if programs && self.has_program(id)? {
                run.insert("program".into(), pack(&mut self.program(id)?)?.into());
            }
            writeln!(out, "{}", Value::Object(run)).map_err(written)?;
            count += 1;
        }
        Ok(count)
    }

    /// How the steps of a run went, as somebody noted it.
    fn results(&self, run: i64) -> Result<Vec<Value>, LogError> {
        let failed = self.failed();
        let mut statement = self
            .connection
            .prepare("SELECT step, outcome, note, noted FROM outcomes WHERE run = :run ORDER BY noted, rowid")
            .map_err(&failed)?;
        let rows = statement
            .query_map(named_params! { ":run": run }, |row| {
                let text = |n| row.get::<_, Option<String>>(n);
                Ok(serde_json::json!({
                    "step": text(0)?, "result": text(1)?, "note": text(2)?, "noted": row.get::<_, i64>(3)?,
                }))
            })
            .map_err(&failed)?;
        rows.collect::<Result<_, _>>().map_err(&failed)
    }

    /// Whether the log holds the program of a run.
    pub fn has_program(&self, run: i64) -> Result<bool, LogError> {
        let found = self.connection.query_row(
            "SELECT 1 FROM programs WHERE run = :run",
            named_params! { ":run": run },
            |_| Ok(()),
        );
        Ok(found.optional().map_err(self.failed())?.is_some())
    }

    /// Takes in the runs of another log: all of them, or none.
    ///
    /// # Errors
    /// What is no such file, with its line, and what the disk or SQLite refuses.
    pub fn carry_in(
        &self,
        name: &str,
        from: &mut impl BufRead,
        now_ms: i64,
    ) -> Result<Carried, LogError> {
        let whole = self.connection.unchecked_transaction().map_err(self.failed())?;
        let mut carried = Carried::default();
        let mut numbers: BTreeMap<i64, i64> = BTreeMap::new();
        let mut line = 0;
        loop {
            line += 1;
            let wrong = |why| LogError::Import { file: name.into(), line, why };
            let Some(object) = next(from).map_err(wrong)? else { break };
            if line == 1 {
                match object.get(HEAD).and_then(Value::as_u64) {
                    Some(LAYOUT) => continue,
                    Some(_) => return Err(wrong(ImportError::Later)),
                    None => return Err(wrong(ImportError::NoHead)),
                }
            }
            let brought = self.bring(&object, &numbers, now_ms).map_err(wrong)?;
            numbers.insert(brought.there, brought.here);
            carried.noted += self.bring_results(&object, brought.here).map_err(wrong)?;
            let program = object.get("program");
            if program.is_some() && !self.has_program(brought.here)? {
                let sha256 = object.get("sha256").and_then(Value::as_str).unwrap_or_default();
                let packed = program.and_then(Value::as_str).unwrap_or_default();
                self.bring_program(brought.here, packed, sha256).map_err(wrong)?;
            }
            *if brought.new { &mut carried.new } else { &mut carried.known } += 1;
            // What cannot be read back would spoil the whole log.
            self.entry(Some(brought.here)).map_err(|_| wrong(ImportError::NoRun))?;
        }
        if line == 1 {
            return Err(LogError::Empty { file: name.into() });
        }
        whole.commit().map_err(self.failed())?;
        Ok(carried)
    }

    /// Puts a run in, unless it is there.
    fn bring(
        &self,
        run: &Map<String, Value>,
        numbers: &BTreeMap<i64, i64>,
        now_ms: i64,
    ) -> Result<Brought, ImportError> {
        let number = |key: &str| run.get(key).and_then(Value::as_i64);
        let text = |key: &str| run.get(key).and_then(Value::as_str);
        let there = number("run").ok_or(ImportError::NoNumber)?;
        let known = ["run", "after", "results", "program"];
        if let Some(other) = run
            .keys()
            .find(|key| !known.contains(&key.as_str()) && !COLUMNS.contains(&key.as_str()))
        {
            return Err(ImportError::Unknown(other.clone()));
        }
        let kind = text("kind").unwrap_or_default();
        if !RunKind::ALL.iter().any(|known| known.word() == kind) {
            return Err(ImportError::RunKind(kind.into()));
        }
        for (key, words) in WORDS {
            let said = run.get(key).filter(|said| !said.is_null());
            if let Some(said) =
                said.filter(|said| !said.as_str().is_some_and(|word| words.contains(&word)))
            {
                let words = words.join(", ");
                return Err(ImportError::Line(format!("{key} is {said}, and may be {words}")));
            }
        }
        let here: Option<i64> = self
            .connection
            .query_row(
                "SELECT id FROM runs WHERE began = :began AND sha256 = :sha256 AND job = :job",
                named_params! { ":began": number("began"), ":sha256": text("sha256"), ":job": text("job") },
                |row| row.get(0),
            )
            .optional()?;
        if let Some(here) = here {
            self.connection.execute(
                "UPDATE runs SET note = :note WHERE id = :run AND note IS NULL",
                named_params! { ":note": text("note"), ":run": here },
            )?;
            return Ok(Brought { there, here, new: false });
        }
        let marks = vec!["?"; COLUMNS.len() + 3].join(", ");
        let sql = format!(
            "INSERT INTO runs ({}, after, brought, material_key) VALUES ({marks})",
            COLUMNS.join(", ")
        );
        let mut cells: Vec<Cell> =
            COLUMNS.iter().map(|name| cell(name, run.get(*name))).collect::<Result<_, _>>()?;
        let after = number("after").and_then(|after| numbers.get(&after));
        cells.push(after.map_or(Cell::Null, |after| Cell::Integer(*after)));
        cells.push(Cell::Integer(now_ms));
        cells.push(text("material").map_or(Cell::Null, |name| Cell::Text(material_key(name))));
        self.connection.execute(&sql, params_from_iter(cells))?;
        Ok(Brought { there, here: self.connection.last_insert_rowid(), new: true })
    }

    /// Puts in what somebody noted of its steps, where it is not there; how many that were.
    fn bring_results(&self, run: &Map<String, Value>, here: i64) -> Result<usize, ImportError> {
        let results = run.get("results").and_then(Value::as_array);
        let mut new = 0;
        for result in results.into_iter().flatten() {
            let text = |key: &str| result.get(key).and_then(Value::as_str);
            let (Some(step), Some(outcome)) = (text("step"), text("result")) else {
                return Err(ImportError::Line("a result says neither step nor result".into()));
            };
            if !Verdict::is_word(outcome) {
                return Err(ImportError::Line(format!("no result is called \"{outcome}\"")));
            }
            let noted = result
                .get("noted")
                .and_then(Value::as_i64)
                .ok_or_else(|| ImportError::Line("a result has no time (noted)".into()))?;
            new += self
                .connection
                .execute(
                    "INSERT INTO outcomes (run, step, outcome, note, noted)
                     SELECT :run, :step, :outcome, :note, :noted WHERE NOT EXISTS
                     (SELECT 1 FROM outcomes WHERE run = :run AND step = :step AND outcome = :outcome AND noted = :noted)",
                    named_params! {
                        ":run": here, ":step": step, ":outcome": outcome, ":note": text("note"), ":noted": noted,
                    },
                )?;
        }
        Ok(new)
    }

    /// Puts in the program of a run, which must be the one that it was run with.
    fn bring_program(&self, run: i64, packed: &str, sha256: &str) -> Result<(), ImportError> {
        let words = |error: std::io::Error| ImportError::Line(format!("its program: {error}"));
        let bytes = STANDARD
            .decode(packed)
            .map_err(|error| ImportError::Line(format!("its program: {error}")))?;
        let mut file = tempfile::tempfile().map_err(words)?;
        let mut unpacked = GzDecoder::new(&bytes[..]).take(LONGEST_PROGRAM);
        let length = std::io::copy(&mut unpacked, &mut file).map_err(words)?;
        file.seek(SeekFrom::Start(0)).map_err(words)?;
        let (found, _) = super::digest(&mut file).map_err(words)?;
        if found != sha256 {
            let why = "its program is not the one that its SHA-256 says";
            return Err(ImportError::Line(why.into()));
        }
        self.connection.execute(
            "INSERT INTO programs (run, program) VALUES (:run, zeroblob(:length))",
            named_params! { ":run": run, ":length": length as i64 },
        )?;
        self.store_program(run, &mut file).map_err(|error| ImportError::Line(error.to_string()))
    }
}

/// A run that is here now.
struct Brought {
    /// Its number where it comes from.
    there: i64,
    here: i64,
    new: bool,
}

/// The object of the next line; none behind the last one.
fn next(from: &mut impl BufRead) -> Result<Option<Map<String, Value>>, ImportError> {
    let mut text = String::new();
    let count = from.take(LONGEST_LINE).read_line(&mut text);
    let count = count?;
    if count == 0 {
        return Ok(None);
    }
    if !text.ends_with('\n') && count as u64 == LONGEST_LINE {
        return Err(ImportError::Line("the line is too long".into()));
    }
    match serde_json::from_str(&text) {
        Ok(Value::Object(object)) => Ok(Some(object)),
        Ok(_) => Err(ImportError::NoHead),
        Err(error) => Err(ImportError::Line(format!("it is no JSON ({error})"))),
    }
}

/// A cell of the log as JSON.
fn json(name: &str, cell: ValueRef<'_>) -> Value {
    match cell {
        ValueRef::Null | ValueRef::Blob(_) => Value::Null,
        ValueRef::Integer(value) => value.into(),
        ValueRef::Real(value) => value.into(),
        ValueRef::Text(text) => {
            let text = String::from_utf8_lossy(text);
            let nested = JSON.contains(&name).then(|| serde_json::from_str(&text).ok()).flatten();
            nested.unwrap_or_else(|| text.into())
        }
    }
}

/// The same the other way round.
fn cell(name: &str, value: Option<&Value>) -> Result<Cell, ImportError> {
    Ok(match value {
        None | Some(Value::Null) => Cell::Null,
        Some(value) if JSON.contains(&name) => Cell::Text(value.to_string()),
        Some(Value::String(text)) => Cell::Text(text.clone()),
        Some(Value::Number(number)) => match (number.as_i64(), number.as_f64()) {
            (Some(whole), _) => Cell::Integer(whole),
            (None, Some(real)) => Cell::Real(real),
            (None, None) => return Err(ImportError::TooLarge(name.into())),
        },
        Some(_) => return Err(ImportError::WrongType(name.into())),
    })
}

/// A program, packed into text.
fn pack(program: &mut impl Read) -> Result<String, LogError> {
    let mut bytes = Vec::new();
    GzEncoder::new(program, Compression::default())
        .read_to_end(&mut bytes)
        .map_err(|source| LogError::Write { what: "a program".into(), source })?;
    Ok(STANDARD.encode(bytes))
}
