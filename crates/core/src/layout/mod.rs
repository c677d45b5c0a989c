//! Layout: the artworks at their size and place on the bed, mended where the job asks for it.

mod area;
mod content;
mod copies;
mod crop;
mod drawn;
mod image;
mod marks;
mod over;
mod place;
mod repair;
mod shown;
mod size;
mod sought;
mod under;

use crate::artwork::trouble::lines::Lined;
use crate::artwork::{Artwork, Bitmap, FontSupply, NoFonts, Shape};
use crate::geometry::cover::Rings;
use crate::geometry::{Affine, BezPath, Contour, Point, Rect, Vec2, drawn_bounds, hull};
use crate::job::select::{Origin, ShapeInfo};
use crate::job::{Job, StockSize};
use crate::problem::{Code, Place, Problem, Problems, count, few};
pub use image::LaidImage;
pub(crate) use marks::similarity;
use rayon::prelude::*;
use std::sync::Arc;

/// What a job is given to work on.
#[derive(Clone)]
pub struct Given<'a> {
    /// The artworks, one for each that the job names.
    pub artworks: Vec<Artwork>,
    /// Fonts for text that the job itself draws.
    pub fonts: &'a dyn FontSupply,
}

impl From<Artwork> for Given<'_> {
    fn from(artwork: Artwork) -> Self {
        Self { artworks: vec![artwork], fonts: &NoFonts }
    }
}

/// A shape where it will lie, as lines and arcs.
#[derive(Debug, Clone)]
pub struct LaidShape {
    /// Its paint and source; its path still in the artwork's own coordinates.
    pub shape: Shape,
    /// The file it comes from.
    pub file: Arc<str>,
    /// Which artwork of the job it comes from; none for what the job draws itself.
    pub origin: Option<Arc<Origin>>,
    /// Its lines, in mm from the bed's front left corner.
    pub contours: Vec<Contour>,
    /// Whether any of them is open.
    pub open: bool,
    /// Whether all of it lay on other lines and was dropped for that.
    pub dropped: bool,
    /// Which copy it belongs to; the first is 0.
    pub number: u32,
    /// What of its fill shows, in mm from the bed's front left corner, where later paint lies over it;
    /// none when all of it does.
    pub shown: Option<Arc<Rings>>,
}

impl LaidShape {
    /// How people find it: by name or line, and which copy it is.
    #[must_use]
    pub fn label(&self) -> String {
        match self.number {
            0 => self.shape.source.label(),
            n => format!("{}, copy {}", self.shape.source.label(), n + 1),
        }
    }

    /// Where it was drawn.
    #[must_use]
    pub fn place(&self) -> Place {
        self.shape.source.place(&self.file)
    }

    /// For whoever looks for trouble with lines.
    pub(crate) fn lined(&self) -> Lined<'_> {
        let (label, place) = (self.label(), self.place());
        Lined { shape: &self.shape, contours: &self.contours, label, place }
    }

    /// What `take` looks at.
    pub(crate) fn info(&self) -> ShapeInfo<'_> {
        ShapeInfo { shape: &self.shape, open: self.open, origin: self.origin.as_deref() }
    }
}

impl copies::Copied for LaidShape {
    /// It does not carry the drawn curves along again.
    fn copy(&self, number: u32, about: Option<Point>, by: Vec2) -> Self {
        let moved = |contour: &Contour| match about {
            Some(centre) => contour.half_turned(centre).shifted(by),
            None => contour.shifted(by),
        };
        Self {
            shape: Shape { path: BezPath::new(), ..self.shape.clone() },
            file: self.file.clone(),
            origin: self.origin.clone(),
            contours: self.contours.iter().map(moved).collect(),
            open: self.open,
            dropped: self.dropped,
            number,
            shown: self.shown.as_ref().map(|rings| {
                let at = |point: &Point| match about {
                    Some(centre) => (centre - (*point - centre)) + by,
                    None => *point + by,
                };
                Arc::new(rings.iter().map(|ring| ring.iter().map(at).collect()).collect())
            }),
        }
    }
}

/// A bitmap that was traced: shown faintly under its outlines.
#[derive(Debug, Clone)]
pub struct Underlay {
    /// Carries its pixels to mm from the bed's front left corner.
    pub to_bed: Affine,
    /// The pixels.
    pub bitmap: Arc<Bitmap>,
}

