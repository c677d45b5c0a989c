//! The program that is streamed: written from a job, found as a file or remembered in the log,
//! measured before anything moves.

use super::lines::each_line;
use super::shared::{SharedFile, SharedReader};
use std::fs::File;
use std::io::{self, BufReader, Seek, SeekFrom, Write};
use std::path::Path;
use tinkite_core::frame::Round;
use tinkite_core::geometry::Vec2;
use tinkite_core::job::Zero;
use tinkite_core::machine::{Dialect, Machine};
use tinkite_core::problem::{Code, Problem};
use tinkite_core::program::measure::{Measure, Report};
use tinkite_core::program::{Comments, Place, Program, Resumed, Standing, rest};
use tinkite_core::quantity::plain;
use tinkite_files::call::JobCall;
use tinkite_files::load::Made;
use tinkite_files::machines;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_log::MadePart;
use tinkite_log::{Log, MadeFrom, RunEntry, Tried};
use tinkite_run::{Outgoing, Unsendable};

/// A step of a program: the line with which it begins, its name, and how it is done, in words.
#[derive(Debug, Clone)]
pub struct Step {
    /// The line with which it begins, from 1.
    pub line: u32,
    /// Its name in the job.
    pub name: String,
    /// How it is done, in words.
    pub settings: String,
    /// What it is done with, where it was made from a job.
    pub tried: Option<Tried>,
}

/// What is known of a program before its lines are read.
#[derive(Debug, Clone)]
pub struct About {
    /// What people call it.
    pub name: String,
    /// The machine that it is for.
    pub machine: Machine,
    /// What that machine is called.
    pub machine_name: String,
    /// The text of the machine's profile.
    pub profile: String,
    /// The job that it was made from, where it was.
    pub made: Option<MadeFrom>,
    /// Whether its serial numbers go on from run to run.
    pub counts_on: bool,
    /// How many sheets its job takes in all.
    pub sheets: u32,
    /// What it counts from, where it was made from a job.
    pub zero: Option<Zero>,
    /// What the job calls its stock.
    pub material: Option<String>,
    /// Diameter of what the rotary holds, mm, where it is in use.
    pub diameter: Option<f64>,
}

/// A program, found or made.
pub struct FoundProgram {
    /// What is known of it.
    pub about: About,
    /// Its text, at its start.
    pub file: File,
    /// What the steps of a job are done with, by name.
    pub tried: Vec<(String, Tried)>,
}

/// The longest line that goes out of a program.
#[derive(Debug, Clone, Copy, Default)]
pub struct LongestLine {
    /// Its number, from 1.
    pub line: u32,
    /// Its length with the line end, bytes.
    pub bytes: usize,
}

/// What is found in the lines of a program that is to go out.
struct Lines {
    outgoing: Outgoing,
    steps: Vec<Step>,
    longest: LongestLine,
    /// Why the first of those that cannot be sent cannot.
    unsendable: Option<Unsendable>,
}

impl Lines {
    fn for_machine(machine: &Machine) -> Self {
        let (steps, longest) = (Vec::new(), LongestLine::default());
        Self { outgoing: Outgoing::new(machine), steps, longest, unsendable: None }
    }

    fn take(&mut self, text: &[u8]) {
        match self.outgoing.line(text) {
            Ok(Some(sent)) if sent.len() >= self.longest.bytes => {
                self.longest = LongestLine { line: self.outgoing.number(), bytes: sent.len() + 1 };
            }
            Ok(_) => {}
            Err(why) => {
                self.unsendable.get_or_insert(why);
            }
        }
        self.steps.extend(step(self.outgoing.number(), text));
    }
}

/// A program on its way to the machine.
pub struct ProgramFile {
    /// What is known of it.
    pub about: About,
    /// What was measured of it.
    pub report: Report,
    /// Its steps, in their order.
    pub steps: Vec<Step>,
    /// The longest line that goes out.
    pub longest: LongestLine,
    file: SharedFile,
}

impl ProgramFile {
    /// The program of a run in the log.
    pub fn of_run(log: &Log, entry: &RunEntry) -> Result<Self, Refusal> {
        let began = &entry.began;
        let file = log.program(entry.id)?;
        let shown = format!("the profile of run {}", entry.id);
        let machine = tinkite_core::machine::read(&shown, &began.profile).map_err(|problems| {
            Refusal::Problems(problems, Sources::from([(shown.clone(), began.profile.clone())]))
        })?;
        let about = About {
            name: began.job.clone(),
            machine,
            machine_name: began.machine.clone(),
            profile: began.profile.clone(),
            made: began.made.clone(),
            counts_on: false,
            sheets: 1,
            zero: began.zero.as_deref().and_then(Zero::named),
            material: began.material.clone(),
            diameter: began.diameter,
        };
        let tried = began.steps.iter();
        let tried = tried.filter_map(|step| Some((step.name.clone(), step.tried.clone()?)));
        Self::of(FoundProgram { about, file, tried: tried.collect() }, false)
    }

