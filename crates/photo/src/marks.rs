//! Marks on the bed that are found on a photo by themselves: dark squares or discs whose places on the bed are known.
//!
//! Which blot is which mark follows from how they lie to each other alone. Where more than one way fits (four marks at
//! the corners of a rectangle fit four ways), nothing is taken for granted: it is refused.

use super::Pixels;
use crate::blots::{Blot, blots, smaller};
use tinkite_artwork::Bitmap;
use tinkite_base::geometry::Point;
use tinkite_base::geometry::hull::convex_hull;
use tinkite_base::geometry::perspective::Perspective;
use tinkite_base::problem::{Code, Problem};

/// Blots that are looked at: the largest.
const MOST: usize = 24;

/// A blot is a mark where it lies no farther from where that should be than this share of how far the marks lie apart:
/// a lens bends that much.
const NEAR: f64 = 0.03;

/// A way to pair blots and marks is the only one where every other fits worse by this factor.
const CLEARER: f64 = 4.0;

/// A pairing of marks with blots.
struct Pairing {
    /// The blot of each mark, in the order of the marks.
    blots: Vec<usize>,
    /// Root of the mean square of what the marks are off, as a share of how far they lie apart.
    off: f64,
}

/// Finds the marks that lie at these places of the field (mm) on a photo; where each is, pixels.
///
/// # Errors
/// Fewer than five places, marks that are not seen, and such that fit the photo in more than one way.
pub fn found_marks(pixels: &Pixels, in_field: &[Point]) -> Result<Vec<Point>, Problem> {
    let refuse = |message: String, help: &str| Problem::error(Code::PhotoPlaces, message, help);
    let by_hand = "say where they are on the photo yourself, as corners";
    if in_field.len() < 5 {
        let message = format!(
            "{} marks on the bed are known: which of them is which cannot be told from fewer than five",
            in_field.len()
        );
        return Err(refuse(
            message,
            "put a fifth mark where the others have none opposite, or say where they are on the photo yourself, as corners",
        ));
    }
    let grey = brightness(pixels);
    let small = smaller(&grey);
    let mut seen = blots(&small.picture);
    seen.sort_by(|a, b| b.area.total_cmp(&a.area));
    seen.truncate(MOST);
    let mut ways = ways(&seen, in_field);
    ways.sort_by(|a, b| a.off.total_cmp(&b.off));
    let Some(best) = ways.first() else {
        let message = format!(
            "the {} marks are not found on the photo: no dark squares or discs on it lie to each other as they do",
            in_field.len()
        );
        return Err(refuse(message, by_hand));
    };
    if let Some(other) = ways.iter().find(|way| way.blots != best.blots)
        && other.off < CLEARER * best.off.max(NEAR / 10.0)
    {
        let message = "the marks fit the photo in more than one way".into();
        return Err(refuse(
            message,
            "put one more mark where the others have none opposite, or say where they are on the photo yourself, as corners",
        ));
    }
    let scaled = |n: &usize| {
        let Blot { middle, area } = seen[*n];
        let at = (middle.to_vec2() * small.scale).to_point();
        centre(&grey, at, area.sqrt() * small.scale)
    };
    Ok(best.blots.iter().map(scaled).collect())
}

/// How bright a photo is, place by place.
fn brightness(pixels: &Pixels) -> Bitmap {
    let grey = pixels.rgb.chunks_exact(3).map(|p| {
        let [r, g, b] = [p[0], p[1], p[2]].map(u32::from);
        ((299 * r + 587 * g + 114 * b + 500) / 1000) as u8
    });
    Bitmap { width: pixels.width, height: pixels.height, grey: grey.collect() }
}

/// Four marks that span, from the convex hull of all: every pairing is tried for these, and the others follow.
fn first_four(in_field: &[Point]) -> Option<[usize; 4]> {
    let hull = convex_hull(in_field.to_vec());
    let on: Vec<usize> = hull.iter().filter_map(|p| in_field.iter().position(|q| q == p)).collect();
    if on.len() >= 4 {
        let step = |n: usize| on[n * on.len() / 4];
        return Some([step(0), step(1), step(2), step(3)]);
    }
    let inside = (0..in_field.len()).find(|n| !on.contains(n))?;
    Some([*on.first()?, *on.get(1)?, *on.get(2)?, inside])
}

