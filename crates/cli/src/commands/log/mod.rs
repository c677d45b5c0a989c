//! `tinkite log`: past runs.

mod carried;
mod found;

use crate::args::{LogCommand, LogNote};
use crate::console::Console;
use std::io::{BufRead, BufReader};
use std::path::Path;
use tinkite_core::job::recipe::{Kept, count_use, read_book};
use tinkite_core::quantity::{clock, plain};
use tinkite_files::books;
use tinkite_files::log;
use tinkite_files::refusal::Refusal;
use tinkite_log::{Log, RunEntry};
use tinkite_report::run::{RunJson, flat, line};
use tinkite_report::table::table;
use tinkite_run::Marked;

pub(super) fn run(command: &LogCommand, console: &Console) -> Result<(), Refusal> {
    let open = |said: Option<&Path>| Ok::<_, Refusal>(Log::look_into(&log::path(said)?)?);
    match command {
        LogCommand::List(args) => {
            list(&open(args.log.path.as_deref())?.entries(args.last)?, console)
        }
        LogCommand::Show(args) => {
            let log = open(args.log.path.as_deref())?;
            show(&log, &log.entry(args.run)?, console)
        }
        LogCommand::Note(args) => note(&open(args.log.path.as_deref())?, args, console),
        LogCommand::Find(args) => found::run(&open(args.log.path.as_deref())?, args, console),
        LogCommand::Export(args) => carried::export(args, console),
        LogCommand::Import(args) => carried::import(args, console),
    }
}

/// Notes something of a run: words, or how a step went, which counts for the recipe that it used unchanged.
fn note(log: &Log, args: &LogNote, console: &Console) -> Result<(), Refusal> {
    let Some(outcome) = args.result else {
        if args.step.is_some() {
            return Err(Refusal::Usage("--step goes with --result: how did it go?".into()));
        }
        let Some(text) = &args.text else {
            return Err(Refusal::Usage("what is noted? say it in words, or --result good".into()));
        };
        log.note(args.run, text)?;
        return if console.json {
            Ok(())
        } else {
            console.result(&format!("run {}: noted", args.run))
        };
    };
    let now = jiff::Timestamp::now().as_millisecond();
    let step =
        log.note_outcome(args.run, args.step.as_deref(), outcome, args.text.as_deref(), now)?;
    if !console.json {
        console.result(&format!("run {}, {}: {}", args.run, step.name, outcome.word()))?;
    }
    let Some(used) = step.tried.and_then(|tried| tried.recipe) else { return Ok(()) };
    let path = Path::new(&used.book);
    let standing = |text: &str| {
        let book = read_book(&used.book, text, Kept::Own);
        book.recipes.iter().find(|recipe| recipe.to_string() == used.title).map(|r| r.number)
    };
    let mut counted_it = false;
    if path.exists() {
        books::change(path, |text| match standing(text) {
            Some(number) => {
                counted_it = true;
                count_use(text, number, outcome.is_good())
            }
            None => Ok(text.to_string()),
        })?;
    }
    console.say(&match counted_it {
        true => format!("it counts for the recipe {} in {}", used.title, used.book),
        false => {
            format!("the recipe {} is no longer in {}: nothing was counted", used.title, used.book)
        }
    });
    Ok(())
}

/// When it began, as the clock on the wall said.
fn time(entry: &RunEntry) -> String {
    let zone = jiff::tz::TimeZone::system();
    jiff::Timestamp::from_millisecond(entry.began.began_ms).map_or_else(
        |_| "?".into(),
        |time| zone.to_datetime(time).strftime("%Y-%m-%d %H:%M").to_string(),
    )
}

/// How it ended, in a word or two.
fn how(entry: &RunEntry) -> String {
    match (entry.how.as_deref(), entry.followed_by.last()) {
        (Some("done"), _) => "done".into(),
        (Some(how), Some(next)) => format!("{how}, gone on by {next}"),
        (Some(how), None) => how.into(),
        (None, Some(next)) => format!("broke off, gone on by {next}"),
        (None, None) => "broke off, or running".into(),
    }
}

