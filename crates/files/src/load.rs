//! Finding and reading what a call names: drawings, jobs, machines.

use crate::books;
use crate::call::JobCall;
use crate::fonts::{JobFonts, MachineFonts};
use crate::kind::{self, FileKind};
use crate::machines;
use crate::numbers;
use crate::refusal::{Refusal, Sources};
use crate::shipped;
use crate::source::{self, bytes, text};
use std::path::{Path, PathBuf};
use tinkite_core::artwork::{self, Artwork, Letters, Reading, Render, Shape};
use tinkite_core::checksum::checksum;
use tinkite_core::geometry::Point;
use tinkite_core::job::recipe::Book;
use tinkite_core::job::set::{Changed, Sets};
use tinkite_core::job::{self, Job, Request, Table};
use tinkite_core::layout::{Given, Sheet};
use tinkite_core::machine;
use tinkite_core::machine::Machine;
use tinkite_core::machine::profile_name;
use tinkite_core::photo::{self, FlatPhoto, Pixels};
use tinkite_core::problem::{Code, Location, Problem, Problems, count};
use tinkite_core::{Choice, Compiled, compile, survey};

/// Reads a drawing.
pub fn drawing(path: &Path, how: &Reading<'_>) -> Result<Artwork, Refusal> {
    drawing_of(path, how).map(|(artwork, _)| artwork)
}

