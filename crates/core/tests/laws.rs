//! Laws of reading and layout, on random input.

use proptest::prelude::*;
use std::fmt::Write as _;
use tinkite_core::artwork::{self, Artwork, layers::layers};
use tinkite_core::geometry::crossings::crossings;
use tinkite_core::geometry::region::{self, Combine, FillRule};
use tinkite_core::geometry::{Contour, Piece, Point, Rect, Vec2};

fn read(text: &str) -> Artwork {
    artwork::read("a", text.as_bytes(), &Default::default()).unwrap_or_else(|p| panic!("{p:?}"))
}

/// A star round a point: always closed and never crossing itself.
fn star(centre: Point, radii: &[f64]) -> Vec<Point> {
    let turn = std::f64::consts::TAU / radii.len() as f64;
    radii.iter().enumerate().map(|(n, r)| centre + Vec2::from_angle(turn * n as f64) * *r).collect()
}

fn area(rings: &[Vec<Point>]) -> f64 {
    rings.iter().map(|ring| region::signed_area(ring.iter().copied())).sum()
}

fn closed(points: &[Point]) -> Contour {
    let pieces = points[1..].iter().chain(&points[..1]).map(|p| Piece::Line { to: *p }).collect();
    Contour { start: points[0], pieces, closed: true }
}

