//! Bridges: short stretches that stay attached, so that a part does not drop out.

use super::kerf::Corrected;
use super::{FollowContext, tell};
use crate::Name;
use rayon::prelude::*;
use std::sync::Arc;
use tinkite_base::geometry::Contour;
use tinkite_base::problem::{Code, Problem, Problems};
use tinkite_base::quantity::plain;
use tinkite_job::Bridges;

/// Stretches along a line, mm from its start.
pub(super) type Stretches = Vec<(f64, f64)>;

/// More bridges than this on one line are taken for a mistake in a number or its unit.
const MOST: u32 = 10_000;

/// What came of laying bridges on one line.
enum Laid {
    Bridged(Stretches),
    /// Bridges would take more than half of the line.
    TooMany,
    /// Corners leave room for only so many.
    Fewer(Stretches),
}

/// Lays bridges; says where they do not fit.
pub(super) fn lay(
    lines: Vec<Corrected>,
    context: &FollowContext<'_>,
    problems: &mut Problems,
) -> Vec<(Corrected, Stretches)> {
    let Some(how) = &context.follow.bridges else {
        return lines.into_iter().map(|line| (line, Vec::new())).collect();
    };
    // The beam takes half of its width at each end of a gap: what is left of it stays attached.
    let gap = Bridges { width: how.width + context.follow.kerf, ..*how };
    let laid: Vec<Laid> = lines.par_iter().map(|line| on(&line.contour, &gap)).collect();
    let (mut too_many, mut fewer): (Vec<Arc<Name>>, Vec<Arc<Name>>) = (Vec::new(), Vec::new());
    let mut all = Vec::with_capacity(lines.len());
    for (line, laid) in lines.into_iter().zip(laid) {
        let stretches = match laid {
            Laid::Bridged(stretches) => stretches,
            Laid::TooMany => {
                too_many.push(line.name.clone());
                Vec::new()
            }
            Laid::Fewer(stretches) => {
                fewer.push(line.name.clone());
                stretches
            }
        };
        all.push((line, stretches));
    }
    let name = &context.step.name;
    let width = plain(how.width, 3);
    let told = [
        tell(
            Problem::error,
            Code::BridgeRoom,
            &too_many,
            |lines| {
                format!(
                    "step \"{name}\": too many bridges {width} mm wide (more than half of the line, or more than {MOST}) on {lines}"
                )
            },
            "ask for fewer or narrower bridges, or say smallest, below which parts get none",
        ),
        tell(
            Problem::warning,
            Code::BridgeFewer,
            &fewer,
            |lines| {
                format!(
                    "step \"{name}\": corners leave room for fewer bridges than asked for on {lines}"
                )
            },
            "make corner or width smaller, or hold the parts otherwise",
        ),
    ];
    for problem in told.into_iter().flatten() {
        problems.push(problem.at(context.place()));
    }
    all
}

fn on(contour: &Contour, how: &Bridges) -> Laid {
    let bounds = contour.bounds();
    if bounds.width().max(bounds.height()) < how.smallest {
        return Laid::Bridged(Vec::new());
    }
    let length = contour.length();
    let wanted = how.count.unwrap_or_else(|| (length / how.spacing).ceil().clamp(1.0, 1e6) as u32);
    if wanted > MOST || f64::from(wanted) * how.width > length / 2.0 {
        return Laid::TooMany;
    }
    let runs = runs(contour, how.corner + how.width / 2.0, length);
    let mut middles: Vec<f64> = Vec::with_capacity(wanted as usize);
    let apart = length / f64::from(wanted);
    for n in 0..wanted {
        let ideal = (f64::from(n) + 0.5) * apart;
        let candidates = runs.iter().map(|(low, high)| ideal.clamp(*low, *high));
        let nearest = candidates.min_by(|a, b| (a - ideal).abs().total_cmp(&(b - ideal).abs()));
        // Two bridges that meet would be one wide gap.
        // They are laid in turn, so only the one before and, round the start, the first are near.
        let clear = |other: &f64, at: f64| {
            let away = (other - at).rem_euclid(length);
            let apart = if contour.closed { away.min(length - away) } else { (other - at).abs() };
            apart > 2.0 * how.width
        };
        let free = |at: &f64| {
            (at - ideal).abs() <= apart
                && middles.last().iter().chain(&middles.first()).all(|m| clear(m, *at))
        };
        middles.extend(nearest.filter(free));
    }
    let stretches: Stretches =
        middles.iter().map(|m| (m - how.width / 2.0, m + how.width / 2.0)).collect();
    if stretches.len() < wanted as usize {
        Laid::Fewer(stretches)
    } else {
        Laid::Bridged(stretches)
    }
}

