use crate::read;
use tinkite_artwork::{Unread, layers::layers};
use tinkite_base::geometry::Rect;
use tinkite_base::problem::Code;

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
        let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
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
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    let sources: Vec<_> =
        artwork.shapes.iter().map(|s| (s.source.label(), s.source.line)).collect();
    assert_eq!(
        sources,
        [
            ("shape-1".to_string(), Some(4)),
            ("shape-2".to_string(), Some(5)),
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
<filter id="c"><feGaussianBlur stdDeviation="1"/></filter>
<circle cx="9" cy="9" r="5" filter="url(#c)" fill="red"/>
</svg>"##;
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
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
    let codes: Vec<_> = artwork.problems.iter().map(|p| p.code.text()).collect();
    assert_eq!(codes, ["external-image", "not-visible"]);
}

#[test]
fn bad_files_are_refused_with_a_reason() {
    let svg = |body: &str| format!("<svg xmlns='http://www.w3.org/2000/svg' {body}</svg>");
    let deep =
        svg(&format!("width='9mm' height='9mm'>{}{}", "<g>".repeat(5000), "</g>".repeat(5000)));
    let cases: [(&[u8], &str); 9] = [
        (b"", "empty-file"),
        (b"hello", "format"),
        (b"<hello", "not-xml"),
        (b"<html/>", "format"),
        (b"\x89PNG\r\n", "broken-bitmap"),
        (b"\xfe\xfe\xfe", "format"),
        (svg("width='10mm' height='0'>").leak().as_bytes(), "format"),
        (
            svg("width='9mm' height='9mm'><path d='M0 0L1e30 0' stroke='red'/>").leak().as_bytes(),
            "absurd-size",
        ),
        (deep.leak().as_bytes(), "nested-too-deep"),
    ];
    for (bytes, code) in cases {
        let problems = read("a.svg", bytes, &Default::default()).unwrap_err();
        let got: Vec<_> = problems.iter().map(|p| p.code.text()).collect();
        assert_eq!(got, [code], "{:?}", String::from_utf8_lossy(&bytes[..bytes.len().min(90)]));
    }
}

#[test]
fn numbers_that_are_not_finite_never_get_in() {
    for d in ["M0 0 L1e999 5", "M0 0 LNaN 5 L3 3", "M0 0 L1e38 1e38 L-1e38 0"] {
        let text = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" width="9mm" height="9mm"><path d="{d}" stroke="red"/></svg>"#
        );
        if let Ok(artwork) = read("a.svg", text.as_bytes(), &Default::default()) {
            assert!(artwork.shapes.iter().all(|s| s.path.is_finite()), "{d}");
            assert!(artwork.shapes.len() + artwork.problems.len() > 0, "{d}: vanished unsaid");
        }
    }
}

fn page(body: &str) -> String {
    format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="100mm" height="100mm" viewBox="0 0 100 100">{body}</svg>"#
    )
}

#[test]
fn transforms_nest_and_strokes_grow_with_them() {
    let text = page(
        r#"<g transform="translate(10 20)"><g transform="scale(2)"><g transform="rotate(90)">
        <path d="M0 0H10" stroke="red" stroke-width="0.5"/></g></g></g>"#,
    );
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    // Down the page by 20 from (10, 20): in our coordinates from 80 to 60.
    assert!(near(artwork.extents().unwrap(), (10., 60., 10., 80.)));
    assert!((artwork.shapes[0].stroke.unwrap().width - 1.0).abs() < 1e-4);
}

#[test]
fn style_sheets_inheritance_and_spellings_of_colour() {
    let text = page(
        r#"<style>.cut { stroke: rgb(255,0,0); fill: none } #b { stroke: blue }</style>
        <g stroke="lime" color="teal"><path class="cut" d="M0 0H5"/><path id="b" d="M0 0H5"/>
        <path d="M0 0H5"/><path style="stroke:currentColor" d="M0 0H5"/></g>"#,
    );
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    let strokes: Vec<String> =
        artwork.shapes.iter().map(|s| s.stroke.unwrap().colour.to_string()).collect();
    assert_eq!(strokes, ["#ff0000", "#0000ff", "#00ff00", "#008080"]);
}

