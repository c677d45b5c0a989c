//! Reads files as artwork: SVG, DXF, PDF, bitmaps and solid models.
//!
//! [`read`] tells the kind of a file by its content. Each kind has a room of its own, which returns an
//! [`Artwork`]: shapes in mm, y up, each with its place in the file. What cannot be read is listed in
//! [`Artwork::unread`]. Parsers of libraries run inside [`shield`](tinkite_base::shield), where a panic on a
//! damaged file becomes a problem. Nothing here opens a file: bytes come in, and fonts through a [`FontSupply`].

mod bitmap;
mod chains;
mod dxf;
mod encoding;
mod fonts;
mod naming;
mod opacity;
mod pdf;
mod rendered;
mod resolved;
mod solid;
mod strokes;
mod svg;

pub use bitmap::{bitmap_size, without_texts};
pub use fonts::{FontSupply, Letters, NoFonts};
pub use rendered::Render;

use kurbo::Shape as _;
use rayon::prelude::*;
use std::io::Read;
use tinkite_artwork::trouble::PAGE_SLACK;
use tinkite_artwork::{Artwork, Format, Shape};
use tinkite_base::geometry::Rect;
use tinkite_base::problem::{Code, Location, Problem, Problems};

/// How a file is read, beyond what stands in it.
#[derive(Clone, Copy)]
pub struct Reading<'a> {
    /// Which page of a file with several, from 1.
    pub page: u32,
    /// Whether a dashed line is its dashes; otherwise it is the whole line.
    pub dashes: bool,
    /// What is drawn into a bitmap, as the page shows it.
    pub render: Option<Render<'a>>,
    /// Fonts for live text.
    pub fonts: &'a dyn FontSupply,
}

impl Default for Reading<'_> {
    fn default() -> Self {
        Self { page: 1, dashes: false, render: None, fonts: &NoFonts }
    }
}

/// Larger files (bytes) are refused: nobody draws a quarter of a gigabyte on purpose.
pub const LARGEST_FILE: u64 = 256 << 20;

/// Coordinates beyond this (mm) are a mistake of units or a broken file.
const LARGEST_COORDINATE: f64 = 1e6;

/// Reads artwork from the bytes of the file called `name`; its content says what kind it is.
///
/// # Errors
/// Files that are empty, too large, of a kind that is not read, or broken.
pub fn read(name: &str, bytes: &[u8], how: &Reading<'_>) -> Result<Artwork, Problems> {
    let refuse = |code, message: &str, help: &str| {
        Err(Problems::from(Problem::error(code, message, help).at(Location::file(name))))
    };
    if bytes.is_empty() {
        return refuse(Code::EmptyFile, "the file is empty", "save the drawing again");
    }
    if bytes.len() as u64 > LARGEST_FILE {
        return refuse(
            Code::HugeFile,
            &format!("the file has more than the {} MB that are read", LARGEST_FILE >> 20),
            "simplify the drawing, or split it into several files",
        );
    }
    let unpacked = match unpack(bytes) {
        Ok(unpacked) => unpacked,
        Err(what) => return refuse(Code::Format, what, "export the drawing as plain SVG"),
    };
    let bytes = unpacked.as_deref().unwrap_or(bytes);
    let Some(format) = Format::of(bytes) else {
        if let Some((what, help)) = Format::unread(bytes) {
            return refuse(Code::Format, &format!("this is {what}, which is not read"), help);
        }
        let what = "unsupported file type; these are read: SVG, DXF, PDF, PNG, JPEG, BMP, GIF, TIFF, WebP, STL, OBJ";
        return refuse(Code::Format, what, "export the drawing as plain SVG");
    };
    let mut artwork = match format {
        Format::Svg => svg::read(name, bytes, how),
        Format::Dxf => dxf::read(name, bytes, how),
        Format::Pdf => pdf::read(name, bytes, how),
        Format::Stl | Format::Obj => solid::read(name, bytes, format),
        _ => bitmap::read(name, bytes, format),
    }?;
    if how.page != 1 && format != Format::Pdf {
        let message = format!("page {} of a {}, which has only one", how.page, format.name());
        return refuse(Code::NoPage, &message, "take page out; only a PDF has several");
    }
    if let Some(problem) = warn_of_name(name, format) {
        artwork.problems.push(problem);
    }
    mark_off_page(&mut artwork);
    naming::name_by_place(&mut artwork);
    check(artwork)
}