/// Where the middle of a bridge may lie: between corners, far enough from both. The ends of an open line count as
/// corners.
fn runs(contour: &Contour, away: f64, length: f64) -> Stretches {
    let corners = contour.corners();
    if !contour.closed {
        let ends: Vec<f64> = [0.0].into_iter().chain(corners).chain([length]).collect();
        let runs = ends.windows(2).map(|pair| (pair[0] + away, pair[1] - away));
        return runs.filter(|(low, high)| low <= high).collect();
    }
    let Some(first) = corners.first() else { return vec![(away.min(length / 2.0), length)] };
    let next = corners.iter().skip(1).copied().chain([first + length]);
    let runs = corners.iter().zip(next).map(|(a, b)| (a + away, b - away));
    let mut kept: Stretches = Vec::new();
    for (low, high) in runs.filter(|(low, high)| low <= high) {
        // The last run may reach over the line's start.
        if high <= length {
            kept.push((low, high));
        } else if low >= length {
            kept.push((low - length, high - length));
        } else {
            kept.push((0.0, high - length));
            kept.push((low, length));
        }
    }
    kept
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::{Circle, Rect, Shape};
    use tinkite_base::geometry::{Piece, Point, fit};

    const HOW: Bridges = Bridges {
        count: Some(4),
        spacing: f64::INFINITY,
        width: 1.0,
        corner: 3.0,
        smallest: 5.0,
        power: None,
    };

    fn square(side: f64) -> Contour {
        fit::contours(&Rect::new(0.0, 0.0, side, side).to_path(1e-3), 0.01).remove(0)
    }

    #[test]
    fn each_side_of_a_square_gets_one_away_from_its_corners() {
        let Laid::Bridged(bridges) = on(&square(20.0), &HOW) else { panic!() };
        assert_eq!(bridges.len(), 4);
        for (from, to) in &bridges {
            assert!((to - from - 1.0).abs() < 1e-9);
            assert!(from % 20.0 >= 3.0 - 1e-9 && to % 20.0 <= 17.0 + 1e-9, "{from} {to}");
        }
    }

    #[test]
    fn a_circle_has_no_corners_and_small_parts_get_none() {
        let circle = fit::contours(&Circle::new((0.0, 0.0), 10.0).to_path(1e-3), 0.01).remove(0);
        let by_spacing = Bridges { count: None, spacing: 20.0, ..HOW };
        let Laid::Bridged(bridges) = on(&circle, &by_spacing) else { panic!() };
        assert_eq!(bridges.len(), 4);
        let Laid::Bridged(none) = on(&square(4.0), &HOW) else { panic!() };
        assert!(none.is_empty());
    }

    #[test]
    fn an_open_line_gets_them_between_its_ends() {
        let pieces = vec![Piece::Line { to: Point::new(40.0, 0.0) }];
        let line = Contour { start: Point::ZERO, pieces, closed: false };
        let Laid::Bridged(bridges) = on(&line, &HOW) else { panic!() };
        let middles: Vec<f64> =
            bridges.iter().map(|(from, to)| f64::midpoint(*from, *to)).collect();
        assert_eq!(middles, [5.0, 15.0, 25.0, 35.0]);
        let near_ends = Bridges { corner: 8.0, ..HOW };
        let Laid::Bridged(bridges) = on(&line, &near_ends) else { panic!() };
        assert!((bridges[0].0 - 8.0).abs() < 1e-9 && (bridges[3].1 - 32.0).abs() < 1e-9);
    }

    #[test]
    fn more_bridge_than_outline_and_no_room_between_corners_are_told() {
        let many = Bridges { count: Some(50), ..HOW };
        assert!(matches!(on(&square(20.0), &many), Laid::TooMany));
        let tight = Bridges { corner: 12.0, ..HOW };
        assert!(matches!(on(&square(20.0), &tight), Laid::Fewer(b) if b.is_empty()));
    }
}
