use super::*;
use crate::read;
use tinkite_artwork::Unread;
use tinkite_artwork::layers::layers;

const CHEEK: &[u8] = include_bytes!("../../../../demo/reel-cheek.pdf");

fn read_drawing(bytes: &[u8]) -> Artwork {
    read("a.pdf", bytes, &Default::default()).unwrap_or_else(|p| panic!("{p:?}"))
}

/// A PDF of one page of 200 × 100 points with this content and more objects, from number 5 on.
/// Its cross-reference table is left out: readers must find the objects all the same.
fn of(page: &str, content: &str, objects: &[&str]) -> Vec<u8> {
    let mut pdf = format!(
        "%PDF-1.7\n1 0 obj\n<</Type/Catalog/Pages 2 0 R>>\nendobj\n2 0 obj\n<</Type/Pages/Kids[3 0 R]/Count 1>>\nendobj\n\
         3 0 obj\n<</Type/Page/Parent 2 0 R/MediaBox[0 0 200 100]/Contents 4 0 R{page}>>\nendobj\n\
         4 0 obj\n<</Length {}>>\nstream\n{content}\nendstream\nendobj\n",
        content.len()
    );
    for (n, object) in objects.iter().enumerate() {
        pdf += &format!("{} 0 obj\n{object}\nendobj\n", n + 5);
    }
    pdf += "trailer\n<</Root 1 0 R>>\n%%EOF\n";
    pdf.into_bytes()
}

fn stream(dict: &str, content: &str) -> String {
    format!("<<{dict}/Length {}>>\nstream\n{content}\nendstream", content.len())
}

#[test]
fn the_cheek_is_what_was_drawn() {
    let cheek = read_drawing(CHEEK);
    let (width, height) = cheek.page.unwrap();
    assert!((width - 90.0).abs() < 1e-3 && (height - 90.0).abs() < 1e-3);
    let red = &layers(&cheek, 0.005)[0];
    assert_eq!((red.shapes, red.open), (8, 0));
    // Rim of 80 mm, six lightening holes of 14 mm, bore of 8 mm.
    let round = std::f64::consts::PI * (80.0 + 6.0 * 14.0 + 8.0);
    assert!((red.length - round).abs() < 0.05, "{} {round}", red.length);
    assert!((red.stroke_width.unwrap().0 - 0.5 * 25.4 / 72.0).abs() < 1e-6);
    // Spot colours and layers are groups.
    assert_eq!(cheek.shapes[0].source.groups, ["Workshop Cut"]);
    let ring = cheek.shapes.iter().find(|s| s.source.groups == ["Score ring"]);
    assert!(ring.is_some());
    assert!(cheek.shapes.iter().any(|s| s.text));
    let codes: Vec<_> = cheek.problems.iter().map(|p| p.code.text()).collect();
    assert_eq!(codes, ["clipped", "hidden"]);
}

#[test]
fn colours_of_every_kind() {
    let art = read_drawing(&of(
        "",
        "0 g 0 0 9 9 re f 1 0 0 rg 20 0 9 9 re f 0 1 1 0 k 40 0 9 9 re f 0.5 G 60 0 9 9 re S",
        &[],
    ));
    let colours: Vec<String> =
        layers(&art, 0.01).iter().map(|l| format!("{} {}", l.colour, l.by.name())).collect();
    assert_eq!(colours[0], "#000000 fill");
    assert_eq!(colours[1], "#ff0000 fill");
    assert_eq!(colours[3], "#808080 stroke");
}

#[test]
fn pages_turn_crop_and_have_units_of_their_own() {
    let line = "10 20 m 110 20 l S";
    let mm = 25.4 / 72.0;
    let x0 = |art: &Artwork| art.extents().unwrap().x0 / mm;
    let plain = read_drawing(&of("", line, &[]));
    assert!((x0(&plain) - 10.0).abs() < 1e-6);
    let cropped = read_drawing(&of("/CropBox[5 5 150 90]", line, &[]));
    assert!((x0(&cropped) - 5.0).abs() < 1e-6);
    assert!((cropped.page.unwrap().0 / mm - 145.0).abs() < 1e-4);
    let turned = read_drawing(&of("/Rotate 90", line, &[]));
    let (width, height) = turned.page.unwrap();
    assert!((width / mm - 100.0).abs() < 1e-4 && (height / mm - 200.0).abs() < 1e-4);
    // Clockwise: what ran right along the bottom runs down along the left.
    let r = turned.extents().unwrap();
    assert!((r.x0 / mm - 20.0).abs() < 1e-4 && (r.y1 / mm - 190.0).abs() < 1e-4, "{r:?}");
    let large = read_drawing(&of("/UserUnit 10", line, &[]));
    assert!((large.extents().unwrap().width() / mm - 1000.0).abs() < 1e-3);
}

