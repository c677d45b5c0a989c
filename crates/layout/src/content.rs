//! What of an artwork takes part: vectors or bitmaps, traced, cropped, its colours gathered, things
//! left out.

use super::sought::Sought;
use super::{crop, left_out};
use std::sync::Arc;
use tinkite_artwork::{
    Artwork, Bitmap, Fill, Image, Odd, OddPaint, Shape, Source, Stroke, Unread, mark_outermost,
    trace,
};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::Affine;
use tinkite_base::geometry::region::FillRule;
use tinkite_base::problem::{Code, Location, Problem, Problems, count, few};
use tinkite_base::quantity::plain;
use tinkite_job::select::{ArtworkKind, Origin, ShapeInfo};
use tinkite_job::{ArtworkUse, Job, Only, Size};

/// What takes part of one artwork, still in its own coordinates.
#[derive(Debug)]
pub(super) struct Content {
    pub(super) shapes: Vec<Shape>,
    /// Bitmaps to engrave.
    pub(super) images: Vec<Image>,
    /// Bitmaps that were traced, with what carries their pixels to mm.
    pub(super) traced: Vec<(Affine, Arc<Bitmap>)>,
    /// How much larger it is than it was read, across and away, by what the job says of its units.
    pub(super) unit: (f64, f64),
}

/// Prepares an artwork.
///
/// # Errors
/// Solids, artwork with nothing left in it, and whatever cannot be burnt and is not left out.
pub(super) fn prepare(
    mut artwork: Artwork,
    how: &ArtworkUse,
    job: &Job,
    problems: &mut Problems,
) -> Result<Content, Problems> {
    let file = artwork.file.clone();
    problems.extend(std::mem::take(&mut artwork.problems));
    let refuse = |problem: Problem, problems: &mut Problems| {
        problems.push(problem.at(Location::file(&file)));
        Err(std::mem::take(problems))
    };
    let unit = match unit(&artwork, how) {
        Ok(unit) => unit,
        Err(problem) => {
            problems.push(problem.at(Location::file(&job.file)));
            return Err(std::mem::take(problems));
        }
    };
    let window = match crop::rectangle(how, artwork.page, unit) {
        Ok(window) => window,
        Err(problem) => return refuse(problem, problems),
    };
    // A size that the job says leaves no doubt.
    if how.mm_per_unit.is_some() || how.dpi.is_some() || how.size != Size::True {
        problems.retain(|p| {
            p.code != Code::UnitDoubt || p.place.as_ref().is_none_or(|place| place.file != file)
        });
    }
    choose_kind(&mut artwork, how);
    let origin = how.origin();
    let mut sought = Sought::of(how, &artwork);
    let left_out = |unread: Unread, source: &Source| {
        how.leave_out.iter().any(|take| take.holds(&(unread, source, &origin), false))
    };
    artwork.images.retain(|i| i.rendered || !left_out(Unread::Bitmap, &i.source));
    artwork.unread.retain(|(unread, source)| !left_out(*unread, source));
    if let Some(rectangle) = window {
        let tell = |problem: Problem| problems.push(problem.at(Location::file(&file)));
        artwork.images = crop::images(artwork.images, rectangle, how, tell);
    }
    let mut traced = Vec::new();
    if let Some((settings, colour)) = &how.trace {
        trace_all(&mut artwork, (settings, *colour), unit, &mut traced, problems);
        // An outline lies where its bitmap was painted: over what came before, under what came after.
        artwork.shapes.sort_by_key(|shape| shape.painted);
    }
    if job.asks_for(ArtworkKind::Outermost) {
        mark_outermost(&mut artwork.shapes, job.tolerance);
    }
    // Whatever got a plain paint is read.
    sought.shapes(&artwork, job.tolerance);
    sought.report(&job.file, problems);
    repaint(&mut artwork.shapes, how, job);
    let left_out_odd = |shape: &Shape| {
        how.leave_out.iter().any(|take| take.holds(&info(shape, false, &origin), false))
    };
    artwork.unread.retain(|(unread, source)| {
        let odd = |shape: &&Shape| shape.source == *source && !shape.odd.is_none();
        *unread != Unread::Paint
            || artwork.shapes.iter().filter(odd).any(|shape| !left_out_odd(shape))
    });
    for problem in Unread::problems(&artwork.unread, &file) {
        problems.push(problem);
    }
    if let Some(tolerance) = how.colour_tolerance {
        gather_colours(&mut artwork.shapes, tolerance, &file, problems);
    }
    let before = artwork.shapes.len();
    let mut shapes = artwork.shapes;
    // What has no paint is refused, or left out, or was painted with nothing.
    shapes.retain(|s| s.fill.is_some() || s.stroke.is_some() || s.odd.is(Odd::Rendered));
    if !how.leave_out.is_empty() {
        shapes = left_out::without(shapes, how, &artwork.images, job, problems);
    }
    if let Some(rectangle) = window {
        let tell = |problem: Problem| problems.push(problem.at(Location::file(&file)));
        shapes = crop::shapes(shapes, rectangle, how, tell);
    }
    let images = artwork.images;
    if window.is_none() {
        problems.extend(off_page(&shapes, &file).map(Problems::from).unwrap_or_default());
    }
    if shapes.is_empty() && images.is_empty() {
        let message = match before {
            0 => "the artwork has no shapes".to_string(),
            n => format!("leave-out, crop and window leave nothing of {}", count(n, "shape")),
        };
        // What cannot be read may be all there is; then that is the problem.
        if problems.refuse() {
            return Err(std::mem::take(problems));
        }
        return refuse(
            Problem::error(Code::Nothing, message, "draw something, or leave out less"),
            problems,
        );
    }
    Ok(Content { shapes, images, traced, unit })
}

