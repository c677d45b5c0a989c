use crate::artwork::{Unread, layers::layers, read};
use crate::geometry::Rect;

fn near(a: Rect, b: (f64, f64, f64, f64)) -> bool {
    [a.x0 - b.0, a.y0 - b.1, a.x1 - b.2, a.y1 - b.3].iter().all(|d| d.abs() < 0.01)
}

#[test]
fn every_unit_of_length_gives_the_same_true_size() {
    // A square of half the page's width; pages written as 60 mm in every unit.
    for size in ["60mm", "6cm", "2.3622047in", "170.0787402pt", "14.1732283pc", "226.7716535px"] {
        let text = format!(
            r##"<svg xmlns="http://www.w3.org/2000/svg" width="{size}" height="{size}" viewBox="0 0 120 120">
            <rect x="20" y="10" width="60" height="60" stroke="red" fill="none"/></svg>"##
        );
        let artwork = read("a.svg", text.as_bytes()).unwrap();
        assert!(near(artwork.extents().unwrap(), (10., 25., 40., 55.)), "{size}");
        assert!((artwork.units.mm_per_unit - 0.5).abs() < 1e-4, "{size}");
        assert_eq!(artwork.problems.is_empty(), !size.ends_with("px"), "{size}");
    }
}

#[test]
fn shapes_keep_their_id_line_and_groups() {
    let text = r##"<svg xmlns="http://www.w3.org/2000/svg" xmlns:d="urn:d" width="50mm" height="50mm" viewBox="0 0 50 50">
<defs><circle id="hole" r="2"/></defs>
<g d:label="Holes" id="g7">
  <rect width="5" height="5" stroke="#f00"/>
  <use href="#hole" x="20" y="20" fill="blue"/>
</g>
<path id="p" d="M0 0H10" stroke="lime" stroke-width=".1"/>
</svg>"##;
    let artwork = read("a.svg", text.as_bytes()).unwrap();
    let sources: Vec<_> =
        artwork.shapes.iter().map(|s| (s.source.label(), s.source.line)).collect();
    assert_eq!(
        sources,
        [
            ("line 4".to_string(), Some(4)),
            ("line 5".to_string(), Some(5)),
            ("p".to_string(), Some(7)),
        ]
    );
    assert_eq!(artwork.shapes[0].source.groups, ["Holes", "g7"]);
    assert_eq!(artwork.shapes[2].source.groups, [""; 0]);
    assert!(artwork.problems.is_empty(), "{:?}", artwork.problems);
    let layers = layers(&artwork, 0.01);
    let hole = &layers[2];
    assert!((hole.area - std::f64::consts::PI * 4.0).abs() < 0.02, "{hole:?}");
    assert!(near(hole.extents, (18., 28., 22., 32.)), "{hole:?}");
}

#[test]
fn what_cannot_be_read_is_said_with_its_line() {
    let text = r##"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50">
<text x="5" y="5">kite</text>
<image width="5" height="5" href="photo.png"/>
<path d="M0 0H5V5Z" fill="none"/>
<linearGradient id="g"><stop offset="0" stop-color="red"/><stop offset="1" stop-color="blue"/></linearGradient>
<rect width="9" height="9" fill="url(#g)"/>
<clipPath id="c"><rect width="3" height="3"/></clipPath>
<circle r="5" clip-path="url(#c)" fill="red"/>
</svg>"##;
    let artwork = read("a.svg", text.as_bytes()).unwrap();
    let unread: Vec<_> = artwork.unread.iter().map(|(u, s)| (*u, s.line)).collect();
    assert_eq!(
        unread,
        [
            (Unread::Text, Some(2)),
            (Unread::Bitmap, Some(3)),
            (Unread::Paint, Some(6)),
            (Unread::Effect, Some(8)),
        ]
    );
    let codes: Vec<_> = artwork.problems.iter().map(|p| p.code).collect();
    assert_eq!(codes, ["external-image", "not-visible"]);
}

#[test]
fn bad_files_are_refused_with_a_reason() {
    let svg = |body: &str| format!("<svg xmlns='http://www.w3.org/2000/svg' {body}</svg>");
    let deep =
        svg(&format!("width='9mm' height='9mm'>{}{}", "<g>".repeat(5000), "</g>".repeat(5000)));
    let cases: [(&[u8], &str); 8] = [
        (b"", "empty-file"),
        (b"hello", "not-xml"),
        (b"<html/>", "format"),
        (b"\x89PNG\r\n", "format"),
        (b"\xfe\xfe\xfe", "format"),
        (svg("width='10mm' height='0'>").leak().as_bytes(), "format"),
        (
            svg("width='9mm' height='9mm'><path d='M0 0L1e30 0' stroke='red'/>").leak().as_bytes(),
            "absurd-size",
        ),
        (deep.leak().as_bytes(), "nested-too-deep"),
    ];
    for (bytes, code) in cases {
        let problems = read("a.svg", bytes).unwrap_err();
        let got: Vec<_> = problems.iter().map(|p| p.code).collect();
        assert_eq!(got, [code], "{:?}", String::from_utf8_lossy(&bytes[..bytes.len().min(90)]));
    }
}

#[test]
fn numbers_that_are_not_finite_never_get_in() {
    for d in ["M0 0 L1e999 5", "M0 0 LNaN 5 L3 3", "M0 0 L1e38 1e38 L-1e38 0"] {
        let text = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"><path d="{d}" stroke="red"/></svg>"#
        );
        if let Ok(artwork) = read("a.svg", text.as_bytes()) {
            assert!(artwork.shapes.iter().all(|s| s.path.is_finite()), "{d}");
            assert!(artwork.shapes.len() + artwork.problems.len() > 0, "{d}: vanished unsaid");
        }
    }
}
