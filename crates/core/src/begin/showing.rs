//! The layers of a drawing with what of each shows: a colour that later paint hides wholly is no step.

use tinkite_artwork::layers::{self, Layer, PaintedBy};
use tinkite_artwork::{Artwork, Odd, Shape, rings};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::cover::{Painted, shown};
use tinkite_base::geometry::region::{self, FillRule};

/// Layers, where the area of fills is what shows of them, mm².
/// `counted` is the same drawing without the paints that are no part of any layer.
pub(super) fn layers(artwork: &Artwork, counted: &Artwork, tolerance: f64) -> Vec<Layer> {
    let mut layers = layers::layers(counted, tolerance);
    // What a bitmap shows lies over what was painted before it, and is of no layer.
    let fills: Vec<(&Shape, FillRule, u32, Option<Colour>)> = artwork
        .shapes
        .iter()
        .zip(&counted.shapes)
        .filter_map(|(s, counted)| match (s.fill, s.odd.fill) {
            (Some(fill), _) => Some((s, fill.rule, fill.veil, counted.fill.map(|own| own.colour))),
            (None, Some((Odd::Rendered, rule))) => Some((s, rule, 0, None)),
            _ => None,
        })
        .collect();
    let painted: Vec<Painted> = fills
        .iter()
        .map(|(shape, rule, veil, _)| Painted {
            rings: region::unite(&rings(&shape.path), *rule),
            veil: *veil,
        })
        .collect();
    let shown = shown(&painted);
    for layer in layers.iter_mut().filter(|layer| layer.by == PaintedBy::Fill) {
        let of = fills.iter().zip(&painted).zip(&shown);
        let own = of.filter(|(((.., colour), _), _)| *colour == Some(layer.colour));
        layer.area = own
            .map(|((_, painted), shown)| region::area(shown.as_ref().unwrap_or(&painted.rings)))
            .sum();
    }
    layers
}
