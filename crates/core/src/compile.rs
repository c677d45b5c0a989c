//! The corridor from end to end.

use crate::paints::{ColourBy, StepPaint};
use crate::{mapping, order, plan};
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use tinkite_artwork::Depth;
use tinkite_base::geometry::Rect;
use tinkite_base::problem::{
    Code, Location, Problem, Problems, Remedy, Severity, count, few, nearest,
};
use tinkite_job::recipe::{Kept, RecipeUse};
use tinkite_job::{Job, Step};
use tinkite_layout::{Given, LaidImage, LaidStock, Sheet, Underlay, lay_out};
use tinkite_photo::FlatPhoto;
use tinkite_program::limits::{self, WithinLimits};
use tinkite_program::segment::Segments;
use tinkite_toolpath::{self as toolpath, Leftover, Taken};

/// Which steps of a job are wanted this time.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Choice {
    /// Only these, by name, also such as the job skips; empty means all that it does not skip.
    pub only: Vec<String>,
    /// Not these, by name.
    pub skip: Vec<String>,
}

impl Choice {
    /// The numbers of the chosen steps.
    ///
    /// # Errors
    /// Names that no step has.
    pub fn steps(&self, job: &Job) -> Result<Vec<usize>, Problems> {
        let mut problems = Problems::new();
        for name in self.only.iter().chain(&self.skip) {
            if !job.steps.iter().any(|step| step.name == *name) {
                let names = || job.steps.iter().map(|step| step.name.as_str());
                let help = match nearest(name, names()) {
                    Some(near) => format!("did you mean \"{near}\"?"),
                    None => format!("its steps are {}", names().collect::<Vec<_>>().join(", ")),
                };
                let message = format!("the job has no step called \"{name}\"");
                problems.push(
                    Problem::error(Code::NoSuchStep, message, help).at(Location::file(&job.file)),
                );
            }
        }
        let wanted = |step: &Step| {
            let asked =
                if self.only.is_empty() { !step.skip } else { self.only.contains(&step.name) };
            asked && !self.skip.contains(&step.name)
        };
        let steps = (0..job.steps.len()).filter(|n| wanted(&job.steps[*n])).collect();
        problems.unless_refused(steps)
    }
}

/// A job that has been through every stage.
#[derive(Debug)]
pub struct Compiled {
    /// The job within the machine's limits.
    pub within: WithinLimits,
    /// For each step of the job, what it takes.
    pub taken: Vec<Taken>,
    /// What no step takes.
    pub leftovers: Vec<Leftover>,
    /// The rectangle round the artwork, mm from the bed's front left corner.
    pub artwork_extents: Rect,
    /// Where the stock lies.
    pub stock: Option<LaidStock>,
    /// Copies that differ from each other: what they are called, and the rectangle round each, mm from the bed's front
    /// left corner.
    pub parts: Vec<(Arc<str>, Rect)>,
    /// The first and the last serial number on the sheet.
    pub numbers: Option<(u32, u32)>,
    /// How many sheets the job takes in all.
    pub sheets: u32,
    /// Bitmaps that were traced.
    pub underlays: Vec<Underlay>,
    /// Bitmaps on the sheet, as they were drawn.
    pub pictures: Vec<Underlay>,
    /// A photo of the bed that lies under its pictures.
    pub photo: Option<FlatPhoto>,
    /// The chosen steps.
    pub steps: Vec<usize>,
    /// What each step of the job takes, as far as pictures show it.
    pub paints: Vec<StepPaint>,
    /// What colours of steps stand for in pictures.
    pub colour_by: ColourBy,
    /// Everything doubtful that was found on the way.
    pub problems: Problems,
}

/// Takes artwork through every stage.
///
/// # Errors
/// Everything that refuses the job, with what was doubtful before it.
pub fn compile<'a>(
    given: impl Into<Given<'a>>,
    job: &Job,
    choice: &Choice,
) -> Result<Compiled, Problems> {
    compile_tables(given, job, choice)
        .map(|made| Compiled { problems: without_accepted(made.problems, job), ..made })
        .map_err(|problems| without_accepted(problems, job))
}

