//! Masks that are plain: areas that show whole, or not at all. They are clip paths by another name.

use super::winding;
use crate::resolved::{affine, curves};
use tinkite_artwork::Region;
use tinkite_artwork::rings;
use tinkite_base::geometry::region::{self, Combine};
use tinkite_base::geometry::{Affine, BezPath, Point};

/// What a mask lets through, in mm; `at` leads from the units of what it masks to mm. None for a mask that
/// lets anything through in part.
pub(super) fn region(mask: &usvg::Mask, at: Affine) -> Option<Region> {
    let mut inside = Vec::new();
    gather(mask.root(), at, mask.kind(), &mut inside)?;
    let r = mask.rect();
    let r = kurbo::Rect::new(r.x().into(), r.y().into(), r.right().into(), r.bottom().into());
    let bounds: BezPath = at * kurbo::Shape::to_path(&r, 0.1);
    let within = Region::of(&bounds, region::FillRule::NonZero);
    let own = Region::of(&region::path(&inside, true), region::FillRule::EvenOdd).and(&within);
    match mask.mask() {
        Some(outer) => Some(own.and(&region(outer, at)?)),
        None => Some(own),
    }
}

/// Adds what a group of a mask shows and takes away what it hides; `None` where it does neither.
fn gather(
    group: &usvg::Group,
    at: Affine,
    kind: usvg::MaskType,
    inside: &mut Vec<Vec<Point>>,
) -> Option<()> {
    let plain = group.opacity().get() == 1.0
        && group.clip_path().is_none()
        && group.mask().is_none()
        && group.filters().is_empty()
        && group.blend_mode() == usvg::BlendMode::Normal;
    if !plain {
        return None;
    }
    let at = at * affine(group.transform());
    for child in group.children() {
        match child {
            usvg::Node::Group(inner) => gather(inner, at, kind, inside)?,
            usvg::Node::Text(text) => gather(text.flattened(), at, kind, inside)?,
            usvg::Node::Path(path) if path.is_visible() => {
                if path.stroke().is_some() {
                    return None;
                }
                let Some(fill) = path.fill() else { continue };
                let how = shows(fill, kind)?;
                let own = region::unite(&rings(&curves(path.data(), at)), winding(fill.rule()));
                *inside = region::combined(inside, &own, how);
            }
            usvg::Node::Path(_) => {}
            usvg::Node::Image(_) => return None,
        }
    }
    Some(())
}

/// Whether a paint shows what it lies over, or hides it; none for anything between.
fn shows(fill: &usvg::Fill, kind: usvg::MaskType) -> Option<Combine> {
    let usvg::Paint::Color(colour) = fill.paint() else { return None };
    if fill.opacity().get() != 1.0 {
        return None;
    }
    match (kind, [colour.red, colour.green, colour.blue]) {
        (usvg::MaskType::Alpha, _) | (_, [255, 255, 255]) => Some(Combine::Union),
        (_, [0, 0, 0]) => Some(Combine::Minus),
        _ => None,
    }
}
