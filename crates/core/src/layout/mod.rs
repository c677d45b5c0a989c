//! Layout: the artwork at its size and place on the bed, mended where the job asks for it.

mod drawn;
mod place;
mod repair;

use crate::artwork::{Artwork, Shape, Units};
use crate::geometry::{Affine, BezPath, Contour, Rect, Vec2, hull};
use crate::job::Job;
use crate::job::select::ShapeInfo;
use crate::problem::{Place, Problem, Problems, count, few};
use rayon::prelude::*;

/// A shape where it will lie, as lines and arcs.
#[derive(Debug, Clone)]
pub struct LaidShape {
    /// Its paint and source; its path still in the artwork's own coordinates.
    pub shape: Shape,
    /// Its lines, in mm from the bed's front left corner.
    pub contours: Vec<Contour>,
    /// Whether any of them is open.
    pub open: bool,
    /// Whether all of it lay on other lines and was dropped for that.
    pub dropped: bool,
    /// Which copy it belongs to; the first is 0.
    pub number: u32,
}

impl LaidShape {
    /// How people find it: by name or line, and which copy it is.
    #[must_use]
    pub fn label(&self) -> String {
        match self.number {
            0 => self.shape.source.label(),
            n => format!("{}, copy {}", self.shape.source.label(), n + 1),
        }
    }

    /// The same, moved: copy `number`. It does not carry the drawn curves along again.
    fn copy(&self, number: u32, by: Vec2) -> Self {
        Self {
            shape: Shape { path: BezPath::new(), ..self.shape.clone() },
            contours: self.contours.iter().map(|contour| contour.shifted(by)).collect(),
            open: self.open,
            dropped: self.dropped,
            number,
        }
    }

    /// What `take` looks at.
    pub(crate) fn info(&self) -> ShapeInfo<'_> {
        ShapeInfo { shape: &self.shape, open: self.open }
    }
}

/// The artwork on the bed. It can no longer hold a choice of size or place.
#[derive(Debug, Clone)]
pub struct Sheet {
    /// The artwork's file, for problems.
    pub file: String,
    /// Everything that takes part, in drawing order.
    pub shapes: Vec<LaidShape>,
    /// The rectangle round all lines, mm from the bed's front left corner.
    pub extents: Rect,
}

/// Lays the artwork as the job says.
///
/// # Errors
/// Artwork that is empty, of no size, or holds what this version cannot read and the job does not
/// leave out.
pub fn lay_out(artwork: Artwork, job: &Job) -> Result<(Sheet, Problems), Problems> {
    let mut problems = artwork.problems.clone();
    let file = artwork.file.clone();
    for (unread, source) in &artwork.unread {
        if !job.artwork.leave_out.iter().any(|take| take.holds(&(*unread, source), false)) {
            problems.push(unread.problem(source, &file));
        }
    }
    let before = artwork.shapes.len();
    let shapes = without_left_out(artwork.shapes, job);
    if shapes.is_empty() {
        let message = match before {
            0 => "the artwork has no shapes".to_string(),
            n => format!("leave-out leaves nothing of {}", count(n, "shape")),
        };
        problems.push(
            Problem::error("nothing", message, "draw something, or leave out less")
                .at(Place::file(&file)),
        );
        return Err(problems);
    }
    let unit = match unit(&artwork.units, job) {
        Ok(unit) => unit,
        Err(problem) => {
            problems.push(problem.at(Place::file(&job.file)));
            return Err(problems);
        }
    };
    if job.artwork.mm_per_unit.is_some() {
        problems.retain(|problem| problem.code != "unit-doubt");
    }
    let shaped = match place::shaping(&shapes, job, unit) {
        Ok(shaped) => shaped,
        Err(problem) => {
            problems.push(problem.at(Place::file(&file)));
            return Err(problems);
        }
    };
    let drawing = place::bounds(&shapes, shaped).unwrap_or_default();
    let drawn = drawn::draw(&job.shapes, drawing);
    let one = place::bounds(&drawn, Affine::IDENTITY).map_or(drawing, |r| r.union(drawing));
    let move_by = Affine::translate(place::shift(one, job));
    let mut shapes: Vec<_> = shapes
        .into_par_iter()
        .map(|shape| lay(shape, move_by * shaped, job.tolerance))
        .chain(drawn.into_par_iter().map(|shape| lay(shape, move_by, job.tolerance)))
        .collect();
    report_strays(&shapes, &file, &mut problems);
    repair::repair(&mut shapes, &job.artwork, &file, &mut problems);
    let shapes = place::copied(shapes, one, &job.placement.copies);
    let extents = hull(shapes.iter().flat_map(|s| s.contours.iter().map(Contour::bounds)));
    let Some(extents) = extents else {
        problems.push(
            Problem::error(
                "size-zero",
                "nothing in the artwork has any length",
                "draw lines that have a length",
            )
            .at(Place::file(&file)),
        );
        return Err(problems);
    };
    problems.clone().unless_refused((Sheet { file, shapes, extents }, problems))
}

fn without_left_out(shapes: Vec<Shape>, job: &Job) -> Vec<Shape> {
    let leave_out = &job.artwork.leave_out;
    if leave_out.is_empty() {
        return shapes;
    }
    let stays = |shape: &Shape| {
        let open = shape.contours(job.tolerance).iter().any(|contour| !contour.closed);
        let info = ShapeInfo { shape, open };
        !leave_out.iter().any(|take| take.holds(&info, false))
    };
    shapes.into_iter().filter(|shape| stays(shape)).collect()
}

fn lay(shape: Shape, to_bed: Affine, tolerance: f64) -> LaidShape {
    let contours = crate::geometry::fit::contours(&(to_bed * shape.path.clone()), tolerance);
    let open = contours.iter().any(|contour| !contour.closed);
    LaidShape { shape, contours, open, dropped: false, number: 0 }
}

/// How much larger the artwork is than it was read, by what the job says one unit is.
fn unit(units: &Units, job: &Job) -> Result<f64, Problem> {
    match job.artwork.mm_per_unit {
        None => Ok(1.0),
        Some(mm) if units.doubtful => Ok(mm / units.mm_per_unit),
        Some(_) => Err(Problem::error(
            "units-known",
            format!(
                "the drawing says its size itself ({}), so units would contradict it",
                units.source
            ),
            "take units out; scale or width changes the size",
        )),
    }
}

fn report_strays(shapes: &[LaidShape], file: &str, problems: &mut Problems) {
    let strays: Vec<_> = shapes.iter().filter(|s| s.contours.is_empty()).collect();
    let Some(first) = strays.first() else { return };
    let names: Vec<_> = strays.iter().map(|s| s.shape.source.label()).collect();
    problems.push(
        Problem::warning(
            "stray",
            format!("{} of no length: {}", count(strays.len(), "shape"), few(&names, 6)),
            "nothing is burnt there; delete them in the drawing program",
        )
        .at(first.shape.source.place(file)),
    );
}
