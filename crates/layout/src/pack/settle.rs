//! Parts pushed against each other: cells leave up to their own width between parts that could touch.

use super::{PartKind, Room, bounds};
use tinkite_base::geometry::{Point, Rect, Vec2};

/// Parts are pushed down and to the left so many times.
const ROUNDS: usize = 3;

/// The most pairs of edges in one round; where there are more, parts stay as they lie.
const MOST_PAIRS: usize = 60_000_000;

/// Edges that are no further apart than this, mm, touch.
const TOUCHES: f64 = 1e-7;

/// Edges over one another by no more than this, mm, slide along each other.
const NARROW: f64 = 1e-6;

/// A part as it lies: its outline grown by half the gap, and its own, both with their bounds.
struct Lying {
    grown: Vec<(Point, Point)>,
    around: Rect,
    own: Vec<(Point, Point)>,
    own_bounds: Rect,
}

/// Pushes the parts of a sheet down and to the left as far as outlines and the edge of the room allow.
pub(super) fn settle(
    sheet: &mut [(usize, usize, Vec2)],
    kinds: &[PartKind],
    kind_of: &[usize],
    room: &Room,
) {
    let mut lying: Vec<Lying> = sheet
        .iter()
        .map(|(part, turn, by)| {
            let kind = &kinds[kind_of[*part]];
            let (grown, own) = (&kind.grown[*turn], &kind.own[*turn]);
            Lying {
                grown: edges(grown, *by),
                around: bounds(grown) + *by,
                own: edges(own, *by),
                own_bounds: bounds(own) + *by,
            }
        })
        .collect();
    let all: usize = lying.iter().map(|one| one.grown.len()).sum();
    if all * all > MOST_PAIRS {
        return;
    }
    let border = room.edge.as_ref().map(|rings| edges(rings, Vec2::ZERO));
    let down = |p: Point| p;
    let left = |p: Point| Point::new(p.y, p.x);
    for _ in 0..ROUNDS {
        for (sideways, swap) in [(false, down as fn(Point) -> Point), (true, left)] {
            let low = |one: &Lying| if sideways { one.around.x0 } else { one.around.y0 };
            let mut order: Vec<usize> = (0..lying.len()).collect();
            order.sort_by(|a, b| low(&lying[*a]).total_cmp(&low(&lying[*b])).then(a.cmp(b)));
            for n in order {
                let one = &lying[n];
                let mut free = match sideways {
                    false => one.own_bounds.y0 - room.bounds.y0,
                    true => one.own_bounds.x0 - room.bounds.x0,
                };
                if let Some(border) = &border {
                    free = free.min(until_met(&one.own, border, swap));
                }
                for (m, other) in lying.iter().enumerate() {
                    if m != n && in_the_way(one.around, other.around, sideways) {
                        free = free.min(until_met(&one.grown, &other.grown, swap));
                    }
                }
                if free > TOUCHES && free.is_finite() {
                    let by = if sideways { Vec2::new(-free, 0.0) } else { Vec2::new(0.0, -free) };
                    lying[n].shift(by);
                    sheet[n].2 += by;
                }
            }
        }
    }
}

impl Lying {
    fn shift(&mut self, by: Vec2) {
        for (a, b) in self.grown.iter_mut().chain(&mut self.own) {
            (*a, *b) = (*a + by, *b + by);
        }
        self.around = self.around + by;
        self.own_bounds = self.own_bounds + by;
    }
}

fn edges(rings: &[Vec<Point>], by: Vec2) -> Vec<(Point, Point)> {
    rings
        .iter()
        .flat_map(|r| (0..r.len()).map(move |n| (r[n] + by, r[(n + 1) % r.len()] + by)))
        .collect()
}

/// Whether one part, pushed down (or to the left), may meet another.
fn in_the_way(one: Rect, other: Rect, sideways: bool) -> bool {
    if sideways {
        one.y0 < other.y1 && other.y0 < one.y1 && other.x0 < one.x1
    } else {
        one.x0 < other.x1 && other.x0 < one.x1 && other.y0 < one.y1
    }
}

/// How far edges can be pushed down until one of them meets one of the others. `swap` turns the plane so that the push
/// is one down.
fn until_met(moved: &[(Point, Point)], others: &[(Point, Point)], swap: fn(Point) -> Point) -> f64 {
    // From left to right; upright edges meet nothing that their neighbours do not.
    let turned = |edges: &[(Point, Point)]| -> Vec<(Point, Point)> {
        let edges = edges.iter().map(|(a, b)| (swap(*a), swap(*b)));
        let edges = edges.map(|(a, b)| if a.x <= b.x { (a, b) } else { (b, a) });
        edges.filter(|(a, b)| b.x - a.x > NARROW).collect()
    };
    let (moved, others) = (turned(moved), turned(others));
    let at = |(a, b): (Point, Point), x: f64| a.y + (x - a.x) / (b.x - a.x) * (b.y - a.y);
    let mut least = f64::INFINITY;
    for own in &moved {
        for other in &others {
            let (low, high) = (own.0.x.max(other.0.x), own.1.x.min(other.1.x));
            if high - low <= NARROW {
                continue;
            }
            let room = [low, high].map(|x| at(*own, x) - at(*other, x));
            let (less, more) = (room[0].min(room[1]), room[0].max(room[1]));
            // What lies above is not in the way; what touches, or crosses by rounding, is met already.
            if more > -TOUCHES {
                least = least.min(less.max(0.0));
            }
        }
    }
    least
}
