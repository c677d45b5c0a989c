//! What of painted areas shows when later ones lie over them.
//!
//! Where few areas meet, each is held against those over it. Where many do, they are split into an upper and a lower half, again and again. What covers the lower half is
//! what covers both, and the upper half; of that only what lies over the lower half is carried on.
//! Every border so takes part in few unions, however many areas lie over each other.

use super::region::{Combine, FillRule, area, combined, combined_as, unite};
use super::{Point, Rect};
use rayon::prelude::*;
use std::collections::BTreeMap;

/// Rings that neither cross nor overlap: outlines counter-clockwise, holes clockwise.
pub type Rings = Vec<Vec<Point>>;

/// An area that is painted; a later one lies over it.
#[derive(Debug, Clone)]
pub struct Painted {
    /// Its rings, as [`unite`] makes them.
    pub rings: Rings,
    /// Which veil it is part of: 0 hides what lies under it, and what has another number lets it show
    /// through, except for what has the same.
    pub veil: u32,
}

/// Less than this is not covered, mm²: a thousandth of what a beam leaves.
const NOTHING: f64 = 1e-5;

/// What of each area shows; `None` where all of it does.
#[must_use]
pub fn shown(painted: &[Painted]) -> Vec<Option<Rings>> {
    let bounds: Vec<Rect> = painted.iter().map(|area| bounds(&area.rings)).collect();
    let sizes: Vec<usize> =
        painted.iter().map(|area| area.rings.iter().map(Vec::len).sum()).collect();
    let meetings = Meetings::of(&bounds, &sizes);
    let mut shown: Vec<Option<Rings>> = vec![None; painted.len()];
    let found: Vec<(usize, Rings)> = match &meetings.over {
        Some(over) => one_by_one(painted, over),
        None => by_halves(painted, meetings.clusters()),
    };
    for (n, rings) in found {
        shown[n] = Some(rings);
    }
    cut_under_veils(painted, &bounds, &mut shown);
    shown
}

/// Where few areas meet, each is held against those that lie over it.
fn one_by_one(painted: &[Painted], over: &[Vec<u32>]) -> Vec<(usize, Rings)> {
    let left = |n: usize| {
        let own = &painted[n].rings;
        let above = over[n].iter().map(|m| &painted[*m as usize]).filter(|area| area.veil == 0);
        let above: Rings = above.flat_map(|area| area.rings.iter().cloned()).collect();
        if above.is_empty() {
            return None;
        }
        let left = combined_as(own, &above, Combine::Minus, FillRule::NonZero);
        (area(own) - area(&left) > NOTHING).then_some((n, left))
    };
    (0..painted.len()).into_par_iter().filter_map(left).collect()
}

/// Where many do, halves are held against each other.
fn by_halves(painted: &[Painted], clusters: Vec<Vec<usize>>) -> Vec<(usize, Rings)> {
    clusters
        .into_par_iter()
        .flat_map_iter(|cluster| {
            let areas: Vec<&Painted> = cluster.iter().map(|n| &painted[*n]).collect();
            let tree = Tree::of(&areas);
            let mut found = Vec::new();
            tree.show(&Rings::new(), &mut |n, rings| found.push((cluster[n], rings)));
            found
        })
        .collect()
}

/// Parts of one veil cover each other, and nothing else does the same for them.
fn cut_under_veils(painted: &[Painted], bounds: &[Rect], shown: &mut [Option<Rings>]) {
    for (n, own) in painted.iter().enumerate().filter(|(_, own)| own.veil > 0) {
        let over: Rings = (n + 1..painted.len())
            .filter(|m| painted[*m].veil == own.veil && touch(&bounds[n], &bounds[*m]))
            .flat_map(|m| painted[m].rings.clone())
            .collect();
        if over.is_empty() {
            continue;
        }
        let before = shown[n].as_ref().unwrap_or(&own.rings);
        let left = combined(before, &unite(&over, FillRule::NonZero), Combine::Minus);
        if area(before) - area(&left) > NOTHING {
            shown[n] = Some(left);
        }
    }
}

fn bounds(rings: &Rings) -> Rect {
    let points = rings.iter().flatten().map(|p| Rect::from_points(*p, *p));
    points.reduce(|a, b| a.union(b)).unwrap_or_default()
}

