//! The program that is streamed: written from a job or found as a file, measured before anything
//! moves.

use super::refuse_if_wrong;
use crate::args::{JobArgs, Run};
use crate::commands::read;
use crate::console::Console;
use crate::door;
use crate::load;
use crate::refusal::{Refusal, Sources};
use std::fs::File;
use std::io::{self, BufReader, Seek, SeekFrom};
use tinkite_core::job::{Machine, Round, Zero};
use tinkite_core::problem::{Code, Problem};
use tinkite_core::program::measure::{Measure, Report};
use tinkite_core::program::{Comments, Program};
use tinkite_run::Outgoing;

/// A program on its way to the machine.
pub(super) struct ProgramFile {
    pub(super) name: String,
    pub(super) machine: Machine,
    /// Diameter of what the rotary holds, mm, where it is in use.
    pub(super) diameter: Option<f64>,
    pub(super) report: Report,
    /// Names of steps and the lines with which they begin.
    pub(super) steps: Vec<(u32, String)>,
    /// What the program counts from, when it was made from a job.
    pub(super) zero: Option<Zero>,
    file: BufReader<File>,
}

impl ProgramFile {
    /// Gets the program and refuses whatever would go wrong.
    pub(super) fn prepare(args: &Run, console: &Console) -> Result<Self, Refusal> {
        let is_job = args.file.extension().is_some_and(|e| e == "toml");
        let Found { name, file, machine, zero, diameter } =
            if is_job { from_job(args, console)? } else { from_file(args)? };
        let mut file = BufReader::with_capacity(1 << 16, file);
        // Whether it stays on the bed is asked again when the controller has said where its zero is.
        let mut measure = Measure::new(&name, Some(&machine), diameter);
        if zero != Some(Zero::Bed) {
            measure = measure.anywhere();
        }
        if let Some(letter) = stand_in(&machine, diameter) {
            measure = measure.turning(letter);
        }
        let (mut steps, mut number) = (Vec::new(), 0);
        let mut outgoing = Outgoing::new(&machine);
        let mut unsendable = None;
        read::each_line(&name, &mut file, |line| {
            number += 1;
            measure.line(line);
            if let Err(why) = outgoing.line(line) {
                unsendable.get_or_insert(why);
            }
            steps.extend(step_name(line).map(|name| (number, name)));
        })?;
        let report = measure.finish();
        refuse_if_wrong(&report.problems, console)?;
        if let Some(why) = unsendable {
            return Err(Refusal::Problems(
                Problem::error(Code::Unsendable, format!("{name}: {why}"), "nothing was sent")
                    .into(),
                Sources::new(),
            ));
        }
        rewind(&name, &mut file)?;
        Ok(Self { name, machine, diameter, report, steps, zero, file })
    }

    /// It, from the start.
    pub(super) fn reader(&mut self) -> Result<BufReader<File>, Refusal> {
        rewind(&self.name, &mut self.file)?;
        let again = self.file.get_ref().try_clone();
        let again = again.map_err(|error| Refusal::unreadable(&self.name, &error))?;
        Ok(BufReader::with_capacity(1 << 16, again))
    }

    /// Measures it again, begun where the machine stands with the work offset that it has, both mm
    /// from the zero of the profile's bed.
    pub(super) fn measured_at(
        &mut self,
        at: [f64; 3],
        offset: [f64; 3],
    ) -> Result<Report, Refusal> {
        rewind(&self.name, &mut self.file)?;
        let whole = |p: [f64; 3]| [p[0], p[1], p[2], 0.0, 0.0, 0.0];
        let mut measure = Measure::new(&self.name, Some(&self.machine), self.diameter)
            .standing(whole(at), whole(offset));
        if let Some(letter) = stand_in(&self.machine, self.diameter) {
            measure = measure.turning(letter);
        }
        read::each_line(&self.name, &mut self.file, |line| measure.line(line))?;
        Ok(measure.finish())
    }
}

/// The letter of the axis that the rotary stands in for, when something is held in it.
fn stand_in(machine: &Machine, diameter: Option<f64>) -> Option<u8> {
    let rotary = machine.rotary.filter(|rotary| rotary.per_turn.is_some() && diameter.is_some());
    rotary.map(|rotary| rotary.letter)
}

fn rewind(name: &str, file: &mut BufReader<File>) -> Result<(), Refusal> {
    file.seek(SeekFrom::Start(0)).map(|_| ()).map_err(|error| Refusal::unreadable(name, &error))
}

/// The step that a comment of ours announces: `step 2 of 3: folds - score, …`.
fn step_name(line: &[u8]) -> Option<String> {
    let text = std::str::from_utf8(line).ok()?.trim_start_matches([';', '(', ' ']);
    let (_, rest) = text.strip_prefix("step ")?.split_once(": ")?;
    Some(rest.split(" - ").next().unwrap_or(rest).to_string())
}

/// A program, found or made.
struct Found {
    name: String,
    file: File,
    machine: Machine,
    zero: Option<Zero>,
    diameter: Option<f64>,
}

fn from_job(args: &Run, console: &Console) -> Result<Found, Refusal> {
    let job_args = JobArgs {
        job: args.file.clone(),
        machine: args.machine.clone(),
        only: args.only.clone(),
        skip: args.skip.clone(),
        sheet: args.sheet,
    };
    let made = load::made(&job_args)?;
    door::show(&load::located(made.compiled.problems, &made.sources), &made.sources, console);
    let program = Program::new(made.compiled.within);
    let name = format!("the program of {}", args.file.display());
    let failed = |error: io::Error| Refusal::output("a temporary file", &error);
    let mut file = tempfile::tempfile().map_err(failed)?;
    program.write(Comments::Full, &mut file).map_err(failed)?;
    file.seek(SeekFrom::Start(0)).map_err(failed)?;
    let (zero, diameter) =
        (Some(made.job.placement.zero), made.job.round.as_ref().map(Round::diameter));
    Ok(Found { name, file, machine: made.job.machine, zero, diameter })
}

fn from_file(args: &Run) -> Result<Found, Refusal> {
    let name = args.file.display().to_string();
    if !args.only.is_empty() || !args.skip.is_empty() {
        return Err(Refusal::Usage(
            "--only and --skip choose steps of a job; a program runs as a whole".into(),
        ));
    }
    let machine = args.machine.as_deref().ok_or_else(|| {
        Refusal::Usage(format!(
            "{name} is held against a machine before it runs: say --machine NAME"
        ))
    })?;
    let machine = load::typed_machine(machine, &args.file, &mut Sources::new())?;
    let mut file = if name == "-" {
        let mut copy = tempfile::tempfile().map_err(|e| Refusal::output("a temporary file", &e))?;
        io::copy(&mut io::stdin().lock(), &mut copy)
            .map_err(|e| Refusal::unreadable("standard input", &e))?;
        copy
    } else {
        File::open(&args.file).map_err(|error| Refusal::unreadable(&name, &error))?
    };
    file.seek(SeekFrom::Start(0)).map_err(|error| Refusal::unreadable(&name, &error))?;
    Ok(Found { name, file, machine, zero: None, diameter: args.diameter })
}
