//! Mending what was drawn: small gaps joined and doubled lines dropped, when the job asks for it,
//! and said.

use super::LaidShape;
use std::collections::BTreeMap;
use tinkite_artwork::trouble::lines::too_many;
use tinkite_base::geometry::duplicates::{duplicates, without};
use tinkite_base::geometry::near::Findings;
use tinkite_base::geometry::{Contour, gaps};
use tinkite_base::problem::{Code, Location, Problem, Problems, count};
use tinkite_base::quantity::plain;
use tinkite_job::ArtworkUse;

/// Joins gaps and drops duplicates among shapes that are painted alike.
pub(super) fn repair(shapes: &mut [LaidShape], artwork: &ArtworkUse, problems: &mut Problems) {
    let Some(file) = shapes.first().map(|shape| shape.file.clone()) else { return };
    if let Some(tolerance) = artwork.join_gaps {
        join_gaps(shapes, tolerance, &file, problems);
    }
    if artwork.drop_doubles {
        drop_doubles(shapes, &file, problems);
    }
}

/// Numbers of shapes by what `key` says of them.
fn alike<K: Ord>(shapes: &[LaidShape], key: impl Fn(&LaidShape) -> K) -> BTreeMap<K, Vec<usize>> {
    let mut groups: BTreeMap<K, Vec<usize>> = BTreeMap::new();
    for (n, shape) in shapes.iter().enumerate() {
        groups.entry(key(shape)).or_default().push(n);
    }
    groups
}

/// All contours of some shapes, and for each the shape that it belongs to.
fn contours_of(shapes: &[LaidShape], group: &[usize]) -> (Vec<Contour>, Vec<usize>) {
    let owned = |n: &usize| shapes[*n].contours.iter().map(|c| (c.clone(), *n)).collect::<Vec<_>>();
    group.iter().flat_map(owned).unzip()
}

fn join_gaps(shapes: &mut [LaidShape], tolerance: f64, file: &str, problems: &mut Problems) {
    let paint = |s: &LaidShape| (s.shape.stroke.map(|p| p.colour), s.shape.fill.map(|p| p.colour));
    let mut all = gaps::Joined::default();
    for group in alike(shapes, paint).into_values() {
        let (contours, owners) = contours_of(shapes, &group);
        let (places, joined) = gaps::join(contours, tolerance);
        all.gaps += joined.gaps;
        all.widest = all.widest.max(joined.widest);
        for n in &group {
            shapes[*n].contours.clear();
        }
        for (contour, owner) in places.into_iter().zip(owners) {
            shapes[owner].contours.extend(contour);
        }
        for n in group {
            shapes[n].open = shapes[n].contours.iter().any(|c| !c.closed);
        }
    }
    if all.gaps > 0 {
        problems.push(
            Problem::note(
                Code::JoinedGaps,
                format!(
                    "{} joined, the widest {} mm",
                    count(all.gaps, "gap"),
                    plain(all.widest, 4)
                ),
                "join-gaps asked for it; check the picture",
            )
            .at(Location::file(file)),
        );
    }
}

fn drop_doubles(shapes: &mut [LaidShape], file: &str, problems: &mut Problems) {
    let (mut stretches, mut length) = (0, 0.0);
    // A filled shape needs all of its outline.
    let line_only =
        |s: &LaidShape| s.shape.stroke.filter(|_| s.shape.fill.is_none()).map(|p| p.colour);
    for (stroke, group) in alike(shapes, line_only) {
        if stroke.is_none() {
            continue;
        }
        let (contours, owners) = contours_of(shapes, &group);
        let Findings { found, complete } = duplicates(&contours);
        if !complete {
            problems.push(too_many("doubled lines", Location::file(file)));
        }
        stretches += found.len();
        let before: f64 = contours.iter().map(Contour::length).sum();
        let left = without(&contours, &found);
        length += before - left.iter().flatten().map(Contour::length).sum::<f64>();
        for n in &group {
            shapes[*n].contours.clear();
        }
        for (contours, owner) in left.into_iter().zip(owners) {
            shapes[owner].contours.extend(contours);
        }
        for n in group {
            shapes[n].open = shapes[n].contours.iter().any(|c| !c.closed);
            shapes[n].dropped = shapes[n].contours.is_empty();
        }
    }
    if stretches > 0 {
        problems.push(
            Problem::note(
                Code::DroppedDoubles,
                format!(
                    "{} drawn twice dropped, {} mm",
                    count(stretches, "stretch"),
                    plain(length, 2)
                ),
                "drop-doubles asked for it; check the picture",
            )
            .at(Location::file(file)),
        );
    }
}
