//! Registration: a drawing laid on marks that were found on the bed.

use super::Unplaced;
use tinkite_base::geometry::{Affine, Point, Vec2};
use tinkite_base::problem::{Code, Problem, Remedy};
use tinkite_base::quantity::plain;
use tinkite_job::{Job, Spot};

/// Marks that miss by more than this are worth a warning, mm.
const LARGE_RESIDUAL: f64 = 0.5;

/// A size that changes by more than this share is worth a warning.
const LARGE_CHANGE: f64 = 0.05;

/// Angles that are off by more than this are worth a warning, rad: a tenth of a millimetre on a hand's breadth.
const LARGE_SHEAR: f64 = 0.5 * std::f64::consts::PI / 180.0;

/// No stock is bent so far, nor stretched by as large a share: a mark was measured wrongly. rad.
const MOST_SHEAR: f64 = 3.0 * std::f64::consts::PI / 180.0;

/// The same of sizes that differ across and away.
const MOST_STRETCH: f64 = 0.10;

/// Carries the sheet to the bed so that the marks meet, and what is told about it.
///
/// Two marks fix position, turn and size. Three and more fix an affine transform by least squares;
/// what it misses is told.
///
/// # Errors
/// Marks that name no shape, or lie on one point or one line, and such as mirror the drawing or bend it more than
/// stock bends.
pub(super) fn to_bed(pieces: &[Unplaced], job: &Job) -> Result<(Affine, Problem), Problem> {
    let field = job.field();
    let mut pairs: Vec<(Point, Point)> = Vec::new();
    for mark in &job.placement.marks {
        let drawn = match &mark.drawn {
            Spot::At(point) => *point,
            Spot::Shape(id) => {
                let named = |piece: &&Unplaced| piece.shape.source.is_called(id);
                let piece = pieces.iter().find(named).ok_or_else(|| {
                    let message =
                        format!("a mark names the shape \"{id}\", and no shape has that id");
                    Problem::error(Code::Marks, message, "name a shape that is there")
                        .with_remedy(Remedy::Look)
                })?;
                piece.bounds().center()
            }
        };
        pairs.push((drawn, field.plane(mark.found)));
    }
    let to_bed = match pairs[..] {
        [(a, p), (b, q)] => similarity((a, b), (p, q)),
        _ => least_squares(&pairs),
    };
    let to_bed = to_bed.ok_or_else(|| {
        let message = "the marks lie on one point or one line, so they fix nothing";
        Problem::error(Code::Marks, message, "measure marks that are far apart, in the corners")
    })?;
    let misses: Vec<f64> = pairs.iter().map(|(a, p)| (to_bed * *a).distance(*p)).collect();
    refuse_distortion(to_bed, &misses)?;
    Ok((to_bed, problem(to_bed, &misses)))
}

/// The turn, size and place that carry two points to two others; `None` where two of them are one.
pub fn similarity(from: (Point, Point), to: (Point, Point)) -> Option<Affine> {
    let (u, v) = (from.1 - from.0, to.1 - to.0);
    if u.hypot() < 1e-6 || v.hypot() < 1e-6 {
        return None;
    }
    let turned = Affine::scale(v.hypot() / u.hypot()) * Affine::rotate(v.atan2() - u.atan2());
    Some(Affine::translate(to.0.to_vec2()) * turned * Affine::translate(-from.0.to_vec2()))
}