/// The artwork on the bed. It can no longer hold a choice of size or place.
#[derive(Debug, Clone)]
pub struct Sheet {
    /// Everything drawn that takes part, in drawing order.
    pub shapes: Vec<LaidShape>,
    /// Bitmaps that take part.
    pub images: Vec<LaidImage>,
    /// The rectangle round all lines and bitmaps, mm from the bed's front left corner.
    pub extents: Rect,
    /// Where the stock lies, when the job says, mm from the bed's front left corner.
    pub stock: Option<Rect>,
    /// Bitmaps that were traced.
    pub underlays: Vec<Underlay>,
}

/// A shape on its way to the bed.
#[derive(Debug, Clone)]
struct Unplaced {
    shape: Shape,
    /// Carries its curves to the sheet: sized and turned, not yet placed on the bed.
    to_sheet: Affine,
    /// Which artwork it comes from; none for what the job draws itself.
    artwork: Option<usize>,
    origin: Option<Arc<Origin>>,
    file: Arc<str>,
}

impl Unplaced {
    fn bounds(&self) -> Rect {
        use kurbo::Shape as _;
        (self.to_sheet * self.shape.path.clone()).bounding_box()
    }

    /// The rectangle round what of it has a length.
    fn drawn_bounds(&self) -> Option<Rect> {
        drawn_bounds(&(self.to_sheet * self.shape.path.clone()))
    }
}

/// The rectangle round what is drawn.
fn extent(pieces: &[Unplaced], images: &[LaidImage]) -> Rect {
    let drawn = pieces.par_iter().filter_map(Unplaced::drawn_bounds).collect::<Vec<_>>();
    hull(drawn.into_iter().chain(images.iter().map(LaidImage::bounds))).unwrap_or_default()
}

