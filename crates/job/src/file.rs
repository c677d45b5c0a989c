//! The job file as a whole.

use super::recipe::{self, Shelf};
use super::swatch;
use super::{
    Fill, Job, Operation, Pass, Placement, Relief, Step, artwork, drawn, photo, place, rotary,
    step, stock,
};
use tinkite_base::problem::{Code, Problem, Problems, few, nearest};
use tinkite_base::quantity::Length;
use tinkite_machine::Machine;
use tinkite_machine::section::{Section, SourceText};

/// What a job file asks to be fetched before it can be read as a whole.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// A machine profile's name, or a path to one.
    pub machine: Option<String>,
    /// The names of its steps, of those that have one.
    pub steps: Vec<String>,
}

impl Request {
    /// Reads only which machine the job names and what its steps are called; everything else is left for [`read`].
    #[must_use]
    pub fn of(text: &str) -> Self {
        let source = SourceText::new("", text);
        let table = source.parse();
        let top = Section::new(&source, "the job", table.get_ref(), 0..0);
        let name = |step: &Section<'_, '_>| step.text("name").map(str::to_string);
        let steps = top.sections("step").iter().filter_map(name).collect();
        Self { machine: top.text("machine").map(str::to_string), steps }
    }
}

/// Default of `tolerance`, mm: a tenth of the finest spot.
const TOLERANCE: f64 = 0.01;

/// Reads the job file `file` from its text, for `machine`.
///
/// # Errors
/// Everything in it that is wrong, each with its place and cure.
pub fn read(file: &str, text: &str, machine: Machine) -> Result<Job, Problems> {
    read_with(file, text, machine, "", &Shelf::default())
}

/// Reads the job file `file` from its text, for `machine`, whose profile is called `profile`; its steps may
/// take recipes from the books of `shelf`.
///
/// # Errors
/// As [`read`], and recipes that are not to be had.
pub fn read_with(
    file: &str,
    text: &str,
    machine: Machine,
    profile: &str,
    shelf: &Shelf,
) -> Result<Job, Problems> {
    let expand = match swatch::expand(file, text, &machine) {
        Some(Ok(expanded)) => Some(expanded),
        Some(Err(problems)) => return Err(problems),
        None => None,
    };
    let source = SourceText::new(file, text);
    let mut table = source.parse();
    if let Some(expand) = &expand {
        expand.put_into(table.get_mut());
    }
    let recipe_of_step = recipe::recipe_of_step(table.get_ref(), profile, machine.full_watts());
    let used = recipe::lay_under(table.get_mut(), &source, shelf, &recipe_of_step);
    let job = used.and_then(|used| {
        let top = Section::new(&source, "the job", table.get_ref(), 0..0);
        let mut job = job(top, file, machine)?;
        job.steps.iter_mut().zip(used).for_each(|(step, used)| step.recipe = used);
        job.steps = job.steps.into_iter().flat_map(with_finish).collect();
        job.swatch = expand.as_ref().map(|expand| expand.swatch.clone());
        Some(job)
    });
    match (job, source.into_problems()) {
        (Some(job), doubts) if !doubts.refuse() => Ok(Job { doubts, ..job }),
        (_, problems) => Err(problems),
    }
}

/// A step, and behind it the last, weak layer of its relief, where it has one.
fn with_finish(step: Step) -> Vec<Step> {
    let Operation::Engrave(engrave) = &step.operation else { return vec![step] };
    let Fill::Relief(relief) = &engrave.fill else { return vec![step] };
    let Some((speed, power)) = relief.finish else { return vec![step] };
    let last = Relief { finishes: true, finish: None, ..relief.clone() };
    let mut weak = engrave.clone();
    weak.fill = Fill::Relief(last);
    let last = Step {
        name: format!("{} finish", step.name),
        operation: Operation::Engrave(weak),
        passes: vec![Pass { speed, power }],
        recipe: None,
        ..step.clone()
    };
    vec![step, last]
}