fn list(entries: &[RunEntry], console: &Console) -> Result<(), Refusal> {
    if console.json {
        return console.json(&entries.iter().map(RunJson::from).collect::<Vec<_>>());
    }
    let rows = entries
        .iter()
        .map(|entry| {
            let kind = match entry.began.after {
                Some(after) => format!("{} {after}", entry.began.kind.word()),
                None => entry.began.kind.word().to_string(),
            };
            let kind = if entry.brought { format!("{kind}, from elsewhere") } else { kind };
            vec![
                entry.id.to_string(),
                time(entry),
                entry.began.job.trim_start_matches("the program of ").to_string(),
                kind,
                how(entry),
                format!("{} of {}", line(entry), entry.began.lines),
                clock(entry.reached.seconds),
                entry.began.note.clone().unwrap_or_default(),
            ]
        })
        .collect();
    let header = ["run", "began", "what", "kind", "how it ended", "line", "took", "note"];
    console.result(&table(&header, rows, &[0, 5, 6]))
}

/// The part of a program at which a run ended, as its comments call it; `None` where they call it nothing.
fn part(log: &Log, entry: &RunEntry) -> Result<Option<String>, Refusal> {
    if !log.has_program(entry.id)? {
        return Ok(None);
    }
    let program = BufReader::new(log.program(entry.id)?);
    let mut part = None;
    for text in program.lines().take(line(entry) as usize).map_while(Result::ok) {
        let text = text.trim_start_matches([';', '(', ' ']);
        if text.starts_with("step ") {
            part = None;
        } else if let Some((_, name)) = text.strip_prefix("part ").and_then(|t| t.split_once(": "))
        {
            part = Some(name.trim_end_matches(')').to_string());
        }
    }
    Ok(part)
}

fn show(log: &Log, entry: &RunEntry, console: &Console) -> Result<(), Refusal> {
    if console.json {
        return console.json(&RunJson::from(entry));
    }
    let began = &entry.began;
    let mut lines = vec![
        format!("run {}: {}", entry.id, began.job),
        format!("began {}, on {} ({})", time(entry), began.machine, began.link),
    ];
    lines.extend(entry.brought.then(|| "taken in from another log".to_string()));
    lines.extend(began.material.as_ref().map(|material| format!("material: {material}")));
    if let Some(after) = began.after {
        lines.push(format!(
            "{} of run {after}",
            match began.kind.word() {
                "again" => "a repetition",
                _ => "the rest",
            }
        ));
    }
    lines.push(format!(
        "{}, in {}, planned {}",
        how(entry),
        clock(entry.reached.seconds),
        clock(began.planned_seconds)
    ));
    lines.extend(entry.why.as_ref().map(|why| format!("because {why}")));
    let beam = match entry.dark.as_deref() {
        Some("confirmed") => "the beam was seen to be off",
        Some("untouched") => "nothing that lights the beam was sent",
        Some("asked") => "the beam was told to go off, and that was not confirmed",
        _ => "whether the beam went off is not known",
    };
    lines.push(beam.into());
    let at = flat(entry)
        .map_or(String::new(), |[x, y]| format!(", head at X {} Y {}", plain(x, 2), plain(y, 2)));
    lines.push(format!(
        "line {} of {}{at}; {} taken, {} sent",
        line(entry),
        began.lines,
        entry.reached.acknowledged,
        entry.reached.sent
    ));
    let done = matches!(entry.marked, Marked::End);
    if let Some(part) = if done { None } else { part(log, entry)? } {
        lines.push(format!("part: {part}"));
    }
    if let Some((first, last)) = began.made.as_ref().and_then(|made| made.numbers) {
        lines.push(format!("serial numbers {first} to {last}"));
    }
    let rest = match entry.marked {
        _ if !entry.followed_by.is_empty() => None,
        Marked::End => None,
        Marked::Here(_) => Some("the place is certain"),
        Marked::Between(..) => Some("the path leads by the place more than once"),
        Marked::Asking => Some("where the head is must be asked"),
        Marked::Lost => Some("the place is not certain"),
    };
    lines.extend(rest.map(|rest| format!("{rest}: tinkite run --go-on {} finishes it", entry.id)));
    lines.extend(began.note.as_ref().map(|note| format!("note: {note}")));
    lines.push(format!("program: {} lines, SHA-256 {}", began.lines, entry.sha256));
    let rows: Vec<Vec<String>> = began
        .steps
        .iter()
        .map(|step| {
            vec![
                step.name.clone(),
                step.line.to_string(),
                clock(step.planned_seconds),
                step.seconds.map_or("-".into(), clock),
                step.settings.clone(),
            ]
        })
        .collect();
    if !rows.is_empty() {
        lines.push(String::new());
        lines.push(table(&["step", "line", "planned", "took", "how"], rows, &[1, 2, 3]));
    }
    console.result(&lines.join("\n"))
}
