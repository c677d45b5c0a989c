use super::*;
use tinkite_artwork::layers::layers;
use tinkite_base::geometry::{Contour, Rect};

const HUB: &str = include_str!("../../../../demo/spar-hub.dxf");

fn read_drawing(text: &str) -> Artwork {
    crate::read("a.dxf", text.as_bytes(), &Default::default()).unwrap_or_else(|p| panic!("{p:?}"))
}

/// A drawing in mm of these entities, each a line of codes and values.
fn of(entities: &str) -> Artwork {
    read_drawing(&whole("4", "", entities))
}

/// Codes and values, separated by blanks and bars, as the lines of a file.
fn lines(entities: &str) -> String {
    entities.split('|').map(str::trim).filter(|t| !t.is_empty()).fold(String::new(), |out, pair| {
        let (code, value) = pair.split_once(' ').unwrap_or((pair, ""));
        format!("{out}{code}\n{value}\n")
    })
}

fn whole(units: &str, blocks: &str, entities: &str) -> String {
    let blocks = lines(blocks);
    let entities = lines(entities);
    let header =
        if units.is_empty() { String::new() } else { format!("9\n$INSUNITS\n70\n{units}\n") };
    format!(
        "0\nSECTION\n2\nHEADER\n{header}0\nENDSEC\n0\nSECTION\n2\nBLOCKS\n{blocks}0\nENDSEC\n0\nSECTION\n2\nENTITIES\n{entities}0\nENDSEC\n0\nEOF\n"
    )
}

fn contours(artwork: &Artwork) -> Vec<Contour> {
    artwork.shapes.iter().flat_map(|shape| shape.contours(0.005)).collect()
}

fn size(artwork: &Artwork) -> (f64, f64) {
    let r: Rect = artwork.extents().unwrap();
    (r.width(), r.height())
}

fn near(a: f64, b: f64) -> bool {
    (a - b).abs() < 1e-3
}

fn codes(artwork: &Artwork) -> Vec<&'static str> {
    artwork.problems.iter().map(|p| p.code.text()).collect()
}

#[test]
fn the_hub_is_what_was_drawn() {
    let hub = read_drawing(HUB);
    assert!(!hub.units.doubtful);
    let (width, height) = size(&hub);
    assert!(near(width, 60.0) && near(height, 60.0), "{width} x {height}");
    // Eight loose lines and arcs are one closed outline; bore, four slots, four screw holes.
    let red = &layers(&hub, 0.005)[0];
    assert_eq!((red.colour.to_string().as_str(), red.shapes, red.open), ("#ff0000", 10, 0));
    let outline = 4.0 * 36.0 + 12.0 * std::f64::consts::TAU;
    let slots = 4.0 * (20.0 + 4.0 * std::f64::consts::PI);
    let holes = (10.0 + 4.0 * 3.2) * std::f64::consts::PI;
    assert!((red.length - outline - slots - holes).abs() < 0.01, "{}", red.length);
    assert_eq!(hub.shapes[0].source.groups, ["OUTLINE"]);
    assert_eq!(hub.shapes[0].source.line, Some(123));
    // The arc of a block keeps its reference's place and its block's name.
    let screw = hub.shapes.iter().find(|s| s.source.groups.contains(&"SCREW".to_string())).unwrap();
    assert_eq!(screw.source.groups[0], "HOLES");
    assert_eq!(codes(&hub), ["hidden"]);
}

#[test]
fn text_and_binary_say_the_same() {
    for wide in [true, false] {
        let binary = binary(HUB, wide);
        let art = crate::read("a.dxf", &binary, &Default::default()).unwrap();
        let plain = read_drawing(HUB);
        assert_eq!(art.shapes.len(), plain.shapes.len());
        for (a, b) in art.shapes.iter().zip(&plain.shapes) {
            assert_eq!((&a.path, a.stroke), (&b.path, b.stroke));
            assert_eq!(a.source.line, None);
        }
    }
}

/// A text file as a binary one of the newer (`wide`) or older form.
fn binary(text: &str, wide: bool) -> Vec<u8> {
    // The reader does not look at the name in front.
    let mut out = b"0123456 Binary DXF\r\n\x1a\0".to_vec();

    assert_eq!(out.len(), 22);
    let mut lines = text.lines();
    while let (Some(code), Some(value)) = (lines.next(), lines.next()) {
        let code: i16 = code.trim().parse().unwrap();
        if wide {
            out.extend(code.to_le_bytes());
        } else if code < 255 {
            out.push(code as u8);
        } else {
            out.push(255);
            out.extend(code.to_le_bytes());
        }
        match code {
            10..=59 | 210..=239 => out.extend(value.parse::<f64>().unwrap().to_le_bytes()),
            60..=79 | 370..=389 => out.extend(value.parse::<i16>().unwrap().to_le_bytes()),
            90..=99 | 420..=429 => out.extend(value.parse::<i32>().unwrap().to_le_bytes()),
            _ => {
                out.extend(value.as_bytes());
                out.push(0);
            }
        }
    }
    out
}