#[test]
fn a_use_of_a_group_is_found_by_the_use() {
    let text = page(
        r##"<defs><g id="pair"><circle r="1"/><circle cx="5" r="1"/></g></defs>
<use xlink:href="#pair" id="here" x="10" y="10"/>
<use href="#pair" x="30" y="30"/><use href="#nobody"/>"##,
    );
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    let labels: Vec<_> = artwork.shapes.iter().map(|s| (s.source.label(), s.source.line)).collect();
    assert_eq!(
        labels,
        [
            ("here".to_string(), Some(2)),
            ("here".to_string(), Some(2)),
            ("shape-3".to_string(), Some(3)),
            ("shape-4".to_string(), Some(3)),
        ]
    );
    // A use that leads nowhere is not lost unsaid.
    assert_eq!(artwork.problems.iter().map(|p| p.code.text()).collect::<Vec<_>>(), ["not-visible"]);
    // Two that share a name have each one of their own.
    let own: Vec<_> = artwork.shapes.iter().filter_map(|shape| shape.source.own_name()).collect();
    assert_eq!(own, ["shape-1", "shape-2", "shape-3", "shape-4"]);
}

#[test]
fn hidden_things_are_named_and_kept_ones_are_not() {
    let text = page(
        r#"<symbol id="s"><path d="M0 0H9" stroke="red"/></symbol>
<path id="h" d="M0 0H5" stroke="red" visibility="hidden"/>
<g display="none"><rect id="n" width="5" height="5"/></g>
<rect id="z" width="0" height="5"/><path id="ok" d="M0 0H5" stroke="red"/>"#,
    );
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    assert_eq!(artwork.shapes.len(), 1);
    let told: Vec<_> = artwork.problems.iter().map(|p| p.message.as_str()).collect();
    assert_eq!(told, ["left out: 2 that are hidden", "1 element without visible paint or size: z"]);
}

