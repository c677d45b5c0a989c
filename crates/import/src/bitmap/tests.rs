use super::*;
use crate::read;
use tinkite_artwork::trace;

fn demo(name: &str) -> Vec<u8> {
    let bytes: &[u8] = match name {
        "stamp.png" => include_bytes!("../../../../demo/stamp.png"),
        "bow-photo.jpg" => include_bytes!("../../../../demo/bow-photo.jpg"),
        "label.bmp" => include_bytes!("../../../../demo/label.bmp"),
        "tail.gif" => include_bytes!("../../../../demo/tail.gif"),
        _ => include_bytes!("../../../../demo/spool.tif"),
    };
    bytes.to_vec()
}

/// A picture of these pixels, encoded.
fn encode(picture: DynamicImage, format: image::ImageFormat) -> Vec<u8> {
    let mut out = Cursor::new(Vec::new());
    picture.write_to(&mut out, format).unwrap();
    out.into_inner()
}

#[test]
fn every_kind_has_its_resolution_and_size() {
    for (name, pixels, dpi) in [
        ("stamp.png", 472, Some(300.0)),
        ("bow-photo.jpg", 360, Some(254.0)),
        ("label.bmp", 160, Some(127.0)),
        ("tail.gif", 200, None),
        ("spool.tif", 240, Some(254.0)),
    ] {
        let art = read(name, &demo(name), &Default::default()).unwrap();
        let image = &art.images[0];
        assert_eq!(image.pixels, (pixels, pixels), "{name}");
        assert_eq!(art.units.doubtful, dpi.is_none(), "{name}");
        let want = f64::from(pixels) * 25.4 / dpi.unwrap_or(96.0);
        assert!((image.size().0 - want).abs() < 0.01, "{name}: {}", image.size().0);
        let codes: Vec<_> = art.problems.iter().map(|p| p.code.text()).collect();
        assert_eq!(codes, if dpi.is_some() { vec![] } else { vec!["unit-doubt"] }, "{name}");
        // A kite in a ring: black in the middle, white in the corners.
        let bitmap = image.bitmap.as_ref().unwrap();
        assert!(bitmap.grey[0] > 240, "{name}");
        assert!(bitmap.grey.iter().filter(|g| **g < 20).count() > bitmap.grey.len() / 20, "{name}");
    }
}

#[test]
fn exif_lays_a_photo_upright() {
    // Stored on its side with a tag that says so: the tail hangs down, so there is more ink in the
    // middle of the lower half than at its sides.
    let art = read("a.jpg", &demo("bow-photo.jpg"), &Default::default()).unwrap();
    let bitmap = art.images[0].bitmap.clone().unwrap();
    let n = bitmap.width as usize;
    let row = |y: usize| &bitmap.grey[y * n..(y + 1) * n];
    let dark = |row: &[u8]| row[n / 4..3 * n / 4].iter().filter(|g| **g < 128).count();
    let widest = (0..n).max_by_key(|y| dark(row(*y))).unwrap();
    assert!((n * 35 / 100..n * 50 / 100).contains(&widest), "the kite is widest in row {widest}");
}

#[test]
fn all_depths_and_transparency_over_white() {
    use image::{ImageFormat, Luma, LumaA, Rgb, Rgba};
    let pictures: [DynamicImage; 5] = [
        image::ImageBuffer::from_pixel(3, 2, Luma([0u8])).into(),
        image::ImageBuffer::from_pixel(3, 2, Luma([0u16])).into(),
        image::ImageBuffer::from_pixel(3, 2, Rgb([0u16; 3])).into(),
        image::ImageBuffer::from_pixel(3, 2, LumaA([0u8, 255])).into(),
        image::ImageBuffer::from_pixel(3, 2, Rgba([0u8, 0, 0, 255])).into(),
    ];
    for picture in pictures {
        let art = read("a.png", &encode(picture, ImageFormat::Png), &Default::default()).unwrap();
        assert_eq!(art.images[0].bitmap.as_ref().unwrap().grey, [0; 6]);
    }
    let clear = image::ImageBuffer::from_pixel(1, 1, Rgba([0u8, 0, 0, 0])).into();
    let art = read("a.png", &encode(clear, ImageFormat::Png), &Default::default()).unwrap();
    assert_eq!(art.images[0].bitmap.as_ref().unwrap().grey, [255]);
    assert_eq!((over_white(0, 128), over_white(200, 255)), (127, 200));
}

