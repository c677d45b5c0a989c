//! Size, turn and mirroring of one artwork, and its own place on the sheet.

use super::content::Content;
use tinkite_base::geometry::{Affine, Rect, Vec2, drawn_bounds, hull};
use tinkite_base::problem::{Code, Problem};
use tinkite_base::quantity::plain;
use tinkite_job::{ArtworkUse, Job, Mirror, Size};

/// Says so where a drawing that is larger than the bed was made smaller.
pub(super) fn tell_fitted(
    content: &Content,
    how: &ArtworkUse,
    to_sheet: Affine,
    job: &Job,
) -> Option<Problem> {
    if !matches!(how.size, Size::Width(_) | Size::Height(_)) || job.round.is_some() {
        return None;
    }
    let own = bounds_by(content, Affine::scale_non_uniform(content.unit.0, content.unit.1));
    let made = bounds_by(content, to_sheet);
    let bed = &job.machine.bed;
    let lies = |rect: Rect| rect.width() <= bed.width + 2e-3 && rect.height() <= bed.depth + 2e-3;
    if lies(own) || made.area() >= own.area() {
        return None;
    }
    let size = |rect: Rect| format!("{} x {} mm", plain(rect.width(), 2), plain(rect.height(), 2));
    let message = format!("drawn {}, larger than the bed; made {}", size(own), size(made));
    let help = "width or height in [[artwork]] asked for it";
    Some(Problem::note(Code::ChangedSize, message, help))
}

/// The rectangle round what is drawn, carried somewhere.
fn bounds_by(content: &Content, by: Affine) -> Rect {
    let shapes = content.shapes.iter().filter_map(|s| drawn_bounds(&(by * s.path.clone())));
    let images = content.images.iter().map(|image| {
        let whole = Rect::new(0.0, 0.0, f64::from(image.pixels.0), f64::from(image.pixels.1));
        (by * image.to_mm).transform_rect_bbox(whole)
    });
    hull(shapes.chain(images)).unwrap_or_default()
}

/// Carries an artwork from its own coordinates to the sheet's.
///
/// # Errors
/// Drawings of no size, and scaling to a side that is not there.
pub(super) fn to_sheet(content: &Content, how: &ArtworkUse) -> Result<Affine, Problem> {
    let bounds = |by: Affine| bounds_by(content, by);
    let drawn = bounds(Affine::IDENTITY);
    if drawn.width() <= 0.0 && drawn.height() <= 0.0 {
        let help = "draw lines that have a length";
        return Err(Problem::error(Code::SizeZero, "the drawing has no size", help));
    }
    let flat = |side: &str, length: f64| {
        if length > 0.0 {
            return Ok(length);
        }
        Err(Problem::error(
            Code::SizeZero,
            format!("the drawing has no {side}, so it cannot be scaled to one"),
            "give scale, or the other side",
        ))
    };
    let (ux, uy) = content.unit;
    let even = |scale: f64| Vec2::new(ux * scale, uy * scale);
    let scale = match how.size {
        Size::True => even(1.0),
        Size::Scale(scale) => even(scale),
        Size::Width(width) => even(width / flat("width", drawn.width() * ux)?),
        Size::Height(height) => even(height / flat("height", drawn.height() * uy)?),
        Size::Stretched(width, height) => Vec2::new(
            width / flat("width", drawn.width())?,
            height / flat("height", drawn.height())?,
        ),
    };
    let mirror = match how.mirror {
        None => Affine::IDENTITY,
        Some(Mirror::LeftRight) => Affine::scale_non_uniform(-1.0, 1.0),
        Some(Mirror::TopBottom) => Affine::scale_non_uniform(1.0, -1.0),
    };
    // Sizes count from the page's corner, so that a drawing keeps its place on the page; turns and
    // mirrors go about the drawing's middle.
    let scaled = Affine::scale_non_uniform(scale.x, scale.y);
    let centre = (scaled * drawn.center()).to_vec2();
    let about = Affine::rotate(how.turn) * mirror;
    let shaped = Affine::translate(centre) * about * Affine::translate(-centre) * scaled;
    let Some((anchor, at)) = how.at else { return Ok(shaped) };
    Ok(Affine::translate(at - anchor.of(bounds(shaped))) * shaped)
}