/// Tells of shapes that the page does not show, and that are burnt.
fn off_page(shapes: &[Shape], file: &str) -> Option<Problem> {
    let beyond: Vec<&Shape> = shapes.iter().filter(|shape| shape.source.off_page).collect();
    let first = beyond.first()?;
    let names: Vec<String> = beyond.iter().map(|shape| shape.source.label()).collect();
    let (many, lie) = (count(beyond.len(), "shape"), if names.len() == 1 { "lies" } else { "lie" });
    let message = format!("{many} {lie} beyond the page: {}", few(&names, 6));
    let help = "nobody sees them there; leave-out = [{ kind = \"off-page\" }] in [[artwork]] leaves them out";
    let problem = Problem::warning(Code::OffPage, message, help);
    Some(problem.at(first.source.place(file)).naming(names))
}

/// What takes look at.
fn info<'s>(shape: &'s Shape, open: bool, origin: &'s Origin) -> ShapeInfo<'s> {
    ShapeInfo { shape, open, origin: Some(origin) }
}

/// Gives shapes the paint that the job says: the first that takes them.
fn repaint(shapes: &mut [Shape], how: &ArtworkUse, job: &Job) {
    if how.paint.is_empty() {
        return;
    }
    let origin = how.origin();
    for shape in shapes {
        let open = shape.contours(job.tolerance).iter().any(|contour| !contour.closed);
        let info = info(shape, open, &origin);
        let Some(paint) = how.paint.iter().find(|p| p.take.iter().any(|t| t.holds(&info, false)))
        else {
            continue;
        };
        // Of a shape with a gradient only what is painted with it changes.
        let plain = shape.odd.is_none();
        if let Some(fill) = paint.fill
            && (plain || shape.odd.fill.is_some())
        {
            let odd = shape.odd.fill.take().map(|(_, rule)| rule);
            let rule = odd.or(shape.fill.map(|fill| fill.rule)).unwrap_or_default();
            shape.fill = fill.map(|colour| Fill { colour, rule, veil: 0 });
        }
        if let Some(stroke) = paint.stroke
            && (plain || shape.odd.stroke.is_some())
        {
            let width = shape.line_width();
            shape.odd.stroke = None;
            shape.stroke = stroke.map(|colour| Stroke { colour, width, veiled: false });
        }
    }
}

