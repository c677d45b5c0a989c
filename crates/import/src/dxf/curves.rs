//! The lines of each kind of entity, in the drawing's units.

use super::entity::{Entity, cross};
use super::spline::Spline;
use super::tags::Tag;
use kurbo::Shape as _;
use std::f64::consts::TAU;
use tinkite_base::geometry::{Affine, BezPath, Point, Vec2};

/// Arcs are drawn this near to the true ones, as a share of the radius; they come back exact.
const ACCURACY: f64 = 1e-7;

/// What an entity draws.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Curves {
    pub(super) path: BezPath,
    /// Whether the inside is painted instead of the line.
    pub(super) filled: bool,
    /// Whether it may be one of several lines that make up an outline.
    pub(super) loose: bool,
}

/// The lines of an entity without children; none for kinds that are not read, `Some` of an empty
/// path for broken ones. `tolerance` in the drawing's units.
pub(super) fn of(entity: &Entity<'_>, tolerance: f64) -> Option<Curves> {
    let line = |path: Option<BezPath>, loose: bool| {
        Some(Curves { path: path.unwrap_or_default(), filled: false, loose })
    };
    match entity.kind {
        "LINE" => line(segment(entity), true),
        "ARC" => line(arc(entity), true),
        "CIRCLE" => line(circle(entity), false),
        "ELLIPSE" => line(ellipse(entity), true),
        "SPLINE" => {
            let spline = spline(entity.tags);
            let loose = !spline.closed;
            line(spline.path(tolerance), loose)
        }
        "LWPOLYLINE" => {
            let closed = entity.whole_or(70, 0) & 1 == 1;
            line(Some(entity.plane() * polyline(&vertices(entity), closed)), !closed)
        }
        "SOLID" | "TRACE" => {
            let corners = [10, 11, 13, 12].map(|code| entity.point(code));
            Some(Curves { path: entity.plane() * polygon(&corners), filled: true, loose: false })
        }
        "3DFACE" => line(Some(face(entity)), false),
        _ => None,
    }
}

fn segment(entity: &Entity<'_>) -> Option<BezPath> {
    let mut path = BezPath::new();
    path.move_to(entity.point(10)?);
    path.line_to(entity.point(11)?);
    Some(path)
}

fn circle(entity: &Entity<'_>) -> Option<BezPath> {
    let circle = kurbo::Circle::new(entity.point(10)?, entity.real(40).filter(|r| *r > 0.0)?);
    Some(entity.plane() * circle.to_path(ACCURACY * circle.radius))
}

fn arc(entity: &Entity<'_>) -> Option<BezPath> {
    let radius = entity.real(40).filter(|r| *r > 0.0)?;
    let start = entity.real(50)?.to_radians();
    let sweep = turn(entity.real(51)?.to_radians() - start);
    Some(entity.plane() * swept(entity.point(10)?, radius, start, sweep))
}

/// A turn counter-clockwise, above zero up to a full one.
fn turn(angle: f64) -> f64 {
    let turn = angle.rem_euclid(TAU);
    if turn < 1e-12 { TAU } else { turn }
}

/// An arc of a circle as cubics.
pub(super) fn swept(centre: Point, radius: f64, start: f64, sweep: f64) -> BezPath {
    kurbo::Arc::new(centre, (radius, radius), start, sweep, 0.0).to_path(ACCURACY * radius)
}

fn ellipse(entity: &Entity<'_>) -> Option<BezPath> {
    let major = [entity.real(11)?, entity.real(21)?, entity.real_or(31, 0.0)];
    let normal = [entity.real_or(210, 0.0), entity.real_or(220, 0.0), entity.real_or(230, 1.0)];
    let ratio = entity.real(40).filter(|r| *r > 0.0)?;
    let (start, end) = (entity.real_or(41, 0.0), entity.real_or(42, TAU));
    let minor = cross(normal, major).map(|c| c * ratio);
    let centre = entity.point(10)?;
    let to_plane = Affine::new([major[0], major[1], minor[0], minor[1], centre.x, centre.y]);
    let sweep = turn(end - start);
    let mut path = to_plane * swept(Point::ZERO, 1.0, start, sweep);
    if sweep > TAU - 1e-9 {
        path.close_path();
    }
    Some(path)
}

pub(super) fn spline(tags: &[Tag<'_>]) -> Spline {
    let entity = Entity { kind: "SPLINE", tags, line: 0, embedded: &[] };
    let flags = entity.whole_or(70, 0);
    Spline {
        degree: usize::try_from(entity.whole_or(71, 3)).unwrap_or(0),
        closed: flags & 1 == 1,
        knots: entity.reals(40),
        controls: entity.points(10),
        weights: entity.reals(41),
        fit: entity.points(11),
    }
}

/// A vertex and the bulge of the line that leaves it: the tangent of a quarter of its arc's sweep.
pub(super) type Vertex = (Point, f64);

/// The vertices of a light polyline.
fn vertices(entity: &Entity<'_>) -> Vec<Vertex> {
    let mut vertices: Vec<Vertex> = Vec::new();
    for tag in entity.tags {
        let Some(value) = tag.real() else { continue };
        match (tag.code, vertices.last_mut()) {
            (10, _) => vertices.push((Point::new(value, 0.0), 0.0)),
            (20, Some((p, _))) => p.y = value,
            (42, Some((_, bulge))) => *bulge = value,
            _ => {}
        }
    }
    vertices
}

/// A line through vertices, bulges as arcs.
pub(super) fn polyline(vertices: &[Vertex], closed: bool) -> BezPath {
    let mut path = BezPath::new();
    let Some((first, _)) = vertices.first() else { return path };
    path.move_to(*first);
    let next = vertices.iter().skip(1).chain(closed.then_some(&vertices[0]));
    for ((from, bulge), (to, _)) in vertices.iter().zip(next) {
        if bulge.abs() < 1e-9 || from.distance(*to) < 1e-12 {
            path.line_to(*to);
            continue;
        }
        let sweep = 4.0 * bulge.atan();
        let chord = *to - *from;
        // Distance of the centre from the chord's middle, along its left normal.
        let apothem = (1.0 - bulge * bulge) / (4.0 * bulge);
        let centre = from.midpoint(*to) + Vec2::new(-chord.y, chord.x) * apothem;
        let radius = from.distance(centre);
        let arc = kurbo::Arc::new(centre, (radius, radius), (*from - centre).atan2(), sweep, 0.0);
        path.extend(arc.append_iter(ACCURACY * radius));
    }
    if closed {
        path.close_path();
    }
    path
}

fn polygon(corners: &[Option<Point>]) -> BezPath {
    let corners: Vec<Vertex> = corners.iter().flatten().map(|p| (*p, 0.0)).collect();
    polyline(&corners, true)
}

/// The visible edges of a face.
fn face(entity: &Entity<'_>) -> BezPath {
    let corners: Vec<Point> = [10, 11, 12, 13].iter().filter_map(|c| entity.point(*c)).collect();
    let hidden = entity.whole_or(70, 0);
    if hidden & 15 == 0 {
        let corners: Vec<Option<Point>> = corners.into_iter().map(Some).collect();
        return polygon(&corners);
    }
    let mut path = BezPath::new();
    for (n, from) in corners.iter().enumerate() {
        let to = corners[(n + 1) % corners.len()];
        if hidden >> n & 1 == 0 && from.distance(to) > 0.0 {
            path.move_to(*from);
            path.line_to(to);
        }
    }
    path
}