/// Radii of a star.
fn radii() -> impl Strategy<Value = Vec<f64>> {
    proptest::collection::vec(3.0..20.0f64, 3..24)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(48))]

    /// What is cut away and what is left are the whole, in every combination.
    #[test]
    fn areas_add_up(a in radii(), b in radii(), x in -25.0..25.0f64, y in -25.0..25.0f64) {
        let a = region::unite(&[star(Point::ZERO, &a)], FillRule::NonZero);
        let b = region::unite(&[star(Point::new(x, y), &b)], FillRule::NonZero);
        let of = |how| area(&region::combined(&a, &b, how));
        let (whole_a, whole_b) = (area(&a), area(&b));
        let (both, union) = (of(Combine::Overlap), of(Combine::Union));
        prop_assert!((whole_a + whole_b - both - union).abs() < 0.01);
        prop_assert!((whole_a - both - of(Combine::Minus)).abs() < 0.01);
        prop_assert!((union - both - of(Combine::Apart)).abs() < 0.01);
    }

    /// Growing by a distance puts the new edge exactly that far away, and never nearer.
    #[test]
    fn a_grown_edge_lies_at_its_distance(a in radii(), by in 0.2..4.0f64) {
        let ring = star(Point::ZERO, &a);
        let area = region::unite(std::slice::from_ref(&ring), FillRule::NonZero);
        let edge = |p: Point| {
            let ends = ring.iter().zip(ring.iter().cycle().skip(1));
            ends.map(|(from, to)| {
                let along = *to - *from;
                let t = (p - *from).dot(along) / along.hypot2();
                p.distance(*from + along * t.clamp(0.0, 1.0))
            })
            .fold(f64::MAX, f64::min)
        };
        for p in region::grow(&area, by, 1e-3).iter().flatten() {
            prop_assert!((edge(*p) - by).abs() < 5e-3, "{} instead of {by}", edge(*p));
        }
    }

    /// A line clipped to an area and to its complement in a frame is the whole line.
    #[test]
    fn what_a_clip_keeps_and_cuts_is_the_whole_line(
        a in radii(),
        ends in proptest::collection::vec((-24.0..24.0f64, -24.0..24.0f64), 2..8),
    ) {
        let line: Vec<Point> = ends.into_iter().map(Point::from).collect();
        let inside = region::unite(&[star(Point::ZERO, &a)], FillRule::NonZero);
        let frame = Rect::new(-30.0, -30.0, 30.0, 30.0);
        let frame = vec![vec![
            Point::new(frame.x0, frame.y0),
            Point::new(frame.x1, frame.y0),
            Point::new(frame.x1, frame.y1),
            Point::new(frame.x0, frame.y1),
        ]];
        let outside = region::combined(&frame, &inside, Combine::Minus);
        let length = |line: &[Point]| line.windows(2).map(|w| w[0].distance(w[1])).sum::<f64>();
        let kept = |area: &[Vec<Point>]| -> f64 {
            region::clip_line(&line, area).iter().map(|part| length(part)).sum()
        };
        prop_assert!((kept(&inside) + kept(&outside) - length(&line)).abs() < 0.02);
    }

    /// Loose lines of a CAD drawing come back as the outlines they were taken from, in whatever
    /// order and direction they were stored.
    #[test]
    fn shuffled_lines_become_their_outlines_again(
        stars in proptest::collection::vec(radii(), 1..5),
        order in any::<u64>(),
    ) {
        let rings: Vec<Vec<Point>> = stars
            .iter()
            .enumerate()
            .map(|(n, radii)| star(Point::new(50.0 * n as f64, 0.0), radii))
            .collect();
        let mut lines: Vec<(Point, Point)> = rings
            .iter()
            .flat_map(|ring| ring.iter().copied().zip(ring.iter().copied().cycle().skip(1)))
            .collect();
        // A fixed shuffle and a fixed choice of directions, from the random number.
        let mut state = order | 1;
        for n in (1..lines.len()).rev() {
            state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1);
            lines.swap(n, (state >> 33) as usize % (n + 1));
        }
        let mut text = String::from("0\nSECTION\n2\nENTITIES\n");
        for (n, (a, b)) in lines.iter().enumerate() {
            let (a, b) = if order >> (n % 64) & 1 == 1 { (a, b) } else { (b, a) };
            let _ = write!(text, "0\nLINE\n10\n{}\n20\n{}\n11\n{}\n21\n{}\n", a.x, a.y, b.x, b.y);
        }
        text += "0\nENDSEC\n0\nEOF\n";
        let art = read(&text);
        prop_assert_eq!(art.shapes.len(), rings.len());
        let layer = &layers(&art, 1e-3)[0];
        prop_assert_eq!((layer.open, layer.closed), (0, rings.len()));
        let want: f64 = rings.iter().map(|r| region::signed_area(r.iter().copied()).abs()).sum();
        prop_assert!((layer.area - want).abs() < 0.02);
    }

    /// The same drawing in SVG, DXF and PDF is the same artwork.
    #[test]
    fn formats_agree(radii in radii(), scale in 0.5..3.0f64) {
        let ring: Vec<Point> = star(Point::new(60.0, 60.0), &radii)
            .into_iter()
            .map(|p| Point::new(p.x * scale, p.y * scale))
            .collect();
        let path = |height: f64, unit: f64| {
            let at = |p: &Point| format!("{} {}", p.x * unit, (height - p.y).abs() * unit);
            ring.iter().map(at).collect::<Vec<_>>()
        };
        let svg = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="300mm" height="300mm" viewBox="0 0 300 300"><path d="M{}Z" fill="none" stroke="red"/></svg>"#,
            path(300.0, 1.0).join("L")
        );
        let mut dxf = String::from("0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nLWPOLYLINE\n62\n1\n70\n1\n");
        for p in &ring {
            let _ = write!(dxf, "10\n{}\n20\n{}\n", p.x, p.y);
        }
        dxf += "0\nENDSEC\n0\nEOF\n";
        let points = path(0.0, 72.0 / 25.4);
        let content = format!("1 0 0 RG {} m {} l s", points[0], points[1..].join(" l "));
        let pdf = format!(
            "%PDF-1.7\n1 0 obj\n<</Type/Catalog/Pages 2 0 R>>\nendobj\n2 0 obj\n<</Type/Pages/Kids[3 0 R]/Count 1>>\nendobj\n3 0 obj\n<</Type/Page/Parent 2 0 R/MediaBox[0 0 851 851]/Contents 4 0 R>>\nendobj\n4 0 obj\n<</Length {}>>\nstream\n{content}\nendstream\nendobj\ntrailer\n<</Root 1 0 R>>\n%%EOF\n",
            content.len()
        );
        let want = region::signed_area(ring.iter().copied()).abs();
        let sizes: Vec<Rect> = [svg, dxf, pdf]
            .iter()
            .map(|text| {
                let art = read(text);
                let layer = &layers(&art, 1e-3)[0];
                assert_eq!(layer.colour.to_string(), "#ff0000");
                assert!((layer.area / want - 1.0).abs() < 1e-3, "{} {want}", layer.area);
                art.extents().unwrap()
            })
            .collect();
        for r in &sizes {
            prop_assert!((r.width() - sizes[0].width()).abs() < 0.01);
            prop_assert!((r.height() - sizes[0].height()).abs() < 0.01);
        }
    }

    /// Crossings are found exactly where two outlines overlap in part.
    #[test]
    fn outlines_cross_when_they_overlap_in_part(a in radii(), b in radii(), x in 0.0..45.0f64) {
        let (a, b) = (star(Point::ZERO, &a), star(Point::new(x, 0.37), &b));
        let of = |ring: &Vec<Point>| region::unite(std::slice::from_ref(ring), FillRule::NonZero);
        let both = area(&region::combined(&of(&a), &of(&b), Combine::Overlap));
        let smaller = area(&of(&a)).min(area(&of(&b)));
        let crossed = !crossings(&[closed(&a), closed(&b)], 1e-3).found.is_empty();
        // Where they only just touch or only just contain each other, either answer is right.
        if both > 0.05 && both < smaller - 0.05 {
            prop_assert!(crossed, "{both} of {smaller}");
        }
        if both < 1e-6 {
            prop_assert!(!crossed);
        }
    }
}