/// Every way in which blots lie as the marks do. A photo is not a mirror: what turns left on the bed, where y counts
/// away, turns right on a picture, where it counts down.
fn ways(seen: &[Blot], in_field: &[Point]) -> Vec<Pairing> {
    let Some(four) = first_four(in_field) else { return Vec::new() };
    let field = four.map(|n| in_field[n]);
    let turns = |[a, b, c, _]: [Point; 4]| (b - a).cross(c - a) > 0.0;
    let mut ways = Vec::new();
    let n = seen.len();
    for a in 0..n {
        for b in (0..n).filter(|b| *b != a) {
            for c in (0..n).filter(|c| *c != a && *c != b) {
                let at = |n: usize| seen[n].middle;
                let first = [at(a), at(b), at(c), at(a)];
                if turns(first) == turns(field) {
                    continue;
                }
                for d in (0..n).filter(|d| ![a, b, c].contains(d)) {
                    ways.extend(way(seen, in_field, &field, [a, b, c, d]));
                }
            }
        }
    }
    ways
}

/// Where the other marks should be when these four blots are the first four marks.
fn way(seen: &[Blot], in_field: &[Point], field: &[Point; 4], four: [usize; 4]) -> Option<Pairing> {
    let picture = four.map(|n| seen[n].middle);
    let map = Perspective::between(*field, picture)?;
    let apart = picture.iter().map(|p| p.distance(picture[0])).fold(0.0, f64::max);
    let ahead = map.depth(field[0]) > 0.0;
    let (mut blots, mut sum) = (Vec::new(), 0.0);
    for mark in in_field {
        if (map.depth(*mark) > 0.0) != ahead {
            return None;
        }
        let at = map.at(*mark);
        let distance = |n: &usize| seen[*n].middle.distance(at);
        let near = (0..seen.len()).min_by(|a, b| distance(a).total_cmp(&distance(b)))?;
        if distance(&near) > NEAR * apart || blots.contains(&near) {
            return None;
        }
        sum += (distance(&near) / apart).powi(2);
        blots.push(near);
    }
    // Marks are of one size, as far as perspective leaves them so.
    let areas = blots.iter().map(|n| seen[*n].area);
    let (least, most) = areas.fold((f64::MAX, 0.0_f64), |(l, m), area| (l.min(area), m.max(area)));
    (most < 6.0 * least).then(|| Pairing { blots, off: (sum / in_field.len() as f64).sqrt() })
}

/// The middle of a dark blot of about this side, between pixels: of all that is darker than half-way to what is round
/// it, the more the darker.
fn centre(grey: &Bitmap, near: Point, side: f64) -> Point {
    let reach = (side * 0.9).ceil().max(3.0);
    let value = |x: i64, y: i64| {
        let x = x.clamp(0, i64::from(grey.width) - 1) as usize;
        let y = y.clamp(0, i64::from(grey.height) - 1) as usize;
        f64::from(grey.grey[y * grey.width as usize + x])
    };
    let range = |at: f64| (at - reach) as i64..=(at + reach) as i64;
    let all = || range(near.y).flat_map(move |y| range(near.x).map(move |x| (x, y)));
    let mut values: Vec<f64> = all().map(|(x, y)| value(x, y)).collect();
    values.sort_by(f64::total_cmp);
    let (dark, light) = (values[values.len() / 20], values[values.len() * 9 / 10]);
    let half = f64::midpoint(dark, light);
    let weight = |v: f64| ((half - v) / (light - dark).max(1.0) + 0.5).clamp(0.0, 1.0);
    let (mut sum, mut x_sum, mut y_sum) = (0.0, 0.0, 0.0);
    for (x, y) in all() {
        let w = weight(value(x, y));
        sum += w;
        x_sum += w * (x as f64 + 0.5);
        y_sum += w * (y as f64 + 0.5);
    }
    if sum > 0.0 { Point::new(x_sum / sum, y_sum / sum) } else { near }
}