fn touch(a: &Rect, b: &Rect) -> bool {
    a.x0 <= b.x1 && b.x0 <= a.x1 && a.y0 <= b.y1 && b.y0 <= a.y1
}

/// Which areas' rectangles meet.
struct Meetings {
    /// For each area those that lie over it and meet it; `None` where there are too many.
    over: Option<Vec<Vec<u32>>>,
    /// Which group each hangs together with: the number of another one of it, or its own.
    group: Vec<usize>,
}

/// Halves are held against each other in so many unions of all corners for each doubling of their number.
const UNIONS: usize = 3;

impl Meetings {
    /// `sizes` is the number of corners of each.
    fn of(bounds: &[Rect], sizes: &[usize]) -> Self {
        let corners: usize = sizes.iter().sum();
        let most = UNIONS * corners * bounds.len().max(2).ilog2() as usize;
        let mut cost = 0;
        let mut over = vec![Vec::new(); bounds.len()];
        let mut group: Vec<usize> = (0..bounds.len()).collect();
        let mut sorted: Vec<usize> = (0..bounds.len()).collect();
        sorted.sort_by(|a, b| bounds[*a].x0.total_cmp(&bounds[*b].x0).then(a.cmp(b)));
        let mut open: Vec<usize> = Vec::new();
        for n in sorted {
            open.retain(|m| bounds[*m].x1 >= bounds[n].x0);
            for m in open.iter().filter(|m| touch(&bounds[**m], &bounds[n])) {
                let (low, high) = (n.min(*m), n.max(*m));
                let (a, b) = (head(&mut group, low), head(&mut group, high));
                group[a.max(b)] = a.min(b);
                cost += sizes[high];
                if cost <= most {
                    over[low].push(high as u32);
                }
            }
            open.push(n);
        }
        Self { over: (cost <= most).then_some(over), group }
    }

    /// Groups of areas that hang together, each in drawing order; alone stands nobody.
    fn clusters(mut self) -> Vec<Vec<usize>> {
        let mut found: BTreeMap<usize, Vec<usize>> = BTreeMap::new();
        for n in 0..self.group.len() {
            found.entry(head(&mut self.group, n)).or_default().push(n);
        }
        found.into_values().filter(|cluster| cluster.len() > 1).collect()
    }
}

/// The first of the group that `n` belongs to.
fn head(group: &mut [usize], mut n: usize) -> usize {
    while group[n] != n {
        group[n] = group[group[n]];
        n = group[n];
    }
    n
}

/// Areas in drawing order, from the lowest to the uppermost.
struct Tree<'a> {
    /// What they cover together, and what of it hides what lies under it.
    all: Rings,
    hides: Rings,
    /// Nothing of it lets anything show through.
    plain: bool,
    kind: Node<'a>,
}

enum Node<'a> {
    One(&'a Painted),
    /// The lower half, and the upper one with the number of its first.
    Halves(Box<Tree<'a>>, Box<Tree<'a>>, usize),
}