/// How much larger the artwork is than it was read, by what the job says one unit is.
fn unit(artwork: &Artwork, how: &ArtworkUse) -> Result<(f64, f64), Problem> {
    let units = &artwork.units;
    if let Some(dpi) = how.dpi {
        if !artwork.format.is_bitmap() {
            return Err(Problem::error(
                Code::UnitsKnown,
                format!("dpi is for bitmap files, and this is {}", artwork.format.name()),
                "take dpi out; scale or width changes the size",
            ));
        }
        // Pixels may not be square in the file; they are at the resolution that the job says.
        let [a, _, _, d, ..] = artwork.images.first().map_or([1.0; 6], |i| i.to_mm.as_coeffs());
        return Ok((25.4 / dpi / a.abs(), 25.4 / dpi / d.abs()));
    }
    match how.mm_per_unit {
        None => Ok((1.0, 1.0)),
        Some(mm) if units.doubtful => Ok((mm / units.mm_per_unit, mm / units.mm_per_unit)),
        Some(_) => Err(Problem::error(
            Code::UnitsKnown,
            format!(
                "the drawing says its size itself ({}), so units would contradict it",
                units.source
            ),
            "take units out; scale or width changes the size",
        )),
    }
}

fn choose_kind(artwork: &mut Artwork, how: &ArtworkUse) {
    match how.only {
        None => {}
        Some(Only::Vectors) => {
            artwork.images.clear();
            artwork.unread.retain(|(unread, _)| *unread != Unread::Bitmap);
        }
        Some(Only::Bitmaps) => {
            artwork.shapes.clear();
            artwork.unread.retain(|(unread, _)| *unread == Unread::Bitmap);
        }
    }
}

/// Turns every bitmap into outlines.
fn trace_all(
    artwork: &mut Artwork,
    (how, colour): (&trace::Trace, Colour),
    unit: (f64, f64),
    traced: &mut Vec<(Affine, Arc<Bitmap>)>,
    problems: &mut Problems,
) {
    let mut specks = 0;
    let sized = Affine::scale_non_uniform(unit.0, unit.1);
    let (rendered, drawn) =
        std::mem::take(&mut artwork.images).into_iter().partition(|image| image.rendered);
    artwork.images = rendered;
    let drawn: Vec<Image> = drawn;
    for Image { source, to_mm, bitmap, painted, .. } in drawn {
        let Some(bitmap) = bitmap else { continue };
        artwork.unread.retain(|(unread, at)| *unread != Unread::Bitmap || *at != source);
        // Specks count at the size that the job gives the bitmap by its units.
        let found = match trace::trace(&bitmap, sized * to_mm, how) {
            Ok(found) => found,
            Err(problem) => {
                problems.push(problem.at(source.place(&artwork.file)));
                continue;
            }
        };
        specks += found.specks;
        let back = sized.inverse();
        let name = source.id.clone().unwrap_or_else(|| "trace".into());
        artwork.shapes.extend(found.paths.into_iter().enumerate().map(|(n, path)| Shape {
            path: back * path,
            fill: Some(Fill { colour, rule: FillRule::EvenOdd, veil: 0 }),
            stroke: None,
            source: Source { id: Some(format!("{name}-{}", n + 1)), name: None, ..source.clone() },
            text: false,
            odd: OddPaint::default(),
            painted,
        }));
        traced.push((to_mm, bitmap));
    }
    if specks > 0 {
        let message = format!(
            "{} smaller than {} mm across left out of the traced bitmap",
            count(specks, "speck"),
            plain(how.speck, 3)
        );
        let note = Problem::note(
            Code::Specks,
            message,
            "speck in trace sets the limit; check the picture",
        );
        problems.push(note.at(Location::file(&artwork.file)));
    }
}

/// Colours that are nearly one become the first of them.
fn gather_colours(shapes: &mut [Shape], tolerance: u8, file: &str, problems: &mut Problems) {
    let mut kept: Vec<Colour> = Vec::new();
    let mut changed = 0;
    let mut gather = |colour: &mut Colour| {
        let near = |other: &&Colour| {
            colour.rgb.iter().zip(other.rgb).all(|(a, b)| a.abs_diff(b) <= tolerance)
        };
        match kept.iter().find(near) {
            Some(other) if other == colour => {}
            Some(other) => {
                *colour = *other;
                changed += 1;
            }
            None => kept.push(*colour),
        }
    };
    for shape in shapes {
        shape.stroke.as_mut().map(|stroke| &mut stroke.colour).map(&mut gather);
        shape.fill.as_mut().map(|fill| &mut fill.colour).map(&mut gather);
    }
    if changed > 0 {
        let message = format!("{} taken for a colour near it", count(changed, "paint"));
        let note = Problem::note(Code::GatheredColours, message, "colour-tolerance asked for it");
        problems.push(note.at(Location::file(file)));
    }
}