/// The affine transform with the least sum of squared misses: about the centroids, the linear part
/// is the product of the cross moments with the inverse of the moments.
fn least_squares(pairs: &[(Point, Point)]) -> Option<Affine> {
    let count = pairs.len() as f64;
    let mean = |f: fn(&(Point, Point)) -> Point| {
        pairs.iter().map(|pair| f(pair).to_vec2()).fold(Vec2::ZERO, |a, b| a + b) / count
    };
    let (from, to) = (mean(|p| p.0), mean(|p| p.1));
    let (mut xx, mut xy, mut yy) = (0.0, 0.0, 0.0);
    let (mut ux, mut uy) = (Vec2::ZERO, Vec2::ZERO);
    for (a, p) in pairs {
        let (a, p) = (a.to_vec2() - from, p.to_vec2() - to);
        xx += a.x * a.x;
        xy += a.x * a.y;
        yy += a.y * a.y;
        ux += p * a.x;
        uy += p * a.y;
    }
    let determinant = xx * yy - xy * xy;
    if determinant <= 1e-9 * (xx + yy) * (xx + yy) {
        return None;
    }
    let x = (ux * yy - uy * xy) / determinant;
    let y = (uy * xx - ux * xy) / determinant;
    let linear = Affine::new([x.x, x.y, y.x, y.y, 0.0, 0.0]);
    Some(Affine::translate(to) * linear * Affine::translate(-from))
}

/// By how much a transform changes sizes across and away, and by which angle a right angle is off, rad.
fn change(to_bed: Affine) -> (f64, f64, f64) {
    let [a, b, c, d, ..] = to_bed.as_coeffs();
    let (across, away) = (Vec2::new(a, b), Vec2::new(c, d));
    let sine = across.dot(away) / (across.hypot() * away.hypot()).max(f64::MIN_POSITIVE);
    (across.hypot(), away.hypot(), sine.clamp(-1.0, 1.0).asin())
}

/// Which mark misses most, from 1, and by how much, mm.
fn worst(misses: &[f64]) -> (usize, f64) {
    let worst = misses.iter().copied().fold(0.0, f64::max);
    (1 + misses.iter().position(|m| *m == worst).unwrap_or(0), worst)
}

/// Refuses what no stock does.
fn refuse_distortion(to_bed: Affine, misses: &[f64]) -> Result<(), Problem> {
    let refuse = |what: String| {
        let (number, away) = worst(misses);
        let mark = match misses.len() {
            ..4 => String::new(),
            _ => format!("; mark {number} misses most, by {} mm", plain(away, 2)),
        };
        let help = "measure the marks again, and check that each is paired with its own point";
        Err(Problem::error(Code::Marks, format!("the marks would {what}{mark}"), help))
    };
    if to_bed.determinant() < 0.0 {
        return refuse("mirror the drawing".into());
    }
    let (across, away, shear) = change(to_bed);
    if shear.abs() > MOST_SHEAR {
        return refuse(format!(
            "shear the drawing by {} deg, and stock does not bend so far",
            plain(shear.abs().to_degrees(), 2)
        ));
    }
    if (across / away - 1.0).abs() > MOST_STRETCH {
        return refuse(format!(
            "make the drawing {} times as large across and {} times away, and stock does not stretch so far",
            plain(across, 3),
            plain(away, 3)
        ));
    }
    Ok(())
}

