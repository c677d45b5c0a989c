//! Sections of reliefs at several heights against closed forms: no edge is off by more than a spacing.

use std::f64::consts::TAU;
use tinkite_core::geometry::{Point, Rect, Vec2};
use tinkite_core::relief::{Field, LayerRows, layer, seen_from_above};

const SPACING: f64 = 0.1;

/// Triangles of a form that turns about (20, 20), whose radius at each height is given from the foot to the top.
fn turned(profile: &[(f64, f64)]) -> Vec<[[f64; 3]; 3]> {
    const SIDES: usize = 720;
    let at = |(r, z): (f64, f64), n: usize| {
        let angle = TAU * (n % SIDES) as f64 / SIDES as f64;
        [20.0 + r * angle.cos(), 20.0 + r * angle.sin(), z]
    };
    let mut all = Vec::new();
    for n in 0..SIDES {
        for pair in profile.windows(2) {
            all.push([at(pair[0], n), at(pair[0], n + 1), at(pair[1], n)]);
            all.push([at(pair[0], n + 1), at(pair[1], n + 1), at(pair[1], n)]);
        }
        let top = profile[profile.len() - 1];
        all.push([[20.0, 20.0, top.1], at(top, n), at(top, n + 1)]);
    }
    all
}

/// How far the edges of a section are off a circle of this radius about (20, 20), at worst, mm.
fn off_circle(field: &Field, deep: f32, radius: f64, angle: f64) -> f64 {
    let along = Vec2::new(angle.cos(), angle.sin());
    let across = Vec2::new(-along.y, along.x);
    let middle = across.dot(Vec2::new(20.0, 20.0));
    let count = 400;
    let first = middle - f64::from(count) / 2.0 * SPACING;
    let rows = LayerRows { along, first, spacing: SPACING, count, reach: (-40.0, 60.0) };
    let spans = layer(field, deep, &rows);
    assert!(!spans.is_empty());
    let mut worst = 0.0_f64;
    for span in spans {
        let v = first + f64::from(span.row) * SPACING;
        for u in [span.from, span.to] {
            let p = (along * u + across * v).to_point();
            worst = worst.max((p.distance(Point::new(20.0, 20.0)) - radius).abs());
        }
    }
    worst
}

#[test]
fn sections_are_within_a_spacing_at_every_height() {
    let ball: Vec<(f64, f64)> = (0..=180)
        .map(|n| TAU / 4.0 * f64::from(n) / 180.0)
        .map(|a| (15.0 * a.cos(), 15.0 * a.sin()))
        .collect();
    let cone = [(15.0, 0.0), (0.0, 15.0)];
    type Radius = fn(f64) -> f64;
    let forms: [(Vec<[[f64; 3]; 3]>, Radius); 2] =
        [(turned(&ball), |z| (225.0 - z * z).sqrt()), (turned(&cone), |z| 15.0 - z)];
    for (triangles, radius) in &forms {
        let mut field = Field::over(Rect::new(0.0, 0.0, 40.0, 40.0), SPACING);
        let seen = seen_from_above(&field, triangles);
        field.depth = seen.height.iter().map(|z| z.max(0.0)).collect();
        for height in [1.0, 4.0, 7.5, 11.0, 14.0] {
            for angle in [0.0, 0.6, 1.3] {
                let off = off_circle(&field, height as f32, radius(height), angle);
                assert!(off <= SPACING, "at {height} mm, {angle}: off by {off:.3} mm");
            }
        }
    }
}

#[test]
fn doubled_and_turned_triangles_and_holes_below_change_nothing() {
    let cone = turned(&[(15.0, 0.0), (0.0, 15.0)]);
    let field = Field::over(Rect::new(0.0, 0.0, 40.0, 40.0), SPACING);
    let right = seen_from_above(&field, &cone);
    let mut faulty = cone.clone();
    faulty.extend(cone.iter().step_by(3).map(|[a, b, c]| [*c, *b, *a]));
    faulty.extend(cone.iter().step_by(5).copied());
    // Something under the surface, with a hole in it, and a wall that is seen as a line.
    faulty.push([[10.0, 10.0, 0.5], [30.0, 10.0, 0.5], [20.0, 30.0, 0.5]]);
    faulty.push([[20.0, 5.0, 0.0], [20.0, 35.0, 0.0], [20.0, 20.0, 9.0]]);
    let seen = seen_from_above(&field, &faulty);
    let off = right.height.iter().zip(&seen.height).map(|(a, b)| (a - b).abs()).fold(0.0, f32::max);
    assert!(off < 1e-4, "{off}");
    // What is no number is nowhere.
    let none =
        seen_from_above(&field, &[[[f64::NAN, 1.0, 1.0], [2.0, f64::NAN, 1.0], [3.0, 3.0, 1.0]]]);
    assert!(none.height.iter().all(|z| *z < 0.0));
}

#[test]
fn walls_lean_and_plateaus_stay() {
    let mut field = Field::over(Rect::new(0.0, 0.0, 20.0, 20.0), SPACING);
    // A square post of 8 mm in a ground 2 mm deep.
    field.fill(|p| if (p.x - 10.0).abs() < 4.0 && (p.y - 10.0).abs() < 4.0 { 0.0 } else { 2.0 });
    let upright = field.volume();
    field.lean(2.0);
    let at = |x: f64| f64::from(field.at(Point::new(x, 10.0)));
    assert_eq!((at(10.0), at(6.2), at(1.0)), (0.0, 0.0, 2.0));
    // Half a mm beyond the wall it is 1 mm deep: twice as steep as it is wide.
    assert!((at(14.5) - 1.0).abs() < 0.25, "{}", at(14.5));
    assert!(field.volume() < upright);
    let before = field.volume();
    field.smooth(0.6);
    assert!((field.volume() / before - 1.0).abs() < 0.01, "smoothing takes nothing away in all");
}
