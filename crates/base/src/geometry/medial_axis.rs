//! Middle lines of narrow areas: the lines that lie half way between opposite edges.
//!
//! The area is triangulated with its edges kept (constrained Delaunay); a triangle with two inner
//! sides is part of a strip, one with three is a fork, and the middles of inner sides, joined
//! through the triangles, make the middle line (Prasad, "Morphological analysis of shapes", 1997).

use super::{Point, Rect, region};
use spade::{ConstrainedDelaunayTriangulation, Point2, Triangulation};
use std::collections::VecDeque;
use std::f64::consts::PI;

/// What is too small for a middle line, as shares of the spacing of the lines that are to cover an
/// area.
#[derive(Debug, Clone, Copy)]
pub struct Smallest {
    /// Stretches narrower than twice this are covered well enough, mm.
    pub half_width: f64,
    /// Areas about as wide as long whose widest half width is below this are, too, mm; and scraps
    /// up to five times as long as this, with less area than a disc of this radius.
    pub spot: f64,
    /// Side branches shorter than this are left out, mm.
    pub branch: f64,
    /// Distance between the points of a long edge that are looked at, mm; short edges are looked at
    /// more closely.
    pub step: f64,
}

/// An area that has at most this many times the square of its half width is a spot, not a strip. A
/// disc has 3.1, what a disc leaves in a corner of 90 degrees 7.3.
const SPOT: f64 = 12.0;

/// How long a scrap may be, of the half width of a spot. In corners of 75 degrees and more nothing
/// larger is left, so that of most corners no triangles need be made.
const SCRAP: f64 = 5.0;

/// The middle lines of an area, given by rings that neither cross nor overlap. A spot that is as
/// wide as it is long gets a short line through its widest place.
#[must_use]
pub fn medial_axis(area: &[Vec<Point>], smallest: Smallest) -> Vec<Vec<Point>> {
    let area = without_scraps(area, smallest.spot);
    let Some(mut tree) = Tree::of(&area, smallest) else { return Vec::new() };
    let spots = tree.without_spots(smallest);
    tree.prune(smallest.branch);
    let mut lines = tree.chains();
    lines.extend(
        spots
            .into_iter()
            .map(|(p, half)| vec![Point::new(p.x - half, p.y), Point::new(p.x + half, p.y)]),
    );
    lines
}

/// Leaves out rings without holes that are scraps.
fn without_scraps(area: &[Vec<Point>], spot: f64) -> Vec<&[Point]> {
    let measured = area.iter().map(|ring| {
        let points = ring.iter().map(|p| Rect::from_points(*p, *p));
        let bounds = points.reduce(|a, b| a.union(b)).unwrap_or_default();
        (ring.as_slice(), region::signed_area(ring.iter().copied()), bounds)
    });
    let measured: Vec<_> = measured.collect();
    let holes: Vec<Rect> =
        measured.iter().filter(|(_, area, _)| *area < 0.0).map(|(_, _, bounds)| *bounds).collect();
    let is_scrap = |area: f64, bounds: Rect| {
        (0.0..PI * spot * spot).contains(&area)
            && bounds.width().max(bounds.height()) < SCRAP * spot
            && !holes.iter().any(|hole| bounds.contains(hole.center()))
    };
    let kept = measured.into_iter().filter(|(_, area, bounds)| !is_scrap(*area, *bounds));
    kept.map(|(ring, _, _)| ring).collect()
}

/// A place of the middle line.
#[derive(Debug, Clone)]
struct Node {
    at: Point,
    /// Distance to the edge, mm.
    half: f64,
    /// Its neighbours, in the order of their numbers; seldom more than three.
    next: Vec<usize>,
    /// Area of the triangles that are reckoned to it, mm².
    area: f64,
}

/// The middle line as a graph.
struct Tree {
    nodes: Vec<Node>,
}

type Mesh = ConstrainedDelaunayTriangulation<Point2<f64>>;