#[test]
fn every_unit_gives_the_true_size() {
    for (code, mm) in [
        ("1", 25.4),
        ("2", 304.8),
        ("4", 1.0),
        ("5", 10.0),
        ("6", 1000.0),
        ("9", 0.0254),
        ("13", 0.001),
    ] {
        let art = read_drawing(&whole(code, "", "0 LINE|10 0|20 0|11 3|21 0"));
        assert!((size(&art).0 - 3.0 * mm).abs() < 1e-9, "{code}");
        assert!(art.problems.is_empty());
    }
    let unsaid = read_drawing(&whole("", "", "0 LINE|10 0|20 0|11 3|21 0"));
    assert!(unsaid.units.doubtful && codes(&unsaid) == ["unit-doubt"]);
    let text = whole("4", "", "0 LINE|10 0|20 0|11 3|21 0")
        .replace("9\n$INSUNITS", "9\n$MEASUREMENT\n70\n0\n9\n$INSUNITS");
    assert_eq!(codes(&read_drawing(&text)), ["unit-doubt"]);
}

#[test]
fn polylines_bulge_and_old_ones_too() {
    let light = of("0 LWPOLYLINE|8 A|70 1|10 0|20 0|42 1|10 10|20 0|42 1");
    let round = &contours(&light)[0];
    assert!(round.closed && near(round.length(), 10.0 * std::f64::consts::PI));
    let old =
        of("0 POLYLINE|8 A|66 1|70 1|0 VERTEX|10 0|20 0|42 1|0 VERTEX|10 10|20 0|42 1|0 SEQEND");
    assert_eq!(contours(&old)[0].length(), round.length());
    // A quarter turn clockwise: from the origin to 10, 10, bulging up.
    let quarter = of("0 LWPOLYLINE|70 0|10 0|20 0|42 -0.41421356237|10 10|20 10");
    assert!(near(contours(&quarter)[0].length(), 5.0 * std::f64::consts::PI));
    assert!(near(size(&quarter).0, 10.0) && near(size(&quarter).1, 10.0));
}

#[test]
fn blocks_scale_turn_repeat_and_mirror() {
    let block = "0 BLOCK|2 KITE|10 5|20 0|0 LINE|8 0|62 0|10 5|20 0|11 15|21 0|0 LINE|8 0|62 256|10 5|20 0|11 5|21 4|0 ENDBLK";
    let art = read_drawing(&whole(
        "4",
        block,
        "0 INSERT|8 SAIL|62 3|2 kite|10 100|20 50|41 2|42 3|50 90",
    ));
    // The long arm (10 × 2) points up, the short one (4 × 3) left.
    let (width, height) = size(&art);
    assert!(near(width, 12.0) && near(height, 20.0), "{width} x {height}");
    assert_eq!(art.shapes[0].stroke.unwrap().colour.to_string(), "#00ff00", "by block");
    assert_eq!(art.shapes[0].source.groups, ["SAIL", "KITE".to_lowercase().as_str()]);
    let array = read_drawing(&whole("4", block, "0 INSERT|2 KITE|10 0|20 0|70 3|71 2|44 20|45 30"));
    assert!(near(size(&array).0, 50.0) && near(size(&array).1, 34.0));
    // A normal that points down mirrors left and right.
    let plain = of("0 ARC|10 10|20 0|40 5|50 0|51 90");
    let mirrored = of("0 ARC|10 10|20 0|40 5|50 0|51 90|210 0|220 0|230 -1");
    let start = |art: &Artwork| art.shapes[0].contours(0.01)[0].clone();
    assert!(near(start(&plain).start.x, 5.0) && near(start(&mirrored).start.x, 0.0));
}

