//! Layout: the artwork at its size and place on the bed, mended where the job asks for it.

mod repair;

use crate::artwork::{Artwork, Shape};
use crate::geometry::{Affine, Contour, Point, Rect, Vec2, hull};
use crate::job::select::ShapeInfo;
use crate::job::{Job, Mirror, Size};
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
}

impl LaidShape {
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
    let to_bed = match transform(&shapes, job) {
        Ok(transform) => transform,
        Err(problem) => {
            problems.push(problem.at(Place::file(&file)));
            return Err(problems);
        }
    };
    let mut shapes: Vec<_> =
        shapes.into_par_iter().map(|shape| lay(shape, to_bed, job.tolerance)).collect();
    report_strays(&shapes, &file, &mut problems);
    repair::repair(&mut shapes, &job.artwork, &file, &mut problems);
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
    LaidShape { shape, contours, open, dropped: false }
}

/// The transform from artwork to bed coordinates: mirror, size, turn, place.
fn transform(shapes: &[Shape], job: &Job) -> Result<Affine, Problem> {
    use kurbo::Shape as _;
    let bounds = |by: Affine| {
        hull(shapes.iter().map(|s| (by * s.path.clone()).bounding_box())).unwrap_or_default()
    };
    let drawn = bounds(Affine::IDENTITY);
    if drawn.width() <= 0.0 && drawn.height() <= 0.0 {
        return Err(Problem::error(
            "size-zero",
            "the drawing has no size",
            "draw lines that have a length",
        ));
    }
    let flat = |side: &str, length: f64| {
        if length > 0.0 {
            return Ok(length);
        }
        Err(Problem::error(
            "size-zero",
            format!("the drawing has no {side}, so it cannot be scaled to one"),
            "give scale, or the other side",
        ))
    };
    let scale = match job.artwork.size {
        Size::True => 1.0,
        Size::Scale(scale) => scale,
        Size::Width(width) => width / flat("width", drawn.width())?,
        Size::Height(height) => height / flat("height", drawn.height())?,
    };
    let centre = drawn.center();
    let mirror = match job.artwork.mirror {
        None => Affine::IDENTITY,
        Some(Mirror::LeftRight) => Affine::scale_non_uniform(-1.0, 1.0),
        Some(Mirror::TopBottom) => Affine::scale_non_uniform(1.0, -1.0),
    };
    let about = |point: Point, by: Affine| {
        Affine::translate(point.to_vec2()) * by * Affine::translate(-point.to_vec2())
    };
    let turned = Affine::rotate(job.artwork.turn);
    let Some(at) = job.placement.at else {
        // Sizes count from the page's corner, so that a drawing keeps its place on the page.
        let scaled = Affine::scale(scale);
        return Ok(about(scaled * centre, turned * mirror) * scaled);
    };
    let shaped = turned * Affine::scale(scale) * about(centre, mirror);
    let anchor = job.placement.anchor.of(bounds(shaped));
    let target: Vec2 = at.to_vec2() + job.machine.bed.origin_offset();
    Ok(Affine::translate(target - anchor.to_vec2()) * shaped)
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
