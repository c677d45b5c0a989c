//! Areas made out of shapes: combined, grown, shrunk.

use super::Unplaced;
use tinkite_artwork::rings;
use tinkite_base::geometry::region::{self, FillRule};
use tinkite_base::geometry::{BezPath, Point, fit};
use tinkite_base::problem::{Code, Problem, count, few};
use tinkite_job::select::ShapeInfo;
use tinkite_job::takeable::Takeable;
use tinkite_job::{Area, Take};

/// Round corners and curves become chords this near to them, mm.
const FINE: f64 = 2e-3;

/// The outline of an area on the sheet; what it was made of is taken out unless it is kept.
///
/// # Errors
/// Takes that find nothing or open shapes, and areas of which nothing is left.
pub(super) fn outline(
    pieces: &mut Vec<Unplaced>,
    area: &Area,
    name: &str,
) -> Result<BezPath, Problem> {
    let takes = |take: &[Take], piece: &Unplaced| {
        let open = fit::contours(&piece.shape.path, FINE).iter().any(|c| !c.closed);
        take.iter().any(|take| take.holds(&info(piece, open), false))
    };
    let numbers = |take: &[Take], pieces: &[Unplaced]| -> Vec<usize> {
        (0..pieces.len()).filter(|n| takes(take, &pieces[*n])).collect()
    };
    let first = numbers(&area.of, pieces);
    let mut used = first.clone();
    let mut inside = unite(pieces, &first, &area.of, name)?;
    if let Some((how, with)) = &area.combine {
        let second = numbers(with, pieces);
        let other = unite(pieces, &second, with, name)?;
        inside = region::combined(&inside, &other, *how);
        used.extend(second);
    }
    let inside = region::grow(&inside, area.grow, FINE);
    if inside.is_empty() {
        let message = format!("nothing is left of the area \"{name}\"");
        let help = "check combine and grow: perhaps it shrinks by more than half its width";
        return Err(Problem::error(Code::Nothing, message, help));
    }
    if !area.keep {
        let mut n = 0;
        pieces.retain(|_| {
            n += 1;
            !used.contains(&(n - 1))
        });
    }
    Ok(region::path(&inside, true))
}

fn info(piece: &Unplaced, open: bool) -> ShapeInfo<'_> {
    ShapeInfo { shape: &piece.shape, open, origin: piece.origin.as_deref() }
}

/// What some pieces enclose together.
fn unite(
    pieces: &[Unplaced],
    which: &[usize],
    take: &[Take],
    name: &str,
) -> Result<Vec<Vec<Point>>, Problem> {
    if which.is_empty() {
        let asked = take.iter().map(Take::describe).collect::<Vec<_>>().join(" or ");
        let mut takeable = Takeable::default();
        pieces.iter().for_each(|piece| takeable.add(&info(piece, false)));
        let can = takeable.instead_of(&take.iter().collect::<Vec<_>>());
        return Err(Problem::error(
            Code::TakesNothing,
            format!("the area \"{name}\" takes nothing: no shape has {asked}"),
            format!("{can}; correct of or with"),
        ));
    }
    let open = |n: &&usize| {
        // What is filled is closed by its fill.
        pieces[**n].shape.fill.is_none()
            && fit::contours(&pieces[**n].shape.path, FINE).iter().any(|contour| !contour.closed)
    };
    let open: Vec<String> =
        which.iter().filter(open).map(|n| pieces[*n].shape.source.label()).collect();
    if !open.is_empty() {
        return Err(Problem::error(
            Code::OpenShape,
            format!(
                "the area \"{name}\" is made of shapes of which {} not closed: {}",
                count(open.len(), "shape") + if open.len() == 1 { " is" } else { " are" },
                few(&open, 6)
            ),
            "close them in the drawing program, or take only closed ones: { kind = \"closed\", … }",
        )
        .naming(open));
    }
    let mut all: Vec<Vec<Point>> = Vec::new();
    for n in which {
        let piece = &pieces[*n];
        let rule = piece.shape.fill.map_or(FillRule::EvenOdd, |fill| fill.rule);
        let own = region::unite(&rings(&(piece.to_sheet * piece.shape.path.clone())), rule);
        all.extend(own);
    }
    Ok(region::unite(&all, FillRule::NonZero))
}
