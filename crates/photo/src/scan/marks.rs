//! The four corner marks and their key on a picture, however it lies.

use super::{refuse, value};
use crate::blots::{Blot, Small, blots, smaller};
use tinkite_artwork::Bitmap;
use tinkite_base::geometry::hull::convex_hull;
use tinkite_base::geometry::perspective::Perspective;
use tinkite_base::geometry::{Point, Vec2};
use tinkite_base::problem::Problem;
use tinkite_job::swatch::Swatch;

/// Blots that are looked at as corners: those that lie outermost.
const MOST_CORNERS: usize = 20;

/// Fewer pixels to a mm tell no squares apart.
const COARSEST: f64 = 1.5;

/// Where a sheet lies on its picture.
pub(super) struct FoundSheet {
    /// From mm on the sheet to pixels.
    pub(super) map: Perspective,
    /// Quarters by which the picture is turned clockwise.
    pub(super) quarters: u32,
    /// Whether it is mirrored.
    pub(super) mirrored: bool,
    /// Pixels to a mm.
    pub(super) pixels_per_mm: f64,
}

/// Finds the marks.
pub(super) fn find(swatch: &Swatch, picture: &Bitmap) -> Result<FoundSheet, Problem> {
    let again = "the whole sheet belongs on the picture, with its four corner marks and some stock round them; scan it with 200 to 600 dpi";
    if picture.width < 40 || picture.height < 40 {
        let what = format!(
            "the picture has {} x {} pixels: too few to tell anything",
            picture.width, picture.height
        );
        return Err(refuse(what, again));
    }
    let small = smaller(picture);
    let blots = blots(&small.picture);
    let corners = outermost(&blots);
    let best = best(swatch, &small, &corners);
    let Some((corners, turn)) = best else {
        let what = match corners.len() {
            0..=3 => "no marks are found on the picture".to_string(),
            n => format!("no four of {n} dark blots on the picture are the marks of this sheet"),
        };
        return Err(refuse(what, again));
    };
    // From the small picture to the true one, and to the middle of each mark there.
    let scaled = corners.map(|at| (at.to_vec2() * small.scale).to_point());
    let mut map = Perspective::between(swatch.corners(), scaled)
        .ok_or_else(|| refuse("the marks lie on one line", again))?;
    for _ in 0..3 {
        let middles = swatch.corners().map(|corner| middle(picture, &map, corner));
        map = Perspective::between(swatch.corners(), middles)
            .ok_or_else(|| refuse("the marks lie on one line", again))?;
    }
    let (wide, high) = sides(picture, &map, swatch);
    let side = swatch.marks[0].width();
    if [wide, high].iter().any(|found| !(0.78..=1.28).contains(&(found / side))) {
        let what = format!(
            "the marks would be {wide:.1} x {high:.1} mm on this sheet, and are {side} x {side} mm: the picture is of another sheet"
        );
        return Err(refuse(what, "name the job whose sheet is on the picture"));
    }
    let corner = swatch.corners();
    let across = map.at(corner[0]).distance(map.at(corner[1])) / corner[0].distance(corner[1]);
    let down = map.at(corner[0]).distance(map.at(corner[3])) / corner[0].distance(corner[3]);
    let pixels_per_mm = across.min(down);
    if pixels_per_mm < COARSEST {
        let what =
            format!("the picture has {pixels_per_mm:.1} pixels to a mm of the sheet: too few");
        return Err(refuse(what, again));
    }
    Ok(FoundSheet { map, quarters: turn.quarters, mirrored: turn.mirrored, pixels_per_mm })
}

/// The blots that lie outermost: those of the convex hull, then those of the hull of the others.
fn outermost(blots: &[Blot]) -> Vec<Blot> {
    let mut left: Vec<Blot> = blots.to_vec();
    let mut out: Vec<Blot> = Vec::new();
    while !left.is_empty() && out.len() < MOST_CORNERS {
        let hull = convex_hull(left.iter().map(|blot| blot.middle).collect());
        if hull.is_empty() {
            break;
        }
        let (on, inside): (Vec<Blot>, Vec<Blot>) =
            left.into_iter().partition(|blot| hull.contains(&blot.middle));
        // Of a hull with many corners the large blots: marks are larger than dirt and letters.
        let mut on = on;
        on.sort_by(|a, b| b.area.total_cmp(&a.area));
        out.extend(on.into_iter().take(MOST_CORNERS - out.len()));
        left = inside;
    }
    out
}

