//! The program that is streamed: written from a job, found as a file or remembered in the log,
//! measured before anything moves.

use super::refuse_if_wrong;
use super::shared::{SharedFile, SharedReader};
use crate::args::{JobArgs, Part, Run};
use crate::commands::read;
use crate::console::Console;
use crate::defaults;
use crate::door;
use crate::load;
use crate::log::{Entry, Log, MadeFrom, Tried};
use crate::machines;
use crate::refusal::{Refusal, Sources};
use std::fs::File;
use std::io::{self, BufReader, Seek, SeekFrom, Write};
use std::path::Path;
use tinkite_core::frame::Round;
use tinkite_core::geometry::Vec2;
use tinkite_core::job::Zero;
use tinkite_core::machine::Machine;
use tinkite_core::problem::{Code, Problem};
use tinkite_core::program::measure::{Measure, Report};
use tinkite_core::program::{Comments, Place, Program, Resumed, Standing, rest};
use tinkite_core::quantity::plain;
use tinkite_run::Outgoing;

/// A step of a program: the line with which it begins, its name, and how it is done, in words.
#[derive(Debug, Clone)]
pub(super) struct Step {
    pub(super) line: u32,
    pub(super) name: String,
    pub(super) settings: String,
    /// What it is done with, where it was made from a job.
    pub(super) tried: Option<Tried>,
}

/// A program on its way to the machine.
pub(super) struct ProgramFile {
    pub(super) name: String,
    pub(super) machine: Machine,
    /// What the machine is called, and its profile's text.
    pub(super) machine_name: String,
    pub(super) profile: String,
    /// The job that it was made from, where it was.
    pub(super) made: Option<MadeFrom>,
    /// Whether its serial numbers go on from run to run.
    pub(super) counts_on: bool,
    /// What the job calls its stock.
    pub(super) material: Option<String>,
    /// Diameter of what the rotary holds, mm, where it is in use.
    pub(super) diameter: Option<f64>,
    pub(super) report: Report,
    pub(super) steps: Vec<Step>,
    /// What the program counts from, when it was made from a job.
    pub(super) zero: Option<Zero>,
    file: SharedFile,
}

impl ProgramFile {
    /// Gets the program and refuses whatever would go wrong.
    pub(super) fn prepare(args: &Run, path: &Path, console: &Console) -> Result<Self, Refusal> {
        let is_job = path.extension().is_some_and(|e| e == "toml");
        if !is_job {
            return Self::of(from_file(args, path)?, console);
        }
        let (machine, part) = (args.machine.clone(), args.part.clone());
        let job = JobArgs { job: path.to_path_buf(), machine, part };
        let program = Self::made(&job, Some(console), console)?;
        if program.counts_on && args.log.path.is_some() {
            return Err(Refusal::Usage(
                "the job's serial numbers go on from run to run, and plan, draw and emit look for them in the usual log: set TINKITE_LOG instead of --log".into(),
            ));
        }
        Ok(program)
    }

    /// The program of a job; what is doubtful in it is told to `doubts`.
    pub(super) fn made(
        job: &JobArgs,
        doubts: Option<&Console>,
        console: &Console,
    ) -> Result<Self, Refusal> {
        Self::of(from_job(job, doubts)?, console)
    }

    /// The program of a run in the log.
    pub(super) fn remembered(log: &Log, entry: &Entry, console: &Console) -> Result<Self, Refusal> {
        let began = &entry.began;
        let file = log.program(entry.id)?;
        let shown = format!("the profile of run {}", entry.id);
        let machine = tinkite_core::machine::read(&shown, &began.profile).map_err(|problems| {
            Refusal::Problems(problems, Sources::from([(shown.clone(), began.profile.clone())]))
        })?;
        let zero = began.zero.as_deref().and_then(Zero::named);
        let found = Found {
            name: began.job.clone(),
            file,
            machine,
            machine_name: began.machine.clone(),
            profile: began.profile.clone(),
            made: began.made.clone(),
            counts_on: false,
            zero,
            material: began.material.clone(),
            diameter: began.diameter,
            tried: began
                .steps
                .iter()
                .filter_map(|step| Some((step.name.clone(), step.tried.clone()?)))
                .collect(),
        };
        Self::of(found, console)
    }

