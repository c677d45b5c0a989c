//! Live text becomes outlines, with fonts that the caller supplies.

use fontdb::Database;
use std::sync::Arc;
use tinkite_core::artwork::{self, Artwork, FontSupply, Reading};
use tinkite_core::geometry::Rect;

/// One plain font, which stands for every kind.
struct OneFont;

impl FontSupply for OneFont {
    fn fonts(&self) -> Arc<Database> {
        let mut fonts = Database::new();
        fonts.load_font_data(dejavu::sans::regular().to_vec());
        fonts.set_sans_serif_family("DejaVu Sans");
        fonts.set_serif_family("DejaVu Sans");
        Arc::new(fonts)
    }
}

fn read(text: &str) -> Artwork {
    let how = Reading { fonts: &OneFont, ..Reading::default() };
    artwork::read("a", text.as_bytes(), &how).unwrap_or_else(|p| panic!("{p:?}"))
}

fn svg(body: &str) -> Artwork {
    read(&format!(
        r#"<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="50mm" viewBox="0 0 100 50">{body}</svg>"#
    ))
}

/// A drawing in mm with one text, written as codes and values separated by bars.
fn dxf(text: &str) -> Artwork {
    let body = text.replace(['|', ' '], "\n").replace('_', " ");
    read(&format!(
        "0\nSECTION\n2\nHEADER\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nLINE\n10\n0\n20\n0\n11\n-100\n21\n-100\n{body}\n0\nENDSEC\n0\nEOF\n"
    ))
}

fn bounds(art: &Artwork) -> Rect {
    use kurbo::Shape as _;
    let texts = art.shapes.iter().filter(|shape| shape.text);
    texts.map(|text| text.path.bounding_box()).reduce(|a, b| a.union(b)).unwrap()
}

fn near(a: f64, b: f64) {
    assert!((a - b).abs() < 0.02, "{a} instead of {b}");
}