/// How the sheet lies.
#[derive(Debug, Clone, Copy)]
struct Turn {
    quarters: u32,
    mirrored: bool,
}

/// The four blots that are the marks, from the sheet's upper left one clockwise.
fn best(swatch: &Swatch, small: &Small, blots: &[Blot]) -> Option<([Point; 4], Turn)> {
    let picture = &small.picture;
    let least = COARSEST / small.scale;
    let n = blots.len();
    let mut best: Option<(f64, [Point; 4], Turn)> = None;
    for a in 0..n {
        for b in a + 1..n {
            for c in b + 1..n {
                for d in c + 1..n {
                    let four = [blots[a], blots[b], blots[c], blots[d]];
                    let Some(four) = in_turn(four) else { continue };
                    for (corners, turn) in ways(four) {
                        let score = score(swatch, picture, corners, least);
                        if best.is_none_or(|(most, ..)| score > most) {
                            best = Some((score, corners.map(|blot| blot.middle), turn));
                        }
                    }
                }
            }
        }
    }
    best.filter(|(score, ..)| *score > 0.06).map(|(_, corners, turn)| (corners, turn))
}

/// Four blots clockwise on the picture, beginning with the upper left one; `None` where they do not span.
fn in_turn(four: [Blot; 4]) -> Option<[Blot; 4]> {
    let (least, most) =
        four.iter().fold((f64::MAX, 0.0f64), |(a, b), blot| (a.min(blot.area), b.max(blot.area)));
    // Marks are of one size, as far as perspective leaves them so.
    if most > 4.0 * least {
        return None;
    }
    let hull = convex_hull(four.iter().map(|blot| blot.middle).collect());
    if hull.len() != 4 {
        return None;
    }
    let mut turned = Vec::new();
    for corner in hull {
        turned.push(*four.iter().find(|blot| blot.middle == corner)?);
    }
    // The hull turns to the left where y is up; on a picture, where it is down, that is clockwise.
    let first = (0..4).min_by(|a, b| {
        let sum = |n: usize| turned[n].middle.x + turned[n].middle.y;
        sum(*a).total_cmp(&sum(*b))
    })?;
    turned.rotate_left(first);
    turned.try_into().ok()
}

/// The eight ways in which four corners can be those of a sheet.
fn ways(four: [Blot; 4]) -> impl Iterator<Item = ([Blot; 4], Turn)> {
    (0..4).flat_map(move |quarters| {
        [false, true].into_iter().map(move |mirrored| {
            let at = |n: usize| {
                let n = if mirrored { (4 - n) % 4 } else { n };
                four[(n + quarters) % 4]
            };
            ([at(0), at(1), at(2), at(3)], Turn { quarters: quarters as u32, mirrored })
        })
    })
}

