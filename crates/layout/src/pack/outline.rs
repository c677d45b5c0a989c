//! What of the stock a part takes up.

use crate::original::Laid;
use tinkite_base::geometry::hull::convex_hull;
use tinkite_base::geometry::region::{self, Combine, FillRule, Polygon};
use tinkite_base::geometry::{Contour, Point, Vec2, corners, nesting};
use tinkite_job::{Job, Operation};

/// Curves become chords this near to them, mm: no further than outlines are grown beyond what is asked for.
const FINE: f64 = 0.003;

/// A hole that reaches over what it lies in by more than this is none, mm².
const OVER: f64 = 1e-3;

/// The area that a part takes up on the stock, as rings that neither cross nor overlap. Holes that are cut out of it
/// are free; what else is drawn is not, and loose lines take what lies between them.
pub(super) fn solid(laid: &Laid, job: &Job) -> Vec<Vec<Point>> {
    let mut cut: Vec<Polygon> = Vec::new();
    let mut drawn: Vec<Vec<Point>> = Vec::new();
    let mut loose: Vec<Point> = Vec::new();
    for shape in laid.shapes.iter().filter(|shape| !shape.dropped) {
        let cuts = job
            .taking(&shape.info())
            .any(|step| matches!(job.steps[step].operation, Operation::Cut(_)));
        for contour in &shape.contours {
            let ring = Contour::flatten(contour, FINE);
            match (contour.closed, cuts) {
                (true, true) => cut.push(Polygon::new(ring)),
                (true, false) => drawn.push(ring),
                (false, _) => loose.extend(ring),
            }
        }
    }
    drawn.extend(laid.images.iter().map(|image| corners(image.bounds())));
    drawn.push(convex_hull(loose));
    drawn.retain(|ring| ring.len() > 2);
    let drawn: Vec<Vec<Point>> =
        drawn.into_iter().flat_map(|ring| region::unite(&[ring], FillRule::NonZero)).collect();
    let all: Vec<Vec<Point>> = parts(&cut).into_iter().chain(drawn).collect();
    region::unite(&all, FillRule::NonZero)
}

/// What a step engraves of a part in rows, and how far those reach beyond it.
pub(super) struct Engraved {
    pub(super) points: Vec<Point>,
    /// Across and away, mm.
    pub(super) reach: Vec2,
}

/// What steps engrave of a part in rows.
pub(super) fn engraved(laid: &Laid, job: &Job) -> Vec<Engraved> {
    let reaches: Vec<Option<Vec2>> = job.steps.iter().map(|step| job.row_reach(step)).collect();
    let mut all = Vec::new();
    let mut add = |steps: &mut dyn Iterator<Item = usize>, points: &dyn Fn() -> Vec<Point>| {
        for reach in steps.filter_map(|step| reaches[step]) {
            all.push(Engraved { points: points(), reach });
        }
    };
    for shape in laid.shapes.iter().filter(|shape| !shape.dropped) {
        let points = || shape.contours.iter().flat_map(|c| Contour::flatten(c, FINE)).collect();
        add(&mut job.taking(&shape.info()), &points);
    }
    for image in &laid.images {
        add(&mut job.taking(image), &|| corners(image.bounds()).to_vec());
    }
    all
}

/// What remains of the stock between lines that are cut.
fn parts(cut: &[Polygon]) -> Vec<Vec<Point>> {
    let parents = nesting::parents(cut, |_| true);
    let depth = |n: usize| std::iter::successors(parents[n], |n| parents[*n]).count();
    let ring = |n: usize| region::unite(&[cut[n].points().to_vec()], FillRule::EvenOdd);
    let deepest = (0..cut.len()).map(depth).max().unwrap_or(0);
    let mut inside: Vec<Vec<Point>> = Vec::new();
    // What lies in a hole that is none is solid already.
    let mut solid = vec![true; cut.len()];
    for level in 0..=deepest {
        for n in (0..cut.len()).filter(|n| depth(*n) == level) {
            if level % 2 == 0 {
                inside = region::combined(&inside, &ring(n), Combine::Union);
                continue;
            }
            let beside =
                (0..cut.len()).filter(|other| *other != n && parents[*other] == parents[n]);
            let over = |other: usize| {
                region::area(&region::combined(&ring(n), &ring(other), Combine::Overlap))
            };
            let parent = parents[n].map_or_else(Vec::new, ring);
            let out = region::area(&region::combined(&ring(n), &parent, Combine::Minus));
            solid[n] = out > OVER
                || beside
                    .into_iter()
                    .any(|o| cut[o].bounds().overlaps(cut[n].bounds()) && over(o) > OVER);
            let kept = std::iter::successors(parents[n], |n| parents[*n])
                .skip(1)
                .step_by(2)
                .any(|n| solid[n]);
            if !(solid[n] || kept) {
                inside = region::combined(&inside, &ring(n), Combine::Minus);
            }
        }
    }
    inside
}