fn job(top: Section<'_, '_>, file: &str, machine: Machine) -> Option<Job> {
    top.format_version();
    let name = top.text("name").unwrap_or("a job without a name").to_string();
    top.text("machine");
    let material = top.text("material").map(str::to_string);
    let lens = top.text("lens").map(str::to_string);
    let tolerance = top.positive::<Length>("tolerance").map_or(TOLERANCE, |length| length.0);
    if !(0.0005..=1.0).contains(&tolerance) {
        let span = top.span_of("tolerance");
        top.out_of_range(
            "tolerance",
            span,
            &top.written("tolerance"),
            "between 0.0005 mm and 1 mm",
        );
    }
    let accept = accept(&top);
    let artworks = top.sections("artwork");
    if artworks.is_empty() && !top.has("artwork") && !top.has("shape") {
        top.missing("artwork", "[[artwork]] with file = \"drawing.svg\", or a [[shape]]");
    }
    let artworks: Vec<_> = artworks.into_iter().map(artwork::read).collect();
    for (n, one) in artworks.iter().enumerate() {
        let Some(beside) = one.as_ref().and_then(|one| one.beside.as_ref()) else { continue };
        let before = artworks[..n].iter().flatten();
        if let Err(problem) =
            beside.find_by_name(before.map(|b| (b.name.as_deref(), b.file.as_str())))
        {
            top.report(problem, beside.span.clone());
        }
    }
    let stock = top.section("stock").map(stock::read);
    let placement = top.section("place").map_or(Placement::default(), place::placement);
    let counted = artworks.iter().flatten().find(|one| one.count > 1);
    if let (Some(one), None) = (counted, &placement.pack) {
        let message = format!("{} has a count, and nothing says where its copies lie", one.file);
        let help = "pack = { gap = \"2 mm\" } in [place] finds places; copies repeats everything";
        top.report(Problem::error(Code::MissingKey, message, help), top.span_of("artwork"));
    }
    let sections = top.sections("step");
    if sections.is_empty() {
        top.missing("step", "a [[step]] that says what is done with a colour");
    }
    let steps: Vec<_> = sections
        .into_iter()
        .enumerate()
        .map(|(n, section)| step::read(section, n + 1, &machine))
        .collect();
    let shapes: Vec<_> = top
        .sections("shape")
        .into_iter()
        .enumerate()
        .map(|(n, section)| drawn::read(section, n + 1))
        .collect();
    let photo = top.section("photo").map(photo::read);
    let round = top.section("rotary").map(|section| rotary::read(section, &machine));
    let steps: Vec<_> = steps.into_iter().collect::<Option<_>>()?;
    unique_names(&top, &steps);
    frequencies(&top, &steps, &machine);
    top.finish();
    Some(Job {
        name,
        material,
        lens,
        file: file.into(),
        accept,
        machine,
        artworks: artworks.into_iter().collect::<Option<_>>()?,
        shapes: shapes.into_iter().collect::<Option<_>>()?,
        stock: stock.map_or(Some(None), |stock| stock.map(Some))?,
        round: round.map_or(Some(None), |round| round.map(Some))?,
        placement,
        photo: photo.map_or(Some(None), |photo| photo.map(Some))?,
        tolerance,
        swatch: None,
        steps,
        set: Vec::new(),
        doubts: Problems::new(),
    })
}

/// Reads `accept = ["missing-font"]`.
fn accept(top: &Section<'_, '_>) -> Vec<Code> {
    let mut codes = Vec::new();
    for item in top.list("accept").unwrap_or_default() {
        let text = item.get_ref().as_str().unwrap_or_default();
        match Code::of(text) {
            Some(code) => codes.push(code),
            None => {
                let help = match nearest(text, Code::ALL.iter().map(|code| code.text())) {
                    Some(near) => format!("did you mean \"{near}\"?"),
                    None => "name the codes of warnings, as check tells them".into(),
                };
                let message = format!("accept cannot hold \"{text}\": no problem has that code");
                top.report(Problem::error(Code::UnknownCode, message, help), item.span());
            }
        }
    }
    codes
}

fn unique_names(top: &Section<'_, '_>, steps: &[super::Step]) {
    for (n, step) in steps.iter().enumerate() {
        if steps[..n].iter().any(|other| other.name == step.name) {
            let problem = Problem::error(
                Code::SameName,
                format!("two steps are called \"{}\"", step.name),
                "give each step a name of its own",
            );
            top.report(problem, step.span.clone());
        }
    }
}

/// The source keeps the frequency that it was told last: once one step names one, all must. And the profile must say
/// how the source is told.
fn frequencies(top: &Section<'_, '_>, steps: &[super::Step], machine: &Machine) {
    let (with, without): (Vec<_>, Vec<_>) = steps.iter().partition(|step| step.frequency.is_some());
    let Some(one) = with.first() else { return };
    let report = |message: String, help: &str, steps: &[&super::Step]| {
        let names = steps.iter().map(|step| step.name.clone()).collect();
        top.report(
            Problem::error(Code::Frequency, message, help).naming(names),
            steps[0].span.clone(),
        );
    };
    let quoted = |steps: &[&super::Step]| {
        let names: Vec<String> = steps.iter().map(|step| format!("\"{}\"", step.name)).collect();
        few(&names, 3)
    };
    if machine.text.frequency.is_none() {
        report(
            format!(
                "{}: a pulse frequency is asked for, and the profile of {} has no code for it",
                quoted(&with),
                machine.name
            ),
            "add frequency = \"M67 E0 Q{kHz}\" (as your controller has it) to [program] of the profile",
            &with,
        );
    }
    if !without.is_empty() {
        report(
            format!(
                "{}: no frequency is said, and step \"{}\" says one: which they would run with depends on the order",
                quoted(&without),
                one.name
            ),
            "give every step its frequency",
            &without,
        );
    }
}

#[cfg(test)]
mod tests;
