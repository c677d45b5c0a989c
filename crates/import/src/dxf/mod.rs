//! DXF drawings of CAD programs, R12 to current, text and binary.
//!
//! The file is a flat list of group codes and values. It is read by our own code since every shape
//! must know its line, hatch boundaries count, and nothing may be lost unsaid.

mod coded;
mod colours;
mod curves;
mod draw;
mod entity;
mod hatch;
mod set;
mod spline;
mod tables;
mod tags;
mod text;

use crate::{Reading, chains};
use draw::Drawer;
use tables::Tables;
use tinkite_artwork::{Artwork, Format};
use tinkite_base::geometry::Affine;
use tinkite_base::problem::{Code, Location, Problem, Problems};

/// Reads a DXF drawing.
///
/// # Errors
/// Files that are no DXF after all, and such as nothing can be read of.
pub(super) fn read(name: &str, bytes: &[u8], how: &Reading<'_>) -> Result<Artwork, Problems> {
    let (tags, whole, letters) = tags::read(bytes).map_err(|problem| {
        let line = problem.place.as_ref().and_then(|place| place.line);
        Problems::from(problem.at(Location { line, ..Location::file(name) }))
    })?;
    let sections = tables::sections(&tags);
    let tables = Tables::of(&sections);
    let mut artwork = Artwork::empty(name, Format::Dxf);
    artwork.units = tables.units();
    if !whole {
        artwork.problems.push(
            Problem::warning(
                Code::CutShort,
                "the file ends before its end mark: part of the drawing may be missing",
                "save it again, and copy it whole",
            )
            .at(Location::file(name)),
        );
    }
    if let (Some(page), true) = (letters.unknown, letters.used) {
        let message =
            format!("$DWGCODEPAGE says {page}, which is not known; letters are read as ANSI_1252");
        let help = "check the texts; save the drawing again as DXF 2007 or later";
        let problem = Problem::warning(Code::NotRead, message, help);
        artwork.problems.push(problem.at(Location::file(name)));
    }
    let scale = artwork.units.mm_per_unit;
    let drawer = Drawer::new(&tables, how, Affine::scale(scale));
    let drawn = drawer.run(tables.entities(), name, &mut artwork.problems)?;
    artwork.unread = drawn.unread;
    artwork.shapes = chains::join(drawn.shapes, &drawn.loose);
    tables.doubt_units(&mut artwork);
    // CAD drawings lie anywhere: their own lower left corner is the origin.
    if let Some(extents) = artwork.extents() {
        artwork.transform(Affine::translate(-extents.origin().to_vec2()));
    }
    Ok(artwork)
}

#[cfg(test)]
mod tests;
