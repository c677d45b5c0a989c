//! Sizes that smell of a wrong unit.

use crate::{Artwork, Format};
use tinkite_base::problem::{Code, Location, Problem};
use tinkite_base::quantity::plain;

/// A drawing whose larger side is below this may have been meant in inches, mm.
const SMALL: f64 = 12.0;

/// A drawing larger than this fits no machine that its owner can lift, mm.
const LARGE: f64 = 2500.0;

/// Sides of paper that people have, mm.
const PAPERS: [f64; 9] = [105.0, 148.0, 210.0, 297.0, 420.0, 594.0, 841.0, 215.9, 279.4];

/// What the size of a drawing suggests about its unit.
pub(super) fn smell(artwork: &Artwork) -> Option<Problem> {
    if artwork.format.is_bitmap() {
        return None;
    }
    let extents = artwork.extents()?;
    let (width, height) = (extents.width(), extents.height());
    let larger = width.max(height);
    let times =
        |factor: f64| format!("{} x {} mm", plain(width * factor, 2), plain(height * factor, 2));
    let now = times(1.0);
    let (message, help) = if let Some((per_inch, page)) = paper(artwork) {
        (
            format!(
                "with {per_inch} pixels to the inch the page would be exactly {page} mm of paper"
            ),
            format!(
                "check one known size; units = \"{per_inch}/in\" in the job's [[artwork]] makes it so"
            ),
        )
    } else if larger > 0.0 && larger < SMALL {
        (
            format!("the drawing is only {now}; taken for inches it would be {}", times(25.4)),
            "if it was drawn in inches, say scale = 25.4 in the job's [[artwork]], or give its width".to_string(),
        )
    } else if larger > LARGE {
        (
            format!(
                "the drawing is {now}, larger than any bed; 25.4 times smaller it would be {}",
                times(1.0 / 25.4)
            ),
            "check its unit; scale, width or height in the job's [[artwork]] sets the size"
                .to_string(),
        )
    } else {
        return None;
    };
    Some(Problem::warning(Code::SizeDoubt, message, help).at(Location::file(&artwork.file)))
}

/// Whether a page in pixels is exactly a sheet of paper at 72 or 90 to the inch and not at 96.
fn paper(artwork: &Artwork) -> Option<(u32, String)> {
    if artwork.format != Format::Svg || !artwork.units.doubtful {
        return None;
    }
    let (width, height) = artwork.page?;
    let is_paper = |mm: f64| PAPERS.iter().any(|side| (side - mm).abs() < 0.3);
    let fits = |factor: f64| is_paper(width * factor) && is_paper(height * factor);
    if fits(1.0) {
        return None;
    }
    [72u32, 90].into_iter().find_map(|per_inch| {
        let factor = 96.0 / f64::from(per_inch);
        let page = format!("{} x {}", plain(width * factor, 0), plain(height * factor, 0));
        fits(factor).then_some((per_inch, page))
    })
}
