//! The artworks of a job at their size, beside each other on one sheet.

use super::{LaidImage, Unplaced, content, size};
use rayon::prelude::*;
use std::sync::Arc;
use tinkite_artwork::{Artwork, Bitmap};
use tinkite_base::geometry::{Affine, Rect, hull};
use tinkite_base::problem::{Location, Problems};
use tinkite_job::Job;

/// Everything that is drawn, before it has a place on the bed.
pub(super) struct Gathered {
    pub(super) pieces: Vec<Unplaced>,
    pub(super) images: Vec<LaidImage>,
    /// Bitmaps that were traced, with what carries their pixels to the sheet.
    pub(super) underlays: Vec<(Affine, Arc<Bitmap>)>,
}

/// Gathers the artworks.
///
/// # Errors
/// Artwork that is empty, of no size, or holds what this version cannot read and the job does not
/// leave out; a drawing beside one that is not there.
pub(super) fn gather(
    artworks: Vec<Artwork>,
    job: &Job,
    problems: &mut Problems,
) -> Result<Gathered, Problems> {
    let mut pieces: Vec<Unplaced> = Vec::new();
    let mut underlays = Vec::new();
    let mut images: Vec<LaidImage> = Vec::new();
    let mut extents: Vec<Rect> = Vec::new();
    for (n, (artwork, how)) in artworks.into_iter().zip(&job.artworks).enumerate() {
        let file: Arc<str> = artwork.file.as_str().into();
        let origin = Arc::new(how.origin());
        let content = content::prepare(artwork, how, job, problems)?;
        let to_sheet = match size::to_sheet(&content, how) {
            Ok(to_sheet) => to_sheet,
            Err(problem) => {
                problems.push(problem.at(Location::file(&file)));
                return Err(std::mem::take(problems));
            }
        };
        if let Some(note) = size::tell_fitted(&content, how, to_sheet, job) {
            problems.push(note.at(Location::file(&file)));
        }
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
                .find_by_name(before.map(|b| (b.name.as_deref(), b.file.as_str())))
                .map_err(|problem| Problems::from(problem.at(Location::file(&job.file))))?;
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
    Ok(Gathered { pieces, images, underlays })
}

/// The rectangle round what is drawn.
fn extent(pieces: &[Unplaced], images: &[LaidImage]) -> Rect {
    let drawn = pieces.par_iter().filter_map(Unplaced::drawn_bounds).collect::<Vec<_>>();
    hull(drawn.into_iter().chain(images.iter().map(LaidImage::bounds))).unwrap_or_default()
}
