//! The curves of an element as its own numbers say, in its own units, without the rounding of a library.

use kurbo::{Arc, BezPath, PathEl, Point, Rect, Shape as _, SvgArc, Vec2};
use std::f64::consts::FRAC_PI_2;
use std::str::FromStr;
use svgtypes::{Length, LengthUnit, PathParser, PathSegment, PointsParser};
use usvg::roxmltree::Node;

/// How large the viewport of an element is, in its units; `None` where that is not known.
pub(super) type Viewport = Option<(f64, f64)>;

/// A length in the units of the element: shares are of the viewport's width, height or, for radii, of its mean
/// side (SVG 1.1, section 7.10). `None` where the font decides.
pub(super) fn length(
    text: &str,
    share: impl Fn((f64, f64)) -> f64,
    viewport: Viewport,
) -> Option<f64> {
    let Length { number, unit } = Length::from_str(text.trim()).ok()?;
    let inch = 96.0;
    Some(match unit {
        LengthUnit::None | LengthUnit::Px => number,
        LengthUnit::In => number * inch,
        LengthUnit::Cm => number * inch / 2.54,
        LengthUnit::Mm => number * inch / 25.4,
        LengthUnit::Pt => number * inch / 72.0,
        LengthUnit::Pc => number * inch / 6.0,
        LengthUnit::Percent => number / 100.0 * share(viewport?),
        LengthUnit::Em | LengthUnit::Ex => return None,
    })
}

fn width(of: (f64, f64)) -> f64 {
    of.0
}

fn height(of: (f64, f64)) -> f64 {
    of.1
}

fn mean(of: (f64, f64)) -> f64 {
    (of.0.hypot(of.1)) / std::f64::consts::SQRT_2
}

/// The curves of an element; `None` for elements that have none of their own, and values that are not read here.
/// Arcs become cubics that stray by no more than `within`.
pub(super) fn curves(node: Node<'_, '_>, viewport: Viewport, within: f64) -> Option<BezPath> {
    let get = |key: &str, share: fn((f64, f64)) -> f64| match node.attribute(key) {
        None => Some(0.0),
        Some(text) => length(text, share, viewport),
    };
    match node.tag_name().name() {
        "path" => path(node.attribute("d")?, within),
        "rect" => {
            let (x, y) = (get("x", width)?, get("y", height)?);
            let (w, h) = (get("width", width)?, get("height", height)?);
            let radius = |key, share: fn((f64, f64)) -> f64| match node.attribute(key) {
                None | Some("auto") => Some(None),
                Some(text) => length(text, share, viewport).map(Some),
            };
            let (rx, ry) = (radius("rx", width)?, radius("ry", height)?);
            let (rx, ry) = (rx.or(ry).unwrap_or(0.0), ry.or(rx).unwrap_or(0.0));
            Some(rectangle(Rect::new(x, y, x + w, y + h), rx.min(w / 2.0), ry.min(h / 2.0), within))
        }
        "circle" => {
            let (x, y, r) = (get("cx", width)?, get("cy", height)?, get("r", mean)?);
            Some(ellipse(Point::new(x, y), r, r, within))
        }
        "ellipse" => {
            let (x, y) = (get("cx", width)?, get("cy", height)?);
            Some(ellipse(Point::new(x, y), get("rx", width)?, get("ry", height)?, within))
        }
        "line" => {
            let mut path = BezPath::new();
            path.move_to((get("x1", width)?, get("y1", height)?));
            path.line_to((get("x2", width)?, get("y2", height)?));
            Some(path)
        }
        tag @ ("polyline" | "polygon") => {
            let mut path = BezPath::new();
            for (n, p) in PointsParser::from(node.attribute("points")?).enumerate() {
                if n == 0 { path.move_to(p) } else { path.line_to(p) }
            }
            if tag == "polygon" && !path.elements().is_empty() {
                path.close_path();
            }
            Some(path)
        }
        _ => None,
    }
}

fn ellipse(centre: Point, rx: f64, ry: f64, within: f64) -> BezPath {
    let mut path = BezPath::new();
    path.move_to(centre + Vec2::new(rx, 0.0));
    arc(&mut path, Arc::new(centre, (rx, ry), 0.0, std::f64::consts::TAU, 0.0), within);
    path.close_path();
    path
}