#[test]
fn text_of_an_svg_stands_on_its_base_line_and_is_filled() {
    // DejaVu Sans: a capital is 1493 of 2048 units high.
    let art =
        svg(r#"<text id="t" x="10" y="30" font-family="sans-serif" font-size="20">HEH</text>"#);
    let r = bounds(&art);
    near(r.y0, 20.0);
    near(r.height(), 20.0 * 1493.0 / 2048.0);
    assert!(r.x0 > 10.0 && r.width() > 35.0);
    assert!(art.shapes[0].fill.is_some() && art.shapes[0].source.id.as_deref() == Some("t"));
    assert!(art.problems.is_empty() && art.unread.is_empty());
    // Anchored in its middle.
    let middle = svg(
        r#"<text x="50" y="30" text-anchor="middle" font-family="sans-serif" font-size="20">HEH</text>"#,
    );
    assert!((bounds(&middle).center().x - 50.0).abs() < 0.5);
}

#[test]
fn a_missing_font_is_named_with_what_replaced_it() {
    let art = svg(r#"<text x="9" y="9" font-family="Kite Script" font-size="9">a</text>"#);
    let told: Vec<_> = art.problems.iter().map(|p| (p.code.text(), p.message.as_str())).collect();
    assert_eq!(
        told,
        [(
            "missing-font",
            "text in a font that is not on this machine: \"Kite Script\" (DejaVu Sans instead)"
        )]
    );
}

#[test]
fn text_along_a_path_turned_or_stroked_is_still_text() {
    let art = svg(
        r##"<path id="p" d="M10 40 A40 40 0 0 1 90 40" fill="none"/><text font-size="6" fill="none" stroke="#00f" stroke-width="0.1"><textPath href="#p">round the bow</textPath></text>"##,
    );
    let text: Vec<_> = art.shapes.iter().filter(|s| s.text).collect();
    assert!(!text.is_empty() && text.iter().all(|s| s.stroke.is_some() && s.fill.is_none()));
}

#[test]
fn text_of_a_dxf_has_its_height_place_and_turn() {
    let plain = bounds(&dxf("0 TEXT|10 0|20 0|40 7|1 HEH"));
    // The line to −100, −100 is the lower left corner of the drawing.
    near(plain.y0, 100.0);
    near(plain.height(), 7.0);
    let wide = bounds(&dxf("0 TEXT|10 0|20 0|40 7|41 2|1 HEH"));
    near(wide.width(), 2.0 * plain.width());
    let turned = bounds(&dxf("0 TEXT|10 0|20 0|40 7|50 90|1 HEH"));
    near(turned.height(), plain.width());
    near(turned.x1, 100.0);
    // Middle centre at 0, 0.
    let centred = bounds(&dxf("0 TEXT|10 5|20 5|11 0|21 0|40 7|72 1|73 2|1 HEH"));
    near(centred.center().x, 100.0);
    near(centred.center().y, 100.0);
    let right = bounds(&dxf("0 TEXT|10 5|20 5|11 0|21 0|40 7|72 2|1 HEH"));
    near(right.x1, 100.0);
    near(right.y0, 100.0);
}

#[test]
fn several_lines_of_a_dxf_hang_from_their_corner() {
    // Top left at 0, 0: two lines of 6 mm, 10 mm apart.
    let two = bounds(&dxf("0 MTEXT|10 0|20 0|40 6|71 1|1 {\\C1;HEH}\\PHH"));
    near(two.y1, 100.0);
    near(two.height(), 16.0);
    near(two.x0, 100.0);
    let bottom_right = bounds(&dxf("0 MTEXT|10 0|20 0|40 6|71 9|1 HEH\\PHH"));
    near(bottom_right.y0, 100.0);
    near(bottom_right.x1, 100.0);
    let told: Vec<_> =
        dxf("0 MTEXT|10 0|20 0|40 6|1 HEH").problems.iter().map(|p| p.code.text()).collect();
    assert_eq!(told, ["plain-font"]);
}

#[test]
fn texts_of_several_lines_are_wrapped_spaced_and_turned_as_their_own_tags_say() {
    // Two words of three signs; 12 mm hold one of them.
    let wide = bounds(&dxf("0 MTEXT|10 0|20 0|40 6|71 1|1 HEH"));
    let wrapped = bounds(&dxf("0 MTEXT|10 0|20 0|40 6|41 20|71 1|1 HEH_HEH"));
    near(wrapped.width(), wide.width());
    near(wrapped.height(), 16.0);
    // 1.5 times as far apart: 15 mm from base to base.
    near(bounds(&dxf("0 MTEXT|10 0|20 0|40 6|44 1.5|71 1|1 H\\PH")).height(), 21.0);
    // Half as high from there on.
    near(bounds(&dxf("0 MTEXT|10 0|20 0|40 6|71 1|1 H\\P{\\H0.5x;H}")).height(), 11.0);
    // The middle of a width of 60 mm, where the whole hangs from its left.
    let middle = bounds(&dxf("0 MTEXT|10 0|20 0|40 6|41 60|71 1|1 \\pxqc;HEH"));
    near(middle.center().x, 130.0);
    // Behind 101 stand the numbers of another object: its place is no direction.
    let embedded = "0 MTEXT|10 0|20 0|40 6|71 1|1 HEH|11 1|21 0|101 Embedded_Object|70 1|10 1|20 0|11 3|21 77|40 9|41 1";
    let level = bounds(&dxf(embedded));
    near(level.height(), 6.0);
    near(level.x0, 100.0);
    let upright = bounds(&dxf("0 MTEXT|10 0|20 0|40 6|71 1|1 HEH|11 0|21 2"));
    near(upright.width(), 6.0);
    // Two columns of 20 mm with 5 between, one line each.
    let columns =
        "0 MTEXT|10 0|20 0|40 6|71 1|1 HEH_HEH|101 Embedded_Object|71 1|72 2|44 20|45 5|41 7";
    let columns = bounds(&dxf(columns));
    near(columns.height(), 6.0);
    near(columns.width(), 25.0 + wide.width());
}

#[test]
fn a_text_between_two_points_is_as_long_as_they_are_apart() {
    let fit = bounds(&dxf("0 TEXT|10 0|20 0|11 90|21 0|40 7|72 5|1 HEH"));
    near(fit.x0, 100.0);
    near(fit.width(), 90.0);
    near(fit.height(), 7.0);
    let aligned = bounds(&dxf("0 TEXT|10 0|20 0|11 0|21 90|40 7|72 3|1 HEH"));
    near(aligned.height(), 90.0);
    assert!(aligned.width() > 20.0, "as much higher as longer: {aligned:?}");
    // Backwards, for a stamp: to the left of its place.
    near(bounds(&dxf("0 TEXT|10 0|20 0|40 7|71 2|1 HEH")).x1, 100.0);
}

#[test]
fn a_colour_inside_a_text_is_a_colour_of_its_own() {
    let art = dxf("0 MTEXT|10 0|20 0|40 6|62 5|1 H{\\C1;H}H");
    let colours: Vec<_> =
        art.shapes.iter().filter(|s| s.text).map(|s| s.fill.unwrap().colour.to_string()).collect();
    assert_eq!(colours, ["#0000ff", "#ff0000"]);
}

#[test]
fn what_stands_behind_the_end_of_a_dxf_is_not_read() {
    let drawn = "0\nSECTION\n2\nENTITIES\n0\nLINE\n10\n0\n20\n0\n11\n5\n21\n0\n0\nENDSEC\n0\nEOF\n";
    for rest in ["some words\nof a mail\n", "0\nLINE\n10\n0\n20\n0\n11\n900\n21\n0\n"] {
        let art = artwork::read("a.dxf", format!("{drawn}{rest}").as_bytes(), &Reading::default())
            .unwrap();
        near(art.extents().unwrap().width(), 5.0);
    }
}
