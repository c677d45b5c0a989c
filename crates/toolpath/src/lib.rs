//! Toolpaths: what the head follows, step by step.
//!
//! A toolpath no longer holds colours, fills or curves other than lines and arcs. Every shape that
//! no step takes is listed; a step that takes nothing is refused.

mod area;
mod cluster;
mod copies;
mod follow;
pub mod gaps;
mod hatch;
mod image;
pub mod line;
pub mod order;
mod relief;
mod report;
mod rings;
pub mod rows;
mod select;
mod shoulder;
mod wrap;

use copies::Copies;
use line::Line;
use rows::Rows;
pub use select::Taken;
use std::fmt;
use std::sync::Arc;
use tinkite_artwork::Depth;
use tinkite_base::geometry::{Contour, Point};
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_job::{Engrave, Fill, Job, Operation, Step};
use tinkite_layout::{LaidImage, LaidShape, LaidStock, Sheet};

/// What is burnt: a line that is followed, or an area filled with rows.
#[derive(Debug, Clone, PartialEq)]
pub enum Burn {
    /// A line to follow.
    Line(Line),
    /// Parallel lines.
    Rows(Rows),
}

/// What people call a path.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Name {
    /// All that its shape is called in the drawing; copies share it.
    pub called: Vec<String>,
    /// Its shape's name, and which copy it is; for an area, its step.
    pub text: String,
}

impl Name {
    fn of(laid: &LaidShape) -> Self {
        Self { called: laid.shape.source.names().map(String::from).collect(), text: laid.label() }
    }
}

impl fmt::Display for Name {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

/// One thing to burn.
#[derive(Debug, Clone, PartialEq)]
pub struct Toolpath {
    /// Which step of the job burns it.
    pub step: usize,
    /// What people call it.
    pub name: Arc<Name>,
    /// Which of the step's paths, counted from 0 as they are made, has this one inside and so comes
    /// after it.
    pub parent: Option<usize>,
    /// What is burnt.
    pub burn: Burn,
    /// How deep below the surface it lies, mm.
    pub depth: f64,
    /// How far the focus goes down with it, mm; nothing where nothing moves the focus.
    pub sunk: f64,
}

impl Burn {
    /// Where burning may begin, and where it ends when it begins there.
    #[must_use]
    pub fn ends(&self) -> (Point, Point) {
        match self {
            Self::Line(line) => line.ends(),
            Self::Rows(rows) => rows.ends(),
        }
    }

    /// How many lines: one, or those that are engraved.
    #[must_use]
    pub fn line_count(&self) -> usize {
        match self {
            Self::Line(_) => 1,
            Self::Rows(rows) => rows.line_count(),
        }
    }
}

/// Something drawn that no step takes.
#[derive(Debug, Clone, PartialEq)]
pub struct Leftover {
    /// Where it was drawn; its thing is its id, when it has one.
    pub place: Location,
    /// Which copy it belongs to, counted from 1.
    pub copy: u32,
    /// Its stroke and fill, or that it is a bitmap.
    pub paint: String,
    label: String,
}

impl fmt::Display for Leftover {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} ({})", self.label, self.paint)
    }
}

/// All toolpaths of a job, in the order of its steps, and what was left over.
#[derive(Debug, Clone)]
pub struct Toolpaths {
    /// The toolpaths, grouped by step.
    pub paths: Vec<Toolpath>,
    /// For each step, what it takes.
    pub taken: Vec<Taken>,
    /// What no step takes.
    pub leftovers: Vec<Leftover>,
    /// What is doubtful.
    pub problems: Problems,
}

/// What a step that engraves may use.
struct EngraveContext<'a> {
    step: &'a Step,
    engrave: &'a Engrave,
    job: &'a Job,
    stock: Option<&'a LaidStock>,
    /// The shapes that bound its area.
    bounds: &'a [&'a LaidShape],
}

impl EngraveContext<'_> {
    fn place(&self) -> Location {
        step_place(self.job, self.step)
    }
}

