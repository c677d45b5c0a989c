//! The same job on piece after piece, or sheet after sheet: the checklist once, and a key for each next one.

use super::next_piece::{Somebody, Word};
use super::set_out::Set;
use super::{Over, Turn, checklist, has_screen, hear_out, once};
use crate::args::{Run, Sheets};
use crate::console::Console;
use crate::door::{self, Doubts};
use serde::Serialize;
use std::path::Path;
use std::sync::atomic::Ordering;
use tinkite_core::problem::count;
use tinkite_files::numbers;
use tinkite_files::refusal::Refusal;
use tinkite_log::MadeFrom;
use tinkite_operate::stopping::Stopping;

/// Whether a call makes more than one run, one after the other.
pub(super) fn are_several(args: &Run) -> bool {
    args.pieces.is_some() || matches!(args.part.sheet, Some(Sheets::Several { .. }))
}

/// What `--json` tells before each.
#[derive(Debug, Serialize)]
struct PieceJson {
    event: &'static str,
    piece: u32,
    of: u32,
    #[serde(skip_serializing_if = "Option::is_none")]
    sheet: Option<u32>,
    /// The first and the last serial number on it.
    #[serde(skip_serializing_if = "Option::is_none")]
    numbers: Option<(u32, u32)>,
    /// Whether a line on standard input is waited for.
    waits: bool,
}

/// How far it is.
struct Series {
    /// Pieces of each sheet.
    pieces: u32,
    /// Which sheets; `None`: the job's own.
    sheets: Option<Sheets>,
    /// The last of them, as soon as it is known.
    last_sheet: Option<u32>,
    /// How many are done.
    done: u32,
    /// Whether the call begins with a piece that broke off.
    goes_on: bool,
}

impl Series {
    fn of(args: &Run) -> Self {
        let sheets = args.part.sheet.filter(|sheets| matches!(sheets, Sheets::Several { .. }));
        Self {
            pieces: args.pieces.unwrap_or(1),
            sheets,
            last_sheet: None,
            done: 0,
            goes_on: args.go_on.is_some(),
        }
    }

    /// The first sheet, and how many there are.
    fn sheets(&self) -> (u32, u32) {
        let first = self.sheets.map_or(1, Sheets::first);
        (first, self.last_sheet.map_or(1, |last| last + 1 - first))
    }

    /// How many there are in all.
    fn all(&self) -> u32 {
        self.pieces * self.sheets().1
    }

    /// Whether anything is left; before it is known how many sheets there are, the first is.
    fn is_over(&self) -> bool {
        self.done >= self.all()
    }

    /// The sheet that is next.
    fn sheet(&self) -> Option<u32> {
        let (first, count) = self.sheets();
        self.sheets.map(|_| first + self.done % count)
    }

    /// What is next, in words.
    fn next(&self) -> String {
        let round = self.done / self.sheets().1 + 1;
        match self.sheet() {
            None => format!("piece {} of {}", self.done + 1, self.pieces),
            Some(sheet) => {
                let last = self.last_sheet.unwrap_or(sheet);
                let times = match self.pieces {
                    1 => String::new(),
                    pieces => format!(", {round} of {pieces} times"),
                };
                format!("sheet {sheet} of {last}{times}")
            }
        }
    }

    /// That all are done.
    fn all_done(&self) -> String {
        format!("{} done", count(self.done as usize, self.thing()))
    }

