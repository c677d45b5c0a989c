//! Solid models: recognised and measured.

use rayon::prelude::*;
use std::borrow::Cow;
use std::io::Cursor;
use std::sync::Arc;
use tinkite_artwork::relief::{Field, finest, seen_from_above};
use tinkite_artwork::{
    Artwork, Bitmap, Depth, Format, Image, Mesh, Solid, Source, Units, is_binary_stl,
};
use tinkite_base::geometry::{Affine, Rect};
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_base::quantity::plain;

/// A spot that loses so much of what stands is too wide for a solid's detail.
const DETAIL: f64 = 0.01;

/// More than the volume by this share of it is no rounding of the raster: it lies under overhangs.
const HIDDEN: f64 = 0.02;

/// Reads an STL model, text or binary; its numbers are taken for mm.
///
/// # Errors
/// Broken files, and models without triangles.
pub(super) fn read(name: &str, bytes: &[u8]) -> Result<Artwork, Problems> {
    let refuse = |code, message: String, help: &str| {
        Problems::from(Problem::error(code, message, help).at(Location::file(name)))
    };
    let again = "save it again from the modelling program";
    let broken = |error: std::io::Error| {
        refuse(Code::BrokenSolid, format!("the STL model cannot be read: {error}"), again)
    };
    let bytes = plainly(bytes);
    let mut cursor = Cursor::new(&bytes);
    let reader = stl_io::create_stl_reader(&mut cursor).map_err(broken)?;
    let mut bounds: Option<([f32; 3], [f32; 3])> = None;
    let mut triangles: Vec<[[f32; 3]; 3]> = Vec::new();
    for triangle in reader {
        let corners = triangle.map_err(broken)?.vertices.map(|v| v.0);
        if corners.iter().flatten().any(|c| !c.is_finite()) {
            let message =
                format!("triangle {} has a corner that is no number", triangles.len() + 1);
            return Err(refuse(Code::BrokenSolid, message, again));
        }
        for corner in corners {
            let (low, high) = bounds.get_or_insert((corner, corner));
            for n in 0..3 {
                low[n] = low[n].min(corner[n]);
                high[n] = high[n].max(corner[n]);
            }
        }
        triangles.push(corners);
    }
    let Some((low, high)) = bounds else {
        return Err(refuse(Code::Nothing, "the model has no triangles".into(), again));
    };
    let size = [0, 1, 2].map(|n| f64::from(high[n]) - f64::from(low[n]));
    let Edges { leaks, turned } = Edges::of(&triangles);
    let count = triangles.len();
    let mut problems = Problems::new();
    if leaks > 0 {
        problems.push(
            Problem::warning(
                Code::LeakingSolid,
                format!("the solid is not closed: {leaks} edges do not join exactly two triangles"),
                "let the modelling program repair the solid",
            )
            .at(Location::file(name)),
        );
    }
    // Six times the volume between the origin and each triangle (divergence theorem), with its sign.
    let six: f64 = triangles.iter().map(|t| spat(t, low)).sum();
    let volume = (leaks == 0).then_some((six / 6.0).abs());
    let Pictured { image, seen, detail, cell } = picture(triangles, low, size);
    if let Some(volume) = volume.filter(|volume| seen > volume * (1.0 + HIDDEN)) {
        let message = format!(
            "{} mm3 of air lie under overhangs of the solid, of {} mm3 that it fills: from above nobody sees them, and a relief does not cut them",
            plain(seen - volume, 1),
            plain(volume, 1)
        );
        let help = "lay the solid so that what matters is seen from above";
        problems.push(Problem::note(Code::Undercut, message, help).at(Location::file(name)));
    }
    if leaks == 0 && turned > 0 {
        let message = format!("triangles at {turned} edges of the solid face the other way");
        let help = "a relief is read from above all the same; the volume is not to be trusted";
        problems.push(Problem::note(Code::TurnedFaces, message, help).at(Location::file(name)));
    }
    Ok(Artwork {
        page: Some((size[0], size[1])),
        images: image.into_iter().collect(),
        units: Units {
            source: "STL has no units; assuming 1 unit = 1 mm".into(),
            mm_per_unit: 1.0,
            doubtful: true,
        },
        solid: Some(Solid { triangles: count, size, leaks, volume, seen, detail, looked_at: cell }),
        problems,
        ..Artwork::empty(name, Format::Stl)
    })
}

