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

/// Reads a model of triangles; its numbers are taken for mm.
///
/// # Errors
/// Broken files, and models without triangles.
pub(super) fn read(name: &str, bytes: &[u8], format: Format) -> Result<Artwork, Problems> {
    let refuse = |code, message: String, help: &str| {
        Problems::from(Problem::error(code, message, help).at(Location::file(name)))
    };
    let again = "save it again from the modelling program";
    let broken = |error: String| {
        let message = format!("the {} model cannot be read: {error}", format.name());
        refuse(Code::BrokenSolid, message, again)
    };
    let mut bounds: Option<([f32; 3], [f32; 3])> = None;
    let mut triangles: Vec<[[f32; 3]; 3]> = Vec::new();
    let (all, told) = match format {
        Format::Obj => obj(bytes).map(|all| (all, Vec::new())),
        _ => stl(bytes),
    }
    .map_err(broken)?;
    for corners in all {
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
    for message in told {
        let help = "look at its size and its picture";
        problems.push(Problem::note(Code::NotRead, message, help).at(Location::file(name)));
    }
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
    let six: f64 = triangles.iter().map(|t| triple_product(t, low)).sum();
    let volume = (leaks == 0).then_some((six / 6.0).abs());
    if leaks == 0 && turned == 0 && six < 0.0 {
        let message = "all faces of the solid face inwards".to_string();
        let help = "its volume is what it encloses; a relief is read from above all the same";
        problems.push(Problem::note(Code::TurnedFaces, message, help).at(Location::file(name)));
    }
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
            source: format!("{} has no units; assuming 1 unit = 1 mm", format.name()),
            mm_per_unit: 1.0,
            doubtful: true,
        },
        solid: Some(Solid { triangles: count, size, leaks, volume, seen, detail, looked_at: cell }),
        problems,
        ..Artwork::empty(name, format)
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
fn triple_product(triangle: &[[f32; 3]; 3], low: [f32; 3]) -> f64 {
    let [a, b, c] = triangle.map(|p| [0, 1, 2].map(|n| f64::from(p[n]) - f64::from(low[n])));
    a[0] * (b[1] * c[2] - b[2] * c[1])
        + a[1] * (b[2] * c[0] - b[0] * c[2])
        + a[2] * (b[0] * c[1] - b[1] * c[0])
}

/// The triangles of a model, and what is told of it.
type Triangles = (Vec<[[f32; 3]; 3]>, Vec<String>);

/// Those of an STL model, text or binary.
fn stl(bytes: &[u8]) -> Result<Triangles, String> {
    let mut told = Vec::new();
    let bytes =
        if is_binary_stl(bytes) { Cow::Borrowed(bytes) } else { one_solid(bytes, &mut told) };
    let bytes = plainly(&bytes);
    let mut cursor = Cursor::new(&bytes);
    let reader = stl_io::create_stl_reader(&mut cursor).map_err(|error| error.to_string())?;
    let read = |triangle: std::io::Result<stl_io::Triangle>| {
        triangle.map(|t| t.vertices.map(|v| v.0)).map_err(|error| error.to_string())
    };
    let all: Vec<_> = reader.map(read).collect::<Result<_, _>>()?;
    if is_binary_stl(&bytes) {
        let behind = bytes.len() - 84 - 50 * all.len();
        if behind > 0 {
            told.push(format!("{behind} bytes stand behind the last triangle and are passed over"));
        }
    }
    Ok((all, told))
}

/// A text of several solids as one, which the library stops at; a missing end is added.
fn one_solid<'b>(bytes: &'b [u8], told: &mut Vec<String>) -> Cow<'b, [u8]> {
    let is = |line: &[u8], word: &[u8]| {
        let line = line.trim_ascii_start();
        line.get(..word.len()).is_some_and(|head| head.eq_ignore_ascii_case(word))
    };
    let lines: Vec<&[u8]> = bytes.split_inclusive(|b| *b == b'\n').collect();
    let bare = |line: &&[u8]| line.strip_prefix(b"\xef\xbb\xbf").unwrap_or(line).to_vec();
    let solids = lines.iter().map(bare).filter(|line| is(line, b"solid")).count();
    let ends = lines.iter().filter(|line| is(line, b"endsolid")).count();
    if solids > 1 {
        told.push(format!("{solids} solids are read as one"));
    }
    if ends == 0 {
        told.push("the text ends without endsolid: part of the solid may be missing".into());
    }
    if solids <= 1 && ends > 0 {
        return Cow::Borrowed(bytes);
    }
    let mut out = b"solid one\n".to_vec();
    let inner = lines.iter().filter(|line| !is(&bare(line), b"solid") && !is(line, b"endsolid"));
    inner.for_each(|line| out.extend_from_slice(line));
    out.extend_from_slice(b"\nendsolid one\n");
    Cow::Owned(out)
}

