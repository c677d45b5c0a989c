//! One copy on the bed: its lines, mended where the job asks for it, and what of its paint shows.

use super::batch::Original;
use super::image::LaidImage;
use super::{LaidShape, Unplaced, over, repair, shown, under};
use rayon::prelude::*;
use std::sync::Arc;
use tinkite_base::geometry::Affine;
use tinkite_base::geometry::cover::Rings;
use tinkite_base::problem::{Code, Problem, Problems, count, few};
use tinkite_job::Job;

/// What a copy consists of, mm from the bed's front left corner.
pub(super) struct Laid {
    pub(super) shapes: Vec<LaidShape>,
    pub(super) images: Vec<LaidImage>,
}

/// Lays a copy where `to_bed` carries the sheet; its bitmaps lie there already.
pub(super) fn lay(
    original: Original,
    mut images: Vec<LaidImage>,
    to_bed: Affine,
    job: &Job,
    problems: &mut Problems,
) -> Laid {
    let Original { pieces, label } = original;
    images.iter_mut().for_each(|image| image.copy.clone_from(&label));
    let owners: Vec<Option<usize>> = pieces.iter().map(|piece| piece.artwork).collect();
    let knocked_out: Vec<Option<Rings>> = pieces
        .par_iter()
        .map(|piece| shown::knocked_out(&piece.shape, to_bed * piece.to_sheet, job.tolerance))
        .collect();
    let mut shapes: Vec<LaidShape> = pieces
        .into_par_iter()
        .map(|piece| one(piece, to_bed, job.tolerance, label.as_ref()))
        .collect();
    let shapes_painted: Vec<u32> = shapes.iter().map(|laid| laid.shape.painted).collect();
    report_strays(&shapes, problems);
    for (n, how) in job.artworks.iter().enumerate() {
        let start = owners.iter().position(|owner| *owner == Some(n)).unwrap_or(0);
        let length = owners.iter().filter(|owner| **owner == Some(n)).count();
        repair::repair(&mut shapes[start..start + length], how, problems);
    }
    let covered =
        |n: usize| owners[n].is_none_or(|artwork| !job.artworks[artwork].under.keeps_fills);
    let order = |n: usize| (owners[n].unwrap_or(usize::MAX), shapes_painted[n]);
    let keeps = |artwork: usize| job.artworks[artwork].under.keeps_fills;
    over::whiten(&mut images, &shapes, &knocked_out, order, keeps, problems);
    let covers = over::covers(&images, shapes.len(), order);
    shown::set(&mut shapes, knocked_out, &covers, covered, job.tolerance);
    let lies_under = |n: usize| owners[n].map(|a| job.artworks[a].under).unwrap_or_default();
    under::tell(&mut shapes, lies_under, problems);
    // What a bitmap shows has done its part: it lies over what was painted before.
    shapes.retain(|laid| laid.shape.fill.is_some() || laid.shape.stroke.is_some());
    Laid { shapes, images }
}

fn one(piece: Unplaced, to_bed: Affine, tolerance: f64, label: Option<&Arc<str>>) -> LaidShape {
    let path = (to_bed * piece.to_sheet) * piece.shape.path.clone();
    let contours = tinkite_base::geometry::fit::contours(&path, tolerance);
    let open = contours.iter().any(|contour| !contour.closed);
    let (shape, file, origin) = (piece.shape, piece.file, piece.origin);
    LaidShape {
        shape,
        file,
        origin,
        contours,
        open,
        dropped: false,
        number: 0,
        copy: label.cloned(),
        shown: None,
    }
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