impl Tree {
    fn of(area: &[&[Point]], smallest: Smallest) -> Option<Self> {
        let mesh = mesh(area, smallest.step)?;
        let inside = inside(&mesh);
        let point = |p: Point2<f64>| Point::new(p.x, p.y);
        let mut nodes: Vec<Node> = Vec::new();
        let mut of_edge: Vec<Option<usize>> = vec![None; mesh.num_undirected_edges()];
        for face in mesh.inner_faces().filter(|face| inside[face.index()]) {
            let corners = face.positions().map(point);
            let area = (corners[1] - corners[0]).cross(corners[2] - corners[0]).abs() / 2.0;
            let open = face.adjacent_edges().map(|e| e.as_undirected());
            let mut own: Vec<usize> = Vec::new();
            for edge in open.into_iter().filter(|edge| !edge.is_constraint_edge()) {
                let [a, b] = edge.positions().map(point);
                let node = *of_edge[edge.fix().index()].get_or_insert_with(|| {
                    nodes.push(Node::new(a.midpoint(b), a.distance(b) / 2.0));
                    nodes.len() - 1
                });
                own.push(node);
            }
            match own[..] {
                [] => {}
                [one] => nodes[one].area += area,
                [one, two] => {
                    join(&mut nodes, one, two);
                    // The third side is edge: so high a triangle stands on it, so wide is the strip.
                    let base = face.adjacent_edges().map(|e| e.as_undirected());
                    let base = base.into_iter().find(|edge| edge.is_constraint_edge());
                    let base = base.map_or(0.0, |edge| edge.length_2().sqrt());
                    for n in [one, two] {
                        nodes[n].half = nodes[n].half.min(area / base.max(f64::MIN_POSITIVE));
                    }
                    nodes[one].area += area / 2.0;
                    nodes[two].area += area / 2.0;
                }
                _ => {
                    // The circle round a fork touches the edge in three places.
                    let (centre, square) = face.circumcircle();
                    let (centre, half) = (point(centre), square.sqrt());
                    nodes.push(Node { area, ..Node::new(centre, half) });
                    let fork = nodes.len() - 1;
                    own.into_iter().for_each(|node| join(&mut nodes, fork, node));
                }
            }
        }
        Some(Self { nodes })
    }

    /// Takes out what is too narrow to matter, and everything that hangs together as a spot; each
    /// spot that matters as its widest place and half its width.
    fn without_spots(&mut self, smallest: Smallest) -> Vec<(Point, f64)> {
        let mut spots = Vec::new();
        for group in self.groups() {
            let widest = group
                .iter()
                .copied()
                .max_by(|a, b| self.nodes[*a].half.total_cmp(&self.nodes[*b].half).then(b.cmp(a)));
            let Some(widest) = widest else { continue };
            let half = self.nodes[widest].half;
            let area: f64 = group.iter().map(|n| self.nodes[*n].area).sum();
            if area < SPOT * half * half {
                if half >= smallest.spot {
                    spots.push((self.nodes[widest].at, half));
                }
                group.iter().for_each(|n| self.remove(*n));
            }
        }
        for n in 0..self.nodes.len() {
            if self.nodes[n].half < smallest.half_width {
                self.remove(n);
            }
        }
        spots
    }

    /// The nodes that hang together.
    fn groups(&self) -> Vec<Vec<usize>> {
        let mut seen = vec![false; self.nodes.len()];
        let mut groups = Vec::new();
        for first in 0..self.nodes.len() {
            if std::mem::replace(&mut seen[first], true) {
                continue;
            }
            let mut group = vec![first];
            let mut at = 0;
            while let Some(n) = group.get(at).copied() {
                at += 1;
                for next in &self.nodes[n].next {
                    if !std::mem::replace(&mut seen[*next], true) {
                        group.push(*next);
                    }
                }
            }
            groups.push(group);
        }
        groups
    }