    fn of(found: Found, console: &Console) -> Result<Self, Refusal> {
        let Found { name, file, machine, machine_name, profile, made, counts_on, zero, .. } = found;
        let (material, diameter, tried) = (found.material, found.diameter, found.tried);
        let file = SharedFile::new(file);
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
        read::each_line(&name, &mut buffered(file.reader()), |line| {
            number += 1;
            measure.line(line);
            if let Err(why) = outgoing.line(line) {
                unsendable.get_or_insert(why);
            }
            steps.extend(step(number, line));
        })?;
        for step in &mut steps {
            let own = |(name, _): &&(String, Tried)| *name == step.name;
            step.tried = tried.iter().find(own).map(|(_, tried)| tried.clone());
        }
        let mut report = measure.finish();
        if diameter.is_none()
            && let Some(problem) = too_large(&name, &report, &machine)
        {
            report.problems.push(problem);
        }
        refuse_if_wrong(&report.problems, console)?;
        if let Some(why) = unsendable {
            return Err(Refusal::Problems(
                Problem::error(Code::Unsendable, format!("{name}: {why}"), "nothing was sent")
                    .into(),
                Sources::new(),
            ));
        }
        Ok(Self {
            name,
            machine,
            machine_name,
            profile,
            made,
            counts_on,
            material,
            diameter,
            report,
            steps,
            zero,
            file,
        })
    }

    /// The file itself.
    pub(super) fn file(&self) -> SharedFile {
        self.file.clone()
    }

    /// It, from the start.
    pub(super) fn reader(&self) -> BufReader<SharedReader> {
        buffered(self.file.reader())
    }

    /// Measures it again, begun where the machine stands with the work offset that it has, both mm
    /// from the zero of the profile's bed.
    pub(super) fn measured_at(&self, at: [f64; 3], offset: [f64; 3]) -> Result<Report, Refusal> {
        let whole = |p: [f64; 3]| [p[0], p[1], p[2], 0.0, 0.0, 0.0];
        let mut measure = Measure::new(&self.name, Some(&self.machine), self.diameter)
            .standing(whole(at), whole(offset));
        if let Some(letter) = stand_in(&self.machine, self.diameter) {
            measure = measure.turning(letter);
        }
        read::each_line(&self.name, &mut self.reader(), |line| measure.line(line))?;
        Ok(measure.finish())
    }

    /// Becomes what is left of it from a place on.
    pub(super) fn cut_off(
        &mut self,
        place: Place,
        began: Standing,
        now: Standing,
    ) -> Result<Resumed, Refusal> {
        let failed = |error: io::Error| Refusal::output("a temporary file", error);
        let mut file = tempfile::tempfile().map_err(failed)?;
        let mut out = io::BufWriter::with_capacity(1 << 16, &mut file);
        let resumed = rest(self.reader(), place, began, now, &self.machine, &mut out)
            .map_err(|error| Refusal::Usage(format!("{}: {error}", self.name)))?;
        out.flush().map_err(failed)?;
        drop(out);
        self.file = SharedFile::new(file);
        self.steps.clear();
        let mut number = 0;
        let steps = &mut self.steps;
        // What was set up in front of a line may have made it too long.
        let mut outgoing = Outgoing::new(&self.machine);
        let mut unsendable = None;
        read::each_line(&self.name, &mut buffered(self.file.reader()), |line| {
            number += 1;
            if let Err(why) = outgoing.line(line) {
                unsendable.get_or_insert(why);
            }
            steps.extend(step(number, line));
        })?;
        match unsendable {
            Some(why) => Err(Refusal::Usage(format!("the rest of {}: {why}", self.name))),
            None => Ok(resumed),
        }
    }
}

/// What fits on the bed from no zero at all; where the zero lies is asked later. Rounding may make it
/// this much larger, mm.
const SLACK: f64 = 0.003;

/// A program that is larger than the bed.
fn too_large(name: &str, report: &Report, machine: &Machine) -> Option<Problem> {
    let extents = report.extents?;
    let size = machine.pointing.to_plane(Vec2::new(extents.width(), extents.height()));
    let (wide, deep) = (size.x.abs(), size.y.abs());
    let bed = &machine.bed;
    let fits = wide <= bed.width + SLACK && deep <= bed.depth + SLACK;
    (!fits && report.rotary.is_none()).then(|| {
        let message = format!(
            "{name}: its moves take {} x {} mm, and the bed is {} x {} mm",
            plain(wide, 2),
            plain(deep, 2),
            plain(bed.width, 2),
            plain(bed.depth, 2)
        );
        Problem::error(
            Code::OffBed,
            message,
            "there is no zero from which it would stay on the bed",
        )
    })
}

pub(super) fn buffered(reader: SharedReader) -> BufReader<SharedReader> {
    BufReader::with_capacity(1 << 16, reader)
}