    /// Measures a program that was found or made; what is doubtful with it is in its report. `on_card`: it goes onto
    /// a card and over no link.
    ///
    /// # Errors
    /// It cannot be read, what is wrong with it, and a line that cannot be sent.
    pub fn of(found: FoundProgram, on_card: bool) -> Result<Self, Refusal> {
        let FoundProgram { about, file, tried } = found;
        let About { name, machine, diameter, .. } = &about;
        let file = SharedFile::new(file);
        // Whether it stays on the bed is asked again when the controller has said where its zero is.
        let mut measure = Measure::new(name, Some(machine), *diameter);
        if about.zero != Some(Zero::Bed) {
            measure = measure.anywhere();
        }
        if let Some(letter) = stand_in(machine, *diameter) {
            measure = measure.turning(letter);
        }
        let mut lines = Lines::for_machine(machine);
        each_line(name, &mut buffer(file.reader()), |line| {
            measure.line(line);
            lines.take(line);
        })?;
        let Lines { mut steps, longest, unsendable, .. } = lines;
        for step in &mut steps {
            let own = |(name, _): &&(String, Tried)| *name == step.name;
            step.tried = tried.iter().find(own).map(|(_, tried)| tried.clone());
        }
        let mut report = measure.finish();
        if diameter.is_none()
            && let Some(problem) = too_large(name, &report, machine)
        {
            report.problems.push(problem);
        }
        // A controller that reads whole files takes what no link does.
        let from_card = on_card && about.machine.dialect == Dialect::Ngc;
        if let Some(why) = unsendable.filter(|_| !from_card && !report.problems.refuse()) {
            let message = format!("{}: {why}", about.name);
            report.problems.push(Problem::error(Code::Unsendable, message, "nothing was sent"));
        }
        if report.problems.refuse() {
            return Err(Refusal::Problems(report.problems, Sources::new()));
        }
        Ok(Self { about, report, steps, longest, file })
    }

    /// The file itself.
    pub fn file(&self) -> SharedFile {
        self.file.clone()
    }

    /// It, from the start.
    pub fn reader(&self) -> BufReader<SharedReader> {
        buffer(self.file.reader())
    }

    /// Measures it again, begun where the machine stands with the work offset that it has, both mm
    /// from the zero of the profile's bed.
    pub fn measured_at(&self, at: [f64; 3], offset: [f64; 3]) -> Result<Report, Refusal> {
        let whole = |p: [f64; 3]| [p[0], p[1], p[2], 0.0, 0.0, 0.0];
        let mut measure =
            Measure::new(&self.about.name, Some(&self.about.machine), self.about.diameter)
                .standing(whole(at), &[whole(offset)]);
        if let Some(letter) = stand_in(&self.about.machine, self.about.diameter) {
            measure = measure.turning(letter);
        }
        each_line(&self.about.name, &mut self.reader(), |line| measure.line(line))?;
        Ok(measure.finish())
    }

    /// Becomes what is left of it from a place on.
    pub fn cut_off(
        &mut self,
        place: Place,
        began: Standing,
        now: Standing,
    ) -> Result<Resumed, Refusal> {
        let failed = |error: io::Error| Refusal::output("a temporary file", error);
        let mut file = tempfile::tempfile().map_err(failed)?;
        let mut out = io::BufWriter::with_capacity(1 << 16, &mut file);
        let resumed = rest(self.reader(), place, began, now, &self.about.machine, &mut out)
            .map_err(|error| Refusal::failed(&self.about.name, error))?;
        out.flush().map_err(failed)?;
        drop(out);
        self.file = SharedFile::new(file);
        // What was set up in front of a line may have made it too long.
        let mut lines = Lines::for_machine(&self.about.machine);
        let name = &self.about.name;
        each_line(name, &mut buffer(self.file.reader()), |line| lines.take(line))?;
        (self.steps, self.longest) = (lines.steps, lines.longest);
        match lines.unsendable {
            Some(why) => Err(Refusal::Unfit(format!("the rest of {}: {why}", self.about.name))),
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

/// Reads in large pieces.
pub fn buffer(reader: SharedReader) -> BufReader<SharedReader> {
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

/// The program of a job that was made, written; what is wrong or doubtful with the job was told before.
///
/// # Errors
/// No room for it on the disk.
pub fn write(call: &JobCall, made: Made) -> Result<FoundProgram, Refusal> {
    let program = Program::new(made.compiled.within);
    let name = format!("the program of {}", call.job.display());
    let whole = |path: &Path| std::path::absolute(path).unwrap_or_else(|_| path.to_path_buf());
    let from = MadeFrom {
        job: whole(&call.job),
        machine: call.machine.as_ref().map(|machine| match machines::is_path(machine) {
            true => whole(Path::new(machine)).display().to_string(),
            false => machine.clone(),
        }),
        part: MadePart { set: made.set, ..call.part.clone() },
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
    let about = About {
        name,
        machine: made.job.machine,
        machine_name,
        profile: made.profile,
        made: Some(from),
        sheets: made.compiled.sheets,
        counts_on: made.job.placement.copies.number.is_some_and(|number| number.goes_on),
        zero,
        material: made.job.material,
        diameter,
    };
    Ok(FoundProgram { about, file, tried })
}