#[test]
fn hatches_solids_faces_and_ellipses() {
    let hatch = of(
        "0 HATCH|62 1|70 1|91 2|92 2|72 0|73 1|93 4|10 0|20 0|10 20|20 0|10 20|20 20|10 0|20 20|97 0|92 1|93 1|72 2|10 10|20 10|40 5|50 0|51 360|73 1|97 0",
    );
    let layer = &layers(&hatch, 0.005)[0];
    assert_eq!((layer.by.name(), layer.contours), ("fill", 2));
    assert!((layer.area - (400.0 - 25.0 * std::f64::consts::PI)).abs() < 0.05, "{}", layer.area);
    let solid = of("0 SOLID|10 0|20 0|11 10|21 0|12 0|22 5|13 10|23 5");
    assert!((layers(&solid, 0.01)[0].area - 50.0).abs() < 1e-6, "corners run in a Z");
    let face = of("0 3DFACE|70 1|10 0|20 0|11 10|21 0|12 10|22 5|13 0|23 5");
    assert!(near(contours(&face).iter().map(Contour::length).sum(), 20.0), "one edge is hidden");
    let ellipse = of("0 ELLIPSE|10 0|20 0|11 0|21 8|40 0.5|41 0|42 6.283185307179586");
    assert!(near(size(&ellipse).0, 8.0) && near(size(&ellipse).1, 16.0));
    assert!(contours(&ellipse)[0].closed);
}

#[test]
fn what_is_hidden_unknown_or_broken_is_said() {
    let art = of(
        "0 LINE|10 0|20 0|11 50|21 0|0 LINE|60 1|10 0|20 0|11 9|21 9|0 LINE|67 1|10 0|20 0|11 9|21 9|0 DIMENSION|8 A|0 CIRCLE|10 5|20 5|40 -2|0 INSERT|2 NOWHERE|10 0|20 0|0 MTEXT|10 0|20 0|40 3|1 kite",
    );
    assert_eq!(art.shapes.len(), 1);
    assert_eq!(codes(&art), ["hidden", "hidden", "not-read", "broken-entity", "lost-block"]);
    assert_eq!(art.unread.len(), 1, "text without fonts");
}

#[test]
fn chains_join_where_exactly_two_ends_meet() {
    // A T of three lines stays three; a square out of order and direction becomes one.
    let tee =
        of("0 LINE|10 0|20 0|11 5|21 0|0 LINE|10 5|20 0|11 10|21 0|0 LINE|10 5|20 0|11 5|21 5");
    assert_eq!(tee.shapes.len(), 3);
    let square = of(
        "0 LINE|10 0|20 0|11 5|21 0|0 LINE|10 0|20 5|11 5|21 5|0 LINE|10 0|20 0|11 0|21 5|0 LINE|10 5|20 5|11 5|21 0.0004",
    );
    assert_eq!(square.shapes.len(), 1);
    assert!(contours(&square)[0].closed && near(contours(&square)[0].length(), 20.0));
    // Lines of two layers are never one.
    let two = of("0 LINE|8 A|10 0|20 0|11 5|21 0|0 LINE|8 B|10 5|20 0|11 5|21 5");
    assert_eq!(two.shapes.len(), 2);
}

#[test]
fn hostile_files_end_in_a_message() {
    let itself =
        whole("4", "0 BLOCK|2 A|0 INSERT|2 A|0 LINE|10 0|20 0|11 1|21 1|0 ENDBLK", "0 INSERT|2 A");
    assert_eq!(read_drawing(&itself).shapes.len(), 1);
    let mut blocks = String::from("0 BLOCK|2 B0|0 LINE|10 0|20 0|11 1|21 1|0 ENDBLK|");
    for n in 1..30 {
        let down = format!("0 INSERT|2 B{}|", n - 1).repeat(10);
        blocks += &format!("0 BLOCK|2 B{n}|{down}0 ENDBLK|");
    }
    let bomb = whole("4", &blocks, "0 INSERT|2 B29");
    let refused = crate::read("a.dxf", bomb.as_bytes(), &Default::default()).unwrap_err();
    assert_eq!(refused.iter().next().unwrap().code.text(), "too-much");
    for far in ["1e300", "NaN", "inf", "99999999999"] {
        let text = whole("4", "", &format!("0 LINE|10 0|20 0|11 {far}|21 1"));
        match crate::read("a.dxf", text.as_bytes(), &Default::default()) {
            Ok(art) => assert_eq!(codes(&art), ["broken-entity"], "{far}"),
            Err(problems) => assert_eq!(problems.iter().next().unwrap().code.text(), "absurd-size"),
        }
    }
    let not = crate::read("a.dxf", b"0\nSECTION\nhello\nkite\n", &Default::default()).unwrap_err();
    let place = not.iter().next().unwrap().place.as_ref().unwrap().line;
    assert_eq!(place, Some(3));
}

#[test]
fn a_file_cut_off_anywhere_is_read_with_a_warning_or_refused() {
    let whole_binary = binary(HUB, true);
    for whole in [HUB.as_bytes(), &whole_binary] {
        for n in 0..16 {
            let cut = &whole[..whole.len() * n / 16];
            if let Ok(art) = crate::read("a.dxf", cut, &Default::default()) {
                assert!(codes(&art).contains(&"cut-short"), "{n}/16: {:?}", codes(&art));
            }
        }
    }
}

