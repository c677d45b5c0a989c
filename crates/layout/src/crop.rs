//! What of a drawing lies in its window, or on its page: shapes are cut at the edge, pictures lose the pixels
//! beyond it.

use tinkite_artwork::{Clipped, Image, Region, Shape, clipped};
use tinkite_base::geometry::Rect;
use tinkite_base::problem::{Code, Problem, count};
use tinkite_job::ArtworkUse;

/// The rectangle that is left of a drawing, mm as it was read; `None` where all of it is.
///
/// # Errors
/// A page that is asked for and not there, and a window with no extent on it.
pub(super) fn rectangle(
    how: &ArtworkUse,
    page: Option<(f64, f64)>,
    unit: (f64, f64),
) -> Result<Option<Rect>, Problem> {
    let no_page = |word: &str, help: &str| {
        let message = format!("the drawing has no page to {word}");
        Problem::error(Code::NoPage, message, help)
    };
    let whole = page.map(|(width, height)| Rect::new(0.0, 0.0, width, height));
    let mut left = match (how.crop, whole) {
        (true, None) => {
            return Err(no_page("crop to", "take crop out, or give the drawing a page"));
        }
        (true, whole) => whole,
        (false, _) => None,
    };
    if let Some(window) = &how.window {
        let help = "say the window's corners in mm, or give the drawing a page";
        let asked = window.rect(page, unit).ok_or_else(|| no_page("take shares of", help))?;
        let shown = left.map_or(asked, |page| page.intersect(asked));
        if shown.width() <= 0.0 || shown.height() <= 0.0 {
            let message = "the window has no extent on the drawing's page".to_string();
            let help = "from is its lower left corner, to its upper right one; look says how large the page is";
            return Err(Problem::error(Code::NoPage, message, help));
        }
        left = Some(shown);
    }
    Ok(left)
}

/// Cuts away what of shapes lies beyond the rectangle, and says how much that was.
pub(super) fn shapes(
    all: Vec<Shape>,
    to: Rect,
    how: &ArtworkUse,
    tell: impl FnMut(Problem),
) -> Vec<Shape> {
    let region = Region::rectangle(to);
    let (mut cut, mut gone) = (0, 0);
    let mut left = Vec::with_capacity(all.len());
    for shape in all {
        match clipped(shape, &region) {
            Clipped::Kept(shape) => left.push(shape),
            Clipped::Cut(parts) => {
                cut += 1;
                left.extend(parts);
            }
            Clipped::Gone => gone += 1,
        }
    }
    tell_loss((cut, gone), "shape", how, tell);
    left
}

/// Takes the pixels beyond the rectangle out of bitmaps, and says of how many.
pub(super) fn images(
    all: Vec<Image>,
    to: Rect,
    how: &ArtworkUse,
    tell: impl FnMut(Problem),
) -> Vec<Image> {
    let (mut cut, mut gone) = (0, 0);
    let mut left = Vec::with_capacity(all.len());
    for image in all {
        let before = image.pixels;
        match image.cropped(to) {
            Some(image) => {
                cut += usize::from(image.pixels != before);
                left.push(image);
            }
            None => gone += 1,
        }
    }
    tell_loss((cut, gone), "bitmap", how, tell);
    left
}

fn tell_loss(
    (cut, gone): (usize, usize),
    what: &str,
    how: &ArtworkUse,
    mut tell: impl FnMut(Problem),
) {
    if cut + gone == 0 {
        return;
    }
    let (word, beyond) = match how.window {
        Some(_) => ("window", "they lay beside it"),
        None => ("crop", "they lay beyond the page"),
    };
    let message = format!("{word} cut {} and left {gone} out", count(cut, what));
    tell(Problem::note(Code::Cropped, message, beyond));
}
