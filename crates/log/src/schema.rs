//! How the log is laid out, and how an older one is brought up to date.

use rusqlite::{Connection, TransactionBehavior, named_params};
use tinkite_job::recipe::material_key;

/// What each version adds; never changed once it is out.
const STEPS: [&str; 3] = [
    "
CREATE TABLE runs (
    id INTEGER PRIMARY KEY,
    -- run, go-on, again, from-line
    kind TEXT NOT NULL,
    -- the run that it goes on with or repeats
    after INTEGER REFERENCES runs (id),
    -- times are milliseconds since 1970, UTC
    began INTEGER NOT NULL,
    job TEXT NOT NULL,
    sha256 TEXT NOT NULL,
    lines INTEGER NOT NULL,
    machine TEXT NOT NULL,
    -- the whole profile, as it was read
    profile TEXT NOT NULL,
    link TEXT NOT NULL,
    material TEXT,
    -- diameter of what the rotary held, mm
    diameter REAL,
    -- what the program counts from
    zero TEXT,
    -- each step: name, first line, planned and real seconds, settings; JSON
    steps TEXT NOT NULL,
    planned_seconds REAL NOT NULL,
    -- how the machine stood: axes, offset, G92; JSON
    standing TEXT NOT NULL,
    note TEXT,
    -- how far the head was seen, and what it had been told
    seen_line INTEGER NOT NULL,
    seen_way INTEGER NOT NULL,
    seen_share REAL NOT NULL,
    -- no line behind this one was sent
    sent INTEGER NOT NULL,
    acknowledged INTEGER NOT NULL,
    position TEXT,
    seconds REAL NOT NULL,
    -- done, stopped, failed; none while it runs, and after its sender died
    how TEXT,
    why TEXT,
    dark TEXT,
    -- end, here, between, asking, lost
    whereabouts TEXT,
    here_line INTEGER,
    here_way INTEGER,
    here_share REAL,
    there_line INTEGER,
    there_way INTEGER,
    there_share REAL
) STRICT;
-- The blob comes last, so that it is never held in memory as a whole.
CREATE TABLE programs (
    run INTEGER PRIMARY KEY REFERENCES runs (id),
    program BLOB NOT NULL
) STRICT;
CREATE INDEX runs_after ON runs (after);
",
    "
-- how a step of a run went, as somebody noted it; what was noted last counts
CREATE TABLE outcomes (
    run INTEGER NOT NULL REFERENCES runs (id),
    step TEXT NOT NULL,
    -- good, through, not-through, charred, pale, other
    outcome TEXT NOT NULL,
    note TEXT,
    -- milliseconds since 1970, UTC
    noted INTEGER NOT NULL
) STRICT;
CREATE INDEX outcomes_run ON outcomes (run);
",
    "
-- which job it was made from, for which machine, and what of it; JSON
ALTER TABLE runs ADD COLUMN made TEXT;
-- when it was taken in from another log, milliseconds since 1970, UTC; none for what was run from here
ALTER TABLE runs ADD COLUMN brought INTEGER;
CREATE INDEX runs_began ON runs (began);
-- the material without what does not matter of it, so that what was tried on it is found at once
ALTER TABLE runs ADD COLUMN material_key TEXT;
CREATE INDEX runs_material ON runs (material_key);
",
];

/// Why a log cannot be brought up to date.
#[derive(Debug)]
pub(super) enum Outdated {
    /// A later version wrote it.
    Later {
        found: usize,
        known: usize,
    },
    Sql(rusqlite::Error),
}

impl From<rusqlite::Error> for Outdated {
    fn from(error: rusqlite::Error) -> Self {
        Self::Sql(error)
    }
}

/// Makes the tables, or changes those of an earlier version.
///
/// # Errors
/// A log of a later version, or what SQLite refuses.
pub(super) fn bring_up_to_date(connection: &Connection) -> Result<(), Outdated> {
    let version = |connection: &Connection| {
        connection.pragma_query_value(None, "user_version", |row| row.get::<_, i64>(0))
    };
    if version(connection)? == STEPS.len() as i64 {
        return Ok(());
    }
    // Another process may do the same at this moment.
    let change = rusqlite::Transaction::new_unchecked(connection, TransactionBehavior::Immediate)?;
    let found = version(&change)?;
    let found = usize::try_from(found).unwrap_or(usize::MAX);
    let Some(steps) = STEPS.get(found..) else {
        return Err(Outdated::Later { found, known: STEPS.len() });
    };
    for step in steps {
        change.execute_batch(step)?;
    }
    if found < 3 {
        name_materials(&change)?;
    }
    change.pragma_update(None, "user_version", STEPS.len() as i64)?;
    change.commit()?;
    Ok(())
}

/// Gives the runs of an earlier version the keys of their materials.
fn name_materials(connection: &Connection) -> rusqlite::Result<()> {
    let mut all =
        connection.prepare("SELECT DISTINCT material FROM runs WHERE material IS NOT NULL")?;
    let all: Vec<String> = all.query_map([], |row| row.get(0))?.collect::<Result<_, _>>()?;
    for material in all {
        connection.execute(
            "UPDATE runs SET material_key = :key WHERE material = :material",
            named_params! { ":key": material_key(&material), ":material": material },
        )?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_log_of_an_earlier_version_knows_what_was_tried_on_which_material() {
        let log = Connection::open_in_memory().unwrap();
        STEPS[..2].iter().for_each(|step| log.execute_batch(step).unwrap());
        log.pragma_update(None, "user_version", 2).unwrap();
        log.execute_batch(
            "INSERT INTO runs (kind, began, job, sha256, lines, machine, profile, link, material, steps,
               planned_seconds, standing, seen_line, seen_way, seen_share, sent, acknowledged, seconds)
             VALUES ('run', 0, 'a', '', 1, 'm', '', 'rig:', 'Poplar  plywood', '[]', 1.0, '{}', 1, 0, 0.0, 0, 0, 0.0)",
        )
        .unwrap();
        bring_up_to_date(&log).unwrap();
        let key: String =
            log.query_row("SELECT material_key FROM runs", [], |row| row.get(0)).unwrap();
        assert_eq!(key, "poplar plywood");
        // Once more changes nothing, and a later version is left alone.
        bring_up_to_date(&log).unwrap();
        log.pragma_update(None, "user_version", 99).unwrap();
        assert!(matches!(bring_up_to_date(&log), Err(Outdated::Later { found: 99, .. })));
    }
}
