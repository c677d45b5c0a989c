//! Where the stock lies: a rectangle of a known size, or an outline that is drawn.

use super::Unplaced;
use std::sync::Arc;
use tinkite_base::geometry::inside::Inside;
use tinkite_base::geometry::region::{self, FillRule};
use tinkite_base::geometry::{Affine, Point, Rect, Vec2, corners, fit};
use tinkite_base::problem::{Code, Location, Problem, Remedy, count, few};
use tinkite_job::select::ShapeInfo;
use tinkite_job::{Job, StockSize};

/// Chords of an outline lie this near to its curves, mm.
const FINE: f64 = 0.002;

/// Where the stock lies, mm from the bed's front left corner.
#[derive(Debug, Clone)]
pub struct LaidStock {
    /// The rectangle round it.
    pub bounds: Rect,
    /// Its outline, with holes in it; `None` where it is that rectangle.
    pub outline: Option<Arc<Inside>>,
}

impl LaidStock {
    /// A rectangle.
    #[must_use]
    pub fn rectangle(bounds: Rect) -> Self {
        Self { bounds, outline: None }
    }

    /// Its outline as rings.
    #[must_use]
    pub fn rings(&self) -> Vec<Vec<Point>> {
        match &self.outline {
            Some(outline) => outline.rings().to_vec(),
            None => vec![corners(self.bounds)],
        }
    }

    /// Whether a point lies on it, or no further beyond a straight edge of a rectangle than this, mm.
    #[must_use]
    pub fn holds(&self, p: Point, slack: f64) -> bool {
        let outline = self.outline.as_ref();
        outline.map_or_else(|| self.bounds.inflate(slack, slack).contains(p), |o| o.holds(p))
    }

    fn of_outline(inside: Inside) -> Self {
        Self { bounds: inside.bounds(), outline: Some(Arc::new(inside)) }
    }
}

/// The drawn outline of the stock, before it has a place.
pub(super) struct DrawnStock {
    /// On the sheet, where drawings have their size but no place.
    rings: Vec<Vec<Point>>,
}

impl DrawnStock {
    /// Where it lies when it goes with the drawing that it was drawn in.
    pub(super) fn moved_to_bed(&self, to_bed: Affine) -> LaidStock {
        let carry = |ring: &Vec<Point>| ring.iter().map(|p| to_bed * *p).collect();
        LaidStock::of_outline(Inside::new(self.rings.iter().map(carry).collect()))
    }

    /// Where it lies by itself: as on its page, or with the anchor at the zero that is set on it.
    pub(super) fn by_itself(&self, job: &Job) -> LaidStock {
        let as_drawn = self.moved_to_bed(Affine::IDENTITY);
        if job.field().fixed {
            return as_drawn;
        }
        let anchor = job.placement.anchor.of(as_drawn.bounds);
        self.moved_to_bed(Affine::translate(Vec2::ZERO - anchor.to_vec2()))
    }
}

/// Takes what the job calls the outline of its stock out of `pieces`: it is no artwork.
pub(super) fn separate(pieces: &mut Vec<Unplaced>, job: &Job) -> Vec<Unplaced> {
    let size = job.stock.as_ref().and_then(|stock| stock.size.as_ref());
    let Some(StockSize::Drawn(takes)) = size else { return Vec::new() };
    let holds = |piece: &Unplaced| {
        let info = ShapeInfo {
            shape: &piece.shape,
            open: is_open(piece),
            origin: piece.origin.as_deref(),
        };
        takes.iter().any(|take| take.holds(&info, false))
    };
    let (own, others) = std::mem::take(pieces).into_iter().partition(holds);
    *pieces = others;
    own
}

fn is_open(piece: &Unplaced) -> bool {
    contours(piece).iter().any(|contour| !contour.closed)
}

fn contours(piece: &Unplaced) -> Vec<tinkite_base::geometry::Contour> {
    fit::contours(&(piece.to_sheet * piece.shape.path.clone()), FINE)
}

/// The outline that `own` draw; `None` where the job has none.
///
/// # Errors
/// Nothing found, lines that are not closed, paint that would hide artwork, stock that is not flat.
pub(super) fn outline(
    own: &[Unplaced],
    others: &[Unplaced],
    job: &Job,
) -> Result<Option<DrawnStock>, Problem> {
    let size = job.stock.as_ref().and_then(|stock| stock.size.as_ref());
    let Some(StockSize::Drawn(_)) = size else { return Ok(None) };
    let at_job = |problem: Problem| problem.at(Location::file(&job.file));
    if job.round.is_some() {
        let message = "outline in [stock] is of flat stock, and the job turns in the rotary";
        return Err(at_job(Problem::error(Code::StockOutline, message, "take it out")));
    }
    let open: Vec<String> =
        own.iter().filter(|p| is_open(p)).map(|p| p.shape.source.label()).collect();
    if let Some(first) = own.iter().find(|p| is_open(p)) {
        let message = format!(
            "the outline of the stock is not closed: {} of {}: {}",
            open.len(),
            count(own.len(), "shape"),
            few(&open, 6)
        );
        let help = "close its lines in the drawing program";
        let problem = Problem::error(Code::StockOutline, message, help);
        return Err(problem.at(first.shape.source.place(&first.file)).naming(open));
    }
    let hidden = own.iter().find(|own| {
        let under = |other: &&Unplaced| {
            other.artwork == own.artwork && other.shape.painted < own.shape.painted
        };
        let bounds = own.bounds();
        own.shape.fill.is_some()
            && others.iter().filter(under).any(|other| other.bounds().overlaps(bounds))
    });
    if let Some(own) = hidden {
        let message = format!(
            "the outline of the stock, {}, is painted over artwork and hides it",
            own.shape.source.label()
        );
        let help = "take its fill out, or move it to the bottom of the drawing";
        let problem = Problem::error(Code::StockOutline, message, help);
        return Err(problem.at(own.shape.source.place(&own.file)));
    }
    let drawn: Vec<Vec<Point>> =
        own.iter().flat_map(contours).map(|contour| contour.flatten(FINE)).collect();
    let rings = region::unite(&drawn, FillRule::EvenOdd);
    if rings.is_empty() {
        let message = "outline in [stock] finds no closed shape";
        let help = "name a colour, a group or an id that is there; where copies have words of their own, it must come from a drawing";
        return Err(at_job(
            Problem::error(Code::StockOutline, message, help).with_remedy(Remedy::Look),
        ));
    }
    Ok(Some(DrawnStock { rings }))
}
