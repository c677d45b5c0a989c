//! A photo of the bed: under a job, and alone with rulers and a grid to read places from.

use super::canvas::Canvas;
use super::canvas::worth_showing;
use super::frame::{self, Cross, Ground, View};
use super::legend::{self, Legend, Signs};
use super::underlay;
use image::codecs::jpeg::JpegEncoder;
use image::{ExtendedColorType, ImageEncoder};
use std::fmt::Write as _;
use tinkite_base::geometry::{Affine, Point, Rect};
use tinkite_machine::Machine;
use tinkite_photo::FlatPhoto;

/// A flat photo needs no more pixels than this along its longer side.
const MOST_PIXELS: f64 = 1600.0;

/// How well it is kept, of 100.
const QUALITY: u8 = 82;

/// Draws what a photo shows of the part of the bed that is in view.
pub(super) fn draw(out: &mut String, view: &View, photo: &FlatPhoto) {
    let shown = view.shown;
    let scale = (2.0 * view.scale).min(MOST_PIXELS / shown.width().max(shown.height()));
    let count = |mm: f64| (mm * scale).round().max(1.0) as u32;
    let size = (count(shown.width()), count(shown.height()));
    let rgba = photo.cut_out(shown, size);
    // Where the photo shows nothing there is the bed.
    let rgb: Vec<u8> = rgba
        .chunks_exact(4)
        .flat_map(|p| if p[3] == 0 { [u8::MAX; 3] } else { [p[0], p[1], p[2]] })
        .collect();
    let mut jpeg = Vec::new();
    let encoder = JpegEncoder::new_with_quality(&mut jpeg, QUALITY);
    if encoder.write_image(&rgb, size.0, size.1, ExtendedColorType::Rgb8).is_err() {
        return;
    }
    let pixel = Affine::scale_non_uniform(
        shown.width() / f64::from(size.0),
        -shown.height() / f64::from(size.1),
    );
    let to_bed = Affine::translate((shown.x0, shown.y1)) * pixel;
    underlay::image(out, size, view.transform() * to_bed, 0.85, ("jpeg", &jpeg));
}

/// A photo made flat, on the bed of its machine, with rulers, a grid and the places that are known. `window` is
/// what of it is shown, mm from the bed's front left corner; none: all that is seen of the bed.
#[must_use]
pub fn photo_sheet(
    photo: &FlatPhoto,
    machine: &Machine,
    known: &[Point],
    window: Option<Rect>,
    canvas: Canvas,
) -> String {
    let zero = Cross::from(machine);
    let ground = Ground { bed: machine.bed.rect(), stock: None };
    let places = known.iter().map(|p| Rect::from_points(*p, *p)).reduce(|a, b| a.union(b));
    let reach = places.unwrap_or(ground.bed);
    let shown = window.unwrap_or_else(|| worth_showing(ground.bed, reach));
    let view = View::new(canvas.width, canvas.height, shown);
    let mut out = String::with_capacity(1 << 20);
    frame::open(&mut out, &view, &ground);
    out.push_str("<g clip-path=\"url(#plot)\">\n");
    draw(&mut out, &view, photo);
    frame::grid_over(&mut out, &view, zero.at);
    for (n, p) in known.iter().enumerate() {
        let at = view.px(*p);
        let _ = writeln!(
            out,
            r##"<circle cx="{0:.1}" cy="{1:.1}" r="7" fill="none" stroke="#ffffff" stroke-width="4"/><circle cx="{0:.1}" cy="{1:.1}" r="7" fill="none" stroke="#b3261e" stroke-width="2"/>"##,
            at.x, at.y
        );
        let style = r##"font-size="13" font-weight="bold" fill="#b3261e" stroke="#ffffff" stroke-width="4" paint-order="stroke""##;
        frame::text(&mut out, Point::new(at.x + 11.0, at.y - 8.0), style, &(n + 1).to_string());
    }
    out.push_str("</g>\n");
    frame::rulers(&mut out, &view, zero);
    frame::origin(&mut out, &view, zero);
    let mut facts: Vec<String> =
        photo.words().split("; ").flat_map(|words| wrap(words, 40)).collect();
    if photo.lens.k != 0.0 {
        facts.push("straightened: its lens bends lines".into());
    }
    let zero_shown = shown.inflate(1e-6, 1e-6).contains(zero.at.to_point());
    let whole = shown.width() >= ground.bed.width();
    let legend = Legend {
        title: photo.name.clone(),
        subtitle: format!("flat, on {}", machine.name),
        entries: Vec::new(),
        totals: facts,
        notes: vec!["red rings: the places that are known".into()],
        scale: None,
        signs: Signs { origin: zero_shown.then_some("the machine's zero"), ..Signs::default() },
    };
    legend::draw(&mut out, &view, &legend, (!whole).then_some((ground.bed, shown)));
    out.push_str("</svg>\n");
    out
}

/// Lines of at most so many letters.
fn wrap(words: &str, letters: usize) -> Vec<String> {
    let mut lines: Vec<String> = Vec::new();
    for word in words.split(' ') {
        match lines.last_mut() {
            Some(line) if line.len() + 1 + word.len() <= letters => {
                line.push(' ');
                line.push_str(word);
            }
            _ => lines.push(word.into()),
        }
    }
    lines
}
