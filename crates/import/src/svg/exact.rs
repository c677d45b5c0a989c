//! Curves and transforms as the document says them. The library rounds every number to 24 bits: far from the origin,
//! as maps are drawn, that moves shapes by millimetres; and it draws large arcs in four pieces a turn.

use super::census::Census;
use super::geometry::{self, QUARTER_STRAYS};
use crate::resolved::affine;
use kurbo::Shape as _;
use std::str::FromStr;
use tinkite_base::geometry::{Affine, BezPath};
use usvg::roxmltree::Document;

/// Shapes may be out of place by this much, mm.
pub(super) const MOST: f64 = 1e-3;

/// Rounding that is worth reading the numbers again, mm.
const WORTH: f64 = 2e-4;

/// Cubics may stray from arcs by this much, mm: so near they are taken for the arcs that they stand for.
const STRAYS: f64 = 8e-3;

/// By which share of itself a number may be rounded.
const ROUNDS: f64 = f32::EPSILON as f64 / 2.0;

/// A curve of the library is the document's where they differ by no more than this share of its size.
const ALIKE: f64 = 1e-3;

/// The document, beside what the library made of it.
pub(super) struct Exact<'d, 'i> {
    pub(super) document: &'d Document<'i>,
    pub(super) census: &'d Census,
    /// What carries the view box to the page.
    pub(super) view: Option<Affine>,
}

/// By how much the numbers of a path may be rounded, in its own units.
pub(super) fn rounding(path: &usvg::Path) -> f64 {
    ROUNDS * reach(path)
}

/// The largest of its numbers.
fn reach(path: &usvg::Path) -> f64 {
    let bounds = path.data().bounds();
    let sides = [bounds.left(), bounds.right(), bounds.top(), bounds.bottom()];
    sides.into_iter().map(|side| f64::from(side.abs())).fold(0.0, f64::max)
}

impl Exact<'_, '_> {
    /// What carries a group, and by how much it may be out of place for its rounding, in the units round it.
    pub(super) fn transform(&self, group: &usvg::Group) -> (Affine, f64) {
        let rounded = affine(group.transform());
        if rounded == Affine::IDENTITY {
            return (rounded, 0.0);
        }
        let of = |id: &str| self.census.group(id).or_else(|| self.node(id).map(|(node, _)| node));
        let own = of(group.id());
        let child = match group.children().first() {
            Some(usvg::Node::Path(path)) if group.id().is_empty() => of(path.id()),
            _ => None,
        };
        let said = [own, child].into_iter().flatten().flat_map(|node| self.said(node));
        match said.chain(self.view).find(|said| is_alike(*said, rounded)) {
            Some(said) => (said, 0.0),
            None => {
                let [.., x, y] = rounded.as_coeffs();
                (rounded, ROUNDS * x.abs().max(y.abs()))
            }
        }
    }

    fn node(&self, id: &str) -> Option<(usvg::roxmltree::NodeId, geometry::Viewport)> {
        self.census.number(id).map(|number| self.census.node(number))
    }

    /// The transforms that an element says: in its style, or as an attribute.
    fn said(&self, node: usvg::roxmltree::NodeId) -> Vec<Affine> {
        let Some(node) = self.document.get_node(node) else { return Vec::new() };
        let style = node.attribute("style").unwrap_or_default();
        let in_style = style.split(';').filter_map(|one| one.trim().strip_prefix("transform:"));
        let all = in_style.chain(node.attribute("transform"));
        let read = |text: &str| {
            let t = svgtypes::Transform::from_str(text.trim_end_matches("!important")).ok()?;
            Some(Affine::new([t.a, t.b, t.c, t.d, t.e, t.f]))
        };
        all.filter_map(read).collect()
    }

    /// The curves of a path from the document's own numbers, where that is worth it; `scale` carries its units to mm.
    pub(super) fn curves(&self, path: &usvg::Path, number: usize, scale: f64) -> Option<BezPath> {
        let (node, viewport) = self.census.node(number);
        let node = self.document.get_node(node)?;
        let bends = match node.tag_name().name() {
            "circle" | "ellipse" => true,
            "rect" => node.has_attribute("rx") || node.has_attribute("ry"),
            "path" => node.attribute("d").is_some_and(|data| data.contains(['a', 'A'])),
            _ => false,
        };
        let bounds = path.data().bounds();
        let size = f64::from(bounds.width().max(bounds.height()));
        let strays = if bends { QUARTER_STRAYS * size / 2.0 } else { 0.0 };
        if rounding(path) * scale < WORTH && strays * scale < STRAYS {
            return None;
        }
        let own = geometry::curves(node, viewport, STRAYS / scale)?;
        let found = own.bounding_box();
        let drawn = [bounds.left(), bounds.top(), bounds.right(), bounds.bottom()].map(f64::from);
        let own_sides = [found.x0, found.y0, found.x1, found.y1];
        let slack = ALIKE * size + 4.0 * rounding(path);
        let same = drawn.iter().zip(own_sides).all(|(a, b)| (a - b).abs() <= slack);
        same.then_some(own)
    }
}

/// Whether a transform is another one, but for rounding.
fn is_alike(said: Affine, rounded: Affine) -> bool {
    let (a, b) = (said.as_coeffs(), rounded.as_coeffs());
    let turns = a[..4].iter().map(|n| n.abs()).fold(0.0, f64::max);
    let moves = a[4].abs().max(a[5].abs()).max(turns);
    let near = |n: usize, most: f64| (a[n] - b[n]).abs() <= 4.0 * ROUNDS * most;
    (0..4).all(|n| near(n, turns)) && (4..6).all(|n| near(n, moves))
}