/// Pixels along the longer side of the picture that is shown of a solid.
const SHOWN: f64 = 480.0;

/// What is seen of a solid from above.
#[derive(Default)]
struct Pictured {
    /// The higher, the lighter; `None` where it has no extent.
    image: Option<Image>,
    /// What lies under it, mm³.
    seen: f64,
    /// How wide a spot may be that makes it, mm.
    detail: Option<f64>,
    /// How large its pixels are, mm.
    cell: f64,
}

/// Draws a solid as it is seen from above.
fn picture(mut triangles: Vec<[[f32; 3]; 3]>, low: [f32; 3], size: [f64; 3]) -> Pictured {
    let [width, depth, height] = size;
    if width <= 0.0 || depth <= 0.0 {
        return Pictured::default();
    }
    let cell = width.max(depth) / SHOWN;
    let on_plane =
        |t: &[[f32; 3]; 3]| t.map(|c| [0, 1, 2].map(|n| f64::from(c[n]) - f64::from(low[n])));
    let field = Field::over(Rect::new(0.0, 0.0, width, depth), cell);
    let seen = seen_from_above(&field, &triangles.iter().map(on_plane).collect::<Vec<_>>());
    let above: f64 = seen.height.iter().map(|z| f64::from(z.max(0.0))).sum();
    let above = above * field.cell * field.cell;
    let stands: Vec<f32> = seen.height.iter().map(|z| z.max(0.0)).collect();
    let detail = finest(&stands, field.columns, DETAIL).map(|cells| cells as f64 * field.cell);
    let light = |z: f32| match z {
        // Where nothing stands there is paper.
        z if z < 0.0 => 255,
        z if height > 0.0 => (30.0 + 210.0 * f64::from(z) / height).round() as u8,
        _ => 128,
    };
    let rows = seen.height.chunks(field.columns).rev();
    let grey = rows.flatten().map(|z| light(*z)).collect();
    for corner in triangles.iter_mut().flatten() {
        let [x, y, z] = [0, 1, 2].map(|n| f64::from(corner[n]) - f64::from(low[n]));
        *corner = [(x / width) as f32, (1.0 - y / depth) as f32, z as f32];
    }
    let pixels = (field.columns as u32, field.rows as u32);
    let scale = (width / f64::from(pixels.0), depth / f64::from(pixels.1));
    let image = Image {
        source: Source::default(),
        to_mm: Affine::new([scale.0, 0.0, 0.0, -scale.1, 0.0, depth]),
        pixels,
        bitmap: Some(Arc::new(Bitmap { width: pixels.0, height: pixels.1, grey })),
        depth: Some(Arc::new(Depth::Solid(Mesh { triangles, height }))),
        rendered: false,
        painted: 0,
        hides: Vec::new(),
    };
    Pictured { image: Some(image), seen: above, detail, cell: field.cell }
}

/// The scalar triple product of a triangle's corners, from the lowest corner of all, mm³.
fn spat(triangle: &[[f32; 3]; 3], low: [f32; 3]) -> f64 {
    let [a, b, c] = triangle.map(|p| [0, 1, 2].map(|n| f64::from(p[n]) - f64::from(low[n])));
    a[0] * (b[1] * c[2] - b[2] * c[1])
        + a[1] * (b[2] * c[0] - b[0] * c[2])
        + a[2] * (b[0] * c[1] - b[1] * c[0])
}

/// A model as the library takes it. Many programs begin the head of a binary model with the word that a
/// text begins with, and write texts in capitals or with tabs.
fn plainly(bytes: &[u8]) -> Cow<'_, [u8]> {
    if is_binary_stl(bytes) {
        if !bytes.starts_with(b"solid") {
            return Cow::Borrowed(bytes);
        }
        let mut own = bytes.to_vec();
        own[..5].fill(b' ');
        return Cow::Owned(own);
    }
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(bytes).trim_ascii_start();
    Cow::Owned(
        bytes
            .iter()
            .map(|byte| if *byte == b'\t' { b' ' } else { byte.to_ascii_lowercase() })
            .collect(),
    )
}