#[test]
fn absurd_and_broken_files_are_refused_before_they_cost_memory() {
    // A header that promises 60,000 × 60,000 pixels and nothing behind it.
    let mut huge = demo("stamp.png");
    huge[16..20].copy_from_slice(&60_000u32.to_be_bytes());
    huge[20..24].copy_from_slice(&60_000u32.to_be_bytes());
    for name in ["stamp.png", "bow-photo.jpg", "label.bmp", "tail.gif", "spool.tif"] {
        let whole = demo(name);
        for n in 0..16 {
            // A decoder that gives what it has must not keep that to itself.
            if let Ok(art) = read(name, &whole[..whole.len() * n / 16], &Default::default()) {
                let told = art.problems.iter().any(|p| p.code.text() == "cut-short");
                assert!(told, "{name} {n}/16");
            }
        }
    }
    let refused = read("a.png", &huge, &Default::default()).unwrap_err();
    assert!(["huge-bitmap", "broken-bitmap"].contains(&refused.iter().next().unwrap().code.text()));
}

#[test]
fn a_disc_is_traced_round_and_a_square_with_corners() {
    let (n, to_mm) = (200usize, Affine::new([0.1, 0.0, 0.0, -0.1, 0.0, 20.0]));
    let of = |dark: &dyn Fn(f64, f64) -> bool| Bitmap {
        width: n as u32,
        height: n as u32,
        grey: (0..n * n)
            .map(|p| if dark((p % n) as f64 + 0.5, (p / n) as f64 + 0.5) { 0 } else { 255 })
            .collect(),
    };
    let area = |path: &tinkite_base::geometry::BezPath| {
        let rings: Vec<_> = tinkite_base::geometry::fit::contours(path, 0.005)
            .iter()
            .map(|c| c.flatten(0.001))
            .collect();
        tinkite_base::geometry::region::enclosed_area(
            &rings,
            tinkite_base::geometry::region::FillRule::EvenOdd,
        )
    };
    let disc = of(&|x, y| (x - 100.0).hypot(y - 100.0) < 80.0);
    let traced = trace::trace(&disc, to_mm, &trace::Trace::default()).unwrap();
    assert_eq!(traced.paths.len(), 1);
    let round = std::f64::consts::PI * 64.0;
    assert!((area(&traced.paths[0]) / round - 1.0).abs() < 0.01, "{}", area(&traced.paths[0]));
    // A square with a hole, and a speck of one pixel.
    let square = of(&|x, y| {
        let inside = |low: f64, high: f64| (low..high).contains(&x) && (low..high).contains(&y);
        inside(20.0, 180.0) && !inside(80.0, 120.0) || (x, y) == (5.5, 5.5)
    });
    let sharp = trace::Trace { smooth: 0.0, ..trace::Trace::default() };
    let traced = trace::trace(&square, to_mm, &sharp).unwrap();
    assert_eq!((traced.paths.len(), traced.specks), (1, 1));
    assert!((area(&traced.paths[0]) - (256.0 - 16.0)).abs() < 1e-6);
    use kurbo::Shape as _;
    let bounds = traced.paths[0].bounding_box();
    assert!((bounds.x0 - 2.0).abs() < 1e-9 && (bounds.y0 - 2.0).abs() < 1e-9, "{bounds:?}");
}

/// A TIFF of 8 x 8 pixels of one bit with this compression, whose pixels are nonsense (TIFF 6.0, section 2).
fn tiff(compression: u16) -> Vec<u8> {
    let fields: [(u16, u32); 8] = [
        (256, 8),
        (257, 8),
        (258, 1),
        (259, compression.into()),
        (262, 0),
        (273, 8 + 2 + 8 * 12 + 4),
        (278, 8),
        (279, 8),
    ];
    let mut bytes = b"II*\0\x08\0\0\0\x08\0".to_vec();
    for (tag, value) in fields {
        bytes.extend(tag.to_le_bytes());
        bytes.extend(4u16.to_le_bytes());
        bytes.extend(1u32.to_le_bytes());
        bytes.extend(value.to_le_bytes());
    }
    bytes.extend([0; 4]);
    bytes.extend([0x5a; 8]);
    bytes
}

