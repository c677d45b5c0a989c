//! The same confetti in other formats.

use crate::Random;
use std::fmt::Write as _;

/// Ten corners of one polygon, mm.
type Ring = [(f64, f64); 10];

fn rings(paths: usize) -> impl Iterator<Item = Ring> {
    let side = (paths as f64).sqrt() * 4.0 + 10.0;
    let mut random = Random(0x1234_5678_9abc_def1);
    (0..paths).map(move |_| {
        let (x, y) = (5.0 + random.unit() * (side - 10.0), 5.0 + random.unit() * (side - 10.0));
        std::array::from_fn(|n| {
            let angle = n as f64 / 10.0 * std::f64::consts::TAU;
            let r = 0.8 + random.unit() * 0.8;
            (x + r * angle.cos(), y + r * angle.sin())
        })
    })
}

/// As DXF, in mm; `loose` draws ten lines for each polygon, which the importer has to join.
#[must_use]
pub fn confetti_dxf(paths: usize, loose: bool) -> String {
    let mut out = String::with_capacity(paths * 400);
    out.push_str(
        "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n",
    );
    for ring in rings(paths) {
        if loose {
            for n in 0..10 {
                let ((x, y), (u, v)) = (ring[n], ring[(n + 1) % 10]);
                let _ = write!(
                    out,
                    "0\nLINE\n8\nCUT\n62\n1\n10\n{x:.3}\n20\n{y:.3}\n11\n{u:.3}\n21\n{v:.3}\n"
                );
            }
        } else {
            out.push_str("0\nLWPOLYLINE\n8\nCUT\n62\n1\n90\n10\n70\n1\n");
            for (x, y) in ring {
                let _ = write!(out, "10\n{x:.3}\n20\n{y:.3}\n");
            }
        }
    }
    out.push_str("0\nENDSEC\n0\nEOF\n");
    out
}

/// As PDF, without compression or a cross-reference table.
#[must_use]
pub fn confetti_pdf(paths: usize) -> String {
    let points = 72.0 / 25.4;
    let side = ((paths as f64).sqrt() * 4.0 + 10.0) * points;
    let mut content = String::from("1 0 0 RG 0.3 w\n");
    for ring in rings(paths) {
        for (n, (x, y)) in ring.into_iter().enumerate() {
            let word = if n == 0 { 'm' } else { 'l' };
            let _ = write!(content, "{:.3} {:.3} {word} ", x * points, y * points);
        }
        content.push_str("s\n");
    }
    format!(
        "%PDF-1.7\n1 0 obj\n<</Type/Catalog/Pages 2 0 R>>\nendobj\n2 0 obj\n<</Type/Pages/Kids[3 0 R]/Count 1>>\nendobj\n\
         3 0 obj\n<</Type/Page/Parent 2 0 R/MediaBox[0 0 {side:.3} {side:.3}]/Contents 4 0 R>>\nendobj\n\
         4 0 obj\n<</Length {}>>\nstream\n{content}\nendstream\nendobj\ntrailer\n<</Root 1 0 R>>\n%%EOF\n",
        content.len()
    )
}
