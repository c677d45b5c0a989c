//! What is inside an artwork, by colour.

use super::{Artwork, Shape, contours_of};
use rayon::prelude::*;
use tinkite_base::colour::Colour;
use tinkite_base::geometry::region::{self, FillRule, enclosed_area};
use tinkite_base::geometry::{Contour, Rect, hull};

/// Whether a layer gathers shapes by their line or by their inside.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum PaintedBy {
    /// By the colour of the line.
    Stroke,
    /// By the colour of the inside.
    Fill,
}

impl PaintedBy {
    /// The word for it.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Stroke => "stroke",
            Self::Fill => "fill",
        }
    }
}

/// All shapes that share a colour of stroke or fill. A shape with both is in two layers.
#[derive(Debug, Clone, PartialEq)]
pub struct Layer {
    /// The colour.
    pub colour: Colour,
    /// Of what it is the colour.
    pub by: PaintedBy,
    /// How many shapes: `open + closed`.
    pub shapes: usize,
    /// Shapes with at least one line whose ends do not meet.
    pub open: usize,
    /// Shapes all of whose lines are closed.
    pub closed: usize,
    /// Separate lines in those shapes (a shape with a hole has two).
    pub contours: usize,
    /// Length of all lines, mm.
    pub length: f64,
    /// Area that closed lines enclose, and fills, by the fill rule, mm²; overlapping shapes each count.
    pub area: f64,
    /// The rectangle round the lines, mm.
    pub extents: Rect,
    /// Least and greatest stroke width, mm; none for a layer by fill.
    pub stroke_width: Option<(f64, f64)>,
}

impl Layer {
    /// Takes in what another drawing has in the same colour.
    pub fn merge(&mut self, other: &Self) {
        self.shapes += other.shapes;
        self.open += other.open;
        self.closed += other.closed;
        self.contours += other.contours;
        self.length += other.length;
        self.area += other.area;
        self.extents = self.extents.union(other.extents);
        self.stroke_width = match (self.stroke_width, other.stroke_width) {
            (Some((a, b)), Some((c, d))) => Some((a.min(c), b.max(d))),
            (own, _) => own,
        };
    }
}

/// What one shape adds to its layers.
struct LayerPart {
    open: bool,
    contours: usize,
    length: f64,
    area: f64,
    extents: Rect,
}

fn measure(shape: &Shape, contours: &[Contour], tolerance: f64) -> Option<LayerPart> {
    let extents = hull(contours.iter().map(Contour::bounds))?;
    // Chords lie inside their arcs: finer ones, so that a small hole's area is right to 1 in 1000.
    let finer = region::chord_tolerance(tolerance / 20.0, extents);
    // A fill closes what it fills.
    let encloses = |c: &&Contour| c.closed || shape.fill.is_some();
    let rings: Vec<_> = contours.iter().filter(encloses).map(|c| c.flatten(finer)).collect();
    let rule = shape.fill.map_or(FillRule::EvenOdd, |fill| fill.rule);
    Some(LayerPart {
        open: contours.iter().any(|c| !c.closed),
        contours: contours.len(),
        length: contours.iter().map(Contour::length).sum(),
        area: if rings.is_empty() { 0.0 } else { enclosed_area(&rings, rule) },
        extents,
    })
}

/// The layers of an artwork in the order in which their colours first appear. Lengths and areas
/// are those of lines and arcs within `tolerance` mm of what was drawn. Shapes of no length are
/// not counted.
#[must_use]
pub fn layers(artwork: &Artwork, tolerance: f64) -> Vec<Layer> {
    layers_of(artwork, &contours_of(artwork, tolerance), tolerance)
}

/// The layers of an artwork whose contours, shape by shape, are known already.
pub(super) fn layers_of(
    artwork: &Artwork,
    contours: &[Vec<Contour>],
    tolerance: f64,
) -> Vec<Layer> {
    let shapes = artwork.shapes.par_iter().zip(contours);
    let measured: Vec<_> =
        shapes.map(|(shape, contours)| measure(shape, contours, tolerance)).collect();
    let mut layers: Vec<Layer> = Vec::new();
    for (shape, measured) in artwork.shapes.iter().zip(&measured) {
        let Some(measured) = measured else { continue };
        if let Some(fill) = shape.fill {
            add(&mut layers, fill.colour, PaintedBy::Fill, None, measured);
        }
        if let Some(stroke) = shape.stroke {
            add(&mut layers, stroke.colour, PaintedBy::Stroke, Some(stroke.width), measured);
        }
    }
    layers
}

fn add(
    layers: &mut Vec<Layer>,
    colour: Colour,
    by: PaintedBy,
    width: Option<f64>,
    shape: &LayerPart,
) {
    let at = layers.iter().position(|l| l.colour == colour && l.by == by).unwrap_or_else(|| {
        layers.push(Layer {
            colour,
            by,
            shapes: 0,
            open: 0,
            closed: 0,
            contours: 0,
            length: 0.0,
            area: 0.0,
            extents: shape.extents,
            stroke_width: width.map(|w| (w, w)),
        });
        layers.len() - 1
    });
    let layer = &mut layers[at];
    layer.shapes += 1;
    layer.open += usize::from(shape.open);
    layer.closed += usize::from(!shape.open);
    layer.contours += shape.contours;
    layer.length += shape.length;
    layer.area += shape.area;
    layer.extents = layer.extents.union(shape.extents);
    if let (Some((least, most)), Some(width)) = (&mut layer.stroke_width, width) {
        *least = least.min(width);
        *most = most.max(width);
    }
}