#[test]
fn kinds_of_tiff_that_are_not_read_are_named() {
    assert!(crate::read("a.tif", &tiff(1), &Default::default()).is_ok());
    let refused = |bytes: &[u8]| {
        let problems = crate::read("a.tif", bytes, &Default::default()).unwrap_err();
        problems.iter().next().unwrap().message.clone()
    };
    for (compression, named) in
        [(3, "CCITT group 3"), (34712, "JPEG 2000"), (50001, "WebP"), (50002, "JPEG XL")]
    {
        assert!(refused(&tiff(compression)).contains(named), "{}", refused(&tiff(compression)));
    }
    let big = [b"II+\0\x08\0\0\0".as_slice(), &[0; 40]].concat();
    assert!(refused(&big).contains("BigTIFF"), "{}", refused(&big));
}

#[test]
fn webp_is_read_and_what_is_not_is_named_with_a_way_out() {
    let picture = DynamicImage::ImageLuma8(image::GrayImage::from_fn(20, 10, |x, _| {
        image::Luma([if x < 5 { 0 } else { 255 }])
    }));
    let bytes = encode(picture.to_rgb8().into(), image::ImageFormat::WebP);
    let art = read("a.webp", &bytes, &Default::default()).unwrap();
    assert_eq!((art.format, art.images[0].pixels), (Format::WebP, (20, 10)));
    let grey = &art.images[0].bitmap.as_ref().unwrap().grey;
    assert_eq!((grey[4], grey[5]), (0, 255));
    for (bytes, what) in [
        (&b"%!PS-Adobe-3.0 EPSF-3.0\n"[..], "PostScript (EPS)"),
        (b"\0\0\0\x1cftypavif\0\0\0\0", "an AVIF bitmap"),
        (b"\0\0\0\x18ftypheic\0\0\0\0", "a HEIC photo"),
        (b"PK\x03\x04....3D/3dmodel.model", "a 3MF model"),
        (b"AC1027\0\0", "a DWG drawing"),
    ] {
        let refused = read("a", bytes, &Default::default()).unwrap_err();
        let problem = refused.iter().next().unwrap();
        assert_eq!(problem.message, format!("this is {what}, which is not read"));
        assert!(!problem.help.is_empty());
    }
}

/// A TIFF of 16 x 2 pixels of one bit, black where a bit is 0, its bits in this order.
fn tiff_of_bits(order: u16, rows: [u16; 2]) -> Vec<u8> {
    let mut out = b"II*\0\x08\0\0\0".to_vec();
    let fields: [(u16, u16, u32); 9] = [
        (256, 3, 16),
        (257, 3, 2),
        (258, 3, 1),
        (259, 3, 1),
        (262, 3, 1),
        (266, 3, u32::from(order)),
        (273, 4, 8 + 2 + 9 * 12 + 4),
        (278, 3, 2),
        (279, 4, 4),
    ];
    out.extend((fields.len() as u16).to_le_bytes());
    for (tag, kind, value) in fields {
        out.extend(tag.to_le_bytes());
        out.extend(kind.to_le_bytes());
        out.extend(1_u32.to_le_bytes());
        out.extend(value.to_le_bytes());
    }
    out.extend([0; 4]);
    for row in rows {
        let bytes = row.to_be_bytes();
        out.extend(if order == 2 { bytes.map(u8::reverse_bits) } else { bytes });
    }
    out
}

#[test]
fn faxes_hold_their_bits_the_other_way_round() {
    let rows = [0b1000_0000_0000_0011, 0b1111_0000_1100_0000];
    let of = |order| {
        let art = read("a.tif", &tiff_of_bits(order, rows), &Default::default()).unwrap();
        art.images[0].bitmap.as_ref().unwrap().grey.clone()
    };
    let usual = of(1);
    assert_eq!((usual[0], usual[1], usual[15]), (255, 0, 255));
    assert_eq!(usual, of(2));
}
