//! A bitmap where it will be engraved.

use super::copies::Copied;
use std::sync::Arc;
use tinkite_artwork::{Bitmap, Depth, Image, Source};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::{Affine, Point, Rect, Vec2};
use tinkite_base::problem::Location;
use tinkite_job::select::{ArtworkKind, Origin, Taken};

/// A bitmap on the bed.
#[derive(Debug, Clone)]
pub struct LaidImage {
    /// Where it was drawn.
    pub source: Source,
    /// The file it comes from.
    pub file: Arc<str>,
    /// Carries its pixels (x right, y down, from the upper left corner) to mm from the bed's front
    /// left corner.
    pub to_bed: Affine,
    /// The pixels.
    pub bitmap: Arc<Bitmap>,
    /// How deep it is, for reliefs, where that is known better than by its pixels.
    pub depth: Option<Arc<Depth>>,
    /// Whether it was drawn from shapes that have no plain colour.
    pub rendered: bool,
    /// Its place in the order of painting: which artwork of the job, and where in that.
    pub(super) painted: (usize, u32),
    /// Where nothing under it shows through, mm from the bed's front left corner.
    pub(super) hides: Vec<Vec<Point>>,
    /// Which artwork of the job it comes from.
    pub origin: Arc<Origin>,
    /// Which copy it belongs to; the first is 0.
    pub number: u32,
    /// What that copy is called, where it differs from the others.
    pub copy: Option<Arc<str>>,
}

impl LaidImage {
    pub(super) fn new(
        image: Image,
        file: &Arc<str>,
        (artwork, origin): (usize, &Arc<Origin>),
        to_sheet: Affine,
    ) -> Option<Self> {
        Some(Self {
            source: image.source,
            file: file.clone(),
            to_bed: to_sheet * image.to_mm,
            bitmap: image.bitmap?,
            depth: image.depth,
            rendered: image.rendered,
            origin: origin.clone(),
            painted: (artwork, image.painted),
            hides: image.hides.iter().map(|r| r.iter().map(|p| to_sheet * *p).collect()).collect(),
            number: 0,
            copy: None,
        })
    }

    /// Carries it somewhere else.
    pub(super) fn move_by(&mut self, by: Affine) {
        self.to_bed = by * self.to_bed;
        self.hides.iter_mut().flatten().for_each(|p| *p = by * *p);
    }

    /// How people find it: by name, line or file, and which copy it is.
    #[must_use]
    pub fn label(&self) -> String {
        let name = match (&self.source.id, self.source.line) {
            // As the job names it, without its folder: where the job lies changes nothing in its program.
            (None, None) => {
                self.origin.file.rsplit(['/', '\\']).next().unwrap_or_default().to_string()
            }
            _ => self.source.label(),
        };
        super::of_copy(name, self.copy.as_deref(), self.number)
    }

    /// Where it was drawn.
    #[must_use]
    pub fn place(&self) -> Location {
        self.source.place(&self.file)
    }

    /// The rectangle that it covers, mm.
    #[must_use]
    pub fn bounds(&self) -> Rect {
        let (width, height) = (f64::from(self.bitmap.width), f64::from(self.bitmap.height));
        self.to_bed.transform_rect_bbox(Rect::new(0.0, 0.0, width, height))
    }
}

impl Copied for LaidImage {
    fn copy(&self, number: u32, about: Option<Point>, by: Vec2) -> Self {
        let turn = about
            .map_or(Affine::IDENTITY, |centre| Affine::rotate_about(std::f64::consts::PI, centre));
        Self { to_bed: Affine::translate(by) * turn * self.to_bed, number, ..self.clone() }
    }
}

impl Taken for LaidImage {
    fn colours(&self) -> (Option<Colour>, Option<Colour>) {
        (None, None)
    }
    fn stroke_width(&self) -> Option<f64> {
        None
    }
    fn source(&self) -> &Source {
        &self.source
    }
    fn is_kind(&self, kind: ArtworkKind) -> bool {
        kind == match self.depth.as_deref() {
            _ if self.rendered => ArtworkKind::Rendered,
            Some(Depth::Solid(_)) => ArtworkKind::Solid,
            _ => ArtworkKind::Bitmap,
        }
    }
    fn origin(&self) -> Option<&Origin> {
        Some(&self.origin)
    }
}