/// Marks the shapes that lie wholly beyond the page, unless nothing lies on it.
fn mark_off_page(artwork: &mut Artwork) {
    let Some((width, depth)) = artwork.page else { return };
    let page = Rect::new(0.0, 0.0, width, depth).inflate(PAGE_SLACK, PAGE_SLACK);
    let beyond = |shape: &Shape| {
        let bounds = shape.path.bounding_box();
        !bounds.is_finite() || !page.overlaps(bounds)
    };
    let off: Vec<bool> = artwork.shapes.par_iter().map(beyond).collect();
    if off.iter().all(|off| *off) {
        return;
    }
    for (shape, _) in artwork.shapes.iter_mut().zip(off).filter(|(_, off)| *off) {
        shape.source.off_page = true;
    }
}

/// What a compressed file (`.svgz`, RFC 1952) holds; `None` where it is not compressed.
fn unpack(bytes: &[u8]) -> Result<Option<Vec<u8>>, &'static str> {
    if !bytes.starts_with(b"\x1f\x8b") {
        return Ok(None);
    }
    let mut out = Vec::new();
    // A few bytes can unpack to any number of them.
    let read =
        flate2::read::MultiGzDecoder::new(bytes).take(LARGEST_FILE + 1).read_to_end(&mut out);
    match read {
        Err(_) => Err("this is a compressed file, and it is damaged"),
        Ok(_) if out.len() as u64 > LARGEST_FILE => {
            Err("this is a compressed file that holds more than is read")
        }
        Ok(_) => Ok(Some(out)),
    }
}

/// Says so when the name promises another kind of file.
fn warn_of_name(name: &str, format: Format) -> Option<Problem> {
    let ending = name.rsplit_once('.')?.1.to_ascii_lowercase();
    let promised = match ending.as_str() {
        "svg" | "svgz" => "SVG",
        "dxf" => "DXF",
        "pdf" => "PDF",
        "png" => "PNG",
        "jpg" | "jpeg" => "JPEG",
        "bmp" => "BMP",
        "gif" => "GIF",
        "tif" | "tiff" => "TIFF",
        "stl" => "STL",
        "obj" => "OBJ",
        "webp" => "WebP",
        _ => return None,
    };
    (promised != format.name()).then(|| {
        Problem::note(
            Code::Misnamed,
            format!("the name says {promised}, but this is {}, and is read as that", format.name()),
            "rename the file, so that other programs know it too",
        )
        .at(Location::file(name))
    })
}

/// Refuses what no machine could run: nothing drawn, and coordinates beyond any machine.
fn check(artwork: Artwork) -> Result<Artwork, Problems> {
    let mut problems = Problems::new();
    for shape in &artwork.shapes {
        let far = shape.path.elements().iter().filter_map(kurbo::PathEl::end_point).find(|p| {
            !p.is_finite() || p.x.abs() > LARGEST_COORDINATE || p.y.abs() > LARGEST_COORDINATE
        });
        if far.is_some() {
            problems.push(
                Problem::error(
                    Code::AbsurdSize,
                    format!(
                        "{} reaches further than {} m",
                        shape.source.label(),
                        LARGEST_COORDINATE / 1000.0
                    ),
                    "look for a stray point or a wrong unit, and mend it in the drawing program",
                )
                .at(shape.source.place(&artwork.file)),
            );
            // One is enough to refuse the file.
            break;
        }
    }
    problems.unless_refused(artwork)
}