/// What is told of squares of a test sheet that are not burnt.
fn blank_squares(job: &Job) -> Problems {
    let cells = job.swatch.iter().flat_map(|swatch| &swatch.cells);
    let blank: Vec<_> = cells.filter_map(|cell| Some((cell, cell.blank.as_ref()?))).collect();
    let Some((_, why)) = blank.first() else { return Problems::new() };
    let names: Vec<String> = blank.iter().map(|(cell, _)| cell.name.clone()).collect();
    let message =
        format!("{} left blank: {} ({why})", count(names.len(), "square"), few(&names, 6));
    let help = "values between the machine's floor and ceiling fill them";
    let note = Problem::warning(Code::SwatchBlank, message, help);
    note.at(Location::file(&job.file)).naming(names).into()
}

/// What is told of steps that the job skips, where nothing was chosen for this call.
fn skipped_steps(job: &Job, choice: &Choice) -> Problems {
    if !choice.only.is_empty() {
        return Problems::new();
    }
    let skipped = job.steps.iter().filter(|step| step.skip);
    let names: Vec<String> = skipped.map(|step| format!("\"{}\"", step.name)).collect();
    if names.is_empty() {
        return Problems::new();
    }
    let message = format!("{} left out: {}", count(names.len(), "step"), few(&names, 6));
    let help = "take skip = true out of it, or ask for it by its name for one call";
    let note = Problem::note(Code::Skipped, message, help).with_remedy(Remedy::AskForStep);
    note.at(Location::file(&job.file)).naming(names).into()
}

/// What is told of recipes that nobody has tried on this machine: one message a kind, with the steps that use each.
fn untried_recipes(job: &Job, steps: &[usize]) -> Problems {
    let mut told: Vec<&RecipeUse> = Vec::new();
    // For each kind the recipes with their steps, and the names of all steps.
    let mut kinds: [(Vec<String>, Vec<String>); 3] = Default::default();
    let steps = || steps.iter().map(|n| &job.steps[*n]);
    for step in steps() {
        let Some(used) = &step.recipe else { continue };
        let same = |other: &RecipeUse| other.title == used.title && other.place == used.place;
        if told.iter().any(|other| same(other)) {
            continue;
        }
        told.push(used);
        let kind = match (used.kept, used.guess, used.on_this_machine) {
            (Kept::Shipped, ..) => 0,
            (_, true, _) => 1,
            (_, _, false) => 2,
            _ => continue,
        };
        let users = steps().filter(|step| step.recipe.as_ref().is_some_and(same));
        let names: Vec<String> = users.map(|step| format!("\"{}\"", step.name)).collect();
        kinds[kind].0.push(format!("{} (step {})", used.title, few(&names, 3)));
        kinds[kind].1.extend(names);
    }
    let mut problems = Problems::new();
    for (kind, (recipes, names)) in kinds.into_iter().enumerate() {
        if recipes.is_empty() {
            continue;
        }
        let what = match kind {
            0 => "values to start from, which nobody has tried on this machine",
            1 => "worked out from others, and not tried",
            _ => "of no machine that is named, so they may have been found on another one",
        };
        let message = format!("{}: {}", what, few(&recipes, 6));
        let code = Code::UntriedRecipe;
        let problem = match kind {
            2 => {
                let help = "write machine into the recipe once it has worked here";
                Problem::note(code, message, help)
            }
            _ => Problem::warning(code, message, "try it on scrap, and keep what works")
                .with_remedy(Remedy::KeepRecipe),
        };
        problems.push(problem.at(Location::file(&job.file)).naming(names));
    }
    problems
}