/// A corner by its exact bits, so that equal corners are one.
type Corner = [u32; 3];

/// Where a surface does not close.
struct Edges {
    /// Edges that do not join exactly two triangles.
    leaks: usize,
    /// Edges that two triangles walk in the same direction: one of them faces the other way.
    turned: usize,
}

impl Edges {
    /// Sorted, equal edges lie beside each other.
    fn of(triangles: &[[[f32; 3]; 3]]) -> Self {
        let of_one = |triangle: &[[f32; 3]; 3]| {
            // Adding zero makes one of the two zeros.
            let bits: [Corner; 3] = triangle.map(|c| c.map(|v| (v + 0.0).to_bits()));
            [0, 1, 2].map(|n| {
                let (a, b) = (bits[n], bits[(n + 1) % 3]);
                (a.min(b), a.max(b), a < b)
            })
        };
        let mut edges: Vec<(Corner, Corner, bool)> =
            triangles.par_iter().flat_map_iter(of_one).collect();
        edges.par_sort_unstable();
        let mut found = Self { leaks: 0, turned: 0 };
        for same in edges.chunk_by(|a, b| (a.0, a.1) == (b.0, b.1)) {
            let there = same.iter().filter(|edge| edge.2).count();
            found.leaks += usize::from(same.len() != 2);
            found.turned += usize::from(there > 1 || same.len() - there > 1);
        }
        found
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A tetrahedron as text, with its first `faces` faces.
    fn tetrahedron(faces: usize) -> String {
        let corners = ["0 0 0", "20 0 0", "0 10 0", "0 0 5"];
        let all = [[0, 2, 1], [0, 1, 3], [1, 2, 3], [2, 0, 3]];
        let mut text = String::from("solid medal\n");
        for face in &all[..faces] {
            text += "facet normal 0 0 0\nouter loop\n";
            for n in face {
                text += &format!("vertex {}\n", corners[*n]);
            }
            text += "endloop\nendfacet\n";
        }
        text + "endsolid medal\n"
    }

    #[test]
    fn size_triangles_and_leaks_are_told() {
        let solid = |faces| read("a.stl", tetrahedron(faces).as_bytes()).unwrap();
        let closed = solid(4);
        let solid_of = |art: Artwork| art.solid.unwrap();
        let form = solid_of(closed.clone());
        assert_eq!((form.triangles, form.size, form.leaks), (4, [20.0, 10.0, 5.0], 0));
        // A sixth of the box; all of it is seen from above.
        assert!((form.volume.unwrap() - 1000.0 / 6.0).abs() < 1e-3, "{form:?}");
        assert!((form.seen / (1000.0 / 6.0) - 1.0).abs() < 0.01, "{form:?}");
        assert!(closed.problems.is_empty());
        let leaking = solid(3);
        assert_eq!(leaking.solid.unwrap().leaks, 3);
        assert_eq!(leaking.problems.iter().next().unwrap().code.text(), "leaking-solid");
    }

    #[test]
    fn heads_capitals_and_tabs_of_other_programs_are_read() {
        let text = tetrahedron(4);
        let shouted = text.to_uppercase().replace('\n', "\r\n\t").replace("0 0 5", "0\t0\t5");
        let indented = format!("\n {text}");
        // The same in binary, behind a head that begins like a text.
        let corner = |line: &str| -> Vec<u8> {
            let numbers = line.split_whitespace().skip(1).map(|n| n.parse::<f32>().unwrap());
            numbers.flat_map(f32::to_le_bytes).collect()
        };
        let corners: Vec<Vec<u8>> =
            text.lines().filter(|line| line.starts_with("vertex")).map(corner).collect();
        let mut binary = b"solid medal, from some program".to_vec();
        binary.resize(80, b' ');
        binary.extend(4_u32.to_le_bytes());
        for face in corners.chunks(3) {
            binary.extend([0; 12]);
            binary.extend(face.concat());
            binary.extend([0; 2]);
        }
        for bytes in [shouted.as_bytes(), indented.as_bytes(), &binary] {
            let read = crate::read("a.stl", bytes, &Default::default()).unwrap();
            let solid = read.solid.unwrap();
            assert_eq!((solid.triangles, solid.size, solid.leaks), (4, [20.0, 10.0, 5.0], 0));
        }
    }
}
