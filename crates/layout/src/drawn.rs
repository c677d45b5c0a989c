//! Shapes that the job draws itself.

use super::{Unplaced, area};
use kurbo::{Ellipse, RoundedRect, Shape as _};
use std::sync::Arc;
use tinkite_artwork::{Fill, Lettering, NoOutlines, OddPaint, SINGLE_LINE, Shape, Source, Stroke};
use tinkite_base::geometry::region::FillRule;
use tinkite_base::geometry::{Affine, BezPath, Point, Rect};
use tinkite_base::problem::{Code, Location, Problem, Problems, few};
use tinkite_job::{DrawnShape, Job, Outline};

/// Curves are drawn this near to the true ones, mm; circles come back exact all the same.
const ACCURACY: f64 = 1e-4;

/// How the job's own shapes are drawn in one copy.
pub(super) struct InCopy<'a> {
    /// The rectangle round the artwork.
    pub(super) drawing: Rect,
    /// Whether a shape is drawn, by its name.
    pub(super) goes: &'a dyn Fn(&str) -> bool,
    /// What the words of a text are; `None` where nothing is left of them.
    pub(super) words: &'a dyn Fn(&str) -> Result<Option<String>, Problem>,
}

/// Draws the job's own shapes among `pieces`, in the coordinates of the sheet.
///
/// # Errors
/// Text without a font, and areas that cannot be made.
pub(super) fn draw(
    pieces: &mut Vec<Unplaced>,
    copy: &InCopy<'_>,
    job: &Job,
    letters: &dyn Lettering,
    problems: &mut Problems,
) -> Result<(), Problems> {
    let drawing = copy.drawing;
    let file: Arc<str> = job.file.as_str().into();
    // Each border goes round what was there before it.
    let mut around = drawing;
    for drawn in job.shapes.iter().filter(|drawn| (copy.goes)(&drawn.name)) {
        let middle = drawn.centre.map_or(drawing.center(), |c| drawing.origin() + c.to_vec2());
        let path = match &drawn.outline {
            Outline::Border { distance, radius } => {
                let rect = around.inflate(*distance, *distance);
                let most = rect.width().min(rect.height()) / 2.0;
                Ok(RoundedRect::from_rect(rect, radius.min(most)).to_path(ACCURACY))
            }
            Outline::Rectangle { width, depth, radius } => {
                Ok(RoundedRect::from_rect(about(middle, *width, *depth), *radius).to_path(ACCURACY))
            }
            Outline::Ellipse { width, depth } => {
                Ok(Ellipse::from_rect(about(middle, *width, *depth)).to_path(ACCURACY))
            }
            Outline::Text { text, height, font, widest } => match (copy.words)(text) {
                Ok(None) => continue,
                Ok(Some(text)) => {
                    let path =
                        words((&text, font.as_deref(), *height), middle, letters, &file, problems);
                    path.map(|path| narrow(path, middle, *widest))
                }
                Err(problem) => {
                    problems.push(problem);
                    return Err(std::mem::take(problems));
                }
            },
            Outline::Area(made) => area::outline(pieces, made, &drawn.name),
        };
        let path = match path {
            Ok(path) => path,
            Err(problem) => {
                problems.push(problem.at(Location::file(&job.file).thing(drawn.name.as_str())));
                return Err(std::mem::take(problems));
            }
        };
        around = around.union(path.bounding_box());
        pieces.push(Unplaced {
            shape: shape(drawn, path),
            to_sheet: Affine::IDENTITY,
            origin: None,
            artwork: None,
            file: file.clone(),
        });
    }
    Ok(())
}

fn shape(drawn: &DrawnShape, path: BezPath) -> Shape {
    let colour = drawn.colour;
    let text = matches!(drawn.outline, Outline::Text { .. });
    let rule = if text { FillRule::NonZero } else { FillRule::EvenOdd };
    Shape {
        path,
        fill: drawn.filled.then_some(Fill { colour, rule, veil: 0 }),
        stroke: (!drawn.filled).then_some(Stroke { colour, width: 0.0, veiled: false }),
        source: Source { id: Some(drawn.name.clone()), ..Source::default() },
        text,
        odd: OddPaint::default(),
        painted: 0,
    }
}

/// A line of text about a point.
fn words(
    (text, font, height): (&str, Option<&str>, f64),
    middle: Point,
    letters: &dyn Lettering,
    file: &str,
    problems: &mut Problems,
) -> Result<BezPath, Problem> {
    let (path, missing) =
        letters.outlines(text, font, height).map_err(|why| undrawn(text, font, why))?;
    if let Some(missing) = missing {
        let message = format!("a font that is not on this machine: {missing}");
        let help = "install it, or name another in font";
        problems.push(Problem::warning(Code::MissingFont, message, help).at(Location::file(file)));
    }
    // By its letters' own height, so that a line with a g stands where one without does.
    let bounds = path.bounding_box();
    let own = Point::new(bounds.center().x, height / 2.0);
    Ok(Affine::translate(middle - own) * path)
}

/// Why a text is not drawn, and what helps.
fn undrawn(text: &str, font: Option<&str>, why: NoOutlines) -> Problem {
    let (why, help) = match why {
        NoOutlines::Letters(letters) => {
            let letters: Vec<String> = letters.iter().map(|c| format!("\"{c}\"")).collect();
            let why = format!("no letters {}", few(&letters, 12));
            match font {
                Some(SINGLE_LINE) => (
                    format!("{SINGLE_LINE} has {why}"),
                    "leave font out: a plain one may have them",
                ),
                _ => (format!("there are {why} in any font"), "install a font that has them"),
            }
        }
        NoOutlines::NoFont => {
            ("there is no font".into(), "install one, or write font = \"single-line\"")
        }
        NoOutlines::Nothing => ("nothing of it is visible".into(), "write letters"),
    };
    Problem::error(Code::LiveText, format!("the text \"{text}\" cannot be drawn: {why}"), help)
}

/// Words that are no wider than this, mm: smaller about their middle where they were.
fn narrow(path: BezPath, middle: Point, widest: Option<f64>) -> BezPath {
    let width = path.bounding_box().width();
    match widest.filter(|widest| width > *widest) {
        Some(widest) => Affine::scale_about(widest / width, middle) * path,
        None => path,
    }
}

fn about(centre: Point, width: f64, depth: f64) -> Rect {
    Rect::from_center_size(centre, (width, depth))
}