/// Reads a drawing, and says what was read.
fn drawing_of(path: &Path, how: &Reading<'_>) -> Result<(Artwork, SourceFile), Refusal> {
    let content = bytes(path, artwork::LARGEST_FILE)?;
    if let Some(refusal) = kind::refuse_as(path, &content, FileKind::Drawing) {
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
    Ok((artwork, SourceFile::of(shown, &content)))
}

/// Finds and reads a machine profile: a path, or a name looked for in `folder` first.
pub fn machine(name: &str, folder: &Path, sources: &mut Sources) -> Result<Machine, Refusal> {
    machines::find(name, folder)?.read(sources)
}

/// Finds and reads a machine that was typed in the call: a path counts from here, a name is looked
/// for beside `file` first, and then here.
pub fn typed_machine(name: &str, file: &Path, sources: &mut Sources) -> Result<Machine, Refusal> {
    let here = PathBuf::new();
    let beside = folder_of(file);
    let named = machines::is_path(name)
        || (!machines::lies_in(name, &beside) && machines::lies_in(name, &here));
    machine(name, if named { &here } else { &beside }, sources)
}

/// The folder of a file.
pub fn folder_of(path: &Path) -> PathBuf {
    path.parent().map_or_else(PathBuf::new, Path::to_path_buf)
}

/// A file that a job is made of, as it was read.
#[derive(Debug, Clone)]
pub struct SourceFile {
    /// What people call it: its path, or that it ships with the program.
    pub name: String,
    /// Its bytes.
    pub bytes: u64,
    /// Their SHA-256, in hexadecimal.
    pub sha256: String,
}

impl SourceFile {
    fn of(name: impl Into<String>, content: &[u8]) -> Self {
        Self { name: name.into(), bytes: content.len() as u64, sha256: checksum(content) }
    }
}

/// What problems call the place of values that are set for one call.
const SET: &str = "--set";

/// A job with all that it names.
pub struct Loaded {
    /// The job, with its machine.
    pub job: Job,
    /// The text of the machine's profile.
    pub profile: String,
    /// Its drawings, in the order of the file.
    pub artworks: Vec<Artwork>,
    /// The table with a row for each copy.
    pub table: Option<Table>,
    /// The files that it is made of: the job, its machine, its drawings, the books whose recipes it uses.
    pub parts: Vec<SourceFile>,
    /// The books whose recipes it uses.
    pub books: Vec<Book>,
    /// The texts that problems may point into.
    pub sources: Sources,
    /// What is wrong with books of recipes that lie about.
    pub doubts: Problems,
    /// The job's text with what was set for this call.
    changed: Changed,
    /// What was set, with what the log says of serial numbers.
    set: Vec<String>,
}

/// Reads a job file with what is set for this call, its machine and its drawing.
pub fn job(path: &Path, machine_override: Option<&str>, set: &[String]) -> Result<Loaded, Refusal> {
    job_with(path, machine_override, set, &JobFonts::of(path))
}

fn job_with(
    path: &Path,
    machine_override: Option<&str>,
    set: &[String],
    fonts: &JobFonts,
) -> Result<Loaded, Refusal> {
    let shown = path.display().to_string();
    let mut sources = Sources::new();
    kind::refuse(path, FileKind::Job)?;
    let wrong =
        |problem: Problem| Refusal::Usage(format!("--set: {}; {}", problem.message, problem.help));
    let sets = Sets::read(SET, set).map_err(wrong)?;
    let own = text(path)?;
    let mut parts = vec![SourceFile::of(&shown, own.as_bytes())];
    let changed = sets.laid_over(&own).map_err(|problem| {
        let said = Sources::from([(SET.to_string(), sets.text().to_string())]);
        Refusal::Problems(locate(problem.into(), &said), said)
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
    let profile = sources.iter().find(|(name, _)| **name != shown);
    let profile = profile.map(|(name, text)| {
        parts.push(SourceFile::of(name, text.as_bytes()));
        text.clone()
    });
    let profile = profile.unwrap_or_default();
    let name = machine_override.or(request.machine.as_deref()).unwrap_or_default();
    let shelf = books::shelf(&folder)?;
    let broken = || shelf.books.iter().flat_map(|book| &book.problems);
    if !set.is_empty() {
        sources.insert(SET.into(), sets.text().into());
    }
    let mut job = job::read_with(&shown, &sources[&shown], machine, profile_name(name), &shelf)
        .map_err(|mut problems| {
            // What was looked for may stand where it cannot be read.
            broken().for_each(|problem| problems.push(problem.clone()));
            let problems = locate(changed.placed(problems, &shown), &sources);
            Refusal::Problems(problems, sources.clone())
        })?;
    if let Some(going) = numbers::going_on(&job, path, set)? {
        let set = [set, std::slice::from_ref(&going.set)].concat();
        let mut loaded = job_with(path, machine_override, &set, fonts)?;
        going.note.into_iter().for_each(|note| loaded.doubts.push(note.at(Location::file(&shown))));
        return Ok(loaded);
    }
    job.set = sets.lines();
    for step in &job.steps {
        if let Some(used) = &step.recipe {
            ::log::info!("step \"{}\": recipe {used}", step.name);
        }
    }
    let read = |one: &job::ArtworkUse| {
        let takes = |shape: &Shape| one.renders(shape);
        let render = one.render.as_ref().map(|r| Render { dpi: r.dpi, takes: Some(&takes) });
        let how = Reading { page: one.page, dashes: one.dashes, render, fonts };
        drawing_of(&source::resolve(&folder, &one.file)?, &how)
    };
    let read = job.artworks.iter().map(read).collect::<Result<Vec<_>, _>>()?;
    let (artworks, drawings): (Vec<_>, Vec<_>) = read.into_iter().unzip();
    parts.extend(drawings);
    let table = table(&job, &folder, &mut parts)?;
    let used = |book: &Book| {
        job.steps.iter().any(|s| s.recipe.as_ref().is_some_and(|r| r.book() == book.name))
    };
    let books: Vec<Book> = shelf.books.iter().filter(|book| used(book)).cloned().collect();
    parts.extend(books.iter().map(|book| SourceFile::of(&book.name, book.text.as_bytes())));
    let mut doubts = Problems::new();
    doubts
        .extend(machines::unlike_own(name, path, &profile).map(Problems::from).unwrap_or_default());
    if job.steps.iter().any(|step| step.recipe.is_some()) {
        broken().for_each(|problem| doubts.push(problem.clone()));
    }
    Ok(Loaded {
        job,
        profile,
        artworks,
        table,
        parts,
        books,
        sources,
        doubts,
        changed,
        set: set.to_vec(),
    })
}

/// Reads the table that a job's copies name.
fn table(job: &Job, folder: &Path, parts: &mut Vec<SourceFile>) -> Result<Option<Table>, Refusal> {
    let Some(each) = &job.placement.copies.each else { return Ok(None) };
    let path = source::resolve(folder, &each.file)?;
    let content = bytes(&path, artwork::LARGEST_FILE)?;
    let table = Table::read(&each.file, &content)
        .map_err(|problem| Refusal::Problems(problem.into(), Sources::new()))?;
    ::log::info!("read {}: {}", path.display(), count(table.count() as usize, "row"));
    parts.push(SourceFile::of(path.display().to_string(), &content));
    Ok(Some(table))
}

/// A job that names no machine is told so together with whatever else is wrong with it.
fn no_machine(shown: &str, sources: Sources) -> Refusal {
    let text = &sources[shown];
    let missing = Problem::error(
        Code::MissingKey,
        "the job names no machine",
        "add machine = \"bench-laser\", or the name or path of your own profile",
    );
    let mut problems = Problems::from(missing.at(Location::line(shown, 1)));
    if let Ok(any) = machine::read("bench-laser", shipped::MACHINE)
        && let Err(others) = job::read(shown, text, any)
    {
        problems.extend(others);
    }
    Refusal::Problems(problems, sources)
}

/// A job that has been through every stage.
pub struct Made {
    /// The job, with its machine.
    pub job: Job,
    /// The text of the machine's profile.
    pub profile: String,
    /// What the stages made of it.
    pub compiled: Compiled,
    /// The files that it is made of.
    pub parts: Vec<SourceFile>,
    /// The texts that problems may point into.
    pub sources: Sources,
    /// What was set for this call, with what the log says of serial numbers.
    pub set: Vec<String>,
}

/// Sets which sheet of a job is made.
fn choose_sheet(job: &mut Job, sheet: Option<u32>) -> Result<(), Refusal> {
    let Some(sheet) = sheet else { return Ok(()) };
    let (copies, pack) = (&job.placement.copies, &job.placement.pack);
    if sheet != 1 && copies.count.is_none() && copies.each.is_none() && pack.is_none() {
        return Err(Refusal::Usage(format!(
            "there is no sheet {sheet}: only a job that packs, or whose copies say count or each, has more than one"
        )));
    }
    job.placement.copies.sheet = sheet.max(1);
    Ok(())
}

/// Loads a job and takes it through every stage.
pub fn make(args: &JobCall) -> Result<Made, Refusal> {
    made_with(args, &JobFonts::of(&args.job))
}

/// The same, with text in these fonts.
pub fn made_with(args: &JobCall, fonts: &JobFonts) -> Result<Made, Refusal> {
    made_of(args, fonts, &|_| {})
}

/// The same of a job that is changed behind its file and profile.
pub fn made_changed(args: &JobCall, change: &dyn Fn(&mut Job)) -> Result<Made, Refusal> {
    made_of(args, &JobFonts::of(&args.job), change)
}

fn made_of(args: &JobCall, fonts: &JobFonts, change: &dyn Fn(&mut Job)) -> Result<Made, Refusal> {
    let JobCall { job: path, machine, part } = args;
    let choice = Choice { only: part.only.clone(), skip: part.skip.clone() };
    let Loaded { mut job, profile, artworks, table, parts, sources, doubts, changed, set, .. } =
        job_with(path, machine.as_deref(), &part.set, fonts)?;
    choose_sheet(&mut job, part.sheet)?;
    change(&mut job);
    let file = job.file.clone();
    match compile(Given { artworks, letters: &Letters(fonts), table }, &job, &choice) {
        Ok(mut compiled) => {
            compiled.problems = changed.placed(compiled.problems, &file);
            compiled.problems.extend(doubts);
            Ok(Made { job, profile, compiled, parts, sources, set })
        }
        Err(problems) => {
            let mut problems = locate(changed.placed(problems, &file), &sources);
            machines::name_larger(&mut problems, &folder_of(path));
            Err(Refusal::Problems(problems, sources))
        }
    }
}

/// Reads the photo of a job's bed, makes it flat, and lays it under the job's pictures.
pub fn lay_photo(made: &mut Made) -> Result<(), Refusal> {
    let Some(photo) = &made.job.photo else { return Ok(()) };
    if !made.job.field().fixed || made.job.round.is_some() {
        let message = format!(
            "photo {} is not shown: where on the bed the job lies is known only at the machine",
            photo.file
        );
        let help = "place the job with zero = \"bed\", or take [photo] out";
        let note = Problem::warning(Code::PhotoPlaces, message, help);
        made.compiled.problems.push(note.at(Location::file(&made.job.file)));
        return Ok(());
    }
    let path = source::resolve(&folder_of(Path::new(&made.job.file)), &photo.file)?;
    let (flat, part, _) = flat_photo(&path, &photo.corners, &photo.found, &made.job.machine)?;
    made.compiled.problems.push(flat.problem().at(Location::file(&made.job.file)));
    made.parts.push(part);
    made.compiled.photo = Some(flat);
    Ok(())
}

/// Reads a photo and makes it flat on a machine's bed, by places on it (pixels) and on the machine's axes (mm); without
/// places on it, by the marks that lie there. Where the places are on the photo is told as well.
pub fn flat_photo(
    path: &Path,
    corners: &[Point],
    found: &[Point],
    machine: &Machine,
) -> Result<(FlatPhoto, SourceFile, Vec<Point>), Refusal> {
    let shown = path.display().to_string();
    let content = bytes(path, artwork::LARGEST_FILE)?;
    let refuse = |problem: Problem| {
        Refusal::Problems(problem.at(Location::file(&shown)).into(), Sources::new())
    };
    let pixels = Pixels::read(&content).map_err(refuse)?;
    let on_bed: Vec<Point> = found.iter().map(|p| machine.on_bed(*p)).collect();
    let corners = match corners {
        [] => photo::found_marks(&pixels, &on_bed).map_err(refuse)?,
        corners => corners.to_vec(),
    };
    let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
    let flat = photo::flat(&name, pixels, &corners, &on_bed).map_err(refuse)?;
    ::log::info!("read {shown}: {}", flat.words());
    Ok((flat, SourceFile::of(shown, &content), corners))
}

/// How a drawing is read that no job speaks of.
pub fn plain_reading() -> Reading<'static> {
    Reading { fonts: &MachineFonts, ..Reading::default() }
}

/// Loads a job and lays it out; everything that is wrong or doubtful comes with it, also when it
/// would be refused further on.
pub fn survey_sheet(args: &JobCall) -> Result<(Job, Sheet, Problems, Sources), Refusal> {
    let JobCall { job: path, machine, part } = args;
    let choice = Choice { only: part.only.clone(), skip: part.skip.clone() };
    let Loaded { mut job, artworks, table, sources, changed, .. } =
        job(path, machine.as_deref(), &part.set)?;
    choose_sheet(&mut job, part.sheet)?;
    let fonts = JobFonts::of(path);
    let given = Given { artworks, letters: &Letters(&fonts), table };
    let file = job.file.clone();
    let told = |problems| locate(changed.placed(problems, &file), &sources);
    match survey(given, &job, &choice) {
        Ok((sheet, problems)) => {
            let problems = told(problems);
            Ok((job, sheet, problems, sources))
        }
        Err(problems) => Err(Refusal::Problems(told(problems), sources)),
    }
}

/// Problems that know their place in a text but not its line get it here.
pub fn locate(problems: Problems, sources: &Sources) -> Problems {
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