fn rectangle(r: Rect, rx: f64, ry: f64, within: f64) -> BezPath {
    if rx <= 0.0 || ry <= 0.0 {
        return r.to_path(0.1);
    }
    let mut path = BezPath::new();
    path.move_to((r.x0 + rx, r.y0));
    let quarter = FRAC_PI_2;
    for (n, (to, centre)) in [
        ((r.x1 - rx, r.y0), (r.x1 - rx, r.y0 + ry)),
        ((r.x1, r.y1 - ry), (r.x1 - rx, r.y1 - ry)),
        ((r.x0 + rx, r.y1), (r.x0 + rx, r.y1 - ry)),
        ((r.x0, r.y0 + ry), (r.x0 + rx, r.y0 + ry)),
    ]
    .into_iter()
    .enumerate()
    {
        path.line_to(to);
        let start = (n as f64 - 1.0) * quarter;
        arc(&mut path, Arc::new(centre, (rx, ry), start, quarter, 0.0), within);
    }
    path.close_path();
    path
}

/// A cubic with arms of the usual length strays from a quarter of a circle by this share of its radius, and from a
/// smaller part by the sixth power of its share of that (Goldapp, Computer Aided Geometric Design 8, 1991).
pub(super) const QUARTER_STRAYS: f64 = 2.73e-4;

/// Appends an arc in pieces of a quarter turn at most, with arms of the usual length.
fn arc(path: &mut BezPath, arc: Arc, within: f64) {
    let strays = QUARTER_STRAYS * arc.radii.x.max(arc.radii.y) / within;
    let most = FRAC_PI_2 * strays.powf(-1.0 / 6.0).min(1.0);
    let pieces = (arc.sweep_angle.abs() / most - 1e-9).ceil().clamp(1.0, 1000.0);
    let sweep = arc.sweep_angle / pieces;
    for n in 0..pieces as usize {
        let part =
            Arc { start_angle: arc.start_angle + sweep * n as f64, sweep_angle: sweep, ..arc };
        // One piece, whatever the accuracy: its end is where the next begins.
        part.append_iter(f64::INFINITY).for_each(|element| path.push(element));
    }
}

/// The curves of path data (SVG 1.1, section 8.3).
fn path(data: &str, within: f64) -> Option<BezPath> {
    let mut path = BezPath::new();
    let (mut at, mut start) = (Point::ZERO, Point::ZERO);
    // The last control point, and whether it was of a cubic.
    let mut control: Option<(Point, bool)> = None;
    for segment in PathParser::from(data) {
        let base = |abs: bool| if abs { Vec2::ZERO } else { at.to_vec2() };
        let place = |abs: bool, x: f64, y: f64| Point::new(x, y) + base(abs);
        let mirrored = |cubic: bool| match control {
            Some((c, was)) if was == cubic => at + (at - c),
            _ => at,
        };
        let mut next_control = None;
        let segment = segment.ok()?;
        if path.elements().last() == Some(&PathEl::ClosePath)
            && !matches!(segment, PathSegment::MoveTo { .. } | PathSegment::ClosePath { .. })
        {
            path.move_to(start);
        }
        let to = match segment {
            PathSegment::MoveTo { abs, x, y } => {
                start = place(abs, x, y);
                path.move_to(start);
                start
            }
            PathSegment::ClosePath { .. } => {
                if path.elements().last() != Some(&PathEl::ClosePath) {
                    path.close_path();
                }
                start
            }
            PathSegment::LineTo { abs, x, y } => line(&mut path, place(abs, x, y)),
            PathSegment::HorizontalLineTo { abs, x } => {
                let x = if abs { x } else { at.x + x };
                line(&mut path, Point::new(x, at.y))
            }
            PathSegment::VerticalLineTo { abs, y } => {
                let y = if abs { y } else { at.y + y };
                line(&mut path, Point::new(at.x, y))
            }
            PathSegment::CurveTo { abs, x1, y1, x2, y2, x, y } => {
                let (b, to) = (place(abs, x2, y2), place(abs, x, y));
                path.curve_to(place(abs, x1, y1), b, to);
                next_control = Some((b, true));
                to
            }
            PathSegment::SmoothCurveTo { abs, x2, y2, x, y } => {
                let (a, b, to) = (mirrored(true), place(abs, x2, y2), place(abs, x, y));
                path.curve_to(a, b, to);
                next_control = Some((b, true));
                to
            }
            PathSegment::Quadratic { abs, x1, y1, x, y } => {
                let (a, to) = (place(abs, x1, y1), place(abs, x, y));
                path.quad_to(a, to);
                next_control = Some((a, false));
                to
            }
            PathSegment::SmoothQuadratic { abs, x, y } => {
                let (a, to) = (mirrored(false), place(abs, x, y));
                path.quad_to(a, to);
                next_control = Some((a, false));
                to
            }
            PathSegment::EllipticalArc { abs, rx, ry, x_axis_rotation, large_arc, sweep, x, y } => {
                let to = place(abs, x, y);
                let svg = SvgArc {
                    from: at,
                    to,
                    radii: Vec2::new(rx.abs(), ry.abs()),
                    x_rotation: x_axis_rotation.to_radians(),
                    large_arc,
                    sweep,
                };
                match Arc::from_svg_arc(&svg) {
                    Some(found) => arc(&mut path, found, within),
                    None => drop(line(&mut path, to)),
                }
                // The sum of its parts is rounded; it ends where it says.
                set_end(&mut path, to);
                to
            }
        };
        (at, control) = (to, next_control);
    }
    Some(path)
}

