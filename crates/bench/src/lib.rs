//! Synthetic drawings for measuring: as many shapes as wanted, the same on every run.

mod formats;
pub mod packing;
pub mod storm;
mod work;

pub use formats::{confetti_dxf, confetti_pdf};
pub use work::{parts, parts_job, picture, picture_job, star, star_jobs};

use std::fmt::Write as _;

/// A drawing of `paths` closed red polygons of ten segments each, scattered over a sheet, with one
/// outline of the sheet round them. The numbers come from a fixed generator, so the drawing depends
/// on `paths` alone.
#[must_use]
pub fn confetti(paths: usize) -> String {
    // Side of the sheet, mm: the density stays the same however many there are.
    let side = (paths as f64).sqrt() * 4.0 + 10.0;
    let mut out = String::with_capacity(paths * 170);
    let _ = writeln!(
        out,
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="{side}mm" height="{side}mm" viewBox="0 0 {side} {side}" fill="none" stroke="red" stroke-width="0.1">"#
    );
    let mut random = Random(0x1234_5678_9abc_def1);
    for _ in 0..paths {
        let (x, y) = (5.0 + random.unit() * (side - 10.0), 5.0 + random.unit() * (side - 10.0));
        out.push_str("<path d=\"");
        for n in 0..10 {
            let angle = f64::from(n) / 10.0 * std::f64::consts::TAU;
            let r = 0.8 + random.unit() * 0.8;
            let letter = if n == 0 { 'M' } else { 'L' };
            let _ = write!(out, "{letter}{:.3} {:.3}", x + r * angle.cos(), y + r * angle.sin());
        }
        out.push_str("Z\"/>\n");
    }
    let _ = writeln!(out, r#"<rect x="1" y="1" width="{w}" height="{w}"/></svg>"#, w = side - 2.0);
    out
}

/// A job that cuts [`confetti`] on a machine whose bed holds it.
#[must_use]
pub fn confetti_job() -> &'static str {
    r#"tinkite = 1
name = "confetti"
machine = "hall"
[[artwork]]
file = "confetti.svg"
[[step]]
name = "cut"
take = { stroke = "red" }
make = "cut"
speed = "20 mm/s"
power = "60 %"
"#
}

/// A black square of 100 mm with a round hole.
#[must_use]
pub fn plate() -> &'static str {
    r#"<svg xmlns="http://www.w3.org/2000/svg" width="120mm" height="120mm" viewBox="0 0 120 120">
<path fill-rule="evenodd" d="M10 10H110V110H10Z M60 40A20 20 0 1 1 59.9 40Z"/></svg>"#
}

/// A job that engraves [`plate`] with lines `spacing` mm apart.
#[must_use]
pub fn plate_job(spacing: f64) -> String {
    format!(
        r#"tinkite = 1
name = "plate"
machine = "hall"
[[artwork]]
file = "plate.svg"
[[step]]
name = "fill"
take = {{ fill = "black" }}
make = "engrave"
speed = "200 mm/s"
power = "30 %"
lines = {{ spacing = "{spacing} mm", run-up = "2 mm" }}
"#
    )
}

/// A machine whose bed holds every drawing made here.
#[must_use]
pub fn hall() -> &'static str {
    r#"tinkite = 1
name = "Hall"
[bed]
width = "10 m"
depth = "10 m"
[axis.x]
top-speed = "300 mm/s"
acceleration = "2000 mm/s2"
[axis.y]
top-speed = "300 mm/s"
acceleration = "2000 mm/s2"
[beam]
follows-speed = true
"#
}

/// A small generator (xorshift64*; Vigna, "An experimental exploration of Marsaglia's xorshift
/// generators, scrambled", 2016): good enough to scatter shapes.
struct Random(u64);

impl Random {
    /// From 0 to below 1.
    fn unit(&mut self) -> f64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        let mixed = self.0.wrapping_mul(0x2545_f491_4f6c_dd1d);
        (mixed >> 11) as f64 / (1_u64 << 53) as f64
    }
}