/// Those of an OBJ model; materials are nothing to burn.
fn obj(bytes: &[u8]) -> Result<Vec<[[f32; 3]; 3]>, String> {
    let options = tobj::LoadOptions { triangulate: true, ..tobj::LoadOptions::default() };
    let (models, _) = tobj::load_obj_buf(&mut Cursor::new(bytes), &options, |_| {
        Ok((Vec::new(), Default::default()))
    })
    .map_err(|error| error.to_string())?;
    let mut all = Vec::new();
    for mesh in models.iter().map(|model| &model.mesh) {
        let corner = |n: &u32| -> Option<[f32; 3]> {
            let at = 3 * usize::try_from(*n).ok()?;
            mesh.positions.get(at..at + 3)?.try_into().ok()
        };
        for three in mesh.indices.chunks_exact(3) {
            let [a, b, c] = [0, 1, 2].map(|n| corner(&three[n]));
            let (Some(a), Some(b), Some(c)) = (a, b, c) else {
                return Err("a face names a corner that is not there".into());
            };
            all.push([a, b, c]);
        }
    }
    Ok(all)
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
        let solid = |faces| read("a.stl", tetrahedron(faces).as_bytes(), Format::Stl).unwrap();
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

    #[test]
    fn several_solids_no_end_and_bytes_behind_the_end_are_read_and_told() {
        let one = tetrahedron(4);
        let moved = one.replace("vertex 0 ", "vertex 30 ").replace("vertex 20 ", "vertex 50 ");
        let told = |bytes: &[u8]| {
            let art = crate::read("a.stl", bytes, &Default::default()).unwrap();
            let told: Vec<String> = art.problems.iter().map(|p| p.message.clone()).collect();
            let solid = art.solid.unwrap();
            (solid.triangles, solid.size, solid.volume, told.join("; "))
        };
        let (triangles, size, volume, said) = told(format!("{one}{moved}").as_bytes());
        assert_eq!(
            (triangles, size, said.as_str()),
            (8, [50.0, 10.0, 5.0], "2 solids are read as one")
        );
        assert!((volume.unwrap() - 1000.0 / 3.0).abs() < 1e-3);
        let open = one.replace("endsolid medal\n", "");
        let (triangles, .., said) = told(open.as_bytes());
        assert_eq!(triangles, 4);
        assert!(said.contains("without endsolid"), "{said}");
        // Turned inside out: what it encloses stays the same.
        let turned: String = one
            .split("outer loop\n")
            .map(|face| {
                let mut lines: Vec<&str> = face.lines().collect();
                if lines.first().is_some_and(|line| line.starts_with("vertex")) {
                    lines.swap(0, 1);
                }
                lines.join("\n")
            })
            .collect::<Vec<_>>()
            .join("\nouter loop\n");
        let (_, _, volume, said) = told(turned.as_bytes());
        assert!((volume.unwrap() - 1000.0 / 6.0).abs() < 1e-3);
        assert_eq!(said, "all faces of the solid face inwards");
        // Binary, with something behind it.
        let corners: Vec<f32> = one
            .lines()
            .filter(|line| line.starts_with("vertex"))
            .flat_map(|line| {
                line.split_whitespace().skip(1).map(|n| n.parse().unwrap()).collect::<Vec<f32>>()
            })
            .collect();
        let mut binary = vec![b' '; 80];
        binary.extend(4_u32.to_le_bytes());
        for face in corners.chunks(9) {
            binary.extend([0; 12]);
            face.iter().for_each(|n| binary.extend(n.to_le_bytes()));
            binary.extend([0; 2]);
        }
        binary.extend(b"made by hand");
        let (triangles, .., said) = told(&binary);
        assert_eq!(triangles, 4);
        assert!(said.starts_with("12 bytes stand behind"), "{said}");
    }

    #[test]
    fn an_obj_is_read_as_the_same_solid() {
        // A box of 20 x 10 x 5 of six faces with four corners each.
        let obj = "# a box\nmtllib none.mtl\no box\nv 0 0 0\nv 20 0 0\nv 20 10 0\nv 0 10 0\nv 0 0 5\nv 20 0 5\nv 20 10 5\nv 0 10 5\nf 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 2 3 7 6\nf 3 4 8 7\nf 4 1 5 8\n";
        let art = crate::read("a.obj", obj.as_bytes(), &Default::default()).unwrap();
        let told: Vec<String> = art.problems.iter().map(|p| p.message.clone()).collect();
        let solid = art.solid.unwrap();
        assert_eq!(
            (solid.triangles, solid.size, solid.leaks),
            (12, [20.0, 10.0, 5.0], 0),
            "{told:?}"
        );
        assert!((solid.volume.unwrap() - 1000.0).abs() < 1e-3 && told.is_empty(), "{told:?}");
        for (broken, why) in
            [("v 0 0 0\nf 1 2 3\n", "OBJ"), ("v 0 0 0\nv 1 0 0\nv 0 1 0\n", "no triangles")]
        {
            let refused = crate::read("a.obj", broken.as_bytes(), &Default::default()).unwrap_err();
            let first = refused.iter().next().unwrap();
            assert!(first.message.contains(why), "{}", first.message);
        }
    }
}