    /// What one of them is called.
    fn thing(&self) -> &'static str {
        if self.sheets.is_some() { "sheet" } else { "piece" }
    }

    /// How many are done, and what makes the others; `broken` is the run of one that was begun.
    fn left(&self, broken: Option<i64>) -> String {
        let things = self.thing();
        let done = format!("{} of {} done", self.done, count(self.all() as usize, things));
        let left = self.all() - self.done;
        let others = |left: u32, begun: u32| match (self.sheet(), self.pieces) {
            _ if left == 0 => String::new(),
            (None, _) if self.goes_on => {
                format!("the job by its name, with --pieces {left}, makes the others")
            }
            (None, _) => format!("the same call with --pieces {left} makes the others"),
            (Some(sheet), 1) => {
                format!("the same call with --sheet {}- makes the others", sheet + begun)
            }
            _ => format!("{} to come", count(left as usize, things)),
        };
        match (broken, self.sheet()) {
            (None, _) => format!("{done}; {}", others(left, 0)),
            (Some(run), None) if left > 1 => format!(
                "{done}; tinkite run --go-on {run} --pieces {left} finishes the one that was begun, and makes the others"
            ),
            (Some(run), _) => {
                let rest = others(left - 1, 1);
                let rest = if rest.is_empty() { rest } else { format!("; {rest}") };
                format!("{done}; tinkite run --go-on {run} finishes the one that was begun{rest}")
            }
        }
    }
}

/// What is known of a piece whose program is ready.
struct Seen {
    /// The job that its program was made from.
    made: Option<MadeFrom>,
    /// Whether the log, that knows its numbers, does not say with which the next begins.
    counts_here: bool,
    /// Over what it goes.
    link: String,
}

impl Seen {
    fn of(set: &Set, args: &Run) -> Self {
        let about = &set.program.about;
        let by_log = set.log.is_some() && !numbers::says_first(&args.part.set);
        Self {
            made: about.made.clone(),
            counts_here: about.counts_on && !by_log,
            link: set.name.clone(),
        }
    }

    /// The serial number behind its last, where the log does not know it.
    fn number_behind(&self) -> Result<Option<u32>, Refusal> {
        let numbers = self.made.as_ref().filter(|_| self.counts_here).and_then(|made| made.numbers);
        numbers.map(|(_, last)| numbers::behind(last, "the piece before")).transpose()
    }
}

/// Runs one after the other. Each is a run of its own, in the log as well.
pub(super) fn run(args: &Run, console: &Console) -> Result<(), Refusal> {
    if args.file.as_deref() == Some(Path::new("-")) {
        return Err(Refusal::Usage(
            "a program on standard input can be read once: name a file for several pieces".into(),
        ));
    }
    // A pipe that nobody reads holds up no machine.
    let console = &if has_screen(args, console) { *console } else { console.in_background() };
    let mut series = Series::of(args);
    let mut doubts = Doubts::default();
    // What the pieces are made from, as soon as the first is ready.
    let mut source: Option<Seen> = None;
    // One watch for all of them: a signal must never find a moment in which nobody stops the beam.
    let mut watched: Option<Stopping> = None;
    let mut next = match args.go_on {
        Some(_) => Run { pieces: None, ..args.clone() },
        None => fresh(args, None, &series, None),
    };
    let mut first_number = None;
    // Who says when: nobody is listened to where nobody is waited for.
    let mut somebody: Option<Somebody> = None;
    // The checklist holds until something goes wrong.
    let mut is_checked = false;
    loop {
        let mut seen = None;
        let finishes = next.go_on.is_some();
        let mut ready = |set: &Set| {
            let about = &set.program.about;
            if let (Some(sheets), None) = (series.sheets, series.last_sheet) {
                series.last_sheet = Some(sheets.last(about.sheets)?);
            }
            if finishes && series.all() > 1 && about.made.is_none() && args.file.is_none() {
                return Err(Refusal::Usage(format!(
                    "{} was no job: name its file for the pieces behind it; nothing was sent",
                    about.name
                )));
            }
            let is_first = source.is_none();
            if is_first && series.pieces > 1 {
                same_numbers(set, console);
            }
            if !is_checked {
                checklist::confirm(&about.machine, &set.name, args, console)?;
                is_checked = true;
            }
            source.get_or_insert_with(|| Seen::of(set, args));
            seen = Some(Seen::of(set, args));
            if tinkite_link::is_simulated(&set.name) {
                return tell(&series, set, false, console).map(|_| ());
            }
            let somebody = somebody.get_or_insert_with(|| Somebody::there(console));
            let waits = !is_first && !finishes;
            let piece = tell(&series, set, waits, console)?;
            if waits { somebody.says_next(&piece, &set.stopping, console) } else { Ok(()) }
        };
        let (doubts, stopping) = (&mut doubts, watched.clone());
        let turn = Turn { ready: &mut ready, doubts, stopping, asks_how: false };
        let Over { result, run, stopping } = once(&next, turn, None, console);
        let Err(refusal) = result else {
            series.done += 1;
            watched = Some(stopping);
            if series.is_over() {
                break;
            }
            first_number = seen.as_ref().map(Seen::number_behind).transpose()?.flatten();
            next = fresh(args, source.as_ref(), &series, first_number);
            continue;
        };
        let begun = run.or(next.go_on.flatten());
        if let (Some(begun), Some(somebody @ Somebody::AtTerminal), Some(source)) =
            (begun, &somebody, &source)
        {
            door::tell(&refusal, console);
            // What stopped it was obeyed.
            stopping.flag().store(false, Ordering::Relaxed);
            let word = somebody.says_of_broken(&series.next(), &stopping, console);
            next = match word {
                Word::Finish => args.finishing(begun),
                Word::Anew => fresh(args, Some(source), &series, first_number),
                Word::Burn | Word::End => next,
            };
            if matches!(word, Word::Finish | Word::Anew) {
                (watched, is_checked) = (Some(stopping), false);
                continue;
            }
        }
        if series.done > 0 || begun.is_some() {
            console.say(&series.left(begun));
        }
        stopping.let_go();
        hear_out(console);
        return Err(refusal);
    }
    console.say(&series.all_done());
    watched.iter().for_each(Stopping::let_go);
    hear_out(console);
    Ok(())
}

