//! Lines on the seam of an object that the artwork goes all the way round: drawn at both ends of the
//! unrolled surface, they are one line on the object.

use super::{Drawn, FollowContext, shared};
use crate::wrap::goes_round;
use tinkite_base::geometry::duplicates::Duplicate;
use tinkite_base::geometry::{Contour, Piece, Point, hull};
use tinkite_base::problem::{Code, Problem, Problems, count};

/// Lines this near to the seam lie on it, mm.
const ON_SEAM: f64 = 0.005;

/// Leaves out what lies on the seam's far end and is drawn at its near end as well.
pub(super) fn once(
    drawn: Vec<Drawn>,
    context: &FollowContext<'_>,
    problems: &mut Problems,
) -> Vec<Drawn> {
    // Lines that kerf moves off the seam are two.
    if context.follow.kerf > 0.0 {
        return drawn;
    }
    let contours = shared::contours(&drawn);
    let Some(bounds) = hull(contours.iter().map(Contour::bounds)) else { return drawn };
    if !goes_round(context.job, bounds.height()) {
        return drawn;
    }
    let found = duplicates(&contours, bounds.y0, bounds.y1);
    if found.is_empty() {
        return drawn;
    }
    let message = format!(
        "step \"{}\": {} on the seam, drawn at both of its ends, burnt once",
        context.step.name,
        count(found.len(), "line")
    );
    let help = "overlap in the step closes the line if it should be cut through";
    problems.push(Problem::note(Code::Seam, message, help).at(context.place()));
    shared::leave_out(drawn, &found)
}

/// A straight piece that lies at a height, from left to right.
struct SeamEdge {
    contour: usize,
    piece: usize,
    from: Point,
    to: Point,
}

fn at_height(contours: &[Contour], y: f64) -> Vec<SeamEdge> {
    let on = |p: Point| (p.y - y).abs() < ON_SEAM;
    let mut levels = Vec::new();
    for (contour, line) in contours.iter().enumerate() {
        for (piece, (from, p)) in line.walk().enumerate() {
            if let Piece::Line { to } = *p
                && on(from)
                && on(to)
                && (from.x - to.x).abs() > ON_SEAM
            {
                levels.push(SeamEdge { contour, piece, from, to });
            }
        }
    }
    levels
}

/// What of the lines at the far end is drawn at the near end.
fn duplicates(contours: &[Contour], near: f64, far: f64) -> Vec<Duplicate> {
    let near = at_height(contours, near);
    let mut found = Vec::new();
    for upper in at_height(contours, far) {
        for lower in &near {
            let run = upper.to.x - upper.from.x;
            let share = |x: f64| ((x - upper.from.x) / run).clamp(0.0, 1.0);
            let (a, b) = (share(lower.from.x), share(lower.to.x));
            let covered = (a.min(b), a.max(b));
            let length = (covered.1 - covered.0) * run.abs();
            if length > ON_SEAM {
                found.push(Duplicate {
                    first: lower.contour,
                    second: upper.contour,
                    piece: upper.piece,
                    covered,
                    length,
                    at: upper.from,
                });
            }
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;

    fn line(points: &[(f64, f64)]) -> Contour {
        let mut points = points.iter().map(|(x, y)| Point::new(*x, *y));
        let start = points.next().unwrap_or_default();
        let pieces = points.map(|to| Piece::Line { to }).collect();
        Contour { start, pieces, closed: false }
    }

    #[test]
    fn only_what_both_ends_share_is_double() {
        let lines =
            [line(&[(0.0, 0.0), (10.0, 0.0)]), line(&[(15.0, 50.0), (5.0, 50.0), (5.0, 20.0)])];
        let found = duplicates(&lines, 0.0, 50.0);
        assert_eq!(found.len(), 1);
        assert_eq!((found[0].second, found[0].piece, found[0].length), (1, 0, 5.0));
        assert_eq!(found[0].covered, (0.5, 1.0));
        assert!(duplicates(&lines, 1.0, 50.0).is_empty());
    }
}
