//! Loose lines whose ends meet, joined into the shapes that were meant.
//!
//! CAD programs store an outline as separate lines and arcs. Where exactly two ends of alike lines
//! meet, the lines are one; where three or more meet, nobody can know which, and they stay apart.

use std::collections::{BTreeMap, HashMap};
use tinkite_artwork::Shape;
use tinkite_base::geometry::{BezPath, PathEl, Point, SAME_POINT};

/// Joins the `loose` ones among `shapes` (one flag for each) that lie in the same groups and are
/// painted alike. A joined shape stands in the place of its first line and keeps that one's source.
pub(super) fn join(shapes: Vec<Shape>, loose: &[bool]) -> Vec<Shape> {
    let mut groups: BTreeMap<_, Vec<usize>> = BTreeMap::new();
    for (n, shape) in shapes.iter().enumerate() {
        if loose[n]
            && let Some(stroke) = shape.stroke
        {
            let key = (stroke.colour, stroke.width.to_bits(), &shape.source.groups);
            groups.entry(key).or_default().push(n);
        }
    }
    let chains: Vec<Vec<(usize, bool)>> =
        groups.into_values().flat_map(|group| chains(&shapes, &group)).collect();
    let mut places: Vec<Option<Shape>> = shapes.into_iter().map(Some).collect();
    for chain in chains {
        let mut path = BezPath::new();
        for (n, reversed) in &chain {
            let Some(shape) = &places[*n] else { continue };
            let own = if *reversed { shape.path.reverse_subpaths() } else { shape.path.clone() };
            let skip = usize::from(!path.elements().is_empty());
            path.extend(own.elements().iter().copied().skip(skip));
        }
        let first = chain.iter().map(|(n, _)| *n).min().unwrap_or_default();
        let mut whole = places[first].take();
        for (n, _) in chain {
            places[n] = None;
        }
        if let Some(shape) = &mut whole {
            if let Some((start, end)) = ends(&path)
                && start.distance(end) <= SAME_POINT
            {
                path.close_path();
            }
            shape.path = path;
        }
        places[first] = whole;
    }
    places.into_iter().flatten().collect()
}

/// First and last point of a path of one subpath.
fn ends(path: &BezPath) -> Option<(Point, Point)> {
    let PathEl::MoveTo(start) = *path.elements().first()? else { return None };
    Some((start, path.elements().last()?.end_point()?))
}

/// Runs of lines of `group` that meet end to end, each with whether it is walked backwards.
fn chains(shapes: &[Shape], group: &[usize]) -> Vec<Vec<(usize, bool)>> {
    let mut nodes = Nodes::default();
    let mut strands: Vec<(usize, usize, usize)> = Vec::new();
    for n in group {
        let Some((start, end)) = ends(&shapes[*n].path) else { continue };
        let (a, b) = (nodes.at(start), nodes.at(end));
        if a != b {
            nodes.uses[a].push(strands.len());
            nodes.uses[b].push(strands.len());
            strands.push((*n, a, b));
        }
    }
    let mut used = vec![false; strands.len()];
    let mut found = Vec::new();
    // Ends of chains first, so that only rings are left for the second round.
    let is_end = |node: usize| nodes.uses[node].len() != 2;
    for open in [true, false] {
        for first in 0..strands.len() {
            let (_, a, b) = strands[first];
            if used[first] || open && !(is_end(a) || is_end(b)) {
                continue;
            }
            let backwards = !is_end(a) && is_end(b);
            let mut chain = Vec::new();
            let (mut strand, mut from) = (first, if backwards { b } else { a });
            loop {
                used[strand] = true;
                let (n, a, b) = strands[strand];
                chain.push((n, from == b));
                from = if from == a { b } else { a };
                let next = nodes.uses[from].iter().find(|s| !used[**s]);
                match next {
                    Some(next) if !is_end(from) => strand = *next,
                    _ => break,
                }
            }
            if chain.len() > 1 {
                found.push(chain);
            }
        }
    }
    found
}

/// Side of a cell in which ends are looked for, mm: so small that few share one, and so large that
/// few lie near its border.
const CELL: f64 = 32.0 * SAME_POINT;

/// Places where ends lie; ends within [`SAME_POINT`] share one.
#[derive(Default)]
struct Nodes {
    /// Looked up, never walked.
    cells: HashMap<(i64, i64), Vec<usize>>,
    points: Vec<Point>,
    /// Which strands end there.
    uses: Vec<Vec<usize>>,
}

impl Nodes {
    fn at(&mut self, p: Point) -> usize {
        let column = |x: f64| (x / CELL).floor() as i64;
        // A point that is near only lies in another cell when this one is near its border.
        for x in column(p.x - SAME_POINT)..=column(p.x + SAME_POINT) {
            for y in column(p.y - SAME_POINT)..=column(p.y + SAME_POINT) {
                for node in self.cells.get(&(x, y)).into_iter().flatten() {
                    if self.points[*node].distance(p) <= SAME_POINT {
                        return *node;
                    }
                }
            }
        }
        let cell = (column(p.x), column(p.y));
        self.points.push(p);
        self.uses.push(Vec::new());
        self.cells.entry(cell).or_default().push(self.points.len() - 1);
        self.points.len() - 1
    }
}
