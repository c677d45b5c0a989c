//! Layout: the artworks at their size and place on the bed, mended where the job asks for it.

mod area;
mod batch;
mod content;
mod copies;
mod crop;
mod drawn;
mod gathered;
mod image;
mod left_out;
mod marks;
mod original;
mod over;
mod pack;
mod parts;
mod place;
mod repair;
mod shown;
mod size;
mod sought;
mod stock;
mod under;

use batch::{Batch, Original};
use gathered::Gathered;
pub use image::LaidImage;
pub use marks::similarity;
use original::Laid;
use rayon::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
pub use stock::LaidStock;
use tinkite_artwork::trouble::lines::Lined;
use tinkite_artwork::{Artwork, Bitmap, Shape};
use tinkite_artwork::{Lettering, NoLetters};
use tinkite_base::geometry::cover::Rings;
use tinkite_base::geometry::{Affine, BezPath, Contour, Point, Rect, Vec2, drawn_bounds, hull};
use tinkite_base::problem::{Code, Location, Problem, Problems};
use tinkite_job::select::{Origin, ShapeInfo};
use tinkite_job::takeable::Takeable;
use tinkite_job::{Job, StockSize, Table};

/// What a job is given to work on.
#[derive(Clone)]
pub struct Given<'a> {
    /// The artworks, one for each that the job names.
    pub artworks: Vec<Artwork>,
    /// Fonts for text that the job itself draws.
    pub letters: &'a dyn Lettering,
    /// The table that fills the words of the copies, where the job names one.
    pub table: Option<Table>,
}

impl From<Artwork> for Given<'_> {
    fn from(artwork: Artwork) -> Self {
        Self { artworks: vec![artwork], letters: &NoLetters, table: None }
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
    /// What that copy is called, where it differs from the others: `row 3`.
    pub copy: Option<Arc<str>>,
    /// What of its fill shows, in mm from the bed's front left corner, where later paint lies over it;
    /// `None` when all of it does.
    pub shown: Option<Arc<Rings>>,
}

impl LaidShape {
    /// How people find it: by name or line, and which copy it is.
    #[must_use]
    pub fn label(&self) -> String {
        of_copy(self.shape.source.label(), self.copy.as_deref(), self.number)
    }

    /// Where it was drawn.
    #[must_use]
    pub fn place(&self) -> Location {
        self.shape.source.place(&self.file)
    }

    /// For whoever looks for trouble with lines.
    pub fn lines(&self) -> Lined<'_> {
        let (label, place) = (self.label(), self.place());
        Lined { shape: &self.shape, contours: &self.contours, label, place }
    }

    /// What `take` looks at.
    pub fn info(&self) -> ShapeInfo<'_> {
        ShapeInfo { shape: &self.shape, open: self.open, origin: self.origin.as_deref() }
    }
}