impl<'a> Tree<'a> {
    fn of(areas: &[&'a Painted]) -> Self {
        if let [one] = areas {
            let hides = if one.veil == 0 { one.rings.clone() } else { Rings::new() };
            let plain = one.veil == 0;
            return Self { all: one.rings.clone(), hides, plain, kind: Node::One(one) };
        }
        let half = areas.len() / 2;
        let (lower, upper) = areas.split_at(half);
        let (lower, upper) = rayon::join(|| Self::of(lower), || Self::of(upper));
        let plain = lower.plain && upper.plain;
        let all = join(&lower.all, &upper.all);
        let hides = if plain { all.clone() } else { join(&lower.hides, &upper.hides) };
        Self { all, hides, plain, kind: Node::Halves(Box::new(lower), Box::new(upper), half) }
    }

    /// Tells the number and the rings of every area of which not all shows under `mask`.
    fn show(&self, mask: &Rings, tell: &mut dyn FnMut(usize, Rings)) {
        match &self.kind {
            Node::One(_) if mask.is_empty() => {}
            Node::One(own) => {
                let left = combined(&own.rings, mask, Combine::Minus);
                if area(&own.rings) - area(&left) > NOTHING {
                    tell(0, left);
                }
            }
            Node::Halves(lower, upper, first) => {
                let over = |mask: &Rings, under: &Self| {
                    if mask.is_empty() {
                        Rings::new()
                    } else {
                        combined(mask, &under.all, Combine::Overlap)
                    }
                };
                let both = over(&join(mask, &upper.hides), lower);
                lower.show(&both, tell);
                upper.show(&over(mask, upper), &mut |n, rings| tell(first + n, rings));
            }
        }
    }
}

/// Two areas as one.
fn join(a: &Rings, b: &Rings) -> Rings {
    match (a.is_empty(), b.is_empty()) {
        (true, _) => b.clone(),
        (_, true) => a.clone(),
        _ => combined(a, b, Combine::Union),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn square(x: f64, y: f64, side: f64) -> Rings {
        vec![
            [(0., 0.), (side, 0.), (side, side), (0., side)]
                .map(|(dx, dy)| Point::new(x + dx, y + dy))
                .to_vec(),
        ]
    }

    fn painted(rings: Rings, veil: u32) -> Painted {
        Painted { rings, veil }
    }

    /// By either way; both must come to the same.
    fn left(painted: &[Painted]) -> Vec<f64> {
        let bounds: Vec<Rect> = painted.iter().map(|p| bounds(&p.rings)).collect();
        let sizes = vec![0; painted.len()];
        let halves = by_halves(painted, Meetings::of(&bounds, &sizes).clusters());
        let single = one_by_one(painted, &Meetings::of(&bounds, &sizes).over.unwrap());
        for (n, own) in painted.iter().enumerate() {
            let of = |found: &[(usize, Rings)]| {
                let rings = found.iter().find(|(m, _)| *m == n).map(|(_, rings)| rings);
                area(rings.unwrap_or(&own.rings))
            };
            assert!((of(&halves) - of(&single)).abs() < 1e-3, "{n}");
        }
        let shown = shown(painted);
        shown.iter().zip(painted).map(|(s, p)| area(s.as_ref().unwrap_or(&p.rings))).collect()
    }

    #[test]
    fn what_lies_over_covers_and_a_veil_does_not() {
        let sheet = [
            painted(square(0., 0., 10.), 0),
            painted(square(5., 5., 10.), 0),
            painted(square(40., 0., 3.), 0),
            painted(square(2., 2., 1.), 0),
        ];
        assert_eq!(left(&sheet), [100.0 - 25.0 - 1.0, 100.0, 9.0, 1.0]);
        assert!(shown(&sheet)[1].is_none() && shown(&sheet)[2].is_none());
        // Wholly under another nothing is left.
        let sheet = [painted(square(1., 1., 2.), 0), painted(square(0., 0., 10.), 0)];
        assert_eq!(left(&sheet), [0.0, 100.0]);
        let veil = |number| {
            [
                painted(square(0., 0., 10.), 0),
                painted(square(5., 5., 10.), 7),
                painted(square(8., 8., 10.), number),
            ]
        };
        assert_eq!(left(&veil(8)), [100.0, 100.0, 100.0]);
        assert_eq!(left(&veil(7)), [100.0, 100.0 - 49.0, 100.0]);
    }

    proptest! {
        /// Each point is shown by the uppermost area that holds it, by counting squares of a raster.
        #[test]
        fn every_place_shows_what_was_painted_there_last(
            squares in proptest::collection::vec((0u8..20, 0u8..20, 1u8..9), 1..24)
        ) {
            let rings = |(x, y, side): &(u8, u8, u8)| square(f64::from(*x), f64::from(*y), f64::from(*side));
            let sheet: Vec<Painted> = squares.iter().map(|s| painted(rings(s), 0)).collect();
            let left = left(&sheet);
            let mut wanted = vec![0.0; squares.len()];
            for x in 0..32u8 {
                for y in 0..32u8 {
                    let holds = |(a, b, side): &(u8, u8, u8)| (*a..a + side).contains(&x) && (*b..b + side).contains(&y);
                    if let Some(n) = squares.iter().rposition(holds) {
                        wanted[n] += 1.0;
                    }
                }
            }
            for (left, wanted) in left.iter().zip(&wanted) {
                prop_assert!((left - wanted).abs() < 1e-3, "{left} {wanted}");
            }
        }
    }
}