/// The call that makes the next piece from the start.
fn fresh(args: &Run, source: Option<&Seen>, series: &Series, first_number: Option<u32>) -> Run {
    let mut next = Run { pieces: None, go_on: None, from: None, in_place: false, ..args.clone() };
    if args.go_on.is_some()
        && let Some(Seen { made, link, .. }) = source
    {
        next.to = Some(link.clone());
        if let Some(MadeFrom { job, machine, part, .. }) = made {
            next.file.get_or_insert_with(|| job.clone());
            next.machine.clone_from(machine);
            next.part = part.clone().into();
            // Its numbers were those of the piece that broke off.
            next.part.set = numbers::without_first(&next.part.set);
        }
    }
    if let Some(sheet) = series.sheet() {
        next.part.sheet = Some(Sheets::One(sheet));
    }
    if let Some(first) = first_number {
        next.part.set = numbers::beginning_with(&next.part.set, first);
    }
    next
}

/// Says what comes now, where nobody is asked about it; in words.
fn tell(series: &Series, set: &Set, waits: bool, console: &Console) -> Result<String, Refusal> {
    let numbers = set.program.about.made.as_ref().and_then(|made| made.numbers);
    let words = match numbers {
        Some((first, last)) if first == last => format!(", number {first}"),
        Some((first, last)) => format!(", numbers {first} to {last}"),
        None => String::new(),
    };
    let words = format!("{}{words}", series.next());
    if console.json {
        let (piece, of, sheet) = (series.done + 1, series.all(), series.sheet());
        console.event(&PieceJson { event: "piece", piece, of, sheet, numbers, waits })?;
    } else if !waits {
        console.say(&words);
    }
    Ok(words)
}

/// Says that every piece gets the same serial numbers, where they do not go on.
fn same_numbers(set: &Set, console: &Console) {
    let about = &set.program.about;
    if let (Some((first, last)), false) =
        (about.made.as_ref().and_then(|made| made.numbers), about.counts_on)
    {
        console.say(&format!(
            "each piece has the same serial numbers, {first} to {last}; number = {{ go-on = true }} in copies lets them go on"
        ));
    }
}