fn problem(to_bed: Affine, misses: &[f64]) -> Problem {
    let [a, b, ..] = to_bed.as_coeffs();
    let (across, away, shear) = change(to_bed);
    let (number, worst) = worst(misses);
    let change = |scale: f64| format!("{} %", plain((scale - 1.0) * 100.0, 2));
    let residual = if misses.len() > 2 {
        format!("; the marks miss by at most {} mm (mark {number})", plain(worst, 3))
    } else {
        String::new()
    };
    let sheared = match misses.len() {
        ..3 => String::new(),
        _ => format!(", right angles off by {} deg", plain(shear.abs().to_degrees(), 2)),
    };
    let message = format!(
        "laid on {} marks: turned {} deg{sheared}, larger by {} across and {} away{residual}",
        misses.len(),
        plain(b.atan2(a).to_degrees(), 3),
        change(across),
        change(away)
    );
    let sheared = shear.abs() > LARGE_SHEAR;
    let large = (across - 1.0).abs().max((away - 1.0).abs()) > LARGE_CHANGE;
    if sheared || large || worst > LARGE_RESIDUAL {
        let help = "measure the marks again, and check that each is paired with its own point";
        Problem::warning(Code::Registered, message, help)
    } else {
        Problem::note(Code::Registered, message, "check the picture")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_marks_fix_place_turn_and_size() {
        let from = (Point::new(0.0, 0.0), Point::new(100.0, 0.0));
        let to = (Point::new(50.0, 20.0), Point::new(50.0, 130.0));
        let by = similarity(from, to).unwrap();
        assert!((by * from.0).distance(to.0) < 1e-9 && (by * from.1).distance(to.1) < 1e-9);
        // Off the line between them: 10 mm to the left of it, 1.1 times as far.
        assert!((by * Point::new(0.0, 10.0)).distance(Point::new(39.0, 20.0)) < 1e-9);
        assert_eq!(similarity((from.0, from.0), to), None);
    }

    #[test]
    fn four_marks_find_their_transform_and_what_it_misses() {
        let truth = Affine::new([1.01, 0.02, -0.03, 0.99, 12.0, -7.0]);
        let corners = [(0., 0.), (90., 0.), (90., 60.), (0., 60.)].map(Point::from);
        let exact: Vec<_> = corners.iter().map(|p| (*p, truth * *p)).collect();
        let found = least_squares(&exact).unwrap();
        for (a, p) in &exact {
            assert!((found * *a).distance(*p) < 1e-9);
        }
        // One mark read wrongly by 0.4 mm: the fit spreads it to 0.1 mm on each of a rectangle's.
        let mut off = exact.clone();
        off[2].1.x += 0.4;
        let found = least_squares(&off).unwrap();
        for (a, p) in &off {
            assert!(((found * *a).distance(*p) - 0.1).abs() < 1e-9);
        }
        let line: Vec<_> = (0..4).map(|n| (Point::new(f64::from(n), 0.0), Point::ZERO)).collect();
        assert_eq!(least_squares(&line), None);
    }

    #[test]
    fn what_no_stock_does_is_refused_with_the_mark_that_is_off() {
        let corners = [(0., 0.), (90., 0.), (90., 60.), (0., 60.)].map(Point::from);
        let laid = |moved: &dyn Fn(usize, Point) -> Point| {
            let pairs: Vec<_> =
                corners.iter().enumerate().map(|(n, p)| (*p, moved(n, *p))).collect();
            let to_bed = least_squares(&pairs).unwrap();
            let misses: Vec<f64> = pairs.iter().map(|(a, p)| (to_bed * *a).distance(*p)).collect();
            (refuse_distortion(to_bed, &misses), problem(to_bed, &misses))
        };
        // Paper that has shrunk and crept: 0.2 deg of shear is a note, 1 deg a warning.
        let creeps = |degrees: f64| {
            laid(&move |_, p: Point| Point::new(p.x + p.y * degrees.to_radians().tan(), p.y))
        };
        let (refused, told) = creeps(0.2);
        assert_eq!((refused, told.severity), (Ok(()), tinkite_base::problem::Severity::Note));
        let (refused, told) = creeps(1.0);
        assert_eq!((refused, told.severity), (Ok(()), tinkite_base::problem::Severity::Warning));
        assert!(told.message.contains("right angles off by 1 deg"), "{}", told.message);
        // One of four marks 15 mm sideways: half of that at each end of a side of 60 mm.
        let (refused, _) = laid(&|n, p| if n == 2 { p + Vec2::new(15.0, 0.0) } else { p });
        let refused = refused.unwrap_err().message;
        assert!(refused.contains("shear the drawing by 7.13 deg"), "{refused}");
        let (refused, _) = laid(&|_, p| Point::new(-p.x, p.y));
        assert!(refused.unwrap_err().message.contains("mirror"));
        let (refused, _) = laid(&|_, p| Point::new(1.2 * p.x, p.y));
        assert!(refused.unwrap_err().message.contains("1.2 times as large across"));
    }
}
