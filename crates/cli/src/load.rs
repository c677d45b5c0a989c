//! Finding and reading what a call names: drawings, jobs, machines.

use crate::args::JobArgs;
use crate::books;
use crate::fonts::MachineFonts;
use crate::kind::{self, Kind};
use crate::machines;
use crate::refusal::{Refusal, Sources};
use crate::shipped;
use crate::source::{bytes, text};
use std::path::{Path, PathBuf};
use tinkite_core::artwork::{self, Artwork, Reading, Render, Shape};
use tinkite_core::job::machine::profile_name;
use tinkite_core::job::set::{self, Changed, Sets};
use tinkite_core::job::{self, Job, Machine, Request, machine};
use tinkite_core::layout::{Given, Sheet};
use tinkite_core::problem::{Code, Place, Problem, Problems, count};
use tinkite_core::{Choice, Compiled, compile, survey};

/// Reads a drawing.
pub(crate) fn drawing(path: &Path, how: &Reading<'_>) -> Result<Artwork, Refusal> {
    let content = bytes(path, artwork::LARGEST_FILE)?;
    if let Some(refusal) = kind::refused(path, &content, Kind::Drawing) {
        return Err(refusal);
    }
    let shown = path.display().to_string();
    let artwork = artwork::read(&shown, &content, how)
        .map_err(|problems| Refusal::Problems(problems, Sources::new()))?;
    let what = [
        count(artwork.shapes.len(), "shape"),
        count(artwork.images.len(), "bitmap"),
        artwork.units.source.clone(),
    ];
    ::log::info!("read {shown}: {}, {}", artwork.format.name(), what.join(", "));
    Ok(artwork)
}

/// Finds and reads a machine profile: a path, or a name looked for in `folder` first.
pub(crate) fn machine(
    name: &str,
    folder: &Path,
    sources: &mut Sources,
) -> Result<Machine, Refusal> {
    machines::find(name, folder)?.read(sources)
}

/// Finds and reads a machine that was typed in the call: a path counts from here, a name is looked
/// for beside `file` first.
pub(crate) fn typed_machine(
    name: &str,
    file: &Path,
    sources: &mut Sources,
) -> Result<Machine, Refusal> {
    let folder = if machines::is_path(name) { PathBuf::new() } else { folder_of(file) };
    machine(name, &folder, sources)
}

/// The folder of a file.
pub(crate) fn folder_of(path: &Path) -> PathBuf {
    path.parent().map_or_else(PathBuf::new, Path::to_path_buf)
}

/// A job with all that it names.
pub(crate) struct Loaded {
    pub(crate) job: Job,
    /// The text of the machine's profile.
    pub(crate) profile: String,
    pub(crate) artworks: Vec<Artwork>,
    pub(crate) sources: Sources,
    /// What is wrong with books of recipes that lie about.
    pub(crate) doubts: Problems,
    /// The job's text with what was set for this call.
    changed: Changed,
}

/// Reads a job file with what is set for this call, its machine and its drawing.
pub(crate) fn job(
    path: &Path,
    machine_override: Option<&str>,
    set: &[String],
) -> Result<Loaded, Refusal> {
    let shown = path.display().to_string();
    let mut sources = Sources::new();
    kind::refuse(path, Kind::Job)?;
    let wrong =
        |problem: Problem| Refusal::Usage(format!("--set: {}; {}", problem.message, problem.help));
    let sets = Sets::read(set).map_err(wrong)?;
    let changed = sets.laid_over(&text(path)?).map_err(|problem| {
        let said = Sources::from([(set::SOURCE.to_string(), sets.text().to_string())]);
        Refusal::Problems(located(problem.into(), &said), said)
    })?;
    sets.lines().iter().for_each(|line| ::log::info!("{shown}: set for this call: {line}"));
    sources.insert(shown.clone(), changed.text.clone());
    let folder = folder_of(path);
    let request = Request::of(&sources[&shown]);
    let machine = match (machine_override, &request.machine) {
        (Some(name), _) => typed_machine(name, path, &mut sources)?,
        (None, Some(name)) => machine(name, &folder, &mut sources)?,
        (None, None) => return Err(no_machine(&shown, sources)),
    };
    // The only other text that was read so far.
    let profile = sources.iter().find(|(name, _)| **name != shown).map(|(_, text)| text.clone());
    let profile = profile.unwrap_or_default();
    let name = machine_override.or(request.machine.as_deref()).unwrap_or_default();
    let shelf = books::shelf(&folder)?;
    let broken = || shelf.books.iter().flat_map(|book| &book.problems);
    if !set.is_empty() {
        sources.insert(set::SOURCE.into(), sets.text().into());
    }
    let mut job = job::read_with(&shown, &sources[&shown], machine, profile_name(name), &shelf)
        .map_err(|mut problems| {
            // What was looked for may stand where it cannot be read.
            broken().for_each(|problem| problems.push(problem.clone()));
            let problems = located(changed.placed(problems, &shown), &sources);
            Refusal::Problems(problems, sources.clone())
        })?;
    job.set = sets.lines();
    for step in &job.steps {
        if let Some(used) = &step.recipe {
            ::log::info!("step \"{}\": recipe {used}", step.name);
        }
    }
    let read = |one: &job::ArtworkUse| {
        let takes = |shape: &Shape| one.renders(shape);
        let render = one.render.as_ref().map(|r| Render { dpi: r.dpi, takes: Some(&takes) });
        let how = Reading { page: one.page, dashes: one.dashes, render, fonts: &MachineFonts };
        drawing(&folder.join(&one.file), &how)
    };
    let artworks = job.artworks.iter().map(read).collect::<Result<_, _>>()?;
    let mut doubts = Problems::new();
    if job.steps.iter().any(|step| step.recipe.is_some()) {
        broken().for_each(|problem| doubts.push(problem.clone()));
    }
    Ok(Loaded { job, profile, artworks, sources, doubts, changed })
}