#[test]
fn forms_images_and_dashes() {
    let form =
        stream("/Type/XObject/Subtype/Form/BBox[0 0 50 50]/Matrix[2 0 0 2 10 0]", "0 0 10 10 re S");
    let image = stream(
        "/Type/XObject/Subtype/Image/Width 2/Height 1/BitsPerComponent 8/ColorSpace/DeviceGray",
        "AZ",
    );
    let page = "/Resources<</XObject<</F 5 0 R/I 6 0 R>>>>";
    let content = "/F Do q 40 0 0 20 100 50 cm /I Do Q [4 2] 0 d 0 90 m 12 90 l S";
    let bytes = of(page, content, &[&form, &image]);
    let art = read_drawing(&bytes);
    let mm = 25.4 / 72.0;
    let square = art.shapes[0].contours(0.01)[0].bounds();
    // What a clip cuts lies on a lattice of a tenth of a micrometre.
    assert!((square.x0 / mm - 10.0).abs() < 3e-4 && (square.width() / mm - 20.0).abs() < 3e-4);
    let picture = &art.images[0];
    assert_eq!(picture.pixels, (2, 1));
    assert!((picture.bounds().x0 / mm - 100.0).abs() < 1e-4);
    assert!((picture.size().0 / mm - 40.0).abs() < 1e-4);
    assert_eq!(picture.bitmap.as_ref().unwrap().grey, b"AZ");
    assert!(art.unread.iter().all(|(unread, _)| *unread != Unread::Bitmap));
    assert_eq!(art.shapes[1].contours(0.01).len(), 1);
    let how = Reading { dashes: true, ..Default::default() };
    assert_eq!(read("a.pdf", &bytes, &how).unwrap().shapes[1].contours(0.01).len(), 2);
}

#[test]
fn hostile_and_broken_files_end_in_a_message() {
    let form = |to: usize| {
        let content = "/F Do ".repeat(10);
        stream(
            &format!(
                "/Type/XObject/Subtype/Form/BBox[0 0 9 9]/Resources<</XObject<</F {to} 0 R>>>>"
            ),
            &content,
        )
    };
    let page = "/Resources<</XObject<</F 5 0 R>>>>";
    let itself = of(page, "/F Do", &[&form(5)]);
    let chain: Vec<String> = (6..26).map(form).collect();
    let chain: Vec<&str> = chain.iter().map(String::as_str).collect();
    let bomb = of(page, "/F Do", &chain);
    for bytes in [itself, bomb, b"%PDF-1.7\n".to_vec(), of("", "0 0 1e38 1e38 re S", &[])] {
        match read("a.pdf", &bytes, &Default::default()) {
            Ok(art) => assert!(art.shapes.len() < 10),
            Err(problems) => assert!(!problems.is_empty()),
        }
    }
    let how = Reading { page: 2, ..Default::default() };
    let problems = read("a.pdf", CHEEK, &how).unwrap_err();
    assert_eq!(problems.iter().next().unwrap().code.text(), "no-page");
}

#[test]
fn compressed_and_encrypted_files_are_read_and_locked_ones_said() {
    let plain = read_drawing(CHEEK);
    for bytes in [
        &include_bytes!("../../tests/data/object-streams.pdf")[..],
        include_bytes!("../../tests/data/empty-password.pdf"),
        include_bytes!("../../tests/data/empty-password-256.pdf"),
    ] {
        let art = read_drawing(bytes);
        assert_eq!(art.shapes.len(), plain.shapes.len());
        assert_eq!(art.extents(), plain.extents());
    }
    let locked = include_bytes!("../../tests/data/locked.pdf");
    let problems = read("a.pdf", locked, &Default::default()).unwrap_err();
    assert_eq!(problems.iter().next().unwrap().code.text(), "locked-pdf");
}