    fn remove(&mut self, n: usize) {
        for next in std::mem::take(&mut self.nodes[n].next) {
            self.nodes[next].leave(n);
        }
    }

    /// Takes out branches that end after less than `shortest`, or after less than the area is wide
    /// where they begin: those lead into corners.
    fn prune(&mut self, shortest: f64) {
        loop {
            let ends: Vec<usize> = (0..self.nodes.len()).filter(|n| self.degree(*n) == 1).collect();
            let mut gone = Vec::new();
            for end in ends {
                let mut branch = vec![end];
                let mut length = 0.0;
                let mut before = end;
                let mut at = self.nodes[end].next.first().copied();
                while let Some(n) = at {
                    length += self.nodes[before].at.distance(self.nodes[n].at);
                    if self.degree(n) != 2 {
                        break;
                    }
                    branch.push(n);
                    at = self.nodes[n].next.iter().copied().find(|next| *next != before);
                    before = n;
                }
                let fork = at.filter(|n| self.degree(*n) > 2);
                if fork.is_some_and(|n| length < shortest.max(2.0 * self.nodes[n].half)) {
                    gone.extend(branch);
                }
            }
            if gone.is_empty() {
                return;
            }
            gone.into_iter().for_each(|n| self.remove(n));
        }
    }

    fn degree(&self, n: usize) -> usize {
        self.nodes[n].next.len()
    }

    /// Its lines from fork or end to fork or end; round ones end where they begin.
    fn chains(&mut self) -> Vec<Vec<Point>> {
        let mut lines = Vec::new();
        let knots: Vec<usize> =
            (0..self.nodes.len()).filter(|n| self.degree(*n) > 0 && self.degree(*n) != 2).collect();
        for knot in knots.into_iter().chain(0..self.nodes.len()) {
            while let Some(first) = self.nodes[knot].next.first().copied() {
                let mut line = vec![self.nodes[knot].at];
                let (mut before, mut at) = (knot, first);
                loop {
                    let ends_here = self.degree(at) != 2;
                    self.nodes[before].leave(at);
                    self.nodes[at].leave(before);
                    line.push(self.nodes[at].at);
                    match self.nodes[at].next.first().copied() {
                        Some(next) if !ends_here => (before, at) = (at, next),
                        _ => break,
                    }
                }
                lines.push(line);
            }
        }
        lines
    }
}

impl Node {
    fn new(at: Point, half: f64) -> Self {
        Self { at, half, next: Vec::new(), area: 0.0 }
    }

    fn meet(&mut self, other: usize) {
        if let Err(at) = self.next.binary_search(&other) {
            self.next.insert(at, other);
        }
    }

    fn leave(&mut self, other: usize) {
        self.next.retain(|next| *next != other);
    }
}

fn join(nodes: &mut [Node], a: usize, b: usize) {
    nodes[a].meet(b);
    nodes[b].meet(a);
}

/// Edges are looked at in at least so many points, if that is no finer than a fifth of the step.
const FEWEST: f64 = 48.0;

/// The triangles of an area, whose edges are divided so that none is longer than `step`.
fn mesh(area: &[&[Point]], step: f64) -> Option<Mesh> {
    let mut points = Vec::new();
    let mut edges = Vec::new();
    for ring in area {
        let first = points.len();
        let sides = || ring.iter().zip(ring.iter().cycle().skip(1));
        let round: f64 = sides().map(|(from, to)| from.distance(*to)).sum();
        let step = (round / FEWEST).clamp(step / 5.0, step);
        for (from, to) in sides() {
            let count = (from.distance(*to) / step).ceil().max(1.0) as usize;
            for n in 0..count {
                let p = from.lerp(*to, n as f64 / count as f64);
                points.push(Point2::new(p.x, p.y));
            }
        }
        let last = points.len();
        edges.extend((first..last).map(|n| [n, if n + 1 < last { n + 1 } else { first }]));
    }
    // Rings that touch in a point are no conflict. Where an edge is missing, inside and outside
    // could not be told apart.
    let mut conflicts = 0;
    let mesh = Mesh::try_bulk_load_cdt(points, edges, |_| conflicts += 1).ok()?;
    (conflicts == 0).then_some(mesh)
}

