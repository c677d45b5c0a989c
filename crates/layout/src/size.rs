//! Size, turn and mirroring of one artwork, and its own place on the sheet.

use super::content::Content;
use tinkite_base::geometry::{Affine, Rect, Vec2, drawn_bounds, hull};
use tinkite_base::problem::{Code, Problem};
use tinkite_job::{ArtworkUse, Mirror, Size};

/// Carries an artwork from its own coordinates to the sheet's.
///
/// # Errors
/// Drawings of no size, and scaling to a side that is not there.
pub(super) fn to_sheet(content: &Content, how: &ArtworkUse) -> Result<Affine, Problem> {
    let bounds = |by: Affine| -> Rect {
        let shapes = content.shapes.iter().filter_map(|s| drawn_bounds(&(by * s.path.clone())));
        let images = content.images.iter().map(|image| {
            let (width, height) = image.pixels;
            let whole = Rect::new(0.0, 0.0, f64::from(width), f64::from(height));
            (by * image.to_mm).transform_rect_bbox(whole)
        });
        hull(shapes.chain(images)).unwrap_or_default()
    };
    // What is traced is as large as its bitmap, blank margins included.
    let pictures = content.traced.iter().map(|(to_mm, bitmap)| {
        let whole = Rect::new(0.0, 0.0, f64::from(bitmap.width), f64::from(bitmap.height));
        to_mm.transform_rect_bbox(whole)
    });
    let drawn = hull(pictures.chain([bounds(Affine::IDENTITY)])).unwrap_or_default();
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