#[test]
fn pages_of_every_kind() {
    let of = |root: &str| {
        let text = format!(
            r#"<svg xmlns="http://www.w3.org/2000/svg" {root}><rect x="1" y="1" width="8" height="8"/></svg>"#
        );
        read("a.svg", text.as_bytes(), &Default::default()).unwrap()
    };
    let mm = 25.4 / 96.0;
    // No size at all: the drawing's own corner is the origin.
    let bare = of("");
    assert_eq!(bare.page, None);
    assert!(near(bare.extents().unwrap(), (0., 0., 8. * mm, 8. * mm)));
    assert!(bare.units.doubtful && bare.problems.iter().any(|p| p.code.text() == "unit-doubt"));
    // Only a view box: its units are pixels, and that is doubted.
    let boxed = of(r#"viewBox="0 0 10 20""#);
    assert!((boxed.page.unwrap().1 - 20.0 * mm).abs() < 1e-4 && boxed.units.doubtful);
    // Only a height.
    let high = of(r#"height="40mm" viewBox="0 0 10 20""#);
    assert!((high.units.mm_per_unit - 2.0).abs() < 1e-9 && !high.units.doubtful);
    assert!((high.page.unwrap().0 - 20.0).abs() < 1e-3);
    // A view box that does not begin at zero.
    let shifted = of(r#"width="10mm" height="10mm" viewBox="-5 -5 10 10""#);
    assert!(near(shifted.extents().unwrap(), (6., -4., 14., 4.)));
}

#[test]
fn clip_paths_cut_areas_and_lines_and_keep_what_lies_inside() {
    let text = page(
        r##"<clipPath id="w"><circle cx="20" cy="20" r="10"/></clipPath>
<g clip-path="url(#w)">
<path id="line" d="M0 20 H50" stroke="red" fill="none"/>
<rect id="area" x="20" y="0" width="30" height="50" fill="blue"/>
<circle id="whole" cx="20" cy="20" r="4" stroke="red" fill="none"/>
<circle id="gone" cx="45" cy="45" r="3" stroke="red" fill="none"/>
<path id="over" d="M0 0H50V50H0Z" fill="black"/>
</g>"##,
    );
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    let found = |id: &str| {
        artwork.shapes.iter().find(|s| s.source.id.as_deref() == Some(id)).map(|s| s.contours(0.01))
    };
    let line = &found("line").unwrap()[0];
    assert!((line.length() - 20.0).abs() < 0.01, "{}", line.length());
    let whole = &found("whole").unwrap()[0];
    assert_eq!(whole.pieces.len(), 4, "an untouched circle stays a circle");
    assert!(found("gone").is_none());
    let half = std::f64::consts::PI * 50.0;
    let areas = layers(&artwork, 0.01);
    let area = |colour: &str| areas.iter().find(|l| l.colour.to_string() == colour).unwrap().area;
    assert!((area("#0000ff") - half).abs() < 0.1, "{}", area("#0000ff"));
    assert!((area("#000000") - 2.0 * half).abs() < 0.2, "{}", area("#000000"));
    let told: Vec<_> = artwork.problems.iter().map(|p| p.message.as_str()).collect();
    assert_eq!(
        told,
        ["3 shapes cut by a clip path", "1 shape wholly outside a clip path, left out"]
    );
}

#[test]
fn dashes_are_the_whole_line_unless_asked_for() {
    let text = page(r#"<path d="M5 5H25" stroke="red" fill="none" stroke-dasharray="3 2"/>"#);
    let lines = |dashes| {
        let how = crate::Reading { dashes, ..Default::default() };
        read("a.svg", text.as_bytes(), &how).unwrap().shapes[0].contours(0.01)
    };
    assert_eq!(lines(false).len(), 1);
    let dashes = lines(true);
    assert_eq!(dashes.len(), 4);
    assert!(dashes.iter().all(|d| (d.length() - 3.0).abs() < 1e-3));
}

#[test]
fn an_embedded_bitmap_is_read_and_measured() {
    let text = include_str!("../../../../demo/name-tag.svg");
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    let image = &artwork.images[0];
    assert_eq!((image.pixels, image.source.id.as_deref()), ((96, 96), Some("maker")));
    assert!((image.size().0 - 12.0).abs() < 1e-3 && (image.bounds().x0 - 62.0).abs() < 1e-3);
    assert!(image.bitmap.as_ref().unwrap().grey.contains(&0));
    // Without any font the text is told, not dropped.
    assert!(artwork.unread.iter().any(|(unread, _)| *unread == Unread::Text));
}

#[test]
fn hostile_files_end_in_a_message() {
    let bomb: String = (0..12)
        .map(|n| {
            format!("<!ENTITY e{} \"&e{n};&e{n};&e{n};&e{n};&e{n};&e{n};&e{n};&e{n};\">", n + 1)
        })
        .collect();
    let bomb = format!(
        "<!DOCTYPE svg [<!ENTITY e0 \"kite\">{bomb}]><svg xmlns='http://www.w3.org/2000/svg' width='9mm' height='9mm'><text>&e12;</text></svg>"
    );
    let itself = page(r##"<g id="a"><use href="#a"/><path d="M0 0H5" stroke="red"/></g>"##);
    let each = page(r##"<g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g>"##);
    for text in [bomb, itself, each] {
        match read("a.svg", text.as_bytes(), &Default::default()) {
            Ok(artwork) => assert!(artwork.shapes.len() < 10),
            Err(problems) => assert!(!problems.is_empty()),
        }
    }
}

#[test]
fn a_file_cut_off_anywhere_is_refused_or_read_but_never_worse() {
    let whole = include_str!("../../../../demo/sail-panel.svg");
    for n in 0..16 {
        let cut = &whole.as_bytes()[..whole.len() * n / 16];
        assert!(read("a.svg", cut, &Default::default()).is_err(), "{n}/16");
    }
    let marked = format!("\u{feff}{whole}");
    assert_eq!(read("a.svg", marked.as_bytes(), &Default::default()).unwrap().shapes.len(), 24);
}

#[test]
fn what_drawing_programs_write_is_read_as_it_shows() {
    let art = |body: &str| read("a.svg", page(body).as_bytes(), &Default::default()).unwrap();
    let boxes = |art: &tinkite_artwork::Artwork| -> Vec<(f64, f64, f64, f64)> {
        use kurbo::Shape as _;
        let round = |v: f64| (v * 1000.0).round() / 1000.0;
        art.shapes
            .iter()
            .map(|s| s.path.bounding_box())
            .map(|r| (round(r.x0), round(r.y0), round(r.x1), round(r.y1)))
            .collect()
    };
    // A nested page with its own view box, fitted and centred: 20 × 10 into 10 × 10.
    let nested = art(
        r#"<svg x="5" y="5" width="10" height="10" viewBox="0 0 20 10"><rect width="20" height="10"/></svg>"#,
    );
    assert_eq!(boxes(&nested), [(5.0, 87.5, 15.0, 92.5)]);
    // The same, filling its box and cut at it.
    let slice = art(
        r#"<svg x="5" y="5" width="10" height="10" viewBox="0 0 20 10" preserveAspectRatio="xMidYMid slice"><rect width="20" height="10"/></svg>"#,
    );
    assert_eq!(boxes(&slice), [(5.0, 85.0, 15.0, 95.0)]);
    // A symbol used twice, with the colour of whoever uses it.
    let used = art(
        r##"<symbol id="s" viewBox="0 0 2 2"><path d="M0 0H2V2Z" fill="currentColor"/></symbol>
<use href="#s" width="4" height="4" color="#00f"/><use href="#s" x="10" width="2" height="2" color="red"/>"##,
    );
    let colours: Vec<_> = used.shapes.iter().map(|s| s.fill.unwrap().colour.to_string()).collect();
    assert_eq!(colours, ["#0000ff", "#ff0000"]);
    assert_eq!(boxes(&used), [(0.0, 96.0, 4.0, 100.0), (10.0, 98.0, 12.0, 100.0)]);
    // Markers are drawn at the ends of their line.
    let marked = art(
        r##"<marker id="m" markerWidth="4" markerHeight="4" refX="2" refY="2" markerUnits="userSpaceOnUse" orient="auto"><circle cx="2" cy="2" r="2"/></marker>
<path d="M10 10H30" stroke="red" fill="none" marker-end="url(#m)"/>"##,
    );
    assert!(boxes(&marked).contains(&(28.0, 88.0, 32.0, 92.0)), "{:?}", boxes(&marked));
    // Every transform, one in another.
    let moved = art(
        r#"<g transform="translate(10 10) rotate(90) scale(2) skewX(45)"><rect width="2" height="1" transform="matrix(1 0 0 1 1 0)"/></g>"#,
    );
    // (x, y) goes to (10 − 2y, 10 + 2(x + y)); y on the page counts down.
    assert_eq!(boxes(&moved), [(8.0, 82.0, 10.0, 88.0)]);
    // Style sheets, inheritance and importance.
    let styled = art(
        r#"<style>g.a > path { stroke: red } path { stroke: blue !important; fill: none }</style><g class="a" stroke="green"><path d="M0 0H5"/></g>"#,
    );
    assert_eq!(styled.shapes[0].stroke.unwrap().colour.to_string(), "#0000ff");
    // The first branch of a switch that fits.
    let switched = art(
        r#"<switch><rect systemLanguage="zz" width="9" height="9"/><rect width="3" height="3"/></switch>"#,
    );
    assert_eq!(boxes(&switched), [(0.0, 97.0, 3.0, 100.0)]);
}

#[test]
fn nested_clip_paths_and_clipped_groups_cut_together() {
    let text = page(
        r##"<clipPath id="a"><rect x="10" y="10" width="20" height="20"/></clipPath>
<clipPath id="b" clip-path="url(#a)"><rect x="0" y="0" width="20" height="50"/></clipPath>
<g clip-path="url(#b)" transform="translate(5 0)"><rect id="r" x="0" y="0" width="50" height="50" fill="red"/></g>"##,
    );
    let art = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    // Of a and b together 10 × 20 is left, moved by 5.
    assert!(near(art.extents().unwrap(), (15., 70., 25., 90.)), "{:?}", art.extents());
    let half = page(
        r##"<clipPath id="h" clipPathUnits="objectBoundingBox"><rect width="0.5" height="1"/></clipPath>
<circle cx="20" cy="20" r="10" clip-path="url(#h)" fill="none" stroke="red"/>"##,
    );
    let art = read("a.svg", half.as_bytes(), &Default::default()).unwrap();
    let length: f64 =
        art.shapes[0].contours(0.01).iter().map(tinkite_base::geometry::Contour::length).sum();
    assert!((length - std::f64::consts::PI * 10.0).abs() < 0.02, "{length}");
}

#[test]
fn numbers_out_of_this_world_are_refused_before_a_library_meets_them() {
    for (body, line) in [
        (r#"<path d="M0 0A1e90 5 0 0 1 9 9" stroke="red"/>"#, 2),
        ("\n<circle r=\"99999999999999\" stroke=\"red\"/>", 3),
        (r#"<rect width="5" height="1e400"/>"#, 2),
    ] {
        let text = page(body).replacen('>', ">\n", 1);
        let problems = read("a.svg", text.as_bytes(), &Default::default()).unwrap_err();
        let problem = problems.iter().next().unwrap();
        assert_eq!(problem.code.text(), "absurd-size", "{body}");
        assert_eq!(problem.place.as_ref().unwrap().line, Some(line), "{body}");
    }
    // Long fractions and small exponents are nothing special.
    let text = page(r#"<path d="M0.12345678901234 1e-3L5 5" stroke="red"/>"#);
    assert!(read("a.svg", text.as_bytes(), &Default::default()).is_ok());
}

#[test]
fn compressed_drawings_are_read_and_what_unpacks_without_end_is_not() {
    use std::io::Write;
    let packed = |bytes: &[u8]| {
        let mut out = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
        out.write_all(bytes).unwrap();
        out.finish().unwrap()
    };
    let svg = br#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="20mm"><path d="M0 0H10" stroke="red"/></svg>"#;
    let whole = crate::read("a.svgz", &packed(svg), &Default::default()).unwrap();
    assert_eq!((whole.shapes.len(), whole.problems.len()), (1, 0));
    let told = |bytes: &[u8]| {
        let problems = crate::read("a.svgz", bytes, &Default::default()).unwrap_err();
        problems.iter().next().unwrap().message.clone()
    };
    let cut = packed(svg);
    assert!(told(&cut[..cut.len() / 2]).contains("damaged"));
    assert!(told(&packed(b"tinkite = 1")).contains("unsupported file type"));
    let bomb = packed(&vec![b' '; (crate::LARGEST_FILE + 9) as usize]);
    assert!(bomb.len() < 1 << 20 && told(&bomb).contains("more than is read"));
}

#[test]
fn what_is_not_read_is_told_once_for_each_kind() {
    let shapes: String = (0..40)
        .map(|n| {
            format!(r##"<rect id="r{n}" x="{n}" y="0" width="1" height="9" fill="url(#g)"/>"##)
        })
        .collect();
    let svg = format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="20mm"><defs><linearGradient id="g"><stop offset="0" stop-color="red"/><stop offset="1"/></linearGradient></defs>{shapes}</svg>"#
    );
    let artwork = crate::read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    assert_eq!(artwork.unread.len(), 40);
    let told: Vec<String> = artwork.doubts().iter().map(|p| p.message.clone()).collect();
    let odd: Vec<_> = told.iter().filter(|message| message.contains("gradient")).collect();
    assert_eq!(odd.len(), 1, "{told:?}");
    assert!(odd[0].contains("40 of them, r0, r1, r2 and 37 more"), "{odd:?}");
}

#[test]
fn a_symbol_lies_where_its_use_puts_it_whatever_its_overflow() {
    // A square of 10 at 0, scaled by 2 and moved to (50, 20) on a page of 100: 50..70 across, 60..80 up.
    for (overflow, size) in
        [("", ""), (" overflow=\"visible\"", ""), ("", " width=\"10\" height=\"10\"")]
    {
        let text = format!(
            r##"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100">
            <symbol id="s"{overflow} viewBox="0 0 10 10"{size}><path d="M0 0H10V10H0Z" fill="none" stroke="red"/></symbol>
            <g transform="translate(10 0)"><use href="#s" width="10" height="10" transform="translate(40 20) scale(2)"/></g></svg>"##
        );
        let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
        let extents = artwork.extents();
        assert!(
            extents.is_some_and(|e| near(e, (50., 60., 70., 80.))),
            "{overflow}: {extents:?} {:?}",
            artwork.problems
        );
    }
}

/// A page of 50 mm with a red square of 10 mm, and something in place of `what`.
fn with(what: &str) -> String {
    format!(
        r##"<svg xmlns="http://www.w3.org/2000/svg" width="50mm" height="50mm" viewBox="0 0 50 50">
<path d="M5 5h10v10h-10z" fill="none" stroke="red"/>
{what}
</svg>"##
    )
}

#[test]
fn values_that_decide_about_place_and_cannot_be_read_refuse_the_drawing_with_their_line() {
    for broken in [
        r##"<rect width="5" height="5" transform="translate(nan 5)"/>"##,
        r##"<g transform="rotate(10"><rect width="5" height="5"/></g>"##,
        r##"<rect width="5" height="5" style="fill:red;transform: rotate3d(1,1,0,10deg)"/>"##,
        r##"<style>.a { transform: translate(5em, 3px) }</style>"##,
        r##"<path d="M0 0 L10 10 L5."/>"##,
        r##"<path d="M0 0 L10 10 L5 2.e"/>"##,
        r##"<path d="L10 10"/>"##,
        r##"<polygon points="0,0 5,5 5"/>"##,
        r##"<polygon points="0,0 5,5 x"/>"##,
        r##"<rect width="5 mm" height="5"/>"##,
        r##"<rect width="5" height="5" x="1e999"/>"##,
        r##"<circle r="5" cx="three"/>"##,
        r##"<svg viewBox="0 0 10" width="5" height="5"><circle r="5"/></svg>"##,
        r##"<symbol id="a" viewBox="0 0 0 10"/>"##,
        r##"<image width="5" height="5" preserveAspectRatio="xMad" href="data:,"/>"##,
        r##"<text x="5 six">a</text>"##,
    ] {
        let refused = read("a.svg", with(broken).as_bytes(), &Default::default());
        let problem = refused.map(|a| a.problems).expect_err(broken);
        let first = problem.iter().next().unwrap();
        let line = first.place.as_ref().and_then(|place| place.line);
        assert_eq!((first.code, line), (Code::BrokenValue, Some(3)), "{broken}: {first:?}");
    }
}

#[test]
fn values_that_are_unusual_and_right_are_read() {
    for fine in [
        r##"<g transform=""><rect width="5" height="5" x="" rx="auto"/></g>"##,
        r##"<rect width="5" height="50%" transform="matrix(1 0 0 1 2.5e0,-3) rotate( 10 , 5 5 )"/>"##,
        r##"<path d=""/><path d="none"/><path d="m.5.5-1-1a1 1 0 011.5 0zl1 1"/>"##,
        r##"<polygon points=" 0,0,5,5 5 , 0 "/><polygon points=""/>"##,
        r##"<g xmlns:o="urn:o"><o:thing d="{" viewBox="x" transform="?"/></g>"##,
        r##"<rect width="5" height="5" style="transform:rotate(10)"/>"##,
        r##"<text x="5 6, 7" dx="-1">abc</text>"##,
        r##"<linearGradient gradientTransform="scale(2)" x1="10%"/>"##,
    ] {
        let read = read("a.svg", with(fine).as_bytes(), &Default::default());
        assert!(read.is_ok(), "{fine}: {read:?}");
    }
}

#[test]
fn text_that_flows_in_a_box_is_named_and_never_set_as_one_line() {
    for flowing in [
        r##"<flowRoot><flowRegion><rect width="20" height="20"/></flowRegion><flowPara>kite club</flowPara></flowRoot>"##,
        r##"<foreignObject width="20" height="20"><p xmlns="http://www.w3.org/1999/xhtml">kite club</p></foreignObject>"##,
        r##"<text style="shape-inside:url(#box); font-size:4px">kite club</text>"##,
        r##"<text inline-size="20" x="5" y="5"><tspan>kite club</tspan></text>"##,
    ] {
        let artwork = read("a.svg", with(flowing).as_bytes(), &Default::default()).unwrap();
        assert_eq!(artwork.shapes.len(), 1, "{flowing}");
        let unread: Vec<_> = artwork.unread.iter().map(|(what, at)| (*what, at.line)).collect();
        assert_eq!(unread, [(Unread::Flowed, Some(3))], "{flowing}");
        assert!(artwork.problems.is_empty(), "{flowing}: {:?}", artwork.problems);
    }
    for nothing in [
        r##"<flowRoot><flowRegion><rect width="20" height="20"/></flowRegion><flowPara> </flowPara></flowRoot>"##,
        r##"<flowRoot display="none"><flowPara>kite</flowPara></flowRoot>"##,
        r##"<switch><foreignObject requiredExtensions="urn:x">kite</foreignObject><path d="M0 0h5" stroke="red"/></switch>"##,
    ] {
        let artwork = read("a.svg", with(nothing).as_bytes(), &Default::default()).unwrap();
        assert!(artwork.unread.is_empty(), "{nothing}: {:?}", artwork.unread);
    }
    // Lines that were placed one by one are text as any.
    let placed = r##"<text style="inline-size:20"><tspan x="5" y="5">kite</tspan><tspan x="5" y="9">club</tspan></text>"##;
    let artwork = read("a.svg", with(placed).as_bytes(), &Default::default()).unwrap();
    assert_eq!(artwork.unread.first().map(|(what, _)| *what), Some(Unread::Text));
}

/// Area of what is filled black on a page of 50 mm, with a mask or clip of this content, and what was
/// not read.
fn masked(mask: &str) -> (f64, usize) {
    let text = with(&format!(
        r##"<mask id="m" maskUnits="userSpaceOnUse" x="0" y="0" width="50" height="50">{mask}</mask>
<g mask="url(#m)"><rect x="10" y="10" width="20" height="20" fill="#000"/></g>"##
    ));
    let artwork = read("a.svg", text.as_bytes(), &Default::default()).unwrap();
    let black = layers(&artwork, 0.01).into_iter().find(|l| l.colour.to_string() == "#000000");
    (black.map_or(0.0, |layer| layer.area), artwork.unread.len())
}

#[test]
fn a_mask_of_plain_areas_is_a_clip_path() {
    let near = |(area, unread): (f64, usize), wanted: f64| {
        assert!(
            (area - wanted).abs() < 0.05 && unread == 0,
            "{area} in place of {wanted}, {unread}"
        );
    };
    near(masked(r##"<rect x="10" y="10" width="5" height="20" fill="#fff"/>"##), 100.0);
    // White, and black on it; a knot of two.
    near(
        masked(
            r##"<rect width="50" height="50" fill="white"/><g transform="translate(10 10)"><rect width="5" height="5"/></g>"##,
        ),
        375.0,
    );
    near(
        masked(
            r##"<path d="M10 10h20v20h-20zM15 15h10v10h-10z" fill-rule="evenodd" fill="#ffffff"/>"##,
        ),
        300.0,
    );
    // What lets something through in part is none.
    let half = r##"<rect width="12" height="50" fill="#ff0000"/>"##;
    assert_eq!(masked(half).1, 1);
    assert_eq!(masked(r##"<rect width="12" height="50" fill="#fff" fill-opacity="0.5"/>"##).1, 1);
}

/// What is drawn, shape by shape: its name and the rectangle round it, mm, y down from the page's upper edge.
fn boxes(svg: &str) -> Vec<(String, [f64; 4])> {
    use kurbo::Shape as _;
    let artwork = read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    let height = artwork.page.unwrap().1;
    let name = |shape: &tinkite_artwork::Shape| shape.source.id.clone().unwrap_or_default();
    let of = |shape: &tinkite_artwork::Shape| {
        let b = shape.path.bounding_box();
        [b.x0, height - b.y1, b.x1, height - b.y0]
    };
    artwork.shapes.iter().map(|shape| (name(shape), of(shape))).collect()
}

#[track_caller]
fn drawn_as(svg: &str, wanted: &[(&str, [f64; 4])]) {
    let found = boxes(svg);
    let near = |a: &[f64; 4], b: &[f64; 4]| a.iter().zip(b).all(|(a, b)| (a - b).abs() < 2e-3);
    let alike = found.len() == wanted.len()
        && found.iter().zip(wanted).all(|((name, at), (id, wish))| name == id && near(at, wish));
    assert!(alike, "{found:#?}\ninstead of {wanted:#?}");
}

#[test]
fn far_from_the_origin_and_round_things_are_true_to_a_thousandth() {
    // A map, its layers moved and scaled.
    let map = r#"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="4567800 1234500 200 100">
<path id="p" d="M4567810.25 1234510.125h40.5v30.25h-40.5z"/><circle id="c" cx="4567900.3" cy="1234550.7" r="20.1"/>
<g transform="translate(4567800.35,1234500.15)"><rect id="r" x="1.05" y="2.05" width="7" height="8"/></g>
<g transform="matrix(0.3 0 0 0.3 3197460 864150)"><path id="s" d="M4567800 1234500h10v10h-10z"/></g></svg>"#;
    drawn_as(
        map,
        &[
            ("p", [10.25, 10.125, 50.75, 40.375]),
            ("c", [80.2, 30.6, 120.4, 70.8]),
            ("r", [1.4, 2.2, 8.4, 10.2]),
            ("s", [0.0, 0.0, 3.0, 3.0]),
        ],
    );
    // A large circle, however it is drawn, and a page whose unit is a million millimetres.
    for (head, circle) in [
        (
            r#"width="500mm" height="500mm" viewBox="0 0 500 500""#,
            r#"<circle id="c" cx="250" cy="250" r="240"/>"#,
        ),
        (
            r#"width="500mm" height="500mm" viewBox="0 0 500 500""#,
            r#"<path id="c" d="M490 250A240 240 0 0 1 10 250 240 240 0 0 1 490 250z"/>"#,
        ),
        (
            r#"width="500mm" height="500mm" viewBox="0 0 5e-4 5e-4""#,
            r#"<circle id="c" cx="2.5e-4" cy="2.5e-4" r="2.4e-4"/>"#,
        ),
    ] {
        let svg = format!(r#"<svg xmlns="http://www.w3.org/2000/svg" {head}>{circle}</svg>"#);
        let artwork = read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
        let contours = artwork.shapes[0].contours(0.01);
        let points = contours.iter().flat_map(|c| c.flatten(1e-6));
        let off = points
            .map(|p| (p.distance(kurbo::Point::new(250.0, 250.0)) - 240.0).abs())
            .fold(0.0, f64::max);
        assert!(off < 1e-3, "{head} {circle}: {off}");
    }
    // What only the library can place is refused where it rounds.
    let text = r##"<svg xmlns="http://www.w3.org/2000/svg" width="200mm" height="100mm" viewBox="4567800 1234500 200 100"><path id="q" d="M4567810 1234510h5v5z"/><use id="u" href="#q" x="10"/></svg>"##;
    let problems = read("a.svg", text.as_bytes(), &Default::default()).unwrap().problems;
    let told = problems.iter().find(|p| p.code == Code::AbsurdSize).unwrap();
    assert!(told.message.contains("1 shape") && told.message.ends_with(": u"), "{}", told.message);
}

#[test]
fn used_symbols_are_as_large_as_they_and_their_uses_say() {
    let svg = r##"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100">
<defs><symbol id="s" viewBox="0 0 4 4"><rect width="4" height="4"/></symbol>
<symbol id="t" viewBox="0 0 4 4" width="16" height="16"><rect width="4" height="4"/></symbol></defs>
<use id="a" href="#s" x="10" y="10" width="16" height="16"/><use id="b" href="#t" x="40" y="10"/>
<use id="d" href="#s" x="10%" y="40%" width="16%" height="16%"/><use id="e" href="#t" x="40" y="40" width="50%"/>
<svg x="50" y="50" width="50" height="50" viewBox="0 0 10 10"><use id="f" href="#s" x="10%" y="10%" width="50%" height="50%"/></svg></svg>"##;
    drawn_as(
        svg,
        &[
            ("a", [10.0, 10.0, 26.0, 26.0]),
            ("b", [40.0, 10.0, 56.0, 26.0]),
            ("d", [10.0, 40.0, 26.0, 56.0]),
            // 50 x 16 for a square: in its middle.
            ("e", [57.0, 40.0, 73.0, 56.0]),
            ("f", [55.0, 55.0, 80.0, 80.0]),
        ],
    );
}

#[test]
fn style_sheets_say_where_things_are_and_what_colour_they_have() {
    let svg = r##"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" viewBox="0 0 100 100" fill="none">
<style>:root{--c:blue;--w:2px} .k{cx:30px;cy:30px;r:10px} .v{stroke:var(--c)} .w{stroke:var(--nix,rgb(0 128 0 / 100%))}
.t{transform:rotate(45deg);transform-origin:center;transform-box:fill-box} g.inner{--c:red}</style>
<circle id="a" class="k v"/><path id="d" style="d:path('M10 60h20v20z')" class="w"/>
<g class="inner"><rect id="v" class="v" x="40" y="60" width="10" height="10"/></g>
<rect id="t" class="t v" x="70" y="60" width="10" height="10"/></svg>"##;
    let half = 50.0_f64.sqrt();
    drawn_as(
        svg,
        &[
            ("a", [20.0, 20.0, 40.0, 40.0]),
            ("d", [10.0, 60.0, 30.0, 80.0]),
            ("v", [40.0, 60.0, 50.0, 70.0]),
            ("t", [75.0 - half, 65.0 - half, 75.0 + half, 65.0 + half]),
        ],
    );
    let artwork = read("a.svg", svg.as_bytes(), &Default::default()).unwrap();
    let strokes: Vec<String> =
        artwork.shapes.iter().map(|s| s.stroke.unwrap().colour.to_string()).collect();
    assert_eq!(strokes, ["#0000ff", "#008000", "#ff0000", "#0000ff"]);
    // What nobody would carry out refuses the drawing.
    for broken in [
        r#"<text style="transform:rotate(9deg);transform-box:fill-box">a</text>"#,
        r#"<path d="M0 0h9" style="transform:perspective(4px)"/>"#,
    ] {
        let problems = read("a.svg", with(broken).as_bytes(), &Default::default()).unwrap_err();
        assert_eq!(problems.iter().next().unwrap().code, Code::BrokenValue, "{broken}");
    }
}

#[test]
fn broken_xml_is_named_by_its_own_column_and_letters() {
    for (text, line, told) in [
        ("<svg><path d='M0 0'/>\n<rect width='4'é/></svg>", 2, "column 16"),
        ("<svg>\n<rect width='4' é='5'></svg>", 2, "column"),
        ("<svg><path/>\n<rect width='4' width='5'/></svg>", 2, "width"),
    ] {
        let problems = read("a.svg", text.as_bytes(), &Default::default()).unwrap_err();
        let problem = problems.iter().next().unwrap();
        assert_eq!(problem.place.as_ref().unwrap().line, Some(line), "{text}: {}", problem.message);
        assert!(problem.message.contains(told), "{text}: {}", problem.message);
        assert!(!problem.message.contains('Ã'), "{}", problem.message);
    }
}
