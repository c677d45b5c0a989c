//! Work of every kind for the toolpath stage: parts to cut, a jagged star to engrave, a picture.

use super::Random;
use std::fmt::Write as _;

/// A square sheet of `side` × `side` parts, 6 mm from one to the next: circles, rounded squares and
/// decagons by turns.
#[must_use]
pub fn parts(side: usize) -> String {
    let size = side * 6 + 10;
    let mut out = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="{size}mm" height="{size}mm" viewBox="0 0 {size} {size}" fill="none" stroke="red">"#
    );
    for n in 0..side * side {
        let (x, y) = ((8 + n % side * 6) as f64, (8 + n / side * 6) as f64);
        let _ = match (n % side + n / side) % 3 {
            0 => writeln!(out, r#"<circle cx="{x}" cy="{y}" r="1.7"/>"#),
            1 => writeln!(
                out,
                r#"<rect x="{}" y="{}" width="3.4" height="3.4" rx="0.4"/>"#,
                x - 1.7,
                y - 1.7
            ),
            _ => {
                let corner = |n: i32| {
                    let angle = f64::from(n) / 10.0 * std::f64::consts::TAU;
                    format!("{:.4},{:.4}", x + 1.7 * angle.cos(), y + 1.7 * angle.sin())
                };
                let points: Vec<String> = (0..10).map(corner).collect();
                writeln!(out, r#"<polygon points="{}"/>"#, points.join(" "))
            }
        };
    }
    out + "</svg>"
}

/// A job that cuts [`parts`] with kerf, leads, overlap and bridges.
#[must_use]
pub fn parts_job() -> String {
    job(
        "parts.svg",
        "take = { stroke = \"red\" }\nmake = \"cut\"\nspeed = \"20 mm/s\"\nkerf = \"0.15 mm\"\nlead-in = \"0.8 mm\"\noverlap = \"0.3 mm\"\nbridges = { count = 2, width = \"0.4 mm\" }\n",
    )
}

/// A black star of `edges` edges in a border of 200 × 200 mm.
#[must_use]
pub fn star(edges: u32) -> String {
    let mut random = Random(0x0dd0_5eed_1234_4321);
    let mut points = String::new();
    for n in 0..edges {
        let angle = f64::from(n) / f64::from(edges) * std::f64::consts::TAU;
        let r =
            70.0 + 18.0 * (9.0 * angle).sin() + 6.0 * (57.0 * angle).sin() + 2.0 * random.unit();
        let _ = write!(points, "{:.4},{:.4} ", 100.0 + r * angle.cos(), 100.0 + r * angle.sin());
    }
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="200mm" viewBox="0 0 200 200" fill="none"><polygon points="{points}" fill="black"/><rect id="border" width="200" height="200" stroke="red"/></svg>"#
    )
}

/// Jobs that engrave [`star`]: with rings, and outside it with shoulders, lines 0.1 mm apart.
#[must_use]
pub fn star_jobs() -> [(&'static str, String); 2] {
    let take = "take = { fill = \"black\" }\nmake = \"engrave\"\nspeed = \"60 mm/s\"\n";
    let rings = format!("{take}rings = {{ spacing = \"0.1 mm\" }}\n");
    let shoulder = format!(
        "{take}area = \"outside\"\nboundary = {{ id = \"border\" }}\nshoulder = {{ over = \"0.8 mm\", from = \"15 %\" }}\nlines = {{ spacing = \"0.1 mm\" }}\n"
    );
    [
        ("rings.kite.toml", job("star.svg", &rings)),
        ("shoulder.kite.toml", job("star.svg", &shoulder)),
    ]
}

/// A picture of waves in noisy greys as BMP, 254 dpi.
#[must_use]
pub fn picture(width: u32, height: u32) -> Vec<u8> {
    let mut random = Random(0x00c0_ffee_0000_1234);
    let stride = (width * 3).div_ceil(4) * 4;
    let mut out = Vec::with_capacity(54 + (stride * height) as usize);
    out.extend(b"BM");
    for value in [54 + stride * height, 0, 54, 40, width, height] {
        out.extend(value.to_le_bytes());
    }
    out.extend([1, 0, 24, 0]);
    for value in [0, stride * height, 10_000, 10_000, 0, 0] {
        out.extend(value.to_le_bytes());
    }
    for y in 0..height {
        let row = out.len();
        for x in 0..width {
            let (x, y) = (f64::from(x), f64::from(y));
            let wave = 60.0 * (x / 97.0 + y / 131.0).sin() + 50.0 * (x / 17.0 - y / 41.0).sin();
            out.extend([(128.0 + wave + 12.0 * random.unit()) as u8; 3]);
        }
        out.resize(row + stride as usize, 0);
    }
    out
}

/// A job that engraves [`picture`] pixel by pixel, in greys.
#[must_use]
pub fn picture_job() -> String {
    job(
        "picture.bmp",
        "take = { kind = \"bitmap\" }\nmake = \"engrave\"\nspeed = \"60 mm/s\"\nimage = { spacing = \"0.1 mm\" }\n",
    )
}

fn job(file: &str, step: &str) -> String {
    format!(
        "tinkite = 1\nname = \"work\"\nmachine = \"hall\"\n[[artwork]]\nfile = \"{file}\"\n[place]\nat = [\"100 mm\", \"100 mm\"]\n[[step]]\nname = \"work\"\npower = \"50 %\"\n{step}"
    )
}