/// Lays the artworks as the job says.
///
/// # Errors
/// Artwork that is empty, of no size, or holds what this version cannot read and the job does not
/// leave out.
pub fn lay_out(given: Given<'_>, job: &Job) -> Result<(Sheet, Problems), Problems> {
    let mut problems = Problems::new();
    let mut pieces: Vec<Unplaced> = Vec::new();
    let mut underlays = Vec::new();
    let mut images: Vec<LaidImage> = Vec::new();
    let mut extents: Vec<Rect> = Vec::new();
    for (n, (artwork, how)) in given.artworks.into_iter().zip(&job.artworks).enumerate() {
        let file: Arc<str> = artwork.file.as_str().into();
        let origin = Arc::new(how.origin());
        let content = content::prepare(artwork, how, job, &mut problems)?;
        let to_sheet = match size::to_sheet(&content, how) {
            Ok(to_sheet) => to_sheet,
            Err(problem) => {
                problems.push(problem.at(Place::file(&file)));
                return Err(problems);
            }
        };
        let begun = (pieces.len(), images.len(), underlays.len());
        underlays
            .extend(content.traced.into_iter().map(|(to_mm, bitmap)| (to_sheet * to_mm, bitmap)));
        images.extend(
            content
                .images
                .into_iter()
                .filter_map(|i| LaidImage::new(i, &file, (n, &origin), to_sheet)),
        );
        pieces.extend(content.shapes.into_iter().map(|shape| Unplaced {
            shape,
            to_sheet,
            artwork: Some(n),
            origin: Some(origin.clone()),
            file: file.clone(),
        }));
        let (own_pieces, own_images) = (&mut pieces[begun.0..], &mut images[begun.1..]);
        let mut own = extent(own_pieces, own_images);
        if let Some(beside) = &how.beside {
            let before = job.artworks[..n].iter();
            let other = beside
                .found(before.map(|b| (b.name.as_deref(), b.file.as_str())))
                .map_err(|problem| Problems::from(problem.at(Place::file(&job.file))))?;
            let by = beside.shift(own, extents[other]);
            let moved = Affine::translate(by);
            own_pieces.iter_mut().for_each(|piece| piece.to_sheet = moved * piece.to_sheet);
            own_images.iter_mut().for_each(|image| image.move_by(moved));
            let shown: &mut [(Affine, Arc<Bitmap>)] = &mut underlays[begun.2..];
            shown.iter_mut().for_each(|(to_sheet, _)| *to_sheet = moved * *to_sheet);
            own = own + by;
        }
        extents.push(own);
    }
    drawn::draw(&mut pieces, job, given.fonts, &mut problems)?;
    let mut bounds = pieces.par_iter().filter_map(Unplaced::drawn_bounds).collect::<Vec<_>>();
    bounds.extend(images.iter().map(LaidImage::bounds));
    let one = hull(bounds).unwrap_or_default();
    let run = match copies::planned(one, job, &mut problems) {
        Ok(run) => run,
        Err(problem) => {
            problems.push(problem.at(Place::file(&job.file)));
            return Err(problems);
        }
    };
    let to_bed = if job.placement.marks.is_empty() {
        Affine::translate(place::shift(one, &run, job))
    } else {
        match marks::to_bed(&pieces, job) {
            Ok((to_bed, told)) => {
                problems.push(told.at(Place::file(&job.file)));
                to_bed
            }
            Err(problem) => {
                problems.push(problem.at(Place::file(&job.file)));
                return Err(problems);
            }
        }
    };
    let owners: Vec<Option<usize>> = pieces.iter().map(|piece| piece.artwork).collect();
    let knocked_out: Vec<Option<Rings>> = pieces
        .par_iter()
        .map(|piece| shown::knocked_out(&piece.shape, to_bed * piece.to_sheet, job.tolerance))
        .collect();
    let mut shapes: Vec<LaidShape> =
        pieces.into_par_iter().map(|piece| lay(piece, to_bed, job.tolerance)).collect();
    let shapes_painted: Vec<u32> = shapes.iter().map(|laid| laid.shape.painted).collect();
    report_strays(&shapes, &mut problems);
    for (n, how) in job.artworks.iter().enumerate() {
        let start = owners.iter().position(|owner| *owner == Some(n)).unwrap_or(0);
        let length = owners.iter().filter(|owner| **owner == Some(n)).count();
        repair::repair(&mut shapes[start..start + length], how, &mut problems);
    }
    let covered =
        |n: usize| owners[n].is_none_or(|artwork| !job.artworks[artwork].under.keeps_fills);
    images.iter_mut().for_each(|image| image.move_by(to_bed));
    let order = |n: usize| (owners[n].unwrap_or(usize::MAX), shapes_painted[n]);
    let keeps = |artwork: usize| job.artworks[artwork].under.keeps_fills;
    over::whiten(&mut images, &shapes, &knocked_out, order, keeps, &mut problems);
    let covers = over::covers(&images, shapes.len(), order);
    shown::set(&mut shapes, knocked_out, &covers, covered, job.tolerance);
    let lies_under = |n: usize| owners[n].map(|a| job.artworks[a].under).unwrap_or_default();
    under::tell(&mut shapes, lies_under, &mut problems);
    // What a bitmap shows has done its part: it lies over what was painted before.
    shapes.retain(|laid| laid.shape.fill.is_some() || laid.shape.stroke.is_some());
    let placed = to_bed.transform_rect_bbox(one);
    let shapes = copies::copied(shapes, placed, &run);
    let images = copies::copied(images, placed, &run);
    let lines = shapes.iter().flat_map(|s| s.contours.iter().map(Contour::bounds));
    let extents = hull(lines.chain(images.iter().map(LaidImage::bounds)));
    let Some(extents) = extents else {
        let help = "draw lines that have a length";
        let problem = Problem::error(Code::SizeZero, "nothing in the artwork has any length", help);
        problems.push(problem.at(Place::file(&job.file)));
        return Err(problems);
    };
    let stock = job.stock.and_then(|stock| stock.size).map(|size| match size {
        StockSize::Fixed { width, depth } => place::stock(width, depth, job),
        StockSize::Round(margin) => extents.inflate(margin, margin),
    });
    let underlays = underlays
        .into_iter()
        .map(|(to_sheet, bitmap)| Underlay { to_bed: to_bed * to_sheet, bitmap })
        .collect();
    let sheet = Sheet { shapes, images, extents, stock, underlays };
    sought::exceptions(&sheet, job, &mut problems);
    problems.clone().unless_refused((sheet, problems))
}

fn lay(piece: Unplaced, to_bed: Affine, tolerance: f64) -> LaidShape {
    let path = (to_bed * piece.to_sheet) * piece.shape.path.clone();
    let contours = crate::geometry::fit::contours(&path, tolerance);
    let open = contours.iter().any(|contour| !contour.closed);
    let (shape, file, origin) = (piece.shape, piece.file, piece.origin);
    LaidShape { shape, file, origin, contours, open, dropped: false, number: 0, shown: None }
}

fn report_strays(shapes: &[LaidShape], problems: &mut Problems) {
    let strays: Vec<_> = shapes.iter().filter(|s| s.contours.is_empty()).collect();
    let Some(first) = strays.first() else { return };
    let names: Vec<_> = strays.iter().map(|s| s.shape.source.label()).collect();
    problems.push(
        Problem::warning(
            Code::Stray,
            format!("{} of no length: {}", count(strays.len(), "shape"), few(&names, 6)),
            "nothing is burnt there; delete them in the drawing program",
        )
        .at(first.place())
        .naming(names),
    );
}
