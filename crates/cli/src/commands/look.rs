//! `tinkite look`.

use crate::args::Look;
use crate::console::Console;
use crate::door;
use std::path::Path;
use tinkite_core::artwork::{Artwork, Measure, Reading, Which, measure, measure_among};
use tinkite_core::geometry::Point;
use tinkite_core::problem::nearest;
use tinkite_core::quantity::{Length, parse};
use tinkite_files::call::JobCall;
use tinkite_files::kind::{self, FileKind};
use tinkite_files::load;
use tinkite_files::refusal::{Refusal, Sources};
use tinkite_report::look::{LookJson, Looked};
use tinkite_report::measure::{MeasuresJson, measured_json, measured_text};
use tinkite_report::shapes::{ShapesJson, ShapesOf};

/// Shapes are measured on lines and arcs this near to what was drawn, mm.
const TOLERANCE: f64 = 0.001;

pub(super) fn run(args: &Look, console: &Console) -> Result<(), Refusal> {
    if let Some(which) = args.measure.as_deref().filter(|_| args.files.len() == 1)
        && kind::is(&args.files[0], FileKind::Job)?
    {
        return measure_in_job(&args.files[0], which, console);
    }
    let how = Reading { page: args.page, ..load::plain_reading() };
    let read = |file: &std::path::PathBuf| load::drawing(file, &how);
    let artworks = args.files.iter().map(read).collect::<Result<Vec<_>, _>>()?;
    if let Some(which) = &args.measure {
        return measure_one(&artworks, which, console);
    }
    if args.shapes {
        let files: Vec<ShapesOf> =
            artworks.iter().map(|artwork| ShapesOf::at(artwork, TOLERANCE)).collect();
        if console.json {
            return console.json(&ShapesJson { files });
        }
        for (n, one) in files.iter().enumerate() {
            if n > 0 {
                console.result("")?;
            }
            console.result(&one.text(console.colours_out(), console.unit))?;
        }
        return Ok(());
    }
    let looked: Vec<_> = artworks.iter().map(Looked::at).collect();
    if console.json {
        return console.json(&LookJson { files: looked.iter().map(Looked::json).collect() });
    }
    for (n, one) in looked.iter().enumerate() {
        if n > 0 {
            console.result("")?;
        }
        console.result(&one.text(console.colours_out(), console.unit))?;
        door::show(one.doubts(), &Sources::new(), console);
    }
    Ok(())
}

/// A point like "20 mm, 35 mm", or else a name.
fn which(text: &str) -> Which {
    let point = text.split_once(',').and_then(|(x, y)| {
        // A number alone is mm.
        let length = |text: &str| {
            let bare = text.trim().parse().ok().filter(|mm: &f64| mm.is_finite());
            bare.or_else(|| parse::<Length>(text.trim()).ok().map(|length| length.0))
        };
        Some(Point::new(length(x)?, length(y)?))
    });
    point.map_or_else(|| Which::Called(text.into()), Which::Near)
}

/// Measures a shape of a job's sheet, as large and as mended as it will be burnt; places are on the machine's axes, as
/// pictures and plans count; round an object, along and round its surface.
fn measure_in_job(job: &Path, text: &str, console: &Console) -> Result<(), Refusal> {
    let (job_read, sheet, ..) = load::survey_sheet(&JobCall::whole(job.to_path_buf(), None))?;
    let shapes = sheet.shapes.iter().filter(|laid| laid.number == 0);
    let shapes: Vec<_> = shapes.map(|laid| (&laid.shape, laid.contours.clone())).collect();
    let name = job.display().to_string();
    let (field, flat) = (job_read.field(), job_read.round.is_none());
    let asked = match which(text) {
        Which::Near(point) if flat => Which::Near(field.plane(point)),
        other => other,
    };
    let found = measure_among(&shapes, &asked).map(|mut found| {
        if flat {
            found.extents = job_read.frame().rect(found.extents - field.zero);
        }
        (&name, found)
    });
    let names: Vec<&str> = shapes.iter().flat_map(|(shape, _)| shape.source.names()).collect();
    tell(&found.into_iter().collect::<Vec<_>>(), text, &names, console)
}

fn measure_one(artworks: &[Artwork], text: &str, console: &Console) -> Result<(), Refusal> {
    let which = which(text);
    let found: Vec<_> = artworks
        .iter()
        .filter_map(|artwork| Some((&artwork.file, measure(artwork, &which, TOLERANCE)?)))
        .collect();
    let shapes = artworks.iter().flat_map(|artwork| &artwork.shapes);
    let names: Vec<&str> = shapes.flat_map(|shape| shape.source.names()).collect();
    tell(&found, text, &names, console)
}

/// Tells what was measured; `names` are what could have been meant.
fn tell(
    found: &[(&String, Measure)],
    text: &str,
    names: &[&str],
    console: &Console,
) -> Result<(), Refusal> {
    if found.is_empty() {
        let help = match nearest(text, names.iter().copied()) {
            Some(near) => format!("did you mean {near}?"),
            None => "name a shape by its id, or a point near its line: \"20 mm, 35 mm\"".into(),
        };
        return Err(Refusal::Usage(format!("no shape is called \"{text}\"; {help}")));
    }
    if console.json {
        let measures = found.iter().map(|(file, m)| measured_json(file, m)).collect();
        return console.json(&MeasuresJson { measures });
    }
    for (file, measure) in found {
        console.result(&measured_text(file, measure, console.unit))?;
    }
    Ok(())
}
