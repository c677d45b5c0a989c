//! Every shape of a drawing, with the name by which a job takes it.

use crate::look::chip;
use crate::table::table;
use crate::{ExtentsJson, micron};
use serde::Serialize;
use tinkite_core::artwork::{Artwork, Shape};
use tinkite_core::colour::Colour;
use tinkite_core::geometry::{Contour, hull};
use tinkite_core::job::Take;
use tinkite_core::job::select::Condition;
use tinkite_core::problem::count;
use tinkite_core::quantity::LengthUnit;

/// The shapes of some drawings, as JSON.
#[derive(Debug, Serialize)]
pub struct ShapesJson {
    /// Each drawing with its shapes.
    pub files: Vec<ShapesOf>,
}

/// The shapes of one drawing, in its own order.
#[derive(Debug, Serialize)]
pub struct ShapesOf {
    file: String,
    shapes: Vec<ListedShape>,
    bitmaps: Vec<ListedBitmap>,
}

/// One shape.
#[derive(Debug, Serialize)]
struct ListedShape {
    /// What nothing else in the drawing is called.
    name: String,
    /// Its id, where others have it as well.
    id: Option<String>,
    /// What a step says to take it.
    take: String,
    line: Option<u32>,
    groups: Vec<String>,
    stroke: Option<String>,
    stroke_width_mm: Option<f64>,
    fill: Option<String>,
    size_mm: Option<[f64; 2]>,
    extents_mm: Option<ExtentsJson>,
    length_mm: f64,
    lines: usize,
    open: usize,
}

/// One bitmap.
#[derive(Debug, Serialize)]
struct ListedBitmap {
    name: String,
    take: String,
    line: Option<u32>,
    size_mm: [f64; 2],
}

fn take(name: &str) -> String {
    Take(vec![Condition::Id(name.into())]).to_toml()
}

impl ListedShape {
    fn of(shape: &Shape, tolerance: f64) -> Self {
        let contours = shape.contours(tolerance);
        let extents = hull(contours.iter().map(Contour::bounds));
        let name = shape.source.own_name().unwrap_or_default();
        Self {
            name: name.into(),
            id: shape.source.id.clone().filter(|id| *id != name),
            take: take(name),
            line: shape.source.line,
            groups: shape.source.groups.clone(),
            stroke: shape.stroke.map(|stroke| stroke.colour.to_string()),
            stroke_width_mm: shape.stroke.map(|stroke| micron(stroke.width)),
            fill: shape.fill.map(|fill| fill.colour.to_string()),
            size_mm: extents.map(|r| [micron(r.width()), micron(r.height())]),
            extents_mm: extents.map(ExtentsJson::from),
            length_mm: micron(contours.iter().map(Contour::length).sum()),
            lines: contours.len(),
            open: contours.iter().filter(|contour| !contour.closed).count(),
        }
    }

    fn row(&self, colours: bool, unit: LengthUnit) -> Vec<String> {
        let chips = |colour: &Option<String>| {
            colour.as_ref().and_then(|c| c.parse::<Colour>().ok()).map_or(String::new(), chip)
        };
        let paint: Vec<String> = [("stroke", &self.stroke), ("fill", &self.fill)]
            .into_iter()
            .filter_map(|(by, colour)| Some(format!("{by} {}", colour.as_ref()?)))
            .collect();
        let size = self.size_mm.map_or("none".into(), |[width, height]| {
            format!("{} x {}", unit.number(width, 2), unit.number(height, 2))
        });
        let ends = match (self.lines, self.open) {
            (0, _) => "nothing".into(),
            (1, 0) => "closed".into(),
            (1, _) => "open".into(),
            (lines, 0) => format!("closed, {lines} lines"),
            (lines, open) => format!("{open} of {lines} lines open"),
        };
        vec![
            if colours {
                chips(if self.stroke.is_some() { &self.stroke } else { &self.fill })
            } else {
                String::new()
            },
            match &self.id {
                Some(id) => format!("{} ({id})", self.name),
                None => self.name.clone(),
            },
            size,
            unit.number(self.length_mm, 1),
            ends,
            paint.join(", "),
            self.groups.join(" / "),
            self.line.map_or(String::new(), |line| line.to_string()),
        ]
    }
}

impl ShapesOf {
    /// The shapes of a drawing, on lines and arcs within `tolerance` mm.
    #[must_use]
    pub fn at(artwork: &Artwork, tolerance: f64) -> Self {
        let bitmap = |image: &tinkite_core::artwork::Image| {
            let name = image.source.own_name().unwrap_or_default();
            let (width, height) = image.size();
            ListedBitmap {
                name: name.into(),
                take: if name.is_empty() { "{ kind = \"bitmap\" }".into() } else { take(name) },
                line: image.source.line,
                size_mm: [micron(width), micron(height)],
            }
        };
        Self {
            file: artwork.file.clone(),
            shapes: artwork.shapes.iter().map(|shape| ListedShape::of(shape, tolerance)).collect(),
            bitmaps: artwork.images.iter().map(bitmap).collect(),
        }
    }

    /// For people.
    #[must_use]
    pub fn text(&self, colours: bool, unit: LengthUnit) -> String {
        let symbol = unit.symbol();
        let mut out = format!("{}: {}\n\n", self.file, count(self.shapes.len(), "shape"));
        let (size, length) = (format!("size {symbol}"), format!("length {symbol}"));
        let header = ["", "name", &size, &length, "ends", "paint", "groups", "line"];
        if !self.shapes.is_empty() {
            let rows = self.shapes.iter().map(|shape| shape.row(colours, unit)).collect();
            out.push_str(&table(&header, rows, &[3, 7]));
            out.push('\n');
        }
        for bitmap in &self.bitmaps {
            let [width, height] = bitmap.size_mm;
            let name = if bitmap.name.is_empty() { &self.file } else { &bitmap.name };
            out.push_str(&format!(
                "\n  bitmap {name}: {} x {}",
                unit.number(width, 2),
                unit.length(height, 2)
            ));
        }
        if let Some(first) = self.shapes.first() {
            out.push_str(&format!("\n  a step takes one by its name: take = {}\n", first.take));
        }
        out
    }
}