#[test]
fn a_damaged_cross_reference_is_mended() {
    // Every offset of the table points nowhere.
    let text = CHEEK.to_vec();
    let at = text.windows(4).position(|w| w == b"xref").unwrap();
    let mut broken = text.clone();
    for byte in &mut broken[at..] {
        if byte.is_ascii_digit() {
            *byte = b'7';
        }
    }
    assert_eq!(read_drawing(&broken).shapes.len(), read_drawing(CHEEK).shapes.len());
}

#[test]
fn a_file_cut_off_anywhere_is_refused_or_read() {
    for n in 1..16 {
        if let Err(problems) = read("a.pdf", &CHEEK[..CHEEK.len() * n / 16], &Default::default()) {
            assert!(problems.refuse(), "{n}/16");
        }
    }
}

#[test]
fn a_pdf_that_was_cut_says_so() {
    let whole = include_bytes!("../../../../demo/reel-cheek.pdf");
    let told = |bytes: &[u8]| {
        let read = crate::read("a.pdf", bytes, &Default::default());
        let problems = read.map_or_else(|problems| problems, |art| art.problems);
        let codes: Vec<_> = problems.iter().map(|p| p.code.text()).collect();
        codes.contains(&"cut-short") || codes.contains(&"broken-pdf") || codes.contains(&"no-page")
    };
    assert!(!told(whole));
    for share in [50, 80, 95] {
        assert!(told(&whole[..whole.len() * share / 100]), "{share} %");
    }
}

#[test]
fn a_shading_is_drawn_as_the_page_shows_it() {
    // 100 x 50 pt that go from black to white rightwards, a black square in their middle, all on a black page.
    let shading = "<</ShadingType 2/ColorSpace/DeviceGray/Coords[50 0 150 0]/Function<</FunctionType 2/Domain[0 1]/C0[0]/C1[1]/N 1>>>>";
    let page = format!("/Resources<</Pattern<</P <</PatternType 2/Shading {shading}>>>>>>");
    let bytes = of(
        &page,
        "0 0 200 100 re f /Pattern cs /P scn 50 25 100 50 re f 0 g 90 40 20 20 re f",
        &[],
    );
    let render = Some(crate::Render { dpi: 254.0, takes: None });
    let how = Reading { render, ..Reading::default() };
    let art = read("a.pdf", &bytes, &how).unwrap();
    assert!(art.unread.is_empty(), "{:?}", art.unread);
    let image = &art.images[0];
    let bitmap = image.bitmap.as_ref().unwrap();
    let mm = 25.4 / 72.0;
    let grey = |x: f64, y: f64| {
        let at = image.to_mm.inverse() * tinkite_base::geometry::Point::new(x * mm, y * mm);
        bitmap.grey[at.y as usize * bitmap.width as usize + at.x as usize]
    };
    // Black to white is linear in what the file says.
    for (x, wanted) in [(60.0, 25.5), (75.0, 63.75), (120.0, 178.5), (145.0, 242.25)] {
        assert!((f64::from(grey(x, 30.0)) - wanted).abs() < 4.0, "{x}: {}", grey(x, 30.0));
    }
    // The square is burnt by its own step, and of the page what shows.
    assert_eq!(grey(100.0, 50.0), 255);
    assert_eq!((image.pixels.0, image.pixels.1), (353, 177));
}

#[test]
fn blend_modes_that_are_no_ink_are_named() {
    let blended = |mode: &str| {
        let page = format!("/Resources<</ExtGState<</B <</BM/{mode}>>>>>>");
        let bytes = of(&page, "/B gs 0 0 50 50 re f", &[]);
        let art = read_drawing(&bytes);
        (
            art.unread.iter().any(|(what, _)| *what == Unread::Effect),
            art.shapes[0].fill.unwrap().veil,
        )
    };
    assert_eq!(blended("Normal"), (false, 0));
    assert!(blended("Screen").0 && blended("Difference").0);
    let (effect, veil) = blended("Multiply");
    assert!(!effect && veil > 0, "ink that lets what lies under show through");
}