/// Warnings that the job accepts become one note.
fn without_accepted(problems: Problems, job: &Job) -> Problems {
    let mut accepted: BTreeMap<Code, usize> = BTreeMap::new();
    let mut kept = Problems::new();
    for problem in problems {
        if problem.severity == Severity::Warning && job.accept.contains(&problem.code) {
            *accepted.entry(problem.code).or_default() += 1;
        } else {
            kept.push(problem);
        }
    }
    let refused: BTreeSet<&str> = kept
        .iter()
        .filter(|problem| problem.severity == Severity::Error && job.accept.contains(&problem.code))
        .map(|problem| problem.code.text())
        .collect();
    if !refused.is_empty() {
        let codes: Vec<String> = refused.into_iter().map(str::to_string).collect();
        let message = format!("accept lists {}, which refuses the job", few(&codes, 8));
        let help = "accept is for warnings; an error is to be mended";
        let problem = Problem::error(Code::Accepted, message, help);
        kept.push(problem.at(Location::file(&job.file)));
    }
    if !accepted.is_empty() {
        let codes: Vec<String> = accepted.keys().map(|code| code.text().to_string()).collect();
        let many = count(accepted.values().sum(), "warning");
        let message = format!("{many} accepted by the job: {}", few(&codes, 8));
        let help = "accept in the job lists them; take a code out to see its warning";
        let note = Problem::note(Code::Accepted, message, help);
        kept.push(note.at(Location::file(&job.file)));
    }
    kept
}

fn compile_tables<'a>(
    given: impl Into<Given<'a>>,
    job: &Job,
    choice: &Choice,
) -> Result<Compiled, Problems> {
    let steps = choice.steps(job)?;
    let (sheet, mut problems) = lay_out(given.into(), job)?;
    problems.extend(skipped_steps(job, choice));
    problems.extend(untried_recipes(job, &steps));
    problems.extend(blank_squares(job));
    let made = match toolpath::make(&sheet, job, &steps) {
        Ok(made) => made,
        Err(refusal) => {
            problems.extend(toolpath::doubts(&sheet, job, &steps));
            problems.extend(refusal);
            return Err(problems);
        }
    };
    let start = job.field().zero.to_point();
    let arranged = || mapping::place(order::arrange(made.paths, job, start), job);
    let (doubts, placed) = rayon::join(|| toolpath::doubts(&sheet, job, &steps), arranged);
    problems.extend(doubts);
    problems.extend(made.problems);
    let paint = |(step, taken)| StepPaint::of(step, taken, &sheet);
    let paints: Vec<StepPaint> = job.steps.iter().zip(&made.taken).map(paint).collect();
    let (artwork_extents, stock) = (sheet.extents, sheet.stock.clone());
    let (underlays, parts) = (sheet.underlays, sheet.parts);
    let (numbers, sheets) = (sheet.numbers, sheet.sheets);
    let flat = |laid: &&LaidImage| !matches!(laid.depth.as_deref(), Some(Depth::Solid(_)));
    let picture = |laid: &LaidImage| Underlay { to_bed: laid.to_bed, bitmap: laid.bitmap.clone() };
    let pictures = sheet.images.iter().filter(flat).map(picture).collect();
    drop((sheet.shapes, sheet.images));
    let segments = Segments::new(placed, job);
    let (planned, doubts) = after(plan::plan(segments, &steps), &mut problems)?;
    problems.extend(doubts);
    let (within, doubts) = after(limits::check(planned, &steps, stock.as_ref()), &mut problems)?;
    problems.extend(doubts);
    Ok(Compiled {
        within,
        taken: made.taken,
        leftovers: made.leftovers,
        artwork_extents,
        stock,
        parts,
        numbers,
        sheets,
        underlays,
        pictures,
        photo: None,
        steps,
        paints,
        colour_by: ColourBy::default(),
        problems,
    })
}

/// Lays the artwork out and gathers everything that is wrong or doubtful with the job, refused or
/// not: what `draw --trouble` shows.
///
/// # Errors
/// What keeps the artwork from being laid out at all.
pub fn survey<'a>(
    given: impl Into<Given<'a>>,
    job: &Job,
    choice: &Choice,
) -> Result<(Sheet, Problems), Problems> {
    let given = given.into();
    let (sheet, _) = lay_out(given.clone(), job)?;
    let problems = match compile(given, job, choice) {
        Ok(compiled) => compiled.problems,
        Err(problems) => problems,
    };
    Ok((sheet, problems))
}

/// A refusal is told together with what was doubtful before it.
fn after<T>(result: Result<T, Problems>, before: &mut Problems) -> Result<T, Problems> {
    result.map_err(|refusal| {
        let mut all = std::mem::take(before);
        all.extend(refusal);
        all
    })
}