/// The letter of the axis that the rotary stands in for, when something is held in it.
fn stand_in(machine: &Machine, diameter: Option<f64>) -> Option<u8> {
    let rotary = machine.rotary.filter(|rotary| rotary.per_turn.is_some() && diameter.is_some());
    rotary.map(|rotary| rotary.letter)
}

/// The step that a comment of ours announces: `step 2 of 3: folds - score, …`.
fn step(line: u32, text: &[u8]) -> Option<Step> {
    let text = std::str::from_utf8(text).ok()?.trim_start_matches([';', '(', ' ']);
    let (_, rest) = text.strip_prefix("step ")?.split_once(": ")?;
    let (name, settings) = rest.split_once(" - ").unwrap_or((rest, ""));
    let settings = settings.trim_end_matches(')').to_string();
    Some(Step { line, name: name.trim_end_matches(')').to_string(), settings, tried: None })
}

/// A program, found or made.
struct Found {
    name: String,
    file: File,
    machine: Machine,
    machine_name: String,
    profile: String,
    made: Option<MadeFrom>,
    counts_on: bool,
    zero: Option<Zero>,
    material: Option<String>,
    diameter: Option<f64>,
    /// What the steps of a job are done with, by name.
    tried: Vec<(String, Tried)>,
}

fn from_job(args: &JobArgs, doubts: Option<&Console>) -> Result<Found, Refusal> {
    let made = load::made(args)?;
    if let Some(console) = doubts {
        door::show(&load::located(made.compiled.problems, &made.sources), &made.sources, console);
    }
    let program = Program::new(made.compiled.within);
    let name = format!("the program of {}", args.job.display());
    let whole = |path: &Path| std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf());
    let from = MadeFrom {
        job: whole(&args.job),
        machine: args.machine.as_ref().map(|machine| match machines::is_path(machine) {
            true => whole(Path::new(machine)).display().to_string(),
            false => machine.clone(),
        }),
        part: Part { set: made.set, ..args.part.clone() }.into(),
        numbers: made.compiled.numbers,
    };
    let failed = |error: io::Error| Refusal::output("a temporary file", error);
    let mut file = tempfile::tempfile().map_err(failed)?;
    program.write(Comments::Full, &mut file).map_err(failed)?;
    file.seek(SeekFrom::Start(0)).map_err(failed)?;
    let (zero, diameter) =
        (Some(made.job.placement.zero), made.job.round.as_ref().map(Round::diameter));
    let machine_name = made.job.machine.name.clone();
    let tried = |step: &tinkite_core::job::Step| (step.name.clone(), Tried::of(step, &made.job));
    let tried = made.job.steps.iter().map(tried).collect();
    Ok(Found {
        name,
        file,
        machine: made.job.machine,
        machine_name,
        profile: made.profile,
        made: Some(from),
        counts_on: made.job.placement.copies.number.is_some_and(|number| number.goes_on),
        zero,
        material: made.job.material,
        diameter,
        tried,
    })
}

fn from_file(args: &Run, path: &Path) -> Result<Found, Refusal> {
    crate::kind::refuse(path, crate::kind::Kind::Program)?;
    let name = path.display().to_string();
    if !args.part.is_whole() {
        return Err(Refusal::Usage(
            "--only, --skip, --sheet and --set are for jobs; a program runs as it is".into(),
        ));
    }
    let machine = defaults::machine(args.machine.as_ref())?.ok_or_else(|| {
        Refusal::Usage(format!(
            "{name} is checked against a machine before it runs: say --machine NAME"
        ))
    })?;
    let folder =
        if machines::is_path(&machine) { Path::new("").into() } else { load::folder_of(path) };
    let profile = machines::find(&machine, &folder)?;
    let machine = profile.read(&mut Sources::new())?;
    // A copy of our own: what was measured is what is sent, whoever saves the file meanwhile.
    let mut file = tempfile::tempfile().map_err(|e| Refusal::output("a temporary file", e))?;
    let copied = if name == "-" {
        io::copy(&mut io::stdin().lock(), &mut file)
    } else {
        File::open(path).and_then(|mut from| io::copy(&mut from, &mut file))
    };
    copied.map_err(|error| match name.as_str() {
        "-" => Refusal::unreadable("standard input", &error),
        _ => Refusal::unreadable(&name, &error),
    })?;
    let machine_name = machine.name.clone();
    Ok(Found {
        name,
        file,
        machine,
        machine_name,
        profile: profile.text,
        made: None,
        counts_on: false,
        zero: None,
        material: None,
        diameter: args.diameter,
        tried: Vec::new(),
    })
}