/// Whether each face lies inside: an odd number of edges away from the outside.
fn inside(mesh: &Mesh) -> Vec<bool> {
    let mut known: Vec<Option<bool>> = vec![None; mesh.num_all_faces()];
    known[mesh.outer_face().index()] = Some(false);
    let mut queue: VecDeque<_> = mesh
        .convex_hull()
        .map(|edge| (edge.rev().face(), edge.as_undirected().is_constraint_edge()))
        .collect();
    while let Some((face, is_inside)) = queue.pop_front() {
        let Some(inner) = face.as_inner().filter(|_| known[face.index()].is_none()) else {
            continue;
        };
        known[face.index()] = Some(is_inside);
        for edge in inner.adjacent_edges() {
            queue.push_back((
                edge.rev().face(),
                is_inside != edge.as_undirected().is_constraint_edge(),
            ));
        }
    }
    known.into_iter().map(|known| known.unwrap_or(false)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use kurbo::Vec2;
    use std::f64::consts::TAU;

    const SMALLEST: Smallest = Smallest { half_width: 0.02, spot: 0.17, branch: 0.6, step: 0.25 };

    fn ring(points: &[(f64, f64)]) -> Vec<Point> {
        points.iter().map(|p| Point::from(*p)).collect()
    }

    fn circle(radius: f64) -> Vec<Point> {
        let angle = |n: u32| f64::from(n) / 200.0 * TAU;
        (0..200).map(|n| Point::ZERO + Vec2::from_angle(angle(n)) * radius).collect()
    }

    #[test]
    fn a_bar_has_one_line_half_way_between_its_long_sides() {
        let lines = medial_axis(&[ring(&[(0., 0.), (20., 0.), (20., 0.8), (0., 0.8)])], SMALLEST);
        assert_eq!(lines.len(), 1, "{lines:?}");
        let length: f64 = lines[0].windows(2).map(|w| w[0].distance(w[1])).sum();
        assert!((length - 19.2).abs() < 0.4, "{length}");
        assert!(lines[0].iter().all(|p| (p.y - 0.4).abs() < 0.14), "{lines:?}");
    }

    #[test]
    fn a_round_band_has_a_line_all_the_way_round() {
        let mut hole = circle(5.0);
        hole.reverse();
        let lines = medial_axis(&[circle(5.8), hole], SMALLEST);
        assert_eq!(lines.len(), 1);
        assert_eq!(lines[0].first(), lines[0].last());
        assert!(lines[0].iter().all(|p| (p.to_vec2().hypot() - 5.4).abs() < 0.05), "{lines:?}");
    }

    #[test]
    fn a_cross_has_four_arms_and_a_disc_a_short_line() {
        let cross = ring(&[
            (-9., -0.4),
            (-0.4, -0.4),
            (-0.4, -9.),
            (0.4, -9.),
            (0.4, -0.4),
            (9., -0.4),
            (9., 0.4),
            (0.4, 0.4),
            (0.4, 9.),
            (-0.4, 9.),
            (-0.4, 0.4),
            (-9., 0.4),
        ]);
        let lines = medial_axis(&[cross], SMALLEST);
        let near = |p: &Point| p.x.abs().min(p.y.abs()) < 0.2;
        assert!(lines.len() >= 4 && lines.iter().flatten().all(near), "{lines:?}");
        let disc = medial_axis(&[circle(0.4)], SMALLEST);
        assert_eq!(disc.len(), 1);
        assert!(disc[0].iter().all(|p| p.to_vec2().hypot() < 0.41), "{disc:?}");
        assert!(medial_axis(&[circle(0.1)], SMALLEST).is_empty());
        assert!(medial_axis(&[], SMALLEST).is_empty());
    }
}
