//! Scan lines: where parallel lines run inside areas.

use super::region::FillRule;
use kurbo::Point;
use rayon::prelude::*;

/// One area: closed rings under a fill rule, in a frame whose first axis runs along the lines.
#[derive(Debug, Clone)]
pub struct Area {
    /// Rings; a ring does not repeat its start.
    pub rings: Vec<Vec<Point>>,
    /// What the rings enclose.
    pub rule: FillRule,
}

/// A stretch of one row that lies inside.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Span {
    /// Which row, counted from the first.
    pub row: u32,
    /// Where it begins along the row, in mm.
    pub from: f64,
    /// Where it ends along the row, in mm; above `from`.
    pub to: f64,
    /// How strong it is burnt, for whoever knows what levels mean; 1 where there is only one.
    pub level: u8,
}

/// Stretches shorter than this (mm) would vanish when a program's numbers are rounded to
/// micrometres; no beam is that fine.
const DUST: f64 = 2e-3;

/// Stretches with a gap below this (mm) are one.
const TOUCHING: f64 = 1e-3;

/// The stretches of `rows` lines at `first`, `first + spacing`, … that lie inside any of `areas`,
/// sorted by row and place; where areas overlap the stretch is there once.
#[must_use]
pub fn scan(areas: &[Area], first: f64, spacing: f64, rows: u32) -> Vec<Span> {
    let mut spans: Vec<Span> =
        areas.par_iter().flat_map_iter(|area| scan_one(area, first, spacing, rows)).collect();
    spans.par_sort_by(|a, b| {
        a.row.cmp(&b.row).then(a.from.total_cmp(&b.from)).then(a.to.total_cmp(&b.to))
    });
    merge(spans)
}

fn scan_one(area: &Area, first: f64, spacing: f64, rows: u32) -> Vec<Span> {
    let mut crossings: Vec<(u32, f64, i32)> = Vec::new();
    for ring in &area.rings {
        for (n, a) in ring.iter().enumerate() {
            let b = &ring[(n + 1) % ring.len()];
            let (low, high, direction) = if a.y <= b.y { (a, b, 1) } else { (b, a, -1) };
            // A row at y crosses when low.y <= y < high.y: every row crosses a closed ring evenly.
            let begin = row_at_or_above(low.y, first, spacing);
            let end = row_at_or_above(high.y, first, spacing).min(rows);
            let slope = (high.x - low.x) / (high.y - low.y);
            for row in begin..end {
                let y = first + f64::from(row) * spacing;
                crossings.push((row, low.x + (y - low.y) * slope, direction));
            }
        }
    }
    crossings.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let mut spans = Vec::with_capacity(crossings.len() / 2);
    let mut winding = 0;
    for pair in crossings.windows(2) {
        let ((row, from, direction), (next_row, to, _)) = (pair[0], pair[1]);
        winding += direction;
        let inside = match area.rule {
            FillRule::NonZero => winding != 0,
            FillRule::EvenOdd => winding % 2 != 0,
        };
        if row != next_row {
            winding = 0;
        } else if inside && to - from > DUST {
            spans.push(Span { row, from, to, level: 1 });
        }
    }
    spans
}

/// The first row whose height is at least `y`.
fn row_at_or_above(y: f64, first: f64, spacing: f64) -> u32 {
    ((y - first) / spacing).ceil().clamp(0.0, f64::from(u32::MAX)) as u32
}

fn merge(spans: Vec<Span>) -> Vec<Span> {
    let mut out: Vec<Span> = Vec::with_capacity(spans.len());
    for span in spans {
        match out.last_mut() {
            Some(last) if last.row == span.row && span.from <= last.to + TOUCHING => {
                last.to = last.to.max(span.to);
            }
            _ => out.push(span),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn square(x: f64, y: f64, side: f64) -> Vec<Point> {
        [(0., 0.), (side, 0.), (side, side), (0., side)]
            .map(|(dx, dy)| Point::new(x + dx, y + dy))
            .to_vec()
    }

    #[test]
    fn holes_stay_empty_and_overlaps_are_walked_once() {
        let framed =
            Area { rings: vec![square(0., 0., 10.), square(2., 2., 6.)], rule: FillRule::EvenOdd };
        let spans = scan(std::slice::from_ref(&framed), 5.0, 1.0, 1);
        assert_eq!(
            spans,
            [
                Span { row: 0, from: 0.0, to: 2.0, level: 1 },
                Span { row: 0, from: 8.0, to: 10.0, level: 1 },
            ]
        );
        let solid = Area { rule: FillRule::NonZero, ..framed };
        let beside = Area { rings: vec![square(5., 0., 10.)], rule: FillRule::NonZero };
        assert_eq!(
            scan(&[solid, beside], 5.0, 1.0, 1),
            [Span { row: 0, from: 0.0, to: 15.0, level: 1 }]
        );
    }

    proptest! {
        #[test]
        fn length_times_spacing_is_the_area(
            radii in proptest::collection::vec(4.0..20.0f64, 5..40),
            angle in 0.0..6.3f64,
        ) {
            let n = radii.len() as f64;
            let ring: Vec<Point> = radii.iter().enumerate().map(|(k, r)| {
                Point::ZERO + kurbo::Vec2::from_angle(angle + k as f64 / n * std::f64::consts::TAU) * *r
            }).collect();
            let area = crate::geometry::region::signed_area(ring.iter().copied()).abs();
            let spacing = 0.02;
            let spans = scan(
                &[Area { rings: vec![ring], rule: FillRule::EvenOdd }], -20.0 + spacing / 2.0, spacing, 2000);
            let length: f64 = spans.iter().map(|s| s.to - s.from).sum();
            prop_assert!((length * spacing / area - 1.0).abs() < 0.01);
        }
    }
}
