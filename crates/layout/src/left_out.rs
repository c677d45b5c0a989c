//! What `leave-out` takes away, and what goes with it that was not named: another paint of the same shape, and the
//! size that the rest is made.

use tinkite_artwork::{Image, Shape};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Rect, drawn_bounds, hull};
use tinkite_base::problem::{Code, Location, Problem, Problems, count, few};
use tinkite_base::quantity::plain;
use tinkite_job::select::ShapeInfo;
use tinkite_job::{ArtworkUse, Job, Size};

/// A size that changes by less than this share is the same.
const SAME_SIZE: f64 = 1e-4;

/// The shapes without those that the artwork leaves out.
pub(super) fn without(
    shapes: Vec<Shape>,
    how: &ArtworkUse,
    images: &[Image],
    job: &Job,
    problems: &mut Problems,
) -> Vec<Shape> {
    let origin = how.origin();
    let whole = extents(&shapes, images);
    let mut filled: Vec<String> = Vec::new();
    let mut kept = Vec::with_capacity(shapes.len());
    for shape in shapes {
        let open = shape.contours(job.tolerance).iter().any(|contour| !contour.closed);
        let info = ShapeInfo { shape: &shape, open, origin: Some(&origin) };
        let mut takes = how.leave_out.iter().filter(|take| take.holds(&info, false)).peekable();
        if takes.peek().is_none() {
            kept.push(shape);
            continue;
        }
        if let Some(fill) = shape.fill.map(|fill| fill.colour).filter(|fill| *fill != Colour::WHITE)
            && takes.all(|take| take.means_line_alone())
        {
            filled.push(format!("{} (fill {fill})", shape.source.label()));
        }
    }
    let at = |problem: Problem| problem.at(Location::file(&job.file));
    if !filled.is_empty() {
        let message = format!(
            "leave-out by stroke leaves {} out whole, the fill with the line: {}",
            count(filled.len(), "shape"),
            few(&filled, 6)
        );
        let help = "paint = [{ take = { stroke = … }, stroke = \"none\" }] in its place takes the line alone away";
        problems.push(at(Problem::warning(Code::ChangedSize, message, help).naming(filled)));
    }
    problems.extend(
        size(whole, extents(&kept, images), how).map(at).map(Problems::from).unwrap_or_default(),
    );
    kept
}

/// The rectangle round what is drawn, mm as it was read.
fn extents(shapes: &[Shape], images: &[Image]) -> Rect {
    let shapes = shapes.iter().filter_map(|shape| drawn_bounds(&shape.path));
    hull(shapes.chain(images.iter().map(Image::bounds))).unwrap_or_default()
}

/// Says so where the rest is made as wide as the whole would have been.
fn size(whole: Rect, left: Rect, how: &ArtworkUse) -> Option<Problem> {
    let (key, asked, whole, left) = match how.size {
        Size::Width(width) | Size::Stretched(width, _) => {
            ("width", width, whole.width(), left.width())
        }
        Size::Height(height) => ("height", height, whole.height(), left.height()),
        Size::True | Size::Scale(_) => return None,
    };
    let larger = whole / left;
    if left <= 0.0 || !larger.is_finite() || (larger - 1.0).abs() < SAME_SIZE {
        return None;
    }
    let message = format!(
        "{key} = {} mm goes to what leave-out leaves: with all that is drawn that is {} mm, so the rest is made {} times as large",
        plain(asked, 3),
        plain(asked / larger, 3),
        plain(larger, 4)
    );
    let help = format!(
        "{key} = \"{} mm\" makes it as large as it is beside what is left out",
        plain(asked / larger, 3)
    );
    Some(Problem::warning(Code::ChangedSize, message, help))
}