/// Makes the toolpaths of `steps` (numbers into the job's steps; others are not made).
///
/// # Errors
/// Steps that take nothing, engraving of open shapes, more lines than anyone could mean.
pub fn make(sheet: &Sheet, job: &Job, steps: &[usize]) -> Result<Toolpaths, Problems> {
    let mut problems = Problems::new();
    let taken = select::select(sheet, job);
    let ground = sheet.stock.clone();
    let ground = ground.unwrap_or_else(|| LaidStock::rectangle(job.field().rect));
    let mut paths = Vec::new();
    for (number, (step, own)) in job.steps.iter().zip(&taken).enumerate() {
        let chosen = steps.contains(&number);
        // A step that the job skips may have nothing to take: that is why it may be skipped.
        if own.is_nothing() && (chosen || !step.skip) {
            problems.push(report::takes_nothing(sheet, job, step));
        }
        if own.is_nothing() || !chosen {
            continue;
        }
        let shapes: Vec<&LaidShape> = own.shapes.iter().map(|n| &sheet.shapes[*n]).collect();
        let images: Vec<&LaidImage> = own.images.iter().map(|n| &sheet.images[*n]).collect();
        report::nearly_white(&shapes, step, job).into_iter().for_each(|p| problems.push(p));
        let made = match &step.operation {
            Operation::Cut(follow) | Operation::Score(follow) => {
                let kindred = select::steps_alike(sheet, job, step, &taken);
                let context = follow::FollowContext {
                    number,
                    step,
                    follow,
                    job,
                    kindred: &kindred,
                    ground: &ground,
                };
                refuse_images(&images, step, job)
                    .map(|()| follow::toolpaths(&shapes, &context, &mut problems))
            }
            Operation::Engrave(engrave) => {
                let bounds = select::bounds(sheet, engrave);
                let context = EngraveContext {
                    step,
                    engrave,
                    job,
                    stock: sheet.stock.as_ref(),
                    bounds: &bounds,
                };
                engrave_shapes(number, &shapes, &images, &context, &mut problems)
            }
        };
        match made {
            Ok(made) => paths.extend(made),
            Err(problem) => problems.push(problem),
        }
    }
    problems.tell_once(&[Code::ReliefLayers, Code::ReliefSize]);
    let leftovers = report::leftovers(sheet, job, &taken, &mut problems);
    report::unused_fills(sheet, job, &taken, &mut problems);
    report::unused_lines(sheet, job, &taken, &mut problems);
    report::cut_before_engrave(job, steps, &mut problems);
    problems.clone().unless_refused(Toolpaths { paths, taken, leftovers, problems })
}

/// What is doubtful about the lines that `steps` cut or score: burnt twice, crossing each other, finer than the beam, or
/// listed by an id that none of them has. It takes about as long as putting them in order and needs nothing of that, so
/// it may run beside it.
#[must_use]
pub fn doubts(sheet: &Sheet, job: &Job, steps: &[usize]) -> Problems {
    let mut problems = Problems::new();
    let mut cutting: Vec<(usize, Taken)> = Vec::new();
    for (number, (step, own)) in job.steps.iter().zip(select::select(sheet, job)).enumerate() {
        if steps.contains(&number) && step.operation.follow().is_some() {
            let shapes: Vec<&LaidShape> = own.shapes.iter().map(|n| &sheet.shapes[*n]).collect();
            report::lines(&shapes, step, job, &mut problems);
            report::unknown_ids(&shapes, step, job, &mut problems);
            if step.operation.is_cut() {
                cutting.push((number, own));
            }
        }
    }
    if cutting.len() > 1 {
        report::crossing_steps(sheet, job, &cutting, &mut problems);
    }
    problems
}