/// The header, with a code page, and a text in it.
fn text_in(page: &str, letters: &[u8]) -> Vec<u8> {
    let head = format!(
        "0\nSECTION\n2\nHEADER\n9\n$DWGCODEPAGE\n3\n{page}\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n0\nLINE\n8\n"
    );
    let mut bytes = head.into_bytes();
    bytes.extend(letters);
    bytes.extend(b"\n10\n0\n20\n0\n11\n5\n21\n5\n0\nENDSEC\n0\nEOF\n");
    bytes
}

#[test]
fn names_are_read_in_the_code_page_that_the_header_names() {
    let read = |page: &str, letters: &[u8]| {
        let artwork = crate::read("a.dxf", &text_in(page, letters), &Default::default()).unwrap();
        let told: Vec<String> = artwork.problems.iter().map(|p| p.message.clone()).collect();
        (artwork.shapes[0].source.groups[0].clone(), told)
    };
    assert_eq!(read("ANSI_1251", &[0xcf, 0xf0, 0xe8, 0xe2, 0xe5, 0xf2]).0, "Привет");
    assert_eq!(read("ANSI_932", &[0x91, 0xfa]).0, "凧");
    assert_eq!(read("DOS850", &[0x81, 0x9b]).0, "üø");
    assert_eq!(read("ANSI_1252", "Öse".as_bytes()).0, "Öse", "UTF-8 since R2007");
    let (name, told) = read("KLINGON_1", &[0xfc]);
    assert_eq!(name, "ü");
    assert_eq!(told.len(), 1, "{told:?}");
    assert!(told[0].contains("KLINGON_1"), "{told:?}");
    assert!(read("KLINGON_1", b"plain").1.is_empty());
}

#[test]
fn every_unit_of_the_reference_is_known() {
    // A line of so many units of each, 100 mm long.
    for (code, units) in [
        (3, 100.0 / 1_609_344.0),
        (7, 1e-4),
        (11, 1e9),
        (12, 1e8),
        (17, 1e-10),
        (18, 100.0 / 149_597_870_700_000.0),
        (19, 100.0 / 9.460_730_472_580_8e18),
        (20, 100.0 / 3.085_677_581_491_367e19),
        (21, 100.0 * 3937.0 / 1_200_000.0),
        (22, 100.0 * 3937.0 / 100_000.0),
        (23, 100.0 * 3937.0 / 3_600_000.0),
        (24, 100.0 * 3937.0 / 1_200_000.0 / 5280.0),
    ] {
        let line = format!("0 LINE|10 0|20 0|11 {units:e}|21 {units:e}");
        let artwork = read_drawing(&whole(&code.to_string(), "", &line));
        assert!(!artwork.units.doubtful, "{code}");
        assert!((size(&artwork).0 - 100.0).abs() < 1e-6, "{code}: {:?}", size(&artwork));
    }
}

#[test]
fn layers_that_are_off_frozen_or_not_plotted_show_what_cad_shows() {
    let layer = |name: &str, more: &str| lines(&format!("0 LAYER|2 {name}|{more}"));
    let tables = format!(
        "0\nSECTION\n2\nTABLES\n{}{}{}0\nENDSEC\n",
        layer("off", "62 -1"),
        layer("frozen", "62 1|70 1"),
        layer("notes", "62 1|290 0")
    );
    // A block with a line on layer 0 and one on a layer of its own.
    let block = "0 BLOCK|2 B|10 0|20 0|0 LINE|8 0|10 0|20 0|11 1|21 1|0 LINE|8 own|10 0|20 2|11 9|21 2|0 ENDBLK";
    let drawn = |entities: &str| {
        let text = whole("4", block, &format!("0 LINE|8 own|10 0|20 20|11 1|21 20|{entities}"));
        let artwork = read_drawing(&format!("{tables}{text}"));
        let told: Vec<String> = artwork.problems.iter().map(|p| p.message.clone()).collect();
        (artwork.shapes.len() - 1, told.join("; "))
    };
    let insert = |layer: &str| format!("0 INSERT|8 {layer}|2 B|10 0|20 0");
    assert_eq!(drawn(&insert("own")), (2, String::new()));
    // Off: what lies on layer 0 is off with it; frozen: all of it.
    assert_eq!(drawn(&insert("off")), (1, "left out: 1 on the hidden layer \"off\"".into()));
    assert_eq!(drawn(&insert("frozen")), (0, "left out: 1 on the hidden layer \"frozen\"".into()));
    let line = "0 LINE|8 notes|10 0|20 0|11 1|21 1";
    assert_eq!(drawn(line), (0, "left out: 1 on the layer \"notes\", which is not plotted".into()));
}