impl copies::Copied for LaidShape {
    /// It does not carry the drawn curves along again.
    fn copy(&self, number: u32, about: Option<Point>, by: Vec2) -> Self {
        let moved = |contour: &Contour| match about {
            Some(centre) => contour.rotate_half(centre).shifted(by),
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
            copy: self.copy.clone(),
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
    /// Where the stock lies, when the job says.
    pub stock: Option<LaidStock>,
    /// Bitmaps that were traced.
    pub underlays: Vec<Underlay>,
    /// Copies that differ from each other: what they are called, and the rectangle round each, mm from the bed's front
    /// left corner.
    pub parts: Vec<(Arc<str>, Rect)>,
    /// The first and the last serial number on it.
    pub numbers: Option<(u32, u32)>,
    /// How many sheets the job takes in all.
    pub sheets: u32,
}

impl Sheet {
    /// What there is to take on it.
    #[must_use]
    pub fn takeable(&self) -> Takeable {
        let mut all = Takeable::default();
        self.shapes.iter().for_each(|laid| all.add(&laid.info()));
        self.images.iter().for_each(|laid| all.add(laid));
        all
    }
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

/// Everything that is burnt on one sheet.
struct Placed {
    shapes: Vec<LaidShape>,
    images: Vec<LaidImage>,
    underlays: Vec<Underlay>,
    /// The first and the last serial number.
    numbers: Option<(u32, u32)>,
    /// How many sheets the job takes in all.
    sheets: u32,
    /// Where the stock lies that is drawn.
    stock: Option<LaidStock>,
}

/// Lays the artworks as the job says.
///
/// # Errors
/// Artwork that is empty, of no size, or holds what this version cannot read and the job does not
/// leave out.
pub fn lay_out(given: Given<'_>, job: &Job) -> Result<(Sheet, Problems), Problems> {
    let mut problems = job.doubts.clone();
    let mut gathered = gathered::gather(given.artworks, job, &mut problems)?;
    let mut drawn_stock = stock::separate(&mut gathered.pieces, job);
    let batch = Batch::new(job, given.table.as_ref())
        .map_err(|problem| Problems::from(problem.at(Location::file(&job.file))))?;
    if !batch.differs() {
        let images = hull(gathered.images.iter().map(LaidImage::bounds));
        batch.draw(&mut gathered.pieces, images, given.letters, &mut problems)?;
        drawn_stock.extend(stock::separate(&mut gathered.pieces, job));
    }
    let outline = stock::outline(&drawn_stock, &gathered.pieces, job)?;
    let placed = match &job.placement.pack {
        Some(pack) => {
            let of = (job, pack, outline.as_ref());
            parts::lay(gathered, &batch, of, given.letters, &mut problems)
        }
        None => in_rows(gathered, &batch, (job, outline.as_ref()), given.letters, &mut problems),
    };
    let Placed { shapes, images, underlays, numbers, sheets, stock } =
        placed.map_err(|refusal| {
            problems.extend(refusal);
            std::mem::take(&mut problems)
        })?;
    let lines = shapes.iter().flat_map(|s| s.contours.iter().map(Contour::bounds));
    let extents = hull(lines.chain(images.iter().map(LaidImage::bounds)));
    let Some(extents) = extents else {
        let help = "draw lines that have a length";
        let problem = Problem::error(Code::SizeZero, "nothing in the artwork has any length", help);
        problems.push(problem.at(Location::file(&job.file)));
        return Err(problems);
    };
    let stock = match job.stock.as_ref().and_then(|stock| stock.size.as_ref()) {
        Some(StockSize::Fixed { width, depth }) => {
            Some(LaidStock::rectangle(place::stock(*width, *depth, job)))
        }
        Some(StockSize::Round(margin)) => {
            Some(LaidStock::rectangle(extents.inflate(*margin, *margin)))
        }
        Some(StockSize::Drawn(_)) => stock,
        None => None,
    };
    let parts = named_copies(&shapes);
    let sheet = Sheet { shapes, images, extents, stock, underlays, parts, numbers, sheets };
    sought::exceptions(&sheet, job, &mut problems);
    problems.clone().unless_refused((sheet, problems))
}

/// Everything at one place, and copies of it in rows and columns.
fn in_rows(
    gathered: Gathered,
    batch: &Batch<'_>,
    (job, outline): (&Job, Option<&stock::DrawnStock>),
    letters: &dyn Lettering,
    problems: &mut Problems,
) -> Result<Placed, Problems> {
    let at_job = |problem: Problem| Problems::from(problem.at(Location::file(&job.file)));
    let Gathered { pieces, mut images, underlays } = gathered;
    let pictures = hull(images.iter().map(LaidImage::bounds));
    let drawn = batch.bounds(&pieces, pictures, letters, problems)?;
    let one = hull(drawn.into_iter().chain(pictures));
    let one = one.unwrap_or_default();
    let run = copies::planned(one, job, batch.copies_wanted(), problems).map_err(at_job)?;
    let batch = batch.on_sheet_from(run.span().0);
    let originals = match batch.differs() {
        true => batch.originals((&pieces, pictures), run.span(), letters, problems)?,
        false => vec![Original { pieces, label: None }],
    };
    let pieces = originals.first().map_or(&[][..], |first| &first.pieces);
    let to_bed = if job.placement.marks.is_empty() {
        Affine::translate(place::shift(one, &run, job))
    } else {
        let (to_bed, told) = marks::to_bed(pieces, job).map_err(at_job)?;
        problems.push(told.at(Location::file(&job.file)));
        to_bed
    };
    images.iter_mut().for_each(|image| image.move_by(to_bed));
    let laid: Vec<(Laid, Problems)> = originals
        .into_par_iter()
        .map(|original| {
            let mut told = Problems::new();
            (original::lay(original, images.clone(), to_bed, job, &mut told), told)
        })
        .collect();
    let (laid, told): (Vec<Laid>, Vec<Problems>) = laid.into_iter().unzip();
    problems.extend(batch::once(told));
    let (shapes, images): (Vec<_>, Vec<_>) =
        laid.into_iter().map(|laid| (laid.shapes, laid.images)).unzip();
    let placed = to_bed.transform_rect_bbox(one);
    let shapes = copies::copied(shapes, placed, &run);
    let images = copies::copied(images, placed, &run);
    let underlays = underlays
        .into_iter()
        .map(|(to_sheet, bitmap)| Underlay { to_bed: to_bed * to_sheet, bitmap })
        .collect();
    let stock = outline.map(|outline| outline.moved_to_bed(to_bed));
    let (numbers, sheets) = (batch.numbers(run.span()), run.sheets);
    Ok(Placed { shapes, images, underlays, numbers, sheets, stock })
}

/// A name, and which copy it is of.
fn of_copy(name: String, copy: Option<&str>, number: u32) -> String {
    match (copy, number) {
        (Some(copy), _) => format!("{name}, {copy}"),
        (None, 0) => name,
        (None, n) => format!("{name}, copy {}", n + 1),
    }
}

/// Copies that differ, with the rectangle round the lines of each.
fn named_copies(shapes: &[LaidShape]) -> Vec<(Arc<str>, Rect)> {
    let mut parts: BTreeMap<u32, (Arc<str>, Rect)> = BTreeMap::new();
    for laid in shapes {
        let Some(copy) = &laid.copy else { continue };
        for bounds in laid.contours.iter().map(Contour::bounds) {
            let part = parts.entry(laid.number).or_insert_with(|| (copy.clone(), bounds));
            part.1 = part.1.union(bounds);
        }
    }
    parts.into_values().collect()
}
