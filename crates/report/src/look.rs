//! What is in a drawing.

use super::table::table;
use super::{ExtentsJson, ProblemJson, micron, problems_json};
use serde::Serialize;
use std::fmt::Write as _;
use tinkite_core::artwork::layers::Layer;
use tinkite_core::artwork::{Artwork, Image, Solid, looked_at};
use tinkite_core::colour::Colour;
use tinkite_core::geometry::Rect;
use tinkite_core::problem::{Problems, few};
use tinkite_core::quantity::{LengthUnit, plain};

/// Lengths and areas are measured on lines and arcs this near to what was drawn, mm.
const TOLERANCE: f64 = 0.01;

/// What is in some drawings.
#[derive(Debug, Serialize)]
pub struct LookJson {
    /// In the order in which they were named.
    pub files: Vec<FileJson>,
}

/// What is in a drawing.
#[derive(Debug, Serialize)]
pub struct FileJson {
    file: String,
    format: &'static str,
    size_mm: Option<[f64; 2]>,
    units: UnitsJson,
    page_mm: Option<[f64; 2]>,
    extents_mm: Option<ExtentsJson>,
    layers: Vec<LayerJson>,
    groups: Vec<String>,
    images: Vec<ImageJson>,
    solid: Option<SolidJson>,
    problems: Vec<ProblemJson>,
}

#[derive(Debug, Serialize)]
struct SolidJson {
    size_mm: [f64; 3],
    triangles: usize,
    leaks: usize,
    /// None where it is not closed.
    volume_mm3: Option<f64>,
    /// Under the highest surface.
    seen_from_above_mm3: f64,
    /// The widest spot that makes nearly all of it; `None` where it is finer than could be looked at.
    detail_mm: Option<f64>,
}

#[derive(Debug, Serialize)]
struct UnitsJson {
    source: String,
    mm_per_unit: f64,
}

#[derive(Debug, Serialize)]
struct LayerJson {
    colour: String,
    by: &'static str,
    shapes: usize,
    open: usize,
    closed: usize,
    lines: usize,
    length_mm: f64,
    area_mm2: f64,
    extents_mm: ExtentsJson,
    stroke_width_mm: Option<[f64; 2]>,
}

#[derive(Debug, Serialize)]
struct ImageJson {
    name: Option<String>,
    line: Option<u32>,
    size_mm: [f64; 2],
    pixels: [u32; 2],
    dpi: Option<f64>,
}

impl From<&Image> for ImageJson {
    fn from(image: &Image) -> Self {
        let (width, height) = image.size();
        Self {
            name: image.source.own_name().map(String::from),
            line: image.source.line,
            size_mm: [micron(width), micron(height)],
            pixels: [image.pixels.0, image.pixels.1],
            dpi: Some(micron(f64::from(image.pixels.0) / width * 25.4)).filter(|d| d.is_finite()),
        }
    }
}

/// One drawing, looked at.
pub struct Looked<'a> {
    artwork: &'a Artwork,
    /// The rectangle round everything drawn, mm.
    extents: Option<Rect>,
    layers: Vec<Layer>,
    doubts: Problems,
}

impl<'a> Looked<'a> {
    /// Of a drawing that was read.
    pub fn at(artwork: &'a Artwork) -> Self {
        let mut doubts = artwork.doubts();
        let (layers, trouble) = looked_at(artwork, TOLERANCE);
        doubts.extend(trouble);
        Self { artwork, extents: artwork.extents(), layers, doubts }
    }

    /// What is doubtful about it.
    pub fn doubts(&self) -> &Problems {
        &self.doubts
    }

    /// As JSON.
    pub fn json(&self) -> FileJson {
        let art = self.artwork;
        let extents = self.extents;
        FileJson {
            file: art.file.clone(),
            format: art.format.name(),
            size_mm: extents.map(|r| [micron(r.width()), micron(r.height())]),
            units: UnitsJson {
                source: art.units.source.clone(),
                mm_per_unit: art.units.mm_per_unit,
            },
            page_mm: art.page.map(|(w, h)| [micron(w), micron(h)]),
            extents_mm: extents.map(ExtentsJson::from),
            layers: self.layers.iter().map(layer_json).collect(),
            groups: art.groups().into_iter().map(str::to_string).collect(),
            images: art.images.iter().map(ImageJson::from).collect(),
            solid: art.solid.as_ref().map(|solid| SolidJson {
                size_mm: solid.size.map(micron),
                triangles: solid.triangles,
                leaks: solid.leaks,
                volume_mm3: solid.volume.map(micron),
                seen_from_above_mm3: micron(solid.seen),
                detail_mm: solid.detail.map(micron),
            }),
            problems: problems_json(&self.doubts),
        }
    }