/// A job that names no machine is told so together with whatever else is wrong with it.
fn no_machine(shown: &str, sources: Sources) -> Refusal {
    let text = &sources[shown];
    let missing = Problem::error(
        Code::MissingKey,
        "the job names no machine",
        "add machine = \"bench-laser\", or the name or path of your own profile",
    );
    let mut problems = Problems::from(missing.at(Place::line(shown, 1)));
    if let Ok(any) = machine::read("bench-laser", shipped::MACHINE)
        && let Err(others) = job::read(shown, text, any)
    {
        problems.extend(others);
    }
    Refusal::Problems(problems, sources)
}

/// A job that has been through every stage.
pub(crate) struct Made {
    pub(crate) job: Job,
    pub(crate) profile: String,
    pub(crate) compiled: Compiled,
    pub(crate) sources: Sources,
}

/// Sets which sheet of a job is made.
fn choose_sheet(job: &mut Job, sheet: Option<u32>) -> Result<(), Refusal> {
    let Some(sheet) = sheet else { return Ok(()) };
    if sheet != 1 && job.placement.copies.count.is_none() {
        return Err(Refusal::Usage(format!(
            "there is no sheet {sheet}: only a job whose copies say a count has more than one"
        )));
    }
    job.placement.copies.sheet = sheet.max(1);
    Ok(())
}

/// Loads a job and takes it through every stage.
pub(crate) fn made(args: &JobArgs) -> Result<Made, Refusal> {
    let JobArgs { job: path, machine, part } = args;
    let choice = Choice { only: part.only.clone(), skip: part.skip.clone() };
    let Loaded { mut job, profile, artworks, sources, doubts, changed } =
        job(path, machine.as_deref(), &part.set)?;
    choose_sheet(&mut job, part.sheet)?;
    let file = job.file.clone();
    match compile(Given { artworks, fonts: &MachineFonts }, &job, &choice) {
        Ok(mut compiled) => {
            compiled.problems = changed.placed(compiled.problems, &file);
            compiled.problems.extend(doubts);
            Ok(Made { job, profile, compiled, sources })
        }
        Err(problems) => {
            let problems = located(changed.placed(problems, &file), &sources);
            Err(Refusal::Problems(problems, sources))
        }
    }
}

/// How a drawing is read that no job speaks of.
pub(crate) fn plain_reading() -> Reading<'static> {
    Reading { fonts: &MachineFonts, ..Reading::default() }
}

/// Loads a job and lays it out; everything that is wrong or doubtful comes with it, also when it
/// would be refused further on.
pub(crate) fn surveyed(args: &JobArgs) -> Result<(Job, Sheet, Problems, Sources), Refusal> {
    let JobArgs { job: path, machine, part } = args;
    let choice = Choice { only: part.only.clone(), skip: part.skip.clone() };
    let Loaded { mut job, artworks, sources, changed, .. } =
        job(path, machine.as_deref(), &part.set)?;
    choose_sheet(&mut job, part.sheet)?;
    let given = Given { artworks, fonts: &MachineFonts };
    let file = job.file.clone();
    let told = |problems| located(changed.placed(problems, &file), &sources);
    match survey(given, &job, &choice) {
        Ok((sheet, problems)) => {
            let problems = told(problems);
            Ok((job, sheet, problems, sources))
        }
        Err(problems) => Err(Refusal::Problems(told(problems), sources)),
    }
}

/// Problems that know their place in a text but not its line get it here.
pub(crate) fn located(problems: Problems, sources: &Sources) -> Problems {
    let mut out = Problems::new();
    for mut problem in problems {
        if let Some(place) = &mut problem.place
            && let (None, Some(span), Some(text)) =
                (place.line, &place.span, sources.get(&place.file))
        {
            place.line = Some(tinkite_core::problem::line_of(text, span.start));
        }
        out.push(problem);
    }
    out
}