/// How well a picture shows marks at corners: how much darker they and the key are than what must be bare, as a
/// share of the brightness. Below zero where something is not as it must be.
fn score(swatch: &Swatch, picture: &Bitmap, corners: [Blot; 4], least: f64) -> f64 {
    let Some(map) = Perspective::between(swatch.corners(), corners.map(|blot| blot.middle)) else {
        return -1.0;
    };
    // Specks that lie like marks are too small to be a sheet.
    let sheet = swatch.corners();
    let coarse = (0..4).any(|n| {
        let (a, b) = (n, (n + 1) % 4);
        corners[a].middle.distance(corners[b].middle) < least * sheet[a].distance(sheet[b])
    });
    if coarse {
        return -1.0;
    }
    // Each blot is about as large as its mark would be.
    for (mark, blot) in swatch.marks.iter().zip(corners) {
        let [a, b, c, d] =
            [(mark.x0, mark.y0), (mark.x1, mark.y0), (mark.x1, mark.y1), (mark.x0, mark.y1)]
                .map(|(x, y)| map.at(Point::new(x, y)));
        let area = ((c - a).cross(d - b) / 2.0).abs();
        if !(0.5..=2.0).contains(&(blot.area / area.max(1e-9))) {
            return -1.0;
        }
    }
    let light = |at: Point| value(picture, map.at(at));
    let centres = swatch.corners();
    let middle = Point::new(swatch.size.0 / 2.0, swatch.size.1 / 2.0);
    let side = swatch.marks[0].width();
    let mut darkest_bare = f64::MAX;
    let mut brightest_dark: f64 = 0.0;
    for centre in centres {
        brightest_dark = brightest_dark.max(light(centre));
        // Towards the middle of the sheet stock is bare for a little.
        let inwards = (middle - centre) / (middle - centre).hypot();
        darkest_bare = darkest_bare.min(light(centre + inwards * side * 1.15));
    }
    let key = swatch.key.center();
    brightest_dark = brightest_dark.max(light(key));
    // Where the key would be if the sheet lay another way.
    let along = key - centres[0];
    let across = Vec2::new(along.y, along.x);
    for (n, centre) in centres.iter().enumerate() {
        let (sx, sy) = [(1.0, 1.0), (-1.0, 1.0), (-1.0, -1.0), (1.0, -1.0)][n];
        let places =
            [Vec2::new(along.x * sx, along.y * sy), Vec2::new(across.x * sx, -across.y.abs() * sy)];
        for (place, offset) in places.into_iter().enumerate() {
            if (n, place) != (0, 0) {
                darkest_bare = darkest_bare.min(light(*centre + offset));
            }
        }
    }
    (darkest_bare - brightest_dark) / 255.0
}

/// Width and height of the marks as the picture shows them, mm on the sheet, in the mean of the four.
fn sides(picture: &Bitmap, map: &Perspective, swatch: &Swatch) -> (f64, f64) {
    const LOOKS: i32 = 96;
    const REACH: f64 = 4.6;
    let along = |corner: Point, way: Vec2| {
        let step = REACH / f64::from(LOOKS);
        let values: Vec<f64> = (-LOOKS..=LOOKS)
            .map(|n| value(picture, map.at(corner + way * step * f64::from(n))))
            .collect();
        let dark = values[LOOKS as usize - 8..LOOKS as usize + 8].iter().sum::<f64>() / 16.0;
        let light = values.iter().copied().fold(0.0, f64::max);
        let half = (dark + light) / 2.0;
        // From the middle outwards, to where it is no longer dark.
        let reach = |out: &mut dyn Iterator<Item = &f64>| {
            out.take_while(|value| **value < half).count() as f64 * step
        };
        reach(&mut values[LOOKS as usize..].iter())
            + reach(&mut values[..LOOKS as usize].iter().rev())
    };
    let mean = |way: Vec2| {
        let all = swatch.corners().map(|corner| along(corner, way));
        all.iter().sum::<f64>() / 4.0
    };
    (mean(Vec2::new(1.0, 0.0)), mean(Vec2::new(0.0, 1.0)))
}

/// The middle of a mark on the picture: of what is dark about where it should be.
fn middle(picture: &Bitmap, map: &Perspective, corner: Point) -> Point {
    const LOOKS: i32 = 48;
    // As far as nothing else is: the key's near edge is 4.8 mm away.
    const REACH: f64 = 3.4;
    let place = |n: i32| REACH * f64::from(n) / f64::from(LOOKS);
    let mut looks = Vec::new();
    for row in -LOOKS..=LOOKS {
        for column in -LOOKS..=LOOKS {
            let offset = Vec2::new(place(column), place(row));
            looks.push((offset, value(picture, map.at(corner + offset))));
        }
    }
    let mut values: Vec<f64> = looks.iter().map(|(_, value)| *value).collect();
    values.sort_by(f64::total_cmp);
    let (dark, light) = (values[values.len() / 20], values[values.len() * 9 / 10]);
    let half = (dark + light) / 2.0;
    // Half way between dark and light, softly.
    let weight = |value: f64| ((half - value) / (light - dark).max(1.0) + 0.5).clamp(0.0, 1.0);
    let sum: f64 = looks.iter().map(|(_, value)| weight(*value)).sum();
    let moved = looks.iter().map(|(offset, value)| *offset * weight(*value)).sum::<Vec2>();
    map.at(if sum > 0.0 { corner + moved / sum } else { corner })
}