    /// For people; `colours` shows each layer's colour as a swatch.
    pub fn text(&self, colours: bool, unit: LengthUnit) -> String {
        let art = self.artwork;
        let n = |v: f64| unit.number(v, 2);
        let symbol = unit.symbol();
        let mut out = String::new();
        if let Some(solid) = &art.solid {
            return solid_text(art, solid, unit);
        }
        match self.extents {
            Some(_) if art.format.is_bitmap() => return bitmap_text(art, unit),
            Some(r) => {
                let _ = writeln!(
                    out,
                    "{}: {}, {} x {} {symbol}",
                    art.file,
                    art.format.name(),
                    n(r.width()),
                    n(r.height())
                );
            }
            None => {
                let _ = writeln!(out, "{}: {}, nothing drawn", art.file, art.format.name());
            }
        }
        let page =
            art.page.map_or("none".to_string(), |(w, h)| format!("{} x {} {symbol}", n(w), n(h)));
        let _ = writeln!(out, "  page     {page}");
        let units = &art.units;
        let _ = writeln!(
            out,
            "  units    {}: 1 unit is {}",
            units.source,
            unit.length(units.mm_per_unit, 6)
        );
        if let Some(r) = self.extents {
            let _ = writeln!(
                out,
                "  drawing  X {} to {}, Y {} to {} {symbol} from the lower left corner",
                n(r.x0),
                n(r.x1),
                n(r.y0),
                n(r.y1)
            );
        }
        let groups: Vec<String> = art.groups().iter().map(|name| format!("\"{name}\"")).collect();
        if !groups.is_empty() {
            let _ = writeln!(out, "  groups   {}", few(&groups, 8));
        }
        out.push('\n');
        let measured = ["length", "inside", "size", "stroke"]
            .map(|what| format!("{what} {symbol}{}", if what == "inside" { "²" } else { "" }));
        let header = [
            "",
            "colour",
            "by",
            "shapes",
            "open",
            "closed",
            "lines",
            &measured[0],
            &measured[1],
            &measured[2],
            &measured[3],
        ];
        let rows: Vec<_> = self.layers.iter().map(|layer| row(layer, colours, unit)).collect();
        if !rows.is_empty() {
            out.push_str(&table(&header, rows, &[3, 4, 5, 6, 7, 8, 9]));
        }
        for (drawn, image) in art.images.iter().map(|image| (image, ImageJson::from(image))) {
            let dpi = image.dpi.map_or(String::new(), |dpi| format!(" at {} dpi", plain(dpi, 1)));
            let _ = write!(
                out,
                "\n  bitmap {}: {} x {} {symbol}, {} x {} pixels{dpi}",
                drawn.source.label(),
                n(image.size_mm[0]),
                n(image.size_mm[1]),
                image.pixels[0],
                image.pixels[1]
            );
        }
        out
    }
}

/// The measures of a file that is one bitmap.
fn bitmap_text(art: &Artwork, unit: LengthUnit) -> String {
    let mut out = String::new();
    for image in &art.images {
        let (width, height) = image.size();
        let (width, height) = (unit.number(width, 2), unit.length(height, 2));
        let _ = writeln!(out, "{}: {}, {width} x {height}", art.file, art.format.name());
        let _ = writeln!(out, "  pixels   {} x {}", image.pixels.0, image.pixels.1);
        let _ = writeln!(out, "  units    {}", art.units.source);
    }
    out
}

/// A solid model's measures.
fn solid_text(art: &Artwork, solid: &Solid, unit: LengthUnit) -> String {
    let [x, y, z] = solid.size.map(|side| unit.number(side, 2));
    let symbol = unit.symbol();
    let cubic = |mm3: f64| plain(unit.of(mm3, 3), unit.decimals(1));
    let closed = match solid.leaks {
        0 => "closed".to_string(),
        leaks => format!("leaking at {leaks} edges"),
    };
    let volume = match solid.volume {
        Some(volume) => format!("{} {symbol}³, ", cubic(volume)),
        None => String::new(),
    };
    let detail = match solid.detail {
        Some(mm) => format!("a spot up to {} wide makes nearly all of it", unit.length(mm, 2)),
        None => format!("finer than {}", unit.length(2.0 * solid.looked_at, 2)),
    };
    format!(
        "{}: {}, a solid of {x} x {y} x {z} {symbol}\n  units    {}\n  surface  {} triangles, {closed}\n  volume   {volume}{} {symbol}³ under what is seen from above\n  detail   {detail}\n",
        art.file,
        art.format.name(),
        art.units.source,
        solid.triangles,
        cubic(solid.seen)
    )
}

fn layer_json(layer: &Layer) -> LayerJson {
    LayerJson {
        colour: layer.colour.to_string(),
        by: layer.by.name(),
        shapes: layer.shapes,
        open: layer.open,
        closed: layer.closed,
        lines: layer.contours,
        length_mm: micron(layer.length),
        area_mm2: micron(layer.area),
        extents_mm: layer.extents.into(),
        stroke_width_mm: layer.stroke_width.map(|(a, b)| [micron(a), micron(b)]),
    }
}

fn row(layer: &Layer, colours: bool, unit: LengthUnit) -> Vec<String> {
    let width = layer.stroke_width.map_or(String::new(), |(least, most)| {
        if most - least < 5e-4 {
            unit.number(least, 3)
        } else {
            format!("{} to {}", unit.number(least, 3), unit.number(most, 3))
        }
    });
    vec![
        if colours { chip(layer.colour) } else { String::new() },
        layer.colour.to_string(),
        layer.by.name().into(),
        layer.shapes.to_string(),
        layer.open.to_string(),
        layer.closed.to_string(),
        layer.contours.to_string(),
        format!("{:.1$}", unit.of(layer.length, 1), unit.decimals(1)),
        format!("{:.1$}", unit.of(layer.area, 2), unit.decimals(1)),
        format!(
            "{} x {}",
            unit.number(layer.extents.width(), 1),
            unit.number(layer.extents.height(), 1)
        ),
        width,
    ]
}

/// A patch of the colour, by the terminal's 24-bit background.
pub(crate) fn chip(colour: Colour) -> String {
    let [r, g, b] = colour.rgb;
    format!("\u{1b}[48;2;{r};{g};{b}m    \u{1b}[0m")
}
