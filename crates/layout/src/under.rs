//! Things that later fills lie over: told, and lines cut where the job asks for it.

use super::LaidShape;
use tinkite_artwork::Shape;
use tinkite_artwork::trouble::cover::{lines_under, told_of};
use tinkite_artwork::trouble::lines::Lined;
use tinkite_base::geometry::{Contour, Piece, Point};
use tinkite_base::problem::{Code, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_job::Under;

/// Tells what lies under later fills, and drops what does not show of the lines of which `drops` says so.
pub(super) fn tell(
    shapes: &mut Vec<LaidShape>,
    under: impl Fn(usize) -> Under,
    problems: &mut Problems,
) {
    let all: Vec<Lined<'_>> = shapes.iter().map(LaidShape::lines).collect();
    let told = told_of(&all);
    let dropping = (0..shapes.len()).any(|n| under(n).drops_lines);
    let found = if dropping { lines_under(&all, None) } else { Vec::new() };
    drop(all);
    let mut length = 0.0;
    let mut lines: Vec<(usize, LaidShape)> = Vec::new();
    for one in found.into_iter().filter(|one| under(one.shape).drops_lines) {
        length += one.length;
        let laid = &mut shapes[one.shape];
        let mut contours = Vec::new();
        for (contour, shows) in laid.contours.iter().zip(one.shows) {
            match shows {
                None => contours.push(contour.clone()),
                Some(parts) => contours.extend(parts.iter().filter_map(|part| line(part))),
            }
        }
        // Its inside is what it was: the line that shows is a shape of its own.
        let open = contours.iter().any(|contour| !contour.closed);
        let own = Shape { fill: None, ..laid.shape.clone() };
        lines.push((one.shape, LaidShape { shape: own, contours, open, ..laid.clone() }));
        laid.shape.stroke = None;
    }
    for (n, line) in lines.into_iter().rev() {
        shapes.insert(n + 1, line);
    }
    shapes.retain(|laid| length == 0.0 || !laid.contours.is_empty());
    for problem in told {
        match problem.code {
            Code::HiddenLine if length > 0.0 => {
                let message =
                    format!("{} mm of line under a later fill left out", plain(length, 1));
                let note = Problem::note(Code::HiddenLine, message, "under asked for it");
                let place = problem.place;
                problems.push(Problem { place, spots: problem.spots, ..note });
            }
            _ => problems.push(problem),
        }
    }
}

/// An open line through points.
fn line(points: &[Point]) -> Option<Contour> {
    let (start, rest) = points.split_first()?;
    let pieces: Vec<Piece> = rest.iter().map(|p| Piece::Line { to: *p }).collect();
    (!pieces.is_empty()).then_some(Contour { start: *start, pieces, closed: false })
}