fn line(path: &mut BezPath, to: Point) -> Point {
    path.line_to(to);
    to
}

fn set_end(path: &mut BezPath, to: Point) {
    if let Some(PathEl::CurveTo(_, _, end)) = path.elements_mut().last_mut() {
        *end = to;
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tinkite_base::geometry::Piece;

    fn of(element: &str) -> BezPath {
        let text = format!("<svg>{element}</svg>");
        let document = usvg::roxmltree::Document::parse(&text).unwrap();
        let node = document.root_element().first_element_child().unwrap();
        curves(node, Some((200.0, 100.0)), 0.005).unwrap()
    }

    #[test]
    fn circles_are_arcs() {
        for element in [
            "<circle cx='4' cy='-3' r='1000'/>",
            "<ellipse cx='4' cy='-3' rx='1000' ry='1000'/>",
            "<path d='M1004-3a1000 1000 0 0 1-2000 0a1000,1000 0 0 1 2000 0z'/>",
        ] {
            let contours = tinkite_base::geometry::fit::contours(&of(element), 0.01);
            let off = contours[0].walk().map(|(from, piece)| match piece {
                Piece::Arc { centre, .. } => {
                    let radius = (from.distance(*centre) - 1000.0).abs();
                    radius.max(centre.distance(Point::new(4.0, -3.0)))
                }
                Piece::Line { .. } => f64::INFINITY,
            });
            assert!(off.fold(0.0, f64::max) < 1e-9, "{element}");
        }
    }

    #[test]
    fn elements_are_where_their_numbers_say() {
        for (element, path) in [
            (
                "<rect x='10%' y='1cm' width='20' height='5'/>",
                "M20 37.795275590551185L40 37.795275590551185L40 42.795275590551185L20 42.795275590551185Z",
            ),
            ("<line x1='1' y1='2' x2='1in' y2='4'/>", "M1 2L96 4"),
            ("<polygon points='0,0 4 0 4,4'/>", "M0 0L4 0L4 4Z"),
            ("<path d='m1 1h2v2zl1 0'/>", "M1 1L3 1L3 3ZM1 1L2 1"),
            (
                "<path d='M0 0C1 0 2 1 2 2S3 4 4 4Q5 4 5 5t1 1'/>",
                "M0 0C1 0 2 1 2 2C2 3 3 4 4 4Q5 4 5 5Q5 6 6 6",
            ),
        ] {
            let near = |a: PathEl, b: PathEl| {
                let ends = (a.end_point().unwrap_or_default(), b.end_point().unwrap_or_default());
                a.end_point().is_some() == b.end_point().is_some() && ends.0.distance(ends.1) < 1e-9
            };
            let (found, wanted) = (of(element), BezPath::from_svg(path).unwrap());
            assert!(found.iter().count() == wanted.iter().count(), "{}", found.to_svg());
            assert!(found.iter().zip(wanted.iter()).all(|(a, b)| near(a, b)), "{}", found.to_svg());
        }
        let round = of("<rect x='1' y='2' width='20' height='10' rx='3'/>");
        assert!((round.area().abs() - (200.0 - (4.0 - std::f64::consts::PI) * 9.0)).abs() < 1e-2);
        assert_eq!(round.bounding_box(), Rect::new(1.0, 2.0, 21.0, 12.0));
    }
}