fn engrave_shapes(
    number: usize,
    shapes: &[&LaidShape],
    images: &[&LaidImage],
    context: &EngraveContext<'_>,
    problems: &mut Problems,
) -> Result<Vec<Toolpath>, Problem> {
    let step = context.step;
    let path = |text: &str, parent, burn| {
        let name = Arc::new(Name { called: Vec::new(), text: text.into() });
        Toolpath { step: number, name, parent, burn, depth: 0.0, sunk: 0.0 }
    };
    if let Fill::Image(how) = &context.engrave.fill {
        refuse_shapes(shapes, step, context.job)?;
        refuse_solids(images, step, context.job)?;
        let mut made = Vec::new();
        for laid in images {
            let rows = image::rows(laid, how, context)?;
            if rows.is_empty() {
                problems.push(report::blank(laid, step, context.job));
            }
            made.extend(rows.into_iter().map(|rows| path(&laid.label(), None, Burn::Rows(rows))));
        }
        return Ok(made);
    }
    if let Fill::Relief(how) = &context.engrave.fill {
        refuse_shapes(shapes, step, context.job)?;
        let mut made = Vec::new();
        for laid in images {
            let layers = relief::layers(laid, how, context, problems)?;
            if layers.is_empty() {
                problems.push(report::blank(laid, step, context.job));
                continue;
            }
            if !how.finishes {
                problems.push(relief::tell(&layers, how, context));
            }
            let moves = context.job.machine.z.is_some();
            made.extend(layers.into_iter().map(|layer| {
                let text = match how.finishes {
                    true => format!("{}, finish", laid.label()),
                    false => format!("{}, layer {} of {}", laid.label(), layer.number, how.layers),
                };
                let sunk = if moves { layer.depth } else { 0.0 };
                let depth = layer.depth;
                Toolpath { depth, sunk, ..path(&text, None, Burn::Rows(layer.rows)) }
            }));
        }
        return Ok(made);
    }
    refuse_images(images, step, context.job)?;
    area::beside_boundary(shapes, context).into_iter().for_each(|p| problems.push(p));
    report::covered_shapes(shapes, step, context.job)
        .into_iter()
        .for_each(|problem| problems.push(problem));
    match &context.engrave.fill {
        Fill::Lines(lines) => {
            let rows = hatch::fill(shapes, lines, context, problems)?;
            let copies = Copies::of(shapes);
            let one = |rows: Rows| {
                let name = copies.name(&step.name, rows.all_stretches());
                path(&name, None, Burn::Rows(rows))
            };
            Ok(rows.into_iter().map(one).collect())
        }
        Fill::Rings(how) => {
            let rings = rings::rings(shapes, how, context)?;
            let copies = Copies::of(shapes);
            let one = |(contour, parent): (Contour, _)| {
                let name = copies.name(&step.name, std::iter::once((contour.start, contour.start)));
                path(&name, parent, Burn::Line(Line::plain(contour)))
            };
            Ok(rings.into_iter().map(one).collect())
        }
        Fill::Image(_) | Fill::Relief(_) => Ok(Vec::new()),
    }
}

/// A bitmap has no outline, and no inside to fill with lines.
fn refuse_images(images: &[&LaidImage], step: &Step, job: &Job) -> Result<(), Problem> {
    let Some(first) = images.first() else { return Ok(()) };
    Err(Problem::error(
        Code::Bitmap,
        format!("step \"{}\" takes {}, which is a bitmap", step.name, first.label()),
        "engrave it with image = { spacing = \"0.1 mm\" }, turn it into outlines with trace in [[artwork]], or take something else",
    )
    .at(step_place(job, step)))
}

/// What is shown of a solid are no pixels to engrave.
fn refuse_solids(images: &[&LaidImage], step: &Step, job: &Job) -> Result<(), Problem> {
    let solid = |laid: &&&LaidImage| matches!(laid.depth.as_deref(), Some(Depth::Solid(_)));
    let Some(first) = images.iter().find(solid) else { return Ok(()) };
    Err(Problem::error(
        Code::Solid,
        format!("step \"{}\" takes {}, which is a solid", step.name, first.label()),
        "cut it with relief = { depth = \"1.2 mm\", layers = 20 } and lines in place of image",
    )
    .at(step_place(job, step)))
}

fn refuse_shapes(shapes: &[&LaidShape], step: &Step, job: &Job) -> Result<(), Problem> {
    let Some(first) = shapes.first() else { return Ok(()) };
    Err(Problem::error(
        Code::NotABitmap,
        format!("step \"{}\" engraves bitmaps, and {} is none", step.name, first.label()),
        "take only bitmaps, take = { kind = \"bitmap\" }, or give the step lines in place of image",
    )
    .at(step_place(job, step)))
}

fn step_place(job: &Job, step: &Step) -> Location {
    Location {
        file: job.file.clone(),
        line: None,
        span: Some(step.span.clone()),
        thing: Some(step.name.clone()),
    }
}
